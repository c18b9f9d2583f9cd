//! A signed release of the sealed canon, for players to follow: made ready with all that can be wrong looked at first, then put up.

use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::FoldedId;
use kanon_core::canon::Canon;
use kanon_core::canon::release::{Invite, System, for_players, is_for_players, wishes_for_players};
use kanon_core::config::{Edit, edit};
use kanon_core::handout::Handout;
use kanon_io::bytes::Bytes;
use kanon_io::carried::{Program, programs_in};
use kanon_io::error::During;
use kanon_io::origin::Origin;
use kanon_io::release::{
    self, Archive, Lasting, Outgoing, Page, Published, Record, RootMark, SigningKeys, publish, wanted_bytes,
};
use kanon_io::room::held_by;
use kanon_io::workspace::Workspace;
use kanon_io::writing::write_whole;

use crate::error::{AppError, PublishError};
use crate::handouts::{HandoutFacts, set};
use crate::machine::Machine;
use crate::observer::Task;
use crate::release_place::{ReleasePlace, address_of};
use crate::session::{Session, digest_of};

/// How long a release lasts when nothing is said: longer than a winter without a word from the administrator.
const DAYS: u32 = 400;
/// How many releases keep their files when nothing is said.
const KEEP: u32 = 3;

/// What is asked for.
#[derive(Debug, Clone, Copy, Default)]
pub struct Wanted<'w> {
    /// The place to publish to; the one of kanon.toml when left out.
    pub dest: Option<&'w str>,
    /// The address at which players find it.
    pub address: Option<&'w str>,
    /// The folder of programs that are to carry the invite.
    pub programs: Option<&'w Path>,
    /// Whether new keys are to sign.
    pub new_key: bool,
    /// Whether what lies there is read back.
    pub verify: bool,
}

/// How whoever publishes writes for people who come with a browser.
pub trait Writer {
    /// All that a player needs, in one archive.
    fn archive(&self, set: &Handout) -> Archive;
    /// The pages of a release, by what is told of it.
    fn pages(&self, facts: &HandoutFacts, rulebook: &str) -> Vec<Page>;
}

/// A release that is ready to be put up.
pub struct Publishing {
    /// What players are told of it.
    pub facts: HandoutFacts,
    /// The place, as it would be typed.
    pub place: String,
    /// The folder of the keys that were made for it, where they were made just now.
    pub keys_made_in: Option<PathBuf>,
    /// Which root the keys are of.
    pub mark: RootMark,
    /// The invite.
    pub invite: Invite,
    canon: Canon,
    bytes: Bytes,
    wishes: String,
    programs: Vec<(System, Vec<u8>)>,
    keys: SigningKeys,
    /// The workspace with what was said for the first time, to be written once it has worked.
    edited: Option<Workspace>,
    verify: bool,
}

impl Publishing {
    /// Looks at whatever can be wrong, and only then makes keys.
    ///
    /// # Errors
    /// When the canon is not what kanon.toml and the rulebook say now, bytes are lacking, or the place or the programs will not do.
    pub fn prepare(session: &mut Session<'_>, wanted: Wanted<'_>) -> Result<Self, AppError> {
        let canon = session.canon()?;
        session.refuse_stale(&canon)?;
        if canon.rulebook != session.loaded.digest {
            return Err(PublishError::RulebookChanged.into());
        }
        let place = place(wanted, session)?;
        let edited = with_place(wanted, session, &place)?;
        if let Some(workspace) = &edited {
            session.workspace = Some(workspace.clone());
        }
        let canon = for_players(&canon);
        let bytes = session.bytes(&wanted_bytes(&canon))?;
        refuse_lacking(&canon, &bytes)?;
        let workspace = session.workspace()?;
        let wishes = wishes_for_players(&workspace.text, &workspace.config, &canon)
            .map_err(|why| PublishError::NotReadAgain(Box::new(why)))?;
        let (folder, now) = (workspace.release_folder(), session.machine.now().timestamp());
        let programs = programs(workspace)?;
        let set = set(session, &canon, &Record::read(&folder)?)?;
        let is_first = SigningKeys::open(&folder)?.is_none();
        let keys = SigningKeys::open_or_make(&folder, now)?;
        let keys = if wanted.new_key && !is_first { keys.rotate(now)? } else { keys.renewed(now)? };
        let address = address_of(workspace, Some(&place)).unwrap_or_else(|| place.as_typed());
        let mark = keys.mark()?;
        let invite = Invite::new(&address, mark.version, mark.fingerprint);
        let programs = carrying(programs, &invite)?;
        let wish = &workspace.config.release;
        let facts = HandoutFacts {
            set,
            number: None,
            invite: Some(invite.to_string()),
            digest: digest_of(&canon)?,
            links: Some(String::new()),
            programs: programs.iter().map(|(system, _)| *system).collect(),
            programs_at: wish.programs_at.clone(),
            has_archive: wish.zip,
        };
        Ok(Self {
            facts,
            place: place.as_typed(),
            keys_made_in: is_first.then_some(folder),
            mark,
            invite,
            canon,
            bytes,
            wishes,
            programs,
            keys,
            edited,
            verify: wanted.verify,
        })
    }

    /// Puts it up. Only what has worked is remembered, and both of it.
    ///
    /// # Errors
    /// When the place can't be written to or holds others' releases.
    pub fn put_up(&mut self, session: &Session<'_>, writer: &dyn Writer) -> Result<Published, AppError> {
        let workspace = session.workspace()?;
        let wish = &workspace.config.release;
        let lasting = Lasting {
            days: i64::from(wish.days.unwrap_or(DAYS)),
            keep: usize::try_from(wish.keep.unwrap_or(KEEP)).unwrap_or(usize::MAX),
        };
        let rulebook = session.loaded.text.as_str();
        let outgoing = Outgoing {
            canon: &self.canon,
            rulebook,
            wishes: &self.wishes,
            bytes: &self.bytes,
            now: session.machine.now().timestamp(),
            lasting,
            programs: std::mem::take(&mut self.programs),
            archive: wish.zip.then(|| writer.archive(&self.facts.set)),
        };
        let origin = Origin::open(&self.place, &session.machine.folder, &session.machine.access())?;
        let pages = |number| writer.pages(&HandoutFacts { number: Some(number), ..self.facts.clone() }, rulebook);
        let bar = session.observer.begin(Task::Publishing);
        let folder = workspace.release_folder();
        let published = publish(&origin, (&self.keys, &folder), (&outgoing, self.verify), &pages, bar.as_ref())?;
        drop(bar);
        if let Some(workspace) = &self.edited {
            write_whole(&workspace.wishes_path(), &workspace.text)?;
        }
        Ok(published)
    }

    /// How many files the place holds now, and how many bytes. Of a bucket it would have to be asked, file by file.
    pub fn held(&self) -> Option<(u64, u64)> {
        let held = held_by(Path::new(&self.place)).ok().filter(|held| held.files > 0)?;
        Some((held.files, held.bytes))
    }
}

/// Serves a release over HTTP until the program ends; tells the address once it does.
///
/// # Errors
/// When the folder holds none, or the address can't be listened at.
pub fn serve(machine: &Machine, folder: &Path, listen: &str, tell: impl FnOnce(SocketAddr)) -> Result<(), AppError> {
    let folder = machine.folder.join(folder);
    if !release::is_release(&folder) {
        return Err(PublishError::NoRelease(folder).into());
    }
    Ok(release::serve(&folder, listen, tell).map_err(PublishError::NotServed)?)
}

/// The programs that are to carry the invite; none where none are wished for.
fn programs(workspace: &Workspace) -> Result<Vec<Program>, AppError> {
    let Some(folder) = workspace.config.release.programs.as_ref().map(|folder| workspace.root.join(folder)) else {
        return Ok(Vec::new());
    };
    let found = programs_in(&folder)?;
    if found.is_empty() {
        return Err(PublishError::NoPrograms(folder).into());
    }
    Ok(found)
}

/// Each program with the invite behind it.
fn carrying(programs: Vec<Program>, invite: &Invite) -> Result<Vec<(System, Vec<u8>)>, PublishError> {
    let each = programs.into_iter().map(|program| Some((program.system, program.carrying(invite)?)));
    each.collect::<Option<Vec<_>>>().ok_or(PublishError::InviteTooLong)
}

fn place(wanted: Wanted<'_>, session: &Session<'_>) -> Result<ReleasePlace, AppError> {
    let workspace = session.workspace()?;
    let place = match (wanted.dest, &workspace.config.release.to) {
        (Some(typed), _) => ReleasePlace::of(typed, &session.machine.folder)?,
        (None, Some(to)) => ReleasePlace::of(to, &workspace.root)?,
        (None, None) => return Err(PublishError::NoPlace.into()),
    };
    let ReleasePlace::Folder(folder) = place else { return Ok(place) };
    std::fs::create_dir_all(&folder).during("make the folder", &folder)?;
    let found = folder.canonicalize().during("find", &folder)?;
    let own = workspace.root.canonicalize().during("find", &workspace.root)?;
    if own.starts_with(&found) || found.starts_with(own.join(".kanon")) {
        return Err(PublishError::HoldsTheKeys(found).into());
    }
    Ok(ReleasePlace::Folder(found))
}

/// The workspace with the place in `kanon.toml` where it is not said yet, and the address when it was given; nothing where
/// all of it is said.
fn with_place(wanted: Wanted<'_>, session: &Session<'_>, place: &ReleasePlace) -> Result<Option<Workspace>, AppError> {
    let workspace = session.workspace()?;
    let wish = &workspace.config.release;
    let mut said: Vec<(&'static str, String)> = Vec::new();
    // What was typed means the same in kanon.toml if it was typed in the workspace's own folder.
    let is_home = session.machine.folder == workspace.root;
    if wish.to.is_none() {
        let typed = wanted.dest.filter(|_| is_home).map(str::to_owned);
        said.push(("to", typed.unwrap_or_else(|| place.as_typed())));
    }
    if let Some(programs) = wanted.programs {
        let programs = if is_home { programs.to_owned() } else { session.machine.folder.join(programs) };
        let programs = programs.display().to_string();
        said.extend((wish.programs.as_ref() != Some(&programs)).then_some(("programs", programs)));
    }
    if let Some(address) = wanted.address.filter(|address| wish.address.as_deref() != Some(address)) {
        said.push(("address", address.to_owned()));
    }
    if said.is_empty() {
        return Ok(None);
    }
    let edited = edit(&workspace.text, &Edit { release: &said, ..Edit::default() })
        .map_err(|error| PublishError::PlaceNotWritten(Box::new(error)))?;
    Ok(Some(workspace.edited(edited.text).map_err(PublishError::BadPlace)?))
}

fn refuse_lacking(canon: &Canon, bytes: &Bytes) -> Result<(), PublishError> {
    let lacking = bytes.lacking(&wanted_bytes(canon));
    if lacking.is_empty() {
        return Ok(());
    }
    let has = |digest: Blake3| lacking.contains(&digest);
    let of_mods: BTreeMap<FoldedId, usize> = canon
        .mods
        .iter()
        .filter(|sealed| is_for_players(sealed))
        .map(|sealed| (sealed.manifest.id.clone(), sealed.files.iter().filter(|file| has(file.blake3)).count()))
        .filter(|(_, files)| *files > 0)
        .collect();
    Err(PublishError::BytesLacking(of_mods))
}
