//! `kanon adopt`: what is on an install becomes the wish.

use std::collections::BTreeMap;

use kanon_core::check::{out_of_play, sides_by_list};
use kanon_core::rulebook::{Role, Rulebook};
use kanon_core::solve::Trust;
use kanon_core::survey::{Survey, SurveyedMod};
use kanon_core::version::Versions;
use kanon_core::wish::{self, Edit, ModWish, Wishes};
use kanon_reach::workspace::write_whole;

use crate::Outcome;
use crate::arguments::{Adopt, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::{Adopted, Recognised};
use crate::session::{Session, Target};
use crate::stock::{Item, Stock};
use crate::ui::Ui;

pub fn run(arguments: &Adopt, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(env, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    let target = session.target(&arguments.install, arguments.lens.role.map(Role::from))?;
    let from = match &target {
        Target::Install(placed) => {
            Some(placed.name.clone()).filter(|name| session.workspace().is_ok_and(|w| w.wishes.install(name).is_some()))
        }
        Target::Survey(_) => None,
    };
    let survey = session.survey(target)?.survey;
    let (mut wishes, passed_over) = wishes(&survey, from.as_deref(), &session.loaded.rulebook);
    let recognised = if session.workspace()?.wishes.sources.is_empty() {
        Vec::new()
    } else {
        recognise(&mut wishes, &survey, &Stock::gather(&mut session)?)
    };
    let workspace = session.workspace()?;
    keep_what_was_said(&mut wishes, &workspace.wishes, session.loaded.rulebook.versions);
    let versions = (survey.install.game_version.as_deref(), survey.install.loader_version.as_deref());
    let edit = Edit { put: &wishes, versions_found: versions, ..Edit::default() };
    let edited = wish::edit(&workspace.text, &edit).map_err(|error| Failure::plain(error.to_string()))?;
    if edited.text != workspace.text {
        write_whole(&workspace.wishes_path(), &edited.text)?;
    }
    let known: Vec<String> = wishes.iter().map(|wish| wish.id.to_lowercase()).collect();
    let not_there = workspace
        .wishes
        .mods
        .iter()
        .filter(|wish| !known.contains(&wish.id.to_lowercase()))
        .map(|wish| wish.id.clone())
        .collect();
    let report = Adopted { passed_over, not_there, recognised, ..Adopted::new(survey.install.name.clone(), edited) };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&report.text()),
    }
    Ok(Outcome::of(report.passed_over.is_empty()))
}

/// Finds the mods of an install among the sources: by their bytes, by what they say of themselves, by their names.
fn recognise(wishes: &mut [ModWish], survey: &Survey, stock: &Stock) -> Vec<Recognised> {
    let mut recognised = Vec::new();
    for wish in wishes {
        let Some(found) = survey.mods.iter().find(|found| found.enabled && found.reading.id == wish.id) else {
            continue;
        };
        let known = |by, item: &Item| Recognised {
            mod_id: wish.id.clone(),
            version: item.reading.version.clone(),
            source: item.place.clone(),
            by,
        };
        let mut in_sources = stock.items.iter().filter(|item| item.trust == Trust::Source);
        let same_id = |item: &&Item| item.reading.id.eq_ignore_ascii_case(&wish.id);
        let same_bytes = |item: &&Item| item.digest == found.digest && !found.files.is_empty();
        if let Some(item) = in_sources.clone().find(|item| same_id(item) && same_bytes(item)) {
            recognised.push(known("digest", item));
            wish.version.clone_from(&item.reading.version);
            wish.from = Some(item.place.clone());
        } else if let Some(item) = in_sources
            .clone()
            .find(|item| same_id(item) && wish.version.is_some() && item.reading.version == wish.version)
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
fn keep_what_was_said(wishes: &mut [ModWish], before: &Wishes, versions: Versions) {
    for wish in wishes {
        let Some(said) = before.mods.iter().find(|said| said.id.eq_ignore_ascii_case(&wish.id)) else { continue };
        // Where no version was found, or no place that has the bytes, what was wished for stays.
        wish.version = wish.version.take().or_else(|| said.version.clone());
        wish.from = wish.from.take().or_else(|| said.from.clone());
        let (prereleases, asked) = (said.prereleases, said.asked);
        let accepted = ModWish { version: None, ..said.clone() }.admits(wish.version.as_deref(), versions);
        wish.accepts = said.accepts.clone().filter(|_| accepted);
        (wish.prereleases, wish.asked) = (prereleases, asked);
    }
}

/// A wish for each mod that is there once, in play and of this loader; the others with why not.
fn wishes(survey: &Survey, from: Option<&str>, rulebook: &Rulebook) -> (Vec<ModWish>, Vec<(String, String)>) {
    let (out_of_play, sides) = (out_of_play(rulebook, survey), sides_by_list(rulebook, survey));
    let mut by_id: BTreeMap<String, Vec<&SurveyedMod>> = BTreeMap::new();
    let mut passed_over: Vec<(String, String)> =
        survey.unreadable.iter().map(|broken| (broken.path.clone(), broken.why.clone())).collect();
    for found in &survey.mods {
        match (&found.reading.made_for, found.enabled) {
            (Some(loader), _) => passed_over
                .push((found.path.to_string(), format!("{} was made for the loader {loader}", found.reading.id))),
            (None, false) => {
                passed_over.push((found.path.to_string(), format!("{} is switched off", found.reading.id)));
            }
            (None, true) if out_of_play.contains_key(&found.folded_id()) => {
                passed_over.push((found.path.to_string(), out_of_play[&found.folded_id()].clone()));
            }
            (None, true) => by_id.entry(found.folded_id()).or_default().push(found),
        }
    }
    let mut wishes = Vec::new();
    for copies in by_id.values() {
        let first = copies[0];
        let all_same = copies.iter().all(|copy| copy.digest == first.digest);
        if all_same {
            wishes.push(ModWish {
                id: first.reading.id.clone(),
                version: first.reading.version.clone(),
                // A place that has only the id can't be where the bytes come from.
                from: from.filter(|_| !first.is_id_alone()).map(str::to_owned),
                needed_on: sides.get(&first.folded_id()).copied().filter(|side| *side != first.reading.needed_on),
                ..ModWish::default()
            });
        } else {
            let paths: Vec<&str> = copies.iter().map(|copy| copy.path.as_str()).collect();
            passed_over.push((
                paths.join(", "),
                format!("{} is there more than once; keep one of them and adopt again", first.reading.id),
            ));
        }
    }
    (wishes, passed_over)
}
