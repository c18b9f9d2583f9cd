//! The administrator's workspace: where `kanon.toml` is, what it says, and where everything else is kept.

use std::path::{Path, PathBuf};

use kanon_core::canon::Canon;
use kanon_core::digest::Blake3;
use kanon_core::limits;
use kanon_core::problem::Problem;
use kanon_core::rulebook::{self, Rulebook};
use kanon_core::wish::{self, SourceWish, Wishes};

use crate::error::{During, ReachError};
use crate::following::{Following, workspace_of};
use crate::state::State;

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
#[derive(Debug)]
pub struct Workspace {
    /// Its folder.
    pub root: PathBuf,
    /// The text of its `kanon.toml`.
    pub text: String,
    /// What it says.
    pub wishes: Wishes,
}

/// Reads a rulebook's file.
///
/// # Errors
/// When it can't be read, or has mistakes.
pub fn load_rulebook(path: &Path) -> Result<LoadedRulebook, ReachError> {
    let text = read_text(path, "read the rulebook")?;
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
    let unusable = |reason: String| ReachError::Unusable { path: path.to_owned(), reason };
    let size = std::fs::metadata(path).during(attempt, path)?.len();
    if size > limits::TOML_BYTES {
        return Err(unusable(format!("it is larger than {} MiB", limits::TOML_BYTES >> 20)));
    }
    let bytes = std::fs::read(path).during(attempt, path)?;
    String::from_utf8(bytes)
        .map_err(|error| unusable(format!("it is not UTF-8 text (at byte {})", error.utf8_error().valid_up_to())))
}

impl Workspace {
    /// Finds the workspace that a folder is in: an administrator's, or that of a game which follows a release.
    pub fn find(from: &Path) -> Option<PathBuf> {
        let candidates = from.ancestors().flat_map(|folder| [folder.to_owned(), workspace_of(folder)]);
        candidates.into_iter().find(|folder| folder.join(WISHES).is_file())
    }

    /// Opens the workspace that a folder is in.
    ///
    /// # Errors
    /// When there is none, or its `kanon.toml` has mistakes.
    pub fn open(from: &Path) -> Result<Self, ReachError> {
        let root = Self::find(from).ok_or_else(|| ReachError::NoWorkspace(from.to_owned()))?;
        let path = root.join(WISHES);
        let text = read_text(&path, "read")?;
        let wishes = wish::parse(&path.display().to_string(), &text)?.value;
        Ok(Self { root, text, wishes })
    }

    /// The rulebook it names.
    ///
    /// # Errors
    /// When that can't be read, or has mistakes.
    pub fn rulebook(&self) -> Result<LoadedRulebook, ReachError> {
        let mut loaded = load_rulebook(&self.root.join(&self.wishes.rulebook))?;
        // Settings of the administrator's own are read and judged like those that the rulebook knows.
        for wish in &self.wishes.settings {
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

    /// Where backups are kept.
    pub fn backups(&self) -> PathBuf {
        self.root.join(".kanon").join("backups")
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
    ///
    /// # Errors
    /// When what says so can't be read.
    pub fn following(&self) -> Result<Option<Following>, ReachError> {
        Following::read(&self.root)
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
        State::open(&self.root.join(".kanon").join("state.db"))
    }

    /// The sealed canon, if there is one.
    ///
    /// # Errors
    /// When the file is there and is no canon.
    pub fn canon(&self) -> Result<Option<Canon>, ReachError> {
        let path = self.canon_path();
        if !path.exists() {
            return Ok(None);
        }
        let bytes = std::fs::read(&path).during("read the canon", &path)?;
        let canon =
            Canon::from_json(&bytes).map_err(|error| ReachError::Unusable { path, reason: error.to_string() })?;
        Ok(Some(canon))
    }
}

/// A name for the files of one source: another address is another source, and any name can be a file's this way.
fn own_name(source: &SourceWish) -> String {
    Blake3::of(format!("{}\n{}", source.name, source.at).as_bytes()).to_string()[..16].to_owned()
}

/// Writes a file of the workspace whole or not at all.
///
/// # Errors
/// When the folder can't be written.
pub fn write_whole(path: &Path, text: &str) -> Result<(), ReachError> {
    use std::io::Write;
    let folder = path.parent().unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).during("make a file beside", path)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::metadata(path).map_or(0o644, |metadata| metadata.permissions().mode());
        file.as_file().set_permissions(std::fs::Permissions::from_mode(mode)).during("set the permissions of", path)?;
    }
    file.write_all(text.as_bytes()).and_then(|()| file.as_file().sync_all()).during("write", path)?;
    file.persist(path).map_err(|error| error.error).during("put in place", path)?;
    Ok(())
}
