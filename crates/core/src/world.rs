//! Worlds: when a change of mods wants a new one, and the steps that keep, set aside or replace the one that is there.

use crate::align::{Action, Plan, Step};
use crate::check::{Measure, may_stay};
use crate::digest::Blake3;
use crate::finding::{Code, Finding};
use crate::path::{InstallPath, PathError};
use crate::rulebook::{Role, Rulebook};
use crate::survey::{Survey, SurveyedMod};

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

/// A mod that reshapes worlds, and what happens to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shaping {
    /// Its id.
    pub id: String,
    /// What happens to it.
    pub change: Change,
}

/// What happens to a mod.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Change {
    /// It comes to a world that was made without it.
    Added,
    /// It goes from a world that was made with it.
    Removed,
    /// It is replaced by another release or other bytes.
    Replaced,
}

/// The mods that reshape worlds and that an alignment would add, remove or replace, where there is a world.
pub fn shaping(measure: Measure<'_>, survey: &Survey) -> Vec<Shaping> {
    if survey.worlds.is_empty() {
        return Vec::new();
    }
    let role = survey.install.role;
    let by_id = survey.mods_by_id();
    let enabled = |id: &str| {
        let copies = by_id.get(&id.to_lowercase()).into_iter().flatten();
        copies.filter(|found| found.enabled && found.reading.made_for.is_none()).collect::<Vec<_>>()
    };
    let wanted = measure.canon.mods.iter().filter(|sealed| sealed.needed_on().includes(role));
    let mut changes: Vec<Shaping> = wanted
        .filter_map(|sealed| {
            let copies = enabled(&sealed.reading.id);
            let was_shaping = copies.iter().any(|copy| copy.reading.shapes_world);
            let change = match copies.is_empty() {
                true => Change::Added,
                false if copies.iter().any(|copy| copy.digest == sealed.digest) => return None,
                false => Change::Replaced,
            };
            let shapes = sealed.reading.shapes_world || was_shaping;
            shapes.then(|| Shaping { id: sealed.reading.id.clone(), change })
        })
        .collect();
    let in_canon =
        |found: &SurveyedMod| measure.canon.mods.iter().any(|sealed| sealed.folded_id() == found.folded_id());
    let gone = survey.mods.iter().filter(|found| {
        found.enabled
            && found.reading.shapes_world
            && found.reading.made_for.is_none()
            && !in_canon(found)
            && !may_stay(measure, role, found)
    });
    changes.extend(gone.map(|found| Shaping { id: found.reading.id.clone(), change: Change::Removed }));
    changes.sort_by(|a, b| a.id.cmp(&b.id));
    changes.dedup_by(|a, b| a.id == b.id);
    changes
}

/// Those changes after which the world that is there may not do: a mod comes to it or goes from it.
pub fn wanting_new(changes: &[Shaping]) -> impl Iterator<Item = &Shaping> {
    changes.iter().filter(|shaping| shaping.change != Change::Replaced)
}

/// Findings about worlds.
pub fn judge(measure: Measure<'_>, survey: &Survey) -> Vec<Finding> {
    let changes = shaping(measure, survey);
    let Some(world) = survey.worlds.first() else { return Vec::new() };
    let finding = |shaping: &Shaping| {
        let remedy = format!(
            "kanon align {} --world new, or --world FILE for a prepared one, or --world keep if you know that it will do",
            survey.install.name
        );
        let (expected, found) = match shaping.change {
            Change::Removed => ("a world made without it", "one made with it"),
            Change::Added | Change::Replaced => ("a world made with it", "one made without it"),
        };
        let finding = Finding::new(Code::WorldNeedsNew, remedy).about(&shaping.id).at(world.as_str());
        finding.expected(expected).found(found)
    };
    wanting_new(&changes).map(finding).collect()
}

/// A survey without what lies in worlds that are set aside: all of that is missing then.
pub fn without_worlds(survey: &Survey) -> Survey {
    let is_in_world =
        |path: &InstallPath| survey.worlds.iter().any(|world| path == world || path.below(world).is_some());
    let mut without = survey.clone();
    without.mods.retain(|found| found.is_id_alone() || !is_in_world(&found.path));
    without.strays.retain(|found| !is_in_world(&found.path));
    without.unreadable.retain(|broken| !InstallPath::new(&broken.path).is_ok_and(|path| is_in_world(&path)));
    without
}

/// Adds to a plan what becomes of the worlds; a plan that leaves them alone stays as it is. `changes` are those of
/// [`shaping`].
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
                let why = match changes.first() {
                    Some(shaping) => format!("the world, before {} changes", shaping.id),
                    None => "the world, before what is in it changes".to_owned(),
                };
                let step = |(path, _): &(InstallPath, u64)| Step {
                    action: Action::BackUp,
                    path: path.clone(),
                    why: why.clone(),
                    bytes: 0,
                    lines: Vec::new(),
                };
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
            let why = "the old world is set aside, not deleted".to_owned();
            steps.push(Step {
                action: Action::Rename { from: path.clone() },
                path: to,
                why,
                bytes: 0,
                lines: Vec::new(),
            });
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
        let why = "the prepared world".to_owned();
        steps.push(Step {
            action: Action::Put { blake3: file.blake3 },
            path,
            why,
            bytes: file.size,
            lines: Vec::new(),
        });
    }
    Ok(steps)
}

#[cfg(test)]
#[path = "tests/world.rs"]
mod tests;
