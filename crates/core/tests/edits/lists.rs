//! Lists in documents, and in files with one mod on each line.

use kanon_core::text::Notation;

use crate::case::{Case, Job};
use crate::dice::Dice;
use crate::drawn::{Drawn, IDS, draw, remark};
use crate::judges::{holds, is_flag, judge, judge_remarks, leaves, names, sorted};

struct Shape {
    kind: &'static str,
    notation: Notation,
    keys: &'static str,
    /// The text around the entries: `@` is where they stand.
    around: &'static [&'static str],
    /// An entry: `$` is its id, `?` whether it is on.
    entry: &'static [&'static str],
    words: (&'static str, &'static str),
    /// What stands behind each entry but the last, and behind the last.
    glue: (&'static str, &'static str),
    comment: (&'static str, &'static str),
    ids: &'static [&'static str],
    needs_one: bool,
}

const SHAPES: &[Shape] = &[
    Shape {
        kind: "json",
        notation: Notation::Json,
        keys: "file = \"b.json\"\neach = \"$.loads[*]\"",
        around: &[
            "{\n  // ~top~\n  \"port\": 1,\n  \"loads\": [\n@\n  ],\n  \"url\": \"http://x/[a],//b\"\n}\n",
            "{\"x\": {\"loads\": 1}, \"loads\": [\n@\n]}\n",
        ],
        entry: &["    \"$\""],
        words: ("", ""),
        glue: (",", ""),
        comment: ("// ", ""),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "json",
        notation: Notation::Json,
        keys: "file = \"b.json\"\neach = \"$.loads[*]\"\nid = \"$.called\"\non = \"$.running\"",
        around: &["{\n\t\"loads\": [\n@\n\t],\n\t\"z\": [1, 2,],\n}\n"],
        entry: &[
            "\t\t{\"called\": \"$\", \"running\": ?}",
            "\t\t{\n\t\t\t\"running\": ?,\n\t\t\t\"called\": \"$\"\n\t\t}",
        ],
        words: ("true", "false"),
        glue: (",", ","),
        comment: ("/* ", " */"),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "json",
        notation: Notation::Json,
        keys: "file = \"b.json\"\neach = \"$.loads\"\nform = \"id-to-flag\"",
        around: &["{\n  \"loads\": {\n@\n  }\n}\n"],
        entry: &["    \"$\": ?"],
        words: ("true", "false"),
        glue: (",", ""),
        comment: ("// ", ""),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "toml",
        notation: Notation::Toml,
        keys: "file = \"b.toml\"\neach = \"$.loads[*]\"",
        around: &["port = 1 # ~top~\nloads = [\n@\n]\n[net]\nurl = 'a#b' # ~x~\n"],
        entry: &["  \"$\"", "  '$'"],
        words: ("", ""),
        glue: (",", ","),
        comment: ("# ", ""),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "toml",
        notation: Notation::Toml,
        keys: "file = \"b.toml\"\neach = \"$.load[*]\"\nid = \"$.called\"\non = \"$.running\"",
        around: &["port = 1\n\n@\n\n# ~net~\n[net]\nhost = \"x\"\n", "@\n\n[load-defaults]\nx = 1\n"],
        entry: &[
            "[[load]]\ncalled = \"$\"\nrunning = ?\n",
            "[[load]]\nrunning = ?\ncalled = '$'\n[load.more]\nx = [1,\n 2]\n",
        ],
        words: ("true", "false"),
        glue: ("", ""),
        comment: ("# ", ""),
        ids: &IDS,
        needs_one: true,
    },
    Shape {
        kind: "toml",
        notation: Notation::Toml,
        keys: "file = \"b.toml\"\neach = \"$.loads\"\nform = \"id-to-flag\"",
        around: &["[loads]\n@\n\n[net]\nx = 1\n"],
        entry: &["\"$\" = ?"],
        words: ("true", "false"),
        glue: ("", ""),
        comment: ("# ", ""),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "yaml",
        notation: Notation::Yaml,
        keys: "file = \"b.yaml\"\neach = \"$.loads[*]\"",
        around: &[
            "# ~top~\nport: 1\nloads:\n@\nmotd: |\n  # no comment\n  - text\nz: 'a # b'\n",
            "net:\n  x: &a {b: 1}\nloads:\n@\nmore: *a\n---\nloads: [other]\n",
        ],
        entry: &["  - \"$\"", "- '$'"],
        words: ("", ""),
        glue: ("", ""),
        comment: ("# ", ""),
        ids: &IDS,
        needs_one: true,
    },
    Shape {
        kind: "yaml",
        notation: Notation::Yaml,
        keys: "file = \"b.yaml\"\neach = \"$.loads[*]\"",
        around: &["port: 1\nloads: [\n@\n  ]\nz: 1\n", "port: 1 # ~top~\nloads:\n@\nz: 1\n"],
        entry: &["    '$'"],
        words: ("", ""),
        glue: (",", ","),
        comment: ("# ", ""),
        ids: &[],
        needs_one: false,
    },
    Shape {
        kind: "yaml",
        notation: Notation::Yaml,
        keys: "file = \"b.yaml\"\neach = \"$.loads\"\nform = \"id-to-flag\"",
        around: &["port: 1\nloads: {}\nz: 1\n", "port: 1 # ~top~\nloads:\nz: 1\n"],
        entry: &["    '$'"],
        words: ("true", "false"),
        glue: ("", ""),
        comment: ("# ", ""),
        ids: &[],
        needs_one: false,
    },
    Shape {
        kind: "yaml",
        notation: Notation::Yaml,
        keys: "file = \"b.yaml\"\neach = \"$.hall.loads[*]\"\nid = \"$.called\"\non = \"$.running\"",
        around: &["hall:\n  loads:\n@\n  port: 1\nz: 1\n"],
        entry: &["    - called: '$'\n      running: ?", "    - {running: ?, called: \"$\"}"],
        words: ("yes", "no"),
        glue: ("", ""),
        comment: ("# ", ""),
        ids: &IDS,
        needs_one: true,
    },
    Shape {
        kind: "yaml",
        notation: Notation::Yaml,
        keys: "file = \"b.yaml\"\neach = \"$.loads\"\nform = \"id-to-flag\"",
        around: &["loads:\n@\nport: 1\n"],
        entry: &["  '$': ?"],
        words: ("true", "false"),
        glue: ("", ""),
        comment: ("# ", ""),
        ids: &IDS,
        needs_one: true,
    },
    Shape {
        kind: "xml",
        notation: Notation::Xml,
        keys: "file = \"w.xml\"\neach = \"$.hall.loads[*].load[*]\"\nid = \"$['@ref']\"\non = \"$['@on']\"",
        around: &[
            "<?xml version=\"1.0\"?>\n<!-- ~top~ -->\n<hall>\n  <?keep me?>\n  <loads>\n@\n  </loads>\n  <x><![CDATA[</loads><load ref='z'/>]]></x>\n</hall>\n",
        ],
        entry: &["    <load ref=\"$\" on=\"?\"/>", "    <load on='?' ref='$'></load>"],
        words: ("true", "false"),
        glue: ("", ""),
        comment: ("<!-- ", " -->"),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "xml",
        notation: Notation::Xml,
        keys: "file = \"w.xml\"\neach = \"$.hall.loads[*].load[*]\"\nid = \"$.id[0]\"",
        around: &["<hall xmlns:h=\"urn:x\" h:a='1'>\n\t<loads>\n@\n\t</loads>\n</hall>\n"],
        entry: &["\t\t<load>\n\t\t\t<id>$</id>\n\t\t</load>"],
        words: ("", ""),
        glue: ("", ""),
        comment: ("<!-- ", " -->"),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "xml",
        notation: Notation::Xml,
        keys: "file = \"w.xml\"\neach = \"$.hall.loads[*].load[*]\"",
        around: &["<hall><loads>\n@\n</loads></hall>\n"],
        entry: &["<load>$</load>"],
        words: ("", ""),
        glue: ("", ""),
        comment: ("<!-- ", " -->"),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "ini",
        notation: Notation::Ini,
        keys: "file = \"s.ini\"\neach = \"$.Loads.load[*]\"",
        around: &["; ~top~\n[Net] ; ~net~\nport = 1 ; ~p~\n[Loads]\n@\n[Z]\npath = C:\\x;y\n"],
        entry: &["load = $", "load=$"],
        words: ("", ""),
        glue: ("", ""),
        comment: ("; ", ""),
        ids: &IDS,
        needs_one: true,
    },
    Shape {
        kind: "ini",
        notation: Notation::Ini,
        keys: "file = \"s.ini\"\neach = \"$.Loads\"\nform = \"id-to-flag\"",
        around: &["[Net]\nport=1\n[Loads]\n@\n\n[Z]\nx=1\n", "[Loads]\n@\n"],
        entry: &["$ = ?", "$=?"],
        words: ("1", "0"),
        glue: ("", ""),
        comment: ("; ", ""),
        ids: &IDS,
        needs_one: false,
    },
    Shape {
        kind: "key-value",
        notation: Notation::KeyValue,
        keys: "file = \"w.cfg\"\neach = \"$\"\nform = \"id-to-flag\"\nentry = \"bring_{id}\"",
        around: &["// ~top~\nname = \"a; b\"; // ~n~\n@\nport: 4000 # ~was port = 3000~\n"],
        entry: &["bring_$ = ?;", "bring_$ = ?"],
        words: ("1", "0"),
        glue: ("", ""),
        comment: ("// ", ""),
        ids: &IDS,
        needs_one: true,
    },
    Shape {
        kind: "properties",
        notation: Notation::Properties,
        keys: "file = \"s.properties\"\neach = \"$\"\nform = \"id-to-flag\"\nentry = \"bring_{id}\"",
        around: &["# ~top~\nport=1\n@\nmotd=\\u00fcber \\\n  all\n"],
        entry: &["bring_$=?", "bring_$ = ?"],
        words: ("true", "false"),
        glue: ("", ""),
        comment: ("# ", ""),
        ids: &IDS,
        needs_one: true,
    },
];

/// A list in a document.
pub fn list(dice: &mut Dice) -> Case {
    let shape = dice.pick(SHAPES);
    // These notations know no comment behind a value.
    let behind = shape.notation != Notation::Properties;
    let (mut entries, wanted) = draw(dice, true, if shape.ids.is_empty() { &IDS } else { shape.ids });
    // Some files hold nothing yet.
    if shape.ids.is_empty() {
        entries.clear();
    }
    while shape.needs_one && entries.is_empty() {
        entries = draw(dice, true, shape.ids).0;
    }
    entries.iter_mut().for_each(|entry| entry.behind = entry.behind.take().filter(|_| behind));
    let is_listed = shape.keys.contains("id-to-flag") || shape.keys.contains("on = ");
    if !is_listed {
        entries.iter_mut().for_each(|entry| entry.on = true);
    }
    let template = *dice.pick(shape.entry);
    let around = *dice.pick(shape.around);
    let (open, close) = shape.comment;
    let margin: String = template.chars().take_while(|c| c.is_whitespace()).collect();
    let note = |text: &String| format!("{open}~{}~{close}", remark(text, shape.notation));
    let blank_lines = dice.once_in(4);
    let mut lines = Vec::new();
    for (at, entry) in entries.iter().enumerate() {
        if let Some(above) = &entry.above {
            lines.push(format!("{margin}{}", note(above)));
        }
        let word = if entry.on { shape.words.0 } else { shape.words.1 };
        let own = template.replace('?', word).replace('$', &entry.id);
        let glue = if at + 1 < entries.len() { shape.glue.0 } else { shape.glue.1 };
        let behind = entry.behind.as_ref().map_or_else(String::new, |text| format!(" {}", note(text)));
        // A comment stands behind the first line of what has several, where it is a table.
        match own.split_once('\n').filter(|_| shape.notation == Notation::Toml || shape.notation == Notation::Yaml) {
            Some((first, rest)) => lines.push(format!("{first}{behind}\n{rest}{glue}")),
            None => lines.push(format!("{own}{glue}{behind}")),
        }
        if blank_lines && at + 1 < entries.len() {
            lines.push(String::new());
        }
    }
    let text = around.replace('@', &lines.join("\n"));
    let notation = shape.notation;
    let (before, flags) = (text.clone(), shape.words);
    let keys = shape.keys;
    let job = Job::List { keys: keys.to_owned(), wanted: wanted.clone() };
    let judged = move |after: &str| judge_list(notation, (&before, after), flags, &entries, &wanted);
    Case { kind: shape.kind, text, job, judge: Box::new(judged), any_ends: true }
}

/// Whether a list names those that are wanted, and nothing else is changed.
fn judge_list(
    notation: Notation,
    (before, after): (&str, &str),
    flags: (&str, &str),
    entries: &[Drawn],
    wanted: &[String],
) -> Result<(), String> {
    let (old, new) = (judge(notation, before)?, judge(notation, after)?);
    // What names no mod is the same, and what names one names those that are wanted.
    let (mut was, mut is) = (Vec::new(), Vec::new());
    leaves("", &old, &mut was);
    leaves("", &new, &mut is);
    let ids: Vec<&str> = IDS.to_vec();
    let of_mod = |leaf: &String| {
        ids.iter().any(|id| {
            holds(leaf, id) && *id != "no"
                || leaf.ends_with(&format!("={id}"))
                || leaf.contains(&format!("_{id}="))
                || leaf.contains(&format!("/{id}="))
        })
    };
    let others =
        |leaves: &[String]| leaves.iter().filter(|leaf| !of_mod(leaf) && !is_flag(leaf)).cloned().collect::<Vec<_>>();
    let (others_was, others_is) = (sorted(others(&was)), sorted(others(&is)));
    let own = |text: &str| {
        text.contains("more")
            || text.contains("x=")
            || text.ends_with("/name=load")
            || text.ends_with("/name=id")
            || text.ends_with("/text=")
            || text.ends_with("loads=null")
    };
    let drop = |list: Vec<String>| list.into_iter().filter(|leaf| !own(leaf)).collect::<Vec<_>>();
    if drop(others_was.clone()) != drop(others_is.clone()) {
        return Err(format!("another value is changed: {others_was:?} {others_is:?}"));
    }
    for id in &ids {
        let named = is.iter().filter(|leaf| names(leaf, id)).collect::<Vec<_>>();
        let should = wanted.iter().any(|wanted| wanted == id);
        if should && named.len() != 1 {
            return Err(format!("{id} is named {} times", named.len()));
        }
        let off = |leaf: &&&String| leaf.ends_with(&format!("={}", flags.1)) && !flags.1.is_empty() && flags.1 != *id;
        if !should && named.iter().any(|leaf| !off(&leaf)) && !named.is_empty() {
            return Err(format!("{id} is still named: {named:?}"));
        }
        if should && named.iter().any(|leaf| off(&leaf)) {
            return Err(format!("{id} is off: {named:?}"));
        }
    }
    judge_remarks(notation, after, entries, wanted)?;
    for fixed in ["~top~", "~net~", "~x~", "~n~", "~p~", "~was port = 3000~", "<?keep me?>"] {
        if before.matches(fixed).count() != after.matches(fixed).count() {
            return Err(format!("{fixed} is lost"));
        }
    }
    Ok(())
}

/// Texts in other manners: their rules, the texts, the words for on and off.
type Layout = (&'static str, Notation, &'static str, &'static str, (&'static str, &'static str));

const LAYOUTS: &[Layout] = &[
    (
        "json",
        Notation::Json,
        "file = \"b.json\"\neach = \"$.loads[*]\"",
        "{\"loads\":[\"mere\",\"eel\",\"fogbell\"],\"x\":[]}",
        ("", ""),
    ),
    (
        "json",
        Notation::Json,
        "file = \"b.json\"\neach = \"$.loads[*]\"",
        "{ \"loads\": [ \"mere\" /* ~a~ */, \"eel\" /* ~b~ */ ] }\n",
        ("", ""),
    ),
    (
        "json",
        Notation::Json,
        "file = \"b.json\"\neach = \"$.loads[*]\"",
        "{\n  \"loads\": [ // ~a~\n    \"mere\", \"eel\", // ~b~\n    \"fogbell\"\n    // ~c~\n  ]\n}\n",
        ("", ""),
    ),
    (
        "json",
        Notation::Json,
        "file = \"b.json\"\neach = \"$.loads[*]\"",
        "{\n  \"loads\": [\n    \"mere\"\n    , \"eel\" // ~b~\n    , \"fogbell\"\n  ]\n}\n",
        ("", ""),
    ),
    (
        "json",
        Notation::Json,
        "file = \"b.json\"\neach = \"$[*]\"\nid = \"$.of.id\"\nversion = \"$.v\"",
        "[\n  {\"of\": {\"id\": \"mere\"}, \"v\": \"1.0\"}, // ~a~\n  {\n    // ~b~\n    \"v\": \"2.0\",\n    \"of\": {\"id\": \"eel\"}\n  }\n]\n",
        ("", ""),
    ),
    (
        "json",
        Notation::Json,
        "file = \"b.json\"\neach = \"$\"\nform = \"id-to-version\"",
        "{\"mere\": \"1.0\", \"eel\": \"2.0\"}",
        ("", ""),
    ),
    (
        "toml",
        Notation::Toml,
        "file = \"b.toml\"\neach = \"$.hall.loads[*]\"",
        "hall.loads = [\"mere\", 'eel'] # ~a~\nhall.port = 1\n",
        ("", ""),
    ),
    (
        "toml",
        Notation::Toml,
        "file = \"b.toml\"\neach = \"$.loads[*]\"",
        "# ~t~\nloads = [ # ~a~\n    \"mere\", # ~b~\n    \"eel\"\n    # ~c~\n]\n",
        ("", ""),
    ),
    (
        "toml",
        Notation::Toml,
        "file = \"b.toml\"\neach = \"$.load[*]\"\nid = \"$.called\"\nversion = \"$.v\"",
        "[[load]]\ncalled = \"mere\" # ~a~\nv = \"1.0\"\n[net]\nx = 1 # ~n~\n[[load]]\n# ~b~\ncalled = \"eel\"\nv = \"2.0\"",
        ("", ""),
    ),
    (
        "toml",
        Notation::Toml,
        "file = \"b.toml\"\neach = \"$.load[*]\"\nid = \"$.called\"\non = \"$.on\"",
        "load = [ { called = \"mere\", on = false }, { called = \"eel\", on = true } ] # ~a~\n",
        ("true", "false"),
    ),
    (
        "toml",
        Notation::Toml,
        "file = \"b.toml\"\neach = \"$.loads\"\nform = \"id-to-flag\"",
        "loads = { mere = false, eel = true }\n[net]\nx = 1\n",
        ("true", "false"),
    ),
    (
        "toml",
        Notation::Toml,
        "file = \"b.toml\"\neach = \"$.loads\"\nform = \"id-to-version\"",
        "[loads] # ~a~\nmere = \"1.0\" # ~b~\n# ~c~\neel = '2.0'\n",
        ("", ""),
    ),
    ("yaml", Notation::Yaml, "file = \"b.yaml\"\neach = \"$.loads[*]\"", "loads: [ mere, eel ] # ~a~\n", ("", "")),
    (
        "yaml",
        Notation::Yaml,
        "file = \"b.yaml\"\neach = \"$.loads[*]\"",
        "loads: [ # ~a~\n  mere, # ~b~\n  eel,\n]\nz: 1\n",
        ("", ""),
    ),
    (
        "yaml",
        Notation::Yaml,
        "file = \"b.yaml\"\neach = \"$[*]\"\nid = \"$.called\"\nversion = \"$.v\"",
        "# ~t~\n- called: mere # ~a~\n  v: '1.0'\n\n-   called: eel\n    v: \"2.0\" # ~b~\n    more:\n    - x\n    - 'y # z'\n",
        ("", ""),
    ),
    (
        "yaml",
        Notation::Yaml,
        "file = \"b.yaml\"\neach = \"$.a.loads[*]\"\nid = \"$.called\"",
        "a:\n  loads:\n  - called: mere\n    text: |\n      one # two\n\n      three\n  # ~e~\n  - called: eel\n    text: >\n      more\n  x: 1 # ~x~\n",
        ("", ""),
    ),
    (
        "yaml",
        Notation::Yaml,
        "file = \"b.yaml\"\neach = \"$.loads\"\nform = \"id-to-version\"",
        "---\nloads:\n    mere: '1.0' # ~a~\n    # ~b~\n    eel: \"2.0\"\n...\n",
        ("", ""),
    ),
    (
        "yaml",
        Notation::Yaml,
        "file = \"b.yaml\"\neach = \"$.loads\"\nform = \"id-to-flag\"",
        "loads: {mere: true, eel: false} # ~a~\n",
        ("true", "false"),
    ),
    (
        "xml",
        Notation::Xml,
        "file = \"w.xml\"\neach = \"$.hall.load[*]\"\nid = \"$['@id']\"\nversion = \"$['@v']\"",
        "<hall><load id='mere' v='1.0'/><load\n   id=\"eel\"\n   v=\"2.0\"><!-- ~a~ --></load><!-- ~b~ --></hall>",
        ("", ""),
    ),
    (
        "xml",
        Notation::Xml,
        "file = \"w.xml\"\neach = \"$.hall.loads[*].load[*]\"\nid = \"$['#text']\"\non = \"$['@on']\"",
        "<!DOCTYPE hall>\n<hall>\n <loads>\n  <!-- ~a~ -->\n  <!-- ~b~ --> <load on=\"true\">mere</load>\n  <load on='false'>eel</load> <!-- ~c~\n       ~d~ -->\n </loads>\n</hall>\n",
        ("true", "false"),
    ),
    (
        "ini",
        Notation::Ini,
        "file = \"s.ini\"\neach = \"$.Loads\"\nform = \"id-to-version\"",
        "[Other]\nx = 1\n[Loads]   # ~a~\nmere = 1.0   ; ~b~\n\n; ~c~\neel = 2.0\n[Last]\n",
        ("", ""),
    ),
    (
        "ini",
        Notation::Ini,
        "file = \"s.ini\"\neach = \"$.load[*]\"",
        "load=mere\nload = eel # ~b~\nport=1\n[X]\ny=1\n",
        ("", ""),
    ),
    (
        "ini",
        Notation::Ini,
        "file = \"s.ini\"\neach = \"$.Loads\"\nform = \"id-to-fields\"\ntext = '^(?<version>[0-9.]+),(?<on>yes|no)$'",
        "[Loads]\nmere = 1.0,yes ; ~a~\neel=2.0,no\n",
        ("", ""),
    ),
    (
        "key-value",
        Notation::KeyValue,
        "file = \"w.cfg\"\neach = \"$\"\nform = \"id-to-flag\"\nentry = \"bring_{id}\"",
        "# ~t~\n  bring_mere=1;# ~a~\n  bring_eel   =   0 // ~b~\nport = 1;\n",
        ("1", "0"),
    ),
    (
        "key-value",
        Notation::KeyValue,
        "file = \"w.cfg\"\neach = \"$.load[*]\"",
        "load = \"mere\"; // ~a~\nload = \"eel\";\nport = 1;\n",
        ("", ""),
    ),
    (
        "properties",
        Notation::Properties,
        "file = \"s.properties\"\neach = \"$.load[*]\"",
        "load=mere\n! ~a~\nload : eel\nx=1",
        ("", ""),
    ),
];

/// A list in a text of another manner.
pub fn layout(dice: &mut Dice) -> Case {
    let (kind, notation, keys, text, flags) = *dice.pick(LAYOUTS);
    let mut pool: Vec<&str> = ["mere", "eel", "fogbell", "reed-lamps", "tideclock"].to_vec();
    dice.shuffle(&mut pool);
    let count = 1 + dice.below(4);
    let wanted: Vec<String> = pool[..count].iter().map(|id| (*id).to_owned()).collect();
    let list = wanted.clone();
    let judged = move |after: &str| {
        let is_fact = keys.contains("version") || text.contains("text: |");
        if is_fact {
            // Versions come and go with their entries: what else there is, is judged by the remarks and by who is named.
            let (mut found, read) = (Vec::new(), judge(notation, after)?);
            leaves("", &read, &mut found);
            for id in ["mere", "eel", "fogbell", "reed-lamps", "tideclock"] {
                let times = found.iter().filter(|leaf| names(leaf, id)).count();
                if times != usize::from(list.iter().any(|wanted| wanted == id)) {
                    return Err(format!("{id} is named {times} times"));
                }
            }
        } else {
            judge_list(notation, (text, after), flags, &[], &list)?;
        }
        let remarks = |text: &str| {
            let mut found: Vec<String> = text.split('~').skip(1).step_by(2).map(str::to_owned).collect();
            found.sort();
            found
        };
        if remarks(text) != remarks(after) {
            return Err(format!("remarks: {:?} {:?}", remarks(text), remarks(after)));
        }
        Ok(())
    };
    let job = Job::List { keys: keys.to_owned(), wanted };
    Case { kind, text: text.to_owned(), job, judge: Box::new(judged), any_ends: true }
}

/// Rules, texts in which `@` is the entries, and what stands between them.
type Joined = (&'static str, Notation, &'static str, &'static str, &'static str);

const JOINED: &[Joined] = &[
    (
        "json",
        Notation::Json,
        "file = \"b.json\"\neach = \"$.loads\"\nbetween = \";\"",
        "{\"loads\": \"@\", \"x\": 1} // ~a~\n",
        ";",
    ),
    (
        "toml",
        Notation::Toml,
        "file = \"b.toml\"\neach = \"$.loads\"\nbetween = \",\"",
        "loads = '@' # ~a~\nx = 1\n",
        ", ",
    ),
    (
        "yaml",
        Notation::Yaml,
        "file = \"b.yaml\"\neach = \"$.loads\"\nbetween = \",\"",
        "x: 1\nloads: \"@\" # ~a~\nz: 1\n",
        ",",
    ),
    (
        "xml",
        Notation::Xml,
        "file = \"w.xml\"\neach = \"$.hall.loads[0]\"\nbetween = \",\"",
        "<hall><!-- ~a~ --><loads>@</loads><x/></hall>\n",
        ", ",
    ),
    (
        "ini",
        Notation::Ini,
        "file = \"s.ini\"\neach = \"$.Loads.list\"\nbetween = \",\"",
        "[Loads]\nlist = @ ; ~a~\n[Z]\nx=1\n",
        ", ",
    ),
    (
        "ini",
        Notation::Ini,
        "file = \"s.ini\"\neach = \"$.Loads.list\"\nbetween = \";\"",
        "[Loads]\nlist=\"@\" # ~a~\nx=1\n",
        ";",
    ),
    (
        "key-value",
        Notation::KeyValue,
        "file = \"w.cfg\"\neach = \"$.loads\"\nbetween = \",\"",
        "loads = \"@\"; // ~a~\nx = 1;\n",
        ",",
    ),
    (
        "key-value",
        Notation::KeyValue,
        "file = \"w.cfg\"\neach = \"$.loads\"\nbetween = \" \"",
        "x = 1\nloads = @ # ~a~\n",
        " ",
    ),
    (
        "properties",
        Notation::Properties,
        "file = \"s.properties\"\neach = \"$.loads\"\nbetween = \",\"",
        "# ~a~\nloads=@\nmotd=\\u00fc\n",
        ",",
    ),
];

/// Several entries in one text.
pub fn joined(dice: &mut Dice) -> Case {
    let (kind, notation, keys, around, glue) = *dice.pick(JOINED);
    let (mut entries, wanted) = draw(dice, false, &IDS);
    if entries.is_empty() {
        entries = draw(dice, false, &IDS[..6]).0;
    }
    let own: Vec<&str> = entries.iter().map(|entry| entry.id.as_str()).collect();
    let text = around.replace('@', &own.join(glue));
    let before = text.clone();
    let mark = glue.trim().to_owned();
    let list = wanted.clone();
    let judged = move |after: &str| {
        let (old, new) = (judge(notation, &before)?, judge(notation, after)?);
        let (mut was, mut is) = (Vec::new(), Vec::new());
        leaves("", &old, &mut was);
        leaves("", &new, &mut is);
        let is_list = |leaf: &String| {
            let key = leaf.split('=').next().unwrap_or_default();
            notation == Notation::Xml && key.ends_with("text") && !leaf.ends_with("text=")
                || key.ends_with("loads")
                || key.ends_with("list")
        };
        let others = |leaves: &[String]| leaves.iter().filter(|leaf| !is_list(leaf)).cloned().collect::<Vec<_>>();
        let empties =
            |leaves: Vec<String>| leaves.into_iter().filter(|leaf| !leaf.ends_with("text=")).collect::<Vec<_>>();
        if empties(others(&was)) != empties(others(&is)) {
            return Err(format!("another value is changed: {was:?} {is:?}"));
        }
        let value = is
            .iter()
            .find(|leaf| is_list(leaf))
            .map(|leaf| leaf.split_once('=').unwrap_or_default().1.to_owned())
            .unwrap_or_default();
        let value = value.trim_start_matches("real ").to_owned();
        let found: Vec<&str> = if mark.is_empty() {
            value.split_whitespace().collect()
        } else {
            value.split(&mark).map(str::trim).collect()
        };
        let found: Vec<&str> = found.into_iter().filter(|piece| !piece.is_empty()).collect();
        if found != list {
            return Err(format!("{found:?} in place of {list:?}"));
        }
        if !after.contains("~a~") {
            return Err("a remark is lost".to_owned());
        }
        Ok(())
    };
    let job = Job::List { keys: keys.to_owned(), wanted };
    Case { kind, text, job, judge: Box::new(judged), any_ends: true }
}

/// A file with one mod on each line.
pub fn lines(dice: &mut Dice) -> Case {
    let (entries, wanted) = draw(dice, true, &IDS);
    let off = dice.once_in(2);
    let mut text = if dice.once_in(2) { "# ~top~\n".to_owned() } else { "\n".to_owned() };
    for entry in &entries {
        if let Some(above) = &entry.above {
            text.push_str(&format!("# ~{above}~\n"));
        }
        text.push_str(&format!("{}{}\n", if entry.on || !off { "" } else { "!" }, entry.id));
    }
    let before = text.clone();
    let list = wanted.clone();
    let judged = move |after: &str| {
        let own = |text: &str| {
            text.lines()
                .map(str::trim)
                .filter(|line| !line.is_empty() && !line.starts_with('#'))
                .map(str::to_owned)
                .collect::<Vec<_>>()
        };
        let found: Vec<String> = own(after).into_iter().filter(|line| !line.starts_with('!')).collect();
        if found != list {
            return Err(format!("{found:?} in place of {list:?}"));
        }
        let remarks =
            |text: &str| sorted(text.lines().filter(|line| line.starts_with('#')).map(str::to_owned).collect());
        if remarks(&before) != remarks(after) { Err("remarks are changed".to_owned()) } else { Ok(()) }
    };
    let keys = if off {
        "file = \"m.txt\"\nnotation = \"lines\"\noff = \"!{id}\""
    } else {
        "file = \"m.txt\"\nnotation = \"lines\""
    };
    Case {
        kind: "lines",
        text,
        job: Job::List { keys: keys.to_owned(), wanted },
        judge: Box::new(judged),
        any_ends: true,
    }
}
