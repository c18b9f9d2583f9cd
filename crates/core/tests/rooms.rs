//! Arrows run down only: between the crates, and between the rooms of each. What a `use` line, or a path in the code, names is an
//! arrow; a room may name those that stand before it in its crate's list.

#![allow(clippy::disallowed_methods, reason = "the test looks at the sources from outside")]
#![allow(missing_docs, reason = "a test is no library")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use regex::Regex;
use rstest::rstest;

/// The crates, each after those that it may use.
const CRATES: [(&str, &[&str]); 5] = [
    ("standin", &[]),
    ("core", &[]),
    ("io", &["kanon_core"]),
    ("app", &["kanon_core", "kanon_io"]),
    ("cli", &["kanon_core", "kanon_io", "kanon_app", "kanon_standin"]),
];

/// The rooms of the core, each after those that it may use.
const ROOMS: [&str; 17] = [
    "base", "text", "rulebook", "edits", "manifest", "survey", "config", "resolve", "canon", "delta", "seal",
    "findings", "plan", "handout", "logs", "diagnose", "learn",
];

#[test]
fn crates_use_those_below_them() {
    let ours = Regex::new(r"\bkanon_\w+").expect("a pattern");
    for (name, below) in CRATES {
        for (file, code) in sources(name) {
            for named in ours.find_iter(&code) {
                let is_own = named.as_str().strip_prefix("kanon_") == Some(name);
                assert!(is_own || below.contains(&named.as_str()), "{} names {}", file.display(), named.as_str());
            }
        }
    }
}

/// What the command line may name of what touches the world: values that it shows, and what a program needs for its own output.
const SHOWN: [&str; 32] = [
    "carried::invite_of",
    "claim::Others",
    "error::AddressError",
    "error::HostError",
    "error::ReachError",
    "error::Refusal",
    "error::During",
    "error::Unfit",
    "following::Following",
    "install::Address",
    "install::HostKey",
    "install::Secret",
    "install_folder::InstallFolder",
    "measure::Counts",
    "open::read_bounded",
    "progress::Progress",
    "prune::Pruned",
    "release::Archive",
    "release::Fetched",
    "release::Page",
    "release::Published",
    "release::days_until",
    "running::spare_memory",
    "running::was_double_clicked",
    "set_aside::SetAside",
    "state::Alignment",
    "state::AlignmentState",
    "trial::Explained",
    "trial::Trial",
    "undo::TakenBack",
    "workspace::read_text",
    "writing::write_whole",
];

/// Use cases are in `app`: the command line opens no store, dials nobody, measures nothing.
#[test]
fn the_command_line_does_nothing_to_the_world_by_itself() {
    let uses = Regex::new(r"\buse (kanon_io::[^;]+);").expect("a pattern");
    let paths = Regex::new(r"\bkanon_io::\w+::\w+").expect("a pattern");
    let mut found: BTreeSet<String> = BTreeSet::new();
    for (file, code) in sources("cli") {
        let named = uses.captures_iter(&code).flat_map(|named| spread(&named[1])).collect::<Vec<_>>();
        let code = uses.replace_all(&code, "");
        for path in named.into_iter().chain(paths.find_iter(&code).map(|path| path.as_str().to_owned())) {
            let path = path.trim_start_matches("kanon_io::").to_owned();
            assert!(SHOWN.contains(&path.as_str()), "{} names kanon_io::{path}", file.display());
            found.insert(path);
        }
    }
    assert_eq!(found, SHOWN.iter().map(|path| (*path).to_owned()).collect(), "nothing is allowed that nobody needs");
}

#[test]
fn rooms_of_the_core_use_those_before_them() {
    let arrows = arrows("core");
    let place = |room: &str| ROOMS.iter().position(|known| *known == room);
    let rooms: BTreeSet<&str> = arrows.keys().map(String::as_str).collect();
    assert_eq!(rooms, ROOMS.into_iter().collect(), "each room has its place");
    for (room, used) in &arrows {
        for other in used {
            assert!(place(other) < place(room), "{room} uses {other}, which stands after it");
        }
    }
}

/// The modules of a crate, each a file, go round in no circle.
#[rstest]
#[case("core")]
#[case("io")]
#[case("app")]
#[case("standin")]
fn no_circle_between_modules_of(#[case] name: &str) {
    let modules = modules(name);
    let mut graph: BTreeMap<&Module, BTreeSet<Module>> = BTreeMap::new();
    for (module, code) in &modules {
        let used = graph.entry(module).or_default();
        used.extend(named(&modules, module, code).into_iter().filter(|other| other != module && !other.is_empty()));
    }
    // What nothing leads to any more is taken off, again and again; what stays is in a circle or between two.
    loop {
        let ends: Vec<&Module> = graph
            .iter()
            .filter(|(_, used)| used.iter().all(|other| !graph.contains_key(other)))
            .map(|(m, _)| *m)
            .collect();
        if ends.is_empty() {
            break;
        }
        for end in ends {
            graph.remove(end);
        }
    }
    let left: Vec<String> = graph.keys().map(|module| module.join("::")).collect();
    assert!(left.is_empty(), "these go round in circles, or lead into one: {left:?}");
}

/// The path of a module from the root of its crate.
type Module = Vec<String>;

fn modules(name: &str) -> BTreeMap<Module, String> {
    let module = |file: &Path| -> Module {
        let below = file.strip_prefix(source_folder(name)).expect("a file of the crate").with_extension("");
        let parts = below.iter().map(|part| part.to_string_lossy().into_owned());
        parts.filter(|part| !matches!(part.as_str(), "mod" | "lib")).collect()
    };
    sources(name).into_iter().map(|(file, code)| (module(&file), code)).collect()
}

/// The modules that a module names: in `use` lines, whole paths, and by the names of its own modules. What a module hands on
/// from another is that other's.
fn named(modules: &BTreeMap<Module, String>, module: &Module, code: &str) -> BTreeSet<Module> {
    let handed_on = Regex::new(r"(?:pub|pub\(\w+\)) use [^;]+;").expect("a pattern");
    let code = handed_on.replace_all(code, "");
    let uses = Regex::new(r"\buse ([^;]+);").expect("a pattern");
    let paths = Regex::new(r"\b(?:crate|super)(?:::\w+)+").expect("a pattern");
    let mut texts: Vec<String> = uses.captures_iter(&code).flat_map(|found| spread(&found[1])).collect();
    texts.extend(paths.find_iter(&uses.replace_all(&code, "")).map(|found| found.as_str().to_owned()));
    let mut found: BTreeSet<Module> =
        texts.iter().filter_map(|text| resolved(modules, module, &text.split("::").collect::<Vec<_>>(), 0)).collect();
    let own = modules.keys().filter(|other| other.len() == module.len() + 1 && other.starts_with(module));
    found.extend(own.filter(|own| own.last().is_some_and(|name| code.contains(&format!("{name}::")))).cloned());
    found
}

/// Each path of a `use` tree by itself.
fn spread(tree: &str) -> Vec<String> {
    let tree = tree.trim();
    let Some((before, inner)) = tree.split_once('{') else {
        return vec![tree.split(" as ").next().unwrap_or_default().trim().to_owned()];
    };
    let inner = inner.trim_end().trim_end_matches('}');
    let (mut parts, mut deep, mut part) = (Vec::new(), 0, String::new());
    for c in inner.chars() {
        match c {
            ',' if deep == 0 => parts.push(std::mem::take(&mut part)),
            c => {
                deep += i32::from(c == '{') - i32::from(c == '}');
                part.push(c);
            }
        }
    }
    parts.push(part);
    let whole = parts.iter().filter(|part| !part.trim().is_empty());
    whole.flat_map(|part| spread(&format!("{before}{}", part.trim()))).collect()
}

/// The module in which what a path names is written down; nothing for what is of another crate.
fn resolved(modules: &BTreeMap<Module, String>, from: &Module, path: &[&str], deep: usize) -> Option<Module> {
    let (first, rest) = path.split_first()?;
    let parent = || from[..from.len().saturating_sub(1)].to_vec();
    let base = match *first {
        "crate" => Module::new(),
        "super" => parent(),
        "self" => from.clone(),
        own => {
            let own = [from.clone(), vec![own.to_owned()]].concat();
            modules.contains_key(&own).then_some(own)?
        }
    };
    if let Some(next) = rest.first() {
        let below = [base.clone(), vec![(*next).to_owned()]].concat();
        if modules.contains_key(&below) || *next == "super" {
            return resolved(modules, &base, &[&["self"], rest].concat()[1..], deep);
        }
        // It may be handed on from somewhere else.
        let handed_on = Regex::new(r"(?:pub|pub\(\w+\)) use ([^;]+);").expect("a pattern");
        let code = modules.get(&base).map_or("", String::as_str);
        let all: Vec<String> = handed_on.captures_iter(code).flat_map(|found| spread(&found[1])).collect();
        let source = all.iter().find(|text| text.rsplit("::").next() == Some(next)).filter(|_| deep < 8);
        if let Some(source) = source {
            return resolved(modules, &base, &source.split("::").collect::<Vec<_>>(), deep + 1).or(Some(base));
        }
    }
    Some(base)
}

/// The rooms of a crate, and which others each names.
fn arrows(name: &str) -> BTreeMap<String, BTreeSet<String>> {
    let path = Regex::new(r"\bcrate::(\w+)").expect("a pattern");
    let mut arrows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (file, code) in sources(name) {
        let below = file.strip_prefix(source_folder(name)).expect("a file of the crate");
        let first = below.iter().next().expect("a name").to_string_lossy();
        let room = first.trim_end_matches(".rs");
        if matches!(room, "lib" | "main" | "tests") {
            continue;
        }
        let used = arrows.entry(room.to_owned()).or_default();
        let named = path.captures_iter(&code).map(|found| found[1].to_owned());
        used.extend(named.filter(|other| other != room));
    }
    arrows
}

fn source_folder(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(name).join("src")
}

/// Every source file of a crate with its code: without comments, and without the tests that stand at its end.
fn sources(name: &str) -> Vec<(PathBuf, String)> {
    let mut found = Vec::new();
    let mut folders = vec![source_folder(name)];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(&folder).expect("a folder of sources") {
            let path = entry.expect("an entry").path();
            if path.is_dir() {
                if path.file_name().is_none_or(|name| name != "tests") {
                    folders.push(path);
                }
            } else if path.extension().is_some_and(|extension| extension == "rs") {
                let text = std::fs::read_to_string(&path).expect("a source");
                let code = text.split("\n#[cfg(test)]\nmod tests {").next().unwrap_or_default();
                let lines = code.lines().filter(|line| !line.trim_start().starts_with("//"));
                found.push((path, lines.collect::<Vec<_>>().join("\n")));
            }
        }
    }
    assert!(found.len() > 3, "the sources of {name} are there");
    found
}
