//! What was measured, as differences: each side against the canon; without one, the client against the server, and each side
//! against what its own mods ask for.

use std::collections::BTreeMap;

use crate::base::finding::{Code, Finding};
use crate::base::ids::FoldedId;
use crate::canon::{Canon, SealedKey};
use crate::config::{Edits, Extras};
use crate::delta::{CheckContext, Delta, out_of_play, sides_by_list};
use crate::logs::is_own_defect;
use crate::rulebook::{Role, Rulebook};
use crate::survey::{StandsFor, Survey};

/// A difference of one side.
#[derive(Debug, Clone)]
pub struct Measured<'a> {
    /// The side's survey.
    pub survey: &'a Survey,
    /// What is off.
    pub finding: Finding,
    /// The side that is to be mended; none when it can't be told which.
    pub side: Option<Role>,
}

/// Every difference that a canon and surveys tell of.
pub fn differences<'a>(
    (rulebook, extras): (&Rulebook, Extras),
    canon: Option<&Canon>,
    server: Option<&'a Survey>,
    client: Option<&'a Survey>,
) -> Vec<Measured<'a>> {
    let against = |canon: &Canon, survey: &'a Survey| {
        let measure = CheckContext { canon, rulebook, extras, edits: Edits::Ask, left: &[] };
        Delta::compute(measure, survey).findings().into_iter().map(move |finding| (survey, finding)).collect::<Vec<_>>()
    };
    let of = |survey: &'a Survey, finding, side| Measured { survey, finding, side };
    if let Some(canon) = canon {
        let both = [server, client].into_iter().flatten().flat_map(|survey| against(canon, survey));
        return both.map(|(survey, finding)| of(survey, finding, Some(survey.install.role))).collect();
    }
    let own = |survey: &'a Survey| {
        let defects = against(&reference(survey, rulebook), survey);
        defects.into_iter().filter(|(_, finding)| is_of_one_side(finding.code))
    };
    let mut found: Vec<Measured<'a>> =
        server.into_iter().flat_map(own).map(|(survey, finding)| of(survey, finding, Some(Role::Server))).collect();
    match (server, client) {
        (Some(server), Some(client)) => {
            for (survey, finding) in against(&reference(server, rulebook), client) {
                let side = is_own_defect(finding.code).then_some(Role::Client);
                found.push(of(survey, finding, side));
            }
        }
        (None, Some(client)) => {
            found.extend(own(client).map(|(survey, finding)| of(survey, finding, Some(Role::Client))));
        }
        (_, None) => {}
    }
    found
}

/// Whether a side can be told to be off by what its own mods ask for, whatever anybody else has.
const fn is_of_one_side(code: Code) -> bool {
    use Code::*;
    is_own_defect(code)
        || matches!(
            code,
            ListEntryMissing
                | ListEntryExtra
                | LaunchLineDiffers
                | KeyMissing
                | KeyChanged
                | SignatureMissing
                | SignatureBad
                | SignatureUnknownKey
                | FragmentMissing
                | FragmentDiffers
                | WrongName
                | SettingDiffers
                | SettingMissing
        )
}

/// An install as the measure of another, where there is no canon: its mods in play, in the order of its own list, with the keys that
/// they bring.
pub fn reference(survey: &Survey, rulebook: &Rulebook) -> Canon {
    let (out, sides) = (out_of_play(rulebook, survey), sides_by_list(rulebook, survey));
    let mut in_play = survey.clone();
    in_play.mods.retain(|found| !out.contains_key(&found.manifest.id));
    let ordered = survey.lists.iter().filter(|list| list.ordered);
    let entries = ordered.flat_map(|list| &list.entries).filter(|entry| entry.stands_for == StandsFor::Mod);
    let mut ranks: BTreeMap<FoldedId, usize> = BTreeMap::new();
    for (rank, entry) in entries.enumerate() {
        ranks.entry(entry.id.clone()).or_insert(rank);
    }
    in_play.mods.sort_by_key(|found| ranks.get(&found.manifest.id).copied().unwrap_or(usize::MAX));
    for found in &mut in_play.mods {
        if let Some(side) = sides.get(&found.manifest.id) {
            found.manifest.needed_on = *side;
        }
    }
    let keys = keys(&in_play);
    Canon { keys, ..Canon::from_survey(&in_play) }
}

/// The keys that mods in play bring, each once.
fn keys(survey: &Survey) -> Vec<SealedKey> {
    let mut keys: Vec<SealedKey> = Vec::new();
    for key in &survey.keys {
        let Some(of_mod) = key.of_mod.as_ref().filter(|id| survey.mods.iter().any(|found| found.manifest.id == **id))
        else {
            continue;
        };
        match keys.iter_mut().find(|known| known.blake3 == key.blake3) {
            Some(known) => known.mods.push(of_mod.clone()),
            None => keys.push(SealedKey {
                name: key.name.clone(),
                blake3: key.blake3,
                size: key.size,
                file: key.path.as_str().rsplit('/').next().unwrap_or_default().to_owned(),
                mods: vec![of_mod.clone()],
            }),
        }
    }
    keys
}
