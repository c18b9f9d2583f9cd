//! The handout as Markdown, for a forum or a repository.

use kanon_core::base::ids::FoldedId;
use std::fmt::Write;

use super::{Sheet, Starter};
use crate::render;
use crate::words::tongue::at;

/// The handout as Markdown.
pub fn markdown(sheet: &Sheet) -> String {
    let set = &sheet.facts.set;
    let release =
        sheet.facts.number.map(|number| sheet.tongue.with("page-release", [at("number", number.to_string())]));
    let number = release.map_or_else(String::new, |release| format!("{release}, "));
    let mut out = format!("# {}\n\n{}", plain(&set.name), plain(&sheet.lead()));
    let _ = write!(out, "\n\n{number}{}, {}\n", sheet.day, sheet.mods_told());
    ways(&mut out, sheet);
    if let Some(news) = &set.news {
        let since = sheet.tongue.with("page-new", [at("number", news.since.to_string())]);
        let _ = write!(out, "\n## {since}\n\n");
        let words = news.mods.iter().map(|one| sheet.news(one)).chain(news.beside.iter().map(ToString::to_string));
        let told: String = words.map(|words| format!("- {}\n", plain(&words))).collect();
        out.push_str(&if told.is_empty() { sheet.say("page-nothing-new") + "\n" } else { told });
    }
    table(&mut out, sheet);
    for line in &set.lines {
        let place = line.file.as_ref().map_or_else(String::new, |file| format!(" ({})", plain(file)));
        let _ = write!(out, "\n## {}{place}\n\n{}", sheet.say("page-line"), fenced(&line.text));
    }
    let _ = write!(out, "\n## {}\n\n", sheet.say("page-by-hand"));
    for (index, step) in sheet.steps().into_iter().enumerate() {
        let _ = writeln!(out, "{}. {}", index + 1, plain(&step.words));
        step.items.iter().for_each(|item| out.push_str(&format!("   - {}\n", plain(item))));
    }
    let _ = write!(out, "\n## {}\n\n{}\n\n", sheet.say("page-cant"), sheet.say("page-cant-send"));
    out.push_str(&fenced("kanon survey . --role client -o my-survey.json"));
    let folders = set.mods.iter().filter(|one| one.files.len() > 1);
    for one in folders {
        let _ = write!(out, "\n### {}\n\n", plain(&one.title));
        for file in &one.files {
            let sha256 = file.sha256.map_or_else(String::new, |sha256| format!(", SHA-256 `{sha256}`"));
            let bytes = sheet.tongue.with("page-bytes", [at("count", file.size.to_string())]);
            let _ = writeln!(out, "- {}, {bytes}{sha256}", plain(file.path.as_str()));
        }
    }
    let digest = format!("`{}`", sheet.facts.digest.short());
    let _ = write!(out, "\n{}\n", sheet.tongue.with("page-digest", [at("digest", digest)]));
    out
}

/// The ways to join, the easiest first.
fn ways(out: &mut String, sheet: &Sheet) {
    if sheet.facts.invite.is_some() || sheet.archive().is_some() {
        let _ = write!(out, "\n## {}\n", sheet.say("page-how"));
    }
    let is_page = sheet.facts.links.as_ref().is_some_and(|links| !links.is_empty());
    let starter =
        |one: &Starter| format!("{}: <{}>", sheet.tongue.with("page-for", [at("system", one.system)]), one.link);
    let starters: Vec<String> = sheet.starters().iter().filter(|_| is_page).map(starter).collect();
    if !starters.is_empty() {
        let _ = write!(out, "\n{} {}\n", sheet.say("page-program"), starters.join(", "));
    }
    if let Some(invite) = &sheet.facts.invite {
        let typed = fenced(&format!("kanon follow \"{invite}\""));
        let later = sheet.tongue.with("page-later", [at("follow", "`kanon follow`"), at("undo", "`kanon undo`")]);
        let _ = write!(out, "\n{} {}\n\n{typed}\n{later}\n", sheet.say("page-kanon"), sheet.say("page-type"));
    }
    if let Some(archive) = sheet.archive().filter(|_| is_page) {
        let close = format!("](<{archive}>)");
        let _ = write!(out, "\n{}\n", sheet.tongue.with("page-archive", [at("open", "["), at("close", close)]));
    }
    if let Some(address) = sheet.facts.links.as_ref().filter(|address| !address.is_empty()) {
        let _ = write!(out, "\n{}: <{address}>\n", sheet.say("page-each-lead").trim_end_matches(['.', '。']));
    }
}

fn table(out: &mut String, sheet: &Sheet) {
    let set = &sheet.facts.set;
    let columns =
        ["col-number", "col-mod", "col-version", "col-file", "col-where", "col-size"].map(|one| sheet.say(one));
    let [no, of_mod, version, file, place, size] = columns;
    let _ = write!(
        out,
        "\n## {}\n\n| {no} | {of_mod} | Id | {version} | {file} | {place} | {size} | SHA-256 |\n|--:|---|---|---|---|---|--:|---|\n",
        sheet.say("page-table")
    );
    for (number, one) in (1..).zip(&set.mods) {
        let optional = if one.optional { format!(" ({})", sheet.say("page-optional")) } else { String::new() };
        let sha256 = match one.files.as_slice() {
            [only] => only.sha256.map_or_else(String::new, |sha256| format!("`{sha256}`")),
            files => sheet.tongue.with("files", [at("count", files.len())]),
        };
        let _ = writeln!(
            out,
            "| {number} | {}{optional} | {} | {} | {} | {} | {} | {sha256} |",
            plain(&one.title),
            plain(one.id.as_str()),
            plain(one.version.as_deref().unwrap_or("-")),
            plain(&one.file),
            plain(&sheet.where_to(one)),
            render::size(one.bytes),
        );
    }
    if !set.server_only.is_empty() {
        let (mods, count) = (plain(&FoldedId::joined(&set.server_only, ", ")), set.server_only.len());
        let _ = write!(out, "\n{}\n", sheet.tongue.with("page-server-alone", [at("mods", mods), at("count", count)]));
    }
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
