//! Settings in documents: there, or still to be put there.

use kanon_core::text::Notation;

use crate::case::{Case, Job};
use crate::dice::Dice;
use crate::judges::{judge, leaves};

/// Texts with remarks between tildes, and places in them.
type Text = (&'static str, Notation, &'static str, &'static [&'static str]);

const TEXTS: &[Text] = &[
    (
        "json",
        Notation::Json,
        "{\n  // ~a~\n  \"port\": 1, /* ~b~ */\n  \"net\": {\n    \"host\": \"x\" // ~c~\n  },\n  \"list\": []\n}\n",
        &["$.port", "$.net.host", "$.net.new", "$.own.new", "$.new"],
    ),
    ("json", Notation::Json, "{\"net\":{},\"a\":[1]}", &["$.net.new", "$.new", "$.a[0]"]),
    (
        "toml",
        Notation::Toml,
        "# ~a~\nport = 1 # ~b~\nname = 'x'\nnet = {}\n\n# ~c~\n[hall]\nhost = \"x\" # ~d~\n\n[[load]]\nx = 1\n",
        &["$.port", "$.name", "$.hall.host", "$.hall.new", "$.net.new", "$.new", "$.own.new", "$.load[0].x"],
    ),
    ("toml", Notation::Toml, "# ~a~\n[hall] # ~b~\n# ~c~\n", &["$.hall.new", "$.new"]),
    (
        "yaml",
        Notation::Yaml,
        "# ~a~\nport: 1 # ~b~\nnet:\n  host: 'x'\n  motd: |\n    one # two\n    three\n\n# ~c~\nname: \"x\"\nlist:\n- a: 1\n  b: 2\n---\nport: 2\n",
        &["$.port", "$.net.host", "$.net.new", "$.new", "$.own.new", "$.list[0].new", "$.name"],
    ),
    ("yaml", Notation::Yaml, "a: >-\n  folded\n  text\n", &["$.new", "$.a"]),
    (
        "yaml",
        Notation::Yaml,
        "net: {host: x, port: 1} # ~a~\nempty:\nlast: plain text # ~b~\n",
        &["$.net.host", "$.net.new", "$.empty", "$.last", "$.new"],
    ),
    (
        "xml",
        Notation::Xml,
        "<?xml version=\"1.0\"?>\n<hall a='1'>\n  <!-- ~a~ -->\n  <port>1</port> <!-- ~b~ -->\n  <empty/>\n  <net><?keep this?><!-- ~c~ --></net>\n  <text><!-- ~d~ -->old</text>\n</hall>\n",
        &[
            "$.hall.port[0]",
            "$.hall['@a']",
            "$.hall['@new']",
            "$.hall.new[0]",
            "$.hall.empty[0]",
            "$.hall.net[0].new[0]",
            "$.hall.text[0]",
        ],
    ),
    (
        "ini",
        Notation::Ini,
        "; ~a~\ntop = 1\n[Net] ; ~b~\nport = 1 ; ~c~\nname = \"x y\" ; ~d~\nempty =\n[Z]\npath=C:\\x\n",
        &["$.top", "$.Net.port", "$.Net.name", "$.Net.new", "$.New.new", "$.Net.empty", "$.Z.path", "$.new"],
    ),
    (
        "key-value",
        Notation::KeyValue,
        "// ~a~\nname = \"x\"; // ~b~\nport: 1 # ~was port = 3~\nurl = http://x/y; // ~c~\nlast = 0 // ~d~\n",
        &["$.name", "$.port", "$.url", "$.last", "$.new"],
    ),
    (
        "properties",
        Notation::Properties,
        "# ~a~\nport=1\nmotd=\\u00fcber \\\n    all\nname : x\nempty=\n",
        &["$.port", "$.name", "$.new", "$.empty"],
    ),
];

const VALUES: [&str; 14] = [
    "4100",
    "true",
    "hall one",
    "1.10",
    "no",
    "a: b",
    "x # y",
    "it's",
    "ümlaut",
    "C:\\hall\\x",
    "a;b",
    "2026-11-28",
    "<&>",
    "// x",
];

/// A setting in a document: there, or still to be put there.
pub fn setting(dice: &mut Dice) -> Case {
    let (kind, notation, text, places) = *dice.pick(TEXTS);
    let at = *dice.pick(places);
    let value = *dice.pick(&VALUES);
    let (before, at_text) = (text.to_owned(), at.to_owned());
    let wanted = value.to_owned();
    let judged = move |after: &str| {
        let (old, new) = (judge(notation, &before)?, judge(notation, after)?);
        let (mut was, mut is) = (Vec::new(), Vec::new());
        leaves("", &old, &mut was);
        leaves("", &new, &mut is);
        let mut fresh: Vec<String> = Vec::new();
        let mut left = was.clone();
        for leaf in &is {
            match left.iter().position(|other| other == leaf) {
                Some(place) => drop(left.remove(place)),
                None => fresh.push(leaf.clone()),
            }
        }
        let said = |leaf: &String| leaf.split_once('=').map(|(_, value)| value.to_owned()).unwrap_or_default();
        // What an element is called, and that it has nothing in it, is no value.
        if notation == Notation::Xml {
            fresh.retain(|leaf| !(leaf.ends_with("/text=") || said(leaf) == "new" && leaf.contains("/name=")));
            left.retain(|leaf| !leaf.ends_with("/text="));
        }
        if left.len() > 1 || fresh.len() > 1 {
            return Err(format!("{at_text}: more than one value is changed: {left:?} {fresh:?}"));
        }
        if let Some(leaf) = fresh.first() {
            let found = said(leaf).trim_start_matches("real ").to_owned();
            let written = if notation == Notation::Properties {
                wanted.replace('\\', "\\\\").replace('ü', "\\u00fc")
            } else {
                wanted.clone()
            };
            if found != wanted && found != written {
                return Err(format!("{found} in place of {wanted}"));
            }
        }
        for mark in ["~a~", "~b~", "~c~", "~d~", "~was port = 3~", "<?keep this?>"] {
            if before.contains(mark) != after.contains(mark) {
                return Err(format!("{mark} is lost"));
            }
        }
        let order = |text: &str| {
            let mut marks: Vec<(usize, &str)> =
                ["~a~", "~b~", "~c~", "~d~"].iter().filter_map(|mark| Some((text.find(mark)?, *mark))).collect();
            marks.sort_unstable();
            marks.into_iter().map(|(_, mark)| mark).collect::<Vec<_>>()
        };
        if order(&before) != order(after) {
            return Err("remarks stand in another order".to_owned());
        }
        Ok(())
    };
    let job = Job::Set { notation, at: at.to_owned(), value: value.to_owned() };
    Case { kind, text: text.to_owned(), job, judge: Box::new(judged), any_ends: true }
}
