//! The handout as Markdown, for a forum or a repository.

use kanon_core::base::ids::FoldedId;
use std::fmt::Write;

use super::Sheet;
use crate::render;

/// The handout as Markdown.
pub fn markdown(sheet: &Sheet) -> String {
    let set = &sheet.set;
    let mut out = format!("# {}\n\n{}", plain(&set.name), plain(&set.game));
    set.game_version.iter().for_each(|version| out.push_str(&format!(" {}", plain(version))));
    if let Some((name, version)) = &set.loader {
        let _ = write!(out, " with {} {}", plain(name), plain(version.as_deref().unwrap_or("")));
    }
    let number = sheet.number.map_or_else(String::new, |number| format!("release {number}, "));
    let _ = write!(out, "\n\n{number}{}, {}\n", sheet.day, sheet.mods_told());
    if sheet.invite.is_some() || sheet.archive().is_some() {
        out.push_str("\n## How to join\n");
    }
    let is_page = sheet.links.as_ref().is_some_and(|links| !links.is_empty());
    let starters: Vec<String> =
        sheet.starters().iter().filter(|_| is_page).map(|one| format!("for {}: <{}>", one.system, one.link)).collect();
    if !starters.is_empty() {
        let _ = write!(
            out,
            "\nFetch the program for your system and start it by a double click; start it again after an update: {}\n",
            starters.join(", ")
        );
    }
    if let Some(invite) = &sheet.invite {
        let _ = write!(
            out,
            "\nWith Kanon, in the game's folder; after an update just `kanon follow`:\n\n{}",
            fenced(&format!("kanon follow \"{invite}\""))
        );
    }
    if let Some(archive) = sheet.archive().filter(|_| is_page) {
        let _ = write!(out, "\nOr by hand: all mods are in <{archive}>, to be unpacked in the game's folder.\n");
    }
    if let Some(address) = sheet.links.as_ref().filter(|address| !address.is_empty()) {
        let _ = write!(out, "\nEach file can also be downloaded by hand from the page at <{address}>.\n");
    }
    if let Some(news) = &set.news {
        let _ = write!(out, "\n## New since release {}\n\n", news.since);
        let words = news.mods.iter().map(kanon_core::handout::ModNews::words).chain(news.beside.iter().cloned());
        let told: String = words.map(|words| format!("- {}\n", plain(&words))).collect();
        out.push_str(if told.is_empty() { "Nothing that concerns you.\n" } else { &told });
    }
    out.push_str("\n## Mods, in their order\n\n| No. | Mod | Id | Version | File or folder | Where it goes | Size | SHA-256 |\n|--:|---|---|---|---|---|--:|---|\n");
    for one in &set.mods {
        let optional = if one.optional { " (optional)" } else { "" };
        let sha256 = match one.files.as_slice() {
            [only] => only.sha256.map_or_else(String::new, |sha256| format!("`{sha256}`")),
            files => render::count(files.len(), "file"),
        };
        let _ = writeln!(
            out,
            "| {} | {}{optional} | {} | {} | {} | {} | {} | {sha256} |",
            one.position,
            plain(&one.title),
            plain(one.id.as_str()),
            plain(one.version.as_deref().unwrap_or("-")),
            plain(&one.file),
            plain(&super::where_to(one)),
            render::size(one.bytes),
        );
    }
    if !set.server_only.is_empty() {
        let _ = write!(out, "\nThe server alone has {}.\n", plain(&FoldedId::joined(&set.server_only, ", ")));
    }
    for line in &set.lines {
        let place = line.file.as_ref().map_or_else(String::new, |file| format!(" ({})", plain(file)));
        let _ = write!(out, "\n## Launch line{place}\n\n{}", fenced(&line.text));
    }
    out.push_str("\n## By hand\n\n");
    for (index, step) in sheet.steps().into_iter().enumerate() {
        let _ = writeln!(out, "{}. {}", index + 1, plain(&step.words));
        step.items.iter().for_each(|item| out.push_str(&format!("   - {}\n", plain(item))));
    }
    out.push_str("\n## You can't join?\n\nIn the game's folder; send the file to whoever runs the server:\n\n");
    out.push_str(&fenced("kanon survey . --role client -o my-survey.json"));
    let folders = set.mods.iter().filter(|one| one.files.len() > 1);
    for one in folders {
        let _ = write!(out, "\n### Files of {}\n\n", plain(&one.title));
        for file in &one.files {
            let sha256 = file.sha256.map_or_else(String::new, |sha256| format!(", SHA-256 `{sha256}`"));
            let _ = writeln!(out, "- {}, {} bytes{sha256}", plain(file.path.as_str()), file.size);
        }
    }
    let _ = write!(out, "\nThe set has the digest `{}`.\n", sheet.digest.short());
    out
}

/// A text of others as nothing but text: no table, link, picture or tag is made by it.
fn plain(text: &str) -> String {
    let mut out = String::new();
    for c in kanon_core::base::path::printable(text).chars() {
        if "\\`*_[]<>#|!&~".contains(c) {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

/// A block that no text of others can end.
fn fenced(text: &str) -> String {
    let longest = text.split(|c| c != '`').map(str::len).max().unwrap_or(0);
    let fence = "`".repeat(longest.max(2) + 1);
    format!("{fence}\n{text}\n{fence}\n")
}
