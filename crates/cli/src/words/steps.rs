//! Why a step of an alignment is taken.

use kanon_core::base::ids::FoldedId;
use kanon_core::plan::Step;
use kanon_core::plan::reason::{Key, Reason, Release};
use serde::Serialize;

/// A step with its reasons in words.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct ToldStep {
    #[serde(flatten)]
    step: Step,
    why: String,
}

impl From<&Step> for ToldStep {
    fn from(step: &Step) -> Self {
        Self { why: why(step), step: step.clone() }
    }
}

/// Why a step is taken.
pub fn why(step: &Step) -> String {
    match step.reasons.as_slice() {
        [] => "as it was planned".to_owned(),
        reasons => reasons.iter().map(reason).collect::<Vec<_>>().join("; "),
    }
}

fn reason(reason: &Reason) -> String {
    match reason {
        Reason::Missing(of) => format!("{} is missing", release(of)),
        Reason::OtherRelease { wanted, found } => {
            format!("{} is {found} here; the canon has {}", wanted.id, version(wanted))
        }
        Reason::OtherBytes(of) => format!("{} has other bytes here", release(of)),
        Reason::SomethingElse(of) => format!("what is there is not {}", release(of)),
        Reason::OtherName(of) => format!("{} is there under another name", release(of)),
        Reason::FurtherCopy(of) => format!("another copy of {}; the canon has {}", of.id, version(of)),
        Reason::NoPartOf(of) => format!("not part of {}", release(of)),
        Reason::Extra { id } => format!("the canon does not have {id}"),
        Reason::OtherLoader { id, loader } => format!("{id} was made for the loader {loader}"),
        Reason::LeftOver { id } => format!("{id} was made for another version of the game or its loader"),
        Reason::Unreadable { problem } => problem.clone(),
        Reason::KeyMissing(Key { key, mods }) => format!("the key {key} of {}", named(mods)),
        Reason::KeyChanged(Key { key, mods }) => {
            format!("another key is called {key}; this is the one of {}", named(mods))
        }
        Reason::KeyLeftOver(Key { key, .. }) => format!("the key {key} belongs to no mod any more"),
        Reason::Brought { id } => format!("what {id} brings besides"),
        Reason::BringerGone { id } => format!("{id} is gone, and with it what it brought"),
        Reason::List { list } => list.clone(),
        Reason::Setting { setting, value } => format!("{setting}: {value}"),
        Reason::Memory { memory } => format!("memory: {memory}"),
        Reason::Entries { mods } => format!("entries of {}", named(mods)),
        Reason::LaidIn { mods } if mods.is_empty() => "the game's own archive as it came".to_owned(),
        Reason::LaidIn { mods } => format!("the game's own archive with {} laid in", named(mods)),
        Reason::WorldKept { id: Some(id) } => format!("the world, before {id} changes"),
        Reason::WorldKept { id: None } => "the world, before what is in it changes".to_owned(),
        Reason::WorldSetAside => "the old world is set aside, not deleted".to_owned(),
        Reason::WorldPrepared => "the prepared world".to_owned(),
    }
}

fn release(of: &Release) -> String {
    format!("{} {}", of.id, version(of))
}

fn version(of: &Release) -> &str {
    of.version.as_deref().unwrap_or("-")
}

fn named(mods: &[FoldedId]) -> String {
    FoldedId::joined(mods, ", ")
}
