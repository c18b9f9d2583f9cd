//! `kanon take`, `kanon drop` and `kanon renew`: what the administrator wants becomes wishes that fit.

use std::collections::{BTreeMap, BTreeSet};

use kanon_core::base::ids::FoldedId;
use kanon_core::resolve::search::{Entry, seek};
use kanon_core::resolve::solve::{Ask, NoFit, Puzzle, each_alone};
use kanon_core::resolve::update::{Intent, Outlook, Update};

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
use kanon_app::wishing::{self, Changed, for_game, wished};

/// How many mods a search tells.
const HITS: usize = 20;

pub fn take(arguments: &Take, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    let stock = Offers::gather(&mut session)?;
    if arguments.search {
        return search(&arguments.mods, &session, &stock, (env, ui));
    }
    let taken = wishing::taken(&session, &stock, &arguments.mods, arguments.prereleases)?;
    let intent = Intent::Take(taken);
    change(&session, &stock, &intent, (None, arguments.preview), (env, ui))
}

pub fn drop(arguments: &Drop, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    let meant = wished(&session, &arguments.mods)?;
    let stock = Offers::gather(&mut session)?;
    change(&session, &stock, &Intent::Drop(meant), (None, arguments.preview), (env, ui))
}

pub fn renew(arguments: &Renew, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    let intent = Intent::Renew(wished(&session, &arguments.mods)?);
    let stock = Offers::gather(&mut session)?;
    if arguments.preview {
        return look_ahead(&session, &stock, &intent, arguments.game.as_deref(), (env, ui));
    }
    change(&session, &stock, &intent, (arguments.game.as_deref(), false), (env, ui))
}

/// Works out the new wishes, and writes them unless they are only to be seen.
fn change(
    session: &Session<'_>,
    stock: &Offers,
    intent: &Intent,
    game_and_preview: (Option<&str>, bool),
    (env, ui): (&Env, &Ui),
) -> Result<Outcome, Failure> {
    let Changed { update, standings, is_written } = match wishing::change(session, stock, intent, game_and_preview)? {
        Ok(changed) => changed,
        Err(why) => return does_not_fit(session, &why, (env, ui)),
    };
    let held_back = standings.into_iter().filter_map(|standing| {
        Some(HeldBack { mod_id: standing.id, newest: standing.newest?, because: standing.held_back? })
    });
    let report = Report::changed(&update, held_back.collect(), is_written);
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report, &update)),
    }
    Ok(Outcome::InOrder)
}

fn does_not_fit(session: &Session<'_>, why: &NoFit, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
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
    let asks = best.iter().map(|entry| Ask { id: entry.id.into(), wanted: true, ..Ask::default() }).collect();
    let newest = each_alone(&Puzzle { asks, ..stock.puzzle_for_updates(session, wishes) });
    let found = best.into_iter().zip(newest).map(|(entry, newest)| {
        let items = by_id.get(&FoldedId::from(entry.id)).map_or(&[][..], Vec::as_slice);
        let places: BTreeSet<&String> = items.iter().map(|item| &item.place).collect();
        Hit {
            mod_id: entry.id.into(),
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
