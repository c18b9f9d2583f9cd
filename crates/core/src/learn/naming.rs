//! What mods may be called in lists, and how the entries of a list fit that.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use aho_corasick::{AhoCorasick, MatchKind};

use super::clue::Clue;
use super::lines::ListLines;
use super::sight::Seen;
use super::words::is_version as is_a_version;
use crate::base::digest::DigestKind;
use crate::base::path::InstallPath;
use crate::rulebook::{Role, Template};

/// A mod as lists may call it.
#[derive(Debug, Clone)]
pub struct Called {
    /// Its id.
    pub id: String,
    /// The name of its file or folder.
    pub name: String,
    /// Its version.
    pub version: Option<String>,
    /// Digests of its file by kind, where it is one small file.
    pub digests: Vec<(DigestKind, String)>,
}

/// A list that was found.
#[derive(Debug, Clone)]
pub struct FoundList {
    /// Whose install it was seen on.
    pub role: Role,
    /// Its file.
    pub file: InstallPath,
    /// The rulebook's lines for it.
    pub lines: ListLines,
    /// The ids of the mods that it names.
    pub named: Vec<String>,
    /// The kind of digest by which it asks for its mods.
    pub digest: Option<DigestKind>,
    /// Entries that name no mod.
    pub strangers: Vec<String>,
    /// An entry that says more of its mod than is read.
    pub untold: Option<String>,
    /// Whether entries are ids that no mod of this install has: the list is all there is of them.
    pub ids_alone: bool,
    /// How sure it is.
    pub confidence: f64,
    /// What speaks for it.
    pub clues: Vec<Clue>,
}

impl FoundList {
    /// A list of which it is not known yet on whose install it was seen.
    pub fn of(seen: &Seen, manifest: &Reading, names: &Names<'_>, lines: ListLines, clues: Vec<Clue>) -> Self {
        Self {
            role: Role::Server,
            file: seen.path.clone(),
            lines,
            named: manifest.ids(names),
            digest: None,
            strangers: manifest.strangers(),
            untold: manifest.untold.clone(),
            ids_alone: false,
            confidence: confidence(manifest, names),
            clues,
        }
    }
}

/// What mods may be called.
pub struct Names<'m> {
    /// The mods.
    pub mods: &'m [Called],
    ids: HashMap<String, usize>,
    names: HashMap<String, usize>,
    /// Finds their names in a text.
    pub finder: Option<AhoCorasick>,
    needles: Vec<(usize, Token)>,
}

/// Which of a mod's names a list uses.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Token {
    Id,
    Name,
}

impl Token {
    const fn place(self) -> &'static str {
        match self {
            Self::Id => "{id}",
            Self::Name => "{name}",
        }
    }
}

impl<'m> Names<'m> {
    /// The mods that a text names, each once.
    pub fn mods_in(&self, text: &str) -> BTreeSet<usize> {
        let hits = self.finder.iter().flat_map(|finder| finder.find_iter(text));
        hits.map(|hit| self.needles[hit.pattern().as_usize()].0).collect()
    }

    /// The mod of a hit.
    pub fn mod_of(&self, hit: &aho_corasick::Match) -> &Called {
        &self.mods[self.needles[hit.pattern().as_usize()].0]
    }

    /// Gathers them.
    pub fn new(mods: &'m [Called]) -> Self {
        let by = |text: fn(&Called) -> &String| -> HashMap<String, usize> {
            mods.iter().enumerate().rev().map(|(at, called)| (text(called).to_lowercase(), at)).collect()
        };
        let (ids, names) = (by(|called| &called.id), by(|called| &called.name));
        let own_names =
            names.iter().filter(|(name, _)| !ids.contains_key(*name)).map(|(name, at)| (name, *at, Token::Name));
        let mut all: Vec<(&String, usize, Token)> =
            ids.iter().map(|(id, at)| (id, *at, Token::Id)).chain(own_names).collect();
        all.retain(|(text, ..)| text.len() > 1);
        all.sort();
        let needles: Vec<(usize, Token)> = all.iter().map(|(_, at, token)| (*at, *token)).collect();
        let finder = AhoCorasick::builder()
            .ascii_case_insensitive(true)
            .match_kind(MatchKind::LeftmostLongest)
            .build(all.iter().map(|(text, ..)| text))
            .ok();
        Self { mods, ids, names, finder, needles }
    }

    /// Every way in which a text names a mod: as its id, as the name of its file or folder.
    pub fn entries(&self, text: &str) -> Vec<(usize, String)> {
        let folded = text.trim().to_lowercase();
        let id = self.ids.get(&folded).map(|at| (*at, Token::Id));
        let name = self.names.get(&folded).map(|at| (*at, Token::Name));
        let whole: Vec<(usize, String)> =
            id.into_iter().chain(name).map(|(at, token)| (at, token.place().to_owned())).collect();
        if whole.is_empty() { self.entry(text).into_iter().collect() } else { whole }
    }

    /// A text that holds one of a mod's names, with something before or after it.
    fn entry(&self, text: &str) -> Option<(usize, String)> {
        let whole = text.trim();
        let finder = self.finder.as_ref()?;
        let hit = finder.find_iter(whole).max_by_key(aho_corasick::Match::len)?;
        let (at, token) = self.needles[hit.pattern().as_usize()];
        let (before, after) = (&whole[..hit.start()], &whole[hit.end()..]);
        // A name inside a longer word is another word.
        let joined = before.ends_with(char::is_alphanumeric) || after.starts_with(char::is_alphanumeric);
        let version = self.mods[at].version.as_deref().filter(|v| after.ends_with(v) && after.len() <= v.len() + 3);
        let after = match version {
            Some(version) => format!("{}{{version}}", &after[..after.len() - version.len()]),
            None => after.to_owned(),
        };
        // A brace would be taken for a place of the template.
        if before.contains(['{', '}']) || after.replace("{version}", "").contains(['{', '}']) {
            return None;
        }
        let short = before.len() + after.replace("{version}", "").len() <= 48;
        if joined || !short || before.contains('|') || after.contains('|') {
            return if joined { None } else { Some((at, pieces(before, token, &after)?)) };
        }
        Some((at, format!("{before}{}{after}", token.place())))
    }
}

/// An entry of several pieces: `4D01|0A1B...|leaves/fen.leaf` has a digest in it, and what differs with each.
fn pieces(before: &str, token: Token, after: &str) -> Option<String> {
    let sign = ['|', ';', ','].into_iter().find(|sign| before.contains(*sign) || after.contains(*sign))?;
    let piece = |text: &str| {
        let hex = text.len() >= 32 && text.chars().all(|c| c.is_ascii_hexdigit());
        if hex { "{digest}".to_owned() } else { "{any}".to_owned() }
    };
    let (head, own_before) = before.rsplit_once(sign).map_or((None, before), |(head, own)| (Some(head), own));
    let (own_after, tail) = after.split_once(sign).map_or((after, None), |(own, tail)| (own, Some(tail)));
    let own = format!("{own_before}{}{own_after}", token.place());
    let each =
        |texts: Option<&str>| texts.into_iter().flat_map(|texts| texts.split(sign).map(piece)).collect::<Vec<_>>();
    let all: Vec<String> = each(head).into_iter().chain([own]).chain(each(tail)).collect();
    (own_before.len() + own_after.len() <= 24).then(|| all.join(&sign.to_string()))
}

/// How the entries of one holder fit the mods.
pub struct Reading {
    /// How entries are written.
    pub template: String,
    /// For each entry the mod that it names.
    pub named: Vec<Option<usize>>,
    /// The entries.
    pub texts: Vec<String>,
    /// How those that are switched off are written, where another word says so in one of the columns.
    pub off: Option<String>,
    /// An entry with a version that no mod says of itself: it is not read.
    pub untold: Option<String>,
}

/// Words for on and off, as tables have them.
const ON_AND_OFF: [(&str, &str); 6] =
    [("yes", "no"), ("on", "off"), ("true", "false"), ("enabled", "disabled"), ("active", "inactive"), ("1", "0")];

/// The words of a column for on and off, as they are written there: all its values are one of the two. Of numbers, both must be seen.
fn switch<'t>(values: &BTreeSet<&'t str>) -> Option<(&'t str, String)> {
    let (on, off) = ON_AND_OFF
        .iter()
        .find(|(on, off)| values.iter().all(|word| word.eq_ignore_ascii_case(on) || word.eq_ignore_ascii_case(off)))?;
    let seen = |word: &str| values.iter().find(|value| value.eq_ignore_ascii_case(word)).copied();
    let told = seen(off);
    let on = seen(on).filter(|on| on.chars().all(char::is_alphabetic) || told.is_some())?;
    let like_on = |off: &str| match on {
        _ if on.chars().all(char::is_uppercase) => off.to_uppercase(),
        _ if on.starts_with(char::is_uppercase) => format!("{}{}", off[..1].to_uppercase(), &off[1..]),
        _ => off.to_owned(),
    };
    (values.len() <= 2).then(|| (on, told.map_or_else(|| like_on(off), str::to_owned)))
}

impl Reading {
    /// Reads entries as the most of them can be read.
    pub fn of(texts: Vec<String>, names: &Names<'_>) -> Self {
        let hits: Vec<Vec<(usize, String)>> = texts.iter().map(|text| names.entries(text)).collect();
        let mut counts: BTreeMap<&String, usize> = BTreeMap::new();
        for (_, template) in hits.iter().flatten() {
            *counts.entry(template).or_default() += 1;
        }
        let template = counts
            .into_iter()
            .max_by_key(|(t, count)| (*count, usize::MAX - t.len(), t.contains("{id}")))
            .map(|(t, _)| t.clone());
        let template = template.unwrap_or_else(|| "{id}".to_owned());
        let named = hits.iter().map(|hits| hits.iter().find(|(_, own)| *own == template).map(|(at, _)| *at)).collect();
        let read = Self { template, named, texts, off: None, untold: None };
        let better = |columns: &Self| {
            let (more, known) = (columns.mods().len(), read.mods().len());
            let tells_more = columns.template.contains("{version}") && !read.template.contains("{version}");
            let tells_more = tells_more || columns.off.is_some();
            more > known.max(1) || (tells_more && more == known && more > 1)
        };
        match Self::in_columns(&read.texts, names).filter(better) {
            Some(columns) => columns,
            None => read,
        }
    }

    /// Reads entries as the lines of a table: `reeds;3;1`. What differs from line to line is no part of a name.
    fn in_columns(texts: &[String], names: &Names<'_>) -> Option<Self> {
        let parts = |sign: char| texts.iter().map(|text| text.split(sign).map(str::trim).collect()).collect();
        let tables = [';', '|', ',', '\t'].map(|sign| (sign, parts(sign)));
        let is_table = |(_, rows): &&(char, Vec<Vec<&str>>)| {
            let width = rows.first().map_or(0, Vec::len);
            (2..=12).contains(&width) && rows.iter().all(|row| row.len() == width)
        };
        let (sign, rows) = tables.iter().find(is_table)?;
        let width = rows.first()?.len();
        let of_column = |at: usize| -> Vec<_> { rows.iter().map(|row| names.entries(row[at])).collect() };
        let named = |(at, hits): &(usize, Vec<Vec<(usize, String)>>)| {
            (hits.iter().filter(|hits| !hits.is_empty()).count(), width - at)
        };
        let (own, hits) = (0..width).map(|at| (at, of_column(at))).max_by_key(named)?;
        let first = hits.iter().flatten().map(|(_, template)| template).next()?.clone();
        let named: Vec<Option<usize>> =
            hits.iter().map(|hits| hits.iter().find(|(_, own)| *own == first).map(|(at, _)| *at)).collect();
        let known = named.iter().flatten().count();
        // A head names no mod, and no column is called as it is.
        let of_mods = || rows.iter().zip(&named).filter(|(_, named)| named.is_some()).map(|(row, _)| row);
        let is_version = |at: usize| {
            let says = |(row, named): &(&Vec<&str>, &Option<usize>)| {
                named.and_then(|at| names.mods[at].version.as_deref()) == Some(row[at])
            };
            known > 0 && rows.iter().zip(&named).filter(says).count() * 10 >= known * 6
        };
        let like_versions = |at: usize| {
            let mut values = of_mods().map(|row| row[at]);
            known > 1 && values.all(|value| value.contains('.') && is_a_version(value))
        };
        let switched = (0..width)
            .filter(|at| *at != own)
            .find_map(|at| Some((at, switch(&of_mods().map(|row| row[at]).collect())?)));
        let place = |at: usize, word: Option<&str>| match (at, word) {
            _ if at == own => first.clone(),
            (_, Some(word)) => word.to_owned(),
            _ if is_version(at) => "{version}".to_owned(),
            _ => "{any}".to_owned(),
        };
        let written = |is_on: bool| {
            let word = |at: usize| {
                let (_, (on, off)) = switched.as_ref().filter(|(own, _)| *own == at)?;
                Some(if is_on { *on } else { off.as_str() })
            };
            (0..width).map(|at| place(at, word(at))).collect::<Vec<_>>().join(&sign.to_string())
        };
        // What is another for each mod would be written wrongly for a new one.
        let is_of_each = |at: usize| {
            let values: BTreeSet<&str> = of_mods().map(|row| row[at]).collect();
            known > 2 && values.len() == known
        };
        let untold = (0..width).any(|at| at != own && !is_version(at) && (like_versions(at) || is_of_each(at)));
        let untold = rows.iter().position(|row| names.entries(row[own]).iter().any(|(_, own)| *own == first) && untold);
        Some(Self {
            template: written(true),
            off: switched.is_some().then(|| written(false)),
            untold: untold.map(|at| texts[at].clone()),
            named,
            texts: texts.to_vec(),
        })
    }

    /// How an entry is written, where it is more than the id.
    pub fn entry(&self) -> Option<String> {
        (self.template != "{id}").then(|| self.template.clone())
    }

    /// The mods that they name.
    pub fn mods(&self) -> BTreeSet<usize> {
        self.named.iter().flatten().copied().collect()
    }

    /// How many of them name mods, from 0 to 1.
    pub fn share(&self) -> f64 {
        self.named.iter().flatten().count() as f64 / self.named.len().max(1) as f64
    }

    /// The ids of those mods.
    pub fn ids(&self, names: &Names<'_>) -> Vec<String> {
        self.mods().into_iter().map(|at| names.mods[at].id.clone()).collect()
    }

    /// What entries name that name no mod, without what all entries have around their names.
    pub fn strangers(&self) -> Vec<String> {
        let template = Template::new(&self.template).ok();
        let bare = |text: &str| -> String {
            let read = template.as_ref().and_then(|template| template.read(text.trim()));
            read.and_then(|read| read.id.or(read.name)).unwrap_or_else(|| text.trim().to_owned())
        };
        let strange = self.texts.iter().zip(&self.named).filter(|(_, named)| named.is_none());
        strange.map(|(text, _)| bare(text)).collect()
    }

    /// Whether the entries stand in another order than that of the alphabet.
    pub fn is_ordered(&self) -> bool {
        // A sign for on or off says nothing of the order.
        let bare = |text: &String| text.trim_start_matches(|c: char| !c.is_alphanumeric()).to_lowercase();
        let own: Vec<String> = self.texts.iter().map(bare).collect();
        let mut sorted = own.clone();
        sorted.sort();
        own != sorted
    }
}

/// What the list must name at least: most mods of the install, or all of its own entries.
pub fn is_list(reading: &Reading, names: &Names<'_>, ids_hint: bool) -> bool {
    let (mods, share) = (reading.mods().len(), reading.share());
    let most = mods * 10 >= names.mods.len() * 4;
    (mods >= 2 && share >= 0.5 && (most || share >= 0.8))
        || (mods == 1 && names.mods.len() <= 2 && share >= 0.5)
        || ids_hint
}

/// What speaks for a list.
pub fn clues(manifest: &Reading, names: &Names<'_>, ordered: bool) -> Vec<Clue> {
    let named = Clue::Named {
        named: manifest.named.iter().flatten().count(),
        entries: manifest.named.len(),
        mods: manifest.mods().len(),
        all: names.mods.len(),
    };
    std::iter::once(named).chain(ordered.then_some(Clue::NotAlphabetic)).collect()
}

/// How sure a list is.
pub fn confidence(manifest: &Reading, names: &Names<'_>) -> f64 {
    let most = manifest.mods().len() as f64 / names.mods.len().max(1) as f64;
    ((0.4 + manifest.share() * 0.3 + most * 0.28) * 100.0).round() / 100.0
}
