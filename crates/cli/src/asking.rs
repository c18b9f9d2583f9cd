//! Questions, asked in one way: on a terminal alone, and no is what counts when nothing is said.

use crate::env::Env;
use crate::failure::Failure;
use crate::screen;
use crate::ui::Ui;

/// Whether somebody agreed: by an option, or when asked.
pub fn agreed(yes: bool, env: &Env, ui: &Ui, question: &str) -> Result<bool, Failure> {
    if yes {
        return Ok(true);
    }
    if !env.can_ask {
        ui.notice("nothing was done, since nobody could be asked; add --yes to do it, or --preview to say that this was all you wanted");
        return Ok(false);
    }
    let asked = dialoguer::Confirm::new().with_prompt(screen::plain(question)).default(false).interact();
    asked.map_err(|error| Failure::plain("could not ask").because(error))
}
