//! `kanon handout`: the page for players, and its other forms.

use std::path::Path;

use kanon_core::base::path::printable;
use kanon_core::canon::release::for_players;
use kanon_core::handout::{self, Handout};
use kanon_io::writing::write_whole;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, HandoutArguments, HandoutForm};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::handout::{Sheet, bom, csv, html, markdown};
use crate::ui::Ui;
use kanon_app::handouts::facts;
use kanon_app::session::Session;

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
    let sheet = Sheet {
        facts: facts(&session, &canon, arguments.address.as_deref())?,
        day: env.tongue.day(&env.machine.now()),
        tongue: env.tongue.clone(),
    };
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
            set: &sheet.facts.set,
            format: handout::FORMAT,
            release: sheet.facts.number,
            invite: sheet.facts.invite.as_deref(),
            digest: sheet.facts.digest.short(),
            file: Some(file),
        })?,
        Format::Text => {
            ui.report(&format!("the handout is in {file}\n"));
            if sheet.facts.invite.is_none() {
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
