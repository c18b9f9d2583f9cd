//! The facts about one mod: each by its chain of fallbacks, from the mod's own documents and name.

use std::collections::HashMap;
use std::io::Cursor;
use std::ops::Range;

use displaydoc::Display;
use parking_lot::{ReentrantMutex, ReentrantMutexGuard};
use serde_json::Value;
use serde_json_path::JsonPath;

use super::archive::{Archive, ArchiveError};
use super::contents::{Contents, ContentsError, ITSELF};
use super::relations::{entries_at, entries_of_lines, entry_relations, first_scalar, range_text, relation_words};
use crate::base::digest::{Blake3, DigestKind};
use crate::base::ids::{FoldedId, folded, same_name};
use crate::edits;
use crate::text::{self, DocumentError, Encoding, Malformed, path_words, scalar, stated_version};

use crate::base::limits;
use crate::base::path::{InstallPath, printable};
use crate::base::stated::Series;
use crate::manifest::{MergedEntry, ModManifest, Relation};
use crate::rulebook::{
    BesideName, DocumentRule, FactRule, FactStep, Foreign, ModRule, NamePattern, Origin, Platform, RelationPlace,
    RelationRule, Rulebook, Shelf,
};
use crate::rulebook::{NeededOn, RelationKind};

/// A mod's own name and digest: facts may be made of either.
#[derive(Debug, Clone, Copy)]
pub struct Named<'a> {
    /// The name of its file or folder when enabled.
    pub name: &'a str,
    /// One digest for all of it.
    pub digest: Blake3,
    /// What a document outside of the mods tells of it, where the rulebook has one.
    pub told: Option<&'a Value>,
}

/// Why a mod can't be known.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ReadingError {
    /// None of the documents that the rulebook names is there.
    #[error(
        "it holds none of: {wanted}; this is no mod of this game, or one for another loader that the rulebook does not know"
    )]
    NoDocument {
        /// The members that were looked for.
        wanted: String,
    },
    /// What tells of a mod is not beside it.
    #[error("nothing beside it tells what mod it is: {wanted} is not there")]
    NothingBeside {
        /// The files that were looked for.
        wanted: String,
    },
    /// A document beside a mod can't be understood.
    #[error("`{file}` beside it can't be used: {source}")]
    Beside {
        /// The file.
        file: String,
        /// What is wrong with it.
        source: DocumentError,
    },
    /// A member is there and can't be read.
    #[error(transparent)]
    Contents(#[from] ContentsError),
    /// A document is there and can't be understood.
    #[error("`{member}` in it can't be used: {source}")]
    Document {
        /// The member.
        member: String,
        /// What is wrong with it.
        source: DocumentError,
    },
    /// Nothing says what the mod's id is.
    #[error("it states no id where the rulebook looks for one{}", hint(.tried))]
    NoId {
        /// What the rulebook looks at.
        tried: String,
    },
}

fn hint(tried: &str) -> String {
    if tried.is_empty() { String::new() } else { format!(" ({tried})") }
}

/// Why the entries of a mod for a data file can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
enum NoEntries {
    #[error(transparent)]
    Contents(#[from] ContentsError),
    #[error(transparent)]
    Document(#[from] DocumentError),
    #[error(transparent)]
    Malformed(#[from] Malformed),
}

/// Why an archive inside of a mod can't be looked into.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
enum InnerError {
    #[error(transparent)]
    Contents(#[from] ContentsError),
    #[error(transparent)]
    Archive(#[from] ArchiveError),
    #[error(transparent)]
    Reading(#[from] ReadingError),
}

/// What is doubtful in what a mod says of itself; the mod is known all the same.
#[derive(Debug, Display)]
enum Doubt {
    /// its entries in {file} can't be read: {why}
    Entries { file: String, why: NoEntries },
    /// says it is needed on `{0}`, which the rulebook does not know; taken for both
    UnknownSide(String),
    /// holds more than {0} archives; the others were not looked into
    TooManyInside(usize),
    /// holds `{member}`, which can't be looked into: {why}
    Inside { member: String, why: InnerError },
}

/// Reads the facts about one mod.
///
/// # Errors
/// When its main document is missing or broken, or its id can't be found. Other facts may be missing.
pub fn read_mod(
    rulebook: &Rulebook,
    shelf: &Shelf,
    named: Named<'_>,
    contents: &mut dyn Contents,
) -> Result<ModManifest, ReadingError> {
    let mut manifest = Reader::new(&shelf.read, named, contents).all(rulebook)?;
    merged_entries(rulebook, contents, &mut manifest);
    Ok(manifest)
}

/// The entries that a mod merges into the game's data files; a file of entries that can't be read is a doubt.
fn merged_entries(rulebook: &Rulebook, contents: &mut dyn Contents, manifest: &mut ModManifest) {
    for rule in &rulebook.fragments {
        let entries = match contents.read(&rule.from) {
            Ok(None) => continue,
            Ok(Some(bytes)) => text::text(&bytes, Encoding::Utf8)
                .map_err(NoEntries::from)
                .and_then(|text| Ok(edits::brought(&text, rule)?)),
            Err(error) => Err(error.into()),
        };
        match entries {
            Ok(found) => manifest.entries.extend(found.into_iter().take(limits::RELATIONS).map(|entry| MergedEntry {
                into: rule.into.clone(),
                key: entry.key,
                blake3: entry.digest,
            })),
            Err(why) => manifest.doubts.push(Doubt::Entries { file: rule.from.clone(), why }.to_string()),
        }
    }
}

/// One place that was looked at for a fact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Looked {
    /// The fact, as the rulebook calls it.
    pub fact: &'static str,
    /// Where in the rulebook the place is named.
    pub span: Range<usize>,
    /// The place.
    pub place: Spot,
    /// What stands there.
    pub found: Option<String>,
    /// How many values stand there; for one fact it should be one.
    pub matches: usize,
    /// What it was taken for; nothing when the next place had to be asked.
    pub answer: Option<Answer>,
}

/// A place that is looked at for a fact.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Spot {
    /// {member} as {notation}
    Document {
        /// The member, or the file itself.
        member: String,
        /// The rulebook's word for its notation.
        notation: &'static str,
    },
    /// {0}
    At(String),
    /// {at} in {document}
    In {
        /// The path in the document.
        at: String,
        /// The document.
        document: Box<Spot>,
    },
    /// its entry in {0}
    EntryIn(InstallPath),
    /// its name by {0}
    Name(String),
    /// the text of {member} by {line}
    Text {
        /// The member, or the file itself.
        member: String,
        /// The pattern.
        line: String,
    },
    /// said by the rulebook
    Rulebook,
    /// its digest
    Digest,
}

/// What was found there.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Answer {
    /// {0}
    Fact(String),
    /// the main document
    Main,
    /// the main document, with {0}
    MainWith(Series),
    /// {0}
    Relations(Series),
}

/// Reads the facts about one mod and tells every place that was looked at, in order.
pub fn explain_mod(
    rulebook: &Rulebook,
    shelf: &Shelf,
    named: Named<'_>,
    contents: &mut dyn Contents,
) -> (Result<ModManifest, ReadingError>, Vec<Looked>) {
    let mut reader = Reader { trace: Some(Vec::new()), ..Reader::new(&shelf.read, named, contents) };
    let manifest = reader.all(rulebook);
    (manifest, reader.trace.unwrap_or_default())
}

struct Reader<'a> {
    rule: &'a ModRule,
    named: Named<'a>,
    contents: &'a mut dyn Contents,
    main: Value,
    others: HashMap<String, Option<Value>>,
    trace: Option<Vec<Looked>>,
    /// Held while a large mod is read.
    alone: Option<ReentrantMutexGuard<'static, ()>>,
}

/// What stands at a place.
struct Raw {
    value: Option<String>,
    matches: usize,
    /// All of them, where more than the first may count.
    values: Vec<String>,
}

impl Raw {
    fn one(value: Option<String>) -> Self {
        Self { matches: usize::from(value.is_some()), value, values: Vec::new() }
    }
}

/// What archives inside of one mod may still cost.
struct Inner {
    /// How many more are looked into.
    archives: usize,
    /// Bytes of those that are open now.
    held: u64,
}

impl Default for Inner {
    fn default() -> Self {
        Self { archives: limits::NESTED_ARCHIVES, held: 0 }
    }
}

/// Mods with archives inside that are larger than this are read one at a time, however many are read side by side.
const LARGE_BYTES: u64 = 4 << 20;
/// Likewise those with a larger document than this, which read takes a hundred times the room that it takes written.
const LARGE_DOCUMENT_BYTES: usize = 64 << 10;
static LARGE_ONES: ReentrantMutex<()> = ReentrantMutex::new(());

impl<'a> Reader<'a> {
    fn new(rule: &'a ModRule, named: Named<'a>, contents: &'a mut dyn Contents) -> Self {
        Self { rule, named, contents, main: Value::Null, others: HashMap::new(), trace: None, alone: None }
    }

    fn all(&mut self, rulebook: &Rulebook) -> Result<ModManifest, ReadingError> {
        let mut manifest = if self.find_main()? { self.manifest()? } else { self.foreign()? };
        settle_platforms(rulebook, &mut manifest);
        settle_bridges(rulebook, &mut manifest);
        Ok(manifest)
    }

    /// Reads the main document; says whether there is one, or none is wanted.
    fn find_main(&mut self) -> Result<bool, ReadingError> {
        for rule in &self.rule.documents {
            let located = self.located(&rule.member);
            let document = self.document(rule)?;
            self.note(|| Looked {
                fact: "document",
                span: 0..0,
                place: document_spot(rule),
                found: document.as_ref().and(located),
                matches: usize::from(document.is_some()),
                answer: document.as_ref().map(keys_of),
            });
            if let Some(document) = document {
                self.main = document;
                return Ok(true);
            }
        }
        if let (Some(rule), Some(told)) = (&self.rule.told_by, self.named.told) {
            self.main = told.clone();
            self.note(|| Looked {
                fact: "document",
                span: 0..0,
                place: Spot::EntryIn(rule.file.clone()),
                found: Some(rule.file.to_string()),
                matches: 1,
                answer: Some(keys_of(told)),
            });
            return Ok(true);
        }
        Ok(self.rule.documents.is_empty())
    }

    /// Waits until no other large mod is being read; the others then wait for this one.
    fn read_alone(&mut self) {
        self.alone.get_or_insert_with(|| LARGE_ONES.lock());
    }

    fn note(&mut self, looked: impl FnOnce() -> Looked) {
        if let Some(trace) = &mut self.trace {
            trace.push(looked());
        }
    }

    fn document(&mut self, rule: &DocumentRule) -> Result<Option<Value>, ReadingError> {
        let Some(member) = self.located(&rule.member) else { return Ok(None) };
        let Some(bytes) = self.contents.read(&member)? else { return Ok(None) };
        if bytes.len() > LARGE_DOCUMENT_BYTES {
            self.read_alone();
        }
        let read = rule.notation.read(&bytes, rule.encoding);
        read.map(Some).map_err(|source| match self.beside(&rule.member) {
            Some(file) => ReadingError::Beside { file, source },
            None => ReadingError::Document { member: rule.member.clone(), source },
        })
    }

    /// What a file is called that lies beside this mod, if it is such that the rulebook names.
    fn beside(&self, member: &str) -> Option<String> {
        Some(BesideName::new(member).ok()?.of(self.named.name))
    }

    /// The member that a rule names; with a `*` in it, the first that fits.
    fn located(&self, member: &str) -> Option<String> {
        if !member.contains('*') {
            return Some(member.to_owned());
        }
        let pattern = NamePattern::new(member).ok()?;
        self.contents.members().iter().find(|found| pattern.fits(&found.path)).map(|found| found.path.clone())
    }

    /// A mod without the game's document: one for another loader, if it bears that loader's sign.
    fn foreign(&mut self) -> Result<ModManifest, ReadingError> {
        for foreign in &self.rule.foreign {
            if let Some(document) = self.document(&foreign.document)? {
                return Ok(foreign_reading(foreign, &document, self.named.name));
            }
        }
        let members = || self.rule.documents.iter().map(|rule| &rule.member);
        let beside: Option<Vec<String>> = members().map(|member| self.beside(member)).collect();
        Err(match beside {
            Some(wanted) => ReadingError::NothingBeside { wanted: wanted.join(", ") },
            None => ReadingError::NoDocument { wanted: members().map(String::as_str).collect::<Vec<_>>().join(", ") },
        })
    }

    fn manifest(&mut self) -> Result<ModManifest, ReadingError> {
        let rule = self.rule;
        let id = self.fact("id", &rule.id)?.ok_or_else(|| ReadingError::NoId { tried: tried(&rule.id) })?;
        let (version, title) = (self.fact("version", &rule.version)?, self.fact("title", &rule.title)?);
        let mut doubts = Vec::new();
        let needed_on = self.needed_on(&mut doubts)?;
        let (game_range, loader_range) = (self.fact("game", &rule.game)?, self.fact("loader", &rule.loader)?);
        let mut relations = Vec::new();
        for relation in &rule.relations {
            self.relations(relation, &mut relations)?;
        }
        let said = |other: &&String| {
            relations.iter().any(|r: &Relation| r.kind == RelationKind::Required && r.id == *other.as_str())
        };
        let unsaid = rule.all_need.iter().filter(|other| !same_name(other, &id) && !said(other));
        let all_need =
            |other: &String| Relation { kind: RelationKind::Required, id: other.clone().into(), range: None };
        let all_need: Vec<Relation> = unsaid.map(all_need).collect();
        relations.extend(all_need);
        relations.sort();
        relations.dedup();
        let mut provides = self.provides();
        let depth = rule.nested.as_ref().map_or(0, |nested| nested.depth);
        provides.extend(self.nested(depth, &mut Inner::default(), &mut doubts));
        provides.retain(|provided| *provided != id);
        provides.sort();
        provides.dedup();
        Ok(ModManifest {
            id: id.into(),
            version,
            title,
            needed_on,
            game_range,
            loader_range,
            runtime_range: self.fact("runtime", &rule.runtime)?,
            made_for: self.fact("made-for", &rule.made_for)?,
            shapes_world: self
                .fact("shapes-world", &rule.shapes_world)?
                .is_some_and(|word| matches!(word.as_str(), "yes" | "true" | "1")),
            relations,
            provides: provides.into_iter().map(FoldedId::from).collect(),
            doubts,
            entries: Vec::new(),
        })
    }

    fn fact(&mut self, name: &'static str, rule: &FactRule) -> Result<Option<String>, ReadingError> {
        for step in &rule.0 {
            if let Some(value) = self.step(name, step)? {
                return Ok(Some(value));
            }
        }
        Ok(None)
    }

    fn step(&mut self, name: &'static str, step: &FactStep) -> Result<Option<String>, ReadingError> {
        let raw = self.raw(name, &step.origin)?;
        if name == "needed_on" && raw.values.len() > 1 {
            return Ok(self.several_sides(step, &raw.values));
        }
        let admitted = raw.value.as_ref().filter(|value| !step.except.as_ref().is_some_and(|e| e.is_match(value)));
        let answer = admitted.and_then(|value| match &step.means {
            Some(means) => means.get(value).cloned(),
            None => Some(value.clone()),
        });
        self.note(|| Looked {
            fact: name,
            span: step.span.clone(),
            place: origin_spot(&step.origin),
            found: raw.value,
            matches: raw.matches,
            answer: answer.clone().map(Answer::Fact),
        });
        Ok(answer)
    }

    /// A mod that names several sides is needed on all of them.
    fn several_sides(&mut self, step: &FactStep, values: &[String]) -> Option<String> {
        let meant = |value: &String| match &step.means {
            Some(means) => means.get(value).cloned(),
            None => Some(value.clone()),
        };
        let mut sides: Vec<String> = values.iter().filter_map(meant).collect();
        sides.sort();
        sides.dedup();
        let answer = if sides.len() > 1 { Some("both".to_owned()) } else { sides.pop() };
        self.note(|| Looked {
            fact: "needed_on",
            span: step.span.clone(),
            place: origin_spot(&step.origin),
            found: Some(values.join(", ")),
            matches: 1,
            answer: answer.clone().map(Answer::Fact),
        });
        answer
    }

    fn raw(&mut self, name: &str, origin: &Origin) -> Result<Raw, ReadingError> {
        Ok(match origin {
            Origin::Document { document: None, at } => scalars(name, &self.main, at),
            Origin::Document { document: Some(rule), at } => {
                self.other(rule)?.map_or(Raw::one(None), |value| scalars(name, &value, at))
            }
            Origin::Name(regex) => Raw::one(captured(regex, self.named.name, name)),
            Origin::Text { member, encoding, line } => {
                Raw::one(self.text(member, *encoding)?.and_then(|text| captured(line, &text, name)))
            }
            Origin::Is(value) => Raw::one(Some(value.clone())),
            Origin::Digest(kind) => Raw::one(self.digest(*kind)?),
        })
    }

    /// A folder has only the one digest that Kanon gives it.
    fn digest(&mut self, kind: DigestKind) -> Result<Option<String>, ReadingError> {
        if kind == DigestKind::Blake3 {
            return Ok(Some(self.named.digest.to_string()));
        }
        Ok(self.contents.digest(kind)?)
    }

    fn other(&mut self, rule: &DocumentRule) -> Result<Option<Value>, ReadingError> {
        if let Some(known) = self.others.get(&rule.member) {
            return Ok(known.clone());
        }
        let value = self.document(rule)?;
        self.others.insert(rule.member.clone(), value.clone());
        Ok(value)
    }

    fn text(&mut self, member: &str, encoding: Encoding) -> Result<Option<String>, ReadingError> {
        let Some(located) = self.located(member) else { return Ok(None) };
        let Some(bytes) = self.contents.read(&located)? else { return Ok(None) };
        let text = text::text(&bytes, encoding);
        text.map(|text| Some(text.into_owned()))
            .map_err(|source| ReadingError::Document { member: member.to_owned(), source })
    }

    /// An unknown word is told, and taken for `both`: the safe side, as it hides no difference.
    fn needed_on(&mut self, doubts: &mut Vec<String>) -> Result<NeededOn, ReadingError> {
        let rule = &self.rule.needed_on;
        if let Some(known) = self.fact("needed_on", rule)?.as_deref().and_then(NeededOn::of_word) {
            return Ok(known);
        }
        for step in &rule.0 {
            if let Some(word) = self.raw("needed_on", &step.origin)?.value {
                doubts.push(Doubt::UnknownSide(printable(&word)).to_string());
                break;
            }
        }
        Ok(NeededOn::Both)
    }

    fn provides(&self) -> Vec<String> {
        let Some(at) = &self.rule.provides else { return Vec::new() };
        at.query(&self.main).iter().filter_map(|value| scalar(value)).take(limits::RELATIONS).collect()
    }

    /// The ids of archives inside this one, and theirs: what it brings along, it stands for.
    fn nested(&mut self, depth: usize, left: &mut Inner, doubts: &mut Vec<String>) -> Vec<String> {
        let Some(rule) = self.rule.nested.as_ref().filter(|_| depth > 0) else { return Vec::new() };
        let is_inner = |path: &&str| rule.matches.iter().any(|pattern| pattern.fits(path));
        let members = self.contents.members().iter().filter(|member| is_inner(&member.path.as_str()));
        let inner: Vec<(String, u64)> = members.map(|member| (member.path.clone(), member.size)).collect();
        if inner.iter().any(|(_, size)| *size > LARGE_BYTES) {
            self.read_alone();
        }
        let mut ids = Vec::new();
        for (member, _) in inner {
            if left.archives == 0 {
                doubts.push(Doubt::TooManyInside(limits::NESTED_ARCHIVES).to_string());
                break;
            }
            left.archives -= 1;
            match self.inner_ids(&member, depth - 1, left, doubts) {
                Ok(found) => ids.extend(found),
                Err(why) => doubts.push(Doubt::Inside { member: printable(&member), why }.to_string()),
            }
        }
        ids
    }

    fn inner_ids(
        &mut self,
        member: &str,
        depth: usize,
        left: &mut Inner,
        doubts: &mut Vec<String>,
    ) -> Result<Vec<String>, InnerError> {
        // An archive stays in memory while those in it are looked into: all of them together have the room of one.
        let most = limits::NESTED_BYTES.saturating_sub(left.held);
        let bytes = self.contents.read_up_to(member, most)?.unwrap_or_default();
        let size = bytes.len() as u64;
        left.held += size;
        let ids = self.ids_of_archive((member, bytes), depth, left, doubts);
        left.held -= size;
        ids
    }

    fn ids_of_archive(
        &self,
        (member, bytes): (&str, Vec<u8>),
        depth: usize,
        left: &mut Inner,
        doubts: &mut Vec<String>,
    ) -> Result<Vec<String>, InnerError> {
        let size = bytes.len() as u64;
        let mut archive = Archive::open(Cursor::new(bytes), size)?;
        let named = Named { name: member.rsplit('/').next().unwrap_or(member), digest: self.named.digest, told: None };
        let mut reader = Reader::new(self.rule, named, &mut archive);
        if !reader.find_main()? {
            return Ok(Vec::new());
        }
        let id = reader.fact("id", &self.rule.id)?;
        let mut ids: Vec<String> = id.into_iter().chain(reader.provides()).collect();
        ids.extend(reader.nested(depth, left, doubts));
        Ok(ids)
    }

    fn relations(&mut self, rule: &RelationRule, into: &mut Vec<Relation>) -> Result<(), ReadingError> {
        let entries = match &rule.place {
            RelationPlace::Lines { member, encoding, line } => {
                self.text(member, *encoding)?.map(|text| entries_of_lines(line, &text))
            }
            RelationPlace::Document { document: Some(document), each, alone } => {
                self.other(document)?.map(|document| entries_at(&document, each, alone.as_ref()))
            }
            RelationPlace::Document { document: None, each, alone } => {
                Some(entries_at(&self.main, each, alone.as_ref()))
            }
        };
        let Some(entries) = entries else { return Ok(()) };
        let before = into.len();
        for entry in &entries {
            entry_relations(&rule.form, entry, rule.kind, into);
        }
        into.truncate(limits::RELATIONS);
        let found = Series::of(into[before.min(into.len())..].iter().map(relation_words));
        let matches = entries.len();
        self.note(|| Looked {
            fact: "relations",
            span: rule.span.clone(),
            place: relation_spot(&rule.place),
            found: (matches > 0).then(|| format!("{matches} {}", if matches == 1 { "entry" } else { "entries" })),
            matches,
            answer: (!found.is_empty()).then_some(Answer::Relations(found)),
        });
        Ok(())
    }
}

fn foreign_reading(foreign: &Foreign, document: &Value, name: &str) -> ModManifest {
    let at = |path: &Option<JsonPath>| path.as_ref().and_then(|path| first_scalar(document, path));
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    ModManifest {
        id: FoldedId::from(at(&foreign.id).unwrap_or_else(|| stem.to_owned())),
        version: at(&foreign.version),
        made_for: Some(foreign.loader.clone()),
        ..ModManifest::default()
    }
}

fn tried(rule: &FactRule) -> String {
    let tried = rule.0.iter().map(|step| match &step.origin {
        Origin::Document { at, .. } => path_words(at),
        Origin::Name(_) => origin_spot(&step.origin).to_string(),
        Origin::Text { member, .. } => member.clone(),
        Origin::Is(_) | Origin::Digest(_) => String::new(),
    });
    tried.collect::<Vec<_>>().join(", ")
}

/// What stands at the top of a document, for one who looks for the right place.
fn keys_of(document: &Value) -> Answer {
    let inner = match document.as_object() {
        Some(map) if map.len() == 1 => map.values().next().unwrap_or(document),
        _ => document,
    };
    let keys: Vec<&str> =
        inner.as_object().into_iter().flat_map(|map| map.keys()).take(12).map(String::as_str).collect();
    if keys.is_empty() { Answer::Main } else { Answer::MainWith(Series::of(keys)) }
}

fn document_spot(rule: &DocumentRule) -> Spot {
    Spot::Document { member: member_words(&rule.member), notation: rule.notation.word() }
}

fn member_words(member: &str) -> String {
    if member == ITSELF { "the file itself".to_owned() } else { member.to_owned() }
}

fn spot(document: Option<&DocumentRule>, at: &JsonPath) -> Spot {
    let at = path_words(at);
    match document {
        Some(rule) => Spot::In { at, document: Box::new(document_spot(rule)) },
        None => Spot::At(at),
    }
}

fn relation_spot(place: &RelationPlace) -> Spot {
    match place {
        RelationPlace::Document { document, each, .. } => spot(document.as_ref(), each),
        RelationPlace::Lines { member, line, .. } => {
            Spot::Text { member: member_words(member), line: line.to_string() }
        }
    }
}

fn origin_spot(origin: &Origin) -> Spot {
    match origin {
        Origin::Document { document, at } => spot(document.as_ref(), at),
        Origin::Name(regex) => Spot::Name(regex.to_string()),
        Origin::Text { member, line, .. } => Spot::Text { member: member_words(member), line: line.to_string() },
        Origin::Is(_) => Spot::Rulebook,
        Origin::Digest(_) => Spot::Digest,
    }
}

/// The values at a place. Of most facts the first counts; several ranges are a choice among them.
fn scalars(fact: &str, document: &Value, at: &JsonPath) -> Raw {
    let nodes = at.query(document).all();
    if matches!(fact, "game" | "loader" | "runtime") {
        return Raw::one(range_text(&nodes));
    }
    let read = if fact == "version" { stated_version } else { scalar };
    let values: Vec<String> = nodes.iter().filter_map(|value| read(value)).take(limits::RELATIONS).collect();
    Raw { matches: values.len(), value: values.first().cloned(), values }
}

/// What the group holds that is named like the fact, with `_` for `-`.
fn captured(regex: &regex::Regex, text: &str, fact: &str) -> Option<String> {
    let captures = regex.captures(text)?;
    let value = captures.name(&fact.replace('-', "_"))?;
    scalar(&Value::String(value.as_str().to_owned()))
}

/// A dependency on the game, the loader or the runtime is a range, not a mod; the game's own loader is no stranger.
fn settle_platforms(rulebook: &Rulebook, manifest: &mut ModManifest) {
    let relations = std::mem::take(&mut manifest.relations);
    for relation in relations {
        let is = |platform: Option<&Platform>| platform.is_some_and(|p| p.ids.iter().any(|id| *id == relation.id));
        let slot = if is(Some(&rulebook.base)) {
            &mut manifest.game_range
        } else if is(rulebook.loader.as_ref()) {
            &mut manifest.loader_range
        } else if is(rulebook.runtime.as_ref()) {
            &mut manifest.runtime_range
        } else {
            manifest.relations.push(relation);
            continue;
        };
        if slot.is_none() && relation.kind == RelationKind::Required {
            *slot = relation.range;
        }
    }
    let own = rulebook.loader.as_ref().map(|loader| folded(&loader.name).into_owned());
    if manifest.made_for.as_ref().map(|name| folded(name).into_owned()) == own {
        manifest.made_for = None;
    }
}

/// Where a bridging mod lets another loader's mods run, such a mod is like any that needs the bridging mod.
fn settle_bridges(rulebook: &Rulebook, manifest: &mut ModManifest) {
    for bridge in &rulebook.bridges {
        let Some((first, others)) = bridge.mods.split_first() else { continue };
        if manifest.made_for.as_deref().is_some_and(|loader| loader.eq_ignore_ascii_case(&bridge.loader)) {
            manifest.made_for = None;
            let needs = Relation { kind: RelationKind::Required, id: first.clone().into(), range: None };
            if !manifest.relations.contains(&needs) {
                manifest.relations.push(needs);
                manifest.relations.sort();
            }
        }
        // Each of several bridging mods stands for the one that is asked for.
        if others.iter().any(|id| *id == manifest.id) && !manifest.provides.iter().any(|id| id == first) {
            manifest.provides.push(first.clone().into());
            manifest.provides.sort();
        }
    }
}

#[cfg(test)]
#[path = "../tests/facts.rs"]
mod tests;
