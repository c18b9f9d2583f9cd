//! From what an install has to what is asked for: the mods that are adopted, and why the others are not.

use std::collections::BTreeMap;

use crate::base::ids::FoldedId;
use crate::config::ModWish;
use crate::delta::{OutOfPlay, out_of_play, sides_by_list};
use crate::rulebook::Rulebook;
use crate::survey::{Survey, SurveyedMod};

/// What an install gives to ask for.
#[derive(Debug, Clone, Default)]
pub struct Adoption {
    /// A wish for each mod that is there once, in play and of this loader.
    pub wishes: Vec<ModWish>,
    /// What was passed over, by its path.
    pub passed_over: Vec<(String, PassedOver)>,
}

/// Why something is not adopted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum PassedOver {
    /// It can't be read.
    Unreadable(String),
    /// It was made for another loader.
    OtherLoader {
        /// The mod.
        id: FoldedId,
        /// That loader.
        loader: String,
    },
    /// It is switched off by its name.
    SwitchedOff(FoldedId),
    /// A list keeps it out of play.
    OutOfPlay(OutOfPlay),
    /// It is there several times, with different bytes.
    SeveralTimes(FoldedId),
}

impl Adoption {
    /// Whether a mod is there in several copies that differ.
    pub fn is_ambiguous(&self) -> bool {
        self.passed_over.iter().any(|(_, why)| matches!(why, PassedOver::SeveralTimes(_)))
    }
}

/// What an install gives to ask for; `from` is its name, where its bytes may be taken.
pub fn adopted(survey: &Survey, from: Option<&str>, rulebook: &Rulebook) -> Adoption {
    let (out_of_play, sides) = (out_of_play(rulebook, survey), sides_by_list(rulebook, survey));
    let mut by_id: BTreeMap<FoldedId, Vec<&SurveyedMod>> = BTreeMap::new();
    let unreadable = survey.unreadable.iter();
    let mut adoption = Adoption {
        wishes: Vec::new(),
        passed_over: unreadable.map(|one| (one.path.clone(), PassedOver::Unreadable(one.why.clone()))).collect(),
    };
    for found in &survey.mods {
        let id = found.manifest.id.clone();
        let why = match (&found.manifest.made_for, found.enabled, out_of_play.get(&id)) {
            (Some(loader), ..) => PassedOver::OtherLoader { id, loader: loader.clone() },
            (None, false, _) => PassedOver::SwitchedOff(id),
            (None, true, Some(why)) => PassedOver::OutOfPlay(why.clone()),
            (None, true, None) => {
                by_id.entry(id).or_default().push(found);
                continue;
            }
        };
        adoption.passed_over.push((found.path.to_string(), why));
    }
    for (id, copies) in by_id {
        let first = copies[0];
        if copies.iter().any(|copy| copy.digest != first.digest) {
            let paths: Vec<&str> = copies.iter().map(|copy| copy.path.as_str()).collect();
            adoption.passed_over.push((paths.join(", "), PassedOver::SeveralTimes(id)));
            continue;
        }
        adoption.wishes.push(ModWish {
            version: first.manifest.version.clone(),
            // A place that has only the id can't be where the bytes come from.
            from: from.filter(|_| !first.is_id_alone()).map(str::to_owned),
            needed_on: sides.get(&id).copied().filter(|side| *side != first.manifest.needed_on),
            id,
            ..ModWish::default()
        });
    }
    adoption
}
