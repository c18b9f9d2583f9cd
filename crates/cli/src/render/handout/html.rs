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
use crate::render::{self, escaped};
use crate::words::tongue::{Place, at};

#[derive(Template)]
#[template(path = "handout.html")]
struct Page<'a> {
    sheet: &'a Sheet,
    set: &'a Handout,
    number: Option<u64>,
    invite: Option<&'a str>,
    code: String,
    day: &'a str,
    steps: Vec<HandStep>,
    links: Option<&'a str>,
    starters: Vec<Starter>,
    runs_on_linux: bool,
    programs_at: Option<&'a str>,
    archive: Option<String>,
}

impl Page<'_> {
    /// A message.
    fn t(&self, message: &str) -> String {
        self.sheet.say(message)
    }

    /// A message with one thing at a place of that name.
    fn with(&self, message: &str, place: &'static str, value: impl AsRef<str>) -> String {
        self.sheet.tongue.with(message, [at(place, value.as_ref())])
    }

    /// A message in which a part is a link, and the mark-up that opens it.
    fn linked(&self, message: &str, open: &str) -> String {
        self.marked(message, vec![at("open", open), at("close", "</a>")])
    }

    /// A message with mark-up of this page at its places.
    fn marked(&self, message: &str, places: Vec<Place<'_>>) -> String {
        self.sheet.tongue.with(message, places)
    }

    fn archive_told(&self, archive: &str) -> String {
        self.linked("page-archive", &format!("<a href=\"{}\" download=\"all.zip\">", escaped(archive)))
    }

    fn makers_told(&self, at: &str) -> String {
        self.linked("page-makers", &format!("<a href=\"{}\">", escaped(at)))
    }

    fn each_told(&self) -> String {
        let (open, steps) = ("<a href=\"#mods\">", "<a href=\"#hand\">");
        self.marked("page-each", vec![at("open", open), at("steps", steps), at("close", "</a>")])
    }

    fn later_told(&self) -> String {
        let (follow, undo) = ("<code>kanon follow</code>", "<code>kanon undo</code>");
        self.marked("page-later", vec![at("follow", follow), at("undo", undo)])
    }

    fn line_told(&self, file: Option<&str>) -> String {
        match file {
            Some(file) => self.marked("page-line-into", vec![at("file", format!("<code>{}</code>", escaped(file)))]),
            None => self.t("page-line-anywhere"),
        }
    }

    fn rulebook_told(&self) -> String {
        let option = "<code>--rulebook game.rulebook.toml</code>";
        match self.links {
            Some(base) => {
                let open = format!("<a href=\"{}game.rulebook.toml\" download>", escaped(base));
                self.marked("page-cant-run", vec![at("option", option), at("open", open), at("close", "</a>")])
            }
            None => self.marked("page-cant-sent", vec![at("option", option)]),
        }
    }

    fn foot_told(&self) -> String {
        let digest = format!("<code>{}</code>", self.sheet.facts.digest.short());
        let digest = self.marked("page-digest", vec![at("digest", digest)]);
        let foot = self.marked("page-foot", vec![at("command", "<code>kanon follow</code>")]);
        format!("{digest} {foot}")
    }

    /// How many of how many are found, for the page's script to fill in.
    fn found(&self) -> String {
        self.sheet.tongue.with("page-found", [at("seen", "SEEN"), at("all", "ALL")])
    }

    fn server_alone(&self) -> String {
        let ids = FoldedId::joined(&self.set.server_only, ", ");
        self.sheet.tongue.with("page-server-alone", [at("mods", ids), at("count", self.set.server_only.len())])
    }

    fn release(&self, number: &u64) -> String {
        self.sheet.tongue.with("page-release", [at("number", number.to_string())])
    }

    fn since(&self, number: &u64) -> String {
        self.sheet.tongue.with("page-new", [at("number", number.to_string())])
    }

    fn bytes(&self, number: &u64) -> String {
        self.sheet.tongue.with("page-bytes", [at("count", number.to_string())])
    }

    fn listed(&self, ids: &[FoldedId]) -> String {
        FoldedId::joined(ids, ", ")
    }

    fn size(&self, one: &HandoutMod) -> String {
        if one.files.is_empty() { "-".to_owned() } else { render::size(one.bytes) }
    }

    fn files_told(&self, one: &HandoutMod) -> String {
        match one.files.len() {
            1 => self.t("page-digest-one"),
            several => self.sheet.tongue.with("files", [at("count", several)]),
        }
    }

    fn link(&self, file: &SealedFile) -> Option<String> {
        self.links.map(|base| format!("{base}{}", blob_path(file.blake3)))
    }

    /// Of a mod that is one file.
    fn link_of(&self, one: &HandoutMod) -> Option<String> {
        if matches!(one.way, Way::Files | Way::Folder) { None } else { self.link(one.files.first()?) }
    }
}

/// The page.
pub fn html(sheet: &Sheet) -> Result<String, Failure> {
    let page = Page {
        sheet,
        set: &sheet.facts.set,
        number: sheet.facts.number,
        invite: sheet.facts.invite.as_deref(),
        code: sheet.facts.invite.as_deref().map(code).transpose()?.unwrap_or_default(),
        day: &sheet.day,
        steps: sheet.steps(),
        links: sheet.facts.links.as_deref(),
        starters: sheet.starters(),
        runs_on_linux: sheet.facts.programs.contains(&System::Linux),
        programs_at: sheet.facts.programs_at.as_deref(),
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
