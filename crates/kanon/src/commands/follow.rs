//! `kanon follow`: the player's one command. Verifies the release, and aligns the game with it.

use std::path::{Path, PathBuf};

use kanon_core::align::Step;
use kanon_core::digest::Blake3;
use kanon_core::finding::{Finding, in_line};
use kanon_core::path::printable;
use kanon_core::release::Invite;
use kanon_core::rulebook::{self, Role};
use kanon_reach::error::{During, ReachError};
use kanon_reach::following::{Following, trusted, workspace_of};
use kanon_reach::install::LocalInstall;
use kanon_reach::measure::{self, Beside, Doubt, Request, Sparing, TrustMemory};
use kanon_reach::origin::Origin;
use kanon_reach::progress::Silent;
use kanon_reach::release::{Fetched, Verified, days_until, verify};
use kanon_reach::state::State;
use kanon_reach::workspace::write_whole;
use serde::Serialize;

use super::align::{agreed, conclusion, outcome, refuse_unknown_licences};
use crate::Outcome;
use crate::alignment::{Job, Wanted};
use crate::arguments::{Follow, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{self, BOLD, GOOD, size, styled};
use crate::session::{SOON_DAYS, Session, day_of};
use crate::ui::Ui;

#[derive(Serialize)]
struct Report<'a> {
    format: &'static str,
    install: &'a str,
    folder: String,
    release: u64,
    published: &'a str,
    ends: String,
    /// Whether the place could not be reached, so that the last release seen counts.
    stale: bool,
    fetched: Fetched,
    steps: &'a [Step],
    /// Whether they were carried out.
    done: bool,
    in_line: bool,
    findings: &'a [Finding],
}

/// A game folder and what it follows.
struct Game {
    folder: PathBuf,
    invite: Invite,
    /// What it followed before.
    before: Option<Following>,
}

pub fn run(arguments: &Follow, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let game = Game::find(arguments, env)?;
    let (following, stale) = game.refresh(arguments, env, ui)?;
    remember(env, &game.folder);
    let env = env.working_in(&game.folder);
    let session = Session::in_workspace(&env, ui, false)?;
    let canon = session.canon()?;
    let name = session.install_names()?.remove(0);
    let wanted = Wanted::by(&arguments.consent);
    refuse_unknown_licences(&session, &wanted.said)?;
    tell_release(&following, &canon.name, &env, ui);
    let mut job = Job::open(session, &name, Some(canon), None)?;
    if !arguments.check && !finish(&mut job, arguments, &wanted, (&env, ui))? {
        return Ok(Outcome::Findings);
    }
    job.plan(&wanted)?;
    if env.format == Format::Text && !arguments.check {
        ui.report(&render::align::plan(&name, &job.planned.plan, env.verbose));
    }
    if job.has_work() && !arguments.check && goes_on(arguments, &env, ui, "Do this?")? {
        job.carry_out(&wanted)?;
        forget_fetched(&job)?;
    }
    conclude(&job, &following, stale, (&env, ui))
}

/// On a terminal a player is asked; elsewhere, having called this is the answer.
fn goes_on(arguments: &Follow, env: &Env, ui: &Ui, question: &str) -> Result<bool, Failure> {
    agreed(arguments.yes || !env.can_ask, env, ui, question)
}

/// What was cut off is finished first. Says whether to go on.
fn finish(job: &mut Job<'_>, arguments: &Follow, wanted: &Wanted, (env, ui): (&Env, &Ui)) -> Result<bool, Failure> {
    let Some(unfinished) = &job.unfinished else { return Ok(true) };
    ui.notice(&format!(
        "the last run was interrupted after {} of {} steps; it is finished first",
        unfinished.steps_done,
        unfinished.steps.len()
    ));
    if !goes_on(arguments, env, ui, "Finish it?")? {
        return Ok(false);
    }
    job.finish(wanted).map(|_| true)
}

impl Game {
    fn find(arguments: &Follow, env: &Env) -> Result<Self, Failure> {
        let (invite, folder) = match (&arguments.invite, &arguments.folder) {
            (Some(invite), folder) if Invite::is_meant(invite) || folder.is_some() => {
                let invite = Invite::parse(invite)
                    .map_err(|error| Failure::from_words(&error).hint("ask whoever invited you for the whole line"))?;
                (Some(invite), Some(folder.clone().unwrap_or_else(|| PathBuf::from("."))))
            }
            (folder, _) => (None, folder.clone().map(PathBuf::from)),
        };
        let folder = match folder {
            Some(folder) => env.folder.join(folder),
            None => followed_folder(env)?,
        };
        if !folder.is_dir() {
            return Err(Failure::plain(format!("{} is no folder", printable(&folder.display().to_string())))
                .hint("name the game's folder; or give the invite whole, in quotes: kanon follow \"…#kanon-1-…\""));
        }
        let folder =
            folder.canonicalize().map_err(|error| Failure::plain("could not find the folder").because(error))?;
        let before = Following::read(&workspace_of(&folder))?;
        let invite = match (invite, &before) {
            (Some(invite), _) => invite,
            (None, Some(before)) => before.invite(&workspace_of(&folder))?,
            (None, None) => {
                let folder = printable(&folder.display().to_string());
                return Err(Failure::plain(format!("{folder} follows no release yet"))
                    .hint("the first time, the invite is needed: kanon follow \"INVITE\" FOLDER"));
            }
        };
        Ok(Self { folder, invite, before })
    }

    /// Verifies what is published now. Where the place can't be reached, what was verified the last time counts.
    fn refresh(&self, arguments: &Follow, env: &Env, ui: &Ui) -> Result<(Following, bool), Failure> {
        let workspace = workspace_of(&self.folder);
        let origin = Origin::open(&self.invite.address, &env.folder, env.patience())?;
        let same = self.before.as_ref().filter(|before| before.invite == self.invite.to_string());
        // A folder that never followed anything is touched only once everything is known to be right.
        let first =
            tempfile::tempdir().map_err(|error| Failure::plain("could not make a temporary folder").because(error))?;
        let kept = if self.before.is_some() { trusted(&workspace) } else { first.path().to_owned() };
        let verified = match (verify(&origin, &self.invite, &kept), same) {
            (Ok(verified), _) => verified,
            (Err(ReachError::Unreachable { address, reason }), Some(same)) => {
                ui.notice(&format!("note: {address} can't be reached ({reason}); what it said the last time counts"));
                return Ok((same.clone(), true));
            }
            (Err(error), _) => return Err(error.into()),
        };
        if self.before.is_none() {
            self.refuse_other_folders(&verified, arguments, (env, ui))?;
        }
        let following = Following::write(&workspace, &verified, &self.invite, &self.install_name())?;
        if self.before.is_none() {
            take_over(first.path(), &trusted(&workspace))?;
        }
        if let Some(before) = self.before.as_ref().filter(|_| same.is_none()) {
            ui.notice(&format!("note: until now it followed {}", printable(&before.invite)));
        }
        Ok((following, false))
    }

    /// A folder of something else must not get a game's mods by a slip of the pen; an empty one may be a new game's.
    fn refuse_other_folders(
        &self,
        verified: &Verified,
        arguments: &Follow,
        (env, ui): (&Env, &Ui),
    ) -> Result<(), Failure> {
        let rulebook = rulebook::parse("game.rulebook.toml", &verified.rulebook).map_err(ReachError::from)?.value;
        let install = LocalInstall::open(&self.folder)?;
        let is_empty = std::fs::read_dir(&self.folder).is_ok_and(|mut entries| entries.next().is_none());
        // Where only the mods' own folders would show the game, a new game shows nothing yet.
        let loader = rulebook.loader.iter().flat_map(|loader| &loader.version);
        let would_show = rulebook.base.version.iter().chain(loader).next().is_some();
        let request = Request {
            name: "",
            role: Role::Client,
            rulebook: &rulebook,
            rulebook_digest: Blake3::of(verified.rulebook.as_bytes()),
            trust: TrustMemory::Yes,
            sparing: Sparing::default(),
            beside: Beside::default(),
            doubt: Doubt::WithoutSigns,
        };
        match measure::survey(&install, request, &mut State::in_memory()?, &Silent) {
            Err(ReachError::NotThisGame { .. }) if is_empty || !would_show || arguments.anyway => {
                ui.notice(&format!("note: nothing of {} is in this folder yet", rulebook.game));
                Ok(())
            }
            Err(error @ ReachError::NotThisGame { .. }) => {
                if env.can_ask
                    && !arguments.yes
                    && agreed(false, env, ui, &format!("{error}. Is it the game's folder all the same?"))?
                {
                    return Ok(());
                }
                Err(Failure::from(error)
                    .hint("name the game's folder behind the invite; if this is it all the same, add --anyway"))
            }
            measured => Ok(measured.map(drop)?),
        }
    }

    fn install_name(&self) -> String {
        let name = self.folder.file_name().map(|name| name.to_string_lossy().into_owned());
        name.unwrap_or_else(|| "game".to_owned())
    }
}

fn take_over(from: &Path, to: &Path) -> Result<(), ReachError> {
    std::fs::create_dir_all(to).during("make the folder", to)?;
    for entry in std::fs::read_dir(from).during("read", from)?.flatten().filter(|entry| entry.path().is_file()) {
        let text = std::fs::read_to_string(entry.path()).during("read", &entry.path())?;
        write_whole(&to.join(entry.file_name()), &text)?;
    }
    Ok(())
}

/// The file that lists the folders that follow something, one on each line.
fn followed_list(env: &Env) -> Option<PathBuf> {
    Some(env.config()?.join("followed"))
}

fn followed(env: &Env) -> Vec<PathBuf> {
    let text = followed_list(env).and_then(|list| std::fs::read_to_string(list).ok()).unwrap_or_default();
    let folders = text.lines().map(PathBuf::from);
    folders.filter(|folder| Following::read(&workspace_of(folder)).is_ok_and(|following| following.is_some())).collect()
}

/// Later runs need no argument. Where nothing can be remembered, they need the folder.
fn remember(env: &Env, folder: &Path) {
    let known = followed(env);
    let Some(list) = followed_list(env).filter(|_| !known.iter().any(|other| other == folder)) else { return };
    let lines = known.iter().map(PathBuf::as_path).chain([folder]).map(|folder| format!("{}\n", folder.display()));
    let made = list.parent().is_some_and(|parent| std::fs::create_dir_all(parent).is_ok());
    if made {
        drop(write_whole(&list, &lines.collect::<String>()));
    }
}

/// The game folder that is meant where none is named: the one we are in, or the only one that follows anything.
fn followed_folder(env: &Env) -> Result<PathBuf, Failure> {
    let here = env.folder.ancestors().find(|folder| workspace_of(folder).join("following.json").is_file());
    if let Some(here) = here {
        return Ok(here.to_owned());
    }
    match followed(env).as_slice() {
        [only] => Ok(only.clone()),
        [] => Err(Failure::plain("nothing is followed yet")
            .hint("the first time, the invite is needed: kanon follow \"INVITE\" FOLDER")),
        several => {
            let several: Vec<String> = several.iter().map(|folder| folder.display().to_string()).collect();
            Err(Failure::plain("several games follow releases")
                .hint(format!("name the folder of one: {}", several.join(", "))))
        }
    }
}

fn tell_release(following: &Following, name: &str, env: &Env, ui: &Ui) {
    let day = |time: &str| time.split('T').next().unwrap_or(time).to_owned();
    if env.format == Format::Text {
        ui.report(&format!(
            "{} of {}, published on {}\n",
            styled(BOLD, &format!("release {}", following.release)),
            printable(name),
            printable(&day(&following.published))
        ));
    }
    let left = days_until(following.ends, env.now().timestamp());
    if left < SOON_DAYS {
        let ends = day_of(following.ends);
        ui.notice(&format!(
            "note: its signatures end on {ends}; tell whoever invited you that it must be published anew"
        ));
    }
}

/// What was fetched is in the game by now: the copies that it was fetched into are not needed twice.
fn forget_fetched(job: &Job<'_>) -> Result<(), Failure> {
    let canon = job.canon()?;
    let rulebook = &job.session.loaded.rulebook;
    let stays = |shelf: &str| rulebook.shelf(shelf).is_some_and(|shelf| shelf.laid_into.is_some());
    let store = job.session.workspace()?.store();
    let files = canon.mods.iter().filter(|sealed| !stays(&sealed.shelf)).flat_map(|sealed| &sealed.files);
    for digest in files.map(|file| file.blake3).chain(canon.keys.iter().map(|key| key.blake3)) {
        let file = store.join(digest.to_string());
        if file.is_file() {
            std::fs::remove_file(&file).during("remove", &file)?;
        }
    }
    Ok(())
}

fn conclude(job: &Job<'_>, following: &Following, stale: bool, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let (held, done) = outcome(job);
    let mut held = held.ok_or_else(|| Failure::plain("nothing was measured"))?;
    for finding in &mut held.findings {
        if finding.remedy.starts_with("kanon align") {
            finding.remedy = env.command("follow");
        }
    }
    let good = in_line(&held.findings) && done;
    match env.format {
        Format::Json => ui.json(&Report {
            format: "kanon-following/1",
            install: &job.placed.name,
            folder: env.folder.display().to_string(),
            release: following.release,
            published: &following.published,
            ends: following.ends.to_string(),
            stale,
            fetched: job.session.fetched,
            steps: &job.planned.plan.steps,
            done: job.carried.is_some(),
            in_line: in_line(&held.findings),
            findings: &held.findings,
        })?,
        Format::Text => {
            let mut text = fetched(job.session.fetched);
            text.push_str(&match job.carried.is_some() || good {
                true => conclusion(job, Some(&held), done),
                false => render::check::Report::new(vec![held], Vec::new()).text(&job.canon()?.name),
            });
            if good && job.carried.is_some() {
                text.push_str(&format!("after the next update: {}\n", env.command("follow")));
            }
            ui.report(&text);
        }
    }
    Ok(Outcome::of(good))
}

fn fetched(fetched: Fetched) -> String {
    if fetched == Fetched::default() {
        return String::new();
    }
    let reused = match fetched.reused {
        0 => String::new(),
        bytes => format!("; {} of pieces were here already", size(bytes)),
    };
    let files = render::count(fetched.files, "file");
    format!("\n{}: {} for {files}{reused}", styled(GOOD, "fetched"), size(fetched.bytes))
}
