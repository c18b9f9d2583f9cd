//! Text files on their way through an alignment: read as they will be after the other steps, amended, and put in their place
//! as steps like any other.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::io::Read;
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::base::limits;
use kanon_core::canon::SealedMod;
use kanon_core::delta::{CheckContext, LeftAlone, TextDelta};
use kanon_core::edits;
use kanon_core::plan::text_edits::{Amended, Amendment, Consents, NeededEntry, amendments};
use kanon_core::plan::{Action, LineChange, Plan, Step};
use kanon_core::rulebook::FragmentRule;
use kanon_core::text::{self, Encoding};
use kanon_io::bytes::{self, Bytes};
use kanon_io::error::{During, ReachError};
use kanon_io::install::Install;
use kanon_io::measure::open_archive_file;
use kanon_io::open::{read_bounded, regular};
use rayon::prelude::*;

use crate::error::AppError;
use crate::notice::AlignmentNotice;
use crate::session::Session;
use crate::text_files::present;

/// Adds to a plan what is to be changed inside text files. What can't be changed is told, and stays as it is.
///
/// `own_bytes` has the bytes that only this run knows, and takes up the new ones. Returned is what can't be changed.
pub fn amend(
    session: &mut Session<'_>,
    install: &dyn Install,
    (texts, said): (&TextDelta<'_>, &Consents),
    plan: &mut Plan,
    own_bytes: &mut Bytes,
) -> Result<Vec<LeftAlone>, AppError> {
    let amendments = amendments(texts, said);
    let entries = entry_texts(session, texts.context, &amendments)?;
    let mut left = Vec::new();
    for several in amendments.chunks(rayon::current_num_threads().max(1)) {
        let mut drafts = Vec::new();
        for amendment in several {
            drafts.extend(Draft::of(amendment, install, plan, own_bytes)?);
        }
        // Large texts take much room while they are read, and so wait for each other.
        let small = drafts.iter().all(|draft| draft.before.len() <= SIDE_BY_SIDE_BYTES);
        match small {
            true => drafts.par_iter_mut().for_each(|draft| draft.make(&entries)),
            false => drafts.iter_mut().for_each(|draft| draft.make(&entries)),
        }
        for draft in drafts {
            for left in &draft.amended.left {
                session.observer.notice(AlignmentNotice::LeftAsItIs(left.clone()).into());
            }
            if draft.amended.bytes != draft.before {
                let blake3 = kept(session, &draft.amended.bytes, own_bytes)?;
                draft.put_into(plan, blake3);
            }
            left.extend(draft.amended.left);
        }
    }
    Ok(left)
}

/// Texts of at most so many bytes are edited side by side.
const SIDE_BY_SIDE_BYTES: usize = 5 << 18;

/// A text file on its way from what it is to what it is to be.
struct Draft<'a> {
    amendment: &'a Amendment<'a>,
    /// The step that puts the file in place, where another reason has planned one.
    planned: Option<usize>,
    is_new: bool,
    before: Vec<u8>,
    amended: Amended,
    lines: Vec<LineChange>,
}

impl<'a> Draft<'a> {
    fn of(
        amendment: &'a Amendment<'a>,
        install: &dyn Install,
        plan: &Plan,
        own_bytes: &Bytes,
    ) -> Result<Option<Self>, AppError> {
        let planned = plan.steps.iter().position(|step| step.path == amendment.path && step.action.puts().is_some());
        // A file that goes, such as one in a world that is set aside, has no list any more.
        if planned.is_none() && plan.steps.iter().any(|step| step.frees() == Some(&amendment.path)) {
            return Ok(None);
        }
        let there = match planned {
            Some(at) => Some(planned_bytes(&plan.steps[at], own_bytes)?),
            None => present(install, &amendment.path)?,
        };
        let (is_new, before) = (there.is_none(), there.unwrap_or_default());
        Ok(Some(Self { amendment, planned, is_new, before, amended: Amended::default(), lines: Vec::new() }))
    }

    fn make(&mut self, texts: &BTreeMap<NeededEntry, String>) {
        self.amended = self.amendment.apply(&self.before, texts);
        self.lines = changed_lines(&self.before, &self.amended.bytes);
    }

    fn put_into(&self, plan: &mut Plan, blake3: Blake3) {
        let (bytes, lines) = (self.amended.bytes.len() as u64, self.lines.clone());
        let reasons = self.amended.reasons.clone();
        match self.planned {
            Some(at) => {
                let step = &mut plan.steps[at];
                (step.bytes, step.lines) = (bytes, lines);
                step.reasons.extend(reasons);
                step.action = match step.action {
                    Action::Replace { .. } => Action::Replace { blake3 },
                    _ => Action::Put { blake3 },
                };
            }
            None => {
                let action = if self.is_new { Action::Put { blake3 } } else { Action::Replace { blake3 } };
                let path = self.amendment.path.clone();
                plan.steps.push(Step { action, path, reasons, bytes, lines });
            }
        }
    }
}

/// At most so many changed lines of one file are told.
const LINES: usize = 60;
/// So many characters of each.
const LINE_CHARS: usize = 16_000;

/// The lines in which two states of a text file differ.
fn changed_lines(before: &[u8], after: &[u8]) -> Vec<LineChange> {
    let text = |bytes| {
        let utf8 = text::text(bytes, Encoding::Utf8).or_else(|_| text::text(bytes, Encoding::Windows1252));
        utf8.map(Cow::into_owned).unwrap_or_default()
    };
    let (before, after) = (text(before), text(after));
    let diff = similar::TextDiff::from_lines(&before, &after);
    let changes = diff.iter_all_changes().filter_map(|change| {
        let (line, comes) = match change.tag() {
            similar::ChangeTag::Equal => return None,
            similar::ChangeTag::Delete => (change.old_index()?, false),
            similar::ChangeTag::Insert => (change.new_index()?, true),
        };
        let whole = change.value().trim_end_matches(['\r', '\n']);
        let text = match whole.char_indices().nth(LINE_CHARS) {
            Some((end, _)) => format!("{} … (cut here; the line goes on)", &whole[..end]),
            None => whole.to_owned(),
        };
        Some(LineChange { line: line + 1, comes, text })
    });
    changes.take(LINES).collect()
}

/// The bytes that a step will put in place, of a prepared world.
fn planned_bytes(step: &Step, own_bytes: &Bytes) -> Result<Vec<u8>, AppError> {
    let digest = step.action.puts().unwrap_or_else(|| Blake3::of(b""));
    for path in own_bytes.paths(digest) {
        let read = read_bounded(path, limits::DOCUMENT_BYTES + 1).during("read", path)?;
        if Blake3::of(&read) == digest {
            return Ok(read);
        }
    }
    Err(ReachError::BytesNowhere(vec![digest.short()]).into())
}

/// Keeps what a file will be, so that a later run can finish what this one may not.
fn kept(session: &Session<'_>, after: &[u8], own_bytes: &mut Bytes) -> Result<Blake3, AppError> {
    let blake3 = Blake3::of(after);
    let store = session.workspace()?.store();
    let kept = bytes::keep_read(&mut &*after, blake3, &store)?;
    own_bytes.add(blake3, kept.unwrap_or_else(|| store.join(blake3.to_string())));
    Ok(blake3)
}

/// A file of a mod that has entries: of its folder, or a member of its archive.
struct Source<'a> {
    sealed: &'a SealedMod,
    rule: &'a FragmentRule,
    digest: Blake3,
    is_archive: bool,
}

/// The texts of the entries that amendments need, out of the mods that bring them, wherever their bytes are.
fn entry_texts(
    session: &mut Session<'_>,
    measure: CheckContext<'_>,
    amendments: &[Amendment<'_>],
) -> Result<BTreeMap<NeededEntry, String>, AppError> {
    let needs: Vec<_> = amendments.iter().flat_map(Amendment::needs).collect();
    let mut texts = BTreeMap::new();
    if needs.is_empty() {
        return Ok(texts);
    }
    let is_needed = |sealed: &&SealedMod| needs.iter().any(|(_, needed)| needed.of_mod == sealed.manifest.id);
    let mods = measure.canon.mods.iter().filter(is_needed);
    let sources: Vec<Source<'_>> =
        mods.flat_map(|sealed| measure.rulebook.fragments.iter().filter_map(|rule| source(sealed, rule))).collect();
    let bytes = session.bytes(&sources.iter().map(|source| source.digest).collect())?;
    for source in &sources {
        let read = bytes.paths(source.digest).iter().find_map(|path| source.read(path));
        let Some(text) = read.as_deref().and_then(|bytes| text::text(bytes, Encoding::Utf8).ok()) else { continue };
        // Where the bytes have changed since they were seen, the digests of the entries tell.
        for entry in edits::brought(&text, source.rule).unwrap_or_default() {
            let needed =
                NeededEntry { of_mod: source.sealed.manifest.id.clone(), key: entry.key, blake3: entry.digest };
            texts.insert(needed, text[entry.span].to_owned());
        }
    }
    Ok(texts)
}

fn source<'a>(sealed: &'a SealedMod, rule: &'a FragmentRule) -> Option<Source<'a>> {
    let is_it = |inner: &str| inner == rule.from;
    let own =
        sealed.files.iter().find(|file| file.path.as_str().split_once('/').is_some_and(|(_, inner)| is_it(inner)));
    match (own, sealed.files.as_slice()) {
        (Some(own), _) => Some(Source { sealed, rule, digest: own.blake3, is_archive: false }),
        (None, [archive, ..]) if sealed.members_total > 0 => {
            Some(Source { sealed, rule, digest: archive.blake3, is_archive: true })
        }
        _ => None,
    }
}

impl Source<'_> {
    fn read(&self, path: &Path) -> Option<Vec<u8>> {
        if self.is_archive {
            return open_archive_file(path).ok()?.read(&self.rule.from).ok()?;
        }
        let mut bytes = Vec::new();
        regular(path).and_then(|file| file.take(limits::DOCUMENT_BYTES).read_to_end(&mut bytes)).ok()?;
        Some(bytes)
    }
}
