//! What each person must do: about a measured difference, and about a cause that only a text tells.

use super::advice::{Advice, Choice, EveryMod, ManualStep, Mend, Reason};
use super::hypothesis::{is_platform, version_of, versions_of};
use super::measured::Measured;
use super::verdict::{ADMINISTRATOR, Case, PLAYER, Remedy};
use crate::base::finding::{Code, Finding};
use crate::base::ids::FoldedId;
use crate::base::remedy::Remedy as Mending;
use crate::base::stated::Stated;
use crate::base::suggestion::Suggestion;
use crate::logs::{LogEvent, is_of_mods};
use crate::manifest::ModManifest;
use crate::rulebook::{RelationKind, Role};
use crate::survey::{Survey, SurveyedMod};

/// What each person must do about a measured difference.
pub fn about_difference(case: &Case<'_>, measured: &Measured<'_>) -> Vec<Remedy> {
    let (finding, name) = (&measured.finding, &measured.survey.install.name);
    let command = finding.remedy.command().map(ToString::to_string);
    match measured.side {
        None => vec![choice(case, measured)],
        Some(Role::Server) => {
            let words = match &command {
                Some(_) if case.canon.is_some() => Advice::BringInLine(name.clone()),
                _ => Advice::Mend(mend(finding, name)),
            };
            let command = command.filter(|_| case.canon.is_some() && !case.is_guest);
            vec![Remedy { who: ADMINISTRATOR, command, words }]
        }
        Some(Role::Client) => {
            let follow = follow(case, finding.code);
            let mut remedies = vec![Remedy { who: PLAYER, command: follow, words: Advice::Mend(mend(finding, name)) }];
            if case.client_is_here && case.canon.is_some() {
                let words = Advice::OrBringInLine(name.clone());
                remedies.push(Remedy { who: ADMINISTRATOR, command, words });
            }
            remedies
        }
    }
}

/// Following a release mends whatever is of mods; it brings no game, loader or memory.
fn follow(case: &Case<'_>, cause: Code) -> Option<String> {
    case.follow.filter(|_| !is_platform(cause)).map(str::to_owned)
}

/// Without a canon somebody must say which side is right: this is what speaks for each.
fn choice(case: &Case<'_>, measured: &Measured<'_>) -> Remedy {
    let finding = &measured.finding;
    let speaks = [(Role::Server, case.server), (Role::Client, case.client)].into_iter().filter_map(|(side, survey)| {
        let reasons = reasons(case, finding, survey?, side);
        (!reasons.is_empty()).then_some((side, reasons))
    });
    let words =
        Advice::Choose(Choice { speaks: speaks.collect(), by_hand: mend(finding, &measured.survey.install.name) });
    Remedy { who: ADMINISTRATOR, command: None, words }
}

fn mend(finding: &Finding, install: &str) -> Mend {
    Mend { install: install.into(), finding: Box::new(finding.clone()) }
}

/// What speaks for one side in a difference: it has the newer release, or mods there need what it has.
fn reasons(case: &Case<'_>, finding: &Finding, survey: &Survey, side: Role) -> Vec<Reason> {
    let Some(id) = &finding.mod_id else { return Vec::new() };
    let own = |survey: &Survey| survey.mods.iter().find(|found| found.enabled && found.manifest.id == *id).cloned();
    let other = if side == Role::Server { case.client } else { case.server };
    let (mine, theirs): (Option<SurveyedMod>, Option<SurveyedMod>) = (own(survey), other.and_then(own));
    let version = |found: &Option<SurveyedMod>| found.as_ref().and_then(|found| found.manifest.version.clone());
    let mut reasons = Vec::new();
    if let (Some(mine), Some(theirs)) = (version(&mine), version(&theirs))
        && case.rulebook.versions.scheme.compare(&mine, &theirs) == Some(std::cmp::Ordering::Greater)
    {
        reasons.push(Reason::Newer(mine));
    }
    for leaning in survey.mods.iter().filter(|found| found.enabled) {
        let needs = leaning
            .manifest
            .relations
            .iter()
            .find(|relation| relation.kind == RelationKind::Required && relation.id == *id);
        let Some(range) = needs.and_then(|relation| relation.range.as_deref()) else { continue };
        let meets = |version: &Option<String>| {
            version.as_deref().and_then(|version| case.rulebook.versions.meets(version, range))
        };
        if meets(&version(&mine)) == Some(true) && meets(&version(&theirs)) == Some(false) {
            let leaning = leaning.manifest.id.clone();
            reasons.push(Reason::Needed { leaning, id: id.clone(), range: range.to_owned() });
        }
    }
    reasons.truncate(3);
    reasons
}

/// What to do about a cause that only a text tells.
pub fn about_text(
    case: &Case<'_>,
    (cause, mod_id, side): (Code, Option<&FoldedId>, Option<Role>),
    event: Option<&LogEvent>,
) -> Vec<Remedy> {
    let told = || ManualStep {
        cause,
        mod_id: mod_id.cloned(),
        side,
        file: event.and_then(|event| event.file.clone()),
        wanted: event.and_then(|event| event.expected.clone()),
        must_stay: mod_id.is_some_and(|id| is_wanted(case, id)),
    };
    let server = case.server.filter(|_| case.canon.is_some() && !case.is_guest).map(|server| &server.install.name);
    match side {
        Some(Role::Client) => {
            let finding = told_finding(case, (cause, mod_id), event);
            let follow = follow(case, cause);
            let name = case.client.map_or("the client", |client| &client.install.name).to_owned();
            let names_nothing = mod_id.is_none() && event.is_none_or(|event| event.names().next().is_none());
            let words = match finding {
                Some(finding) => Advice::Mend(mend(&finding, &name)),
                None if names_nothing && is_of_mods(cause) => Advice::Hold(name.clone(), EveryMod),
                None => Advice::On(name.clone(), told()),
            };
            let mut remedies = vec![Remedy { who: PLAYER, command: follow, words }];
            if case.client_is_here && case.canon.is_some() {
                let command = Some(Suggestion::new("check").word(name.as_str()).to_string());
                remedies.push(Remedy { who: ADMINISTRATOR, command, words: Advice::OrLookAt(name.into()) });
            }
            remedies
        }
        Some(Role::Server) => {
            let command = server.map(|name| Suggestion::new("check").word(name.as_str()).to_string());
            vec![Remedy { who: ADMINISTRATOR, command, words: Advice::OnServer(told()) }]
        }
        None => {
            vec![Remedy { who: ADMINISTRATOR, command: None, words: Advice::SurveyBoth(told()) }]
        }
    }
}

/// Whether a mod is agreed upon, or others on the server need it.
fn is_wanted(case: &Case<'_>, id: &FoldedId) -> bool {
    let of_canon = case.canon.into_iter().flat_map(|canon| &canon.mods).map(|sealed| &sealed.manifest);
    let of_server = case.server.into_iter().flat_map(|server| &server.mods).map(|found| &found.manifest);
    let needs = |manifest: &ModManifest| {
        manifest.relations.iter().any(|relation| relation.kind == RelationKind::Required && relation.id == *id)
    };
    let is_sealed = of_canon.clone().any(|manifest| manifest.id == *id);
    is_sealed || of_canon.chain(of_server).any(needs)
}

/// What a survey of the client would have told, as far as a line and the canon tell it.
pub(super) fn told_finding(
    case: &Case<'_>,
    (cause, mod_id): (Code, Option<&FoldedId>),
    event: Option<&LogEvent>,
) -> Option<Finding> {
    use Code::*;
    let is = |id: &FoldedId| mod_id.is_some_and(|named| named == id);
    let sealed = case.canon.and_then(|canon| canon.mods.iter().find(|sealed| is(&sealed.manifest.id)));
    let of_canon = match cause {
        GameDiffers | LoaderDiffers | RuntimeDiffers => case.canon.and_then(|canon| {
            let version = version_of(cause, versions_of(canon))?;
            let name = match cause {
                LoaderDiffers => case.rulebook.loader.as_ref().map_or("the loader", |loader| &loader.name),
                RuntimeDiffers => case.rulebook.runtime.as_ref().map_or("the runtime", |runtime| &runtime.name),
                _ => return Some(version.clone()),
            };
            Some(format!("{name} {version}"))
        }),
        _ => sealed.and_then(|sealed| sealed.manifest.version.clone()),
    };
    let expected = of_canon.or_else(|| event?.expected.clone().filter(|_| cause != LoaderDiffers));
    let found = event.and_then(|event| event.found.clone());
    let is_whole = match cause {
        ModMissing | ModExtra | ContentDiffers | ModDisabled | Unreadable => mod_id.is_some(),
        VersionOlder | VersionNewer | VersionOther => mod_id.is_some() && expected.is_some(),
        GameDiffers | LoaderDiffers | RuntimeDiffers => expected.is_some(),
        _ => false,
    };
    // Where it is already, nobody has measured; where it is to be, the rulebook says.
    let shelf = sealed.and_then(|sealed| case.rulebook.shelf(&sealed.shelf));
    let place = shelf.and_then(|shelf| shelf.places(Role::Client).first().map(ToString::to_string));
    let wants_place = matches!(cause, ModMissing | ContentDiffers | Unreadable);
    is_whole.then(|| Finding {
        mod_id: mod_id.cloned(),
        path: place.filter(|_| wants_place),
        expected: expected.map(Stated::Verbatim),
        found: found.map(Stated::Verbatim),
        ..Finding::new(cause, Mending::Nothing)
    })
}
