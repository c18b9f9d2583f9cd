//! `kanon take`, `kanon drop` and `kanon renew`: what the administrator wants becomes wishes that fit.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::ids::{FoldedId, same_name};
use kanon_core::config::{Edit, WorkspaceConfig, edit};
use kanon_core::resolve::search::{Entry, seek};
use kanon_core::resolve::solve::{Ask, NoFit, Puzzle, Standing, each_alone};
use kanon_core::resolve::update::{Intent, Outlook, Taken, Update};
use kanon_io::writing::write_whole;

use crate::Outcome;
use crate::arguments::{Drop, Format, Renew, Take};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::listed;
use crate::render::renewal::{self, Row};
use crate::render::seek::{Hit, Report as Search};
use crate::render::wishes::{HeldBack, Report, no_fit, text, ways_text};
use crate::ui::Ui;
use kanon_app::offers::{Offer, Offers};
use kanon_app::sealable::sealable_outlook;
use kanon_app::session::Session;
use kanon_app::updates::waiting;

/// How many mods a search tells.
const HITS: usize = 20;

pub fn take(arguments: &Take, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    let stock = Offers::gather(&mut session)?;
    if arguments.search {
        return search(&arguments.mods, &session, &stock, (env, ui));
    }
    let versions = session.loaded.rulebook.versions;
    let mut taken = Vec::new();
    for text in &arguments.mods {
        let (id, accepts) = id_and_requirement(text);
        if let Some(accepts) = accepts {
            let of = |item: &&Offer| item.manifest.id == id;
            let is_release =
                stock.items.iter().filter(of).any(|item| item.manifest.version.as_deref() == Some(accepts));
            versions
                .requirement(accepts)
                .map(|_| ())
                .or_else(|error| if is_release { Ok(()) } else { Err(error) })
                .map_err(|error| {
                    Failure::plain(error.to_string())
                        .hint("write it as the game's mods do, for example: kanon take 'MOD@>=1.2'")
                })?;
        }
        let accepts = accepts.filter(|accepts| !accepts.is_empty()).map(str::to_owned);
        taken.push(Taken { id: id.trim().to_owned().into(), accepts, prereleases: arguments.prereleases });
    }
    let intent = Intent::Take(taken);
    change(&session, &stock, &intent, (None, arguments.preview), (env, ui))
}

/// `ID@REQUIREMENT`; an id may begin with the sign itself.
fn id_and_requirement(text: &str) -> (&str, Option<&str>) {
    let sign = text.char_indices().skip(1).find(|(_, c)| *c == '@');
    sign.map_or((text, None), |(at, _)| (&text[..at], Some(text[at + 1..].trim())))
}

pub fn drop(arguments: &Drop, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    are_wished(&session, &arguments.mods)?;
    let stock = Offers::gather(&mut session)?;
    change(
        &session,
        &stock,
        &Intent::Drop(arguments.mods.iter().map(FoldedId::from).collect()),
        (None, arguments.preview),
        (env, ui),
    )
}

pub fn renew(arguments: &Renew, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    are_wished(&session, &arguments.mods)?;
    let stock = Offers::gather(&mut session)?;
    let intent = Intent::Renew(arguments.mods.iter().map(FoldedId::from).collect());
    if arguments.preview {
        return look_ahead(&session, &stock, &intent, arguments.game.as_deref(), (env, ui));
    }
    change(&session, &stock, &intent, (arguments.game.as_deref(), false), (env, ui))
}

fn are_wished(session: &Session<'_>, ids: &[String]) -> Result<(), Failure> {
    let wishes = &session.workspace()?.config;
    let known: Vec<&str> = wishes.mods.iter().map(|wish| wish.id.as_str()).collect();
    let Some(id) = ids.iter().find(|id| !known.iter().any(|known| same_name(known, id))) else {
        return Ok(());
    };
    let failure = Failure::plain(format!("`{id}` is not in kanon.toml"));
    Err(match kanon_core::base::problem::nearest(id, known.iter().copied()) {
        Some(near) => failure.hint(format!("did you mean `{near}`?")),
        None => failure.hint("see its [[mod]] tables for what is"),
    })
}

/// The wishes for another game version, if one is asked for.
fn for_game(wishes: &WorkspaceConfig, game: Option<&str>) -> WorkspaceConfig {
    WorkspaceConfig { game_version: game.map(str::to_owned).or_else(|| wishes.game_version.clone()), ..wishes.clone() }
}

/// Works out the new wishes, and writes them unless they are only to be seen.
fn change(
    session: &Session<'_>,
    stock: &Offers,
    intent: &Intent,
    (game, preview): (Option<&str>, bool),
    (env, ui): (&Env, &Ui),
) -> Result<Outcome, Failure> {
    let workspace = session.workspace()?;
    let wishes = for_game(&workspace.config, game);
    let Outlook { update, standings } = sealable_outlook(stock, session, &wishes, intent);
    let new = match update {
        Ok(new) => new,
        Err(why) => return does_not_fit(session, &why, (env, ui)),
    };
    let edited =
        edit(&workspace.text, &Edit { put: &new.put, remove: &new.remove, game_version: game, ..Edit::default() })
            .map_err(|error| Failure::plain(error.to_string()))?;
    let written = !preview && edited.text != workspace.text;
    if written {
        write_whole(&workspace.wishes_path(), &edited.text)?;
    }
    let report = Report::changed(&new, held_back(intent, standings), written);
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, &new)),
    }
    Ok(Outcome::InOrder)
}

/// The mods that were to have their newest release and could not.
fn held_back(intent: &Intent, standings: Vec<Standing>) -> Vec<HeldBack> {
    let meant = |standing: &Standing| match intent {
        Intent::Take(taken) => taken.iter().any(|taken| taken.id == standing.id),
        Intent::Renew(ids) => ids.is_empty() || ids.contains(&standing.id),
        Intent::Drop(_) => false,
    };
    let held = standings.into_iter().filter(meant).filter_map(|standing| {
        Some(HeldBack { mod_id: standing.id, newest: standing.newest?, because: standing.held_back? })
    });
    held.collect()
}

fn does_not_fit(session: &Session<'_>, why: &NoFit, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    if why.given_up {
        return Err(Failure::plain(
            "no set was found that fits, and not all could be tried: what these mods ask of each other is too entangled",
        )
        .hint("ask for fewer mods at a time, or for one release of some: kanon take MOD@VERSION"));
    }
    let wishes = &session.workspace()?.config;
    let is_wished = |id: &str| wishes.mods.iter().any(|wish| wish.id == id);
    match env.format {
        Format::Json => ui.json(&Report::nothing_fits(why))?,
        Format::Text => ui.report(&no_fit(why, is_wished)),
    }
    Ok(Outcome::Findings)
}

/// Shows what a renewal would bring, and what holds mods back.
fn look_ahead(
    session: &Session<'_>,
    stock: &Offers,
    intent: &Intent,
    game: Option<&str>,
    (env, ui): (&Env, &Ui),
) -> Result<Outcome, Failure> {
    let wishes = for_game(&session.workspace()?.config, game);
    let Outlook { update, standings } = sealable_outlook(stock, session, &wishes, intent);
    let renewed = |id: &str| match intent {
        Intent::Renew(ids) => ids.is_empty() || ids.iter().any(|other| other == id),
        Intent::Take(_) | Intent::Drop(_) => true,
    };
    let moved = |id: &str| update.as_ref().is_ok_and(|update| update.moves.iter().any(|m| m.id == id));
    if game.is_none() && matches!(intent, Intent::Renew(ids) if ids.is_empty()) {
        let moves = update.as_ref().map_or(0, |update| update.moves.len());
        session.keep_updates(moves, waiting(stock, session, &standings)?)?;
    }
    let mods: Vec<Row> = standings
        .into_iter()
        .filter(|standing| renewed(standing.id.as_str()) || moved(standing.id.as_str()))
        .map(|standing| {
            let item =
                stock.item(standing.id.as_str(), standing.fits.as_deref(), None).filter(|_| standing.fits.is_some());
            let keys = item.map(|item| &item.keys).zip(stock.keys_now(standing.id.as_str()));
            let ready = update.is_ok() || standing.alone.is_ok();
            Row {
                ready,
                waits: !ready && standing.waits,
                blocked_by: if ready { None } else { standing.alone.err() },
                key_changed: keys.map(|(new, now)| *new != now),
                shapes_world: item.is_some_and(|item| item.manifest.shapes_world),
                notes: item.and_then(|_| stock.notes(standing.id.as_str(), standing.fits.as_deref())),
                mod_id: standing.id,
                have: standing.now,
                fits: standing.fits,
                newest: standing.newest,
                held_back: standing.held_back.filter(|_| update.is_ok()),
            }
        })
        .collect();
    let why = update.as_ref().err();
    let report = renewal::Report {
        format: "kanon-renewal/1",
        game_version: wishes.game_version.clone(),
        fits: update.is_ok(),
        mods,
        clashes: why.map_or_else(Vec::new, |why| why.clashes.clone()),
        ways: why.map_or_else(Vec::new, |why| why.ways.clone()),
    };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => {
            let blocked = report.mods.iter().any(|row| !row.ready);
            let ending = ending(session, &update, game, blocked)?;
            ui.report(&(renewal::text(&report, game.is_some()) + &ending));
        }
    }
    Ok(Outcome::of(update.is_ok()))
}

/// What comes in and goes besides, or why nothing fits.
fn ending(
    session: &Session<'_>,
    update: &Result<Update, Box<NoFit>>,
    game: Option<&str>,
    blocked: bool,
) -> Result<String, Failure> {
    let wishes = &session.workspace()?.config;
    let is_wished = |id: &str| wishes.mods.iter().any(|wish| wish.id == id);
    let update = match update {
        Ok(update) => update,
        // Mods that block by themselves are told already.
        Err(why) if blocked => return Ok(ways_text(why, is_wished)),
        Err(why) => return Ok(no_fit(why, is_wished)),
    };
    let others = update.moves.iter().filter(|change| change.from.is_none() || change.to.is_none());
    let mut out: String = others
        .map(|change| match &change.to {
            Some(to) => format!("  new in the set: {} {to}, needed by {}\n", change.id, listed(&change.needed_by)),
            None => format!("  no longer needed: {}\n", change.id),
        })
        .collect();
    if !update.moves.is_empty() {
        let game = game.map_or_else(String::new, |game| format!(" --game {game}"));
        out.push_str(&format!("next: kanon renew{game}\n"));
    }
    Ok(out)
}

/// Mods of all places that answer to some words, with the newest release of each that this game can have.
fn search(words: &[String], session: &Session<'_>, stock: &Offers, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let mut by_id: BTreeMap<FoldedId, Vec<&Offer>> = BTreeMap::new();
    for item in &stock.items {
        by_id.entry(item.manifest.id.clone()).or_default().push(item);
    }
    let said = |items: &[&Offer], what: fn(&Offer) -> Option<&str>| -> Option<String> {
        items.iter().find_map(|item| what(item)).map(str::to_owned)
    };
    let told: Vec<(&str, Option<String>, Option<String>)> = by_id
        .values()
        .map(|items| {
            let id = items[0].manifest.id.as_str();
            (id, said(items, |item| item.manifest.title.as_deref()), said(items, |item| item.about.as_deref()))
        })
        .collect();
    let entries = told.iter().map(|(id, title, about)| Entry { id, title: title.as_deref(), about: about.as_deref() });
    let wishes = &session.workspace()?.config;
    let best: Vec<Entry<'_>> = seek(words, entries).into_iter().take(HITS).map(|(entry, _)| entry).collect();
    let asks =
        best.iter().map(|entry| Ask { id: entry.id.to_owned().into(), wanted: true, ..Ask::default() }).collect();
    let newest = each_alone(&Puzzle { asks, ..stock.puzzle_for_updates(session, wishes) });
    let found = best.into_iter().zip(newest).map(|(entry, newest)| {
        let items = by_id.get(&FoldedId::from(entry.id)).map_or(&[][..], Vec::as_slice);
        let places: BTreeSet<&String> = items.iter().map(|item| &item.place).collect();
        Hit {
            mod_id: entry.id.to_owned().into(),
            title: entry.title.map(str::to_owned),
            about: entry.about.map(str::to_owned),
            why_not: newest.as_ref().err().cloned(),
            newest_that_fits: newest.ok(),
            places: places.into_iter().cloned().collect(),
            wished: wishes.mods.iter().any(|wish| wish.id == entry.id),
        }
    });
    let report = Search { format: "kanon-search/1", words: words.to_vec(), found: found.collect() };
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&report.text()),
    }
    Ok(Outcome::of(!report.found.is_empty()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_id_may_begin_with_the_sign() {
        assert_eq!(id_and_requirement("tide"), ("tide", None));
        assert_eq!(id_and_requirement("tide@ >=1"), ("tide", Some(">=1")));
        assert_eq!(id_and_requirement("#deep cold@^2"), ("#deep cold", Some("^2")));
        assert_eq!(id_and_requirement("#deep cold"), ("#deep cold", None));
    }
}
