//! The help of every command, as docs/commands.md shows it: the two can't drift apart.

use crate::stage::Stage;

/// The commands that a help lists.
fn listed(help: &str) -> Vec<String> {
    let begins = |line: &&str| !matches!(*line, "Commands:" | "Start:");
    let lines = help.lines().skip_while(begins).take_while(|line| !line.starts_with("Options"));
    let names = lines.filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    names.filter_map(|line| line.split_whitespace().next()).map(str::to_owned).collect()
}

/// The help of a command and of all that it has below it.
fn helps(stage: &Stage, command: &[String], page: &mut String) {
    let words = command.iter().map(String::as_str).chain(["--help"]);
    let help = stage.kanon(words).ends_with(0).out;
    let title = std::iter::once("kanon").chain(command.iter().map(String::as_str)).collect::<Vec<_>>().join(" ");
    let text: String = help.lines().map(|line| line.trim_end().to_owned() + "\n").collect();
    page.push_str(&format!("\n## {title}\n\n```text\n{}\n```\n", text.trim_end()));
    for inner in listed(&help).into_iter().filter(|inner| inner != "help") {
        helps(stage, &[command, &[inner]].concat(), page);
    }
}

#[test]
fn the_help_is_what_the_docs_show() {
    let stage = Stage::bare();
    let mut page = "# Commands\n\nThe help of every command, as `kanon COMMAND --help` prints it. Made and checked by a test; to make it\n\
        anew: `KANON_WRITE_DOCS=1 cargo test -p kanon --test all help`.\n"
        .to_owned();
    helps(&stage, &[], &mut page);
    for command in ["learn", "rulebook check", "survey", "diagnose"] {
        assert!(page.contains(&format!("\n## kanon {command}\n")), "{command} is not listed");
    }
    let path = format!("{}/../../docs/commands.md", env!("CARGO_MANIFEST_DIR"));
    if std::env::var_os("KANON_WRITE_DOCS").is_some() {
        std::fs::write(&path, &page).unwrap();
    }
    let shown = std::fs::read_to_string(&path).unwrap_or_default().replace("\r\n", "\n");
    assert!(shown == page, "docs/commands.md is not what the program says; make it anew as its first lines tell");
}
