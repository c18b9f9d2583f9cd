//! What was found by words.

use kanon_core::base::ids::FoldedId;
use kanon_core::resolve::solve::Reason;
use std::fmt::Write;

use serde::Serialize;

use super::{BOLD, FAINT, counted, folded, styled};

/// The report of a search.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    /// `kanon-search/1`.
    pub format: &'static str,
    /// The words.
    pub words: Vec<String>,
    /// The mods that answer to them, best first.
    pub found: Vec<Hit>,
}

/// A mod that was found.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Hit {
    /// Its id.
    #[serde(rename = "mod")]
    pub mod_id: FoldedId,
    /// What people call it.
    pub title: Option<String>,
    /// What it is.
    pub about: Option<String>,
    /// The newest release that this game and loader can have.
    pub newest_that_fits: Option<String>,
    /// Why there is none.
    pub why_not: Option<Reason>,
    /// Where it is.
    pub places: Vec<String>,
    /// Whether it is wished for already.
    pub wished: bool,
}

impl Report {
    /// The search as text.
    pub fn text(&self) -> String {
        if self.found.is_empty() {
            return format!(
                "nothing answers to {}; sources are named in kanon.toml as [source.NAME]\n",
                self.words.join(" ")
            );
        }
        let mut out = String::new();
        for hit in &self.found {
            let version = hit.newest_that_fits.as_deref().unwrap_or("no release that fits");
            let title = hit.title.as_ref().map_or_else(String::new, |title| format!("  {title}"));
            let wished = if hit.wished { "  (in kanon.toml)" } else { "" };
            let id = styled(BOLD, &kanon_core::base::path::printable(hit.mod_id.as_str()));
            let rest = kanon_core::base::path::printable(&format!("{version}{title}{wished}"));
            let _ = writeln!(out, "{id} {rest}  {}", styled(FAINT, &format!("in {}", hit.places.join(", "))));
            let why_not = hit.why_not.as_ref().map(ToString::to_string);
            for text in [&hit.about, &why_not].into_iter().flatten() {
                out.push_str(&folded(text, "  "));
            }
        }
        let _ = writeln!(out, "{} found; take one with: kanon take MOD", counted(self.found.len(), "mod", "mods"));
        out
    }
}
