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

#[test]
fn no_forbidden_dependency() {
    let words = ["tree", "-p", "kanon-core", "-e", "normal", "--prefix", "none", "--offline"];
    let output = Command::new(env!("CARGO")).args(words).output().expect("cargo tree runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let tree = String::from_utf8_lossy(&output.stdout).into_owned();
    let names: Vec<&str> = tree.lines().filter_map(|line| line.split_whitespace().next()).collect();
    assert!(names.contains(&"serde_json"), "the tree was read: {tree}");
    let is_forbidden = |name: &&&str| FORBIDDEN.contains(*name) || name.starts_with("kanon-") && **name != "kanon-core";
    let found: Vec<&&str> = names.iter().filter(is_forbidden).collect();
    assert!(found.is_empty(), "{found:?}");
}
