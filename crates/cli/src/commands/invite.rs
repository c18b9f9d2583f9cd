//! `kanon invite`: one line that says where the release is, and who must have signed it.

use qrcode::QrCode;
use qrcode::render::unicode::Dense1x2;
use serde::Serialize;

use super::publish::warn_of_folder;
use crate::Outcome;
use crate::arguments::{Format, InviteArguments};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::styled;
use crate::ui::Ui;
use kanon_app::release_place::the_invite;
use kanon_app::session::Session;

/// Where a release is, and what it must be signed by.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    format: &'static str,
    invite: String,
    address: String,
    root: u64,
    fingerprint: String,
}

pub fn run(arguments: &InviteArguments, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::of_administrator(&env.machine, ui)?;
    let invite = the_invite(session.workspace()?, arguments.address.as_deref())?;
    match env.format {
        Format::Json => ui.json(&Report {
            format: "kanon-invite/1",
            invite: invite.to_string(),
            address: invite.address.clone(),
            root: invite.root,
            fingerprint: invite.fingerprint.to_string(),
        })?,
        Format::Text => {
            ui.report(&format!("{invite}\n"));
            warn_of_folder(&invite.to_string(), ui);
            if env.shows || arguments.qr {
                ui.report(&qr(&invite.to_string())?);
            }
        }
    }
    Ok(Outcome::InOrder)
}

/// The code as characters: black on white whatever the terminal's colours are, since cameras want it so.
fn qr(text: &str) -> Result<String, Failure> {
    let code =
        QrCode::new(text).map_err(|error| Failure::plain("the invite is too long for a QR code").because(error))?;
    let drawn = code.render::<Dense1x2>().dark_color(Dense1x2::Dark).light_color(Dense1x2::Light).build();
    let colours = anstyle::AnsiColor::Black.on(anstyle::AnsiColor::BrightWhite);
    Ok(drawn.lines().map(|line| styled(colours, line) + "\n").collect())
}
