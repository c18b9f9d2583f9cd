//! Keys and what they sign, as text.

use std::fmt::Write;

use super::{BAD, BOLD, CARE, FAINT, GOOD, cell, count, fitting, folded, styled};
use kanon_app::keys::{Key, KeyReport};

/// The report of the keys of one install.
pub fn text(report: &KeyReport) -> String {
    let mut out = format!(
        "{} ({}): {}, {} with signed files\n\n",
        styled(BOLD, &kanon_core::base::path::printable(&report.install)),
        report.role,
        count(report.keys.len(), "key"),
        count(report.mods.len(), "mod")
    );
    let name = fitting(report.keys.iter().map(|key| key.name.as_str()), (4, 30));
    let state = 14;
    if !report.keys.is_empty() {
        let head = format!("  {}  {}  {}  signs here", cell("key", name), cell("digest", 8), cell("state", state));
        let _ = writeln!(out, "{}", styled(FAINT, &head));
    }
    for key in &report.keys {
        let digest: String = key.blake3.to_string().chars().take(8).collect();
        let signs = if key.signs.is_empty() { "-".to_owned() } else { key.signs.join(", ") };
        let _ = writeln!(
            out,
            "  {}  {digest}  {}  {}",
            cell(&key.name, name),
            state_words(key, state),
            kanon_core::base::path::printable(&signs)
        );
    }
    if !report.mods.is_empty() {
        out.push('\n');
        let id = fitting(report.mods.iter().map(|signed| signed.id.as_str()), (3, 30));
        let head = format!("  {}  {}  signatures", cell("mod", id), cell("payloads", 8));
        let _ = writeln!(out, "{}", styled(FAINT, &head));
        for signed in &report.mods {
            let said = match signed.state {
                "good" => styled(GOOD, "all fit"),
                "by-name" => "there, by name alone".to_owned(),
                "unsigned" => styled(BAD, &format!("{} of {}; the others have none", signed.good, signed.payloads)),
                _ => styled(BAD, &format!("{} of {} fit", signed.good, signed.payloads)),
            };
            let _ = writeln!(out, "  {}  {:>8}  {said}", cell(signed.id.as_str(), id), signed.payloads);
        }
    }
    if !report.findings.is_empty() {
        out.push('\n');
        super::check::findings(&mut out, &report.findings);
    } else if report.in_line {
        let by_name = report.mods.iter().any(|signed| signed.state == "by-name");
        let signed = match by_name {
            true => {
                "Every payload has a signature, as far as names tell: the scheme is closed, and nothing was verified"
            }
            false => "Every signature was verified and fits",
        };
        let keys = match report.held {
            true => "the keys are the canon's, and none is left over",
            false => "there is no canon here to tell which keys are missing or left over",
        };
        out.push_str(&folded(&format!("{signed}; {keys}."), ""));
    }
    out
}

fn state_words(key: &Key, width: usize) -> String {
    let (style, words) = match key.state {
        "accepted" => (GOOD, "accepted"),
        "own" => (FAINT, "the game's own"),
        "missing" => (BAD, "missing"),
        "changed" => (BAD, "another's key"),
        "left-over" => (CARE, "left over"),
        "no-key" => (BAD, "no key"),
        _ => (FAINT, "with its mods"),
    };
    styled(style, &cell(words, width))
}
