//! What each person must do: about a measured difference, and about a cause that only a text tells.

use super::hypothesis::{is_platform, version_of, versions_of};
use super::measured::Measured;
use super::verdict::{ADMINISTRATOR, Case, PLAYER, Remedy};
use crate::base::finding::{Code, Finding};
use crate::base::ids::FoldedId;
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
                Some(_) if case.canon.is_some() => format!("Bring {name} in line with the canon."),
                _ => by_hand(finding, name),
            };
            let command = command.filter(|_| case.canon.is_some() && !case.is_guest);
            vec![Remedy { who: ADMINISTRATOR, command, words }]
        }
        Some(Role::Client) => {
            let follow = follow(case, finding.code);
            let mut remedies = vec![Remedy { who: PLAYER, command: follow, words: by_hand(finding, name) }];
            if case.client_is_here && case.canon.is_some() {
                let words = format!("Or bring {name} in line with the canon from here.");
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
        (!reasons.is_empty()).then(|| format!("For the {side}: {}.", reasons.join("; ")))
    });
    let speaks: Vec<String> = speaks.collect();
    let speaks =
        if speaks.is_empty() { "Nothing that was measured speaks for either.".to_owned() } else { speaks.join(" ") };
    let words = format!(
        "Say which side is right. {speaks} Make that one the canon (kanon init, kanon adopt, kanon seal), then align the other; or by hand: {}",
        by_hand(finding, &measured.survey.install.name)
    );
    Remedy { who: ADMINISTRATOR, command: None, words }
}

/// What speaks for one side in a difference: it has the newer release, or mods there need what it has.
fn reasons(case: &Case<'_>, finding: &Finding, survey: &Survey, side: Role) -> Vec<String> {
    let Some(id) = &finding.mod_id else { return Vec::new() };
    let own = |survey: &Survey| survey.mods.iter().find(|found| found.enabled && found.manifest.id == *id).cloned();
    let other = if side == Role::Server { case.client } else { case.server };
    let (mine, theirs): (Option<SurveyedMod>, Option<SurveyedMod>) = (own(survey), other.and_then(own));
    let version = |found: &Option<SurveyedMod>| found.as_ref().and_then(|found| found.manifest.version.clone());
    let mut reasons = Vec::new();
    if let (Some(mine), Some(theirs)) = (version(&mine), version(&theirs))
        && case.rulebook.versions.scheme.compare(&mine, &theirs) == Some(std::cmp::Ordering::Greater)
    {
        reasons.push(format!("its {mine} is the newer one"));
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
            reasons.push(format!("{} there needs {id} {range}", leaning.manifest.id));
        }
    }
    reasons.truncate(3);
    reasons
}

/// What to do by hand, for somebody who knows the game and not Kanon.
fn by_hand(finding: &Finding, name: &str) -> String {
    let subject = finding.mod_id.as_ref().map(FoldedId::as_str).unwrap_or("it");
    let (expected, found) = (finding.expected.as_deref().unwrap_or(""), finding.found.as_deref().unwrap_or(""));
    let place = finding.path.as_deref().map_or_else(String::new, |path| format!(" ({path})"));
    let but_found = if found.is_empty() { String::new() } else { format!("; {found} is there") };
    let text = match finding.code {
        Code::ModMissing => format!("Install {subject} {expected}{place}."),
        Code::ModExtra | Code::NotNeededHere => format!("Take {subject} out{place}."),
        Code::ModDuplicate => {
            format!("{subject} is there more than once: keep {expected}, and take the other out{place}.")
        }
        Code::ModDisabled => format!("Switch {subject} on again{place}."),
        Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
            format!("Replace {subject} {found} by {expected}{place}.")
        }
        Code::ContentDiffers => format!("Get {subject} again, and put it in the place of the changed one{place}."),
        Code::WrongPlace => format!("Move {subject} to where the game looks{place}: {expected}."),
        Code::WrongName => format!("Call {subject} just so: {expected}{place}."),
        Code::Unreadable => {
            format!("{} can't be read: get it again{place}.", if subject == "it" { "A file" } else { subject })
        }
        Code::StillPacked => format!("Unpack the download{place}: the game wants what is in it."),
        Code::DependencyMissing => format!("{subject} needs {expected}: install that too."),
        Code::DependencyVersion => format!("{subject} needs {expected}, and {found} is there: change one of the two."),
        Code::Conflict => {
            format!("{subject} can't be used like this ({expected}; {found} is there): take one of the two out.")
        }
        Code::GameDiffers => format!("Bring the game to {expected}{but_found}."),
        Code::LoaderDiffers | Code::RuntimeDiffers => format!("Install {expected}{but_found}."),
        Code::ListOrder => format!("Put the list in this order: {expected}{place}."),
        Code::LaunchLineDiffers => format!("Write into the launch line: {expected}{place}."),
        Code::ListEntryMissing => format!("Add {subject} to the list{place}."),
        Code::ListEntryExtra => format!("Take {subject} off the list{place}."),
        Code::ListEntryOff => format!("Switch {subject} on in the list{place}."),
        Code::KeyMissing | Code::KeyChanged => format!("Put {expected} into the key folder{place}."),
        Code::SignatureMissing | Code::SignatureBad | Code::SignatureUnknownKey => {
            format!("Get {subject} again with its signature{place}: {found}.")
        }
        Code::SettingMissing | Code::SettingDiffers | Code::LicenceNotAccepted => {
            format!("Set it to {expected}{place}.")
        }
        Code::MemoryLow => format!("Give it more memory: {expected}{place}."),
        _ => format!("{}{place}: {expected} is expected, {found} is there.", capital(finding.code.about())),
    };
    format!("On {name}: {}", text.replace("  ", " ").replace(" .", "."))
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().collect::<String>() + chars.as_str())
}

/// What to do about a cause that only a text tells.
pub fn about_text(
    case: &Case<'_>,
    (cause, mod_id, side): (Code, Option<&FoldedId>, Option<Role>),
    event: Option<&LogEvent>,
) -> Vec<Remedy> {
    let must_stay = mod_id.is_some_and(|id| is_wanted(case, id));
    let server = case.server.filter(|_| case.canon.is_some() && !case.is_guest).map(|server| &server.install.name);
    match side {
        Some(Role::Client) => {
            let finding = told_finding(case, (cause, mod_id), event);
            let follow = follow(case, cause);
            let name = case.client.map_or("the client", |client| &client.install.name);
            let names_nothing = mod_id.is_none() && event.is_none_or(|event| event.names().next().is_none());
            let words = match finding {
                Some(finding) => by_hand(&finding, name),
                None if names_nothing && is_of_mods(cause) => format!(
                    "On {name}: Hold every mod against the server's list (kanon handout writes it): which one it is, is not told."
                ),
                None => format!("On {name}: {}", told_by_hand((cause, mod_id, side), event, must_stay)),
            };
            let mut remedies = vec![Remedy { who: PLAYER, command: follow, words }];
            if case.client_is_here && case.canon.is_some() {
                let command = Some(Suggestion::new("check").word(name).to_string());
                remedies.push(Remedy { who: ADMINISTRATOR, command, words: format!("Or look at {name} from here.") });
            }
            remedies
        }
        Some(Role::Server) => {
            let command = server.map(|name| Suggestion::new("check").word(name.as_str()).to_string());
            let words = told_by_hand((cause, mod_id, side), event, must_stay);
            vec![Remedy { who: ADMINISTRATOR, command, words }]
        }
        None => {
            let words = told_by_hand((cause, mod_id, side), event, must_stay)
                + " A survey of both sides (kanon survey) will tell which is off.";
            vec![Remedy { who: ADMINISTRATOR, command: None, words }]
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
        expected,
        found,
        ..Finding::new(cause, "")
    })
}

/// What to do by hand about a cause that only a text tells. A player is told so on his own side, where the server is right.
fn told_by_hand(
    (cause, mod_id, side): (Code, Option<&FoldedId>, Option<Role>),
    event: Option<&LogEvent>,
    must_stay: bool,
) -> String {
    let file = event.and_then(|event| event.file.as_deref());
    let subject = mod_id.map(FoldedId::as_str).or(file).unwrap_or("the mod");
    let wanted = event.and_then(|event| event.expected.as_ref());
    let and_wanted = wanted.map_or_else(String::new, |wanted| format!(" (wanted: {wanted})"));
    let is_player = side == Some(Role::Client);
    let on = match side {
        Some(Role::Client) => "",
        Some(Role::Server) => " on the server",
        None => " on both sides",
    };
    match cause {
        Code::ModMissing => {
            let wanted = wanted.map_or_else(String::new, |wanted| format!(" {wanted}"));
            let or = if must_stay { "" } else { ", or take it off the server" };
            format!("Install {subject}{wanted} on the client{or}.")
        }
        Code::ModExtra => format!("Take {subject} off the client, or put it on the server too."),
        Code::ModDisabled => format!("Switch {subject} on again{on}."),
        Code::VersionOlder | Code::VersionNewer | Code::VersionOther if is_player => {
            format!("Install the release of {subject} that the server has{and_wanted}.")
        }
        Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
            format!("Give both sides the same release of {subject}{and_wanted}.")
        }
        Code::ContentDiffers => format!("Give both sides the same file of {subject}: one of the two was changed."),
        Code::LoaderDiffers if is_player => {
            format!("Install the version of the loader that the server has{and_wanted}.")
        }
        Code::LoaderDiffers => format!("Give both sides the same loader version{and_wanted}."),
        Code::GameDiffers if is_player => format!("Bring the game to the version that the server has{and_wanted}."),
        Code::GameDiffers => format!("Give both sides the same game version{and_wanted}."),
        Code::RuntimeDiffers => format!("Give both sides the same version of what the game runs on{and_wanted}."),
        Code::WrongPlace => format!("Move {subject} to where the game looks for mods{on}."),
        Code::WrongName => format!("Call {subject} as the game wants it{on}{and_wanted}."),
        Code::Unreadable => format!("Get {subject} again{on}: it could not be loaded."),
        Code::StillPacked => format!("Unpack {subject}{on}: the game wants what is in it."),
        Code::ModDuplicate => format!("Look for a second copy of {subject}{on}, and take one out."),
        Code::DependencyMissing => format!("Look what {subject} needs{and_wanted}, and install it{on}."),
        Code::DependencyVersion => format!("Look which release {subject} needs{and_wanted}, and install that{on}."),
        Code::Conflict => {
            format!("Look what {subject} can't be used with{and_wanted}, and take one of the two out{on}.")
        }
        Code::ListOrder if is_player => {
            "Put the mods in the order that the server has, in the launch line and in lists.".to_owned()
        }
        Code::ListOrder => "Give both sides the same order of mods in their launch lines and lists.".to_owned(),
        Code::ListEntryMissing => format!("Add {subject} to the mod list{on}."),
        Code::ListEntryExtra => format!("Take {subject} off the mod list{on}."),
        Code::ListEntryOff => format!("Switch {subject} on in the mod list{on}."),
        Code::LaunchLineDiffers => format!("Look for {subject} in the launch line{on}."),
        Code::SettingMissing | Code::SettingDiffers => format!("Look at the settings{on}: one can't be right."),
        Code::SignatureBad
        | Code::SignatureMissing
        | Code::SignatureUnknownKey
        | Code::KeyMissing
        | Code::KeyChanged => {
            format!("Get {subject} again with its signature, and put its public key into the server's key folder.")
        }
        Code::MemoryLow => format!("Give it more memory{on}."),
        _ => format!("Look after {}{on}: {}.", mod_id.map(FoldedId::as_str).or(file).unwrap_or("it"), cause.about()),
    }
}
