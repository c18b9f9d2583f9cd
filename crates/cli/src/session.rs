//! What most commands begin with: the workspace if there is one, the rulebook, and installs turned into surveys.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::InstallPath;
use kanon_core::base::suggestion::quoted;
use kanon_core::canon::Canon;
use kanon_core::canon::release::is_cut;
use kanon_core::config::{Edits, Extras};
use kanon_core::delta::{CheckContext, LeftAlone, placed_files};
use kanon_core::plan::text_edits::{Said, amendments};
use kanon_core::resolve::catalogue::{Catalogue, CataloguedMod};
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_io::bytes::Bytes;
use kanon_io::canons;
use kanon_io::carry_out::locks;
use kanon_io::claim::{self, Claimant};
use kanon_io::downloads::{Downloads, Found};
use kanon_io::error::{During, ReachError};
use kanon_io::fetch::{Remote, is_catalogue};
use kanon_io::install::{Address, Install, KnownDigests, Receipt, Vouched};
use kanon_io::measure::{self, Counts, GameCheck, Measurement, OutsideShelves, RemoteHints, Request, TrustMemory};
use kanon_io::open::read_bounded;
use kanon_io::origin::Origin;
use kanon_io::progress::Progress;
use kanon_io::release::{Fetched, Record, ReleaseContents, WantedFile, days_until};
use kanon_io::retry::RetryPolicy;
use kanon_io::state::{Alignment, AlignmentState, State};
use kanon_io::workspace::{LoadedRulebook, Workspace, load_rulebook};
use tempfile::TempDir;

use crate::amending::left_alone;
use crate::env::Env;
use crate::failure::{Failure, render_problems};
use crate::places::{self, Place, Placed};
use crate::screen;
use crate::ui::Ui;

/// The open workspace, if there is one, and what goes with it.
pub struct Session<'a> {
    /// The world.
    pub env: &'a Env,
    /// The way out.
    pub ui: &'a Ui,
    /// The workspace.
    pub workspace: Option<Workspace>,
    /// The rulebook.
    pub loaded: LoadedRulebook,
    /// The state database.
    pub state: State,
    trust: TrustMemory,
    /// Installs that were opened, by what they are called: a host need not be dialled twice.
    opened: BTreeMap<String, Arc<dyn Install>>,
    /// What came from the release that is followed.
    pub fetched: Fetched,
    /// Folders for what is only looked at.
    temporary: Vec<TempDir>,
}

/// What an INSTALL turned out to be.
pub enum Target {
    /// A folder on this machine, or on a host.
    Install(Placed),
    /// A survey that somebody made.
    Survey(Box<Survey>),
}

/// A catalogue of the workspace.
pub struct Listed {
    /// The source's name.
    pub name: String,
    /// Where its downloads go.
    pub downloads: PathBuf,
    /// Where it is fetched from.
    pub remote: Remote,
    /// What it lists.
    pub catalogue: Catalogue,
    /// Where each mod is in it, by folded id.
    by_id: HashMap<FoldedId, usize>,
}

impl Listed {
    /// A mod of the catalogue.
    pub fn of(&self, id: &str) -> Option<&CataloguedMod> {
        self.by_id.get(&FoldedId::from(id)).map(|index| &self.catalogue.mods[*index])
    }
}

/// So many days before the end of a release's signatures, people are told.
pub const SOON_DAYS: i64 = 60;

/// The day of a time, in UTC.
pub fn day_of(time: jiff::Timestamp) -> String {
    time.to_zoned(jiff::tz::TimeZone::UTC).strftime("%Y-%m-%d").to_string()
}

/// What a canon is known again by: the digest of its text.
pub fn digest_of(canon: &Canon) -> Result<Blake3, Failure> {
    let json = canon.to_json().map_err(|error| Failure::plain("could not write the canon as JSON").because(error))?;
    Ok(Blake3::of(json.as_bytes()))
}

/// What mods are called where they are installed, by shelf and folded id.
pub type KnownNames = BTreeMap<(String, FoldedId), String>;

/// A survey, and whether it was measured now.
pub struct Surveyed {
    /// The survey.
    pub survey: Survey,
    /// How much was read for it; nothing for a survey out of a file.
    pub counts: Option<Counts>,
    /// What in text files an alignment can't change; known when the install was held against a canon.
    pub left: Vec<LeftAlone>,
}

impl<'a> Session<'a> {
    /// Opens what is there. `rulebook` is the option; without it the workspace's counts.
    pub fn open(env: &'a Env, ui: &'a Ui, rulebook: Option<&Path>, thorough: bool) -> Result<Self, Failure> {
        let workspace = match Workspace::find(&env.folder) {
            Some(root) => Some(Workspace::open_at(&root)?),
            None => None,
        };
        let loaded = match (rulebook, &workspace) {
            (Some(file), _) => load_rulebook(&env.folder.join(file))?,
            (None, Some(workspace)) => workspace.rulebook()?,
            (None, None) => {
                return Err(Failure::from(ReachError::NoWorkspace(env.folder.clone()))
                    .hint("start one with: kanon init; or look without one: --rulebook FILE --role server|client"));
            }
        };
        Self::with(env, ui, (workspace, loaded), thorough)
    }

    /// Opens the workspace of a game that follows a release, and no other.
    pub fn of_game(env: &'a Env, ui: &'a Ui, workspace: Workspace) -> Result<Self, Failure> {
        let loaded = workspace.rulebook()?;
        Self::with(env, ui, (Some(workspace), loaded), false)
    }

    fn with(
        env: &'a Env,
        ui: &'a Ui,
        (workspace, loaded): (Option<Workspace>, LoadedRulebook),
        thorough: bool,
    ) -> Result<Self, Failure> {
        if !loaded.warnings.is_empty() {
            ui.notice(&render_problems(&loaded.path.display().to_string(), &loaded.text, &loaded.warnings));
        }
        let state = match &workspace {
            Some(workspace) => workspace.state()?,
            None => State::in_memory()?,
        };
        let trust = if thorough { TrustMemory::No } else { TrustMemory::Yes };
        Ok(Self {
            env,
            ui,
            workspace,
            loaded,
            state,
            trust,
            opened: BTreeMap::new(),
            fetched: Fetched::default(),
            temporary: Vec::new(),
        })
    }

    /// Another session like this one, for work side by side.
    pub fn another(&self) -> Result<Self, Failure> {
        let (workspace, loaded) = (self.workspace.clone(), self.loaded.clone());
        let state = match &workspace {
            Some(workspace) => workspace.state()?,
            None => State::in_memory()?,
        };
        Ok(Self {
            env: self.env,
            ui: self.ui,
            workspace,
            loaded,
            state,
            trust: self.trust,
            opened: BTreeMap::new(),
            fetched: Fetched::default(),
            temporary: Vec::new(),
        })
    }

    /// Writes what was only prepared until now, since somebody has agreed to it.
    pub fn settle(&mut self) -> Result<(), Failure> {
        let workspace = self.workspace()?.clone();
        workspace.settle()?;
        Ok(self.state.settle(&workspace.own())?)
    }

    /// Whether an INSTALL as it was typed is on a host.
    pub fn is_remote(&self, typed: &str) -> bool {
        let named = self.workspace.as_ref().and_then(|workspace| workspace.config.install(typed));
        Address::is_meant(named.map_or(typed, |install| install.at.as_str()))
    }

    /// Opens a workspace that must be there.
    pub fn in_workspace(env: &'a Env, ui: &'a Ui, thorough: bool) -> Result<Self, Failure> {
        if Workspace::find(&env.folder).is_none() {
            return Err(ReachError::NoWorkspace(env.folder.clone()).into());
        }
        Self::open(env, ui, None, thorough)
    }

    /// Opens a workspace that must be there, and be an administrator's.
    pub fn of_administrator(env: &'a Env, ui: &'a Ui) -> Result<Self, Failure> {
        let session = Self::in_workspace(env, ui, false)?;
        session.workspace()?.clone().of_administrator()?;
        Ok(session)
    }

    /// The workspace, which must be there.
    pub fn workspace(&self) -> Result<&Workspace, Failure> {
        self.workspace.as_ref().ok_or_else(|| ReachError::NoWorkspace(self.env.folder.clone()).into())
    }

    /// The sealed canon, which must be there and of this rulebook's game.
    pub fn canon(&self) -> Result<Canon, Failure> {
        self.workspace()?;
        self.canon_if_sealed()?.ok_or_else(|| self.no_canon())
    }

    /// What is told where there is no canon.
    pub fn no_canon(&self) -> Failure {
        let place = self.workspace.as_ref().map_or(&self.env.folder, |workspace| &workspace.root);
        Failure::plain(format!("there is no canon yet in {}", place.display()))
            .hint("make one: kanon adopt INSTALL, then kanon seal")
    }

    /// The names of the installs of `kanon.toml`, of which there must be one.
    pub fn install_names(&self) -> Result<Vec<String>, Failure> {
        let installs = &self.workspace()?.config.installs;
        if installs.is_empty() {
            return Err(Failure::plain("kanon.toml names no install, so there is nothing to do")
                .hint("add an [install.NAME] table, or name a folder or a survey"));
        }
        Ok(installs.iter().map(|install| install.name.clone()).collect())
    }

    /// The sealed canon, if there is one; it must be of this rulebook's game.
    pub fn canon_if_sealed(&self) -> Result<Option<Canon>, Failure> {
        let Some(workspace) = &self.workspace else { return Ok(None) };
        let Some(canon) = workspace.canon()? else { return Ok(None) };
        if canon.game != self.loaded.rulebook.game {
            return Err(Failure::plain(format!(
                "the canon is of {}, the rulebook of {}",
                canon.game, self.loaded.rulebook.game
            ))
            .hint("name the right rulebook in kanon.toml, then: kanon seal"));
        }
        if canon.rulebook != self.loaded.digest {
            self.ui.notice("note: the rulebook has changed since the canon was sealed; kanon seal makes a new one");
        }
        if self.is_stale(&canon) {
            self.ui.notice("note: kanon.toml has changed since the canon was sealed; kanon seal --changes shows how");
        }
        self.tell_end_of_release(workspace)?;
        Ok(Some(canon))
    }

    /// The last canon that was sealed here, whatever became of `canon.json` since.
    pub fn last_canon(&self) -> Result<Option<Canon>, Failure> {
        let workspace = self.workspace()?;
        match workspace.canon() {
            Err(error @ ReachError::BadCanon { .. }) => {
                let kept = canons::newest(&workspace.canons())?.map(|kept| kept.canon);
                let instead = if kept.is_some() { "the last one that was sealed here" } else { "nothing" };
                self.ui.notice(&format!("note: {error}; {instead} counts in its place"));
                Ok(kept)
            }
            canon => Ok(canon?),
        }
    }

    /// Players can't follow a release whose signatures have ended: that is told long before.
    fn tell_end_of_release(&self, workspace: &Workspace) -> Result<(), Failure> {
        let record = Record::read(&workspace.release_folder())?;
        let Some(last) = record.last() else { return Ok(()) };
        if days_until(last.ends, self.env.now().timestamp()) < SOON_DAYS {
            let ends = day_of(last.ends);
            let number = last.release.number;
            self.ui.notice(&format!(
                "note: the signatures of release {number} end on {ends}; kanon publish makes them new"
            ));
        }
        Ok(())
    }

    /// Refuses to go on with a canon that is older than the wishes.
    pub fn refuse_stale(&self, canon: &Canon) -> Result<(), Failure> {
        if !self.is_stale(canon) {
            return Ok(());
        }
        Err(Failure::plain("kanon.toml has changed since the canon was sealed, so the canon is not what it asks for")
            .hint("kanon seal --changes shows what that means; then: kanon seal"))
    }

    /// Whether the wishes have changed since the canon was sealed.
    pub fn is_stale(&self, canon: &Canon) -> bool {
        let wishes = self.workspace.as_ref().map(|workspace| workspace.config.digest());
        canon.wishes.is_some() && wishes != canon.wishes
    }

    /// What installs are held against.
    pub fn measure<'c>(&'c self, canon: &'c Canon) -> CheckContext<'c> {
        let edits = self.workspace.as_ref().map_or_else(Edits::default, |workspace| workspace.config.edits);
        CheckContext { canon, rulebook: &self.loaded.rulebook, extras: self.extras(), edits, left: &[] }
    }

    /// The policy for extra mods.
    pub fn extras(&self) -> Extras {
        self.workspace.as_ref().map_or_else(Extras::default, |workspace| workspace.config.extras)
    }

    /// Turns an INSTALL as it was typed into what it is. The role is only needed for a folder.
    pub fn target(&self, typed: &str, role: Option<Role>) -> Result<Target, Failure> {
        if let Some(placed) = places::named(self.workspace.as_ref(), typed)? {
            return Ok(Target::Install(placed));
        }
        if Address::is_meant(typed) {
            let (address, role) = (places::address(typed)?, role.map_or_else(|| self.ask_role(typed), Ok)?);
            return Ok(Target::Install(Placed { name: address.host.clone(), role, place: Place::Host(address) }));
        }
        let path = self.env.folder.join(typed);
        if path.is_file() {
            return read_survey(&path).map(|survey| Target::Survey(Box::new(survey)));
        }
        if !path.is_dir() {
            return Err(self.unknown(typed));
        }
        let name = path.canonicalize().ok().and_then(|path| Some(path.file_name()?.to_string_lossy().into_owned()));
        let role = role.map_or_else(|| self.ask_role(typed), Ok)?;
        let name = name.unwrap_or_else(|| typed.to_owned());
        Ok(Target::Install(Placed { name, role, place: Place::Folder(path) }))
    }

    /// Turns an INSTALL as it was typed into one that can be changed.
    pub fn placed(&self, typed: &str, role: Option<Role>) -> Result<Placed, Failure> {
        match self.target(typed, role)? {
            Target::Install(placed) => Ok(placed),
            Target::Survey(_) => Err(Failure::plain(format!("{typed} is a survey; only an install can be changed"))
                .hint("run it where the install is, or give its address")),
        }
    }

    /// A folder for what is only looked at; it goes with the session.
    pub fn temporary_folder(&mut self) -> Result<PathBuf, Failure> {
        let folder = TempDir::new().during("make a folder in", &std::env::temp_dir())?;
        let path = folder.path().to_owned();
        self.temporary.push(folder);
        Ok(path)
    }

    /// Opens an install; a host is dialled once.
    pub fn open_install(&mut self, placed: &Placed) -> Result<Arc<dyn Install>, Failure> {
        let known = placed.place.to_string();
        if let Some(install) = self.opened.get(&known) {
            return Ok(Arc::clone(install));
        }
        let install = places::open(self.env, self.workspace.as_ref(), placed)?;
        self.opened.insert(known, Arc::clone(&install));
        Ok(install)
    }

    fn unknown(&self, typed: &str) -> Failure {
        let names: Vec<&str> =
            self.workspace.iter().flat_map(|w| &w.config.installs).map(|install| install.name.as_str()).collect();
        let failure = Failure::plain(format!("`{typed}` is no install of kanon.toml, no folder and no survey"));
        match kanon_core::base::problem::nearest(typed, names.iter().copied()) {
            Some(near) => failure.hint(format!("did you mean `{near}`?")),
            None if names.is_empty() => failure.hint("check the path"),
            None => failure.hint(format!("check the path, or use one of: {}", names.join(", "))),
        }
    }

    fn ask_role(&self, typed: &str) -> Result<Role, Failure> {
        if !self.env.can_ask {
            return Err(Failure::plain(format!("nothing says whether {typed} is a server or a client"))
                .hint("add --role server or --role client"));
        }
        let chosen = dialoguer::Select::new()
            .with_prompt(screen::plain(&format!("What is {typed}?")))
            .items(["a server", "a client"])
            .default(1)
            .interact();
        let chosen = chosen.map_err(|error| Failure::plain("could not ask").because(error))?;
        Ok(if chosen == 0 { Role::Server } else { Role::Client })
    }

    /// Measures a folder, or takes a survey as it is.
    pub fn survey(&mut self, target: Target) -> Result<Surveyed, Failure> {
        match target {
            Target::Survey(survey) => self.fitting(*survey),
            Target::Install(placed) => {
                let install = self.open_install(&placed)?;
                self.warn_if_interrupted(install.as_ref(), &placed.name)?;
                let bar = self.ui.progress("measuring");
                let Measurement { survey, counts } = self.measured(install.as_ref(), &placed, &bar)?;
                Ok(Surveyed { survey, counts: Some(counts), left: Vec::new() })
            }
        }
    }

    /// Surveys what is to be held against a canon.
    ///
    /// # Errors
    /// As for [`Session::survey`].
    pub fn survey_for(&mut self, target: Target, canon: &Canon) -> Result<Surveyed, Failure> {
        let placed = if let Target::Install(placed) = &target { Some(placed.clone()) } else { None };
        let surveyed = self.survey(target)?;
        // Where nothing in text files is off, no file is opened again.
        let is_off = !amendments(self.measure(canon), &surveyed.survey, &Said::default()).is_empty();
        let Some(placed) = placed.filter(|_| is_off) else { return Ok(surveyed) };
        let install = self.open_install(&placed)?;
        let left = left_alone(self.measure(canon), install.as_ref(), &surveyed.survey)?;
        Ok(Surveyed { left, ..surveyed })
    }

    fn fitting(&self, survey: Survey) -> Result<Surveyed, Failure> {
        let game = &self.loaded.rulebook.game;
        if !survey.install.game.is_empty() && survey.install.game != *game {
            return Err(Failure::plain(format!(
                "the survey of {} is of {}, the rulebook of {game}",
                survey.install.name, survey.install.game
            ))
            .hint("use the rulebook of that game: --rulebook FILE"));
        }
        Ok(Surveyed { survey, counts: None, left: Vec::new() })
    }

    /// The alignment of an install that was begun and never ended.
    pub fn interrupted(&self, install: &dyn Install) -> Result<Option<Alignment>, Failure> {
        let last = self.state.alignments(Some(install.shown()))?.into_iter().find(|one| one.state.is_open());
        Ok(last.filter(|_| self.at_work(install).is_none()))
    }

    /// Who works on an install from this workspace right now.
    pub fn at_work(&self, install: &dyn Install) -> Option<Claimant> {
        let workspace = self.workspace.as_ref()?;
        claim::at_work(install.shown(), &locks(&workspace.backups()))
    }

    /// Whoever runs this, as others are told.
    pub fn claimant(&self) -> Result<Claimant, Failure> {
        let workspace = self.workspace()?;
        Ok(Claimant {
            workspace: workspace.id()?,
            by: format!("{} in {}", self.env.person(), workspace.root.display()),
            began: self.env.now().timestamp().as_second(),
            process: Some(std::process::id()),
            machine: self.env.machine(),
        })
    }

    fn warn_if_interrupted(&self, install: &dyn Install, name: &str) -> Result<(), Failure> {
        if let Some(holder) = self.at_work(install) {
            let since = crate::env::time_of_day(holder.began);
            self.ui.notice(&format!("note: {name} is being aligned right now by {}, since {since}", holder.told()));
        } else if let Some(last) = self.interrupted(install)? {
            let (what, how_far, ways) = match last.state {
                AlignmentState::Undoing => {
                    ("taking back", String::new(), format!("kanon undo {} goes on with it", quoted(name)))
                }
                _ => (
                    "alignment",
                    format!(" after {} of {} steps", last.steps_done, last.steps.len()),
                    format!("kanon align {0} finishes it, kanon undo {0} takes it back", quoted(name)),
                ),
            };
            self.ui.notice(&format!("note: {what} {} of {name} was interrupted{how_far}; {ways}", last.id));
        }
        Ok(())
    }

    fn measured(
        &mut self,
        install: &dyn Install,
        target: &Placed,
        progress: &dyn Progress,
    ) -> Result<Measurement, Failure> {
        let sparing = install.is_remote() && self.trust == TrustMemory::Yes;
        // A receipt names every file of the canon: it is read only where it spares more, or mods bring things besides.
        let rulebook = &self.loaded.rulebook;
        let brings = !rulebook.fragments.is_empty() || rulebook.shelves.iter().any(|shelf| !shelf.extras.is_empty());
        let receipt = match sparing || brings {
            true => Receipt::read(install).during("read the receipt of", Path::new(install.shown()))?,
            false => None,
        };
        let vouched = receipt.as_ref().filter(|_| sparing).map(Vouched::by);
        let placed = self.placed_by_canon(target.role)?;
        let beside = OutsideShelves { receipt: receipt.as_ref(), placed: &placed };
        let known = if install.is_remote() { self.known_digests()? } else { KnownDigests::default() };
        let request = Request {
            name: &target.name,
            role: target.role,
            rulebook: &self.loaded.rulebook,
            rulebook_digest: self.loaded.digest,
            trust: self.trust,
            sparing: RemoteHints { vouched: vouched.as_ref(), known: Some(&known) },
            beside,
            // Whoever follows a release has said that this is the game, and it may have no mods yet.
            doubt: if self.follows() { GameCheck::Never } else { GameCheck::WithoutSigns },
        };
        Ok(measure::survey(install, request, &mut self.state, progress)?)
    }

    /// Where files belong that the canon's mods bring for places outside the shelves.
    fn placed_by_canon(&self, role: Role) -> Result<Vec<InstallPath>, Failure> {
        let brings = self.loaded.rulebook.shelves.iter().any(|shelf| !shelf.extras.is_empty());
        let canon = match &self.workspace {
            Some(workspace) if brings => workspace.canon()?,
            _ => None,
        };
        let paths =
            |canon: &Canon| placed_files(self.measure(canon), role).into_iter().map(|placed| placed.path).collect();
        Ok(canon.as_ref().map(paths).unwrap_or_default())
    }

    /// The files of the canon, by what a host may compute of them.
    fn known_digests(&self) -> Result<KnownDigests, Failure> {
        let mut known = KnownDigests::default();
        let canon = match &self.workspace {
            Some(workspace) => workspace.canon()?,
            None => None,
        };
        for file in canon.iter().flat_map(|canon| &canon.mods).flat_map(|sealed| &sealed.files) {
            if let Some(sha256) = file.sha256 {
                known.add(file.size, sha256, file.blake3);
            }
        }
        Ok(known)
    }

    /// Looks through every source of the workspace, as far as it lies on this machine: folders of downloads, and what
    /// was downloaded from catalogues before.
    pub fn sources(&mut self, known_names: &KnownNames) -> Result<Vec<(String, Found)>, Failure> {
        let workspace = self.workspace()?;
        let sources: Vec<(String, PathBuf, bool)> = workspace
            .config
            .sources
            .iter()
            .map(|source| {
                let remote = is_catalogue(&source.at);
                let folder = if remote { workspace.downloads(source) } else { workspace.place(&source.at) };
                (source.name.clone(), folder, remote)
            })
            .collect();
        let mut found = Vec::new();
        for (name, folder, remote) in sources {
            let is_there = !remote || folder.is_dir();
            let held = if is_there { self.downloads(&name, &folder, known_names)? } else { Found::default() };
            found.push((name, held));
        }
        Ok(found)
    }

    /// Looks through one folder of downloads.
    pub fn downloads(&mut self, name: &str, folder: &Path, known_names: &KnownNames) -> Result<Found, Failure> {
        let unpacked = self.workspace()?.unpacked();
        let mut downloads = Downloads {
            name,
            rulebook: &self.loaded.rulebook,
            rulebook_digest: self.loaded.digest,
            trust: self.trust,
            state: &mut self.state,
            unpacked: &unpacked,
            known_names,
        };
        downloads.look_through(folder).map_err(|error| {
            let failure = Failure::from(error);
            if folder.exists() {
                failure
            } else {
                failure.hint(format!("correct the `at` of [source.{name}] in kanon.toml"))
            }
        })
    }

    /// Fetches the catalogues of the workspace. One that can't be reached serves as it was when it last could.
    pub fn catalogues(&self) -> Result<Vec<Listed>, Failure> {
        let workspace = self.workspace()?;
        let mut listed = Vec::new();
        for source in workspace.config.sources.iter().filter(|source| is_catalogue(&source.at)) {
            let remote = Remote::open(&source.at, &workspace.root, RetryPolicy::default())?;
            let fetched = remote.catalogue(&workspace.catalogue_copy(source))?;
            if let Some(why) = fetched.stale {
                self.ui.notice(&format!(
                    "note: the catalogue {} can't be reached ({why}); what it said the last time counts",
                    source.name
                ));
            }
            let catalogue = Catalogue::from_json(&fetched.bytes, &self.loaded.rulebook.game).map_err(|error| {
                Failure::plain(format!("the catalogue {} can't be used", source.name))
                    .because(error)
                    .hint("tell whoever keeps it, or take its [source.…] out of kanon.toml")
            })?;
            let by_id = catalogue.mods.iter().enumerate().map(|(index, of)| (of.id.clone(), index)).collect();
            let downloads = workspace.downloads(source);
            listed.push(Listed { name: source.name.clone(), downloads, remote, catalogue, by_id });
        }
        Ok(listed)
    }

    /// Surveys every install of the workspace that is a folder and can be read. Those on hosts are left alone: their
    /// bytes would have to come over the line.
    pub fn installs(&mut self) -> Result<Vec<(Role, PathBuf, Survey)>, Failure> {
        let names: Vec<String> = self.workspace()?.config.installs.iter().map(|install| install.name.clone()).collect();
        let mut surveys = Vec::new();
        for name in names {
            let surveyed = self.target(&name, None).and_then(|target| match target {
                Target::Install(placed @ Placed { place: Place::Folder(_), .. }) => {
                    let Place::Folder(path) = placed.place.clone() else { return Ok(None) };
                    let role = placed.role;
                    Ok(Some((role, path, self.survey(Target::Install(placed))?.survey)))
                }
                Target::Install(_) | Target::Survey(_) => Ok(None),
            });
            match surveyed {
                Ok(surveyed) => surveys.extend(surveyed),
                Err(failure) => {
                    self.ui.notice(&format!("note: {name} is passed over:\n{}", failure.render().trim_end()));
                }
            }
        }
        Ok(surveys)
    }

    /// Looks for the bytes of digests, in the places that cost least first.
    pub fn bytes(&mut self, wanted: &BTreeSet<Blake3>) -> Result<Bytes, Failure> {
        let mut bytes = Bytes::default();
        bytes.look_into_store(&self.workspace()?.store(), wanted);
        if !bytes.lacking(wanted).is_empty() {
            for (_, found) in self.sources(&KnownNames::new())? {
                for held in found.held {
                    bytes.look_into_survey(&held.root, &held.survey, wanted);
                }
            }
        }
        if bytes.lacking(wanted).is_empty() {
            return Ok(bytes);
        }
        let installs = self.installs()?;
        for (_, root, survey) in &installs {
            bytes.look_into_survey(root, survey, wanted);
        }
        let lacking = bytes.lacking(wanted);
        if !lacking.is_empty() && self.follows() {
            self.fetch(&lacking, &installs)?;
            bytes.look_into_store(&self.workspace()?.store(), &lacking);
        }
        Ok(bytes)
    }

    /// Whether the workspace is that of a game which follows a release.
    fn follows(&self) -> bool {
        self.workspace.as_ref().is_some_and(|workspace| workspace.following().is_some())
    }

    /// Fetches what is lacking from the release that is followed.
    fn fetch(&mut self, lacking: &BTreeSet<Blake3>, installs: &[(Role, PathBuf, Survey)]) -> Result<(), Failure> {
        let workspace = self.workspace()?;
        let (Some(following), Some(canon)) = (workspace.following(), workspace.canon()?) else { return Ok(()) };
        let release = workspace.release()?;
        let invite = following.invite(&workspace.root)?;
        let origin = Origin::open(&invite.address, &workspace.root, self.env.patience())?;
        let wanted = wanted_files(&canon, lacking, installs);
        let bar = self.ui.progress("fetching");
        let contents = ReleaseContents::new(&origin, &release);
        let fetched = contents.fetch(&wanted, &workspace.store(), &bar).map_err(|error| {
            Failure::from(error).hint("run kanon follow again: what came is kept, and it goes on where it stopped")
        })?;
        drop(bar);
        self.fetched = self.fetched + fetched;
        Ok(())
    }
}

/// The files of a canon that are lacking, each with those of the installed mod: an update shares much with what it replaces.
fn wanted_files(canon: &Canon, lacking: &BTreeSet<Blake3>, installs: &[(Role, PathBuf, Survey)]) -> Vec<WantedFile> {
    let mut wanted: BTreeMap<Blake3, WantedFile> = BTreeMap::new();
    for key in canon.keys.iter().filter(|key| lacking.contains(&key.blake3)) {
        wanted.insert(key.blake3, WantedFile { blake3: key.blake3, size: key.size, like: Vec::new() });
    }
    for sealed in &canon.mods {
        let like = || {
            let of_id = |(_, root, survey): &(Role, PathBuf, Survey)| {
                let alike = survey.mods.iter().filter(|found| found.manifest.id == sealed.manifest.id);
                let files = alike.flat_map(|found| &found.files).filter(|file| is_cut(file.size));
                files.map(|file| root.join(file.path.as_str())).collect::<Vec<_>>()
            };
            installs.iter().flat_map(of_id).collect::<Vec<_>>()
        };
        for file in sealed.files.iter().filter(|file| lacking.contains(&file.blake3)) {
            let like = if is_cut(file.size) { like() } else { Vec::new() };
            wanted.insert(file.blake3, WantedFile { blake3: file.blake3, size: file.size, like });
        }
    }
    wanted.into_values().collect()
}

fn read_survey(path: &Path) -> Result<Survey, Failure> {
    let shown = path.display();
    let unusable = |error: &dyn std::error::Error| {
        Failure::plain(format!("{shown} can't be used as a survey: {error}"))
            .hint("a survey is made with: kanon survey INSTALL -o FILE")
    };
    let bytes = match read_bounded(path, kanon_core::base::limits::SURVEY_BYTES) {
        Err(error) if error.kind() == std::io::ErrorKind::FileTooLarge => {
            return Err(unusable(&kanon_core::survey::SurveyError::TooLarge));
        }
        read => read.map_err(|error| unusable(&error))?,
    };
    Survey::from_json(&bytes).map_err(|error| unusable(&error))
}
