//! `kanon adopt`: what is on an install becomes the wish.

use std::collections::BTreeSet;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::base::problem::nearest;
use kanon_core::base::suggestion::quoted;
use kanon_core::base::version::Versions;
use kanon_core::config::{self, Edit, ModWish, WorkspaceConfig};
use kanon_core::resolve::solve::SourceRank;
use kanon_core::rulebook::{NeededOn, Role};
use kanon_core::seal::adopted::adopted;
use kanon_core::survey::Survey;
use kanon_io::writing::write_whole;

use crate::Outcome;
use crate::arguments::{Adopt, Format};
use crate::asking::agreed;
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::{Adopted, Recognised};
use crate::ui::Ui;
use crate::words::adopting;
use kanon_app::offers::{Offer, Offers};
use kanon_app::places::{Place, Placed};
use kanon_app::session::{Session, Target};
use kanon_app::wholeness;

pub fn run(arguments: &Adopt, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(&env.machine, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    session.workspace()?.clone().of_administrator()?;
    let target = session.target(&arguments.install, arguments.lens.role.map(Role::from))?;
    let from = match &target {
        Target::Install(placed) => {
            Some(placed.name.clone()).filter(|name| session.workspace().is_ok_and(|w| w.config.install(name).is_some()))
        }
        Target::Survey(_) => None,
    };
    let root = match &target {
        Target::Install(Placed { place: Place::Folder(folder), .. }) => Some(folder.clone()),
        Target::Install(_) | Target::Survey(_) => None,
    };
    let mut survey = session.survey(target)?.survey;
    let last = session.last_canon()?;
    let damaged = match &root {
        Some(root) => wholeness::take_out(&session, root, &mut survey, last.as_ref())?,
        None => Vec::new(),
    };
    let adoption = adopted(&survey, from.as_deref(), &session.loaded.rulebook);
    let ambiguous = adoption.is_ambiguous();
    let told = adoption.passed_over.iter().map(|(path, why)| (path.clone(), adopting::passed_over(why)));
    let (mut passed_over, mut wishes): (Vec<(String, String)>, _) = (told.collect(), adoption.wishes);
    // What is switched off or another loader's is passed over as it should be; what is broken or there twice was asked for.
    let is_whole = damaged.is_empty() && survey.unreadable.is_empty() && !ambiguous;
    passed_over
        .extend(damaged.into_iter().map(|copy| (copy.path, format!("{} is no whole mod: {}", copy.id, copy.why))));
    refuse_unknown(&arguments.only, &arguments.except, &survey)?;
    let named = |ids: &[String], id: &FoldedId| ids.iter().any(|one| id == one);
    wishes.retain(|wish| {
        !named(&arguments.except, &wish.id) && (arguments.only.is_empty() || named(&arguments.only, &wish.id))
    });
    let left_out = if survey.install.role == Role::Client {
        let own = own_mods(&mut session, &survey, &wishes, ui)?;
        settle_own(&mut wishes, &own, arguments, (env, ui))?
    } else {
        Vec::new()
    };
    let recognised = if session.workspace()?.config.sources.is_empty() {
        Vec::new()
    } else {
        recognise(&mut wishes, &survey, &Offers::gather(&mut session)?)
    };
    let workspace = session.workspace()?;
    keep_what_was_said(&mut wishes, &workspace.config, session.loaded.rulebook.versions);
    let found = &survey.install;
    let versions =
        [&found.game_version, &found.loader_version, &found.runtime_version].map(|version| version.as_deref());
    let edit = Edit { put: &wishes, versions_found: versions, ..Edit::default() };
    let edited = config::edit(&workspace.text, &edit).map_err(|error| Failure::plain(error.to_string()))?;
    if edited.text != workspace.text {
        write_whole(&workspace.wishes_path(), &edited.text)?;
    }
    let known: Vec<FoldedId> = wishes.iter().map(|wish| wish.id.clone()).collect();
    let not_there =
        workspace.config.mods.iter().filter(|wish| !known.contains(&wish.id)).map(|wish| wish.id.clone()).collect();
    let report =
        Adopted { passed_over, left_out, not_there, recognised, ..Adopted::new(survey.install.name.clone(), edited) };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&report.text()),
    }
    Ok(Outcome::of(is_whole))
}

/// An id that the install does not have names nothing: it is a slip of the pen.
fn refuse_unknown(only: &[String], except: &[String], survey: &Survey) -> Result<(), Failure> {
    let is_there = |id: &&String| survey.mods.iter().any(|found| found.manifest.id == **id);
    let Some(id) = only.iter().chain(except).find(|id| !is_there(id)) else { return Ok(()) };
    let failure = Failure::plain(format!("{} has no mod `{}`", printable(&survey.install.name), printable(id)));
    Err(match nearest(id, survey.mods.iter().map(|found| found.manifest.id.as_str())) {
        Some(near) => failure.hint(format!("did you mean `{near}`?")),
        None => failure.hint(format!("see what is there: kanon survey {}", quoted(&survey.install.name))),
    })
}

/// What a client has and no server of the workspace, although it would be needed there: a player's own mods, as a rule. Without
/// a server that can be looked at, nothing is known of that.
fn own_mods(session: &mut Session<'_>, survey: &Survey, wishes: &[ModWish], ui: &Ui) -> Result<Vec<FoldedId>, Failure> {
    let installs = session.workspace()?.config.installs.clone();
    let (mut on_servers, mut looked) = (BTreeSet::new(), false);
    for server in installs.iter().filter(|install| install.role == Role::Server) {
        let target = session.target(&server.name, None);
        match target.and_then(|target| session.survey(target)) {
            Ok(surveyed) => {
                looked = true;
                for found in &surveyed.survey.mods {
                    on_servers.extend(found.manifest.provides.iter().cloned());
                    on_servers.insert(found.manifest.id.clone());
                }
                on_servers
                    .extend(surveyed.survey.lists.iter().flat_map(|list| &list.entries).map(|entry| entry.id.clone()));
            }
            Err(failure) => ui.notice(&format!(
                "note: what {} has can't be told, so mods of {} may be adopted that it lacks: {}",
                printable(&server.name),
                printable(&survey.install.name),
                Failure::from(failure).in_short()
            )),
        }
    }
    if !looked {
        return Ok(Vec::new());
    }
    let before = &session.workspace()?.config.mods;
    let is_wished = |id: &str| before.iter().any(|wish| wish.id == id);
    let needed_on = |wish: &ModWish| {
        let found = survey.mods.iter().find(|found| found.manifest.id == wish.id);
        wish.needed_on.or_else(|| found.map(|found| found.manifest.needed_on)).unwrap_or_default()
    };
    let own = wishes.iter().filter(|wish| {
        needed_on(wish).includes(Role::Server) && !on_servers.contains(&wish.id) && !is_wished(wish.id.as_str())
    });
    Ok(own.map(|wish| wish.id.clone()).collect())
}

/// What becomes of mods that only a client has: wished for on clients where somebody says so, and otherwise left out.
fn settle_own(
    wishes: &mut Vec<ModWish>,
    own: &[FoldedId],
    arguments: &Adopt,
    (env, ui): (&Env, &Ui),
) -> Result<Vec<FoldedId>, Failure> {
    let mut left_out = Vec::new();
    for id in own {
        let is_named = arguments.only.iter().any(|only| id == only);
        let question = format!("No server has {}. Is every player to have it?", printable(id.as_str()));
        if is_named || (env.machine.can_ask && agreed(false, env, ui, question.as_str())?) {
            wishes.iter_mut().filter(|wish| wish.id == *id).for_each(|wish| wish.needed_on = Some(NeededOn::Client));
        } else {
            wishes.retain(|wish| wish.id != *id);
            left_out.push(id.clone());
        }
    }
    Ok(left_out)
}

/// Finds the mods of an install among the sources: by their bytes, by what they say of themselves, by their names.
fn recognise(wishes: &mut [ModWish], survey: &Survey, stock: &Offers) -> Vec<Recognised> {
    let mut recognised = Vec::new();
    for wish in wishes {
        let Some(found) = survey.mods.iter().find(|found| found.enabled && found.manifest.id == wish.id) else {
            continue;
        };
        let known = |by, item: &Offer| Recognised {
            mod_id: wish.id.clone(),
            version: item.manifest.version.clone(),
            source: item.place.clone(),
            by,
        };
        let mut in_sources = stock.items.iter().filter(|item| item.trust == SourceRank::Source);
        let same_id = |item: &&Offer| item.manifest.id == wish.id;
        let same_bytes = |item: &&Offer| item.digest == found.digest && !found.files.is_empty();
        if let Some(item) = in_sources.clone().find(|item| same_id(item) && same_bytes(item)) {
            recognised.push(known("digest", item));
            wish.version.clone_from(&item.manifest.version);
            wish.from = Some(item.place.clone());
        } else if let Some(item) = in_sources
            .clone()
            .find(|item| same_id(item) && wish.version.is_some() && item.manifest.version == wish.version)
        {
            recognised.push(known("metadata", item));
        } else if wish.version.is_none()
            && let Some(item) = in_sources.find(|item| same_id(item) && item.name == found.name)
        {
            recognised.push(known("name", item));
        }
    }
    recognised
}

/// What the administrator said of a mod before counts on: who asked for it, and what an update may choose.
fn keep_what_was_said(wishes: &mut [ModWish], before: &WorkspaceConfig, versions: Versions) {
    for wish in wishes {
        let Some(said) = before.mods.iter().find(|said| said.id == wish.id) else { continue };
        // Where no version was found, or no place that has the bytes, what was wished for stays.
        wish.version = wish.version.take().or_else(|| said.version.clone());
        wish.from = wish.from.take().or_else(|| said.from.clone());
        let (prereleases, asked) = (said.prereleases, said.asked);
        let accepted = ModWish { version: None, ..said.clone() }.admits(wish.version.as_deref(), versions);
        wish.accepts = said.accepts.clone().filter(|_| accepted);
        (wish.prereleases, wish.asked) = (prereleases, asked);
    }
}
