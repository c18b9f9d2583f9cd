//! The page: one file that needs nothing else.

use askama::Template;
use kanon_core::base::ids::FoldedId;
use kanon_core::canon::SealedFile;
use kanon_core::canon::release::{System, blob_path};
use kanon_core::handout::{Handout, HandoutMod, Way};
use qrcode::QrCode;
use qrcode::render::svg;

use super::{HandStep, Sheet, Starter};
use crate::failure::Failure;
use crate::render;

#[derive(Template)]
#[template(path = "handout.html")]
struct Page<'a> {
    set: &'a Handout,
    number: Option<u64>,
    invite: Option<&'a str>,
    code: String,
    day: &'a str,
    digest: String,
    mods_told: String,
    steps: Vec<HandStep>,
    links: Option<&'a str>,
    starters: Vec<Starter>,
    runs_on_linux: bool,
    programs_at: Option<&'a str>,
    archive: Option<String>,
}

impl Page<'_> {
    fn kind(&self, one: &HandoutMod) -> &'static str {
        super::kind(one)
    }

    fn where_to(&self, one: &HandoutMod) -> String {
        super::where_to(one)
    }

    fn listed(&self, ids: &[FoldedId]) -> String {
        FoldedId::joined(ids, ", ")
    }

    fn size(&self, one: &HandoutMod) -> String {
        if one.files.is_empty() { "-".to_owned() } else { render::size(one.bytes) }
    }

    fn files_told(&self, one: &HandoutMod) -> String {
        match one.files.len() {
            1 => "digest".to_owned(),
            several => format!("{several} files"),
        }
    }

    fn link(&self, file: &SealedFile) -> Option<String> {
        self.links.map(|base| format!("{base}{}", blob_path(file.blake3)))
    }

    /// Of a mod that is one file.
    fn link_of(&self, one: &HandoutMod) -> Option<String> {
        if one.way == Way::Folder { None } else { self.link(one.files.first()?) }
    }
}

/// The page.
pub fn html(sheet: &Sheet) -> Result<String, Failure> {
    let page = Page {
        set: &sheet.set,
        number: sheet.number,
        invite: sheet.invite.as_deref(),
        code: sheet.invite.as_deref().map(code).transpose()?.unwrap_or_default(),
        day: &sheet.day,
        digest: sheet.digest.short(),
        mods_told: sheet.mods_told(),
        steps: sheet.steps(),
        links: sheet.links.as_deref(),
        starters: sheet.starters(),
        runs_on_linux: sheet.programs.contains(&System::Linux),
        programs_at: sheet.programs_at.as_deref(),
        archive: sheet.archive(),
    };
    page.render().map_err(|error| Failure::plain("could not write the page").because(error))
}

/// The invite as a drawing, black on white in any colour scheme: cameras want it so.
fn code(invite: &str) -> Result<String, Failure> {
    let code =
        QrCode::new(invite).map_err(|error| Failure::plain("the invite is too long for a QR code").because(error))?;
    let drawn = code.render::<svg::Color<'_>>().min_dimensions(168, 168).build();
    Ok(drawn.split_once("?>").map_or(drawn.as_str(), |(_, drawing)| drawing).to_owned())
}
