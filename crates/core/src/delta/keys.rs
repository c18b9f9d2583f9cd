//! Signing keys and signatures: what the server's key folder is to hold, and whether it accepts every payload.

use std::collections::{BTreeMap, BTreeSet};

use super::context::{CheckContext, align};
use super::extras::may_stay;
use crate::base::act::Act;
use crate::base::digest::Blake3;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::ids::{folded, same_name};
use crate::base::path::InstallPath;
use crate::base::remedy::Remedy;
use crate::base::stated::{Series, Stated};
use crate::canon::{SealedKey, SealedMod};
use crate::rulebook::{KeyScheme, NeededOn, Role};
use crate::survey::{Survey, SurveyedKey, SurveyedMod, SurveyedSignature, Verdict};

/// The key folder of an install against the canon.
#[derive(Debug, Clone, Default)]
pub struct Ring<'a> {
    /// Keys that are not there, and where each belongs.
    pub missing: Vec<(&'a SealedKey, InstallPath)>,
    /// Keys that are another one under their name, and the one that is there.
    pub changed: Vec<(&'a SealedKey, &'a SurveyedKey)>,
    /// Keys that belong to no mod any more.
    pub left_over: Vec<&'a SurveyedKey>,
    /// What is in the folder and is no key.
    pub no_key: Vec<&'a SurveyedKey>,
}

/// Whether the server must accept a key for these mods, or a client have it where it has a key folder.
fn is_for(role: Role, measure: CheckContext<'_>, key: &SealedKey) -> bool {
    let of_key = |sealed: &&SealedMod| key.mods.contains(&sealed.manifest.id);
    let needs = |sealed: &SealedMod| {
        role == Role::Server || sealed.needed_on().includes(role) || sealed.needed_on() == NeededOn::Optional
    };
    measure.canon.mods.iter().filter(of_key).any(needs)
}

/// Holds the key folder of an install against the canon.
pub fn ring<'a>(measure: CheckContext<'a>, survey: &'a Survey) -> Ring<'a> {
    let role = survey.install.role;
    let mut ring = Ring::default();
    let Some(rule) = &measure.rulebook.keyring else { return ring };
    for place in rule.places.of(role) {
        let there: Vec<&SurveyedKey> = survey
            .keys
            .iter()
            .filter(|key| key.of_mod.is_none() && !key.own && key.path.parent().as_ref() == Some(place))
            .collect();
        let mut accounted: BTreeSet<&InstallPath> = BTreeSet::new();
        let mut taken: BTreeSet<String> = BTreeSet::new();
        for sealed in measure.canon.keys.iter().filter(|key| is_for(role, measure, key)) {
            let Some(path) = own_path(place, sealed, &taken) else { continue };
            taken.insert(path.folded());
            let of_name = there.iter().find(|key| key.path.folded() == path.folded());
            let of_bytes = there.iter().find(|key| key.blake3 == sealed.blake3);
            match (of_name.filter(|key| key.blake3 == sealed.blake3).or(of_bytes), of_name) {
                (Some(right), _) => drop(accounted.insert(&right.path)),
                (None, Some(other)) => {
                    accounted.insert(&other.path);
                    ring.changed.push((sealed, other));
                }
                (None, None) => ring.missing.push((sealed, path)),
            }
        }
        let kept = kept(measure, survey);
        let others = there.into_iter().filter(|key| !accounted.contains(&key.path));
        for key in others.filter(|key| !kept.contains(&key.blake3)) {
            if key.problem.is_some() { ring.no_key.push(key) } else { ring.left_over.push(key) }
        }
    }
    ring
}

/// Where a key belongs: of two keys with one name, the second gets its digest into its name.
fn own_path(place: &InstallPath, sealed: &SealedKey, taken: &BTreeSet<String>) -> Option<InstallPath> {
    let path = place.join(sealed.file_name()).ok()?;
    if !taken.contains(&path.folded()) {
        return Some(path);
    }
    let name = sealed.file_name();
    let (stem, end) = name.rsplit_once('.').map_or((name, String::new()), |(stem, end)| (stem, format!(".{end}")));
    place.join(&format!("{stem}-{}{end}", sealed.blake3.short())).ok()
}

/// The keys of mods that the canon does not have and that stay all the same.
fn kept(measure: CheckContext<'_>, survey: &Survey) -> BTreeSet<Blake3> {
    let in_canon =
        |found: &SurveyedMod| measure.canon.mods.iter().any(|sealed| sealed.manifest.id == found.manifest.id);
    let stays =
        |found: &&SurveyedMod| found.enabled && !in_canon(found) && may_stay(measure, survey.install.role, found);
    survey.mods.iter().filter(stays).flat_map(|found| survey.keys_of(found)).map(|key| key.blake3).collect()
}

/// Findings about keys and signatures.
pub(super) fn findings(context: CheckContext<'_>, survey: &Survey, ring: &Ring<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    let of = |key: &SealedKey| Series::of_ids(&key.mods);
    for (key, path) in &ring.missing {
        let finding = Finding::new(Code::KeyMissing, align(survey)).at(path.as_str());
        let finding = key.mods.first().into_iter().fold(finding, Finding::about);
        findings.push(
            finding.expected(Stated::KeyOf { name: key.name.clone().into(), mods: of(key) }).found(Stated::Nothing),
        );
    }
    for (key, there) in &ring.changed {
        let finding = Finding::new(Code::KeyChanged, align(survey)).at(there.path.as_str());
        let finding = key.mods.first().into_iter().fold(finding, Finding::about);
        let found = match &there.problem {
            Some(problem) => Stated::NoKey(problem.clone()),
            None => Stated::OtherKeyUnderName(there.blake3.short()),
        };
        let expected =
            Stated::KeyWithDigest { name: key.name.clone().into(), mods: of(key), digest: key.blake3.short() };
        findings.push(finding.expected(expected).found(found));
    }
    for key in &ring.left_over {
        let finding = Finding::new(Code::KeyLeftOver, align(survey)).at(key.path.as_str());
        findings.push(finding.expected(Stated::KeyOfCanon).found(Stated::Key(key.name.clone().into())));
    }
    for key in &ring.no_key {
        let finding =
            Finding::new(Code::Unreadable, Act::LookInKeyFolder).at(key.path.as_str()).severity(Severity::Risky);
        findings.push(finding.expected(Stated::PublicKey).found(key.problem.clone().unwrap_or_default()));
    }
    findings.extend(signatures(context, survey, ring));
    findings
}

fn signatures(measure: CheckContext<'_>, survey: &Survey, ring: &Ring<'_>) -> Vec<Finding> {
    let accepted = accepted(measure, survey, ring);
    let mut findings = Vec::new();
    for found in survey.mods.iter().filter(|found| found.enabled) {
        let Some(signed) = measure.rulebook.shelf(&found.shelf).and_then(|shelf| shelf.signed.as_ref()) else {
            continue;
        };
        let sealed = measure.canon.mods.iter().find(|sealed| sealed.manifest.id == found.manifest.id);
        // What the canon does not have is told as such, and of what this side does not need nobody reads a signature.
        let Some(sealed) = sealed.filter(|sealed| {
            sealed.needed_on().includes(survey.install.role) || sealed.needed_on() == NeededOn::Optional
        }) else {
            continue;
        };
        let judge = |signature: &SurveyedSignature| {
            signature_of(survey, (found, sealed), signature, (signed.scheme, &accepted))
        };
        findings.extend(found.signatures.iter().filter_map(judge));
    }
    findings
}

/// What a side accepts: the keys of its folder, once the canon's are in it; where there is none, the canon's.
struct Accepted {
    digests: BTreeSet<Blake3>,
    names: BTreeSet<String>,
}

fn accepted(measure: CheckContext<'_>, survey: &Survey, ring: &Ring<'_>) -> Accepted {
    let gone = |key: &SurveyedKey| {
        ring.left_over.iter().any(|other| other.path == key.path)
            || ring.changed.iter().any(|(_, other)| other.path == key.path)
    };
    let in_ring = survey.keys.iter().filter(|key| key.of_mod.is_none() && !gone(key));
    let of_canon = measure.canon.keys.iter().map(|key| (key.blake3, folded(&key.name).into_owned()));
    let all: Vec<(Blake3, String)> =
        in_ring.map(|key| (key.blake3, folded(&key.name).into_owned())).chain(of_canon).collect();
    Accepted {
        digests: all.iter().map(|(digest, _)| *digest).collect(),
        names: all.into_iter().map(|(_, name)| name).collect(),
    }
}

fn signature_of(
    survey: &Survey,
    (found, sealed): (&SurveyedMod, &SealedMod),
    signature: &SurveyedSignature,
    (scheme, accepted): (KeyScheme, &Accepted),
) -> Option<Finding> {
    let is_sealed = found.digest == sealed.digest;
    // The canon's own bytes can't be mended by bringing them here once more.
    let remedy: Remedy = match is_sealed {
        true => Act::AskForSigned.into(),
        false => align(survey).into(),
    };
    let finding = |code| Finding::new(code, remedy.clone()).about(&found.manifest.id).at(signature.payload.as_str());
    let Some(file) = &signature.signature else {
        return Some(finding(Code::SignatureMissing).expected(Stated::SignatureBeside).found(Stated::None));
    };
    let signer = || signature.key.clone().map_or(Stated::SignedBySome, |key| Stated::SignedBy(key.into()));
    if scheme == KeyScheme::ByName {
        let is_known = signature.key.as_ref().is_none_or(|key| accepted.names.contains(folded(key).as_ref()));
        return (!is_known).then(|| finding(Code::SignatureUnknownKey).expected(Stated::HeldKey).found(signer()));
    }
    match signature.verdict? {
        Verdict::Good => {
            let is_known = signature.made_with.is_none_or(|with| accepted.digests.contains(&with));
            (!is_known).then(|| {
                let key = signature.key.clone().unwrap_or_else(|| "a key".into());
                let said = Stated::SignedWithOther(key.into());
                finding(Code::SignatureUnknownKey).expected(Stated::HeldKey).found(said)
            })
        }
        Verdict::UnknownKey => Some(finding(Code::SignatureUnknownKey).expected(Stated::HeldKey).found(signer())),
        Verdict::NoSignature => {
            let why = signature.problem.clone().map_or(Stated::NoSignature, Stated::Verbatim);
            Some(finding(Code::SignatureBad).at(file.as_str()).expected(Stated::Signature).found(why))
        }
        Verdict::Bad => {
            let why = why_bad((found, sealed), signature, file);
            Some(finding(Code::SignatureBad).expected(signer()).found(why))
        }
    }
}

/// Which of the two is the wrong one: the payload, or its signature.
fn why_bad((found, sealed): (&SurveyedMod, &SealedMod), signature: &SurveyedSignature, file: &InstallPath) -> Stated {
    let digest = |path: &InstallPath| found.files.iter().find(|own| own.path == *path).map(|own| own.blake3);
    let wanted = |path: &InstallPath| {
        let below = path.below(&found.place)?;
        sealed.files.iter().find(|own| own.path.as_str() == below).map(|own| own.blake3)
    };
    let is_as_sealed = |path: &InstallPath| Some(digest(path)? == wanted(path)?);
    match (is_as_sealed(&signature.payload), is_as_sealed(file), signature.made_over) {
        (Some(true), Some(false), _) => Stated::OutdatedSignature,
        (Some(false), Some(true), _) => Stated::AlteredPayload,
        (_, _, Some(_)) => Stated::SignatureOfOtherRelease,
        (Some(true), Some(true), None) => Stated::NeverSigned,
        _ => Stated::SignatureOverOther,
    }
}

/// The keys of an install by the mods that they sign, for whoever wants to see them all.
pub fn signers(survey: &Survey) -> BTreeMap<Blake3, BTreeSet<&str>> {
    let mut signers: BTreeMap<Blake3, BTreeSet<&str>> = BTreeMap::new();
    for key in survey.keys.iter() {
        let by_name = |signature: &SurveyedSignature| {
            signature.verdict.is_none() && signature.key.as_deref().is_some_and(|name| same_name(name, &key.name))
        };
        let signed = survey.mods.iter().filter(|found| {
            found.signatures.iter().any(|signature| signature.made_with == Some(key.blake3) || by_name(signature))
        });
        signers.entry(key.blake3).or_default().extend(signed.map(|found| found.manifest.id.as_str()));
    }
    signers
}

#[cfg(test)]
#[path = "../tests/check_keys.rs"]
mod tests;
