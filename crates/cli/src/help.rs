//! The program's command as it is shown: commands by the way of the work, and examples behind each.

use std::fmt::Write;

use clap::{Command, CommandFactory};

use crate::arguments::{Arguments, EVERY};
use crate::render::{BOLD, FAINT};

/// The way of the work, and the commands of each part of it.
const PARTS: [(&str, &[&str]); 6] = [
    ("Start", &["demo", "init", "learn", "rulebook", "adopt"]),
    ("Look", &["status", "report", "watch", "survey", "check", "compare", "keys", "why", "history", "health"]),
    ("Agree", &["take", "drop", "renew", "seal", "catalogue"]),
    ("Mend", &["align", "undo", "line"]),
    ("Players", &["publish", "invite", "follow", "handout", "serve"]),
    ("Trouble", &["diagnose", "export", "rehearse", "isolate"]),
];
const OTHERS: (&str, &[&str]) = ("Kanon itself", &["words", "completions", "man", "help"]);

/// A command as it can be typed in the demo's workspace, and what it does.
type Example = (&'static str, &'static str);

/// Examples for each command.
pub const EXAMPLES: [(&str, &[Example]); 34] = [
    ("demo", &[("kanon demo --keep longnight", "tell the story, and leave its files to try things on")]),
    (
        "init",
        &[("kanon init --rulebook polarspur.rulebook.toml --server station --client mara", "one server, one client")],
    ),
    (
        "learn",
        &[
            ("kanon learn station --client mara -o draft.toml", "draft a rulebook from two folders"),
            ("kanon learn --rulebook polarspur.rulebook.toml --server-log station.log", "see what a log teaches"),
        ],
    ),
    ("rulebook check", &[("kanon rulebook check polarspur.rulebook.toml --against station", "try it on an install")]),
    ("rulebook example", &[("kanon rulebook example archives", "a beginning for a game with one archive a mod")]),
    (
        "survey",
        &[
            ("kanon survey station", "which mods are there, in which releases"),
            ("kanon survey mara --role client -o mara.json", "measure a folder, to send what was measured"),
        ],
    ),
    ("adopt", &[("kanon adopt station", "what is on the server is what we want")]),
    (
        "take",
        &[
            ("kanon take --search radio", "look through the sources"),
            ("kanon take drift-radio --preview", "what would come with it"),
        ],
    ),
    ("drop", &[("kanon drop drift-radio --preview", "what would go with it")]),
    ("renew", &[("kanon renew --preview", "which updates there are, and what holds the others back")]),
    ("why", &[("kanon why aurora-core", "who asked for it, who needs it")]),
    ("catalogue", &[("kanon catalogue downloads", "an index that others can take from")]),
    (
        "seal",
        &[
            ("kanon seal --changes", "what would change for whom"),
            ("kanon seal", "agree on it"),
            ("kanon seal --changes --against canon.json", "what the canon changes against another one"),
        ],
    ),
    (
        "check",
        &[("kanon check", "every install"), ("kanon check station mara --format json", "two of them, for a script")],
    ),
    ("compare", &[("kanon compare station mara oskar", "who has what, side by side")]),
    (
        "align",
        &[
            ("kanon align station --preview", "what would be done, to which line of which file"),
            ("kanon align station --yes", "do it without asking"),
        ],
    ),
    ("keys", &[("kanon keys", "of the server: which key signs what")]),
    ("line", &[("kanon line station", "the launch line to paste")]),
    ("publish", &[("kanon publish site", "sign the canon into a folder that a web server can serve")]),
    ("invite", &[("kanon invite --address https://mods.example/longnight", "the line to send to players")]),
    ("follow", &[("kanon follow --check", "in a game that follows a release: is all as it should be?")]),
    ("handout", &[("kanon handout -o handout.html", "the page for players")]),
    ("serve", &[("kanon serve site", "serve a release to the players, until Ctrl-C")]),
    ("undo", &[("kanon undo station", "take the last alignment back, to the byte")]),
    ("history", &[("kanon history", "what was done, and what was taken back")]),
    (
        "diagnose",
        &[
            ("kanon diagnose --client oskar --server station", "hold both sides against the canon"),
            ("kanon diagnose --server-log station.log --player oskar --reply", "a text to send to him"),
        ],
    ),
    ("rehearse", &[("kanon rehearse attic --yes", "prove on a server at home that the canon loads")]),
    ("isolate", &[("kanon isolate attic --yes", "find the mod that breaks the start")]),
    ("health", &[("kanon health station.log", "starts, memory, lag, and the mods that are named with it")]),
    (
        "report",
        &[
            ("kanon report -o longnight.html", "one page of everything, for a browser"),
            ("kanon report --format json", "the same as data"),
        ],
    ),
    (
        "watch",
        &[
            ("kanon watch --once", "what has changed since the last time: for a clock that starts programs"),
            ("kanon watch --once --mend wren", "and put back what is missing or damaged there, if the game is stopped"),
        ],
    ),
    (
        "export",
        &[(
            "kanon export --player Mara --client mara --server-log station.log -o mara.zip",
            "one evening for whoever helps",
        )],
    ),
    ("status", &[("kanon status", "what is stale, who is off, what to do next")]),
    (
        "completions",
        &[("kanon completions bash > ~/.local/share/bash-completion/completions/kanon", "for the next shell")],
    ),
];

/// The command with everything that its help shows.
pub fn command() -> Command {
    let bare = Arguments::command();
    let parts = parts(&bare);
    let mut command = bare.help_template(format!(
        "{{about-with-newline}}\n{{usage-heading}} {{usage}}\n{parts}\n{BOLD}{EVERY}:{BOLD:#}\n{{options}}"
    ));
    for (name, examples) in EXAMPLES {
        command = with_examples(command, &name.split(' ').collect::<Vec<_>>(), examples);
    }
    command
}

fn with_examples(command: Command, path: &[&str], examples: &[Example]) -> Command {
    match path.split_first() {
        Some((first, rest)) => command.mut_subcommand(first, |inner| with_examples(inner, rest, examples)),
        None => command.after_help(told(examples)),
    }
}

fn told(examples: &[Example]) -> String {
    let title = if examples.len() == 1 { "Example:" } else { "Examples:" };
    let mut out = format!("{BOLD}{title}{BOLD:#}");
    for (command, what) in examples {
        let _ = write!(out, "\n  {command}\n      {FAINT}{what}{FAINT:#}");
    }
    out
}

/// The commands by the way of the work, each with its first line.
fn parts(command: &Command) -> String {
    let about = |name: &str| {
        let found = command.find_subcommand(name).and_then(Command::get_about);
        found.map_or_else(|| "Tell of a command".to_owned(), ToString::to_string)
    };
    let mut out = String::new();
    for (part, commands) in PARTS.iter().chain([&OTHERS]) {
        let _ = write!(out, "\n{BOLD}{part}:{BOLD:#}");
        for name in *commands {
            let _ = write!(out, "\n  {name:<12} {}", wrapped(&about(name)));
        }
        out.push('\n');
    }
    out
}

/// Columns that a command's first line has.
const COLUMNS: usize = 82;

/// A text whose further lines begin below the first.
fn wrapped(text: &str) -> String {
    let (mut out, mut at) = (String::new(), 0);
    for word in text.split(' ') {
        let length = word.chars().count();
        if at > 0 && at + 1 + length > COLUMNS {
            out.push_str("\n               ");
            at = 0;
        } else if at > 0 {
            out.push(' ');
            at += 1;
        }
        out.push_str(word);
        at += length;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn every_command_has_its_part_and_its_example() {
        let all = command();
        let shown: BTreeSet<&str> =
            PARTS.iter().chain([&OTHERS]).flat_map(|(_, names)| names.iter().copied()).collect();
        let there = all.get_subcommands().filter(|inner| !inner.is_hide_set()).map(Command::get_name);
        let there: BTreeSet<&str> = there.chain(["help"]).collect();
        assert_eq!(shown, there);
        let with_example: BTreeSet<&str> =
            EXAMPLES.iter().map(|(name, _)| name.split(' ').next().unwrap_or_default()).collect();
        let without: Vec<&&str> = there.difference(&with_example).collect();
        assert_eq!(without, [&"help", &"man", &"words"]);
    }

    #[test]
    fn the_command_is_well_formed() {
        command().debug_assert();
    }
}
