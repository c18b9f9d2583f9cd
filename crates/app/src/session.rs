//! What most commands begin with: the workspace if there is one, the rulebook, and installs turned into surveys.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::{InstallName, ShelfName};
use kanon_core::base::path::InstallPath;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::Canon;
use kanon_core::canon::release::{Invite, is_cut};
use kanon_core::config::{Edits, Extras};
use kanon_core::delta::{CheckContext, LeftAlone, TextDelta, placed_files};
use kanon_core::plan::text_edits::{Consents, amendments};
use kanon_core::resolve::catalogue::{Catalogue, CataloguedMod};
use kanon_core::rulebook::{Role, Rulebook};
use kanon_core::survey::Survey;
use kanon_io::bytes::Bytes;
use kanon_io::canons;
use kanon_io::claim::{self, Claimant};
use kanon_io::downloads::{Downloads, Found};
use kanon_io::error::{During, ReachError};
use kanon_io::fetch::{Remote, is_catalogue};
use kanon_io::install::{Address, Install, KnownDigests, Receipt, Vouched};
use kanon_io::measure::{self, Counts, GameCheck, Measurement, OutsideShelves, RemoteHints, Request, TrustMemory};
use kanon_io::open::read_bounded;
use kanon_io::origin::Origin;
use kanon_io::progress::Progress;
use kanon_io::release::{Fetched, Record, ReleaseContents, WantedFile, days_until, verify};
use kanon_io::site::locks;
use kanon_io::state::{Alignment, Rehearsed, State};
use kanon_io::workspace::{LoadedRulebook, Workspace, load_rulebook, loaded_rulebook};
use tempfile::TempDir;

use crate::error::{AppError, CanonError, Cause, InstallError, SourceError};
use crate::machine::Machine;
use crate::notice::Notice;
use crate::observer::{Observer, Task};
use crate::places::{self, Place, Placed};
use crate::text_files::left_alone;

/// The open workspace, if there is one, and what goes with it.
pub struct Session<'a> {
    /// The machine.
    pub machine: &'a Machine,
    /// Who is told and asked.
    pub observer: &'a dyn Observer,
    /// The workspace.
    pub workspace: Option<Workspace>,
    /// The rulebook.
    pub loaded: LoadedRulebook,
    /// The state database.
    pub state: State,
    /// The command that brings a game in line which follows a release, where it is not just `follow`.
    pub mends_by: Option<Suggestion>,
    trust: TrustMemory,
    /// Installs that were opened, by what they are called: a host need not be dialled twice.
    opened: BTreeMap<String, Arc<dyn Install>>,
    /// What came from the release that is followed.
    pub fetched: Fetched,
    /// Folders for what is only looked at.
    temporary: Vec<TempDir>,
    /// The canon of a release that somebody was invited to, or of evidence that was sent.
    invited: Option<Canon>,
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

/// What a canon is known again by: the digest of its text.
pub fn digest_of(canon: &Canon) -> Result<Blake3, AppError> {
    let json = canon.to_json().map_err(CanonError::AsJson)?;
    Ok(Blake3::of(json.as_bytes()))
}

/// What mods are called where they are installed, by shelf and folded id.
pub type KnownNames = BTreeMap<(ShelfName, FoldedId), String>;

/// A survey, and whether it was measured now.
pub struct Surveyed {
    /// The survey.
    pub survey: Survey,
    /// How much was read for it; nothing for a survey out of a file.
    pub counts: Option<Counts>,
    /// What in text files an alignment can't change; known when the install was held against a canon.
    pub left: Vec<LeftAlone>,
}

impl Surveyed {
    /// How its bytes are known, as `check` says it: `digest` where all were measured, `receipt` where sizes and times vouched.
    pub fn known_by(&self) -> &'static str {
        if self.counts.is_some_and(|counts| counts.files_vouched > 0) { "receipt" } else { "digest" }
    }
}

impl<'a> Session<'a> {
    /// Opens what is there. `rulebook` is the option; without it the workspace's counts.
    pub fn open(
        machine: &'a Machine,
        observer: &'a dyn Observer,
        rulebook: Option<&Path>,
        thorough: bool,
    ) -> Result<Self, AppError> {
        let workspace = match Workspace::find(&machine.folder) {
            Some(root) => Some(Workspace::open_at(&root)?),
            None => None,
        };
        let loaded = match (rulebook, &workspace) {
            (Some(file), _) => load_rulebook(&machine.folder.join(file))?,
            (None, Some(workspace)) => workspace.rulebook()?,
            (None, None) => {
                return Err(AppError::NoWorkspaceNorRulebook(machine.folder.clone()));
            }
        };
        Self::with(machine, observer, (workspace, loaded), thorough)
    }

    /// Takes the rulebook and the canon from a release that somebody was invited to. Nothing of it is kept.
    ///
    /// # Errors
    /// When the invite is none, or the release can't be reached or is not to be believed.
    pub fn of_release(machine: &'a Machine, observer: &'a dyn Observer, invite: &str) -> Result<Self, AppError> {
        let invite = Invite::parse(invite).map_err(AppError::NoInvite)?;
        let origin = Origin::open(&invite.address, &machine.folder, &machine.access())?;
        let kept = TempDir::new().during("make a folder in", &std::env::temp_dir())?;
        let verified = verify(&origin, &invite, kept.path())?;
        let loaded = loaded_rulebook(Path::new("the release's rulebook"), verified.rulebook)?;
        let session = Self::with(machine, observer, (None, loaded), false)?;
        Ok(Self { invited: Some(verified.canon), ..session })
    }

    /// Takes the rulebook and the canon from a piece of evidence that somebody sent. Nothing of it is kept.
    ///
    /// # Errors
    /// When the rulebook has mistakes.
    pub fn of_evidence(
        machine: &'a Machine,
        observer: &'a dyn Observer,
        (rulebook, canon): (String, Option<Canon>),
    ) -> Result<Self, AppError> {
        let loaded = loaded_rulebook(Path::new("the rulebook of the evidence"), rulebook)?;
        let session = Self::with(machine, observer, (None, loaded), false)?;
        Ok(Self { invited: canon, ..session })
    }

    /// Opens the workspace of a game that follows a release, and no other.
    pub fn of_game(machine: &'a Machine, observer: &'a dyn Observer, workspace: Workspace) -> Result<Self, AppError> {
        let loaded = workspace.rulebook()?;
        Self::with(machine, observer, (Some(workspace), loaded), false)
    }

    fn with(
        machine: &'a Machine,
        observer: &'a dyn Observer,
        (workspace, loaded): (Option<Workspace>, LoadedRulebook),
        thorough: bool,
    ) -> Result<Self, AppError> {
        if !loaded.warnings.is_empty() {
            observer.notice(Notice::RulebookWarnings {
                path: loaded.path.clone(),
                text: loaded.text.clone(),
                warnings: loaded.warnings.clone(),
            });
        }
        let state = match &workspace {
            Some(workspace) => workspace.state()?,
            None => State::in_memory()?,
        };
        let trust = if thorough { TrustMemory::No } else { TrustMemory::Yes };
        Ok(Self {
            machine,
            observer,
            workspace,
            loaded,
            state,
            mends_by: None,
            trust,
            opened: BTreeMap::new(),
            fetched: Fetched::default(),
            temporary: Vec::new(),
            invited: None,
        })
    }

    /// Another session like this one, for work side by side.
    pub fn another(&self) -> Result<Self, AppError> {
        let (workspace, loaded) = (self.workspace.clone(), self.loaded.clone());
        let state = match &workspace {
            Some(workspace) => workspace.state()?,
            None => State::in_memory()?,
        };
        Ok(Self {
            machine: self.machine,
            observer: self.observer,
            workspace,
            loaded,
            state,
            mends_by: self.mends_by.clone(),
            trust: self.trust,
            opened: BTreeMap::new(),
            fetched: Fetched::default(),
            temporary: Vec::new(),
            invited: self.invited.clone(),
        })
    }

    /// Writes what was only prepared until now, since somebody has agreed to it.
    pub fn settle(&mut self) -> Result<(), AppError> {
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
    pub fn in_workspace(machine: &'a Machine, observer: &'a dyn Observer, thorough: bool) -> Result<Self, AppError> {
        if Workspace::find(&machine.folder).is_none() {
            return Err(ReachError::NoWorkspace(machine.folder.clone()).into());
        }
        Self::open(machine, observer, None, thorough)
    }

    /// Opens a workspace that must be there, and be an administrator's.
    pub fn of_administrator(machine: &'a Machine, observer: &'a dyn Observer) -> Result<Self, AppError> {
        let session = Self::in_workspace(machine, observer, false)?;
        session.workspace()?.clone().of_administrator()?;
        Ok(session)
    }

    /// The workspace, which must be there.
    pub fn workspace(&self) -> Result<&Workspace, AppError> {
        self.workspace.as_ref().ok_or_else(|| ReachError::NoWorkspace(self.machine.folder.clone()).into())
    }

    /// The sealed canon, which must be there and of this rulebook's game.
    pub fn canon(&self) -> Result<Canon, AppError> {
        self.workspace()?;
        self.canon_if_sealed()?.ok_or_else(|| self.no_canon())
    }

    /// What is told where there is no canon.
    pub fn no_canon(&self) -> AppError {
        let place = self.workspace.as_ref().map_or(&self.machine.folder, |workspace| &workspace.root);
        CanonError::Missing(place.clone()).into()
    }

    /// The names of the installs of `kanon.toml`, of which there must be one.
    pub fn install_names(&self) -> Result<Vec<InstallName>, AppError> {
        let installs = &self.workspace()?.config.installs;
        if installs.is_empty() {
            return Err(InstallError::NoneNamed.into());
        }
        Ok(installs.iter().map(|install| install.name.clone()).collect())
    }

    /// The sealed canon, if there is one; it must be of this rulebook's game.
    pub fn canon_if_sealed(&self) -> Result<Option<Canon>, AppError> {
        let Some(workspace) = &self.workspace else { return Ok(self.invited.clone()) };
        let Some(canon) = workspace.canon()? else { return Ok(None) };
        if canon.game != self.loaded.rulebook.game {
            let rulebook = self.loaded.rulebook.game.clone();
            return Err(CanonError::OfOtherGame { canon: canon.game, rulebook }.into());
        }
        if canon.rulebook != self.loaded.digest {
            self.observer.notice(Notice::RulebookChanged);
        }
        if self.is_stale(&canon) {
            self.observer.notice(Notice::ConfigChanged);
        }
        self.tell_end_of_release(workspace)?;
        Ok(Some(canon))
    }

    /// The last canon that was sealed here, whatever became of `canon.json` since.
    pub fn last_canon(&self) -> Result<Option<Canon>, AppError> {
        let workspace = self.workspace()?;
        match workspace.canon() {
            Err(error @ ReachError::BadCanon { .. }) => {
                let kept = canons::newest(&workspace.canons())?.map(|kept| kept.canon);
                self.observer.notice(Notice::CanonReplaced { error, by_last: kept.is_some() });
                Ok(kept)
            }
            canon => Ok(canon?),
        }
    }

    /// Players can't follow a release whose signatures have ended: that is told long before.
    fn tell_end_of_release(&self, workspace: &Workspace) -> Result<(), AppError> {
        let record = Record::read(&workspace.release_folder())?;
        let Some(last) = record.last() else { return Ok(()) };
        if days_until(last.ends, self.machine.now().timestamp()) < SOON_DAYS {
            self.observer.notice(Notice::ReleaseEnds { number: last.release.number, ends: last.ends });
        }
        Ok(())
    }

    /// Refuses to go on with a canon that is older than the wishes.
    pub fn refuse_stale(&self, canon: &Canon) -> Result<(), AppError> {
        if !self.is_stale(canon) {
            return Ok(());
        }
        Err(CanonError::Stale.into())
    }

    /// Whether the wishes have changed since the canon was sealed.
    pub fn is_stale(&self, canon: &Canon) -> bool {
        let wishes = self.workspace.as_ref().map(|workspace| workspace.config.digest());
        canon.wishes.is_some() && wishes != canon.wishes
    }

    /// What installs are held against.
    pub fn measure<'c>(&'c self, canon: &'c Canon) -> CheckContext<'c> {
        self.measure_by(canon, &self.loaded.rulebook)
    }

    /// What installs are held against, with a rulebook of the caller's: the session may be changed meanwhile.
    pub fn measure_by<'c>(&self, canon: &'c Canon, rulebook: &'c Rulebook) -> CheckContext<'c> {
        let edits = self.workspace.as_ref().map_or_else(Edits::default, |workspace| workspace.config.edits);
        CheckContext { canon, rulebook, extras: self.extras(), edits, left: &[] }
    }

    /// The policy for extra mods.
    pub fn extras(&self) -> Extras {
        self.workspace.as_ref().map_or_else(Extras::default, |workspace| workspace.config.extras)
    }

    /// Turns an INSTALL as it was typed into what it is. The role is only needed for a folder.
    pub fn target(&self, typed: &str, role: Option<Role>) -> Result<Target, AppError> {
        if let Some(placed) = places::named(self.workspace.as_ref(), typed)? {
            return Ok(Target::Install(placed));
        }
        if Address::is_meant(typed) {
            let (address, role) = (places::address(typed)?, role.map_or_else(|| self.ask_role(typed), Ok)?);
            return Ok(Target::Install(Placed {
                name: address.host.clone().into(),
                role,
                place: Place::Host(address),
            }));
        }
        let path = self.machine.folder.join(typed);
        if path.is_file() {
            return read_survey(&path).map(|survey| Target::Survey(Box::new(survey)));
        }
        if !path.is_dir() {
            return Err(self.unknown(typed));
        }
        let name = path.canonicalize().ok().and_then(|path| Some(path.file_name()?.to_string_lossy().into_owned()));
        let role = role.map_or_else(|| self.ask_role(typed), Ok)?;
        let name = name.unwrap_or_else(|| typed.to_owned());
        Ok(Target::Install(Placed { name: name.into(), role, place: Place::Folder(path) }))
    }

    /// Turns an INSTALL as it was typed into one that can be changed.
    pub fn placed(&self, typed: &str, role: Option<Role>) -> Result<Placed, AppError> {
        match self.target(typed, role)? {
            Target::Install(placed) => Ok(placed),
            Target::Survey(_) => Err(InstallError::IsASurvey(typed.to_owned()).into()),
        }
    }

    /// Keeps a folder for as long as the session lasts.
    pub fn keep_folder(&mut self, folder: TempDir) {
        self.temporary.push(folder);
    }

    /// A folder for what is only looked at; it goes with the session.
    pub fn temporary_folder(&mut self) -> Result<PathBuf, AppError> {
        let folder = TempDir::new().during("make a folder in", &std::env::temp_dir())?;
        let path = folder.path().to_owned();
        self.temporary.push(folder);
        Ok(path)
    }

    /// Opens an install; a host is dialled once.
    pub fn open_install(&mut self, placed: &Placed) -> Result<Arc<dyn Install>, AppError> {
        let known = placed.place.to_string();
        if let Some(install) = self.opened.get(&known) {
            return Ok(Arc::clone(install));
        }
        let install = places::open((self.machine, self.observer), self.workspace.as_ref(), placed)?;
        self.opened.insert(known, Arc::clone(&install));
        Ok(install)
    }

    fn unknown(&self, typed: &str) -> AppError {
        let installs = self.workspace.iter().flat_map(|w| &w.config.installs);
        InstallError::Unknown { typed: typed.to_owned(), known: installs.map(|install| install.name.clone()).collect() }
            .into()
    }

    fn ask_role(&self, typed: &str) -> Result<Role, AppError> {
        self.observer.role_of(typed)?.ok_or_else(|| InstallError::NoRole(typed.to_owned()).into())
    }

    /// Measures a folder, or takes a survey as it is.
    pub fn survey(&mut self, target: Target) -> Result<Surveyed, AppError> {
        match target {
            Target::Survey(survey) => self.fitting(*survey),
            Target::Install(placed) => {
                let install = self.open_install(&placed)?;
                self.warn_if_interrupted(install.as_ref(), &placed.name)?;
                let bar = self.observer.begin(Task::Measuring);
                let Measurement { survey, counts } = self.measured(install.as_ref(), &placed, bar.as_ref())?;
                Ok(Surveyed { survey, counts: Some(counts), left: Vec::new() })
            }
        }
    }

    /// Surveys what is to be held against a canon.
    ///
    /// # Errors
    /// As for [`Session::survey`].
    pub fn survey_for(&mut self, target: Target, canon: &Canon) -> Result<Surveyed, AppError> {
        let placed = if let Target::Install(placed) = &target { Some(placed.clone()) } else { None };
        let surveyed = self.survey(target)?;
        // Where nothing in text files is off, no file is opened again.
        let rulebook = self.loaded.rulebook.clone();
        let texts = TextDelta::compute(self.measure_by(canon, &rulebook), &surveyed.survey);
        let amendments = amendments(&texts, &Consents::default());
        let Some(placed) = placed.filter(|_| !amendments.is_empty()) else { return Ok(surveyed) };
        let install = self.open_install(&placed)?;
        let left = left_alone(&amendments, install.as_ref())?;
        Ok(Surveyed { left, ..surveyed })
    }

    fn fitting(&self, survey: Survey) -> Result<Surveyed, AppError> {
        let game = &self.loaded.rulebook.game;
        if !survey.install.game.is_empty() && survey.install.game != *game {
            return Err(InstallError::SurveyOfOtherGame {
                install: survey.install.name,
                survey: survey.install.game,
                rulebook: game.clone(),
            }
            .into());
        }
        Ok(Surveyed { survey, counts: None, left: Vec::new() })
    }

    /// The alignment of an install that was begun and never ended.
    pub fn interrupted(&self, install: &dyn Install) -> Result<Option<Alignment>, AppError> {
        let last = self.state.alignments(Some(install.shown()))?.into_iter().find(|one| one.state.is_open());
        Ok(last.filter(|_| self.at_work(install).is_none()))
    }

    /// What was done to an install, or to all of them; newest first.
    ///
    /// # Errors
    /// When the install is none, or the journal can't be read.
    pub fn alignments(&self, install: Option<&str>) -> Result<Vec<Alignment>, AppError> {
        // The role plays no part in it; any will do.
        let of = install.map(|install| self.placed(install, Some(Role::Client))).transpose()?;
        Ok(self.state.alignments(of.map(|placed| placed.place.identity()).as_deref())?)
    }

    /// The rehearsal that a canon has passed, if it has.
    ///
    /// # Errors
    /// When the journal can't be read.
    pub fn rehearsal_of(&self, canon: &Canon) -> Result<Option<Rehearsed>, AppError> {
        Ok(self.state.rehearsal(digest_of(canon)?)?)
    }

    /// Who works on an install from this workspace right now.
    pub fn at_work(&self, install: &dyn Install) -> Option<Claimant> {
        let workspace = self.workspace.as_ref()?;
        claim::at_work(install.shown(), &locks(&workspace.backups()))
    }

    /// Whoever runs this, as others are told.
    pub fn claimant(&self) -> Result<Claimant, AppError> {
        let workspace = self.workspace()?;
        Ok(Claimant {
            workspace: workspace.id()?,
            by: format!("{} in {}", self.machine.person(), workspace.root.display()),
            began: self.machine.now().timestamp().as_second(),
            process: Some(std::process::id()),
            machine: self.machine.name(),
        })
    }

    fn warn_if_interrupted(&self, install: &dyn Install, name: &str) -> Result<(), AppError> {
        if let Some(holder) = self.at_work(install) {
            self.observer.notice(Notice::BeingAligned { install: name.into(), by: holder });
        } else if let Some(last) = self.interrupted(install)? {
            self.observer.notice(Notice::Interrupted { install: name.into(), alignment: last });
        }
        Ok(())
    }

    fn measured(
        &mut self,
        install: &dyn Install,
        target: &Placed,
        progress: &dyn Progress,
    ) -> Result<Measurement, AppError> {
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
    fn placed_by_canon(&self, role: Role) -> Result<Vec<InstallPath>, AppError> {
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
    fn known_digests(&self) -> Result<KnownDigests, AppError> {
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
    pub fn sources(&mut self, known_names: &KnownNames) -> Result<Vec<(String, Found)>, AppError> {
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
    pub fn downloads(&mut self, name: &str, folder: &Path, known_names: &KnownNames) -> Result<Found, AppError> {
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
            if folder.exists() {
                AppError::Io(error)
            } else {
                SourceError::NoFolder { name: name.to_owned(), cause: error }.into()
            }
        })
    }

    /// Fetches the catalogues of the workspace. One that can't be reached serves as it was when it last could.
    pub fn catalogues(&self) -> Result<Vec<Listed>, AppError> {
        let workspace = self.workspace()?;
        let mut listed = Vec::new();
        for source in workspace.config.sources.iter().filter(|source| is_catalogue(&source.at)) {
            let remote = Remote::open(&source.at, &workspace.root, &self.machine.access())?;
            let fetched = remote.catalogue(&workspace.catalogue_copy(source))?;
            if let Some(why) = fetched.stale {
                self.observer.notice(Notice::CatalogueStale { name: source.name.clone(), why });
            }
            let catalogue = Catalogue::from_json(&fetched.bytes, &self.loaded.rulebook.game)
                .map_err(|cause| SourceError::Catalogue { name: source.name.clone(), cause })?;
            let by_id = catalogue.mods.iter().enumerate().map(|(index, of)| (of.id.clone(), index)).collect();
            let downloads = workspace.downloads(source);
            listed.push(Listed { name: source.name.clone(), downloads, remote, catalogue, by_id });
        }
        Ok(listed)
    }

    /// Surveys every install of the workspace that is a folder and can be read. Those on hosts are left alone: their
    /// bytes would have to come over the line.
    pub fn installs(&mut self) -> Result<Vec<(Role, PathBuf, Survey)>, AppError> {
        let names: Vec<InstallName> =
            self.workspace()?.config.installs.iter().map(|install| install.name.clone()).collect();
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
                Err(error) => self.observer.notice(Notice::InstallPassedOver { install: name, error }),
            }
        }
        Ok(surveys)
    }

    /// Looks for the bytes of digests, in the places that cost least first.
    pub fn bytes(&mut self, wanted: &BTreeSet<Blake3>) -> Result<Bytes, AppError> {
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
    pub fn follows(&self) -> bool {
        self.workspace.as_ref().is_some_and(|workspace| workspace.following().is_some())
    }

    /// Fetches what is lacking from the release that is followed.
    fn fetch(&mut self, lacking: &BTreeSet<Blake3>, installs: &[(Role, PathBuf, Survey)]) -> Result<(), AppError> {
        let workspace = self.workspace()?;
        let (Some(following), Some(canon)) = (workspace.following(), workspace.canon()?) else { return Ok(()) };
        let release = workspace.release()?;
        let invite = following.invite(&workspace.root)?;
        let origin = Origin::open(&invite.address, &workspace.root, &self.machine.access())?;
        let wanted = wanted_files(&canon, lacking, installs);
        let bar = self.observer.begin(Task::Fetching);
        let contents = ReleaseContents::new(&origin, &release);
        let fetched = contents.fetch(&wanted, &workspace.store(), bar.as_ref()).map_err(AppError::Fetching)?;
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

fn read_survey(path: &Path) -> Result<Survey, AppError> {
    let unusable = |cause: Cause| InstallError::NotASurvey { path: path.to_owned(), cause }.into();
    let bytes = match read_bounded(path, kanon_core::base::limits::SURVEY_BYTES) {
        Err(error) if error.kind() == std::io::ErrorKind::FileTooLarge => {
            return Err(unusable(Box::new(kanon_core::survey::SurveyError::TooLarge)));
        }
        read => read.map_err(|error| unusable(Box::new(error)))?,
    };
    Survey::from_json(&bytes).map_err(|error| unusable(Box::new(error)))
}
