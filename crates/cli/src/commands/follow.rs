//! `kanon follow`: the player's one command. Verifies the release, and aligns the game with it.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use kanon_core::base::digest::Blake3;
use kanon_core::base::finding::{Finding, Severity, in_line};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::{InstallPath, printable};
use kanon_core::base::suggestion::Suggestion;
use kanon_core::canon::release::scope::scope;
use kanon_core::canon::release::{Invite, RULEBOOK};
use kanon_core::rulebook::{self, Role, Rulebook};
use kanon_io::claim::take_lock;
use kanon_io::error::{During, ReachError};
use kanon_io::following::{Choices, Following, Prepared, followed_game, trusted, workspace_of};
use kanon_io::install::LocalInstall;
use kanon_io::measure::{self, GameCheck, OutsideShelves, RemoteHints, Request, TrustMemory, is_game_around};
use kanon_io::origin::Origin;
use kanon_io::progress::Silent;
use kanon_io::prune::Pruned;
use kanon_io::release::{Fetched, Verified, days_until, forget_time, verify};
use kanon_io::state::State;
use kanon_io::workspace::{WISHES, Workspace};
use kanon_io::writing::write_whole;
use serde::Serialize;
use tempfile::TempDir;

use super::align::{outcome, refuse_unknown_licences};
use super::followed::{claimant, followed_by, followed_folder, put_back, remember, report};
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
use kanon_app::alignment::{AlignmentRun, Wanted};
use kanon_app::session::{SOON_DAYS, Session};

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

/// A game folder and what it follows.
struct Game {
    folder: PathBuf,
    invite: Invite,
    /// What it followed before.
    before: Option<Following>,
}

/// What is known of the release now.
struct News {
    /// The game's workspace as it will be.
    workspace: Workspace,
    /// Whether the place could not be reached, so that the last release seen counts.
    stale: bool,
    /// Where what was verified lies until somebody has agreed, for a game that did not follow this release before.
    unsettled: Option<TempDir>,
}

pub fn run(arguments: &Follow, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    if let Some(name) = &arguments.put_back {
        return put_back(&followed_by(arguments, env)?, name, (env, ui));
    }
    if let Some(file) = &arguments.report {
        return report(&followed_by(arguments, env)?, &env.machine.folder.join(file), (env, ui));
    }
    let game = Game::find(arguments, env)?;
    let lock = if arguments.check { None } else { game.lock(env)? };
    let news = game.refresh(arguments, env, ui)?;
    let env = env.working_in(&game.folder);
    let following = news.workspace.following().cloned().ok_or_else(|| Failure::plain("nothing is followed"))?;
    let session = Session::of_game(&env.machine, ui, news.workspace.clone())?;
    let canon = session.canon()?;
    let name = session.install_names()?.remove(0);
    let wanted = Wanted::from(&arguments.consent);
    refuse_unknown_licences(&session, &wanted.said)?;
    tell_release(&following, &canon.name, &env, ui);
    if !game.may_reach(&session, arguments, (&env, ui))? {
        return Ok(Outcome::Findings);
    }
    let mut job = AlignmentRun::open(session, &name, Some(canon), None)?;
    if !arguments.check {
        job.refuse_busy()?;
        if !finish(&mut job, arguments, &wanted, (&env, ui))? {
            return Ok(Outcome::Findings);
        }
    }
    let choices = choose(&mut job, arguments, &wanted, (&game, &env, ui))?;
    if env.format == Format::Text && !arguments.check {
        ui.report(&told_plan(&job, &env)?);
    }
    job.settle_orphans(!arguments.check)?;
    tell_other_game(&job, (&env.tongue, ui))?;
    let goes_on = !arguments.check
        && job.planned.orphans.is_empty()
        && (!job.has_work() || player_agreed(arguments.yes, &env, ui, &env.tongue.say("ask-do"), Some("--check"))?);
    if goes_on {
        let lock = lock.map_or_else(|| game.lock_of(&env), |lock| Ok(Some(lock)))?;
        game.settle(&news, &mut job)?;
        if !choices.optional.is_empty() {
            choices.write(&workspace_of(&game.folder))?;
        }
        remember(&env, &game.folder);
        if job.has_work() {
            job.fetch()?;
            if !may_bring_programs(&job, arguments, (&env, ui))? {
                return Ok(Outcome::Findings);
            }
            job.carry_out(&wanted)?;
        }
        forget_fetched(&job)?;
        drop(lock);
    }
    let again = game.again(goes_on, &env);
    job.session.mends_by = Some(again.clone());
    conclude(&job, arguments, (&following, news.stale, &again), (&env, ui))
}

/// Plans, with the optional mods that whoever plays here wants: each is asked about once.
fn choose(
    job: &mut AlignmentRun<'_>,
    arguments: &Follow,
    wanted: &Wanted,
    (game, env, ui): (&Game, &Env, &Ui),
) -> Result<Choices, Failure> {
    let mut choices = Choices::read(&workspace_of(&game.folder))?;
    let optional: BTreeSet<FoldedId> = job.optional().map(|sealed| sealed.manifest.id.clone()).collect();
    for (names, is_wanted) in [(&arguments.with, true), (&arguments.without, false)] {
        for name in names {
            let id = FoldedId::from(name.as_str());
            if !optional.contains(&id) {
                let named = FoldedId::joined(&optional, ", ");
                let known = if named.is_empty() {
                    "no mod of this release is".to_owned()
                } else {
                    format!("these are: {named}")
                };
                return Err(Failure::plain(format!("{} is no optional mod", printable(name))).hint(known));
            }
            choices.optional.insert(id, is_wanted);
        }
    }
    job.want(&choices.wanted());
    job.plan(wanted)?;
    let mut is_new = false;
    if env.machine.can_ask && !arguments.yes && !arguments.check {
        let unasked = job.absent_optional().filter(|sealed| !choices.optional.contains_key(&sealed.manifest.id));
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
            choices.optional.insert(id, is_wanted);
        }
    }
    if is_new {
        job.want(&choices.wanted());
        job.plan(wanted)?;
    }
    Ok(choices)
}

/// What was cut off is finished first. Says whether to go on.
fn finish(
    job: &mut AlignmentRun<'_>,
    arguments: &Follow,
    wanted: &Wanted,
    (env, ui): (&Env, &Ui),
) -> Result<bool, Failure> {
    let Some(unfinished) = &job.unfinished else { return Ok(true) };
    let tongue = &env.tongue;
    ui.notice(&tongue.with("interrupted", [at("done", unfinished.steps_done), at("all", unfinished.steps.len())]));
    if !player_agreed(arguments.yes, env, ui, &tongue.say("ask-finish"), Some("--check"))? {
        return Ok(false);
    }
    job.finish(wanted)?;
    Ok(true)
}

/// So many folders above one are looked at for the game that it may lie in.
const GAME_ABOVE: usize = 4;

/// What no mod can mend is told before anything is fetched: another version of the game, or of what loads its mods.
fn tell_other_game(job: &AlignmentRun<'_>, (tongue, ui): (&Tongue, &Ui)) -> Result<(), Failure> {
    let (Some(surveyed), canon) = (&job.planned.surveyed, job.canon()?) else { return Ok(()) };
    let install = &surveyed.survey.install;
    let others = [
        ("what-game", &canon.game_version, &install.game_version),
        ("what-loader", &canon.loader_version, &install.loader_version),
        ("what-runtime", &canon.runtime_version, &install.runtime_version),
    ];
    for (what, wanted, found) in others {
        let (Some(wanted), Some(found)) = (wanted, found) else { continue };
        if !job.session.loaded.rulebook.versions.same(wanted, found) {
            let places = [at("what", tongue.say(what)), at("here", printable(found)), at("there", printable(wanted))];
            ui.notice(&tongue.with("other-version", places));
        }
    }
    Ok(())
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
fn may_bring_programs(job: &AlignmentRun<'_>, arguments: &Follow, (env, ui): (&Env, &Ui)) -> Result<bool, Failure> {
    let programs = job.programs_beyond_mods()?;
    if programs.is_empty() {
        return Ok(true);
    }
    let named: Vec<String> = programs.iter().map(|path| format!("  {}", printable(path.as_str()))).collect();
    let count = env.tongue.with("programs", [at("count", programs.len())]);
    let what = format!("{}\n{}", env.tongue.with("programs-beyond", [at("programs", count)]), named.join("\n"));
    agreed_beyond(arguments, (env, ui), &what, &env.tongue.say("ask-trust"))
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
            Some(folder) => env.machine.folder.join(folder),
            None => followed_folder(env)?,
        };
        if !folder.is_dir() {
            return Err(Failure::plain(format!("{} is no folder", printable(&folder.display().to_string())))
                .hint("name the game's folder; or give the invite whole, in quotes: kanon follow \"…#kanon-1-…\""));
        }
        let folder =
            folder.canonicalize().map_err(|error| Failure::plain("could not find the folder").because(error))?;
        let before = Following::read(&workspace_of(&folder))?;
        refuse_foreign_folders(&folder, before.is_some())?;
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

    /// Verifies what is published now, and writes nothing of it yet. Where the place can't be reached, what was verified the
    /// last time counts.
    fn refresh(&self, arguments: &Follow, env: &Env, ui: &Ui) -> Result<News, Failure> {
        let root = workspace_of(&self.folder);
        let origin = Origin::open(&self.invite.address, &env.machine.folder, &env.machine.access())?;
        let is_same = self.before.as_ref().is_some_and(|before| before.invite == self.invite.to_string());
        // What never was followed here is remembered only once everything is known to be right and somebody has agreed.
        let unsettled = if is_same { None } else { Some(self.seen_before()?) };
        let kept = unsettled.as_ref().map_or_else(|| trusted(&root), |folder| folder.path().to_owned());
        if arguments.clock_is_right {
            forget_time(&kept)?;
        }
        let verified = match verify(&origin, &self.invite, &kept) {
            Ok(verified) => verified,
            Err(ReachError::Unreachable { address, reason }) if is_same => {
                ui.notice(&env.tongue.with("unreachable", [at("address", address), at("reason", reason.to_string())]));
                return Ok(News { workspace: Workspace::open_at(&root)?, stale: true, unsettled: None });
            }
            Err(error) => return Err(error.into()),
        };
        let prepared = Prepared::new(verified, &self.invite, &self.install_name())?;
        if self.before.is_none() {
            self.refuse_other_folders(&prepared.verified, arguments, (env, ui))?;
        }
        let workspace = Workspace::prepared(&self.folder, prepared)?;
        Ok(News { workspace, stale: false, unsettled })
    }

    /// A folder with what was verified of this invite before, should the game have followed it once.
    fn seen_before(&self) -> Result<TempDir, Failure> {
        let made = tempfile::tempdir();
        let folder = made.map_err(|error| Failure::plain("could not make a temporary folder").because(error))?;
        let seen = self.trusted_of(&self.invite.to_string());
        if seen.is_dir() {
            take_over(&seen, folder.path())?;
        }
        Ok(folder)
    }

    /// The command that goes on from here: what is not remembered needs its invite once more.
    fn again(&self, is_remembered: bool, env: &Env) -> Suggestion {
        let command = Suggestion::new("follow").led_by(env.machine.typed());
        let invite = self.invite.to_string();
        if is_remembered || self.before.as_ref().is_some_and(|before| before.invite == invite) {
            return command;
        }
        command.word(invite)
    }

    /// Where what was verified of a release is kept while the game follows another.
    fn trusted_of(&self, invite: &str) -> PathBuf {
        let name = format!("trusted-{}", Blake3::of(invite.as_bytes()).short());
        workspace_of(&self.folder).join(name)
    }

    /// Remembers the release: what was verified, and what the game follows from now on.
    fn settle(&self, news: &News, job: &mut AlignmentRun<'_>) -> Result<(), Failure> {
        let root = workspace_of(&self.folder);
        if let Some(unsettled) = &news.unsettled {
            std::fs::create_dir_all(&root).during("make the folder", &root)?;
            if let Some(before) = &self.before {
                take_over(&trusted(&root), &self.trusted_of(&before.invite))?;
                std::fs::remove_dir_all(trusted(&root)).during("clear", &trusted(&root))?;
            }
            take_over(unsettled.path(), &trusted(&root))?;
        }
        Ok(job.session.settle()?)
    }

    /// Whether the game may follow this release, where it followed another, and whether its rulebook may govern what it does:
    /// told at first, and whenever the rulebook is another.
    fn may_reach(&self, session: &Session<'_>, arguments: &Follow, (env, ui): (&Env, &Ui)) -> Result<bool, Failure> {
        let is_other = self.before.as_ref().filter(|before| before.invite != self.invite.to_string());
        if let Some(before) = is_other {
            ui.notice(&env.tongue.with("followed-before", [at("invite", printable(&before.invite))]));
            let question = env.tongue.say("ask-other");
            if !arguments.check && !player_agreed(arguments.yes, env, ui, &question, Some("--check"))? {
                return Ok(false);
            }
        }
        let was_told = self.before.as_ref().and_then(Following::told_rulebook) == Some(session.loaded.digest);
        if was_told {
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

    /// One run at a time: the lock of a game that follows already.
    fn lock(&self, env: &Env) -> Result<Option<std::fs::File>, Failure> {
        if self.before.is_some() { self.lock_of(env) } else { Ok(None) }
    }

    fn lock_of(&self, env: &Env) -> Result<Option<std::fs::File>, Failure> {
        let folder = workspace_of(&self.folder);
        std::fs::create_dir_all(&folder).during("make the folder", &folder)?;
        let claimant = claimant(env);
        let shown = self.folder.display().to_string();
        Ok(Some(take_lock(&folder.join("at-work.lock"), &shown, &claimant)?))
    }

    /// A folder of something else must not get a game's mods by a slip of the pen; an empty one may be a new game's.
    fn refuse_other_folders(
        &self,
        verified: &Verified,
        arguments: &Follow,
        (env, ui): (&Env, &Ui),
    ) -> Result<(), Failure> {
        let rulebook = rulebook::parse(RULEBOOK, &verified.rulebook).map_err(ReachError::from)?.value;
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
            sparing: RemoteHints::default(),
            beside: OutsideShelves::default(),
            doubt: GameCheck::WithoutSigns,
        };
        let measured = measure::survey(&install, request, &mut State::in_memory()?, &Silent);
        let is_nothing = matches!(measured, Err(ReachError::NotThisGame { .. }));
        if let Some(root) = self.game_around(&rulebook).filter(|_| is_nothing && !arguments.anyway) {
            let (folder, root) =
                (printable(&self.folder.display().to_string()), printable(&root.display().to_string()));
            return Err(Failure::plain(format!("{folder} lies inside of the game, whose own folder is {root}"))
                .hint(format!("name that one: kanon follow \"INVITE\" \"{root}\"")));
        }
        match measured {
            Err(ReachError::NotThisGame { .. }) if is_empty || !would_show || arguments.anyway => {
                ui.notice(&env.tongue.with("nothing-yet", [at("game", printable(&rulebook.game))]));
                Ok(())
            }
            Err(error @ ReachError::NotThisGame { .. }) => {
                if env.machine.can_ask
                    && !arguments.yes
                    && player_agreed(
                        false,
                        env,
                        ui,
                        &env.tongue.with("ask-anyway", [at("error", error.to_string())]),
                        None,
                    )?
                {
                    return Ok(());
                }
                Err(Failure::from(error)
                    .hint("name the game's folder behind the invite; if this is it all the same, add --anyway"))
            }
            measured => Ok(measured.map(drop)?),
        }
    }

    /// A folder above this one that is the game's, by what its rulebook names: then this one is only a part of it.
    fn game_around(&self, rulebook: &Rulebook) -> Option<PathBuf> {
        let holds = |above: &&Path| {
            let below = self.folder.strip_prefix(above).ok().map(|below| below.to_string_lossy().replace('\\', "/"));
            let part = below.and_then(|below| InstallPath::new(&below).ok());
            let install = LocalInstall::open(above).ok();
            part.zip(install).is_some_and(|(part, install)| is_game_around(&install, rulebook, Role::Client, &part))
        };
        self.folder.ancestors().skip(1).take(GAME_ABOVE).find(holds).map(Path::to_owned)
    }

    fn install_name(&self) -> String {
        let name = self.folder.file_name().map(|name| name.to_string_lossy().into_owned());
        name.unwrap_or_else(|| "game".to_owned())
    }
}

/// A game that begins to follow has its own root, and no administrator's workspace in it.
fn refuse_foreign_folders(folder: &Path, follows: bool) -> Result<(), Failure> {
    if follows {
        return Ok(());
    }
    let shown = printable(&folder.display().to_string());
    if let Some(game) = folder.parent().and_then(followed_game) {
        let game = printable(&game.display().to_string());
        return Err(Failure::plain(format!("{shown} lies in a game that follows a release already"))
            .hint(format!("name the game's own folder: {game}")));
    }
    if folder.join(WISHES).is_file() {
        return Err(Failure::plain(format!("{shown} is an administrator's workspace: there is a kanon.toml in it"))
            .hint("name the game's own folder; if this is it, move the kanon.toml elsewhere first"));
    }
    Ok(())
}

fn take_over(from: &Path, to: &Path) -> Result<(), ReachError> {
    std::fs::create_dir_all(to).during("make the folder", to)?;
    for entry in std::fs::read_dir(from).during("read", from)?.flatten().filter(|entry| entry.path().is_file()) {
        let text = std::fs::read_to_string(entry.path()).during("read", &entry.path())?;
        write_whole(&to.join(entry.file_name()), &text)?;
    }
    Ok(())
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

/// What was fetched is in the game by now: the copies that it was fetched into are not needed twice.
fn forget_fetched(job: &AlignmentRun<'_>) -> Result<(), Failure> {
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

fn conclude(
    job: &AlignmentRun<'_>,
    arguments: &Follow,
    (following, stale, again): (&Following, bool, &Suggestion),
    (env, ui): (&Env, &Ui),
) -> Result<Outcome, Failure> {
    let (held, done) = outcome(job);
    let held = held.ok_or_else(|| Failure::plain("nothing was measured"))?;
    let good = in_line(&held.findings) && done;
    match env.format {
        Format::Json => ui.json(&Report {
            format: "kanon-following/1",
            install: &job.placed.name,
            folder: env.machine.folder.display().to_string(),
            release: following.release,
            published: &following.published,
            ends: following.ends.to_string(),
            stale,
            fetched: job.session.fetched,
            steps: job.planned.plan.steps.iter().map(ToldStep::from).collect(),
            done: job.carried.is_some(),
            in_line: in_line(&held.findings),
            findings: &held.findings,
        })?,
        Format::Text => {
            let mut text = fetched(&env.tongue, job.session.fetched);
            if arguments.check && !good {
                text.push_str(&told_plan(job, env)?);
            }
            let has_left = job.carried.is_some() || job.planned.plan.steps.is_empty() || good;
            let left: Vec<Finding> = held.findings.into_iter().filter(|finding| is_left(finding, has_left)).collect();
            if has_left || !left.is_empty() {
                let names = (job.placed.name.as_str(), job.canon()?.name.as_str());
                text.push_str(&players::done(&env.tongue, names, job.carried.is_some(), &left));
            }
            text.push_str(&what_next(job, (good, stale), again, env));
            if let Some(carried) = &job.carried {
                if env.verbose {
                    let folder = job.backup_shown(carried.id).to_string();
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
fn what_next(job: &AlignmentRun<'_>, (good, stale): (bool, bool), again: &Suggestion, env: &Env) -> String {
    let mut lines: Vec<String> = Vec::new();
    if env.in_dialogue {
        lines.extend(job.carried.as_ref().map(|_| env.tongue.say("join-again")));
        // What could not be asked today is not promised.
        lines.extend(good.then(|| env.tongue.say(if stale { "join-as-known" } else { "join-ready" })));
        return lines.iter().map(|line| format!("{line}\n")).collect();
    }
    if job.carried.is_some() {
        let undo = Suggestion::new("undo").word(&job.placed.name).led_by(env.machine.typed()).to_string();
        lines.push(env.tongue.with("take-back", [at("command", undo)]));
    }
    if good && job.carried.is_some() {
        lines.push(env.tongue.with("after-update", [at("command", again.to_string())]));
    } else if !good && job.carried.is_none() && job.has_work() {
        lines.push(env.tongue.with("do-this", [at("command", again.to_string())]));
    }
    lines.iter().map(|line| format!("{line}\n")).collect()
}

/// What the game needs, as a player reads it; each step too, if more is to be told.
fn told_plan(job: &AlignmentRun<'_>, env: &Env) -> Result<String, Failure> {
    let (name, plan) = (&job.placed.name, &job.planned.plan);
    if plan.steps.is_empty() {
        let in_line = outcome(job).0.is_none_or(|held| in_line(&held.findings));
        return Ok(render::align::plan(name, plan, (in_line, env.verbose)));
    }
    let survey = job.planned.surveyed.as_ref().map(|surveyed| &surveyed.survey);
    let mut text = players::plan(&env.tongue, name, plan, (job.canon()?, survey));
    if env.verbose {
        text.push_str(&format!("\n{}", render::align::plan(name, plan, (true, true))));
    }
    Ok(text)
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
