//! What learning looks at: a listing of an install, and bounded looks into its files. Nothing is run and nothing is trusted.

use std::collections::{BTreeMap, HashSet};

use serde_json::Value;

use crate::base::limits;
use crate::base::path::InstallPath;
use crate::manifest::{Contents, is_archive};
use crate::rulebook::Role;
use crate::text::{self, Encoding, Notation};

/// A file of an install.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Seen {
    /// From the install's root.
    pub path: InstallPath,
    /// Its size in bytes.
    pub size: u64,
}

/// An install as learning sees it.
pub trait InstallView {
    /// Server or client.
    fn role(&self) -> Role;

    /// Its files, by path.
    fn files(&self) -> &[Seen];

    /// At most `limit` bytes from the start of a file; nothing when it can't be read.
    fn start(&self, path: &InstallPath, limit: u64) -> Option<Vec<u8>>;

    /// A file opened as an archive; nothing when it is none, or no harmless one.
    fn archive(&self, path: &InstallPath) -> Option<Box<dyn Contents + '_>>;
}

/// A whole small text document; nothing when it is larger than metadata and lists are.
pub fn small(sight: &dyn InstallView, path: &InstallPath) -> Option<Vec<u8>> {
    let bytes = sight.start(path, limits::LEARNED_TEXT_BYTES + 1)?;
    (bytes.len() as u64 <= limits::LEARNED_TEXT_BYTES).then_some(bytes)
}

/// A document whose notation was told from its name, or else from its text.
#[derive(Debug, Clone)]
pub struct Guessed {
    /// How it is written.
    pub notation: Notation,
    /// How its text is stored.
    pub encoding: Encoding,
    /// What it says.
    pub value: Value,
}

/// Reads bytes as a document if they are one.
pub fn guess(name: &str, bytes: &[u8]) -> Option<Guessed> {
    let encoding = encoding_of(bytes)?;
    let text = text::text(bytes, encoding).ok()?;
    let (notation, value) = read(name, &text, |notation| notation.read(bytes, encoding).ok())?;
    // A byte-order mark says it by itself; only files without one need to be told.
    let marked = bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff");
    let encoding = if marked { Encoding::Utf8 } else { encoding };
    (value.is_object() || value.is_array()).then_some(Guessed { notation, encoding, value })
}

/// A text as a document: by its notation, or else as one that has no sign of its own, if all of it is data.
fn read(name: &str, text: &str, read: impl Fn(Notation) -> Option<Value>) -> Option<(Notation, Value)> {
    let found = notation_of(name, text).and_then(|notation| Some((notation, read(notation)?)));
    let by_name = Notation::of_name(name);
    let is_untold = || matches!(by_name, None | Some(Notation::KeyValue)) && (!is_other_text(name) || is_script(name));
    found.or_else(|| {
        let order = match is_headers(text) {
            true => [Notation::Headers, Notation::Block, Notation::Yaml],
            false => [Notation::Yaml, Notation::Block, Notation::Headers],
        };
        let plain = order.into_iter().filter(|_| is_untold());
        let is_data = || text.contains(['{', '=']) && (text::is_all_data(text) || text::begins_with_data(text));
        let fits = |notation: &Notation| match notation {
            Notation::Block => is_data(),
            Notation::Yaml => is_yaml(text),
            _ => true,
        };
        plain.filter(fits).find_map(|n| Some((n, read(n)?)))
    })
}

impl Guessed {
    /// The rulebook's word for the notation, where the file's name does not tell it.
    pub fn untold_notation(&self, name: &str) -> Option<&'static str> {
        (Notation::of_name(name) != Some(self.notation)).then(|| self.notation.word())
    }
}

/// Whether a path is one of these folders and files, or lies in one.
pub fn is_inside(path: &str, folders: &HashSet<String>) -> bool {
    folders.contains(path) || path.rsplit_once('/').is_some_and(|(outer, _)| is_inside(outer, folders))
}

/// Whether a file begins as a zip does.
pub fn starts_as_zip(sight: &dyn InstallView, path: &InstallPath) -> bool {
    archive_start(sight, path).is_some_and(|start| start.starts_with(b"PK"))
}

/// Whether a file begins as an archive of a kind that is not looked into.
pub fn starts_as_other_archive(sight: &dyn InstallView, path: &InstallPath) -> bool {
    archive_start(sight, path).is_some_and(|start| !start.starts_with(b"PK"))
}

fn archive_start(sight: &dyn InstallView, path: &InstallPath) -> Option<Vec<u8>> {
    sight.start(path, 8).filter(|start| is_archive(start))
}

/// The encoding that bytes are text in; none when they are no text.
pub fn encoding_of(bytes: &[u8]) -> Option<Encoding> {
    if bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff") {
        return Some(Encoding::Utf16);
    }
    if std::str::from_utf8(bytes).is_ok() {
        return (!bytes.contains(&0)).then_some(Encoding::Utf8);
    }
    let zeros = bytes.iter().skip(1).step_by(2).take(400).filter(|byte| **byte == 0).count();
    if zeros * 10 > bytes.len().min(800) * 4 {
        return Some(Encoding::Utf16);
    }
    let controls = bytes.iter().filter(|byte| **byte < 0x09 || (0x0e..0x20).contains(*byte)).count();
    (controls == 0).then_some(Encoding::Windows1252)
}

/// The notation of a text: its name tells it for the strict ones, its first signs for the others.
fn notation_of(name: &str, text: &str) -> Option<Notation> {
    let first = text.trim_start().chars().next()?;
    let by_name = Notation::of_name(name);
    if let Some(strict @ (Notation::Json | Notation::Toml | Notation::Yaml | Notation::Xml)) = by_name {
        return Some(strict);
    }
    if by_name == Some(Notation::Properties) {
        return by_name;
    }
    if is_other_text(name) {
        return None;
    }
    let is_braced = || text.contains('{') && first != '{';
    if by_name.is_none() && (is_braced() || are_quoted(text)) && text::is_all_data(text) {
        return Some(Notation::Block);
    }
    if by_name.is_none() && text.contains('=') && Notation::Toml.tree(text).is_ok() {
        return Some(Notation::Toml);
    }
    match first {
        '{' => return Some(Notation::Json),
        '<' => return Some(Notation::Xml),
        _ => {}
    }
    let lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty() && !is_comment(line)).collect();
    let section = |line: &&&str| line.starts_with('[') && line.ends_with(']') && line.len() > 2;
    let pair = |line: &&&str| {
        let key = line.find(['=', ':']).map(|at| &line[..at]);
        key.is_some_and(|key| {
            !key.is_empty() && key.len() < 200 && !key.trim_matches(['"', '\'']).contains(['"', '\'', ';', '%'])
        })
    };
    let (sections, pairs) = (lines.iter().filter(section).count(), lines.iter().filter(pair).count());
    if lines.is_empty() || (sections + pairs) * 10 < lines.len() * 8 {
        return None;
    }
    Some(match sections {
        0 if by_name.is_none() && is_headers(text) => Notation::Headers,
        // What one mod says in plain pairs another says with lists below its keys.
        0 if by_name.is_none() && is_yaml(text) => Notation::Yaml,
        0 => Notation::KeyValue,
        _ => Notation::Ini,
    })
}

/// Whether each line is a word and a text in quotes, without a sign between them; lines in braces may be among those.
fn are_quoted(text: &str) -> bool {
    let lines = || text.lines().map(str::trim).filter(|line| !line.is_empty() && !is_comment(line));
    let is_quoted = |line: &&str| {
        let (key, value) = line.split_once([' ', '\t']).unwrap_or((line, ""));
        let value = value.trim();
        let is_word = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.');
        let in_quotes =
            ['"', '\''].iter().any(|quote| value.len() > 1 && value.starts_with(*quote) && value.ends_with(*quote));
        in_quotes && !key.is_empty() && key.trim_matches(['"', '\'']).chars().all(is_word)
    };
    lines().filter(is_quoted).count() >= 2 && lines().all(|line| is_quoted(&line) || line.ends_with('}'))
}

/// Whether each line is one of a key, an item or what belongs to one: much else could be read as YAML too.
fn is_yaml(text: &str) -> bool {
    let is_so = |line: &str| {
        let inner = line.trim();
        let plain = !inner.contains(['=', ';']) && !inner.ends_with(['{', '}']) && !inner.starts_with("--");
        plain && (inner.starts_with("- ") || inner.contains(": ") || inner.ends_with(':'))
    };
    let lines = || text.lines().filter(|line| !line.trim().is_empty() && !is_comment(line.trim()));
    lines().next().is_some()
        && lines().all(is_so)
        && Notation::Yaml.tree(text).is_ok_and(|tree| !tree.fields().is_empty())
}

/// Whether lines of `key: value` are headers: with capitals, as those of letters, and without another sign.
fn is_headers(text: &str) -> bool {
    let head = text.trim_start().split("\n\n").next().unwrap_or_default();
    let lines = || head.lines().filter(|line| !line.starts_with([' ', '\t', '#']));
    let is_header = |line: &str| {
        line.split_once(": ").is_some_and(|(key, _)| key.starts_with(char::is_uppercase) && !key.contains('='))
    };
    lines().next().is_some() && lines().all(is_header)
}

/// Texts of programs that may be data and no more.
fn is_script(name: &str) -> bool {
    matches!(extension(name).as_str(), "lua" | "js" | "py" | "cpp" | "hpp" | "h")
}

/// Text that is written in a language of its own, whatever its lines look like.
fn is_other_text(name: &str) -> bool {
    const OTHERS: [&str; 24] = [
        "html", "htm", "md", "rst", "css", "lua", "py", "js", "ts", "cs", "java", "c", "h", "cpp", "obj", "mtl", "svg",
        "po", "pot", "tr", "csv", "tsv", "sql", "glsl",
    ];
    OTHERS.contains(&extension(name).as_str())
}

fn is_comment(line: &str) -> bool {
    line.starts_with('#') || line.starts_with(';') || line.starts_with("//")
}

/// The folders of an install, with the names of what is directly in each.
#[derive(Debug, Default)]
pub struct Folders<'s> {
    /// Files of each folder; the install's root is the empty text.
    pub files: BTreeMap<&'s str, Vec<&'s Seen>>,
    /// Folders of each folder.
    pub folders: BTreeMap<&'s str, Vec<&'s str>>,
}

impl<'s> Folders<'s> {
    /// Sorts a listing by folder.
    pub fn of(files: &'s [Seen]) -> Self {
        let mut sorted = Self::default();
        for seen in files {
            let folder = parent(seen.path.as_str());
            sorted.files.entry(folder).or_default().push(seen);
            sorted.note_folder(folder);
        }
        sorted
    }

    fn note_folder(&mut self, folder: &'s str) {
        let mut inner = folder;
        while !inner.is_empty() {
            let outer = parent(inner);
            let known = self.folders.entry(outer).or_default();
            if known.contains(&inner) {
                return;
            }
            known.push(inner);
            inner = outer;
        }
    }
}

/// The folder of a path; the empty text for the root.
pub fn parent(path: &str) -> &str {
    path.rsplit_once('/').map_or("", |(parent, _)| parent)
}

/// The last part of a path.
pub fn name(path: &str) -> &str {
    path.rsplit('/').next().unwrap_or(path)
}

/// The part of a name before its extension.
pub fn stem(name: &str) -> &str {
    name.rsplit_once('.').filter(|(stem, _)| !stem.is_empty()).map_or(name, |(stem, _)| stem)
}

/// What stands behind a stem in a name that begins with one and a dot: `.card.json` of `reed.card.json`.
pub fn behind_stem(name: &str, is_stem: impl Fn(&str) -> bool) -> Option<&str> {
    name.rmatch_indices('.').map(|(at, _)| at).find(|at| is_stem(&name[..*at])).map(|at| &name[at..])
}

/// Endings of texts for programs: no signature is called so.
pub const TEXTS: [&str; 8] = ["json", "toml", "yaml", "yml", "xml", "ini", "txt", "cfg"];

/// The extension of a name in lower case, without its dot.
pub fn extension(name: &str) -> String {
    name.rsplit_once('.').filter(|(stem, _)| !stem.is_empty()).map_or_else(String::new, |(_, end)| end.to_lowercase())
}
