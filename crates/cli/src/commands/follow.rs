//! `kanon follow`: the player's one command. Verifies the release, and aligns the game with it.

use std::path::{Path, PathBuf};

use kanon_app::alignment::{Concluded, Opened, Planned, Wanted};
use kanon_app::error::AppError;
use kanon_app::followed_games;
use kanon_app::following::{FolderLooks, Game, OptionalChoices, forget_fetched};
use kanon_app::session::{SOON_DAYS, Session, Surveyed};
use kanon_core::base::finding::{Finding, Severity, in_line};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::release::Invite;
use kanon_core::canon::release::scope::scope;
use kanon_core::plan::Plan;
use kanon_core::rulebook::Role;
use kanon_io::following::Following;
use kanon_io::prune::Pruned;
use kanon_io::release::{Fetched, days_until};
use serde::Serialize;

use super::align::{held_at, refuse_unknown_licences};
use super::followed::{followed_by, put_back, report};
use crate::Outcome;
use crate::arguments::{Follow, Format};
use crate::asking::player_agreed;
use crate::env::{Env, day_of};
use crate::failure::Failure;
use crate::render::{self, BOLD, GOOD, size, styled};
use crate::ui::Ui;
use crate::words::players;
use crate::words::steps::ToldStep;
use crate::words::tongue::{Tongue, at};

/// What following a release came to.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    install: &'a str,
    folder: String,
    release: u64,
    published: &'a str,
    ends: String,
    /// Whether the place could not be reached, so that the last release seen counts.
    stale: bool,
    fetched: Fetched,
    steps: Vec<ToldStep>,
    /// Whether they were carried out.
    done: bool,
    in_line: bool,
    findings: &'a [Finding],
}

pub fn run(arguments: &Follow, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    if let Some(name) = &arguments.put_back {
        return put_back(&followed_by(arguments, env)?, name, (env, ui));
    }
    if let Some(file) = &arguments.report {
        return report(&followed_by(arguments, env)?, &env.machine.folder.join(file), (env, ui));
    }
    let (invite, folder) = meant(arguments)?;
    let game = Game::find(&env.machine, invite, folder.as_deref())?;
    let lock = if arguments.check { None } else { game.lock_if_known(&env.machine)? };
    let mut news = game.refresh(&env.machine, arguments.clock_is_right)?;
    if let Some((address, reason)) = &news.stale {
        ui.notice(&env.tongue.with("unreachable", [at("address", address), at("reason", reason.to_string())]));
    }
    let env = env.working_in(&game.folder);
    let following = news.workspace.following().cloned().ok_or_else(|| Failure::plain("nothing is followed"))?;
    let session = Session::of_game(&env.machine, ui, news.workspace.clone())?;
    if let Some(looks) = news.looks.take() {
        refuse_other_folders((looks, &game.folder), &session.loaded.rulebook.game, arguments, (&env, ui))?;
    }
    let canon = session.canon()?;
    let name = session.install_names()?.remove(0);
    let wanted = Wanted::from(&arguments.consent);
    refuse_unknown_licences(&session, &wanted.said)?;
    tell_release(&following, &canon.name, &env, ui);
    if !may_reach(&game, &session, arguments, (&env, ui))? {
        return Ok(Outcome::Findings);
    }
    let mut opened = Opened::open(session, &name, canon, None)?;
    if !arguments.check {
        opened.at.refuse_busy()?;
        if !finish(&mut opened, arguments, &wanted, (&env, ui))? {
            return Ok(Outcome::Findings);
        }
    }
    let (mut job, choices) = choose(opened, arguments, &wanted, (&game, &env, ui))?;
    if env.format == Format::Text && !arguments.check {
        ui.report(&told_plan((&job.opened, &job.plan, &job.surveyed), &env));
    }
    job.settle_orphans(!arguments.check)?;
    tell_other_game(&job, (&env.tongue, ui));
    let goes_on = !arguments.check
        && job.orphans.is_empty()
        && (!job.has_work() || player_agreed(arguments.yes, &env, ui, &env.tongue.say("ask-do"), Some("--check"))?);
    let mut concluded = if goes_on {
        let lock = lock.map_or_else(|| game.lock(&env.machine), Ok)?;
        game.settle(&news, &mut job.opened.at.session)?;
        choices.keep()?;
        followed_games::remember(&env.machine, &game.folder);
        if job.has_work() {
            job.fetch()?;
            if !may_bring_programs(&job, arguments, (&env, ui))? {
                return Ok(Outcome::Findings);
            }
        }
        let concluded = job.carry_out(&wanted)?;
        forget_fetched(&concluded.opened)?;
        drop(lock);
        concluded
    } else {
        job.leave()
    };
    let again = game.again(goes_on, &env.machine);
    concluded.opened.at.session.mends_by = Some(again.clone());
    conclude(&concluded, arguments, (&following, news.stale.is_some(), &again), (&env, ui))
}

/// The invite and the folder that were typed: where there is only one word, it can be either.
fn meant(arguments: &Follow) -> Result<(Option<Invite>, Option<PathBuf>), Failure> {
    match (&arguments.invite, &arguments.folder) {
        (Some(invite), folder) if Invite::is_meant(invite) || folder.is_some() => {
            let invite = Invite::parse(invite).map_err(AppError::NoInvite)?;
            Ok((Some(invite), Some(folder.clone().unwrap_or_else(|| PathBuf::from(".")))))
        }
        (folder, other) => Ok((None, other.clone().or_else(|| folder.as_ref().map(PathBuf::from)))),
    }
}

/// A folder of something else must not get a game's mods by a slip of the pen; an empty one may be a new game's.
fn refuse_other_folders(
    (looks, folder): (FolderLooks, &Path),
    game: &str,
    arguments: &Follow,
    (env, ui): (&Env, &Ui),
) -> Result<(), Failure> {
    match looks {
        FolderLooks::Game => Ok(()),
        FolderLooks::PartOf(root) if !arguments.anyway => {
            let shown = |folder: &Path| printable(&folder.display().to_string());
            let (folder, root) = (shown(folder), shown(&root));
            Err(Failure::plain(format!("{folder} lies inside of the game, whose own folder is {root}"))
                .hint(format!("name that one: kanon follow \"INVITE\" \"{root}\"")))
        }
        FolderLooks::Other(error) if !arguments.anyway => {
            let question = env.tongue.with("ask-anyway", [at("error", error.to_string())]);
            let may_ask = env.machine.can_ask && !arguments.yes;
            if may_ask && player_agreed(false, env, ui, &question, None)? {
                return Ok(());
            }
            Err(Failure::from(error)
                .hint("name the game's folder behind the invite; if this is it all the same, add --anyway"))
        }
        FolderLooks::New | FolderLooks::PartOf(_) | FolderLooks::Other(_) => {
            ui.notice(&env.tongue.with("nothing-yet", [at("game", printable(game))]));
            Ok(())
        }
    }
}

/// Whether the game may follow this release, where it followed another, and whether its rulebook may govern what it does:
/// told at first, and whenever the rulebook is another.
fn may_reach(game: &Game, session: &Session<'_>, arguments: &Follow, (env, ui): (&Env, &Ui)) -> Result<bool, Failure> {
    if let Some(before) = game.followed_before() {
        ui.notice(&env.tongue.with("followed-before", [at("invite", printable(before))]));
        let question = env.tongue.say("ask-other");
        if !arguments.check && !player_agreed(arguments.yes, env, ui, &question, Some("--check"))? {
            return Ok(false);
        }
    }
    if game.was_told(session) {
        return Ok(true);
    }
    let scope = scope(&session.loaded.rulebook, Role::Client);
    ui.notice(&render::follow::places(&env.tongue, &scope));
    if !scope.has_root {
        return Ok(true);
    }
    let what = env.tongue.say("root-beyond");
    agreed_beyond(arguments, (env, ui), &what, &env.tongue.say("ask-root"))
}

/// Plans, with the optional mods that whoever plays here wants: each is asked about once.
fn choose<'e>(
    opened: Opened<'e>,
    arguments: &Follow,
    wanted: &Wanted,
    (game, env, ui): (&Game, &Env, &Ui),
) -> Result<(Planned<'e>, OptionalChoices), Failure> {
    let mut choices = game.choices()?;
    for (names, is_wanted) in [(&arguments.with, true), (&arguments.without, false)] {
        names.iter().try_for_each(|name| choices.say(&opened, name, is_wanted))?;
    }
    let mut job = choices.plan(opened, wanted)?;
    let mut is_new = false;
    if env.machine.can_ask && !arguments.yes && !arguments.check {
        let unasked = job.absent_optional().filter(|sealed| !choices.knows(&sealed.manifest.id));
        let unasked: Vec<(FoldedId, String)> = unasked
            .map(|sealed| {
                let title = sealed.manifest.title.as_deref().unwrap_or(sealed.manifest.id.as_str());
                (sealed.manifest.id.clone(), format!("{} ({})", printable(title), size(sealed.bytes())))
            })
            .collect();
        for (id, title) in unasked {
            let question = env.tongue.with("ask-optional", [at("mod", title)]);
            let is_wanted = player_agreed(false, env, ui, &question, None)?;
            is_new |= is_wanted;
            choices.answer(id, is_wanted);
        }
    }
    if is_new {
        job = choices.plan(job.opened, wanted)?;
    }
    Ok((job, choices))
}

/// What was cut off is finished first. Says whether to go on.
fn finish(job: &mut Opened<'_>, arguments: &Follow, wanted: &Wanted, (env, ui): (&Env, &Ui)) -> Result<bool, Failure> {
    let Some(unfinished) = &job.unfinished else { return Ok(true) };
    let tongue = &env.tongue;
    ui.notice(&tongue.with("interrupted", [at("done", unfinished.steps_done), at("all", unfinished.steps.len())]));
    if !player_agreed(arguments.yes, env, ui, &tongue.say("ask-finish"), Some("--check"))? {
        return Ok(false);
    }
    job.finish(wanted)?;
    Ok(true)
}

/// What no mod can mend is told before anything is fetched: another version of the game, or of what loads its mods.
fn tell_other_game(job: &Planned<'_>, (tongue, ui): (&Tongue, &Ui)) {
    let (canon, install) = (&job.opened.canon, &job.surveyed.survey.install);
    let others = [
        ("what-game", &canon.game_version, &install.game_version),
        ("what-loader", &canon.loader_version, &install.loader_version),
        ("what-runtime", &canon.runtime_version, &install.runtime_version),
    ];
    for (what, wanted, found) in others {
        let (Some(wanted), Some(found)) = (wanted, found) else { continue };
        if !job.opened.at.session.loaded.rulebook.versions.same(wanted, found) {
            let places = [at("what", tongue.say(what)), at("here", printable(found)), at("there", printable(wanted))];
            ui.notice(&tongue.with("other-version", places));
        }
    }
}

/// A question of its own, for what a player would not expect of mods. Off a terminal an option is the only answer.
fn agreed_beyond(arguments: &Follow, (env, ui): (&Env, &Ui), what: &str, question: &str) -> Result<bool, Failure> {
    if arguments.beyond_mods {
        return Ok(true);
    }
    ui.notice(what);
    if arguments.check {
        ui.notice(&env.tongue.say("beyond-later"));
        return Ok(true);
    }
    if !env.machine.can_ask {
        ui.notice(&env.tongue.say("beyond-nobody"));
        return Ok(false);
    }
    player_agreed(false, env, ui, question, None)
}

/// Files that an alignment would write or change outside the folders of mods, and that are programs by what is in them or by
/// name. They are only known once they are here.
fn may_bring_programs(job: &Planned<'_>, arguments: &Follow, (env, ui): (&Env, &Ui)) -> Result<bool, Failure> {
    let programs = job.programs_beyond_mods()?;
    if programs.is_empty() {
        return Ok(true);
    }
    let named: Vec<String> = programs.iter().map(|path| format!("  {}", printable(path.as_str()))).collect();
    let count = env.tongue.with("programs", [at("count", programs.len())]);
    let what = format!("{}\n{}", env.tongue.with("programs-beyond", [at("programs", count)]), named.join("\n"));
    agreed_beyond(arguments, (env, ui), &what, &env.tongue.say("ask-trust"))
}

fn tell_release(following: &Following, name: &str, env: &Env, ui: &Ui) {
    let day = |time: &str| time.split('T').next().unwrap_or(time).to_owned();
    if env.format == Format::Text {
        let number = env.tongue.with("release-number", [at("number", following.release.to_string())]);
        let places = [
            at("release", styled(BOLD, &number)),
            at("name", printable(name)),
            at("day", printable(&day(&following.published))),
        ];
        ui.report(&format!("{}\n", env.tongue.with("release", places)));
    }
    let left = days_until(following.ends, env.machine.now().timestamp());
    if left < SOON_DAYS {
        let ends = day_of(following.ends);
        ui.notice(&env.tongue.with("ends-soon", [at("day", ends)]));
    }
}

fn conclude(
    job: &Concluded<'_>,
    arguments: &Follow,
    (following, stale, again): (&Following, bool, &Suggestion),
    (env, ui): (&Env, &Ui),
) -> Result<Outcome, Failure> {
    let held = held_at(&job.opened, &job.surveyed);
    let good = in_line(&held.findings) && job.is_all();
    let here = &job.opened.at;
    match env.format {
        Format::Json => ui.json(&Report {
            format: "kanon-following/1",
            install: &here.placed.name,
            folder: env.machine.folder.display().to_string(),
            release: following.release,
            published: &following.published,
            ends: following.ends.to_string(),
            stale,
            fetched: here.session.fetched,
            steps: job.plan.steps.iter().map(ToldStep::from).collect(),
            done: job.carried.is_some(),
            in_line: in_line(&held.findings),
            findings: &held.findings,
        })?,
        Format::Text => {
            let mut text = fetched(&env.tongue, here.session.fetched);
            if arguments.check && !good {
                text.push_str(&told_plan((&job.opened, &job.plan, &job.surveyed), env));
            }
            let has_left = job.is_all() || good;
            let left: Vec<Finding> = held.findings.into_iter().filter(|finding| is_left(finding, has_left)).collect();
            if has_left || !left.is_empty() {
                let names = (here.placed.name.as_str(), job.opened.canon.name.as_str());
                text.push_str(&players::done(&env.tongue, names, job.carried.is_some(), &left));
            }
            text.push_str(&what_next(job, (good, stale), again, env));
            if let Some(carried) = &job.carried {
                if env.verbose {
                    let folder = here.backup_shown(carried.id).to_string();
                    text.push_str(&format!("{}\n", env.tongue.with("kept-in", [at("folder", folder)])));
                }
                text.push_str(&pruned(&env.tongue, &carried.pruned, env.machine.kept_backups()));
            }
            ui.report(&text);
        }
    }
    Ok(Outcome::of(good))
}

/// What to type later, or to start.
fn what_next(job: &Concluded<'_>, (good, stale): (bool, bool), again: &Suggestion, env: &Env) -> String {
    let mut lines: Vec<String> = Vec::new();
    if env.in_dialogue {
        lines.extend(job.carried.as_ref().map(|_| env.tongue.say("join-again")));
        // What could not be asked today is not promised.
        lines.extend(good.then(|| env.tongue.say(if stale { "join-as-known" } else { "join-ready" })));
        return lines.iter().map(|line| format!("{line}\n")).collect();
    }
    if job.carried.is_some() {
        let undo =
            Suggestion::new("undo").word(job.opened.at.placed.name.as_str()).led_by(env.machine.typed()).to_string();
        lines.push(env.tongue.with("take-back", [at("command", undo)]));
    }
    if good && job.carried.is_some() {
        lines.push(env.tongue.with("after-update", [at("command", again.to_string())]));
    } else if !good && job.leaves_work {
        lines.push(env.tongue.with("do-this", [at("command", again.to_string())]));
    }
    lines.iter().map(|line| format!("{line}\n")).collect()
}

/// What the game needs, as a player reads it; each step too, if more is to be told.
fn told_plan((opened, plan, surveyed): (&Opened<'_>, &Plan, &Surveyed), env: &Env) -> String {
    let name = &opened.at.placed.name;
    if plan.steps.is_empty() {
        let in_line = in_line(&held_at(opened, surveyed).findings);
        return render::align::plan(name, plan, (in_line, env.verbose));
    }
    let mut text = players::plan(&env.tongue, name, plan, (&opened.canon, &surveyed.survey));
    if env.verbose {
        text.push_str(&format!("\n{}", render::align::plan(name, plan, (true, true))));
    }
    text
}

/// Whether a finding is left once all that can be done is: those of a game that is not in line, but for what another run mends.
fn is_left(finding: &Finding, all_is_done: bool) -> bool {
    let is_mended = finding.remedy.command().is_some_and(Suggestion::brings_in_line);
    finding.severity != Severity::Note && (all_is_done || !is_mended)
}

/// Backups that went by the player's own rule.
fn pruned(tongue: &Tongue, pruned: &Pruned, kept: u32) -> String {
    match pruned.alignments.is_empty() {
        true => String::new(),
        false => {
            format!("{}\n", tongue.with("backups-gone", [at("size", size(pruned.bytes)), at("count", kept as usize)]))
        }
    }
}

fn fetched(tongue: &Tongue, fetched: Fetched) -> String {
    if fetched == Fetched::default() {
        return String::new();
    }
    let files = tongue.with("files", [at("count", fetched.files)]);
    let word = styled(GOOD, &tongue.say("word-fetched"));
    let told = tongue.with("fetched", [at("word", word), at("size", size(fetched.bytes)), at("files", files)]);
    match fetched.reused {
        0 => format!("\n{told}"),
        bytes => format!("\n{told}; {}", tongue.with("fetched-reused", [at("size", size(bytes))])),
    }
}
