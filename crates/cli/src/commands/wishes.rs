//! `kanon take`, `kanon drop` and `kanon renew`: what the administrator wants becomes wishes that fit.

use kanon_core::base::ids::FoldedId;
use kanon_core::resolve::solve::NoFit;
use kanon_core::resolve::update::{Intent, Update};

use crate::Outcome;
use crate::arguments::{Drop, Format, Renew, Take};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::wishes::{HeldBack, Report, no_fit, text, ways_text};
use crate::render::{self, listed};
use crate::ui::Ui;
use kanon_app::offers::Offers;
use kanon_app::session::Session;
use kanon_app::wishing::{self, Changed, wished};
use kanon_app::{renewing, searching};

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
    let ids = wished(&session, &arguments.mods)?;
    let stock = Offers::gather(&mut session)?;
    if arguments.preview {
        return look_ahead(&session, &stock, &ids, arguments.game.as_deref(), (env, ui));
    }
    change(&session, &stock, &Intent::Renew(ids), (arguments.game.as_deref(), false), (env, ui))
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
    ids: &[FoldedId],
    game: Option<&str>,
    (env, ui): (&Env, &Ui),
) -> Result<Outcome, Failure> {
    let (renewal, update) = renewing::look_ahead(session, stock, ids, game)?;
    match env.format {
        Format::Json => ui.json(&renewal)?,
        Format::Text => {
            let blocked = renewal.mods.iter().any(|row| !row.ready);
            let ending = ending(session, &update, game, blocked)?;
            ui.report(&(render::renewal::text(&renewal, game.is_some()) + &ending));
        }
    }
    Ok(Outcome::of(renewal.fits))
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

fn search(words: &[String], session: &Session<'_>, stock: &Offers, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let found = searching::search(words, session, stock)?;
    match env.format {
        Format::Json => ui.json(&found)?,
        Format::Text => ui.report(&render::seek::text(&found)),
    }
    Ok(Outcome::of(!found.found.is_empty()))
}
