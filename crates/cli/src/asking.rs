//! Questions, asked in one way: on a terminal alone, and no is what counts when nothing is said.

use crate::env::Env;
use crate::failure::Failure;
use crate::screen;
use crate::ui::Ui;

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
    if !env.can_ask {
        let or_look = look.map_or_else(String::new, |look| format!(", or {look} to say that this was all you wanted"));
        ui.notice(&format!("nothing was done, since nobody could be asked; add --yes to do it{or_look}"));
        return Ok(false);
    }
    let asked = dialoguer::Confirm::new().with_prompt(screen::plain(text)).default(false).interact();
    asked.map_err(|error| Failure::plain("could not ask").because(error))
}
