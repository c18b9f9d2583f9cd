//! The core has no terminal, network, asynchronous or process code, not even by way of a dependency.

#![expect(clippy::disallowed_methods, reason = "the test looks at the core from outside")]
use std::process::Command;

/// Crates that would bring in what the core must not have.
const FORBIDDEN: [&str; 18] = [
    "clap",
    "anstyle",
    "anstream",
    "indicatif",
    "dialoguer",
    "crossterm",
    "termcolor",
    "console",
    "tokio",
    "async-std",
    "futures",
    "hyper",
    "reqwest",
    "rusqlite",
    "rayon",
    "mio",
    "socket2",
    "walkdir",
];

/// Crates that speak to a terminal.
const OF_TERMINALS: [&str; 8] =
    ["clap", "anstyle", "anstream", "indicatif", "dialoguer", "crossterm", "console", "annotate-snippets"];

/// The names of all crates that one of ours is built from.
fn built_from(name: &str) -> Vec<String> {
    let words = ["tree", "-p", name, "-e", "normal", "--prefix", "none", "--offline"];
    let output = Command::new(env!("CARGO")).args(words).output().expect("cargo tree runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let tree = String::from_utf8_lossy(&output.stdout).into_owned();
    let names: Vec<String> =
        tree.lines().filter_map(|line| line.split_whitespace().next()).map(str::to_owned).collect();
    assert!(names.iter().any(|name| name == "serde_json"), "the tree was read: {tree}");
    names
}

#[test]
fn no_forbidden_dependency() {
    let names = built_from("kanon-core");
    let is_forbidden =
        |name: &&String| FORBIDDEN.contains(&name.as_str()) || name.starts_with("kanon-") && *name != "kanon-core";
    let found: Vec<&String> = names.iter().filter(is_forbidden).collect();
    assert!(found.is_empty(), "{found:?}");
}

#[test]
fn the_use_cases_have_no_terminal() {
    let names = built_from("kanon-app");
    let found: Vec<&String> = names.iter().filter(|name| OF_TERMINALS.contains(&name.as_str())).collect();
    assert!(found.is_empty(), "{found:?}");
}
