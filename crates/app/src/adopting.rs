//! What is on an install becomes what is asked for: looked at, narrowed by a person, known again in sources, and written down.

use std::collections::BTreeSet;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::version::Versions;
use kanon_core::config::{self, Edit, Edited, ModWish, WorkspaceConfig};
use kanon_core::resolve::solve::SourceRank;
use kanon_core::rulebook::{NeededOn, Role};
use kanon_core::seal::Damaged;
use kanon_core::seal::adopted::{PassedOver, adopted};
use kanon_core::survey::Survey;
use kanon_io::writing::write_whole;
use serde::Serialize;

use crate::error::{AdoptError, AppError};
use crate::notice::Notice;
use crate::offers::{Offer, Offers};
use crate::places::{Place, Placed};
use crate::session::{Session, Target};
use crate::wholeness;

/// An install that is adopted.
pub struct Adopting {
    /// What was measured on it.
    pub survey: Survey,
    /// What was passed over, and why.
    pub passed_over: Vec<(String, PassedOver)>,
    /// Mods that are no whole ones.
    pub damaged: Vec<Damaged>,
    /// Mods that only this client has and that nobody said every player is to have.
    pub left_out: Vec<FoldedId>,
    /// Whether nothing that was asked for is broken or there twice.
    pub is_whole: bool,
    wishes: Vec<ModWish>,
}

/// What adopting came to.
pub struct Adopted {
    /// What was written.
    pub edited: Edited,
    /// What is wished for and the install does not have.
    pub not_there: Vec<FoldedId>,
    /// Releases that a source has too.
    pub recognised: Vec<Recognised>,
}

/// A mod of the install that a source knows.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Serialize)]
pub struct Recognised {
    /// The mod.
    #[serde(rename = "mod")]
    pub mod_id: FoldedId,
    /// The release.
    pub version: Option<String>,
    /// The source.
    pub source: String,
    /// How it was known.
    pub by: KnownBy,
}

/// How a mod was known again in a source.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum KnownBy {
    /// By its bytes.
    Digest,
    /// By what it says of itself.
    Metadata,
    /// By the name of its file or folder.
    Name,
}

impl Adopting {
    /// Measures an install, and takes out what is no whole mod.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn look(session: &mut Session<'_>, target: Target) -> Result<Self, AppError> {
        let (from, root) = match &target {
            Target::Install(placed) => {
                let is_known = session.workspace().is_ok_and(|w| w.config.install(&placed.name).is_some());
                let root =
                    if let Placed { place: Place::Folder(root), .. } = placed { Some(root.clone()) } else { None };
                (is_known.then(|| placed.name.clone()), root)
            }
            Target::Survey(_) => (None, None),
        };
        let mut survey = session.survey(target)?.survey;
        let last = session.last_canon()?;
        let damaged = match &root {
            Some(root) => wholeness::take_out(session, root, &mut survey, last.as_ref())?,
            None => Vec::new(),
        };
        let adoption = adopted(&survey, from.as_deref(), &session.loaded.rulebook);
        // What is switched off or another loader's is passed over as it should be; what is broken or there twice was asked for.
        let is_whole = damaged.is_empty() && survey.unreadable.is_empty() && !adoption.is_ambiguous();
        let (wishes, passed_over) = (adoption.wishes, adoption.passed_over);
        Ok(Self { survey, passed_over, damaged, left_out: Vec::new(), is_whole, wishes })
    }

    /// Keeps only some mods, or all but some.
    ///
    /// # Errors
    /// When an id is named that the install does not have: it is a slip of the pen.
    pub fn narrow(&mut self, only: &[String], except: &[String]) -> Result<(), AppError> {
        let known = || self.survey.mods.iter().map(|found| found.manifest.id.clone());
        if let Some(id) = only.iter().chain(except).find(|id| !known().any(|known| known == **id)) {
            let install = self.survey.install.name.clone();
            return Err(AdoptError::NoSuchMod { install, id: id.clone(), known: known().collect() }.into());
        }
        let named = |ids: &[String], id: &FoldedId| ids.iter().any(|one| id == one);
        self.wishes.retain(|wish| !named(except, &wish.id) && (only.is_empty() || named(only, &wish.id)));
        Ok(())
    }

    /// What this client has and no server of the workspace, although it would be needed there: a player's own mods, as a rule.
    /// Without a server that can be looked at, nothing is known of that; of a server itself neither.
    ///
    /// # Errors
    /// When the workspace can't be read.
    pub fn own_mods(&self, session: &mut Session<'_>) -> Result<Vec<FoldedId>, AppError> {
        if self.survey.install.role != Role::Client {
            return Ok(Vec::new());
        }
        let installs = session.workspace()?.config.installs.clone();
        let (mut on_servers, mut looked) = (BTreeSet::new(), false);
        for server in installs.iter().filter(|install| install.role == Role::Server) {
            let target = session.target(&server.name, None);
            match target.and_then(|target| session.survey(target)) {
                Ok(surveyed) => {
                    looked = true;
                    for found in &surveyed.survey.mods {
                        on_servers.extend(found.manifest.provides.iter().cloned());
                        on_servers.insert(found.manifest.id.clone());
                    }
                    let listed = surveyed.survey.lists.iter().flat_map(|list| &list.entries);
                    on_servers.extend(listed.map(|entry| entry.id.clone()));
                }
                Err(error) => session.observer.notice(Notice::ServerNotSeen {
                    server: server.name.clone(),
                    install: self.survey.install.name.clone(),
                    error,
                }),
            }
        }
        if !looked {
            return Ok(Vec::new());
        }
        let before = &session.workspace()?.config.mods;
        let is_wished = |id: &FoldedId| before.iter().any(|wish| wish.id == *id);
        let needed_on = |wish: &ModWish| {
            let found = self.survey.mods.iter().find(|found| found.manifest.id == wish.id);
            wish.needed_on.or_else(|| found.map(|found| found.manifest.needed_on)).unwrap_or_default()
        };
        let own = self.wishes.iter().filter(|wish| {
            needed_on(wish).includes(Role::Server) && !on_servers.contains(&wish.id) && !is_wished(&wish.id)
        });
        Ok(own.map(|wish| wish.id.clone()).collect())
    }

    /// Settles what becomes of a mod that only a client has: asked for on clients, or left out.
    pub fn settle_own(&mut self, id: &FoldedId, is_for_players: bool) {
        if is_for_players {
            let meant = self.wishes.iter_mut().filter(|wish| wish.id == *id);
            meant.for_each(|wish| wish.needed_on = Some(NeededOn::Client));
        } else {
            self.wishes.retain(|wish| wish.id != *id);
            self.left_out.push(id.clone());
        }
    }

    /// Finds the mods again in sources, keeps what was said of them before, and writes `kanon.toml`.
    ///
    /// # Errors
    /// When a source can't be read, or the file can't be edited or written.
    pub fn write(&mut self, session: &mut Session<'_>) -> Result<Adopted, AppError> {
        let recognised = match session.workspace()?.config.sources.is_empty() {
            true => Vec::new(),
            false => recognise(&mut self.wishes, &self.survey, &Offers::gather(session)?),
        };
        let workspace = session.workspace()?;
        keep_what_was_said(&mut self.wishes, &workspace.config, session.loaded.rulebook.versions);
        let found = &self.survey.install;
        let versions = [&found.game_version, &found.loader_version, &found.runtime_version];
        let versions_found = versions.map(|version| version.as_deref());
        let edit = Edit { put: &self.wishes, versions_found, ..Edit::default() };
        let edited = config::edit(&workspace.text, &edit).map_err(|error| AdoptError::NotEdited(Box::new(error)))?;
        if edited.text != workspace.text {
            write_whole(&workspace.wishes_path(), &edited.text)?;
        }
        let is_here = |id: &FoldedId| self.wishes.iter().any(|wish| wish.id == *id);
        let wished = workspace.config.mods.iter().map(|wish| wish.id.clone());
        Ok(Adopted { not_there: wished.filter(|id| !is_here(id)).collect(), edited, recognised })
    }
}

/// Finds the mods of an install among the sources: by their bytes, by what they say of themselves, by their names.
fn recognise(wishes: &mut [ModWish], survey: &Survey, offers: &Offers) -> Vec<Recognised> {
    let mut recognised = Vec::new();
    for wish in wishes {
        let Some(found) = survey.mods.iter().find(|found| found.enabled && found.manifest.id == wish.id) else {
            continue;
        };
        let known = |by, item: &Offer| Recognised {
            mod_id: wish.id.clone(),
            version: item.manifest.version.clone(),
            source: item.place.clone(),
            by,
        };
        let mut in_sources = offers.items.iter().filter(|item| item.trust == SourceRank::Source);
        let same_id = |item: &&Offer| item.manifest.id == wish.id;
        let same_bytes = |item: &&Offer| item.digest == found.digest && !found.files.is_empty();
        if let Some(item) = in_sources.clone().find(|item| same_id(item) && same_bytes(item)) {
            recognised.push(known(KnownBy::Digest, item));
            wish.version.clone_from(&item.manifest.version);
            wish.from = Some(item.place.clone());
        } else if let Some(item) = in_sources
            .clone()
            .find(|item| same_id(item) && wish.version.is_some() && item.manifest.version == wish.version)
        {
            recognised.push(known(KnownBy::Metadata, item));
        } else if wish.version.is_none()
            && let Some(item) = in_sources.find(|item| same_id(item) && item.name == found.name)
        {
            recognised.push(known(KnownBy::Name, item));
        }
    }
    recognised
}

/// What the administrator said of a mod before counts on: who asked for it, and what an update may choose.
fn keep_what_was_said(wishes: &mut [ModWish], before: &WorkspaceConfig, versions: Versions) {
    for wish in wishes {
        let Some(said) = before.mods.iter().find(|said| said.id == wish.id) else { continue };
        // Where no version was found, or no place that has the bytes, what was wished for stays.
        wish.version = wish.version.take().or_else(|| said.version.clone());
        wish.from = wish.from.take().or_else(|| said.from.clone());
        let (prereleases, asked) = (said.prereleases, said.asked);
        let accepted = ModWish { version: None, ..said.clone() }.admits(wish.version.as_deref(), versions);
        wish.accepts = said.accepts.clone().filter(|_| accepted);
        (wish.prereleases, wish.asked) = (prereleases, asked);
    }
}
