//! What a diagnosis says to people: a difference in words, what each person must do, what to send next, and a reply for the player.

use super::event::{LogEvent, is_own_defect};
use super::hints::Hint;
use super::measured::Measured;
use super::weigh::{Case, Diagnosis, Remedy, Verdict};
use crate::finding::{Code, Finding};
use crate::path::printable;
use crate::rulebook::{Event, Role};
use crate::survey::{RelationKind, Survey, SurveyedMod};

const ADMINISTRATOR: &str = "administrator";
const PLAYER: &str = "player";

/// A measured difference in one line.
pub fn difference(survey: &Survey, finding: &Finding, has_canon: bool) -> String {
    let measure = match (has_canon, survey.install.role) {
        (true, _) => "the canon",
        (false, Role::Client) if !is_own_defect(finding.code) => "the server",
        (false, _) => "what is there asks for",
    };
    let subject = finding.mod_id.as_deref().or(finding.path.as_deref()).unwrap_or("the install");
    let has = if measure.ends_with("for") { "" } else { " has" };
    let mut told = format!(
        "{subject}: {}; {measure}{has} {}, {} has {}",
        finding.code.about(),
        finding.expected.as_deref().unwrap_or("-"),
        survey.install.name,
        finding.found.as_deref().unwrap_or("-"),
    );
    if let Some(path) = finding.path.as_deref().filter(|path| *path != subject) {
        told.push_str(&format!(" ({path})"));
    }
    told
}

/// What each person must do about a measured difference.
pub fn remedies(case: &Case<'_>, measured: &Measured<'_>) -> Vec<Remedy> {
    let (finding, name) = (&measured.finding, &measured.survey.install.name);
    let command = finding.remedy.strip_prefix("kanon ").map(|_| finding.remedy.clone());
    match measured.side {
        None => vec![choice(case, measured)],
        Some(Role::Server) => {
            let words = match &command {
                Some(_) if case.canon.is_some() => format!("Bring {name} in line with the canon."),
                _ => by_hand(finding, name),
            };
            vec![Remedy { who: ADMINISTRATOR, command: command.filter(|_| case.canon.is_some()), words }]
        }
        Some(Role::Client) => {
            let follow = case.is_released.then(|| "kanon follow".to_owned());
            let mut remedies = vec![Remedy { who: PLAYER, command: follow, words: by_hand(finding, name) }];
            if case.client_is_here && case.canon.is_some() {
                let words = format!("Or bring {name} in line with the canon from here.");
                remedies.push(Remedy { who: ADMINISTRATOR, command, words });
            }
            remedies
        }
    }
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
    let own = |survey: &Survey| {
        survey.mods.iter().find(|found| found.enabled && found.reading.id.eq_ignore_ascii_case(id)).cloned()
    };
    let other = if side == Role::Server { case.client } else { case.server };
    let (mine, theirs): (Option<SurveyedMod>, Option<SurveyedMod>) = (own(survey), other.and_then(own));
    let version = |found: &Option<SurveyedMod>| found.as_ref().and_then(|found| found.reading.version.clone());
    let mut reasons = Vec::new();
    if let (Some(mine), Some(theirs)) = (version(&mine), version(&theirs))
        && case.rulebook.versions.scheme.compare(&mine, &theirs) == Some(std::cmp::Ordering::Greater)
    {
        reasons.push(format!("its {mine} is the newer one"));
    }
    for leaning in survey.mods.iter().filter(|found| found.enabled) {
        let needs = leaning
            .reading
            .relations
            .iter()
            .find(|relation| relation.kind == RelationKind::Required && relation.id.eq_ignore_ascii_case(id));
        let Some(range) = needs.and_then(|relation| relation.range.as_deref()) else { continue };
        let meets = |version: &Option<String>| {
            version.as_deref().and_then(|version| case.rulebook.versions.meets(version, range))
        };
        if meets(&version(&mine)) == Some(true) && meets(&version(&theirs)) == Some(false) {
            reasons.push(format!("{} there needs {id} {range}", leaning.reading.id));
        }
    }
    reasons.truncate(3);
    reasons
}

/// What to do by hand, for somebody who knows the game and not Kanon.
fn by_hand(finding: &Finding, name: &str) -> String {
    let subject = finding.mod_id.as_deref().unwrap_or("it");
    let (expected, found) = (finding.expected.as_deref().unwrap_or(""), finding.found.as_deref().unwrap_or(""));
    let place = finding.path.as_deref().map_or_else(String::new, |path| format!(" ({path})"));
    let text = match finding.code {
        Code::ModMissing => format!("Install {subject} {expected}."),
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
        Code::GameDiffers => format!("Bring the game to {expected}; {found} is there."),
        Code::LoaderDiffers => format!("Install {expected}; {found} is there."),
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
pub fn told_remedies(
    case: &Case<'_>,
    (cause, mod_id, side): (Code, Option<&str>, Option<Role>),
    event: Option<&LogEvent>,
) -> Vec<Remedy> {
    let file = event.and_then(|event| event.file.as_deref());
    let subject = mod_id.or(file).unwrap_or("it");
    let wanted = event.and_then(|event| event.expected.as_ref());
    let and_wanted = wanted.map_or_else(String::new, |wanted| format!(" (wanted: {wanted})"));
    let on = side.map_or_else(|| "both sides".to_owned(), |side| format!("the {side}"));
    let words = match cause {
        Code::ModMissing => {
            let wanted = wanted.map_or_else(String::new, |wanted| format!(" {wanted}"));
            format!("Install {subject}{wanted} on the client, or take it off the server.")
        }
        Code::ModExtra => format!("Take {subject} off the client, or put it on the server too."),
        Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
            format!("Give both sides the same release of {subject}{and_wanted}.")
        }
        Code::ContentDiffers => format!("Give both sides the same file of {subject}: one of the two was changed."),
        Code::LoaderDiffers => format!("Give both sides the same loader version{and_wanted}."),
        Code::GameDiffers => format!("Give both sides the same game version{and_wanted}."),
        Code::Unreadable | Code::StillPacked => format!("Get {subject} again for {on}: it could not be loaded."),
        Code::ModDuplicate => format!("Look on {on} for a second copy of {subject}, and take one out."),
        Code::DependencyMissing => format!("Look what {subject} needs{and_wanted}, and install it on {on}."),
        Code::ListOrder => "Give both sides the same order of mods in their launch lines and lists.".to_owned(),
        Code::SignatureBad
        | Code::SignatureMissing
        | Code::SignatureUnknownKey
        | Code::KeyMissing
        | Code::KeyChanged => {
            format!("Get {subject} again with its signature, and put its public key into the server's key folder.")
        }
        Code::MemoryLow => format!("Give {on} more memory."),
        _ => format!("Look after {subject} on {on}: {}.", cause.about()),
    };
    let name = |survey: Option<&Survey>| survey.map(|survey| survey.install.name.clone());
    let known = match side {
        Some(Role::Server) => name(case.server),
        _ => name(case.client).or(name(case.server)),
    };
    let known = known.filter(|_| case.canon.is_some());
    match known {
        Some(name) => vec![Remedy { who: ADMINISTRATOR, command: Some(format!("kanon check {name}")), words }],
        None => {
            let words = words + " A survey of both sides (kanon survey) will tell which is off.";
            vec![Remedy { who: ADMINISTRATOR, command: None, words }]
        }
    }
}

/// What would tell more.
pub fn next(case: &Case<'_>, verdicts: &[Verdict], got_in: bool, is_unexplained: bool) -> Vec<String> {
    if verdicts.first().is_some_and(|verdict| verdict.confidence > 0.85) {
        return Vec::new();
    }
    let has_log = |source| case.events.iter().any(|event| event.source == source);
    let mut next = Vec::new();
    if got_in && verdicts.is_empty() {
        next.push("the last try in the log was let in: send a log that has the join that failed".to_owned());
    }
    if case.client.is_none() {
        next.push("the player's survey: kanon survey FOLDER --rulebook FILE --role client -o mine.json".to_owned());
    }
    if case.server.is_none() {
        next.push("a survey of the server: --server INSTALL".to_owned());
    }
    if !has_log(super::Source::ServerLog) {
        next.push("the server's log from the time of the join: --server-log FILE".to_owned());
    }
    if !has_log(super::Source::ClientLog) && (is_unexplained || verdicts.is_empty()) {
        next.push("the client's log: --client-log FILE".to_owned());
    }
    next
}

/// A table for the rulebook that would know lines like one that was only guessed at.
pub fn proposal(hint: &Hint) -> String {
    let means = match hint.means {
        Event::Cause(code) => code.as_str(),
        other => Event::WORDS.into_iter().find(|(_, event)| *event == other).map_or("mod-failed", |(word, _)| word),
    };
    let quote = if hint.pattern.contains('\'') { "'''" } else { "'" };
    format!(
        "[[event]]\nmeans = \"{means}\"\nin    = \"{}\"\nline  = {quote}{}{quote}\n",
        hint.source.as_str(),
        hint.pattern
    )
}

/// A short text to send to the player, in plain words.
pub fn reply(diagnosis: &Diagnosis, is_released: bool) -> String {
    let likely: Vec<&Verdict> = diagnosis.verdicts.iter().filter(|verdict| verdict.confidence >= 0.5).take(5).collect();
    let Some(first) = likely.first() else {
        let mut text = "I can't tell yet why you could not join.\n".to_owned();
        let ask = diagnosis.next.iter().any(|next| next.contains("survey FOLDER"));
        if ask {
            text.push_str("Please run this in the game's folder, and send me the file mine.json (it names your mods and nothing else of your machine):\n  kanon survey . --rulebook FILE --role client -o mine.json\n");
        }
        text.push_str("The game's log from the time of the try would help too.\n");
        return text;
    };
    let sure = if first.confidence > 0.85 { "This is why" } else { "This is most likely why" };
    let mut text = format!("{sure} you could not join:\n");
    for verdict in &likely {
        text.push_str(&format!("- {}\n", plain(verdict)));
    }
    let (yours, ours): (Vec<&&Verdict>, Vec<&&Verdict>) =
        likely.iter().partition(|verdict| verdict.side != Some(Role::Server));
    if !yours.is_empty() {
        text.push_str("What to do:\n");
        if is_released {
            text.push_str("- close the game and run: kanon follow\n");
        } else {
            let steps = yours.iter().flat_map(|verdict| verdict.remedy.iter().find(|remedy| remedy.who == PLAYER));
            let mut any = false;
            for step in steps {
                any = true;
                let words = step.words.split_once(": ").map_or(step.words.as_str(), |(_, words)| words);
                text.push_str(&format!("- {}\n", printable(words)));
            }
            if !any {
                text.push_str("- wait: I have to look first which of us has the right one\n");
            }
        }
    }
    if !ours.is_empty() {
        text.push_str(match yours.is_empty() {
            true => "It is not your fault: the server is to be mended, and I am at it. Try again when I tell you.\n",
            false => "Some of it is the server's fault: I am at it.\n",
        });
    }
    text
}

/// A verdict for somebody who knows none of the words of this program.
fn plain(verdict: &Verdict) -> String {
    let subject = verdict.mod_id.as_deref().map_or_else(|| "something".to_owned(), printable);
    let whose = match verdict.side {
        Some(Role::Server) => "on the server",
        Some(Role::Client) => "in your game",
        None => "in your game or on the server",
    };
    match verdict.cause {
        Code::ModMissing => format!("{subject} is not there {whose}"),
        Code::ModExtra | Code::NotNeededHere => {
            format!("{subject} is there {whose}, and the other side does not have it")
        }
        Code::ModDisabled => format!("{subject} is switched off {whose}"),
        Code::VersionOlder => format!("{subject} is too old {whose}"),
        Code::VersionNewer => format!("{subject} is too new {whose}"),
        Code::VersionOther => format!("{subject} is of another version {whose}"),
        Code::ContentDiffers => format!("{subject} was changed {whose}: its files are not those that they should be"),
        Code::GameDiffers => format!("the game has another version {whose}"),
        Code::LoaderDiffers => format!("the mod loader has another version {whose}"),
        code => match verdict.mod_id {
            Some(_) => format!("{subject}: {} {whose}", code.about()),
            None => format!("{} {whose}", code.about()),
        },
    }
}
