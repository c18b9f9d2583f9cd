//! `kanon why`: who asked for a mod, and who needs it.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::config::WorkspaceConfig;
use kanon_core::manifest::ModManifest;
use kanon_core::rulebook::RelationKind;
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, Why};
use crate::env::Env;
use crate::failure::Failure;
use crate::render::{BOLD, CARE, styled};
use crate::ui::Ui;
use kanon_app::offers::{Offer, Offers};
use kanon_app::session::Session;

/// The report.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    format: &'static str,
    #[serde(rename = "mod")]
    mod_id: FoldedId,
    version: Option<String>,
    /// Whether it is among the wishes.
    wished: bool,
    /// Whether somebody asked for it, and not only another mod.
    asked: bool,
    /// What the mods of the set say of it.
    said_by: Vec<RelationReport>,
    /// From a mod that somebody asked for down to this one.
    chains: Vec<Vec<FoldedId>>,
}

/// What one mod says of it.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct RelationReport {
    #[serde(rename = "mod")]
    mod_id: FoldedId,
    version: Option<String>,
    kind: RelationKind,
    range: Option<String>,
}

pub fn run(arguments: &Why, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::in_workspace(&env.machine, ui, false)?;
    let stock = Offers::gather(&mut session)?;
    let wishes = session.workspace()?.config.clone();
    let current = stock.current(&session, &wishes);
    let report = report(&arguments.mod_id.as_str().into(), &wishes, &current);
    if !report.wished && report.said_by.is_empty() && stock.items.iter().all(|item| !is(item, &arguments.mod_id)) {
        let ids = stock.items.iter().map(|item| item.manifest.id.as_str());
        let failure = Failure::plain(format!("nothing is known of a mod `{}`", arguments.mod_id));
        return Err(failure.hint_nearest(&arguments.mod_id, ids, "find mods by words: kanon take --search WORDS"));
    }
    match env.format {
        Format::Json => ui.json(&report)?,
        Format::Text => ui.report(&text(&report)),
    }
    Ok(Outcome::of(report.wished))
}

fn is(item: &Offer, id: &str) -> bool {
    item.manifest.id == id
}

fn report(id: &FoldedId, wishes: &WorkspaceConfig, current: &BTreeMap<FoldedId, &Offer>) -> Report {
    let wish = wishes.mods.iter().find(|wish| wish.id == *id);
    let own = current.get(id).copied();
    let others = current.values().filter(|item| !is(item, id.as_str()));
    let said_by: Vec<RelationReport> = others
        .flat_map(|item| {
            let about = item.manifest.relations.iter().filter(|relation| stands_for(own, id, &relation.id));
            about.map(|relation| RelationReport {
                mod_id: item.manifest.id.clone(),
                version: item.manifest.version.clone(),
                kind: relation.kind,
                range: relation.range.clone(),
            })
        })
        .collect();
    Report {
        format: "kanon-why/1",
        mod_id: wish.map_or_else(|| id.into(), |wish| wish.id.clone()),
        version: own.and_then(|own| own.manifest.version.clone()),
        wished: wish.is_some(),
        asked: wish.is_some_and(|wish| wish.asked),
        said_by,
        chains: chains(id, wishes, current),
    }
}

/// Whether a mod is what another means by an id.
fn stands_for(own: Option<&Offer>, own_id: &FoldedId, meant: &FoldedId) -> bool {
    meant == own_id || own.is_some_and(|own| own.manifest.provides.iter().any(|id| id == meant))
}

/// The shortest way to the mod from each mod that was asked for and leads to it.
fn chains(id: &FoldedId, wishes: &WorkspaceConfig, current: &BTreeMap<FoldedId, &Offer>) -> Vec<Vec<FoldedId>> {
    let asked = |id: &FoldedId| wishes.mods.iter().any(|wish| wish.asked && wish.id == *id);
    let needs = |manifest: &ModManifest, id: &FoldedId| {
        let own = current.get(id).copied();
        let required = manifest.relations.iter().filter(|relation| relation.kind == RelationKind::Required);
        required.into_iter().any(|relation| stands_for(own, id, &relation.id))
    };
    let mut chains = Vec::new();
    let mut seen = BTreeSet::from([id.clone()]);
    let mut reached = vec![vec![id.clone()]];
    while !reached.is_empty() {
        let mut further = Vec::new();
        for chain in reached {
            for item in current.values().filter(|item| needs(&item.manifest, &chain[0])) {
                if !seen.insert(item.manifest.id.clone()) {
                    continue;
                }
                let longer: Vec<FoldedId> =
                    [item.manifest.id.clone()].into_iter().chain(chain.iter().cloned()).collect();
                if asked(&item.manifest.id) {
                    chains.push(longer.clone());
                }
                further.push(longer);
            }
        }
        reached = further;
    }
    chains
}

fn text(report: &Report) -> String {
    let version = report.version.as_ref().map_or_else(String::new, |version| format!(" {version}"));
    let name = styled(BOLD, &printable(&format!("{}{version}", report.mod_id)));
    let mut out = match (report.wished, report.asked) {
        (false, _) => format!("{name} {} in the set\n", styled(CARE, "is not")),
        (true, true) => format!("{name} is in the set because somebody asked for it\n"),
        (true, false) => format!("{name} is in the set because others need it\n"),
    };
    for said in &report.said_by {
        let verb = match said.kind {
            RelationKind::Required => "needs it",
            RelationKind::Optional => "can use it",
            RelationKind::Conflicting => "can't be used with it",
            RelationKind::LoadBefore => "must be loaded before it",
            RelationKind::LoadAfter => "must be loaded after it",
        };
        let range =
            said.range.as_deref().filter(|range| *range != "*").map_or_else(String::new, |range| format!(" ({range})"));
        let version = said.version.as_deref().unwrap_or("-");
        let _ = writeln!(out, "  {}", printable(&format!("{} {version} {verb}{range}", said.mod_id)));
    }
    for chain in report.chains.iter().filter(|chain| chain.len() > 2) {
        let _ = writeln!(out, "  {}", printable(&format!("asked for: {}", FoldedId::joined(chain, ", which needs "))));
    }
    if report.wished && !report.asked && report.chains.is_empty() {
        out.push_str("  nobody needs it any more; take it out with: kanon drop\n");
    }
    out
}
