//! `kanon catalogue`: an index of a folder of downloads.

use kanon_app::cataloguing::{Made, NotOffered, make};
use kanon_app::session::Session;
use kanon_core::base::path::printable;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Catalogue as Arguments, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{CARE, GOOD, counted, folded, styled};
use crate::ui::Ui;

/// The report.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    format: &'static str,
    file: String,
    mods: usize,
    releases: usize,
    passed_over: Vec<(String, String)>,
}

pub fn run(arguments: &Arguments, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.rulebook.as_deref(), false)?;
    let Made { file, catalogue, passed_over } = make(&mut session, &arguments.folder, &arguments.output)?;
    let mut passed_over: Vec<(String, String)> =
        passed_over.into_iter().map(|(what, why)| (what, not_offered(&why))).collect();
    passed_over.sort();
    let report = Report {
        format: "kanon-catalogue-made/1",
        file: file.to_string(),
        mods: catalogue.mods.len(),
        releases: catalogue.mods.iter().map(|of| of.releases.len()).sum(),
        passed_over,
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report)),
    }
    Ok(Outcome::of(report.passed_over.is_empty()))
}

fn not_offered(why: &NotOffered) -> String {
    match why {
        NotOffered::NoMod(why) => why.to_string(),
        NotOffered::OtherBytes(file) => format!("{file} holds the same release with other bytes; keep one of them"),
        NotOffered::ForLoader(loader) => format!("it was made for the loader {loader}"),
        NotOffered::SeveralFiles => "it is more than one file; pack it, so that it can be downloaded as one".to_owned(),
        NotOffered::Path(why) => format!("it can't be named in a catalogue: {why}"),
        NotOffered::Io(why) => format!("it could not be read: {why}"),
    }
}

fn text(report: &Report) -> String {
    let mut out = format!(
        "{}: {}, {} of {}\n",
        styled(GOOD, "catalogue written"),
        report.file,
        counted(report.releases, "release", "releases"),
        counted(report.mods, "mod", "mods")
    );
    for (what, why) in &report.passed_over {
        out.push_str(&format!("  {} {}\n", styled(CARE, "passed over"), printable(what)));
        out.push_str(&folded(why, "      "));
    }
    out.push_str("host the folder on any web server or bucket; others name it: [source.NAME] at = \"https://.../\"\n");
    out
}
