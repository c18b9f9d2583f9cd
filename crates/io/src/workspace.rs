//! The administrator's workspace: where `kanon.toml` is, what it says, and where everything else is kept.

use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::limits;
use kanon_core::base::problem::Problem;
use kanon_core::canon::Canon;
use kanon_core::canon::release::{Release, followed_wishes};
use kanon_core::config::{self, InstallWish, SourceWish, WorkspaceConfig};
use kanon_core::rulebook::{self, Rulebook};

use crate::error::{During, ReachError, ReadFault, Unfit};
use crate::following::{Following, Prepared, followed_game, home, refused_wishes, workspace_of};
use crate::open::read_bounded;
use crate::state::State;
use crate::writing::write_whole;

/// The name of the wishes' file.
pub const WISHES: &str = "kanon.toml";
/// The name of the sealed canon's file.
pub const CANON: &str = "canon.json";

/// A rulebook with the digest of its text.
#[derive(Debug, Clone)]
pub struct LoadedRulebook {
    /// The rulebook.
    pub rulebook: Rulebook,
    /// The digest of its text.
    pub digest: Blake3,
    /// The file.
    pub path: PathBuf,
    /// Its text, for warnings.
    pub text: String,
    /// Warnings about it.
    pub warnings: Vec<Problem>,
}

/// An open workspace.
#[derive(Debug, Clone)]
pub struct Workspace {
    /// Its folder.
    pub root: PathBuf,
    /// The text of its `kanon.toml`.
    pub text: String,
    /// What it says.
    pub config: WorkspaceConfig,
    /// What it follows; nothing for an administrator's.
    following: Option<Following>,
    /// The release that it will hold, before that is written.
    prepared: Option<Box<Prepared>>,
}

/// Reads a rulebook's file.
///
/// # Errors
/// When it can't be read, or has mistakes.
pub fn load_rulebook(path: &Path) -> Result<LoadedRulebook, ReachError> {
    loaded_rulebook(path, read_text(path, "read the rulebook")?)
}

/// A rulebook from its text; `path` is what it is called.
///
/// # Errors
/// When it has mistakes.
pub fn loaded_rulebook(path: &Path, text: String) -> Result<LoadedRulebook, ReachError> {
    let parsed = rulebook::parse(&path.display().to_string(), &text)?;
    Ok(LoadedRulebook {
        rulebook: parsed.value,
        digest: Blake3::of(text.as_bytes()),
        path: path.to_owned(),
        text,
        warnings: parsed.warnings,
    })
}

/// Reads a file that a person wrote.
///
/// # Errors
/// When it can't be read, is too large, or is no UTF-8 text.
pub fn read_text(path: &Path, attempt: &'static str) -> Result<String, ReachError> {
    let unusable = |reason: Unfit| ReachError::unusable(path, reason);
    let bytes = match read_bounded(path, limits::TOML_BYTES) {
        Err(error) if error.kind() == std::io::ErrorKind::FileTooLarge => {
            return Err(unusable(ReadFault::LargerThanMib(limits::TOML_BYTES >> 20).into()));
        }
        read => read.during(attempt, path)?,
    };
    String::from_utf8(bytes).map_err(|error| unusable(ReadFault::NotUtf8(error.utf8_error().valid_up_to()).into()))
}

impl Workspace {
    /// Finds the workspace that a folder is in. In a game that follows a release it is that game's own, whatever lies there
    /// besides: a `kanon.toml` among its files may have come with a mod.
    pub fn find(from: &Path) -> Option<PathBuf> {
        followed_game(from)
            .map(workspace_of)
            .or_else(|| from.ancestors().find(|folder| folder.join(WISHES).is_file()).map(Path::to_owned))
    }

    /// Opens the workspace that a folder is in.
    ///
    /// # Errors
    /// When there is none, or its `kanon.toml` has mistakes.
    pub fn open(from: &Path) -> Result<Self, ReachError> {
        Self::open_at(&Self::find(from).ok_or_else(|| ReachError::NoWorkspace(from.to_owned()))?)
    }

    /// Opens the workspace that is in this very folder.
    ///
    /// # Errors
    /// When its `kanon.toml` has mistakes, or is that of a game which follows a release and holds what no release may bring.
    pub fn open_at(root: &Path) -> Result<Self, ReachError> {
        let path = root.join(WISHES);
        let text = read_text(&path, "read")?;
        let following = Following::read(root)?;
        let config = match following {
            Some(_) => followed_wishes(&text, &home()).map_err(refused_wishes)?,
            None => config::parse(&path.display().to_string(), &text)?.value,
        };
        Ok(Self { root: root.to_owned(), text, config, following, prepared: None })
    }

    /// The workspace of a game as a release would have it, with nothing written yet.
    ///
    /// # Errors
    /// When what is prepared has mistakes.
    pub fn prepared(game: &Path, prepared: Prepared) -> Result<Self, ReachError> {
        let mut config = followed_wishes(&prepared.wishes, &home()).map_err(refused_wishes)?;
        // The folder from which the game is found may not be there yet.
        config.installs.iter_mut().for_each(|install| install.at = game.display().to_string());
        let (root, text) = (workspace_of(game), prepared.wishes.clone());
        let following = Some(prepared.following.clone());
        Ok(Self { root, text, config, following, prepared: Some(Box::new(prepared)) })
    }

    /// The same with another text of its `kanon.toml`, which is not written yet.
    ///
    /// # Errors
    /// When the text has mistakes.
    pub fn edited(&self, text: String) -> Result<Self, ReachError> {
        let config = config::parse(&self.wishes_path().display().to_string(), &text)?.value;
        Ok(Self { text, config, ..self.clone() })
    }

    /// Writes what was prepared; nothing to do for one that is written.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn settle(&self) -> Result<(), ReachError> {
        self.prepared.as_ref().map_or(Ok(()), |prepared| prepared.write(&self.root))
    }

    /// Refuses what is an administrator's where a release is followed.
    ///
    /// # Errors
    /// When one is.
    pub fn of_administrator(self) -> Result<Self, ReachError> {
        match self.following {
            Some(_) => Err(ReachError::OfPlayer(self.root)),
            None => Ok(self),
        }
    }

    /// What is run for an install, and where; nothing is ever run from a workspace that came with a release.
    pub fn commands(&self, install: &str) -> Option<&InstallWish> {
        self.config.install(install).filter(|_| self.following.is_none())
    }

    /// The rulebook it names.
    ///
    /// # Errors
    /// When that can't be read, or has mistakes.
    pub fn rulebook(&self) -> Result<LoadedRulebook, ReachError> {
        let path = self.root.join(&self.config.rulebook);
        let mut loaded = match &self.prepared {
            Some(prepared) => loaded_rulebook(&path, prepared.verified.rulebook.clone())?,
            None => load_rulebook(&path)?,
        };
        // Settings of the administrator's own are read and judged like those that the rulebook knows.
        for wish in &self.config.settings {
            match (&wish.rule, loaded.rulebook.settings.iter_mut().find(|rule| rule.name == wish.name)) {
                (Some(rule), None) => loaded.rulebook.settings.push(rule.clone()),
                (_, Some(rule)) => rule.is = Some(wish.is.clone()),
                (None, None) => {}
            }
        }
        Ok(loaded)
    }

    /// A path as `kanon.toml` writes it, on this machine.
    pub fn place(&self, at: &str) -> PathBuf {
        self.root.join(at)
    }

    /// The file of the wishes.
    pub fn wishes_path(&self) -> PathBuf {
        self.root.join(WISHES)
    }

    /// The file of the sealed canon.
    pub fn canon_path(&self) -> PathBuf {
        self.root.join(CANON)
    }

    /// Where every canon is kept that was sealed here.
    pub fn canons(&self) -> PathBuf {
        self.own().join("canons")
    }

    /// Where backups are kept.
    pub fn backups(&self) -> PathBuf {
        backups_of(&self.root)
    }

    /// What tells this workspace from every other, wherever they are; made up when first asked for.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn id(&self) -> Result<String, ReachError> {
        let path = self.root.join(".kanon").join("id");
        if let Ok(id) = std::fs::read_to_string(&path) {
            return Ok(id.trim().to_owned());
        }
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder).during("make the folder", folder)?;
        }
        let seed = tempfile::NamedTempFile::new_in(self.root.join(".kanon")).during("make a file beside", &path)?;
        let place = self.root.canonicalize().during("find", &self.root)?;
        let made = format!("{} {} {:?}", place.display(), seed.path().display(), std::time::SystemTime::now());
        let id = Blake3::of(made.as_bytes()).short();
        write_whole(&path, &format!("{id}\n"))?;
        Ok(id)
    }

    /// What it follows; nothing for an administrator's.
    pub const fn following(&self) -> Option<&Following> {
        self.following.as_ref()
    }

    /// What the release that it follows says of itself, as it was verified.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn release(&self) -> Result<Release, ReachError> {
        self.prepared
            .as_ref()
            .map_or_else(|| Following::release(&self.root), |prepared| Ok(prepared.verified.release.clone()))
    }

    /// Where the keys that sign releases are, and what is remembered of those.
    pub fn release_folder(&self) -> PathBuf {
        self.root.join(".kanon").join("release")
    }

    /// Where the bytes are kept that nothing else vouches for.
    pub fn store(&self) -> PathBuf {
        self.root.join(".kanon").join("store")
    }

    /// Where downloads are unpacked to.
    pub fn unpacked(&self) -> PathBuf {
        self.root.join(".kanon").join("unpacked")
    }

    /// Where what comes from a catalogue is kept.
    pub fn downloads(&self, source: &SourceWish) -> PathBuf {
        self.root.join(".kanon").join("downloads").join(own_name(source))
    }

    /// The copy of a catalogue as it last came.
    pub fn catalogue_copy(&self, source: &SourceWish) -> PathBuf {
        self.root.join(".kanon").join("catalogues").join(own_name(source) + ".json")
    }

    /// The state database.
    ///
    /// # Errors
    /// When it can't be opened or made.
    pub fn state(&self) -> Result<State, ReachError> {
        // A game that never followed anything is touched only once somebody has agreed.
        match &self.prepared {
            Some(_) if !self.root.join(WISHES).is_file() => State::in_memory(),
            _ => {
                let state = State::open(&self.own())?;
                self.keep_own_out_of_repositories()?;
                Ok(state)
            }
        }
    }

    /// Many keep a workspace in a repository: what Kanon keeps for itself, the keys that sign above all, is not to get into it.
    fn keep_own_out_of_repositories(&self) -> Result<(), ReachError> {
        let path = self.own().join(".gitignore");
        match path.exists() || self.following.is_some() {
            true => Ok(()),
            false => write_whole(
                &path,
                "# What Kanon keeps for itself: its journal, backups, and the keys that sign releases.\n*\n",
            ),
        }
    }

    /// Where everything is that Kanon keeps for itself.
    pub fn own(&self) -> PathBuf {
        self.root.join(".kanon")
    }

    /// The sealed canon, if there is one.
    ///
    /// # Errors
    /// When the file is there and is no canon.
    pub fn canon(&self) -> Result<Option<Canon>, ReachError> {
        if let Some(prepared) = &self.prepared {
            return Ok(Some(prepared.verified.canon.clone()));
        }
        let path = self.canon_path();
        if !path.exists() {
            return Ok(None);
        }
        let bytes = read_bounded(&path, limits::SURVEY_BYTES).during("read the canon", &path)?;
        match Canon::from_json(&bytes) {
            Ok(canon) => Ok(Some(canon)),
            Err(error) => Err(ReachError::BadCanon { path, reason: Unfit::told(error) }),
        }
    }
}

/// Where the backups of a workspace are kept, whether or not there is one yet.
pub fn backups_of(root: &Path) -> PathBuf {
    root.join(".kanon").join("backups")
}

/// A name for the files of one source: another address is another source, and any name can be a file's this way.
fn own_name(source: &SourceWish) -> String {
    Blake3::of(format!("{}\n{}", source.name, source.at).as_bytes()).to_string()[..16].to_owned()
}
