//! What a renewal would bring, mod by mod, and what holds mods back; nothing is written.

use kanon_core::base::ids::FoldedId;
use kanon_core::resolve::solve::{Clash, NoFit, Reason, Standing, WayOut};
use kanon_core::resolve::update::{Intent, Outlook, Update};
use serde::Serialize;

use crate::error::AppError;
use crate::offers::Offers;
use crate::sealable::sealable_outlook;
use crate::session::Session;
use crate::updates::waiting;
use crate::wishing::for_game;

/// The report of a renewal that is only looked at.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Renewal {
    /// `kanon-renewal/1`.
    pub format: &'static str,
    /// The game version that it is for.
    pub game_version: Option<String>,
    /// Whether there is a set that fits.
    pub fits: bool,
    /// How each mod stands.
    pub mods: Vec<Row>,
    /// What can't be together, when nothing fits.
    pub clashes: Vec<Clash>,
    /// The nearest sets that would fit.
    pub ways: Vec<WayOut>,
}

/// How one mod stands.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Row {
    /// Its id.
    #[serde(rename = "mod")]
    pub mod_id: FoldedId,
    /// The release that is wished for now.
    pub have: Option<String>,
    /// The release in the newest set that fits.
    pub fits: Option<String>,
    /// The newest of all.
    pub newest: Option<String>,
    /// What holds the newest back.
    pub held_back: Option<Reason>,
    /// Whether it can be had for this game by itself.
    pub ready: bool,
    /// Why not.
    pub blocked_by: Option<Reason>,
    /// Whether it only waits for another mod that is not.
    pub waits: bool,
    /// Whether the release that fits brings other signing keys than now; unknown without a canon or install that has it.
    pub key_changed: Option<bool>,
    /// Whether the release that fits shapes the world.
    pub shapes_world: bool,
    /// What is new in it.
    pub notes: Option<String>,
}

impl Row {
    /// Whether the set that fits has another release of it.
    pub fn moves(&self) -> bool {
        self.fits.is_some() && self.fits != self.have
    }
}

/// What renewing some mods, or all, would bring, for another version of the game where one is asked for. What waits is remembered.
///
/// # Errors
/// When there is no workspace, or its journal can't be written.
pub fn look_ahead(
    session: &Session<'_>,
    offers: &Offers,
    ids: &[FoldedId],
    game: Option<&str>,
) -> Result<(Renewal, Result<Update, Box<NoFit>>), AppError> {
    let wishes = for_game(&session.workspace()?.config, game);
    let Outlook { update, standings } = sealable_outlook(offers, session, &wishes, &Intent::Renew(ids.to_vec()));
    if game.is_none() && ids.is_empty() {
        let moves = update.as_ref().map_or(0, |update| update.moves.len());
        session.keep_updates(moves, waiting(offers, session, &standings)?)?;
    }
    let renewed = |id: &FoldedId| ids.is_empty() || ids.contains(id);
    let moved = |id: &FoldedId| update.as_ref().is_ok_and(|update| update.moves.iter().any(|change| change.id == *id));
    let mods = standings
        .into_iter()
        .filter(|standing| renewed(&standing.id) || moved(&standing.id))
        .map(|standing| row(standing, offers, update.is_ok()))
        .collect();
    let why = update.as_ref().err();
    let renewal = Renewal {
        format: "kanon-renewal/1",
        game_version: wishes.game_version,
        fits: update.is_ok(),
        mods,
        clashes: why.map_or_else(Vec::new, |why| why.clashes.clone()),
        ways: why.map_or_else(Vec::new, |why| why.ways.clone()),
    };
    Ok((renewal, update))
}

fn row(standing: Standing, offers: &Offers, fits: bool) -> Row {
    let id = standing.id.as_str();
    let offer = offers.item(id, standing.fits.as_deref(), None).filter(|_| standing.fits.is_some());
    let keys = offer.map(|offer| &offer.keys).zip(offers.keys_now(id));
    let ready = fits || standing.alone.is_ok();
    Row {
        ready,
        waits: !ready && standing.waits,
        key_changed: keys.map(|(new, now)| *new != now),
        shapes_world: offer.is_some_and(|offer| offer.manifest.shapes_world),
        notes: offer.and_then(|_| offers.notes(id, standing.fits.as_deref())),
        blocked_by: if ready { None } else { standing.alone.err() },
        have: standing.now,
        fits: standing.fits,
        newest: standing.newest,
        held_back: standing.held_back.filter(|_| fits),
        mod_id: standing.id,
    }
}
