//! Choosing anew with an eye on the seal: a release that fits all others can still be one that sealing refuses (two files under
//! one name, an order that can't be, one mod twice at its place). Such a release is passed over, and told.

use std::collections::BTreeSet;

use kanon_core::base::finding::{Finding, Severity};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::InstallPath;
use kanon_core::config::WorkspaceConfig;
use kanon_core::resolve::solve::{Clash, Meant, NoFit, Reason, Refused, SourceRank};
use kanon_core::resolve::update::{Intent, Move, Outlook, Update, outlook};
use kanon_core::seal::{Candidate, Standing, choose};
use kanon_core::survey::{SurveyedFile, SurveyedMod};

use crate::offers::{Offer, Offers};
use crate::session::Session;

/// So many releases are passed over before it is given up.
const MOST: usize = 40;
/// So many changes are tried without, to see which of them sealing minds.
const TRIED: usize = 40;

/// A release that sealing would refuse.
struct Barred {
    id: FoldedId,
    version: String,
    why: Reason,
}

impl Barred {
    fn bars(&self, id: &FoldedId, version: Option<&str>) -> bool {
        self.id == *id && version == Some(self.version.as_str())
    }
}

/// What an intent would come to, without releases that sealing would refuse.
pub fn sealable_outlook(stock: &Offers, session: &Session<'_>, wishes: &WorkspaceConfig, intent: &Intent) -> Outlook {
    let (here, shelf) = (stock.candidates(session), session.loaded.rulebook.shelves.first());
    let shelf = shelf.map_or("", |shelf| &shelf.name);
    let promised: Vec<(&str, SurveyedMod)> =
        stock.promised().filter_map(|item| Some((item.place.as_str(), as_if_here(item, shelf)?))).collect();
    let judge = Judge { stock, session, wishes, candidates: candidates(here.list(), &promised) };
    let mut barred: Vec<Barred> = Vec::new();
    loop {
        let mut puzzle = stock.puzzle_for_updates(session, wishes);
        puzzle.offers.retain(|offer| {
            !barred.iter().any(|barred| barred.bars(&offer.manifest.id, offer.manifest.version.as_deref()))
        });
        let mut found = outlook(wishes, intent, &puzzle);
        let refused = found.update.as_ref().map_or_else(|_| Vec::new(), |update| judge.refused(update));
        if refused.is_empty() {
            tell(&mut found, &barred, session);
            return found;
        }
        barred.extend(refused);
        if barred.len() > MOST {
            found.update = Err(Box::default());
            tell(&mut found, &barred, session);
            return found;
        }
    }
}

/// Says of what was passed over why it was.
fn tell(outlook: &mut Outlook, barred: &[Barred], session: &Session<'_>) {
    let scheme = session.loaded.rulebook.versions.scheme;
    for Barred { id, version, why } in barred {
        if let Some(standing) = outlook.standings.iter_mut().find(|standing| standing.id == *id) {
            let is_newer = standing
                .newest
                .as_deref()
                .is_none_or(|newest| scheme.compare(version, newest) == Some(std::cmp::Ordering::Greater));
            if is_newer {
                standing.newest = Some(version.clone());
                standing.held_back = Some(why.clone());
            }
        }
        if let Err(no_fit) = &mut outlook.update {
            explain(no_fit, id, Reason::OfRelease { version: version.clone(), why: Box::new(why.clone()) });
        }
    }
}

fn explain(no_fit: &mut NoFit, id: &FoldedId, why: Reason) {
    match no_fit.clashes.iter_mut().find(|clash| clash.ids.contains(id)) {
        Some(clash) => clash.because.insert(0, why),
        None => {
            let (ids, wishes) = (vec![id.clone()], vec![Meant::Mod(id.clone())]);
            no_fit.clashes.push(Clash { ids, wishes, because: vec![why] });
        }
    }
}

/// What sealing would say, now and after a change.
struct Judge<'s> {
    stock: &'s Offers,
    session: &'s Session<'s>,
    wishes: &'s WorkspaceConfig,
    /// What can be sealed, and what catalogues promise.
    candidates: Vec<Candidate<'s>>,
}

/// What is here, and releases of catalogues as if they were.
fn candidates<'s>(here: Vec<Candidate<'s>>, promised: &'s [(&'s str, SurveyedMod)]) -> Vec<Candidate<'s>> {
    let known: BTreeSet<_> = here.iter().map(|one| (one.place, one.found.digest)).collect();
    let promised = promised.iter().filter(|(place, found)| !known.contains(&(*place, found.digest)));
    let promised =
        promised.map(|(place, found)| Candidate { place, trust: SourceRank::Source, found, keys: Vec::new() });
    let promised: Vec<Candidate<'s>> = promised.collect();
    here.into_iter().chain(promised).collect()
}

impl Judge<'_> {
    /// The releases of an update that sealing would refuse, each with why.
    fn refused(&self, update: &Update) -> Vec<Barred> {
        let mut refused = Vec::new();
        let after = self.refusals(&update.applied_to(self.wishes));
        // What is refused already is no fault of the update; mostly nothing is refused at all.
        let now = if after.is_empty() { Vec::new() } else { self.refusals(self.wishes) };
        for finding in after.into_iter().filter(|finding| !now.contains(finding)) {
            let why = Reason::Refused(Refused(Box::new(finding.clone())));
            let to_blame = self.to_blame(&finding, update);
            refused.extend(to_blame.into_iter().filter_map(|change| {
                Some(Barred { id: change.id.clone(), version: change.to.clone()?, why: why.clone() })
            }));
        }
        refused
    }

    /// The change without which sealing would not mind; all of them when there is no such one.
    fn to_blame<'u>(&self, finding: &Finding, update: &'u Update) -> Vec<&'u Move> {
        let comes = |change: &&Move| change.to.is_some();
        let mut changes: Vec<&Move> = update.moves.iter().filter(comes).collect();
        changes.sort_by_key(|change| finding.mod_id.as_ref() != Some(&change.id));
        let one = changes.iter().take(TRIED).find(|change| {
            let without = |id: &FoldedId| *id == change.id;
            let rest = Update {
                put: update.put.iter().filter(|wish| !without(&wish.id)).cloned().collect(),
                remove: update.remove.clone(),
                ..Update::default()
            };
            !self.refusals(&rest.applied_to(self.wishes)).contains(finding)
        });
        one.map_or_else(|| changes.clone(), |change| vec![*change])
    }

    fn refusals(&self, wishes: &WorkspaceConfig) -> Vec<Finding> {
        let (rulebook, stock) = (&self.session.loaded.rulebook, self.stock);
        let listed = stock.listed(rulebook);
        let standing = Standing { last: stock.last(), listed: &listed, accepted: &[], damaged: stock.damaged() };
        let choice = choose(wishes, rulebook, &self.candidates, standing, &stock.pins(self.session, wishes));
        choice.findings.into_iter().filter(|finding| finding.severity == Severity::Blocking).collect()
    }
}

/// A release of a catalogue as if it had been downloaded, as far as sealing looks before it is.
fn as_if_here(item: &Offer, shelf: &str) -> Option<SurveyedMod> {
    let path = InstallPath::new(&item.name).ok()?;
    Some(SurveyedMod {
        manifest: item.manifest.clone(),
        shelf: shelf.into(),
        place: InstallPath::folder(".").ok()?,
        enabled: true,
        name: item.name.clone(),
        digest: item.digest,
        files: vec![SurveyedFile::new(path.clone(), 0, item.digest)],
        path,
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    })
}
