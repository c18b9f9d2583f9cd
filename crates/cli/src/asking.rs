//! Questions, asked in one way: on a terminal alone, and no is what counts when nothing is said.

use std::io::{IsTerminal, Write};
use std::path::Path;

use kanon_app::error::AppError;
use kanon_app::observer::Asker;
use kanon_core::rulebook::Role;
use kanon_io::install::{HostKey, Secret};

use crate::env::Env;
use crate::failure::Failure;
use crate::screen;
use crate::ui::Ui;
use crate::words::questions;

/// Whether somebody can be asked.
pub fn can_ask() -> bool {
    std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}

/// A question whether something is to be done.
#[derive(Debug, Clone, Copy)]
pub struct Question<'a> {
    text: &'a str,
    /// The option by which the command only looks, where it has one.
    look: Option<&'static str>,
}

impl<'a> Question<'a> {
    /// A question of a command that can also only look.
    pub const fn or_look(text: &'a str, look: &'static str) -> Self {
        Self { text, look: Some(look) }
    }
}

impl<'a> From<&'a str> for Question<'a> {
    fn from(text: &'a str) -> Self {
        Self { text, look: None }
    }
}

/// Whether somebody agreed: by an option, or when asked.
pub fn agreed<'a>(yes: bool, env: &Env, ui: &Ui, question: impl Into<Question<'a>>) -> Result<bool, Failure> {
    let Question { text, look } = question.into();
    if yes {
        return Ok(true);
    }
    if !env.machine.can_ask {
        let or_look = look.map_or_else(String::new, |look| format!(", or {look} to say that this was all you wanted"));
        ui.notice(&format!("nothing was done, since nobody could be asked; add --yes to do it{or_look}"));
        return Ok(false);
    }
    confirmed(text).map_err(Failure::from)
}

/// The same for what players are asked: in their language, and with a line for an answer, as screen readers read it.
pub fn player_agreed(
    yes: bool,
    env: &Env,
    ui: &Ui,
    question: &str,
    look: Option<&'static str>,
) -> Result<bool, Failure> {
    if yes || !env.machine.can_ask {
        return agreed(yes, env, ui, Question { text: question, look });
    }
    let (letter, no) = (env.tongue.say("key-yes"), env.tongue.say("key-no").to_uppercase());
    let answer = line(&format!("{} [{letter}/{no}] ", screen::plain(question)))?.unwrap_or_default().to_lowercase();
    // Who plays in another language than their system's says yes in English.
    Ok(answer.starts_with(letter.as_str()) || answer.starts_with('y'))
}

/// One line of what is typed behind a question, without blanks around it; nothing at the end of all input.
pub fn line(question: &str) -> Result<Option<String>, Failure> {
    let mut out = std::io::stderr();
    drop(write!(out, "{question}").and_then(|()| out.flush()));
    let mut text = String::new();
    let read = std::io::stdin()
        .read_line(&mut text)
        .map_err(|error| Failure::plain("nothing could be read from the keyboard").because(error))?;
    Ok((read > 0).then(|| text.trim().to_owned()))
}

/// Whether mods that others need may be taken off all the same; no where nobody can be asked.
pub fn may_take_off_needed(can_ask: bool) -> Result<bool, AppError> {
    if can_ask { confirmed(questions::TAKE_OFF_NEEDED) } else { Ok(false) }
}

/// What an install is that nothing says it of.
pub fn role_of(can_ask: bool, typed: &str) -> Result<Option<Role>, AppError> {
    if !can_ask {
        return Ok(None);
    }
    let chosen = dialoguer::Select::new()
        .with_prompt(screen::plain(&questions::role_of(typed)))
        .items(["a server", "a client"])
        .default(1)
        .interact();
    let chosen = chosen.map_err(|error| AppError::Asking(Box::new(error)))?;
    Ok(Some(if chosen == 0 { Role::Server } else { Role::Client }))
}

fn confirmed(question: &str) -> Result<bool, AppError> {
    let asked = dialoguer::Confirm::new().with_prompt(screen::plain(question)).default(false).interact();
    asked.map_err(|error| AppError::Asking(Box::new(error)))
}

/// Asks about hosts on the terminal.
pub struct TerminalAsker {
    /// Whether somebody can be asked.
    pub can_ask: bool,
}

impl TerminalAsker {
    fn secret(&self, question: &str) -> Option<Secret> {
        if !self.can_ask {
            return None;
        }
        dialoguer::Password::new().with_prompt(screen::plain(question)).interact().ok().map(Secret::new)
    }

    fn agrees(&self, question: &str) -> bool {
        self.can_ask && confirmed(question).unwrap_or(false)
    }
}

impl Asker for TerminalAsker {
    fn password(&self, account: &str) -> Option<Secret> {
        self.secret(&questions::password(account))
    }

    fn passphrase(&self, key: &Path) -> Option<Secret> {
        self.secret(&questions::passphrase(key))
    }

    fn may_keep_password(&self) -> bool {
        self.agrees(questions::KEEP_PASSWORD)
    }

    fn trusts(&self, key: &HostKey) -> bool {
        self.agrees(&questions::host_key(key))
    }
}
