//! What a player sees who starts a program that carries an invite: a short dialogue, in lines of text and answers by keys alone.

use std::cell::Cell;
use std::path::{Path, PathBuf};

use kanon_app::followed_games;
use kanon_app::following::rulebook_of;
use kanon_app::game_folders::candidates;
use kanon_core::base::path::printable;
use kanon_core::canon::release::Invite;
use kanon_io::carried::invite_of;

use super::{follow, followed, undo};
use crate::Outcome;
use crate::arguments::{Follow, Undo};
use crate::asking::line;
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::words::tongue::at;

/// What the file for whoever helps is called.
const REPORT: &str = "for-whoever-helps.zip";

/// The invite that this program carries, if it does.
pub fn own_invite() -> Option<Invite> {
    invite_of(&std::env::current_exe().ok()?)
}

/// Runs the dialogue, and says what it came to; whoever started it reads until they press Enter.
pub fn run(invite: &Invite, env: &Env, ui: &Ui) -> Outcome {
    let env = &Env { in_dialogue: true, ..env.clone() };
    let dialogue = Dialogue { invite, env, ui, may_have_changed: Cell::new(false) };
    dialogue.tell("join-hello");
    dialogue.tell("join-safe");
    let outcome = dialogue.begin().unwrap_or_else(|failure| {
        ui.failure(&failure);
        if !dialogue.may_have_changed.get() {
            dialogue.tell("join-nothing-changed");
        }
        dialogue.tell("join-not-ready");
        Outcome::Findings
    });
    ui.report(&format!("\n{}\n", env.tongue.say("join-close")));
    drop(line(""));
    outcome
}

struct Dialogue<'d> {
    invite: &'d Invite,
    env: &'d Env,
    ui: &'d Ui,
    /// Whether it can't be said that nothing was changed.
    may_have_changed: Cell<bool>,
}

/// What a player wants of a game that is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Wish {
    Ready,
    Undo,
    PutBack,
    Report,
    Other,
    Leave,
}

impl Wish {
    const ALL: [(Self, &'static str); 6] = [
        (Self::Ready, "join-menu-ready"),
        (Self::Undo, "join-menu-undo"),
        (Self::PutBack, "join-menu-put-back"),
        (Self::Report, "join-menu-report"),
        (Self::Other, "join-menu-other"),
        (Self::Leave, "join-menu-leave"),
    ];
}

impl Dialogue<'_> {
    fn begin(&self) -> Result<Outcome, Failure> {
        if let Some(known) = followed_games::following(&self.env.machine, self.invite) {
            match self.wish(&known)? {
                Some(Wish::Ready) => return self.get_ready(&known),
                Some(Wish::Undo) => return self.undo(&known),
                Some(Wish::PutBack) => return self.put_back(&known),
                Some(Wish::Report) => {
                    let file = self.env.machine.folder.join(REPORT);
                    return followed::report(&known, &file, (self.env, self.ui));
                }
                Some(Wish::Other) => {}
                Some(Wish::Leave) | None => return Ok(self.nothing()),
            }
        }
        match self.game()? {
            Some(folder) => self.get_ready(&folder),
            None => Ok(self.nothing()),
        }
    }

    fn tell(&self, message: &str) {
        self.ui.report(&format!("{}\n", self.env.tongue.say(message)));
    }

    fn nothing(&self) -> Outcome {
        self.tell("join-nothing-changed");
        Outcome::Findings
    }

    /// What is wanted of a game that is known; nothing where nobody answers any more.
    fn wish(&self, game: &Path) -> Result<Option<Wish>, Failure> {
        let told = self.env.tongue.with("join-menu", [at("game", shown(game))]);
        self.ui.report(&format!("\n{told}\n"));
        let choices: Vec<String> = Wish::ALL.iter().map(|(_, message)| self.env.tongue.say(message)).collect();
        self.list(&choices);
        loop {
            let Some(answer) = line("> ")? else { return Ok(None) };
            match numbered(if answer.is_empty() { "1" } else { &answer }, &Wish::ALL) {
                Some((wish, _)) => return Ok(Some(*wish)),
                None => self.no_number(&answer),
            }
        }
    }

    fn list(&self, choices: &[String]) {
        for (number, choice) in (1..).zip(choices) {
            self.ui.report(&format!("  {number}  {choice}\n"));
        }
    }

    fn no_number(&self, answer: &str) {
        let told = self.env.tongue.with("join-no-number", [at("number", printable(answer))]);
        self.ui.report(&format!("{told}\n"));
    }

    /// The game's folder: one that looks like it, or one that is typed.
    fn game(&self) -> Result<Option<PathBuf>, Failure> {
        let rulebook = rulebook_of(self.invite, &self.env.machine)?;
        let found = candidates(&self.env.machine, std::env::current_exe().ok().as_deref(), &rulebook);
        self.ui.report(&format!("\n{}\n", self.env.tongue.say("join-where")));
        let offered = |folder: &PathBuf| self.env.tongue.with("join-looks-like-it", [at("folder", shown(folder))]);
        self.list(&found.iter().map(offered).collect::<Vec<_>>());
        loop {
            let Some(answer) = line("> ")? else { return Ok(None) };
            // A folder that is dragged into a window comes in quotes.
            let answer = answer.trim_matches(['"', '\'']).trim();
            if answer.is_empty() {
                return Ok(None);
            }
            if let Some(folder) = numbered(answer, &found) {
                return Ok(Some(folder.clone()));
            }
            if answer.parse::<usize>().is_ok() {
                self.no_number(answer);
                continue;
            }
            let folder = self.env.machine.folder.join(answer);
            if folder.is_dir() {
                return Ok(Some(folder));
            }
            let told = self.env.tongue.with("join-no-folder", [at("folder", printable(answer))]);
            self.ui.report(&format!("{told}\n"));
        }
    }

    fn get_ready(&self, folder: &Path) -> Result<Outcome, Failure> {
        let before = followed_games::newest_backup(folder);
        let done = self.follow(folder);
        // Whatever is changed is copied before.
        self.may_have_changed.set(followed_games::newest_backup(folder) != before);
        let outcome = done?;
        if outcome == Outcome::Findings {
            self.tell("join-not-ready");
        }
        Ok(outcome)
    }

    fn follow(&self, folder: &Path) -> Result<Outcome, Failure> {
        let (invite, folder) = (Some(self.invite.to_string()), Some(folder.to_owned()));
        let arguments = Follow { invite, folder, ..Follow::default() };
        self.ui.report("\n");
        follow::run(&arguments, self.env, self.ui)
    }

    fn undo(&self, folder: &Path) -> Result<Outcome, Failure> {
        self.may_have_changed.set(true);
        undo::take_back(&Undo::default(), &self.env.working_in(folder), self.ui)?;
        self.tell("join-taken-back");
        Ok(Outcome::InOrder)
    }

    fn put_back(&self, folder: &Path) -> Result<Outcome, Failure> {
        let all = followed_games::taken_off(folder)?;
        self.may_have_changed.set(true);
        if all.is_empty() {
            self.tell("join-aside-none");
            return Ok(Outcome::Findings);
        }
        self.ui.report(&format!("\n{}\n", self.env.tongue.say("join-aside")));
        let shown: Vec<String> = all
            .iter()
            .map(|one| {
                let paths: Vec<String> = one.paths().take(3).map(|path| printable(path.as_str())).collect();
                format!("{}  ({})", printable(&one.what), paths.join(", "))
            })
            .collect();
        self.list(&shown);
        loop {
            let Some(answer) = line("> ")?.filter(|answer| !answer.is_empty()) else { return Ok(self.nothing()) };
            match numbered(&answer, &all) {
                Some(one) => return followed::restore(folder, one, (self.env, self.ui)),
                None => self.no_number(&answer),
            }
        }
    }
}

/// What has the number that somebody typed, counted from one.
fn numbered<'t, T>(answer: &str, all: &'t [T]) -> Option<&'t T> {
    all.get(answer.parse::<usize>().ok()?.checked_sub(1)?)
}

/// A folder as people write it: Windows calls a resolved one by a longer name.
fn shown(folder: &Path) -> String {
    let text = folder.display().to_string();
    let short = text.strip_prefix(r"\\?\").filter(|rest| rest.chars().nth(1) == Some(':'));
    printable(short.unwrap_or(&text))
}
