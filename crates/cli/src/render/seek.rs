//! What was found by words.

use std::fmt::Write;

use kanon_app::searching::Search;

use super::{BOLD, FAINT, counted, folded, styled};

/// A search as text.
pub fn text(search: &Search) -> String {
    if search.found.is_empty() {
        return format!(
            "nothing answers to {}; sources are named in kanon.toml as [source.NAME]\n",
            search.words.join(" ")
        );
    }
    let mut out = String::new();
    for hit in &search.found {
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
    let _ = writeln!(out, "{} found; take one with: kanon take MOD", counted(search.found.len(), "mod", "mods"));
    out
}
