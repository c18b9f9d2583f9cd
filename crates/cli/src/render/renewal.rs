//! What an update would bring, mod by mod: have, fits, newest, and what holds it back.

use std::fmt::Write;

use super::{BAD, BOLD, CARE, FAINT, GOOD, cell, counted, fitting, folded, notes, styled};
use kanon_app::renewing::{Renewal, Row};
use kanon_core::base::path::printable;
use kanon_core::resolve::solve::Reason;

/// The renewal as text; `asked` when another game version was asked for.
pub fn text(report: &Renewal, asked: bool) -> String {
    let mut out = head(report, asked);
    let (mut blocked, ready): (Vec<&Row>, Vec<&Row>) = report.mods.iter().partition(|row| !row.ready);
    blocked.sort_by_key(|row| row.waits);
    for row in &blocked {
        let why = row.blocked_by.as_ref().unwrap_or(&Reason::CantBeHad);
        let have = row.have.as_deref().unwrap_or("-");
        let verb = if row.waits { "waits" } else { "blocks" };
        out.push_str(&folded(&format!("{verb}: {} {have}: {why}", row.mod_id), "  "));
    }
    let told: Vec<&Row> = ready.iter().copied().filter(|row| row.moves() || row.held_back.is_some()).collect();
    table(&mut out, &told);
    let same: Vec<&str> =
        ready.iter().filter(|row| !row.moves() && row.held_back.is_none()).map(|row| row.mod_id.as_str()).collect();
    if !same.is_empty() {
        let what = if report.fits { "the newest already" } else { "ready as they are" };
        out.push_str(&folded(&format!("{what}: {}", same.join(", ")), ""));
    }
    out
}

fn head(report: &Renewal, asked: bool) -> String {
    let moving = report.mods.iter().filter(|row| row.moves()).count();
    let game = report.game_version.as_deref().unwrap_or("unknown");
    let waiting = report.mods.iter().filter(|row| row.waits).count();
    let blocking = report.mods.iter().filter(|row| !row.ready).count() - waiting;
    let mods = |number: usize| counted(number, "mod", "mods");
    match (report.fits, asked) {
        (true, true) => format!(
            "{}: all {} fit it, {} with another release\n",
            styled(GOOD, &format!("ready for game {game}")),
            mods(report.mods.len()),
            moving
        ),
        (true, false) if moving == 0 => format!("{}: nothing newer fits\n", styled(GOOD, "up to date")),
        (true, false) => format!("{} of {} can be renewed\n", styled(BOLD, &mods(moving)), report.mods.len()),
        (false, true) if blocking > 0 => format!(
            "{}: {} of {} {} it{}\n",
            styled(BAD, &format!("not ready for game {game}")),
            blocking,
            mods(report.mods.len()),
            if blocking == 1 { "blocks" } else { "block" },
            if waiting > 0 { format!(", {waiting} more can't do without what blocks it") } else { String::new() }
        ),
        (false, _) => format!("{}: no set of releases fits as a whole\n", styled(BAD, "nothing fits")),
    }
}

fn table(out: &mut String, rows: &[&Row]) {
    if rows.is_empty() {
        return;
    }
    let text = |version: &Option<String>| version.clone().unwrap_or_else(|| "-".to_owned());
    let columns: [(&str, Vec<String>, (usize, usize)); 4] = [
        ("mod", rows.iter().map(|row| row.mod_id.to_string()).collect(), (3, 28)),
        ("have", rows.iter().map(|row| text(&row.have)).collect(), (4, 14)),
        ("fits", rows.iter().map(|row| text(&row.fits)).collect(), (4, 14)),
        ("newest", rows.iter().map(|row| text(&row.newest)).collect(), (6, 14)),
    ];
    let widths: Vec<usize> =
        columns.iter().map(|(_, cells, bounds)| fitting(cells.iter().map(String::as_str), *bounds)).collect();
    let heads: Vec<String> = columns.iter().zip(&widths).map(|((head, _, _), width)| cell(head, *width)).collect();
    let _ = writeln!(out, "  {}", styled(FAINT, heads.join("  ").trim_end()));
    for (index, row) in rows.iter().enumerate() {
        let mut cells: Vec<String> =
            columns.iter().zip(&widths).map(|((_, cells, _), width)| cell(&cells[index], *width)).collect();
        if row.moves() {
            cells[2] = styled(GOOD, &cells[2]);
        }
        let _ = writeln!(out, "  {}", cells.join("  ").trim_end());
        if let Some(why) = &row.held_back {
            let newest = row.newest.as_deref().unwrap_or("the newest");
            out.push_str(&folded(&format!("{newest} is held back: {why}"), "    "));
        }
        if row.moves() && row.key_changed == Some(true) {
            let _ = writeln!(
                out,
                "    {}",
                styled(CARE, &format!("it is signed with another key than {}", text(&row.have)))
            );
        }
        if row.moves() && row.shapes_world {
            let _ = writeln!(out, "    {}", styled(CARE, "it shapes the world"));
        }
        if row.moves() {
            out.push_str(&notes(row.notes.as_deref().map(printable_lines).as_deref(), "    "));
        }
    }
}

fn printable_lines(text: &str) -> String {
    text.lines().map(printable).collect::<Vec<_>>().join("\n")
}
