//! `kanon invite`: one line that says where the release is, and who must have signed it.

use kanon_core::canon::release::Invite;
use kanon_io::release::SigningKeys;
use kanon_io::workspace::Workspace;
use qrcode::QrCode;
use qrcode::render::unicode::Dense1x2;
use serde::Serialize;

use super::publish::{Place, address_of, warn_of_folder};
use crate::Outcome;
use crate::arguments::{Format, InviteArguments};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::styled;
use crate::ui::Ui;
use kanon_app::session::Session;

#[derive(Serialize)]
struct Report {
    format: &'static str,
    invite: String,
    address: String,
    root: u64,
    fingerprint: String,
}

pub fn run(arguments: &InviteArguments, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::of_administrator(&env.machine, ui)?;
    let workspace = session.workspace()?;
    let nothing =
        || Failure::plain("nothing was published from this workspace yet").hint("publish first: kanon publish DEST");
    SigningKeys::open(&workspace.release_folder())?.ok_or_else(nothing)?;
    let invite = invite_of(workspace, arguments.address.as_deref())?.ok_or_else(|| {
        Failure::plain("nothing says where players find the release")
            .hint("say it: kanon invite --address URL, or address = \"URL\" under [release] in kanon.toml")
    })?;
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

/// The invite of what a workspace has published; nothing where it has published nothing, or nothing says where players find it.
pub fn invite_of(workspace: &Workspace, address: Option<&str>) -> Result<Option<Invite>, Failure> {
    let Some(keys) = SigningKeys::open(&workspace.release_folder())? else { return Ok(None) };
    let place = workspace.config.release.to.as_deref().map(|to| Place::of(to, &workspace.root)).transpose()?;
    let address = address.map(str::to_owned).or_else(|| address_of(workspace, place.as_ref()));
    let Some(address) = address else { return Ok(None) };
    let mark = keys.mark()?;
    Ok(Some(Invite::new(&address, mark.version, mark.fingerprint)))
}

/// The code as characters: black on white whatever the terminal's colours are, since cameras want it so.
fn qr(text: &str) -> Result<String, Failure> {
    let code =
        QrCode::new(text).map_err(|error| Failure::plain("the invite is too long for a QR code").because(error))?;
    let drawn = code.render::<Dense1x2>().dark_color(Dense1x2::Dark).light_color(Dense1x2::Light).build();
    let colours = anstyle::AnsiColor::Black.on(anstyle::AnsiColor::BrightWhite);
    Ok(drawn.lines().map(|line| styled(colours, line) + "\n").collect())
}
