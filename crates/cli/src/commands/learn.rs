//! `kanon learn`: drafts a rulebook by looking, then surveys by its own draft.

use std::sync::Arc;

use kanon_core::base::digest::Blake3;
use kanon_core::learn::proof::{Doubt, Proof, prove};
use kanon_core::learn::{Answers, Ask, Draft, InstallView, Unidentified, draft, unidentified};
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_core::survey::Survey;
use kanon_io::install::{Address, Install};
use kanon_io::install_folder::InstallFolder;
use kanon_io::measure::{self, GameCheck, OutsideShelves, RemoteHints, Request, TrustMemory};
use kanon_io::state::State;
use kanon_io::workspace::{Workspace, write_whole};
use serde::Serialize;

use crate::arguments::{Format, Learn};
use crate::env::Env;
use crate::failure::Failure;
use crate::ui::Ui;
use crate::words::proof::{self as words, ToldProof};
use crate::{Outcome, render};
use kanon_app::places::{self, Place, Placed};

/// What the draft came to on one install.
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
    pub problem: Option<String>,
}

/// The report for programs.
#[derive(Serialize)]
struct Report<'r> {
    #[serde(flatten)]
    draft: &'r Draft,
    surveyed: &'r [Tried],
    proof: ToldProof,
}

pub fn run(arguments: &Learn, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let output = arguments.output.as_ref().map(|file| env.machine.folder.join(file));
    if let Some(file) = output.as_ref().filter(|file| file.exists()) {
        return Err(Failure::plain(format!("{} is there already", file.display()))
            .hint("give -o another name; a draft never replaces a file"));
    }
    let server = open((env, ui), &arguments.server, Role::Server)?;
    let client = arguments.client.as_ref().map(|client| open((env, ui), client, Role::Client)).transpose()?;
    let server_look = InstallFolder::at(server.1.as_ref(), Role::Server);
    let client_look = client.as_ref().map(|(_, install)| InstallFolder::at(install.as_ref(), Role::Client));
    tell_passed_over(ui, &server_look, client_look.as_ref());
    let sights: Vec<&dyn InstallView> = std::iter::once(&server_look as &dyn InstallView)
        .chain(client_look.as_ref().map(|look| look as &dyn InstallView))
        .collect();
    let mut answers = Answers { game: arguments.game.clone(), ..Answers::default() };
    let folder = folder_name(server.1.as_ref(), &arguments.server);
    let mut drafted = draft(&folder, &sights, &answers);
    if arguments.ask && ask(env, ui, &drafted, &mut answers)? {
        drafted = draft(&folder, &sights, &answers);
    }
    let (mut tried, mut proof) = try_out(&drafted, &server, client.as_ref())?;
    // What can't be leads to the next best: a list that would be put in another order is not one whose order counts.
    answers.unordered = proof.out_of_order();
    if !answers.unordered.is_empty() {
        let next_best = draft(&folder, &sights, &answers);
        let (tried_again, proof_again) = try_out(&next_best, &server, client.as_ref())?;
        if proof_again.number() < proof.number() {
            (drafted, tried, proof) = (next_best, tried_again, proof_again);
        }
    }
    drafted.rulebook = with_doubts(&drafted.rulebook, &proof);
    if let Some(file) = &output {
        write_whole(file, &drafted.rulebook)?;
    }
    let all_told = tried.iter().all(|tried| tried.unidentified.is_empty());
    let good = tried.iter().any(|tried| tried.mods > 0) && all_told && proof.doubts.is_empty();
    match (env.format, &output) {
        (Format::Json, _) => ui.json(&Report { draft: &drafted, surveyed: &tried, proof: ToldProof::from(&proof) })?,
        (Format::Text, Some(_)) => {
            ui.report(&render::learn::text(&drafted, (&tried, &proof), arguments.output.as_deref()));
        }
        (Format::Text, None) => {
            ui.notice(render::learn::text(&drafted, (&tried, &proof), None).trim_end());
            ui.report(&drafted.rulebook);
        }
    }
    Ok(Outcome::of(good))
}

/// The draft with what speaks against it at its head: whoever has the file alone is to know.
fn with_doubts(rulebook: &str, proof: &Proof) -> String {
    let doubts = proof.doubts.iter().filter(|doubt| !matches!(doubt, Doubt::NoMods(_)));
    let told: String = doubts
        .map(|doubt| format!("# LOOK AT THIS: {}\n#     {}\n", words::text(doubt), words::look_at(doubt)))
        .collect();
    if told.is_empty() {
        return rulebook.to_owned();
    }
    // Behind the format and the line that says what this is.
    let (head, rest) = rulebook.split_at(rulebook.split_inclusive('\n').take(2).map(str::len).sum());
    format!("{head}# On the installs that it was made of it is not in order yet:\n{told}{rest}")
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

fn tell_passed_over(ui: &Ui, server: &InstallFolder<'_>, client: Option<&InstallFolder<'_>>) {
    let passed_over = server.passed_over + client.map_or(0, |look| look.passed_over);
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
fn try_out(
    drafted: &Draft,
    server: &(String, Arc<dyn Install>),
    client: Option<&(String, Arc<dyn Install>)>,
) -> Result<(Vec<Tried>, Proof), Failure> {
    // A draft without a shelf is a form to fill in, not a rulebook yet.
    let Ok(parsed) = rulebook::parse("the draft", &drafted.rulebook) else {
        if drafted.rulebook.contains("\n[[shelf]]") {
            let bad =
                rulebook::parse("the draft", &drafted.rulebook).err().map(|bad| bad.to_string()).unwrap_or_default();
            return Err(Failure::plain(format!("the draft has a mistake, which is Kanon's own: {bad}"))
                .hint("please report it with the layout of the folder"));
        }
        let doubts = vec![Doubt::NoMods(Role::Server)];
        return Ok((Vec::new(), Proof { doubts, ..Proof::default() }));
    };
    let installs = std::iter::once((server, Role::Server)).chain(client.map(|client| (client, Role::Client)));
    let (mut tried, mut surveys) = (Vec::new(), Vec::new());
    for ((name, install), role) in installs {
        let survey = surveyed(name, install.as_ref(), role, &parsed.value)?;
        tried.push(survey.as_ref().map_or_else(|| nothing(name, role), |survey| tried_by(name, survey)));
        surveys.extend(survey);
    }
    Ok((tried, prove(&parsed.value, &surveys, &drafted.seen)))
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
