//! Everything on offer to a workspace: sources, catalogues, installs and the last canon, as one list to choose from.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::base::path::InstallPath;
use kanon_core::canon::Canon;
use kanon_core::config::{ModWish, WorkspaceConfig};
use kanon_core::manifest::ModManifest;
use kanon_core::resolve::catalogue::{CataloguedMod, CataloguedRelease, NotAsPromised};
use kanon_core::resolve::solve::{self, Puzzle, SourceRank, first_look};
use kanon_core::rulebook::{Named, Role, Rulebook};
use kanon_core::seal::{Candidate, Choice, Damaged, Pins, asks, listed};
use kanon_core::survey::{Survey, SurveyedKey, SurveyedMod};
use kanon_io::bytes::{self, Bytes};
use kanon_io::downloads::Found;
use kanon_io::error::{During, ReachError};
use kanon_io::install::Install;
use kanon_io::room::{Need, refuse_lack};
use kanon_io::whole;

use crate::error::{AppError, SourceError};
use crate::notice::Notice;
use crate::observer::Task;
use crate::session::{KnownNames, Listed, Session, Target};
use crate::wholeness;

/// A release on offer, with what people ask about it.
pub struct Offer {
    /// What it says of itself.
    pub manifest: ModManifest,
    /// The source or install that has it.
    pub place: String,
    /// How far that place is trusted.
    pub trust: SourceRank,
    /// The day on which it came out.
    pub date: Option<String>,
    /// What is new in it.
    pub notes: Option<String>,
    /// What the mod is, in a sentence.
    pub about: Option<String>,
    /// The digest of the mod once it is installed.
    pub digest: Blake3,
    /// What its file or folder is called once it is installed.
    pub name: String,
    /// The public keys that it brings.
    pub keys: BTreeSet<Blake3>,
}

/// Everything on offer.
pub struct Offers {
    /// Every release at every place.
    pub items: Vec<Offer>,
    /// What lies on this machine, by source.
    sources: Vec<(String, Found)>,
    catalogues: Vec<Listed>,
    installs: Vec<(Role, PathBuf, Survey)>,
    /// Installs on hosts, that were looked at because something is nowhere else.
    hosts: Vec<(Role, Arc<dyn Install>, Survey)>,
    /// Copies that are no whole mods.
    damaged: Vec<Damaged>,
    last: Option<Canon>,
    known_names: KnownNames,
}

impl Offers {
    /// Surveys installs, looks through sources and fetches catalogues.
    pub fn gather(session: &mut Session<'_>) -> Result<Self, AppError> {
        let last = session.last_canon()?;
        let mut installs = session.installs()?;
        let catalogues = session.catalogues()?;
        let known_names = known_names(&installs, last.as_ref());
        let mut sources = session.sources(&known_names)?;
        let mut damaged = Vec::new();
        for (_, root, survey) in &mut installs {
            damaged.extend(wholeness::take_out(session, root, survey, last.as_ref())?);
        }
        for held in sources.iter_mut().flat_map(|(_, found)| &mut found.held) {
            damaged.extend(wholeness::take_out(session, &held.root, &mut held.survey, last.as_ref())?);
        }
        let mut stock =
            Self { items: Vec::new(), sources, catalogues, installs, hosts: Vec::new(), damaged, last, known_names };
        stock.items = stock.all_items(session);
        stock.tell_refused(session)?;
        Ok(stock)
    }

    /// Looks at installs on hosts too, where a wish is for what one of them has, or for what nothing on this machine has.
    pub fn look_at_hosts(&mut self, session: &mut Session<'_>, wishes: &WorkspaceConfig) -> Result<(), AppError> {
        let versions = session.loaded.rulebook.versions;
        let is_here = |wish: &ModWish| {
            self.items.iter().any(|item| {
                item.trust != SourceRank::Canon
                    && item.manifest.id == wish.id
                    && wish.admits(item.manifest.version.as_deref(), versions)
                    && wish.from.as_deref().is_none_or(|from| from == item.place)
            })
        };
        let lacking: Vec<&ModWish> = wishes.mods.iter().filter(|wish| !is_here(wish)).collect();
        for install in &wishes.installs {
            let may_have = |wish: &&&ModWish| wish.from.as_deref().is_none_or(|from| install.name == *from);
            if !session.is_remote(&install.name) || !lacking.iter().any(|wish| may_have(&wish)) {
                continue;
            }
            let Target::Install(placed) = session.target(&install.name, None)? else { continue };
            let opened = session.open_install(&placed)?;
            let survey = session.survey(Target::Install(placed))?.survey;
            self.hosts.push((install.role, opened, survey));
        }
        Ok(())
    }

    /// Fetches the bytes of a choice that only hosts have into the workspace's store. Gives what came damaged.
    pub fn fetch_from_hosts(&self, session: &Session<'_>, choice: &Choice) -> Result<Vec<Damaged>, AppError> {
        let store = session.workspace()?.store();
        let files = choice.picks.iter().flat_map(|pick| &pick.sealed.files).map(|file| (file.blake3, file.size));
        let keys = choice.picks.iter().flat_map(|pick| &pick.keys).map(|key| (key.blake3, key.size));
        let sizes: BTreeMap<Blake3, u64> = files.chain(keys).collect();
        let lacking = self.bytes(&store, &sizes.keys().copied().collect()).lacking(&sizes.keys().copied().collect());
        let on_hosts: Vec<(Blake3, &Arc<dyn Install>, InstallPath, &Survey)> =
            lacking.iter().filter_map(|digest| self.on_host(*digest)).collect();
        if on_hosts.is_empty() {
            return Ok(Vec::new());
        }
        let bytes: u64 = on_hosts.iter().filter_map(|(digest, ..)| sizes.get(digest)).sum();
        let installs: BTreeSet<&InstallName> = on_hosts.iter().map(|(.., survey)| &survey.install.name).collect();
        let installs = installs.into_iter().cloned().collect();
        session.observer.notice(Notice::FetchedFromHosts { files: on_hosts.len(), bytes, installs });
        refuse_lack("fetch what is on a host", &[(&store, Need { bytes, files: on_hosts.len() as u64 })])?;
        let bar = session.observer.begin(Task::Fetching);
        bar.ahead(bytes);
        let mut damaged = Vec::new();
        for (digest, install, path, survey) in on_hosts {
            let outside = install.outside(&path);
            let (mut source, _) = install.open_file(&path).during("fetch", &outside)?;
            let kept = bytes::keep_read(&mut source, digest, &store)?.ok_or(ReachError::Changed(outside))?;
            bar.done(sizes.get(&digest).copied().unwrap_or(0));
            if let Some(why) = whole::fault(&kept).during("read", &kept)? {
                std::fs::remove_file(&kept).during("remove", &kept)?;
                let of = survey.mods.iter().find(|found| found.files.iter().any(|file| file.blake3 == digest));
                damaged.push(Damaged {
                    id: of.map_or_else(|| path.as_str().into(), |found| found.manifest.id.clone()),
                    version: of.and_then(|found| found.manifest.version.clone()),
                    place: survey.install.name.clone().into(),
                    path: path.to_string(),
                    why: why.to_string(),
                });
            }
        }
        Ok(damaged)
    }

    fn on_host(&self, digest: Blake3) -> Option<(Blake3, &Arc<dyn Install>, InstallPath, &Survey)> {
        self.hosts.iter().find_map(|(_, install, survey)| {
            let mut files = survey.mods.iter().flat_map(|found| &found.files);
            let file = files.find(|file| file.blake3 == digest).map(|file| &file.path);
            let key = || survey.keys.iter().find(|key| key.blake3 == digest).map(|key| &key.path);
            Some((digest, install, file.or_else(key)?.clone(), survey))
        })
    }

    fn is_catalogue(&self, place: &str) -> bool {
        self.catalogues.iter().any(|listed| listed.name == place)
    }

    /// What catalogues promise, whether it is here or not.
    pub fn promised(&self) -> impl Iterator<Item = &Offer> {
        self.items.iter().filter(|item| self.is_catalogue(&item.place))
    }

    /// Copies that are no whole mods.
    pub fn damaged(&self) -> &[Damaged] {
        &self.damaged
    }

    fn all_items(&self, session: &Session<'_>) -> Vec<Offer> {
        let mut items = Vec::new();
        for (name, found) in self.sources.iter().filter(|(name, _)| !self.is_catalogue(name)) {
            items.extend(found.mods().map(|(held, mod_)| {
                item(name, SourceRank::Source, &self.completed(session, mod_), held.survey.keys_of(mod_))
            }));
        }
        for listed in &self.catalogues {
            let releases = listed.catalogue.mods.iter().flat_map(|of| of.releases.iter().map(move |one| (of, one)));
            items.extend(releases.map(|(of, release)| listed_item(&listed.name, of, release)));
        }
        for (role, _, survey) in &self.installs {
            items.extend(survey.mods.iter().filter(|found| found.enabled).map(|found| {
                let name = &survey.install.name;
                item(name, SourceRank::of_install(*role), &self.completed(session, found), survey.keys_of(found))
            }));
        }
        for sealed in self.last.iter().flat_map(|last| &last.mods) {
            items.push(Offer {
                manifest: sealed.manifest.clone(),
                place: "canon".to_owned(),
                trust: SourceRank::Canon,
                date: None,
                notes: None,
                about: None,
                digest: sealed.digest,
                name: sealed.name.clone(),
                keys: self.last.iter().flat_map(|last| last.keys_of(sealed.manifest.id.as_str())).collect(),
            });
        }
        items
    }

    /// Downloads that are no mods of this game are told once, so that nobody waits for them.
    fn tell_refused(&self, session: &Session<'_>) -> Result<(), AppError> {
        for notice in self.refused() {
            let mark = notice.mark().unwrap_or_default();
            if session.state.is_news(&mark)? || session.observer.tells_again() {
                session.observer.notice(notice);
            }
        }
        Ok(())
    }

    fn refused(&self) -> Vec<Notice> {
        let mut notices = Vec::new();
        for (name, found) in &self.sources {
            for (file, why) in &found.refused {
                let file = file.file_name().map(|file| file.to_string_lossy().into_owned()).unwrap_or_default();
                notices.push(Notice::DownloadPassedOver { file, source: name.clone(), why: why.to_string() });
            }
        }
        for Damaged { path, place, why, .. } in &self.damaged {
            let (path, place, why) = (path.clone(), place.clone(), why.clone());
            notices.push(Notice::DamagedPassedOver { path, place, why });
        }
        notices
    }

    /// A puzzle of all that is on offer, without anything asked.
    pub fn puzzle<'s>(&'s self, session: &'s Session<'_>, wishes: &'s WorkspaceConfig) -> Puzzle<'s> {
        let offer = |item: &'s Offer| solve::Offer {
            manifest: &item.manifest,
            place: &item.place,
            trust: item.trust,
            date: item.date.as_deref(),
        };
        Puzzle {
            versions: session.loaded.rulebook.versions,
            game_version: wishes.game_version.as_deref(),
            loader_version: wishes.loader_version.as_deref(),
            runtime_version: wishes.runtime_version.as_deref(),
            asks: Vec::new(),
            offers: self.items.iter().map(offer).collect(),
            open: true,
        }
    }

    /// The same for choosing anew: what only a player has counts just where nobody else has the mod, or where the wish is
    /// for that very release.
    pub fn puzzle_for_updates<'s>(&'s self, session: &'s Session<'_>, wishes: &'s WorkspaceConfig) -> Puzzle<'s> {
        let mut puzzle = self.puzzle(session, wishes);
        let others: BTreeSet<FoldedId> = puzzle
            .offers
            .iter()
            .filter(|offer| offer.trust < SourceRank::Client)
            .map(|offer| offer.manifest.id.clone())
            .collect();
        let versions = puzzle.versions;
        puzzle.offers.retain(|offer| {
            let id = offer.manifest.id.clone();
            let wished = || wishes.mods.iter().find(|wish| wish.id == id);
            let is_wished = || wished().is_some_and(|wish| wish.pinned(versions) == offer.manifest.version.as_deref());
            offer.trust != SourceRank::Client || !others.contains(&id) || is_wished()
        });
        puzzle
    }

    /// A release of a mod: at a place if it is there, else where it is most trusted.
    pub fn item(&self, id: &str, version: Option<&str>, place: Option<&str>) -> Option<&Offer> {
        let of = |item: &&Offer| item.manifest.id == id && item.manifest.version.as_deref() == version;
        self.items.iter().filter(of).min_by_key(|item| (Some(item.place.as_str()) != place, item.trust))
    }

    /// The release that each wish stands for now, by folded id: what fits as a whole, else the best for each.
    pub fn current<'s>(
        &'s self,
        session: &'s Session<'_>,
        wishes: &'s WorkspaceConfig,
    ) -> BTreeMap<FoldedId, &'s Offer> {
        let pins = self.pins(session, wishes);
        let versions = session.loaded.rulebook.versions;
        let current = wishes.mods.iter().filter_map(|wish| {
            let id = wish.id.clone();
            let from = wish.from.as_deref();
            let found = match pins.get(&id) {
                Some(version) => self.item(wish.id.as_str(), Some(version), from),
                None => {
                    let admitted = |item: &&Offer| {
                        item.manifest.id.clone() == id && wish.admits(item.manifest.version.as_deref(), versions)
                    };
                    self.items
                        .iter()
                        .filter(admitted)
                        .min_by_key(|item| (Some(item.place.as_str()) != from, item.trust))
                }
            };
            Some((id, found?))
        });
        current.collect()
    }

    /// The releases of a set of the wishes alone that fits as a whole; nothing when there is none.
    pub fn pins(&self, session: &Session<'_>, wishes: &WorkspaceConfig) -> Pins {
        let puzzle = Puzzle { asks: asks(wishes), open: false, ..self.puzzle(session, wishes) };
        let Some(set) = first_look(&puzzle) else { return Pins::new() };
        let version = |manifest: &ModManifest| manifest.version.clone();
        set.chosen.iter().filter_map(|(id, chosen)| Some((id.clone(), version(chosen.offer.manifest)?))).collect()
    }

    /// Downloads from catalogues what the wishes stand for and nothing at hand has.
    pub fn fetch(&mut self, session: &mut Session<'_>, wishes: &WorkspaceConfig, pins: &Pins) -> Result<(), AppError> {
        let progress = session.observer.begin(Task::Downloading);
        for wish in &wishes.mods {
            for listed in &self.catalogues {
                let Some((of, release)) = self.wanted_of(listed, session, wish, pins) else { continue };
                if self.at_hand(release.digest) || self.other_place_has(listed, wish, release) {
                    continue;
                }
                let file = listed.remote.download(&release.download, &listed.downloads, progress.as_ref())?;
                let found =
                    session.downloads(&listed.name, file.parent().unwrap_or(&listed.downloads), &self.known_names)?;
                verify(of, release, &found).map_err(|why| SourceError::BrokenPromise {
                    id: of.id.clone(),
                    version: wish_version(release).to_owned(),
                    source: listed.name.clone(),
                    why: why.to_string(),
                })?;
                let own = self.sources.iter_mut().filter(|(name, _)| *name == listed.name);
                own.for_each(|(_, known)| known.held.extend(found.held.iter().cloned()));
                break;
            }
        }
        Ok(())
    }

    /// What a catalogue has for a wish.
    fn wanted_of<'l>(
        &self,
        listed: &'l Listed,
        session: &Session<'_>,
        wish: &ModWish,
        pins: &Pins,
    ) -> Option<(&'l CataloguedMod, &'l CataloguedRelease)> {
        let of = listed.of(wish.id.as_str())?;
        let versions = session.loaded.rulebook.versions;
        let pinned = pins.get(&wish.id).map(String::as_str).or_else(|| wish.pinned(versions));
        let release = match pinned {
            Some(pin) => of.releases.iter().find(|release| release.version.as_deref() == Some(pin)),
            None => {
                of.releases.iter().filter(|release| wish.admits(release.version.as_deref(), versions)).max_by(|a, b| {
                    versions.scheme.compare(wish_version(a), wish_version(b)).unwrap_or(std::cmp::Ordering::Equal)
                })
            }
        }?;
        // What is not yet sealed may be anywhere; a wish that names its place means just that one.
        wish.from.as_deref().is_none_or(|from| from == listed.name).then_some((of, release))
    }

    fn at_hand(&self, digest: Blake3) -> bool {
        self.sources.iter().any(|(_, found)| found.mods().any(|(_, mod_)| mod_.digest == digest))
    }

    /// Whether the very same mod can be had without a download: from an install, or, where any place will do, from a folder.
    fn other_place_has(&self, listed: &Listed, wish: &ModWish, release: &CataloguedRelease) -> bool {
        let others = self.items.iter().filter(|item| item.place != listed.name && item.trust != SourceRank::Canon);
        let mut of = others.filter(|item| item.manifest.id == wish.id);
        of.any(|item| {
            item.digest == release.digest || (wish.from.is_none() && item.manifest.version == release.version)
        })
    }

    /// What can be sealed: all that lies on this machine. What a catalogue promises, and some place has, counts as the
    /// catalogue's, with what only the catalogue says of it.
    pub fn candidates(&self, session: &Session<'_>) -> Candidates<'_> {
        let mut whole: Vec<AtHand<'_>> = Vec::new();
        for listed in &self.catalogues {
            let here = self.sources.iter().filter(|(name, _)| *name == listed.name);
            let downloaded = here.flat_map(|(_, found)| found.mods()).map(|(held, mod_)| (&held.survey, mod_));
            let installed =
                self.installs.iter().flat_map(|(_, _, survey)| survey.mods.iter().map(move |m| (survey, m)));
            for (survey, found) in downloaded.chain(installed) {
                if let Some(promised) = promised(listed, found) {
                    let mut found_there = completed(session, found, promised);
                    let shelf = session.loaded.rulebook.shelf(&found.shelf);
                    // A name that the game would pass over is no name for it, whatever the catalogue says.
                    if shelf.is_some_and(|shelf| shelf.classify(&promised.name) == Named::Enabled) {
                        found_there.name.clone_from(&promised.name);
                    }
                    whole.push((
                        &listed.name,
                        SourceRank::Source,
                        Cow::Owned(found_there),
                        survey.keys_of(found).collect(),
                    ));
                }
            }
        }
        for (name, found) in self.sources.iter().filter(|(name, _)| !self.is_catalogue(name)) {
            let mods = found.mods().map(|(held, mod_)| (mod_, held.survey.keys_of(mod_).collect()));
            whole.extend(
                mods.map(|(mod_, keys)| (name.as_str(), SourceRank::Source, self.completed(session, mod_), keys)),
            );
        }
        let hosts = self.hosts.iter().map(|(role, _, survey)| (role, survey));
        for (role, survey) in self.installs.iter().map(|(role, _, survey)| (role, survey)).chain(hosts) {
            let enabled = survey.mods.iter().filter(|found| found.enabled);
            let name = survey.install.name.as_str();
            whole.extend(enabled.map(|found| {
                (name, SourceRank::of_install(*role), self.completed(session, found), survey.keys_of(found).collect())
            }));
        }
        Candidates(whole)
    }

    /// A mod with what only a catalogue says of these very bytes.
    fn completed<'s>(&self, session: &Session<'_>, found: &'s SurveyedMod) -> Cow<'s, SurveyedMod> {
        match self.catalogues.iter().find_map(|listed| promised(listed, found)) {
            Some(promised) => Cow::Owned(completed(session, found, promised)),
            None => Cow::Borrowed(found),
        }
    }

    /// Where the bytes of digests are, by what was surveyed already.
    pub fn bytes(&self, store: &Path, wanted: &BTreeSet<Blake3>) -> Bytes {
        let mut bytes = Bytes::default();
        bytes.look_into_store(store, wanted);
        for held in self.sources.iter().flat_map(|(_, found)| &found.held) {
            bytes.look_into_survey(&held.root, &held.survey, wanted);
        }
        for (_, root, survey) in &self.installs {
            bytes.look_into_survey(root, survey, wanted);
        }
        bytes
    }

    /// Whether a source on this machine has a file of that digest.
    pub fn source_files(&self) -> BTreeSet<Blake3> {
        let mods = self.sources.iter().flat_map(|(_, found)| found.mods());
        mods.flat_map(|(_, found)| &found.files).map(|file| file.blake3).collect()
    }

    /// What a release says is new in it.
    pub fn notes(&self, id: &str, version: Option<&str>) -> Option<String> {
        let of = |item: &&Offer| item.manifest.id == id && item.manifest.version.as_deref() == version;
        self.items.iter().filter(of).find_map(|item| item.notes.clone())
    }

    /// Ids in the order of the first server's own list, where it has one whose order matters.
    pub fn listed(&self, rulebook: &Rulebook) -> Vec<FoldedId> {
        listed(self.installs.iter().map(|(_, _, survey)| survey), rulebook)
    }

    /// The last canon.
    pub const fn last(&self) -> Option<&Canon> {
        self.last.as_ref()
    }

    /// The public keys that a mod brings as it is now: in the canon, or on the first install that has it.
    pub fn keys_now(&self, id: &str) -> Option<BTreeSet<Blake3>> {
        if let Some(last) = self.last.as_ref().filter(|last| last.mods.iter().any(|m| m.manifest.id == id)) {
            return Some(last.keys_of(id));
        }
        let here = self
            .items
            .iter()
            .find(|item| matches!(item.trust, SourceRank::Server | SourceRank::Client) && item.manifest.id == id);
        here.map(|item| item.keys.clone())
    }
}

/// A mod that lies on this machine, where, and the keys that it brings.
type AtHand<'s> = (&'s str, SourceRank, Cow<'s, SurveyedMod>, Vec<&'s SurveyedKey>);

/// What can be sealed.
pub struct Candidates<'s>(Vec<AtHand<'s>>);

impl Candidates<'_> {
    /// As the core wants them.
    pub fn list(&self) -> Vec<Candidate<'_>> {
        let list = self.0.iter().map(|(place, trust, found, keys)| Candidate {
            place,
            trust: *trust,
            found,
            keys: keys.clone(),
        });
        list.collect()
    }
}

/// The release that a catalogue promises to be these very bytes, if the mod is the one it says.
fn promised<'l>(listed: &'l Listed, found: &SurveyedMod) -> Option<&'l CataloguedRelease> {
    let of = listed.of(found.manifest.id.as_str())?;
    let mut releases = of.releases.iter();
    releases.find(|release| release.holds_true(of.id.as_str(), &found.manifest, found.digest).is_ok())
}

fn completed(session: &Session<'_>, found: &SurveyedMod, promised: &CataloguedRelease) -> SurveyedMod {
    let shelf = session.loaded.rulebook.shelf(&found.shelf);
    let mut whole = found.clone();
    promised.complete(&mut whole.manifest, shelf.is_some_and(|shelf| !shelf.read.needed_on.0.is_empty()));
    whole
}

/// Holds a download against what the catalogue promised.
fn verify(of: &CataloguedMod, release: &CataloguedRelease, found: &Found) -> Result<(), NotAsPromised> {
    let mut last = match found.refused.first() {
        Some((_, why)) => NotAsPromised::Refused(why.to_string()),
        None => NotAsPromised::Nothing,
    };
    for (_, mod_) in found.mods() {
        match release.holds_true(of.id.as_str(), &mod_.manifest, mod_.digest) {
            Ok(()) => return Ok(()),
            Err(why) => last = why,
        }
    }
    Err(last)
}

fn wish_version(release: &CataloguedRelease) -> &str {
    release.version.as_deref().unwrap_or("-")
}

fn known_names(installs: &[(Role, PathBuf, Survey)], last: Option<&Canon>) -> KnownNames {
    let installed = installs.iter().flat_map(|(_, _, survey)| &survey.mods).filter(|found| found.enabled);
    let mut names: KnownNames =
        installed.map(|found| ((found.shelf.clone(), found.manifest.id.clone()), found.name.clone())).collect();
    let sealed = last.iter().flat_map(|last| &last.mods);
    names.extend(sealed.map(|sealed| ((sealed.shelf.clone(), sealed.manifest.id.clone()), sealed.name.clone())));
    names
}

fn item<'k>(place: &str, trust: SourceRank, found: &SurveyedMod, keys: impl Iterator<Item = &'k SurveyedKey>) -> Offer {
    Offer {
        manifest: found.manifest.clone(),
        place: place.to_owned(),
        trust,
        date: None,
        notes: None,
        about: None,
        digest: found.digest,
        name: found.name.clone(),
        keys: keys.map(|key| key.blake3).collect(),
    }
}

fn listed_item(place: &str, of: &CataloguedMod, release: &CataloguedRelease) -> Offer {
    Offer {
        manifest: release.manifest(of),
        place: place.to_owned(),
        trust: SourceRank::Source,
        date: release.date.clone(),
        notes: release.notes.clone(),
        about: of.about.clone(),
        digest: release.digest,
        name: release.name.clone(),
        keys: release.keys.iter().copied().collect(),
    }
}
