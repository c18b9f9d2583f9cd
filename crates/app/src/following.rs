//! A player's game and the release that it follows: which game is meant, what is published now, and what of it is remembered.

use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::release::{Invite, RULEBOOK};
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_io::claim::LockFile;
use kanon_io::error::{During, ReachError, Unfit};
use kanon_io::following::{Choices, Following, Prepared, followed_game, trusted, workspace_of};
use kanon_io::install::LocalInstall;
use kanon_io::measure::{self, Request, TrustMemory};
use kanon_io::origin::Origin;
use kanon_io::progress::Silent;
use kanon_io::release::{Verified, forget_time, verify};
use kanon_io::state::State;
use kanon_io::workspace::{WISHES, Workspace};
use kanon_io::writing::write_whole;
use tempfile::TempDir;

use crate::alignment::{Opened, Planned, Wanted};
use crate::error::{AppError, FollowError};
use crate::followed_games::{self, lock_of};
use crate::game_folders::game_around;
use crate::machine::Machine;
use crate::session::Session;

/// A game folder and what it follows.
pub struct Game {
    /// The folder.
    pub folder: PathBuf,
    invite: Invite,
    /// What it followed before.
    before: Option<Following>,
}

/// What is known of the release now; nothing of it is written yet.
pub struct News {
    /// The game's workspace as it will be.
    pub workspace: Workspace,
    /// Why the place could not be reached, so that the last release seen counts.
    pub stale: Option<(String, Unfit)>,
    /// What the folder looks like that is to follow for the first time.
    pub looks: Option<FolderLooks>,
    /// Where what was verified lies until somebody has agreed, for a game that did not follow this release before.
    unsettled: Option<TempDir>,
}

/// What a folder looks like that is to be a game's.
pub enum FolderLooks {
    /// The game.
    Game,
    /// A game that may have no mods yet: it is empty, or nothing but mods would show it.
    New,
    /// A part of the game, whose own folder is this one.
    PartOf(PathBuf),
    /// Something else.
    Other(ReachError),
}

impl Game {
    /// The game that is meant: by its folder, or else the one around us or the only one that follows anything.
    ///
    /// # Errors
    /// When that is no folder of a game's own, or nothing says what it is to follow.
    pub fn find(machine: &Machine, invite: Option<Invite>, folder: Option<&Path>) -> Result<Self, AppError> {
        let folder = match folder {
            Some(folder) => machine.folder.join(folder),
            None => followed_games::only(machine)?,
        };
        if !folder.is_dir() {
            return Err(FollowError::NoFolder(folder).into());
        }
        let folder = folder.canonicalize().map_err(FollowError::NotFound)?;
        let before = Following::read(&workspace_of(&folder))?;
        if before.is_none() {
            refuse_foreign(&folder)?;
        }
        let invite = match (invite, &before) {
            (Some(invite), _) => invite,
            (None, Some(before)) => before.invite(&workspace_of(&folder))?,
            (None, None) => return Err(FollowError::WithoutInvite(folder).into()),
        };
        Ok(Self { folder, invite, before })
    }

    /// The invite of another release that it followed before.
    pub fn followed_before(&self) -> Option<&str> {
        self.before.as_ref().map(|before| before.invite.as_str()).filter(|before| *before != self.invite.to_string())
    }

    fn follows_this_already(&self) -> bool {
        self.before.is_some() && self.followed_before().is_none()
    }

    /// Whether whoever plays here was told before where the rulebook of a session reaches.
    pub fn was_told(&self, session: &Session<'_>) -> bool {
        self.before.as_ref().and_then(Following::told_rulebook) == Some(session.loaded.digest)
    }

    /// Verifies what is published now, and writes nothing of it yet. Where the place can't be reached, what was verified the
    /// last time counts.
    ///
    /// # Errors
    /// When the release is not to be believed, or can't be reached and was never seen.
    pub fn refresh(&self, machine: &Machine, clock_is_right: bool) -> Result<News, AppError> {
        let root = workspace_of(&self.folder);
        let origin = Origin::open(&self.invite.address, &machine.folder, &machine.access())?;
        let is_same = self.follows_this_already();
        // What never was followed here is remembered only once everything is known to be right and somebody has agreed.
        let unsettled = if is_same { None } else { Some(self.seen_before()?) };
        let kept = unsettled.as_ref().map_or_else(|| trusted(&root), |folder| folder.path().to_owned());
        if clock_is_right {
            forget_time(&kept)?;
        }
        let verified = match verify(&origin, &self.invite, &kept) {
            Ok(verified) => verified,
            Err(ReachError::Unreachable { address, reason }) if is_same => {
                let workspace = Workspace::open_at(&root)?;
                return Ok(News { workspace, stale: Some((address, reason)), looks: None, unsettled: None });
            }
            Err(error) => return Err(error.into()),
        };
        let prepared = Prepared::new(verified, &self.invite, &self.name())?;
        let looks = if self.before.is_none() { Some(self.looks(&prepared.verified)?) } else { None };
        let workspace = Workspace::prepared(&self.folder, prepared)?;
        Ok(News { workspace, stale: None, looks, unsettled })
    }

    /// A folder with what was verified of this invite before, should the game have followed it once.
    fn seen_before(&self) -> Result<TempDir, AppError> {
        let folder = tempfile::tempdir().map_err(FollowError::Temporary)?;
        let seen = self.trusted_of(&self.invite.to_string());
        if seen.is_dir() {
            take_over(&seen, folder.path())?;
        }
        Ok(folder)
    }

    /// What the folder looks like by a release's rulebook.
    fn looks(&self, verified: &Verified) -> Result<FolderLooks, AppError> {
        let rulebook = rulebook::parse(RULEBOOK, &verified.rulebook).map_err(ReachError::from)?.value;
        let install = LocalInstall::open(&self.folder)?;
        let is_empty = std::fs::read_dir(&self.folder).is_ok_and(|mut entries| entries.next().is_none());
        // Where only the mods' own folders would show the game, a new game shows nothing yet.
        let loader = rulebook.loader.iter().flat_map(|loader| &loader.version);
        let would_show = rulebook.base.version.iter().chain(loader).next().is_some();
        let request =
            Request::new(("", Role::Client), (&rulebook, Blake3::of(verified.rulebook.as_bytes())), TrustMemory::Yes);
        match measure::survey(&install, request, &mut State::in_memory()?, &Silent) {
            Ok(_) => Ok(FolderLooks::Game),
            Err(error @ ReachError::NotThisGame { .. }) => Ok(match game_around(&self.folder, &rulebook) {
                Some(root) => FolderLooks::PartOf(root),
                None if is_empty || !would_show => FolderLooks::New,
                None => FolderLooks::Other(error),
            }),
            Err(error) => Err(error.into()),
        }
    }

    /// One run at a time: the lock of the game, once it follows something.
    ///
    /// # Errors
    /// When somebody works on it.
    pub fn lock_if_known(&self, machine: &Machine) -> Result<Option<LockFile>, AppError> {
        self.before.as_ref().map(|_| self.lock(machine)).transpose()
    }

    /// One run at a time: the lock of the game.
    ///
    /// # Errors
    /// When somebody works on it.
    pub fn lock(&self, machine: &Machine) -> Result<LockFile, AppError> {
        let folder = workspace_of(&self.folder);
        std::fs::create_dir_all(&folder).during("make the folder", &folder)?;
        lock_of(&self.folder, machine)
    }

    /// What whoever plays here has said of optional mods.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn choices(&self) -> Result<OptionalChoices, AppError> {
        Ok(OptionalChoices { choices: Choices::read(&workspace_of(&self.folder))?, place: workspace_of(&self.folder) })
    }

    /// Remembers the release: what was verified, and what the game follows from now on.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn settle(&self, news: &News, session: &mut Session<'_>) -> Result<(), AppError> {
        let root = workspace_of(&self.folder);
        if let Some(unsettled) = &news.unsettled {
            std::fs::create_dir_all(&root).during("make the folder", &root)?;
            if let Some(before) = &self.before {
                take_over(&trusted(&root), &self.trusted_of(&before.invite))?;
                std::fs::remove_dir_all(trusted(&root)).during("clear", &trusted(&root))?;
            }
            take_over(unsettled.path(), &trusted(&root))?;
        }
        session.settle()
    }

    /// The command that goes on from here: what is not remembered needs its invite once more.
    pub fn again(&self, is_remembered: bool, machine: &Machine) -> Suggestion {
        let command = Suggestion::new("follow").led_by(machine.typed());
        match is_remembered || self.follows_this_already() {
            true => command,
            false => command.word(self.invite.to_string()),
        }
    }

    /// Where what was verified of a release is kept while the game follows another.
    fn trusted_of(&self, invite: &str) -> PathBuf {
        let name = format!("trusted-{}", Blake3::of(invite.as_bytes()).short());
        workspace_of(&self.folder).join(name)
    }

    fn name(&self) -> String {
        let name = self.folder.file_name().map(|name| name.to_string_lossy().into_owned());
        name.unwrap_or_else(|| "game".to_owned())
    }
}

/// What whoever plays has said of optional mods, and where that is remembered.
pub struct OptionalChoices {
    choices: Choices,
    place: PathBuf,
}

impl OptionalChoices {
    /// Takes a word about a mod that was named.
    ///
    /// # Errors
    /// When the release has no optional mod of that name.
    pub fn say(&mut self, opened: &Opened<'_>, name: &str, is_wanted: bool) -> Result<(), AppError> {
        let id = FoldedId::from(name);
        let mut optional: Vec<FoldedId> = opened.optional().map(|sealed| sealed.manifest.id.clone()).collect();
        if !optional.contains(&id) {
            optional.sort();
            return Err(FollowError::NotOptional { name: name.to_owned(), optional }.into());
        }
        self.choices.optional.insert(id, is_wanted);
        Ok(())
    }

    /// Remembers an answer.
    pub fn answer(&mut self, id: FoldedId, is_wanted: bool) {
        self.choices.optional.insert(id, is_wanted);
    }

    /// Whether anything was ever said of a mod.
    pub fn knows(&self, id: &FoldedId) -> bool {
        self.choices.optional.contains_key(id)
    }

    /// Plans with those mods that are wanted.
    ///
    /// # Errors
    /// When nothing can be planned.
    pub fn plan<'e>(&self, mut opened: Opened<'e>, wanted: &Wanted) -> Result<Planned<'e>, AppError> {
        opened.want(&self.choices.wanted());
        opened.plan(wanted)
    }

    /// Writes down what was said, if anything was.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn keep(&self) -> Result<(), AppError> {
        match self.choices.optional.is_empty() {
            true => Ok(()),
            false => Ok(self.choices.write(&self.place)?),
        }
    }
}

/// What was fetched is in the game by now: the copies that it was fetched into are not needed twice.
///
/// # Errors
/// When one can't be removed.
pub fn forget_fetched(opened: &Opened<'_>) -> Result<(), AppError> {
    let (canon, session) = (&opened.canon, &opened.at.session);
    let rulebook = &session.loaded.rulebook;
    let stays = |shelf: &str| rulebook.shelf(shelf).is_some_and(|shelf| shelf.laid_into.is_some());
    let store = session.workspace()?.store();
    let files = canon.mods.iter().filter(|sealed| !stays(&sealed.shelf)).flat_map(|sealed| &sealed.files);
    for digest in files.map(|file| file.blake3).chain(canon.keys.iter().map(|key| key.blake3)) {
        let file = store.join(digest.to_string());
        if file.is_file() {
            std::fs::remove_file(&file).during("remove", &file)?;
        }
    }
    Ok(())
}

/// How a game arranges its mods, as whoever signed a release says. Nothing of it is kept.
///
/// # Errors
/// When the release can't be reached or is not to be believed.
pub fn rulebook_of(invite: &Invite, machine: &Machine) -> Result<Rulebook, AppError> {
    let origin = Origin::open(&invite.address, &machine.folder, &machine.access())?;
    let kept = tempfile::tempdir().map_err(FollowError::Temporary)?;
    let verified = verify(&origin, invite, kept.path())?;
    Ok(rulebook::parse(RULEBOOK, &verified.rulebook).map_err(ReachError::from)?.value)
}

/// A game that begins to follow has its own root, and no administrator's workspace in it.
fn refuse_foreign(folder: &Path) -> Result<(), FollowError> {
    if let Some(game) = folder.parent().and_then(followed_game) {
        return Err(FollowError::InsideFollower { folder: folder.to_owned(), game: game.to_owned() });
    }
    if folder.join(WISHES).is_file() {
        return Err(FollowError::AdministratorsWorkspace(folder.to_owned()));
    }
    Ok(())
}

fn take_over(from: &Path, to: &Path) -> Result<(), ReachError> {
    std::fs::create_dir_all(to).during("make the folder", to)?;
    for entry in std::fs::read_dir(from).during("read", from)?.flatten().filter(|entry| entry.path().is_file()) {
        let text = std::fs::read_to_string(entry.path()).during("read", &entry.path())?;
        write_whole(&to.join(entry.file_name()), &text)?;
    }
    Ok(())
}
