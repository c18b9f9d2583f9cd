//! A rulebook tried on an install: what it reads of every mod, step by step, and where it goes wrong.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use displaydoc::Display;
use kanon_core::base::ids::{FoldedId, same_name};
use kanon_core::base::names::ShelfName;
use kanon_core::base::path::{InstallPath, printable};
use kanon_core::base::problem::{Problem, ProblemLevel};
use kanon_core::manifest::{Contents, Looked, Named, Spot, explain_mod};
use kanon_core::rulebook::{Shelf, key_of_section, named_table};
use kanon_core::survey::{FileProblem, Survey, SurveyedMod, Unreadable};

use crate::error::{ReachError, ReadFault};
use crate::install::Install;
use crate::measure::{self, BesideContents, FileContents, FolderContents, Request, ToldByShelf, open_archive};
use crate::progress::Silent;
use crate::state::State;

/// What became of it.
pub struct Trial {
    /// What was surveyed.
    pub survey: Survey,
    /// What is doubtful, each at its place in the rulebook.
    pub warnings: Vec<Problem>,
    /// How one mod was read.
    pub explained: Option<Explained>,
}

/// How one mod was read.
pub struct Explained {
    /// Its id; its path where none was found.
    pub id: FoldedId,
    /// Its file or folder.
    pub path: String,
    /// Its shelf.
    pub shelf: ShelfName,
    /// Every place that was looked at.
    pub steps: Vec<Looked>,
    /// Why it could not be read, if so.
    pub failure: Option<String>,
}

/// Retry a rulebook on an install. `text` is the rulebook's; `wanted` names the mod to explain, by id or file name.
///
/// # Errors
/// When the install shows nothing of this game, or no mod is called so.
pub fn try_out(
    install: &dyn Install,
    request: Request<'_>,
    text: &str,
    wanted: Option<&str>,
) -> Result<Trial, ReachError> {
    let mut state = State::in_memory()?;
    let survey = measure::survey(install, request, &mut state, &Silent)?.survey;
    let mut read: Vec<Explained> =
        survey.mods.iter().filter(|found| !found.is_id_alone()).filter_map(|m| explain(install, request, m)).collect();
    let broken: Vec<Explained> =
        survey.unreadable.iter().filter_map(|broken| explain_broken(install, request, broken)).collect();
    let mut warnings = of_steps(&read);
    warnings.extend(of_versions(request, text, &survey));
    warnings.extend(of_claims(text, &survey));
    warnings.extend(of_lists(text, &survey));
    warnings.sort_by_key(|problem| problem.span.start);
    read.extend(broken);
    let explained = match wanted {
        None => read.into_iter().next(),
        Some(wanted) => Some(
            called(read, wanted)
                .ok_or_else(|| ReachError::unusable(install.shown(), ReadFault::NoModCalled(printable(wanted))))?,
        ),
    };
    Ok(Trial { survey, warnings, explained })
}

fn called(read: Vec<Explained>, wanted: &str) -> Option<Explained> {
    let is = |found: &Explained| {
        let name = found.path.rsplit('/').next().unwrap_or_default();
        found.id == wanted || same_name(name, wanted) || found.path == wanted
    };
    read.into_iter().find(is)
}

fn explain(install: &dyn Install, request: Request<'_>, found: &SurveyedMod) -> Option<Explained> {
    let shelf = request.rulebook.shelf(&found.shelf)?;
    let told = ToldByShelf::read(install, request.rulebook);
    let named = Named { name: &found.name, digest: found.digest, told: told.entry(&shelf.name, &found.name) };
    let sizes = found.files.iter().map(|file| (&file.path, file.size));
    let is_folder = install.is_folder(&found.path);
    let own: Box<dyn Contents + '_> = if is_folder {
        Box::new(FolderContents::new(install, &found.path, sizes))
    } else if shelf.holds.archives() {
        open_archive(install, &found.path).ok()?
    } else {
        Box::new(FileContents { install, path: &found.path })
    };
    let mut contents = BesideContents::new(install, own, &found.files);
    let (manifest, steps) = explain_mod(request.rulebook, shelf, named, &mut contents);
    let failure = manifest.err().map(|error| error.to_string());
    Some(Explained {
        id: found.manifest.id.clone(),
        path: found.path.to_string(),
        shelf: shelf.name.clone(),
        steps,
        failure,
    })
}

/// What the survey could not read has no steps to show beyond its reason.
fn explain_broken(install: &dyn Install, request: Request<'_>, broken: &Unreadable) -> Option<Explained> {
    let shelf: &Shelf = request.rulebook.shelf(broken.shelf.as_deref()?)?;
    let path = InstallPath::new(&broken.path).ok()?;
    let name = path.name().to_owned();
    let digest = kanon_core::base::digest::Blake3::of(b"");
    let mut steps = Vec::new();
    if shelf.holds.archives()
        && !install.is_folder(&path)
        && let Ok(mut archive) = open_archive(install, &path)
    {
        steps = explain_mod(request.rulebook, shelf, Named { name: &name, digest, told: None }, archive.as_mut()).1;
    }
    let (shelf, failure) = (shelf.name.clone(), Some(broken.why.clone()));
    Some(Explained { id: broken.path.clone().into(), path: broken.path.clone(), shelf, steps, failure })
}

/// What a rulebook says that may be a slip, seen on an install.
#[derive(Display)]
enum Slip<'s> {
    /// `{place}` finds {values} values in {path}, and only the first counts
    Several { place: &'s Spot, values: usize, path: &'s str },
    /// no mod of the shelf `{shelf}` has anything there, so that `{fact}` is never told by it
    Never { shelf: &'s str, fact: &'s str },
    /// {misfits} of {all} versions don't fit the scheme, such as `{such_as}`
    Scheme { misfits: usize, all: usize, such_as: String },
    /// the shelves `{first}` and `{second}` both claim {files} files, such as {such_as}
    BothClaim { first: &'s str, second: &'s str, files: usize, such_as: &'s str },
    /// the list can't be read from {file}: {problem}
    List { file: &'s InstallPath, problem: &'s FileProblem },
}

impl Slip<'_> {
    /// How it is mended.
    const fn help(&self) -> &'static str {
        match self {
            Self::Several { .. } => "name one place, such as `[0]` instead of `[*]`",
            Self::Never { .. } => "look at a mod's own document, then correct the place or take the line out",
            Self::Scheme { .. } => {
                "choose the scheme by what versions look like: dotted takes most, opaque takes any and puts none in order"
            }
            Self::BothClaim { .. } => "narrow the `match` of one, or add what is not its own to `except`",
            Self::List { .. } => "correct its place here, or mend the file",
        }
    }

    /// The warning, where it stands.
    fn at(&self, span: Range<usize>) -> Problem {
        Problem::new(ProblemLevel::Warning, span, self, self.help())
    }
}

/// Where a fact is asked for, and whether any mod had it.
#[derive(Default)]
struct Tally {
    span: Range<usize>,
    found: bool,
}

/// Places that find several values, and facts that no mod has.
fn of_steps(read: &[Explained]) -> Vec<Problem> {
    let mut several: BTreeMap<(usize, usize), (&Looked, &Explained)> = BTreeMap::new();
    let mut facts: BTreeMap<(&str, &str, usize), Tally> = BTreeMap::new();
    for found in read {
        for step in found.steps.iter().filter(|step| step.fact != "document") {
            let span = (step.span.start, step.span.end);
            if step.fact != "relations" && step.matches > 1 {
                several.entry(span).or_insert((step, found));
            }
            // The steps of a fact are one thing; each rule of relations stands for itself.
            let at = if step.fact == "relations" { step.span.start } else { 0 };
            let known = facts.entry((&found.shelf, step.fact, at)).or_default();
            if known.span.is_empty() {
                known.span = step.span.clone();
            }
            known.found |= step.found.is_some();
        }
    }
    let mut warnings: Vec<Problem> = several
        .into_values()
        .map(|(step, found)| {
            Slip::Several { place: &step.place, values: step.matches, path: &found.path }.at(step.span.clone())
        })
        .collect();
    for ((shelf, fact, _), Tally { span, found }) in facts {
        if !found {
            warnings.push(Slip::Never { shelf, fact }.at(span));
        }
    }
    warnings
}

/// Versions that the scheme can't put in order.
fn of_versions(request: Request<'_>, text: &str, survey: &Survey) -> Option<Problem> {
    let versions = request.rulebook.versions;
    let all: BTreeSet<&str> = survey.mods.iter().filter_map(|found| found.manifest.version.as_deref()).collect();
    let misfits: Vec<&str> = all.iter().filter(|v| versions.scheme.parse(v).is_none()).copied().collect();
    let first = misfits.first()?;
    let slip = Slip::Scheme { misfits: misfits.len(), all: all.len(), such_as: printable(first) };
    Some(slip.at(key_of_section(text, "versions", "scheme")))
}

/// Files that two shelves claim.
fn of_claims(text: &str, survey: &Survey) -> Vec<Problem> {
    let mut owners: BTreeMap<&str, &str> = BTreeMap::new();
    let mut pairs: BTreeMap<(&str, &str), Vec<&str>> = BTreeMap::new();
    for found in survey.mods.iter().filter(|found| !found.is_id_alone()) {
        for file in &found.files {
            let first = *owners.entry(file.path.as_str()).or_insert(&found.shelf);
            if *first != *found.shelf {
                pairs.entry((first, &found.shelf)).or_default().push(file.path.as_str());
            }
        }
    }
    let told = pairs.into_iter().map(|((first, second), files)| {
        let slip = Slip::BothClaim { first, second, files: files.len(), such_as: files[0] };
        slip.at(named_table(text, "shelf", second))
    });
    told.collect()
}

/// Lists that can't be read as the rulebook says.
fn of_lists(text: &str, survey: &Survey) -> Vec<Problem> {
    let broken = survey.lists.iter().filter_map(|list| Some((list, list.problem.as_ref()?)));
    let told = broken
        .map(|(list, problem)| Slip::List { file: &list.file, problem }.at(named_table(text, "list", &list.name)));
    told.collect()
}
