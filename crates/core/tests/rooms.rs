//! Arrows run down only: between the crates, and between the rooms of each. What a `use` line, or a path in the code, names is an
//! arrow; a room may name those that stand before it in its crate's list.

#![allow(clippy::disallowed_methods, reason = "the test looks at the sources from outside")]
#![allow(missing_docs, reason = "a test is no library")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use regex::Regex;

/// The crates, each after those that it may use.
const CRATES: [(&str, &[&str]); 4] =
    [("standin", &[]), ("core", &[]), ("io", &["kanon_core"]), ("cli", &["kanon_core", "kanon_io", "kanon_standin"])];

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
