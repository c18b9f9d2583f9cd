//! Diagnosis on cases out of nothing: the simulated games lay a fault, write their logs, and know the truth.
//!
//! `KANON_TEST_SEEDS=FROM..TO` takes other cases than the usual ones, `--nocapture` shows the shares.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};

use kanon_standin::cases::{self, Case, Truth};
use serde_json::Value;

use crate::stage::{Said, Stage, fits_its_schema, said};

/// What there is to go by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum By {
    BothSurveys,
    BothSurveysAndLogs,
    SurveysWithoutACanon,
    ClientSurveyAndServerLog,
    BothLogs,
    ServerLog,
    Message,
}

const ALL: [By; 7] = [
    By::BothSurveys,
    By::BothSurveysAndLogs,
    By::SurveysWithoutACanon,
    By::ClientSurveyAndServerLog,
    By::BothLogs,
    By::ServerLog,
    By::Message,
];

impl By {
    fn is_measured(self) -> bool {
        !matches!(self, Self::BothLogs | Self::ServerLog | Self::Message)
    }
}

/// A workspace of each game, sealed while all was well.
struct Games(BTreeMap<&'static str, Stage>);

impl Games {
    fn lay() -> Self {
        let lay = |game: &'static str| {
            let stage = Stage::empty();
            cases::lay_game(game, &stage.path("")).unwrap();
            let init =
                ["init", "--name", "Right", "--rulebook", "rulebook.toml", "--server", "server", "--client", "client"];
            stage.kanon(init).ends_with(0);
            for words in [["adopt", "client"], ["adopt", "server"]] {
                // A mod that is switched off on the board is passed over, and told.
                assert_ne!(stage.kanon(words).code, Some(2));
            }
            stage.kanon(["seal"]).ends_with(0);
            stage.kanon(["check"]).ends_with(0);
            (game, stage)
        };
        Self(["polarspur", "ashmere", "tallowfen"].map(lay).into())
    }
}

fn diagnose(stage: &Stage, case: &Case, folder: &Path, by: By) -> Said {
    let path = |name: &str| folder.join(name).display().to_string();
    let mut words = vec!["diagnose".to_owned(), "--format".to_owned(), "json".to_owned(), "-q".to_owned()];
    let mut add = |option: &str, value: String| words.extend([option.to_owned(), value]);
    if matches!(by, By::BothSurveys | By::BothSurveysAndLogs | By::SurveysWithoutACanon) {
        add("--server", path("server"));
        add("--client", path("client"));
    }
    let has_server_log = folder.join("server.log").exists();
    if matches!(by, By::BothSurveysAndLogs | By::BothLogs | By::ServerLog | By::ClientSurveyAndServerLog) {
        add("--player", case.player.to_owned());
        if has_server_log {
            add("--server-log", path("server.log"));
        }
    }
    if matches!(by, By::BothSurveysAndLogs | By::BothLogs) {
        add("--client-log", path("client.log"));
    }
    if by == By::ClientSurveyAndServerLog {
        add("--client", path("client"));
    }
    if by == By::Message {
        add("--message", case.message.clone());
    }
    // Whoever has no more than this is a volunteer, with the rulebook and nothing else.
    if !matches!(by, By::BothSurveys | By::BothSurveysAndLogs | By::ClientSurveyAndServerLog) {
        add("--rulebook", stage.path("rulebook.toml").display().to_string());
        let mut command = stage.command(&words);
        command.current_dir(folder);
        return said(command);
    }
    said(stage.command(&words))
}

/// Whether a verdict is one of the truths, as far as what there is to go by can tell.
fn is_right(verdict: &Value, truth: &Truth, by: By) -> bool {
    let cause = verdict["cause"].as_str().unwrap();
    let told = !by.is_measured() || by == By::ClientSurveyAndServerLog || by == By::SurveysWithoutACanon;
    let is_cause =
        truth.codes.contains(&cause) || told && truth.told.contains(&cause) || told && is_mirrored(cause, truth);
    let is_mod = match (&truth.mod_id, verdict["mod"].as_str(), by) {
        (_, _, By::Message) | (None, _, _) | (Some(_), None, _) => true,
        // A line may say who lacks it, and only then what.
        (Some(wanted), Some(named), _) => {
            let evidence = || {
                verdict["evidence"]
                    .as_array()
                    .unwrap()
                    .iter()
                    .any(|piece| piece["text"].as_str().unwrap().contains(wanted.as_str()))
            };
            wanted.eq_ignore_ascii_case(named) || told && cause == "dependency-missing" && evidence()
        }
    };
    let is_side = verdict["side"].as_str().is_none_or(|side| side == truth.side || told && by != By::BothLogs);
    is_cause && is_mod && is_side
}

/// Without a canon, what is older on the one side is newer on the other.
fn is_mirrored(cause: &str, truth: &Truth) -> bool {
    const MIRRORS: [(&str, &str); 3] =
        [("version-older", "version-newer"), ("mod-missing", "mod-extra"), ("list-entry-missing", "list-entry-extra")];
    truth.codes.iter().any(|code| {
        MIRRORS.iter().any(|(a, b)| (cause == *a && code == b) || (cause == *b && code == a))
            || matches!((*code, cause), ("mod-disabled" | "list-entry-off" | "launch-line-differs", "mod-extra"))
    })
}

#[derive(Default)]
struct Tally {
    cases: u32,
    first_right: u32,
    sure: u32,
    sure_right: u32,
    wrong: Vec<String>,
}

fn seeds() -> std::ops::Range<u64> {
    let said = std::env::var("KANON_TEST_SEEDS").ok();
    let range = said.as_deref().and_then(|said| said.split_once(".."));
    range.map_or(70_000..70_150, |(from, to)| from.parse().unwrap()..to.parse().unwrap())
}

/// Does something for each seed, on half of the processors: other tests mind the time.
fn each(seeds: std::ops::Range<u64>, work: impl Fn(u64) + Sync) {
    let next = AtomicU64::new(seeds.start);
    std::thread::scope(|scope| {
        for _ in 0..std::thread::available_parallelism().map_or(1, |all| all.get().div_ceil(2)) {
            scope.spawn(|| {
                loop {
                    let seed = next.fetch_add(1, Ordering::SeqCst);
                    if seed >= seeds.end {
                        return;
                    }
                    work(seed);
                }
            });
        }
    });
}

#[test]
fn verdicts_are_right_as_often_as_they_say() {
    let games = Games::lay();
    let tallies: Mutex<BTreeMap<By, Tally>> = Mutex::default();
    each(seeds(), |seed| {
        let temp = tempfile::tempdir().unwrap();
        let case = cases::lay(seed, temp.path(), false).unwrap();
        let stage = &games.0[case.game];
        for by in ALL {
            let said = diagnose(stage, &case, temp.path(), by);
            if said.code == Some(2) && by == By::ServerLog {
                continue;
            }
            let report = said.json();
            let verdicts = report["verdicts"].as_array().unwrap().clone();
            let right = |verdict: &Value| case.truth.iter().any(|truth| is_right(verdict, truth, by));
            let mut tallies = tallies.lock().unwrap();
            let tally = tallies.entry(by).or_default();
            tally.cases += 1;
            let told = |verdict: &Value| {
                format!("{} {} {} {}", verdict["cause"], verdict["mod"], verdict["side"], verdict["confidence"])
            };
            let kinds = case.truth.iter().map(|truth| format!("{} {:?}", truth.kind, truth.mod_id)).collect::<Vec<_>>();
            match verdicts.first() {
                Some(first) if right(first) => tally.first_right += 1,
                first => tally.wrong.push(format!(
                    "seed {seed} {by:?}: {kinds:?}; first {}",
                    first.map_or_else(|| "none".to_owned(), told)
                )),
            }
            for verdict in verdicts.iter().filter(|verdict| verdict["confidence"].as_f64().unwrap() >= 0.9) {
                tally.sure += 1;
                tally.sure_right += u32::from(right(verdict));
                if !right(verdict) {
                    tally.wrong.push(format!("seed {seed} {by:?}: {kinds:?}; SURE AND WRONG {}", told(verdict)));
                }
            }
            if seed % 10 == 0 {
                fits_its_schema("diagnosis", &report);
            }
        }
    });
    let tallies = tallies.into_inner().unwrap();
    let mut table = String::new();
    for (by, tally) in &tallies {
        let share = |of: u32, all: u32| f64::from(of) * 100.0 / f64::from(all.max(1));
        let _ = writeln!(
            table,
            "{:<26} {:>4} cases  first verdict right {:>5.1} %  sure (0.9 and more) {:>4}, right {:>5.1} %",
            format!("{by:?}"),
            tally.cases,
            share(tally.first_right, tally.cases),
            tally.sure,
            share(tally.sure_right, tally.sure)
        );
    }
    let wrong: Vec<&String> = tallies.values().flat_map(|tally| &tally.wrong).collect();
    println!("{table}{}", wrong.iter().map(|line| format!("{line}\n")).collect::<String>());
    let at_least = |by: By, percent: u32| {
        let tally = &tallies[&by];
        assert!(tally.first_right * 100 >= tally.cases * percent, "{by:?}\n{table}{wrong:#?}");
    };
    at_least(By::BothSurveys, 97);
    at_least(By::BothSurveysAndLogs, 97);
    at_least(By::BothLogs, 90);
    at_least(By::SurveysWithoutACanon, 90);
    for (by, tally) in &tallies {
        assert_eq!(tally.sure, tally.sure_right, "no wrong verdict is surer than 0.9: {by:?}\n{wrong:#?}");
    }
}

#[test]
fn healthy_pairs_give_no_verdict() {
    let games = Games::lay();
    let alarms: Mutex<Vec<String>> = Mutex::default();
    each(90_000..90_050, |seed| {
        let temp = tempfile::tempdir().unwrap();
        let case = cases::lay(seed, temp.path(), true).unwrap();
        for by in [
            By::BothSurveys,
            By::BothSurveysAndLogs,
            By::SurveysWithoutACanon,
            By::ClientSurveyAndServerLog,
            By::BothLogs,
        ] {
            let said = diagnose(&games.0[case.game], &case, temp.path(), by);
            if said.code != Some(0) {
                alarms.lock().unwrap().push(format!("{seed} {} {by:?}: {}{}", case.game, said.out, said.err));
            }
        }
    });
    let alarms = alarms.into_inner().unwrap();
    assert!(alarms.is_empty(), "{} false alarms, the first: {}", alarms.len(), alarms[0]);
}
