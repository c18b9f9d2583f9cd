//! The help of every command, as docs/commands.md shows it: the two can't drift apart.

use crate::stage::Stage;

const COMMANDS: [&str; 11] =
    ["init", "survey", "adopt", "seal", "check", "compare", "align", "undo", "history", "diagnose", "demo"];

#[test]
fn the_help_is_what_the_docs_show() {
    let stage = Stage::bare();
    let mut page = "# Commands\n\nThe help of every command, as `kanon COMMAND --help` prints it. Made and checked by a test; to make it\n\
        anew: `KANON_WRITE_DOCS=1 cargo test -p kanon --test all help`.\n"
        .to_owned();
    for command in [None].into_iter().chain(COMMANDS.map(Some)) {
        let words = command.into_iter().chain(["--help"]);
        let help = stage.kanon(words).ends_with(0).out;
        let title = command.map_or_else(|| "kanon".to_owned(), |command| format!("kanon {command}"));
        let help: String = help.lines().map(|line| line.trim_end().to_owned() + "\n").collect();
        page.push_str(&format!("\n## {title}\n\n```text\n{}\n```\n", help.trim_end()));
    }
    let path = format!("{}/../../docs/commands.md", env!("CARGO_MANIFEST_DIR"));
    if std::env::var_os("KANON_WRITE_DOCS").is_some() {
        std::fs::write(&path, &page).unwrap();
    }
    let shown = std::fs::read_to_string(&path).unwrap_or_default().replace("\r\n", "\n");
    assert!(shown == page, "docs/commands.md is not what the program says; make it anew as its first lines tell");
}
