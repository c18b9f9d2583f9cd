//! `kanon export`: one bad evening in one file, for whoever helps.

use std::path::Path;

use kanon_app::diagnosing::Asked;
use kanon_app::error::AppError;
use kanon_app::exporting::{Exported, export, with_sent_client};
use kanon_app::session::Session;
use kanon_core::base::path::printable;
use kanon_core::logs::masking::Hidden;
use serde::Serialize;

use super::diagnose::as_data;
use crate::Outcome;
use crate::arguments::{Export, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{FAINT, count, counted, listed, size, styled};
use crate::ui::Ui;
use crate::words::diagnosis as words;

/// What kanon export put into one file.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    file: String,
    #[serde(flatten)]
    exported: ExportReport<'a>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct ExportReport<'a> {
    game: &'a str,
    name: Option<&'a str>,
    made: &'a str,
    bytes: u64,
    parts: Vec<Part<'a>>,
    hidden: Hidden,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct Part<'a> {
    name: &'a str,
    bytes: u64,
}

pub fn run(arguments: &Export, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.rulebook.as_deref(), false)?;
    let asked = with_sent_client(arguments.given.asked(), &mut session)?;
    let exported = packed(&asked, &mut session, &arguments.output)?;
    let file = printable(&arguments.output.display().to_string());
    match env.format {
        Format::Json => {
            let parts = exported.parts.iter().map(|(name, bytes)| Part { name, bytes: *bytes }).collect();
            let told = ExportReport {
                game: &exported.about.game,
                name: exported.about.name.as_deref(),
                made: &exported.about.made,
                bytes: exported.bytes,
                parts,
                hidden: exported.hidden,
            };
            ui.json(&Report { format: "kanon-exported/1", file, exported: told })?;
        }
        Format::Text => ui.report(&text(&exported, &file)),
    }
    Ok(Outcome::InOrder)
}

/// Writes evidence, with what this program makes of it.
pub fn packed(asked: &Asked, session: &mut Session<'_>, to: &Path) -> Result<Exported, AppError> {
    export(asked, session, to, env!("CARGO_PKG_VERSION"), |diagnosis, evidence| {
        let looked_at: Vec<String> = evidence.looked_at.iter().map(words::looked_at).collect();
        serde_json::to_value(as_data(diagnosis, &looked_at, None)).unwrap_or_default()
    })
}

fn text(exported: &Exported, file: &str) -> String {
    let mut out = format!("the evidence is in {file} ({}):\n", size(exported.bytes));
    for (name, bytes) in &exported.parts {
        out.push_str(&format!("  {name:<20} {}\n", size(*bytes)));
    }
    let Hidden { addresses, secrets, mail, accounts, homes } = exported.hidden;
    let of = |number: usize, one: &str, many: &str| (number > 0).then(|| counted(number, one, many));
    let hidden: Vec<String> = [
        of(addresses, "address", "addresses"),
        of(secrets, "password or token", "passwords and tokens"),
        of(mail, "address of mail", "addresses of mail"),
        of(accounts, "account", "accounts"),
        (homes > 0).then(|| count(homes, "home")),
    ]
    .into_iter()
    .flatten()
    .collect();
    out.push_str(&match hidden.as_slice() {
        [] => "nothing had to be hidden; players' names are in it\n".to_owned(),
        some => format!("hidden: {}; players' names are in it\n", listed(some)),
    });
    out.push_str(&styled(FAINT, &format!("whoever helps types: kanon diagnose --evidence {file}\n")));
    out
}
