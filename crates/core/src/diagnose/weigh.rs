//! Hypotheses and their evidence. What was measured outranks what a text says; two independent faults give two verdicts.
//!
//! Each blocking difference of a survey is a hypothesis, and so is each cause that a log names. A log line about
//! the same mod as a measured difference supports it; a log line that a survey speaks against is told as such.

use serde::Serialize;

use super::events::{LogEvent, of_last_join};
use crate::canon::Canon;
use crate::check::{Measure, hold};
use crate::finding::{Code, Finding, Severity};
use crate::rulebook::{Event, Role, Rulebook};
use crate::survey::{Survey, SurveyedMod};
use crate::wish::Extras;

/// The first field of every diagnosis.
pub const FORMAT: &str = "kanon-diagnosis/1";

/// Everything there is to go by.
#[derive(Debug, Clone, Copy)]
pub struct Case<'a> {
    /// How the game arranges its mods.
    pub rulebook: &'a Rulebook,
    /// The agreed set, if there is one.
    pub canon: Option<&'a Canon>,
    /// The policy for extra mods.
    pub extras: Extras,
    /// The server, measured.
    pub server: Option<&'a Survey>,
    /// The client, measured.
    pub client: Option<&'a Survey>,
    /// What the logs say.
    pub events: &'a [LogEvent],
}

/// What came of it, most likely first.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Diagnosis {
    /// `kanon-diagnosis/1`.
    pub format: &'static str,
    /// The causes.
    pub verdicts: Vec<Verdict>,
    /// Lines that tell of a failure that no verdict explains.
    pub unexplained: Vec<Evidence>,
}

/// A cause of a failed join.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Verdict {
    /// The code of the finding that it is.
    pub cause: Code,
    /// The mod.
    #[serde(rename = "mod")]
    pub mod_id: Option<String>,
    /// The side that is to be mended; none when nothing tells.
    pub side: Option<Role>,
    /// How sure this is, from 0 to 1.
    pub confidence: f64,
    /// What speaks for it: `survey`, `server-log`, `client-log`.
    pub confirmed_by: Vec<&'static str>,
    /// The evidence itself.
    pub evidence: Vec<Evidence>,
    /// What each person must do.
    pub remedy: Vec<Remedy>,
}

/// One piece of evidence.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Evidence {
    /// `survey`, `server-log` or `client-log`.
    pub source: &'static str,
    /// The line of the log.
    pub line: Option<u64>,
    /// The line, or the measured difference in words.
    pub text: String,
}

/// What one person must do.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Remedy {
    /// `administrator` or `player`.
    pub who: &'static str,
    /// A command, where there is one.
    pub command: Option<String>,
    /// The same in words.
    pub words: String,
}

/// Confidence when a survey and a log agree, a survey alone speaks, a log alone speaks, and a survey speaks against the log.
const AGREED: f64 = 0.97;
const MEASURED: f64 = 0.88;
const TOLD: f64 = 0.7;
const SPOKEN_AGAINST: f64 = 0.25;

/// Weighs everything there is.
pub fn weigh(case: Case<'_>) -> Diagnosis {
    let player = player(&case);
    let events = of_last_join(case.events, player.as_deref());
    let mut verdicts = measured(case, &events);
    for event in &events {
        told(case, event, &mut verdicts);
    }
    verdicts.sort_by(|a, b| {
        b.confidence.total_cmp(&a.confidence).then_with(|| (a.cause, &a.mod_id).cmp(&(b.cause, &b.mod_id)))
    });
    Diagnosis { format: FORMAT, unexplained: unexplained(&events, &verdicts), verdicts }
}

/// The player whose join it is: the one that the client's install is called after, if the log knows such a one.
fn player(case: &Case<'_>) -> Option<String> {
    let name = &case.client?.install.name;
    case.events
        .iter()
        .filter_map(|event| event.player.as_ref())
        .find(|player| player.eq_ignore_ascii_case(name))
        .cloned()
}

/// One verdict for each blocking difference; a risky one needs a log line beside it.
fn measured(case: Case<'_>, events: &[&LogEvent]) -> Vec<Verdict> {
    let mut verdicts = Vec::new();
    for (survey, finding) in differences(case) {
        let lines: Vec<&&LogEvent> = events.iter().filter(|event| is_about(event, &finding)).collect();
        let counts =
            finding.severity == Severity::Blocking || (finding.severity == Severity::Risky && !lines.is_empty());
        if counts {
            let mut verdict = measured_verdict(survey, &finding, case.canon.is_some());
            lines.into_iter().for_each(|event| support(&mut verdict, event));
            verdicts.push(verdict);
        }
    }
    verdicts
}

/// Each side against the canon; without one, the client against the server.
fn differences<'a>(case: Case<'a>) -> Vec<(&'a Survey, Finding)> {
    let against = |canon: &Canon, survey: &'a Survey| {
        let measure = Measure { canon, rulebook: case.rulebook, extras: case.extras, edits: crate::wish::Edits::Ask };
        hold(measure, survey).into_iter().map(|finding| (survey, finding)).collect::<Vec<_>>()
    };
    match (case.canon, case.server, case.client) {
        (Some(canon), server, client) => {
            [server, client].into_iter().flatten().flat_map(|survey| against(canon, survey)).collect()
        }
        (None, Some(server), Some(client)) => against(&Canon::from_survey(server), client),
        (None, _, _) => Vec::new(),
    }
}

fn is_about(event: &LogEvent, finding: &Finding) -> bool {
    let Some(cause) = event.cause() else { return false };
    match (&event.mod_id, &finding.mod_id) {
        (Some(told), Some(measured)) => told.eq_ignore_ascii_case(measured),
        _ => names_file(event, finding) || (cause == finding.code && event.mod_id.is_none() && event.file.is_none()),
    }
}

fn names_file(event: &LogEvent, finding: &Finding) -> bool {
    event.file.as_ref().zip(finding.path.as_ref()).is_some_and(|(file, path)| path.ends_with(file.as_str()))
}

fn measured_verdict(survey: &Survey, finding: &Finding, has_canon: bool) -> Verdict {
    let role = survey.install.role;
    let measure = if has_canon { "the canon" } else { "the server" };
    let text = format!(
        "{}: {}; {measure} has {}, {} has {}",
        finding.mod_id.as_deref().or(finding.path.as_deref()).unwrap_or("the install"),
        finding.code.about(),
        finding.expected.as_deref().unwrap_or("-"),
        survey.install.name,
        finding.found.as_deref().unwrap_or("-"),
    );
    Verdict {
        cause: finding.code,
        mod_id: finding.mod_id.clone(),
        side: has_canon.then_some(role),
        confidence: MEASURED,
        confirmed_by: vec!["survey"],
        evidence: vec![Evidence { source: "survey", line: None, text }],
        remedy: remedies(survey, finding, has_canon),
    }
}

fn remedies(survey: &Survey, finding: &Finding, has_canon: bool) -> Vec<Remedy> {
    let who = if survey.install.role == Role::Server { "administrator" } else { "player" };
    if !has_canon {
        let words =
            "Say which side is right: make it the canon (kanon init, kanon adopt, kanon seal), then align the other."
                .to_owned();
        return vec![Remedy { who: "administrator", command: None, words }];
    }
    let subject = finding.mod_id.clone().or_else(|| finding.path.clone()).unwrap_or_default();
    if finding.remedy.starts_with("kanon ") {
        let words = format!("{}: bring {} in line with the canon.", survey.install.name, subject);
        return vec![Remedy { who, command: Some(finding.remedy.clone()), words }];
    }
    vec![Remedy { who, command: None, words: format!("On {}: {}.", survey.install.name, finding.remedy) }]
}

const fn log_of(side: Role) -> &'static str {
    match side {
        Role::Server => "server-log",
        Role::Client => "client-log",
    }
}

fn line(event: &LogEvent) -> Evidence {
    Evidence { source: log_of(event.side), line: Some(event.line), text: event.text.clone() }
}

fn support(verdict: &mut Verdict, event: &LogEvent) {
    let evidence = line(event);
    if !verdict.confirmed_by.contains(&evidence.source) {
        verdict.confirmed_by.push(evidence.source);
    }
    if !verdict.evidence.contains(&evidence) {
        verdict.evidence.push(evidence);
    }
    if verdict.confirmed_by.contains(&"survey") {
        verdict.confidence = AGREED;
    }
}

/// A cause that a log names and no measured difference accounts for yet.
fn told(case: Case<'_>, event: &LogEvent, verdicts: &mut Vec<Verdict>) {
    let Some(cause) = event.cause() else { return };
    let known = |verdict: &&mut Verdict| match (&verdict.mod_id, &event.mod_id) {
        (Some(a), Some(b)) => a.eq_ignore_ascii_case(b),
        (None, None) => verdict.cause == cause,
        _ => false,
    };
    let already = verdicts.iter().any(|verdict| verdict.evidence.contains(&line(event)));
    if already {
        return;
    }
    match verdicts.iter_mut().find(known) {
        Some(verdict) => support(verdict, event),
        None => verdicts.push(told_verdict(case, event, cause)),
    }
}

fn told_verdict(case: Case<'_>, event: &LogEvent, cause: Code) -> Verdict {
    let mut verdict = Verdict {
        cause,
        mod_id: event.mod_id.clone(),
        side: None,
        confidence: TOLD,
        confirmed_by: vec![log_of(event.side)],
        evidence: vec![line(event)],
        remedy: Vec::new(),
    };
    let said = match who_is_left(case, event) {
        Some(Left::Nobody) => {
            Some((false, "both sides have now what the canon says; the log tells of before".to_owned()))
        }
        Some(Left::Only(side)) => {
            verdict.side = Some(side);
            None
        }
        None => case.client.and_then(|client| said_by_survey(client, event, cause)),
    };
    match said {
        Some((true, text)) => {
            verdict.confirmed_by.insert(0, "survey");
            verdict.evidence.push(Evidence { source: "survey", line: None, text });
            verdict.confidence = AGREED;
        }
        Some((false, text)) => {
            verdict.evidence.push(Evidence { source: "survey", line: None, text });
            verdict.confidence = SPOKEN_AGAINST;
        }
        None => {}
    }
    verdict.remedy = vec![told_remedy(case, event, cause)];
    verdict
}

/// Who may be off in a mod of the canon, when no measured difference says so.
enum Left {
    /// Both sides were measured and are in line.
    Nobody,
    /// The other side was measured and is in line.
    Only(Role),
}

fn who_is_left(case: Case<'_>, event: &LogEvent) -> Option<Left> {
    let id = event.mod_id.as_ref()?.to_lowercase();
    case.canon?.mods.iter().find(|sealed| sealed.folded_id() == id)?;
    match (case.server, case.client) {
        (Some(_), Some(_)) => Some(Left::Nobody),
        (Some(_), None) => Some(Left::Only(Role::Client)),
        (None, Some(_)) => Some(Left::Only(Role::Server)),
        (None, None) => None,
    }
}

/// What the client's survey says of a cause: whether it bears it out, and in which words.
fn said_by_survey(client: &Survey, event: &LogEvent, cause: Code) -> Option<(bool, String)> {
    let name = &client.install.name;
    if matches!(cause, Code::LoaderDiffers | Code::GameDiffers) {
        let version =
            if cause == Code::LoaderDiffers { &client.install.loader_version } else { &client.install.game_version };
        let (version, found) = (version.as_ref()?, event.found.as_ref()?);
        return Some((version == found, format!("{name} has {version}")));
    }
    let id = event.mod_id.as_ref()?.to_lowercase();
    let copies: Vec<&SurveyedMod> = client.mods.iter().filter(|found| found.folded_id() == id).collect();
    let enabled: Vec<&&SurveyedMod> = copies.iter().filter(|copy| copy.enabled).collect();
    let shown = copies
        .iter()
        .map(|c| format!("{} in {}{}", c.version_or_dash(), c.path, if c.enabled { "" } else { ", switched off" }))
        .collect::<Vec<_>>();
    let text = if copies.is_empty() {
        format!("{name} does not have it")
    } else {
        format!("{name} has {}", shown.join(" and "))
    };
    let has = |version: &Option<String>| {
        version.as_ref().is_some_and(|v| enabled.iter().any(|copy| copy.version_or_dash() == v))
    };
    let bears_out = match cause {
        Code::ModMissing => enabled.is_empty(),
        Code::ModExtra => !enabled.is_empty(),
        Code::ModDuplicate => enabled.len() > 1,
        Code::VersionOlder | Code::VersionNewer | Code::VersionOther => has(&event.found) && !has(&event.expected),
        Code::ContentDiffers if event.found.is_none() || has(&event.found) => return None,
        _ => return None,
    };
    Some((bears_out, text))
}

fn told_remedy(case: Case<'_>, event: &LogEvent, cause: Code) -> Remedy {
    let subject = event.mod_id.clone().or_else(|| event.file.clone()).unwrap_or_else(|| "it".to_owned());
    let wanted = event.expected.as_ref().map_or_else(String::new, |expected| format!(" {expected}"));
    let words = match cause {
        Code::ModMissing => format!("Install {subject}{wanted} on the client, or take it off the server."),
        Code::ModExtra => format!("Take {subject} off the client, or put it on the server too."),
        Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
            format!("Give both sides the same release of {subject} (the server wants{wanted}).")
        }
        Code::ContentDiffers => format!("Give both sides the same file of {subject}: one of the two was changed."),
        Code::LoaderDiffers => format!("Give both sides the same loader version (the server wants{wanted})."),
        Code::GameDiffers => format!("Give both sides the same game version (the server wants{wanted})."),
        _ => format!("Mend {subject}: {}.", cause.about()),
    };
    match (case.canon, case.client) {
        (Some(_), Some(client)) => {
            Remedy { who: "administrator", command: Some(format!("kanon check {}", client.install.name)), words }
        }
        _ => Remedy {
            who: "administrator",
            command: None,
            words: words + " A survey of both sides (kanon survey) will tell which is off.",
        },
    }
}

/// A refusal that nothing explains is told plainly.
fn unexplained(events: &[&LogEvent], verdicts: &[Verdict]) -> Vec<Evidence> {
    let refused = events.iter().rfind(|event| event.means == Event::JoinRefused);
    let explained = verdicts.iter().any(|verdict| verdict.confidence > SPOKEN_AGAINST);
    refused.filter(|_| !explained).map(|event| line(event)).into_iter().collect()
}

#[cfg(test)]
mod tests {
    use super::super::events::LogReader;
    use super::*;
    use crate::digest::Blake3;
    use crate::path::InstallPath;
    use crate::survey::{InstallFacts, Reading};

    fn rulebook() -> Rulebook {
        let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
        crate::rulebook::parse("polarspur", text).expect("a rulebook").value
    }

    fn survey(name: &str, role: Role, mods: &[(&str, &str, bool)]) -> Survey {
        let found = |(id, version, enabled): &(&str, &str, bool)| SurveyedMod {
            reading: Reading { id: (*id).to_owned(), version: Some((*version).to_owned()), ..Reading::default() },
            shelf: "mods".to_owned(),
            place: InstallPath::new("mods").expect("a path"),
            enabled: *enabled,
            path: InstallPath::new(&format!("mods/{id}.psm")).expect("a path"),
            name: format!("{id}.psm"),
            digest: Blake3::of(format!("{id} {version}").as_bytes()),
            files: Vec::new(),
            members: Vec::new(),
            members_total: 0,
            signatures: Vec::new(),
        };
        let install = InstallFacts {
            name: name.to_owned(),
            role,
            game: "Polarspur".to_owned(),
            game_version: None,
            loader_version: Some("0.9".to_owned()),
            runtime_version: None,
        };
        Survey { mods: mods.iter().map(found).collect(), ..Survey::empty(install) }
    }

    struct World {
        canon: bool,
        server: Option<&'static [(&'static str, &'static str, bool)]>,
        client: Option<&'static [(&'static str, &'static str, bool)]>,
        log: &'static str,
    }

    const RIGHT: &[(&str, &str, bool)] = &[("core", "1", true), ("tide", "2.1", true)];

    fn diagnose(world: &World) -> Diagnosis {
        let rulebook = rulebook();
        let mut reader = LogReader::new(&rulebook.events, Role::Server).expect("patterns");
        world.log.lines().for_each(|line| reader.line(line.as_bytes()));
        let events = reader.finish();
        let right = survey("station", Role::Server, RIGHT);
        let canon = Canon::from_survey(&right);
        let server = world.server.map(|mods| survey("station", Role::Server, mods));
        let client = world.client.map(|mods| survey("mara", Role::Client, mods));
        weigh(Case {
            rulebook: &rulebook,
            canon: world.canon.then_some(&canon),
            extras: Extras::Keep,
            server: server.as_ref(),
            client: client.as_ref(),
            events: &events,
        })
    }

    fn short(world: &World) -> Vec<(&'static str, Option<Role>, f64)> {
        diagnose(world).verdicts.iter().map(|v| (v.cause.as_str(), v.side, v.confidence)).collect()
    }

    const LACKS: &str = "gate: Mara is at the door\ngate: Mara lacks tide 2.1\ngate: turned Mara away";
    const OLD: &str =
        "gate: Mara is at the door\ngate: Mara has tide 2.0, this station has 2.1\ngate: turned Mara away";

    #[test]
    fn the_log_says_missing_and_the_survey_says_switched_off() {
        let world = World {
            canon: true,
            server: None,
            client: Some(&[("core", "1", true), ("tide", "2.1", false)]),
            log: LACKS,
        };
        assert_eq!(short(&world), [("mod-disabled", Some(Role::Client), AGREED)]);
        let verdict = &diagnose(&world).verdicts[0];
        assert_eq!(verdict.confirmed_by, ["survey", "server-log"]);
        assert_eq!(verdict.evidence[1].line, Some(2));
        assert_eq!(verdict.remedy[0].command.as_deref(), Some("kanon align mara"));
    }

    #[test]
    fn the_server_may_be_the_side_that_is_off() {
        let world = World {
            canon: true,
            server: Some(&[("core", "1", true), ("tide", "2.2", true)]),
            client: Some(RIGHT),
            log: "",
        };
        assert_eq!(short(&world), [("version-newer", Some(Role::Server), MEASURED)]);
    }

    #[test]
    fn without_a_canon_the_sides_are_held_against_each_other_and_neither_is_blamed() {
        let world = World {
            canon: false,
            server: Some(RIGHT),
            client: Some(&[("core", "1", true), ("tide", "2.0", true)]),
            log: OLD,
        };
        assert_eq!(short(&world), [("version-older", None, AGREED)]);
    }

    #[test]
    fn a_log_and_a_client_without_anything_else() {
        let gone = World { canon: false, server: None, client: Some(&[("core", "1", true)]), log: LACKS };
        assert_eq!(short(&gone), [("mod-missing", None, AGREED)]);
        let there = World { canon: false, server: None, client: Some(RIGHT), log: LACKS };
        assert_eq!(short(&there), [("mod-missing", None, SPOKEN_AGAINST)]);
        assert_eq!(diagnose(&there).unexplained.len(), 1);
        let alone = World { canon: false, server: None, client: None, log: OLD };
        assert_eq!(short(&alone), [("version-other", None, TOLD)]);
    }

    #[test]
    fn a_side_that_is_in_line_is_not_blamed_for_what_the_log_says() {
        let both = World { canon: true, server: Some(RIGHT), client: Some(RIGHT), log: OLD };
        assert_eq!(short(&both), [("version-other", None, SPOKEN_AGAINST)]);
        let client = World { canon: true, server: None, client: Some(RIGHT), log: OLD };
        assert_eq!(short(&client), [("version-other", Some(Role::Server), TOLD)]);
        let server = World { canon: true, server: Some(RIGHT), client: None, log: OLD };
        assert_eq!(short(&server), [("version-other", Some(Role::Client), TOLD)]);
    }

    #[test]
    fn two_faults_are_two_verdicts_and_the_agreed_one_comes_first() {
        let world = World { canon: true, server: None, client: Some(&[("tide", "2.0", true)]), log: OLD };
        assert_eq!(
            short(&world),
            [("version-older", Some(Role::Client), AGREED), ("mod-missing", Some(Role::Client), MEASURED)]
        );
    }

    #[test]
    fn nothing_found_is_nothing_said() {
        let well = World {
            canon: true,
            server: Some(RIGHT),
            client: Some(RIGHT),
            log: "gate: Mara is at the door\ngate: Mara came in",
        };
        assert_eq!((short(&well), diagnose(&well).unexplained), (vec![], vec![]));
        let odd = World {
            canon: true,
            server: Some(RIGHT),
            client: Some(RIGHT),
            log: "gate: Mara is at the door\ngate: turned Mara away",
        };
        assert_eq!((short(&odd).len(), diagnose(&odd).unexplained[0].line), (0, Some(2)));
    }

    #[test]
    fn the_log_of_another_player_is_not_this_ones() {
        let log =
            "gate: Mara is at the door\ngate: Mara came in\ngate: Wren is at the door\ngate: Wren lacks tide 2.1\n";
        let world = World { canon: true, server: None, client: Some(RIGHT), log };
        assert_eq!(short(&world), []);
    }
}
