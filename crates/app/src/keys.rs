//! Keys and what they sign on one install: which are accepted, which verify, and what is left over.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::digest::Blake3;
use kanon_core::base::finding::{Code, Finding, in_line};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::{InstallName, KeyName};
use kanon_core::delta::{ring, signers};
use kanon_core::rulebook::Role;
use kanon_core::survey::{Survey, SurveyedMod, SurveyedSignature, Verdict};
use serde::Serialize;

use crate::error::{AppError, KeyError};
use crate::session::{Session, Surveyed};

/// The keys of an install and what they sign.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct KeyReport {
    format: &'static str,
    /// The install.
    pub install: InstallName,
    /// What it is.
    pub role: Role,
    /// Whether nothing of keys and signatures is off.
    pub in_line: bool,
    /// Every key that is there, or is to be.
    pub keys: Vec<Key>,
    /// Every mod with signed files.
    pub mods: Vec<Signed>,
    /// In what keys and signatures are off the canon, if there is one.
    pub findings: Vec<Finding>,
    /// Whether there is a canon to hold them against.
    #[serde(skip)]
    pub held: bool,
}

/// A key that is there, or is to be.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Key {
    /// Its name.
    pub name: KeyName,
    /// The digest of its bytes.
    pub blake3: Blake3,
    /// `accepted`, `own`, `missing`, `changed`, `left-over`, `no-key`, or `with-mods`, where there is no key folder.
    pub state: &'static str,
    /// The mods that it signs here.
    pub signs: Vec<String>,
    /// The mods that bring it.
    pub brought_by: Vec<FoldedId>,
}

/// A mod with signed files.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Signed {
    /// Its id.
    #[serde(rename = "mod")]
    pub id: FoldedId,
    /// How many signed files it has.
    pub payloads: usize,
    /// How many signatures fit; of those by name alone, how many are there.
    pub good: usize,
    /// `good`, `bad`, `unsigned`, or `by-name`.
    pub state: &'static str,
}

/// Refuses a game whose rulebook knows of no signatures.
///
/// # Errors
/// When it is one.
pub fn refuse_unsigned(session: &Session<'_>) -> Result<(), AppError> {
    match session.loaded.rulebook.shelves.iter().all(|shelf| shelf.signed.is_none()) {
        true => Err(KeyError::NothingSigned(session.loaded.rulebook.game.clone()).into()),
        false => Ok(()),
    }
}

/// The server whose keys are meant where no install is named.
///
/// # Errors
/// When `kanon.toml` names none.
pub fn only_server(session: &Session<'_>) -> Result<InstallName, AppError> {
    let installs = &session.workspace()?.config.installs;
    let server = installs.iter().find(|install| install.role == Role::Server).map(|install| install.name.clone());
    Ok(server.ok_or(KeyError::NoServer)?)
}

/// The keys of an install, held against the canon if there is one.
///
/// # Errors
/// When the canon can't be read.
pub fn report(session: &Session<'_>, surveyed: &Surveyed) -> Result<KeyReport, AppError> {
    let survey = &surveyed.survey;
    let canon = if session.workspace.is_some() { session.canon_if_sealed()? } else { None };
    let of_keys = |finding: &Finding| {
        matches!(
            finding.code,
            Code::KeyMissing
                | Code::KeyLeftOver
                | Code::KeyChanged
                | Code::SignatureMissing
                | Code::SignatureBad
                | Code::SignatureUnknownKey
        )
    };
    let findings: Vec<Finding> = match &canon {
        Some(canon) => session.findings_now(canon, surveyed).into_iter().filter(of_keys).collect(),
        None => Vec::new(),
    };
    let mut states: BTreeMap<(Blake3, KeyName), &'static str> = BTreeMap::new();
    for key in &survey.keys {
        let state = match (&key.of_mod, key.own, &key.problem) {
            (Some(_), ..) => "with-mods",
            (None, true, _) => "own",
            (None, false, Some(_)) => "no-key",
            (None, false, None) => "accepted",
        };
        let known = states.entry((key.blake3, key.name.clone())).or_insert(state);
        if *known == "with-mods" {
            *known = state;
        }
    }
    if let Some(canon) = &canon {
        let ring = ring(session.measure(canon), survey);
        for key in &ring.left_over {
            states.insert((key.blake3, key.name.clone()), "left-over");
        }
        for (key, _) in &ring.missing {
            states.insert((key.blake3, key.name.clone()), "missing");
        }
        for (key, there) in &ring.changed {
            states.insert((there.blake3, there.name.clone()), "changed");
            states.insert((key.blake3, key.name.clone()), "missing");
        }
    }
    let mods = signed(survey);
    let is_good = |signed: &Signed| matches!(signed.state, "good" | "by-name");
    let in_line = in_line(&findings) && (canon.is_some() || mods.iter().all(is_good));
    Ok(KeyReport {
        format: "kanon-keys/1",
        install: survey.install.name.clone(),
        role: survey.install.role,
        in_line,
        keys: keys(survey, states),
        mods,
        findings,
        held: canon.is_some(),
    })
}

fn keys(survey: &Survey, states: BTreeMap<(Blake3, KeyName), &'static str>) -> Vec<Key> {
    let signers = signers(survey);
    let key = |((blake3, name), state): ((Blake3, KeyName), &'static str)| {
        let signs = signers.get(&blake3).into_iter().flatten().map(|id| (*id).to_owned()).collect();
        let brought: BTreeSet<FoldedId> =
            survey.keys.iter().filter(|key| key.blake3 == blake3).filter_map(|key| key.of_mod.clone()).collect();
        Key { name, blake3, state, signs, brought_by: brought.into_iter().collect() }
    };
    let mut keys: Vec<Key> = states.into_iter().map(key).collect();
    keys.sort_by(|a, b| (&a.name, a.state).cmp(&(&b.name, b.state)));
    keys
}

fn signed(survey: &Survey) -> Vec<Signed> {
    let of_mod = |found: &SurveyedMod| {
        let with = |signature: &&SurveyedSignature| signature.signature.is_some();
        let by_name = found.signatures.iter().filter(with).all(|signature| signature.verdict.is_none());
        let good =
            found.signatures.iter().filter(with).filter(|s| matches!(s.verdict, None | Some(Verdict::Good))).count();
        let state = match (good == found.signatures.len(), by_name) {
            _ if found.signatures.iter().any(|signature| signature.signature.is_none()) => "unsigned",
            (true, true) => "by-name",
            (true, false) => "good",
            (false, _) => "bad",
        };
        Signed { id: found.manifest.id.clone(), payloads: found.signatures.len(), good, state }
    };
    survey.mods.iter().filter(|found| found.enabled && !found.signatures.is_empty()).map(of_mod).collect()
}
