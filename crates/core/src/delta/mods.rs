//! Each mod of the canon, in each place where it belongs: is it there, once, switched on, the same release, the same bytes?

use crate::base::ids::is_put_together_otherwise;
use std::cmp::Ordering;
use std::collections::BTreeMap;

use super::context::{CheckContext, align};
use crate::base::act::Act;
use crate::base::digest::Blake3;
use crate::base::finding::{Change, Code, EntryChange, Finding, Severity};
use crate::base::path::InstallPath;
use crate::base::stated::{Series, Stated};
use crate::base::version::{Scheme, Versions};
use crate::canon::{SealedFile, SealedMod};
use crate::rulebook::{NeededOn, Shelf};
use crate::survey::{Survey, SurveyedFile, SurveyedMod};

/// A mod of the canon in one of the places of its shelf.
#[derive(Debug, Clone)]
pub struct ModInPlace<'a> {
    /// The mod.
    pub sealed: &'a SealedMod,
    /// Its shelf.
    pub shelf: &'a Shelf,
    /// The place.
    pub place: &'a InstallPath,
    /// Its copies there, switched off ones too.
    pub copies: Vec<CopyDelta<'a>>,
}

/// A copy of a mod of the canon.
#[derive(Debug, Clone, Copy)]
pub struct CopyDelta<'a> {
    /// What was found.
    pub found: &'a SurveyedMod,
    /// How it differs from what was sealed.
    pub difference: ReleaseDifference,
}

/// How one release of a mod differs from another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReleaseDifference {
    /// It does not: the same bytes.
    None,
    /// The same version with other bytes.
    Bytes,
    /// An older version.
    Older,
    /// A newer version.
    Newer,
    /// Another version, without an order.
    Other,
}

impl ReleaseDifference {
    /// How releases with other bytes differ, by their versions.
    pub fn of_versions(versions: Versions, expected: &str, found: &str) -> Self {
        match versions.scheme.compare(found, expected) {
            _ if expected == found => Self::Bytes,
            // Of two digests neither is the newer one.
            _ if is_digest(expected) || is_digest(found) => Self::Other,
            Some(Ordering::Equal) => Self::Bytes,
            Some(Ordering::Less) => Self::Older,
            Some(Ordering::Greater) => Self::Newer,
            None => Self::Other,
        }
    }
}

impl<'a> ModInPlace<'a> {
    /// The copies that the game would load.
    pub fn enabled(&self) -> impl Iterator<Item = &CopyDelta<'a>> {
        self.copies.iter().filter(|copy| copy.found.enabled)
    }
}

impl CopyDelta<'_> {
    /// Whether it has the bytes that were sealed.
    pub fn has_right_bytes(&self) -> bool {
        self.difference == ReleaseDifference::None
    }
}

/// Each mod of the canon in each place of its shelf, whatever side needs it.
pub(super) fn compute<'a>(measure: CheckContext<'a>, survey: &'a Survey) -> Vec<ModInPlace<'a>> {
    let by_id = survey.mods_by_id();
    let mut mods = Vec::new();
    for sealed in &measure.canon.mods {
        let Some(shelf) = measure.rulebook.shelf(&sealed.shelf) else { continue };
        let everywhere = by_id.get(&sealed.manifest.id).map_or(&[][..], Vec::as_slice);
        for place in survey.places(shelf) {
            let here = everywhere.iter().filter(|found| found.shelf == shelf.name && found.place == *place);
            let copy = |found: &&'a SurveyedMod| {
                let of_versions = || {
                    ReleaseDifference::of_versions(
                        measure.rulebook.versions,
                        sealed.version_or_dash(),
                        found.version_or_dash(),
                    )
                };
                let is_right = sealed.has_bytes_of(found, shelf);
                CopyDelta { found, difference: if is_right { ReleaseDifference::None } else { of_versions() } }
            };
            mods.push(ModInPlace { sealed, shelf, place, copies: here.map(copy).collect() });
        }
    }
    mods
}

/// Findings about the mods of the canon.
pub(super) fn findings(context: CheckContext<'_>, survey: &Survey, mods: &[ModInPlace<'_>]) -> Vec<Finding> {
    let scheme = context.rulebook.versions.scheme;
    // Of what has only ids here, the list tells.
    let is_measured = |shelf: &Shelf| shelf.ids_from(survey.install.role).is_none();
    let shelf_of = |sealed: &SealedMod| context.rulebook.shelf(&sealed.shelf).filter(|shelf| is_measured(shelf));
    let nowhere = context.canon.mods.iter().filter_map(|sealed| nowhere_yet(survey, sealed, shelf_of(sealed)?));
    let is_readable = |place: &InstallPath| !survey.unreadable.iter().any(|broken| broken.path == place.as_str());
    let seen = mods.iter().filter(|one| is_measured(one.shelf) && is_readable(one.place));
    nowhere.chain(seen.flat_map(|one| Judgement { survey, one, sealed: one.sealed, scheme }.findings())).collect()
}

/// A mod whose shelf is inside a world, on an install that has no world yet.
fn nowhere_yet(survey: &Survey, sealed: &SealedMod, shelf: &Shelf) -> Option<Finding> {
    let role = survey.install.role;
    let wild = shelf.wild.of(role).first()?;
    let nowhere = sealed.needed_on().includes(role) && survey.places(shelf).next().is_none();
    nowhere.then(|| {
        Finding::new(Code::ModMissing, Act::StartForFolder(wild.to_string()))
            .about(&sealed.manifest.id)
            .at(wild.to_string())
            .expected(sealed.version_or_dash())
            .found(Stated::NoSuchFolderYet)
    })
}

/// What is told of one mod in one place.
struct Judgement<'a> {
    survey: &'a Survey,
    one: &'a ModInPlace<'a>,
    sealed: &'a SealedMod,
    scheme: Scheme,
}

impl Judgement<'_> {
    fn findings(&self) -> Vec<Finding> {
        let enabled: Vec<&CopyDelta<'_>> = self.one.enabled().collect();
        let side = self.sealed.needed_on();
        if !side.includes(self.survey.install.role) {
            return match side {
                NeededOn::Optional => {
                    enabled.iter().filter_map(|copy| self.differs(copy)).map(|f| f.severity(Severity::Risky)).collect()
                }
                _ => enabled.iter().map(|copy| self.not_needed(copy.found)).collect(),
            };
        }
        match enabled.as_slice() {
            [] => vec![self.absent()],
            [one] => self.differs(one).into_iter().collect(),
            several => self.several(several),
        }
    }

    fn finding(&self, code: Code) -> Finding {
        Finding::new(code, align(self.survey)).about(&self.sealed.manifest.id).expected(self.sealed.version_or_dash())
    }

    fn target(&self) -> String {
        self.one.place.join(&self.sealed.name).map_or_else(|_| self.sealed.name.clone(), String::from)
    }

    fn not_needed(&self, found: &SurveyedMod) -> Finding {
        let role = self.survey.install.role;
        let side = self.sealed.needed_on().as_str();
        let severity = if role == crate::rulebook::Role::Server { Severity::Risky } else { Severity::Note };
        Finding::new(Code::NotNeededHere, Act::TakeOff(role.as_str()))
            .about(&self.sealed.manifest.id)
            .at(found.path.as_str())
            .expected(Stated::OnSideAlone(side))
            .found(Stated::OnA(role.as_str()))
            .severity(severity)
    }

    /// Not one enabled copy: switched off, unreadable, elsewhere, or not there at all.
    fn absent(&self) -> Finding {
        if let Some(CopyDelta { found: off, .. }) = self.one.copies.first() {
            return self
                .finding(Code::ModDisabled)
                .at(off.path.as_str())
                .found(Stated::SwitchedOff(off.version_or_dash().to_owned()));
        }
        let target = self.target();
        if let Some(broken) = self.survey.unreadable.iter().find(|broken| broken.path == target) {
            let code = if broken.still_packed { Code::StillPacked } else { Code::Unreadable };
            return self.finding(code).at(&target).found(&broken.why);
        }
        let stray = self
            .survey
            .strays
            .iter()
            .find(|stray| stray.digest == self.sealed.digest || stray.manifest.id == self.sealed.manifest.id);
        if let Some(stray) = stray {
            return self.finding(Code::WrongPlace).at(stray.path.as_str()).expected(target).found(stray.path.as_str());
        }
        self.finding(Code::ModMissing).at(target).found(Stated::Nothing)
    }

    fn several(&self, copies: &[&CopyDelta<'_>]) -> Vec<Finding> {
        let right = copies.iter().filter(|copy| copy.has_right_bytes());
        let right = right.min_by_key(|copy| copy.found.name != self.sealed.name);
        let best = right.copied().unwrap_or_else(|| self.newest(copies));
        let others = copies.iter().map(|copy| copy.found).filter(|found| found.path != best.found.path);
        let others = others
            .map(|found| Stated::CopyIn { version: found.version_or_dash().to_owned(), place: found.path.to_string() });
        let also = Stated::Also(Series::of(others));
        let duplicate = self.finding(Code::ModDuplicate).at(best.found.path.as_str()).found(also);
        std::iter::once(duplicate).chain(self.differs(best)).collect()
    }

    fn newest<'c>(&self, copies: &[&'c CopyDelta<'c>]) -> &'c CopyDelta<'c> {
        let newer = |a: &&CopyDelta<'_>, b: &&CopyDelta<'_>| {
            self.scheme.compare(a.found.version_or_dash(), b.found.version_or_dash()).unwrap_or(Ordering::Equal)
        };
        copies.iter().copied().max_by(newer).unwrap_or(copies[0])
    }

    fn differs(&self, copy: &CopyDelta<'_>) -> Option<Finding> {
        let found = copy.found;
        let code = match copy.difference {
            ReleaseDifference::None => return self.misnamed(found),
            ReleaseDifference::Bytes => Code::ContentDiffers,
            ReleaseDifference::Older => Code::VersionOlder,
            ReleaseDifference::Newer => Code::VersionNewer,
            ReleaseDifference::Other => Code::VersionOther,
        };
        let version = found.version_or_dash();
        let mut finding = self.finding(code).at(found.path.as_str()).found(version);
        if code == Code::ContentDiffers {
            finding.entries = changed_entries(self.sealed, found, Some(self.one.shelf));
            finding = finding.found(Stated::WithOtherBytes(version.to_owned()));
        }
        Some(finding)
    }

    fn misnamed(&self, found: &SurveyedMod) -> Option<Finding> {
        let (at, wanted) = match self.one.shelf.same_name(&found.name, &self.sealed.name) {
            true => found.misnamed_beside(self.one.shelf)?,
            false => (&found.path, self.sealed.name.clone()),
        };
        let (finding, name) = (self.finding(Code::WrongName).at(at.as_str()).expected(&wanted), at.name().to_owned());
        let own = if *at == found.path { found.name.clone() } else { name };
        Some(finding.found(match is_put_together_otherwise(&own, &wanted) {
            true => Stated::PutTogetherOtherwise(own),
            false => Stated::Verbatim(own),
        }))
    }
}

/// Whether a version is no more than a digest of the bytes.
fn is_digest(version: &str) -> bool {
    version.len() >= 32 && version.chars().all(|c| c.is_ascii_hexdigit())
}

/// Which entries inside a mod differ: members of an archive by size and checksum, files of a folder by digest.
///
/// Empty when the lists were cut, or when only the packing differs and not what is packed. What belongs to whoever plays is no
/// difference, unless it is to be everybody's.
pub fn changed_entries(sealed: &SealedMod, found: &SurveyedMod, shelf: Option<&Shelf>) -> Vec<EntryChange> {
    let cut = sealed.members.len() < sealed.members_total || found.members.len() < found.members_total;
    if cut {
        return Vec::new();
    }
    if sealed.members_total > 0 || found.members_total > 0 {
        let of =
            |members: &[crate::manifest::Member]| members.iter().map(|m| (m.path.clone(), (m.size, m.crc32))).collect();
        let mut all = differences(&of(&sealed.members), &of(&found.members));
        let besides = differences(&beside_sealed(sealed), &beside_found(sealed, found));
        all.extend(besides.into_iter().filter(|entry| entry.path != sealed.name));
        return all;
    }
    // Of a mod that is one file its digest says all.
    if sealed.files.len() == 1 && found.files.len() == 1 && found.files[0].path == found.path {
        return Vec::new();
    }
    if !found.is_folder() {
        return differences(&beside_sealed(sealed), &beside_found(sealed, found));
    }
    let is_own = |inner: &str| shelf.is_some_and(|shelf| shelf.is_setting(inner));
    let counts = |inner: &&str| !inner.is_empty() && (sealed.same_settings || !is_own(inner));
    let of_sealed = |file: &SealedFile| match file.inner() {
        Some(inner) => Some(inner).filter(counts).map(str::to_owned),
        None => Some(file.path.to_string()),
    };
    let wanted: BTreeMap<String, Blake3> =
        sealed.files.iter().filter_map(|file| Some((of_sealed(file)?, file.blake3))).collect();
    let is_meant = |inner: &&str| counts(inner) && (!is_own(inner) || wanted.contains_key(*inner));
    let of_found = |file: &SurveyedFile| match &file.beside {
        Some(called) => Some(called.of(&sealed.name)),
        None => file.path.below(&found.path).filter(is_meant).map(str::to_owned),
    };
    let there = found.files.iter().filter_map(|file| Some((of_found(file)?, file.blake3))).collect();
    differences(&wanted, &there)
}

/// The files of a mod that lie side by side, by name.
fn beside_sealed(sealed: &SealedMod) -> BTreeMap<String, Blake3> {
    let beside = sealed.files.iter().filter(|file| file.inner().is_none());
    beside.map(|file| (file.path.to_string(), file.blake3)).collect()
}

/// The same of a mod that was found, by the names that its files have in the set.
fn beside_found(sealed: &SealedMod, found: &SurveyedMod) -> BTreeMap<String, Blake3> {
    let name = |file: &SurveyedFile| file.beside.as_ref().map_or_else(|| sealed.name.clone(), |c| c.of(&sealed.name));
    found.files.iter().map(|file| (name(file), file.blake3)).collect()
}

fn differences<T: PartialEq>(expected: &BTreeMap<String, T>, found: &BTreeMap<String, T>) -> Vec<EntryChange> {
    let gone = expected.iter().filter_map(|(path, value)| match found.get(path) {
        None => Some((path, Change::Gone)),
        Some(other) if other != value => Some((path, Change::Changed)),
        Some(_) => None,
    });
    let added = found.keys().filter(|path| !expected.contains_key(*path)).map(|path| (path, Change::Added));
    let mut all: Vec<EntryChange> =
        gone.chain(added).map(|(path, change)| EntryChange { path: path.clone(), change }).collect();
    all.sort_by(|a, b| a.path.cmp(&b.path));
    all
}
