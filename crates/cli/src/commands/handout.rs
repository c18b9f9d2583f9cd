//! `kanon handout`: the page for players, and its other forms.

use std::path::Path;

use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::canon::release::for_players;
use kanon_core::handout::{self, Handout};
use kanon_io::release::Record;
use kanon_io::writing::write_whole;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, HandoutArguments, HandoutForm};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::handout::{Sheet, bom, csv, html, markdown};
use crate::ui::Ui;
use crate::words::tongue::Tongue;
use kanon_app::release_place::invite_of;
use kanon_app::session::{Session, digest_of};

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    #[serde(flatten)]
    set: &'a Handout,
    format: &'static str,
    /// The release that says the same, if one does.
    release: Option<u64>,
    invite: Option<&'a str>,
    digest: String,
    /// Where it was written.
    file: Option<String>,
}

pub fn run(arguments: &HandoutArguments, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let session = Session::of_administrator(&env.machine, ui)?;
    let canon = for_players(&session.canon()?);
    let form = form(arguments)?;
    let sheet = sheet(&session, &canon, arguments.address.as_deref(), &env.tongue)?;
    let text = match form {
        HandoutForm::Html => html(&sheet)?,
        HandoutForm::Markdown => markdown(&sheet),
        HandoutForm::Csv => csv(&sheet)?,
        HandoutForm::Cyclonedx => bom(&sheet)?,
    };
    let to_output = arguments.output == Path::new("-");
    if to_output {
        ui.report(&text);
        return Ok(Outcome::InOrder);
    }
    write_whole(&env.machine.folder.join(&arguments.output), &text)?;
    let file = printable(&arguments.output.display().to_string());
    match env.format {
        Format::Json => ui.json(&Report {
            set: &sheet.set,
            format: handout::FORMAT,
            release: sheet.number,
            invite: sheet.invite.as_deref(),
            digest: sheet.digest.short(),
            file: Some(file),
        })?,
        Format::Text => {
            ui.report(&format!("the handout is in {file}\n"));
            if sheet.invite.is_none() {
                ui.notice("note: it has no invite, since nothing was published yet or nothing says where players find it: kanon publish");
            }
        }
    }
    Ok(Outcome::InOrder)
}

fn form(arguments: &HandoutArguments) -> Result<HandoutForm, Failure> {
    if let Some(form) = arguments.form {
        return Ok(form);
    }
    let extension = arguments.output.extension().map(|extension| extension.to_string_lossy().to_lowercase());
    Ok(match extension.as_deref() {
        Some("html" | "htm") => HandoutForm::Html,
        Some("md") => HandoutForm::Markdown,
        Some("csv") => HandoutForm::Csv,
        Some("json") => HandoutForm::Cyclonedx,
        None if arguments.output == Path::new("-") => HandoutForm::Html,
        _ => {
            let file = printable(&arguments.output.display().to_string());
            return Err(Failure::plain(format!("nothing says which form {file} is to have"))
                .hint("call it .html, .md, .csv or .json, or add --form html|markdown|csv|cyclonedx"));
        }
    })
}

/// What the handout says of the canon as it stands now.
fn sheet(session: &Session<'_>, canon: &Canon, address: Option<&str>, tongue: &Tongue) -> Result<Sheet, Failure> {
    let workspace = session.workspace()?;
    let digest = digest_of(canon)?;
    let record = Record::read(&workspace.release_folder())?;
    let said = record.last().filter(|last| last.canon == digest).map(|last| last.release.number);
    let invite = invite_of(workspace, address)?;
    let ready = record.last().filter(|_| said.is_some()).map(|last| &last.release);
    let base = invite.as_ref().filter(|invite| said.is_some() && invite.address.starts_with("http"));
    Ok(Sheet {
        set: set(session, canon, &record)?,
        number: said,
        links: base.map(|invite| format!("{}/", invite.address.trim_end_matches('/'))),
        invite: invite.map(|invite| invite.to_string()),
        day: tongue.day(&session.machine.now()),
        tongue: tongue.clone(),
        digest,
        programs: ready.map(|release| release.programs.keys().copied().collect()).unwrap_or_default(),
        programs_at: workspace.config.release.programs_at.clone(),
        has_archive: ready.is_some_and(|release| release.archive.is_some()),
    })
}

/// What players need to know of a canon, and what of it is new: against the last release that said something else.
pub fn set(session: &Session<'_>, canon: &Canon, record: &Record) -> Result<Handout, Failure> {
    let folder = session.workspace()?.release_folder();
    let digest = digest_of(canon)?;
    let others = record.numbers_with_canon().into_iter().rev().filter(|(_, known)| *known != digest);
    let last = others.into_iter().find_map(|(number, _)| Some((number, Record::canon(&folder, number)?)));
    let last = last.as_ref().map(|(number, canon)| (*number, canon));
    Ok(handout::assemble(canon, &session.loaded.rulebook, session.extras(), last))
}
