//! Worlds: the steps that keep, set aside or replace the one that is there.

use super::reason::Reason;
use super::{Action, Plan, Step};
use crate::base::digest::Blake3;
use crate::base::path::{InstallPath, PathError};
use crate::delta::worlds::Shaping;
use crate::rulebook::{Role, Rulebook};

/// What is added to the name of a folder of worlds for those that are set aside in it.
const ASIDE: &str = "-set-aside";

/// A world as it lies on an install.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct World {
    /// Its folder or file.
    pub path: InstallPath,
    /// Its files with their sizes: the one file that it is, or those in its folder.
    pub files: Vec<(InstallPath, u64)>,
}

/// A file of a world that was prepared elsewhere.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PreparedFile {
    /// Its path inside the world; nothing when the world is one file.
    pub inner: Option<String>,
    /// Its size in bytes.
    pub size: u64,
    /// The digest of its bytes.
    pub blake3: Blake3,
}

/// What becomes of the worlds of an install.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Choice {
    /// Nobody has said: they stay, and an alignment that reshapes them asks first.
    Undecided,
    /// They stay.
    Keep,
    /// They are set aside under a name with this in it, and the game makes a new one.
    New(String),
    /// They are set aside likewise, and this one takes the first one's place.
    Prepared {
        /// What the set aside ones have in their name.
        mark: String,
        /// What it is called where the game has no world yet and minds no name.
        called: String,
        /// Its files.
        files: Vec<PreparedFile>,
    },
}

/// Adds to a plan what becomes of the worlds; a plan that leaves them alone stays as it is. `changes` are those of
/// [`worlds`](crate::delta::Delta::worlds).
///
/// # Errors
/// When a name would be too long, or the game has several places for worlds and none of them has one.
pub fn decide(
    mut plan: Plan,
    (worlds, changes): (&[World], &[Shaping]),
    choice: &Choice,
    (rulebook, role): (&Rulebook, Role),
) -> Result<Plan, PathError> {
    let mut first = Vec::new();
    let mut last = Vec::new();
    match choice {
        Choice::New(mark) => first = set_aside(worlds, mark, rulebook, role)?,
        Choice::Prepared { mark, called, files } => {
            first = set_aside(worlds, mark, rulebook, role)?;
            last = put(worlds.first(), (called, files), rulebook, role)?;
        }
        Choice::Undecided | Choice::Keep => {
            let touched = |world: &World| {
                let inside = |path: &InstallPath| *path == world.path || path.below(&world.path).is_some();
                plan.steps.iter().flat_map(Step::paths).any(inside)
            };
            for world in worlds.iter().filter(|world| !changes.is_empty() || touched(world)) {
                let reason = Reason::WorldKept { id: changes.first().map(|shaping| shaping.id.clone()) };
                let step = |(path, _): &(InstallPath, u64)| Step::new(Action::BackUp, path.clone(), reason.clone());
                first.extend(world.files.iter().map(step));
            }
        }
    }
    first.append(&mut plan.steps);
    first.append(&mut last);
    Ok(Plan { steps: first })
}

fn set_aside(worlds: &[World], mark: &str, rulebook: &Rulebook, role: Role) -> Result<Vec<Step>, PathError> {
    let mut steps = Vec::new();
    for world in worlds {
        let aside = aside(&world.path, mark, rulebook, role)?;
        for (path, _) in &world.files {
            let to = match path.below(&world.path) {
                Some(inner) => aside.join(inner)?,
                None => aside.clone(),
            };
            steps.push(Step::new(Action::Rename { from: path.clone() }, to, Reason::WorldSetAside));
        }
    }
    Ok(steps)
}

/// A name for a world that is set aside, where the game does not take it for one.
fn aside(world: &InstallPath, mark: &str, rulebook: &Rulebook, role: Role) -> Result<InstallPath, PathError> {
    let name = match world.name().rsplit_once('.') {
        Some((stem, end)) if !stem.is_empty() => format!("{stem}-{mark}.{end}"),
        _ => format!("{}-{mark}", world.name()),
    };
    let beside = match world.parent() {
        Some(parent) => parent.join(&name)?,
        None => InstallPath::new(&name)?,
    };
    let is_world =
        |path: &InstallPath| rulebook.worlds.iter().flat_map(|rule| rule.places.of(role)).any(|place| place.fits(path));
    if !is_world(&beside) {
        return Ok(beside);
    }
    match world.parent() {
        Some(parent) => InstallPath::new(&format!("{parent}{ASIDE}/{name}")),
        None => InstallPath::new(&format!("worlds{ASIDE}/{name}")),
    }
}

/// Puts a prepared world where the game looks for it: in the place of the one that was there, else where the rulebook says.
fn put(
    there: Option<&World>,
    (called, files): (&str, &[PreparedFile]),
    rulebook: &Rulebook,
    role: Role,
) -> Result<Vec<Step>, PathError> {
    let place = match there {
        Some(world) => world.path.clone(),
        None => {
            let place = rulebook.worlds.iter().flat_map(|rule| rule.places.of(role)).next();
            let text = place.map(ToString::to_string).unwrap_or_default();
            // A `*` stands for the world's own name, whatever else is around it.
            InstallPath::new(&text.replace('*', called))?
        }
    };
    let mut steps = Vec::new();
    for file in files {
        let path = match &file.inner {
            Some(inner) => place.join(inner)?,
            None => place.clone(),
        };
        let action = Action::Put { blake3: file.blake3 };
        steps.push(Step { bytes: file.size, ..Step::new(action, path, Reason::WorldPrepared) });
    }
    Ok(steps)
}

#[cfg(test)]
#[path = "../tests/world.rs"]
mod tests;
