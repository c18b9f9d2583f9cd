//! `kanon learn`: drafts a rulebook by looking, then surveys by its own draft.

use std::path::{Path, PathBuf};

use kanon_app::drafting::{Installs, Trial, Tried, heard, known_rulebook};
use kanon_core::learn::proof::{Doubt, Proof};
use kanon_core::learn::voice::Voice;
use kanon_core::learn::{Answers, Ask, Draft};
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_core::survey::Survey;
use kanon_io::install_folder::InstallFolder;
use kanon_io::writing::write_whole;
use serde::Serialize;

use crate::arguments::{Format, Learn};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::words::proof::{self as words, ToldProof};
use crate::words::voice::{self as voice_words, ToldVoice};
use crate::{Outcome, render};

/// The first field of the report of what was learned from logs alone.
const LOGS_FORMAT: &str = "kanon-learned-logs/1";
/// The report for programs.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'r> {
    #[serde(flatten)]
    draft: &'r Draft,
    surveyed: &'r [Tried],
    proof: ToldProof,
    #[serde(skip_serializing_if = "Option::is_none")]
    logs: Option<ToldVoice>,
}

/// The report of what was learned from logs alone.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct OfLogs {
    format: &'static str,
    logs: ToldVoice,
}

pub fn run(arguments: &Learn, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let output = arguments.output.as_ref().map(|file| env.machine.folder.join(file));
    if let Some(file) = output.as_ref().filter(|file| file.exists()) {
        return Err(Failure::plain(format!("{} is there already", file.display()))
            .hint("give -o another name; a draft never replaces a file"));
    }
    let named = [(&arguments.server, Role::Server), (&arguments.client, Role::Client)];
    let named: Vec<(&str, Role)> = named.iter().filter_map(|(typed, role)| Some((typed.as_deref()?, *role))).collect();
    let installs = Installs::open(&env.machine, ui, &named)?;
    if let Some(rulebook) = &arguments.rulebook {
        return from_logs_alone(arguments, (env, ui), &installs, (rulebook, output.as_deref()));
    }
    let folders = installs.folders();
    tell_passed_over(ui, &folders);
    let mut answers = Answers { game: arguments.game.clone(), ..Answers::default() };
    let mut drafted = installs.draft(&folders, &answers);
    if arguments.ask && ask(env, ui, &drafted, &mut answers)? {
        drafted = installs.draft(&folders, &answers);
    }
    let (mut drafted, trial) = installs.proved(&folders, answers, drafted)?;
    let Trial { tried, proof, surveys } = &trial;
    let voice = match rulebook::parse("the draft", &drafted.rulebook) {
        Ok(parsed) => voice_of(arguments, env, (&parsed.value, surveys))?,
        Err(_) => None,
    };
    drafted.complete(doubts_in_words(proof), &voice.as_ref().map(voice_words::tables).unwrap_or_default());
    if let Some(file) = &output {
        write_whole(file, &drafted.rulebook)?;
    }
    match (env.format, &output) {
        (Format::Json, _) => ui.json(&Report {
            draft: &drafted,
            surveyed: tried,
            proof: ToldProof::from(proof),
            logs: voice.as_ref().map(ToldVoice::from),
        })?,
        (Format::Text, file) => {
            let told = render::learn::text(&drafted, (tried, proof), voice.as_ref(), arguments.output.as_deref());
            match file {
                Some(_) => ui.report(&told),
                None => {
                    ui.notice(told.trim_end());
                    ui.report(&drafted.rulebook);
                }
            }
        }
    }
    Ok(Outcome::of(trial.is_all_clear()))
}

/// What lines of logs mean, for a rulebook that is there already.
fn from_logs_alone(
    arguments: &Learn,
    (env, ui): (&Env, &Ui),
    installs: &Installs,
    (file, output): (&Path, Option<&Path>),
) -> Result<Outcome, Failure> {
    if arguments.server_log.is_empty() && arguments.client_log.is_empty() {
        return Err(Failure::plain("there is no log to learn from")
            .hint("add --server-log FILE or --client-log FILE; each may be given several times"));
    }
    let path = env.machine.folder.join(file);
    let loaded = known_rulebook(&path)?;
    let surveys = installs.surveys(&loaded.rulebook)?;
    let Some(voice) = voice_of(arguments, env, (&loaded.rulebook, &surveys))? else { return Ok(Outcome::of(false)) };
    let text = format!("{}{}", loaded.text, voice_words::tables(&voice));
    rulebook::parse("the rulebook with what was learned", &text).map_err(|bad| {
        Failure::plain(format!("what was learned is no rulebook, which is Kanon's own mistake: {bad}"))
    })?;
    if let Some(output) = output {
        write_whole(output, &text)?;
    }
    match (env.format, output) {
        (Format::Json, _) => ui.json(&OfLogs { format: LOGS_FORMAT, logs: ToldVoice::from(&voice) })?,
        (Format::Text, Some(_)) => {
            let name = arguments.output.as_ref().map(|file| file.display().to_string()).unwrap_or_default();
            let next =
                format!("\nthe rulebook with them is in {name}\nnext: read it, then kanon rulebook check {name}\n");
            ui.report(&(voice_words::text(&voice) + &next));
        }
        (Format::Text, None) => {
            ui.notice(voice_words::text(&voice).trim_end());
            ui.report(voice_words::tables(&voice).to_string().trim_start());
        }
    }
    Ok(Outcome::of(!voice.events.is_empty() && voice.unknown.is_empty()))
}

/// What the logs that were given tell; nothing where none was.
fn voice_of(arguments: &Learn, env: &Env, measured: (&Rulebook, &[Survey])) -> Result<Option<Voice>, Failure> {
    let given = |files: &[PathBuf], side| -> Vec<(Role, PathBuf)> {
        files.iter().map(|file| (side, env.machine.folder.join(file))).collect()
    };
    let mut files = given(&arguments.server_log, Role::Server);
    files.extend(given(&arguments.client_log, Role::Client));
    let files: Vec<(Role, &Path)> = files.iter().map(|(side, file)| (*side, file.as_path())).collect();
    Ok(heard(&env.machine, measured, &files, &arguments.player)?)
}

/// What speaks against a draft, to stand at its head.
fn doubts_in_words(proof: &Proof) -> Vec<String> {
    let doubts = proof.doubts.iter().filter(|doubt| !matches!(doubt, Doubt::NoMods(_)));
    let told: Vec<String> = doubts
        .flat_map(|doubt| [format!("LOOK AT THIS: {}", words::text(doubt)), format!("    {}", words::look_at(doubt))])
        .collect();
    let first = (!told.is_empty()).then(|| "On the installs that it was made of it is not in order yet:".to_owned());
    first.into_iter().chain(told).collect()
}

fn tell_passed_over(ui: &Ui, looks: &[InstallFolder<'_>]) {
    let passed_over: usize = looks.iter().map(|look| look.passed_over).sum();
    if passed_over > 0 {
        ui.notice(&format!("note: {passed_over} files past the bound were not looked at"));
    }
}

/// Asks what a person can answer in a word; says whether anything was.
fn ask(env: &Env, ui: &Ui, drafted: &Draft, answers: &mut Answers) -> Result<bool, Failure> {
    if drafted.asks.is_empty() {
        return Ok(false);
    }
    if !env.machine.can_ask {
        ui.notice("note: nobody can be asked here; what could not be told is marked in the draft");
        return Ok(false);
    }
    let failed = |error| Failure::plain("could not ask").because(error);
    for question in &drafted.asks {
        match question {
            Ask::Game => {
                let input = dialoguer::Input::<String>::new().with_prompt("What is the game called?");
                answers.game = Some(input.interact_text().map_err(failed)?);
            }
            Ask::Bare => {
                let words = ["at-least", "exact", "compatible"];
                let shown = ["that version and newer", "just that version", "newer ones that are compatible"];
                let chosen = dialoguer::Select::new()
                    .with_prompt("When a mod asks for `1.2`, without a sign, what does it mean?")
                    .items(shown)
                    .default(0)
                    .interact()
                    .map_err(failed)?;
                answers.bare = Some(words[chosen].to_owned());
            }
            Ask::Side { word, shelf } => {
                let words = ["both", "server", "client", "optional"];
                let prompt = format!(
                    "Where is a mod of {shelf} needed that says `{}`?",
                    kanon_core::base::path::printable(word)
                );
                let chosen = dialoguer::Select::new()
                    .with_prompt(prompt)
                    .items(["on both sides", "on the server alone", "on clients alone", "nowhere; it may be on either"])
                    .default(0)
                    .interact()
                    .map_err(failed)?;
                answers.sides.insert(word.clone(), words[chosen].to_owned());
            }
        }
    }
    Ok(true)
}
