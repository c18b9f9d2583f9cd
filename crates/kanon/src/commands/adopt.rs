//! `kanon adopt`: what is on an install becomes the wish.

use std::collections::BTreeMap;

use kanon_core::rulebook::Role;
use kanon_core::survey::{Survey, SurveyedMod};
use kanon_core::wish::{self, ModWish};
use kanon_reach::workspace::write_whole;

use crate::Outcome;
use crate::arguments::{Adopt, Format};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::seal::Adopted;
use crate::session::{Session, Target};
use crate::ui::Ui;

pub fn run(arguments: &Adopt, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::open(env, ui, arguments.lens.rulebook.as_deref(), arguments.lens.thorough)?;
    let target = session.target(&arguments.install, arguments.lens.role.map(Role::from))?;
    let from = match &target {
        Target::Local { name, .. } => {
            Some(name.clone()).filter(|name| session.workspace().is_ok_and(|w| w.wishes.install(name).is_some()))
        }
        Target::Survey(_) => None,
    };
    let survey = session.survey(target)?.survey;
    let (wishes, passed_over) = wishes(&survey, from.as_deref());
    let workspace = session.workspace()?;
    let versions = (survey.install.game_version.as_deref(), survey.install.loader_version.as_deref());
    let edited = wish::adopt(&workspace.text, &wishes, versions).map_err(|error| Failure::plain(error.to_string()))?;
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
    let report = Adopted { passed_over, not_there, ..Adopted::new(survey.install.name.clone(), edited) };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&report.text()),
    }
    Ok(Outcome::of(report.passed_over.is_empty()))
}

/// A wish for each mod that is there once, switched on and of this loader; the others with why not.
fn wishes(survey: &Survey, from: Option<&str>) -> (Vec<ModWish>, Vec<(String, String)>) {
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
