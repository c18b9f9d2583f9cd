//! `kanon learn`: drafts a rulebook by looking, then surveys by its own draft.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use kanon_core::base::digest::Blake3;
use kanon_core::learn::proof::{Doubt, Proof, next_best, prove};
use kanon_core::learn::voice::{Evening, Voice};
use kanon_core::learn::{Answers, Ask, Draft, InstallView, Unidentified, draft, unidentified};
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_core::survey::{FileProblem, Survey};
use kanon_io::install::{Address, Install};
use kanon_io::install_folder::InstallFolder;
use kanon_io::measure::{self, GameCheck, OutsideShelves, RemoteHints, Request, TrustMemory};
use kanon_io::state::State;
use kanon_io::workspace::{Workspace, load_rulebook};
use kanon_io::writing::write_whole;
use serde::Serialize;

use crate::arguments::{Format, Learn};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::words::proof::{self as words, ToldProof};
use crate::words::voice::{self as voice_words, ToldVoice};
use crate::{Outcome, render};
use kanon_app::listening::listen;
use kanon_app::places::{self, Place, Placed};

/// The first field of the report of what was learned from logs alone.
const LOGS_FORMAT: &str = "kanon-learned-logs/1";
/// So often a draft is replaced by a better one.
const ROUNDS: usize = 3;

/// What the draft came to on one install.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Debug, Serialize)]
pub struct Tried {
    /// Its name.
    pub name: String,
    /// Server or client.
    pub role: Role,
    /// How many mods were found.
    pub mods: usize,
    /// How many of those are known fully.
    pub identified: usize,
    /// What is lacking for the others, and what could not be read at all.
    pub unidentified: Vec<Unidentified>,
    /// The lists that were read, and how many of their entries name mods.
    pub lists: Vec<TriedList>,
}

/// A list as the draft reads it.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Debug, Serialize)]
pub struct TriedList {
    /// Its name.
    pub name: String,
    /// How many entries it has.
    pub entries: usize,
    /// How many of them name mods that are there.
    pub known: usize,
    /// Why it can't be read.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub problem: Option<FileProblem>,
}

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

/// What was looked at, opened.
struct Opened {
    server: Option<(String, Arc<dyn Install>)>,
    client: Option<(String, Arc<dyn Install>)>,
}

impl Opened {
    fn sides(&self) -> impl Iterator<Item = (&(String, Arc<dyn Install>), Role)> {
        let server = self.server.iter().map(|server| (server, Role::Server));
        server.chain(self.client.iter().map(|client| (client, Role::Client)))
    }
}

/// What a draft came to: on each install, in an evening played by it, and what was measured by it.
struct Trial {
    tried: Vec<Tried>,
    proof: Proof,
    surveys: Vec<Survey>,
}

pub fn run(arguments: &Learn, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let output = arguments.output.as_ref().map(|file| env.machine.folder.join(file));
    if let Some(file) = output.as_ref().filter(|file| file.exists()) {
        return Err(Failure::plain(format!("{} is there already", file.display()))
            .hint("give -o another name; a draft never replaces a file"));
    }
    let open = |typed: &Option<String>, role| typed.as_ref().map(|typed| open((env, ui), typed, role)).transpose();
    let opened =
        Opened { server: open(&arguments.server, Role::Server)?, client: open(&arguments.client, Role::Client)? };
    if let Some(rulebook) = &arguments.rulebook {
        return from_logs_alone(arguments, (env, ui), &opened, (rulebook, output.as_deref()));
    }
    let looks: Vec<InstallFolder<'_>> =
        opened.sides().map(|((_, install), role)| InstallFolder::at(install.as_ref(), role)).collect();
    tell_passed_over(ui, &looks);
    let sights: Vec<&dyn InstallView> = looks.iter().map(|look| look as &dyn InstallView).collect();
    let mut answers = Answers { game: arguments.game.clone(), ..Answers::default() };
    let folder = opened.sides().next().map(|((typed, install), _)| folder_name(install.as_ref(), typed));
    let folder = folder.unwrap_or_default();
    let mut drafted = draft(&folder, &sights, &answers);
    if arguments.ask && ask(env, ui, &drafted, &mut answers)? {
        drafted = draft(&folder, &sights, &answers);
    }
    let mut trial = try_out(&drafted, &opened)?;
    // What can't be leads to the next best, as long as less speaks against that.
    for _ in 0..ROUNDS {
        let mut better = None;
        for other in next_best(&drafted, &trial.proof, &answers) {
            let next = draft(&folder, &sights, &other);
            let again = try_out(&next, &opened)?;
            if again.proof.number() < trial.proof.number() {
                better = Some((other, next, again));
                break;
            }
        }
        let Some(found) = better else { break };
        (answers, drafted, trial) = found;
    }
    let Trial { tried, proof, surveys } = trial;
    let voice = match rulebook::parse("the draft", &drafted.rulebook) {
        Ok(parsed) => heard(arguments, env, &parsed.value, &surveys)?,
        Err(_) => None,
    };
    drafted.complete(doubts_in_words(&proof), &voice.as_ref().map(voice_words::tables).unwrap_or_default());
    if let Some(file) = &output {
        write_whole(file, &drafted.rulebook)?;
    }
    let all_told = tried.iter().all(|tried| tried.unidentified.is_empty());
    let good = tried.iter().any(|tried| tried.mods > 0) && all_told && proof.doubts.is_empty();
    match (env.format, &output) {
        (Format::Json, _) => ui.json(&Report {
            draft: &drafted,
            surveyed: &tried,
            proof: ToldProof::from(&proof),
            logs: voice.as_ref().map(ToldVoice::from),
        })?,
        (Format::Text, file) => {
            let told = render::learn::text(&drafted, (&tried, &proof), voice.as_ref(), arguments.output.as_deref());
            match file {
                Some(_) => ui.report(&told),
                None => {
                    ui.notice(told.trim_end());
                    ui.report(&drafted.rulebook);
                }
            }
        }
    }
    Ok(Outcome::of(good))
}

/// What lines of logs mean, for a rulebook that is there already.
fn from_logs_alone(
    arguments: &Learn,
    (env, ui): (&Env, &Ui),
    opened: &Opened,
    (file, output): (&Path, Option<&Path>),
) -> Result<Outcome, Failure> {
    if arguments.server_log.is_empty() && arguments.client_log.is_empty() {
        return Err(Failure::plain("there is no log to learn from")
            .hint("add --server-log FILE or --client-log FILE; each may be given several times"));
    }
    let path = env.machine.folder.join(file);
    let loaded = load_rulebook(&path)?;
    let mut surveys = Vec::new();
    for ((name, install), role) in opened.sides() {
        surveys.extend(surveyed(name, install.as_ref(), role, &loaded.rulebook)?);
    }
    let Some(voice) = heard(arguments, env, &loaded.rulebook, &surveys)? else { return Ok(Outcome::of(false)) };
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
fn heard(arguments: &Learn, env: &Env, rulebook: &Rulebook, surveys: &[Survey]) -> Result<Option<Voice>, Failure> {
    let given = |files: &[PathBuf], side| -> Vec<(Role, PathBuf)> {
        files.iter().map(|file| (side, env.machine.folder.join(file))).collect()
    };
    let mut files = given(&arguments.server_log, Role::Server);
    files.extend(given(&arguments.client_log, Role::Client));
    if files.is_empty() {
        return Ok(None);
    }
    let of = |role| surveys.iter().find(|survey| survey.install.role == role);
    let workspace = Workspace::find(&env.machine.folder).map(|_| Workspace::open(&env.machine.folder)).transpose()?;
    let canon = match &workspace {
        Some(workspace) if surveys.is_empty() => workspace.canon()?,
        _ => None,
    };
    let evening = Evening {
        rulebook,
        server: of(Role::Server),
        client: of(Role::Client),
        canon: canon.as_ref(),
        players: &arguments.player,
    };
    let files: Vec<(Role, &Path)> = files.iter().map(|(side, file)| (*side, file.as_path())).collect();
    Ok(Some(listen(evening, &files)?.voice))
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

/// A name in `kanon.toml` comes before a folder of that name.
fn open((env, ui): (&Env, &Ui), typed: &str, role: Role) -> Result<(String, Arc<dyn Install>), Failure> {
    let workspace = Workspace::find(&env.machine.folder).map(|_| Workspace::open(&env.machine.folder)).transpose()?;
    let placed = match places::named(workspace.as_ref(), typed)? {
        Some(placed) => placed,
        None if Address::is_meant(typed) => {
            Placed { name: typed.to_owned(), role, place: Place::Host(places::address(typed)?) }
        }
        None => {
            let path = env.machine.folder.join(typed);
            if !path.is_dir() {
                return Err(Failure::plain(format!("`{typed}` is no folder and no install of kanon.toml"))
                    .hint("give the folder of the game, with its mods installed, or its address on a host"));
            }
            Placed { name: typed.to_owned(), role, place: Place::Folder(path) }
        }
    };
    Ok((typed.to_owned(), places::open((&env.machine, ui), workspace.as_ref(), &placed)?))
}

fn folder_name(install: &dyn Install, typed: &str) -> String {
    let last = install.shown().trim_end_matches(['/', '\\']).rsplit(['/', '\\']).next();
    last.filter(|name| !name.is_empty()).unwrap_or(typed).to_owned()
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

/// Surveys what was looked at by the draft, and plays an evening by it.
fn try_out(drafted: &Draft, opened: &Opened) -> Result<Trial, Failure> {
    // A draft without a shelf is a form to fill in, not a rulebook yet.
    let parsed = match rulebook::parse("the draft", &drafted.rulebook) {
        Ok(parsed) => parsed,
        Err(bad) if drafted.rulebook.contains("\n[[shelf]]") => {
            return Err(Failure::plain(format!("the draft has a mistake, which is Kanon's own: {bad}"))
                .hint("please report it with the layout of the folder"));
        }
        Err(_) => {
            let doubts = vec![Doubt::NoMods(Role::Server)];
            return Ok(Trial { tried: Vec::new(), proof: Proof { doubts, ..Proof::default() }, surveys: Vec::new() });
        }
    };
    let (mut tried, mut surveys) = (Vec::new(), Vec::new());
    for ((name, install), role) in opened.sides() {
        let survey = surveyed(name, install.as_ref(), role, &parsed.value)?;
        tried.push(survey.as_ref().map_or_else(|| nothing(name, role), |survey| tried_by(name, survey)));
        surveys.extend(survey);
    }
    let proof = prove(&parsed.value, &surveys, drafted);
    Ok(Trial { tried, proof, surveys })
}

fn surveyed(name: &str, install: &dyn Install, role: Role, rulebook: &Rulebook) -> Result<Option<Survey>, Failure> {
    let mut state = State::in_memory()?;
    let request = Request {
        name,
        role,
        rulebook,
        rulebook_digest: Blake3::of(b"draft"),
        trust: TrustMemory::No,
        sparing: RemoteHints::default(),
        beside: OutsideShelves::default(),
        doubt: GameCheck::WithoutSigns,
    };
    match measure::survey(install, request, &mut state, &kanon_io::progress::Silent) {
        Ok(measurement) => Ok(Some(measurement.survey)),
        Err(kanon_io::error::ReachError::NotThisGame { .. }) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

fn tried_by(name: &str, survey: &Survey) -> Tried {
    let unidentified = unidentified(survey);
    let lacking: std::collections::BTreeSet<&str> = unidentified.iter().map(|lacking| lacking.path.as_str()).collect();
    let identified = survey.mods.iter().filter(|found| !lacking.contains(found.path.as_str())).count();
    let role = survey.install.role;
    Tried { name: name.to_owned(), role, mods: survey.mods.len(), identified, lists: lists(survey), unidentified }
}

fn nothing(name: &str, role: Role) -> Tried {
    Tried { name: name.to_owned(), role, mods: 0, identified: 0, unidentified: Vec::new(), lists: Vec::new() }
}

fn lists(survey: &Survey) -> Vec<TriedList> {
    let each = survey.lists.iter().map(|list| TriedList {
        name: list.name.clone(),
        entries: list.entries.len(),
        known: list.entries.iter().filter(|e| e.stands_for == kanon_core::survey::StandsFor::Mod).count(),
        problem: list.problem.clone(),
    });
    each.collect()
}
