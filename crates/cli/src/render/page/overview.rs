//! The state of everything on one page.

use std::collections::{BTreeMap, BTreeSet};

use askama::Template;
use kanon_app::looks::{HealthLook, KeptFinding, KeptStart};
use kanon_app::overview::{InstallRow, ModRow, Overview};
use kanon_core::base::finding::{Code, Severity};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::rulebook::{RelationKind, Role};
use serde::Serialize;

use super::charts::{Chart, of_health, time_line};
use super::graph::{Graph, Marks, graph};
use super::{filters, page};
use crate::failure::Failure;
use crate::render::count;

/// So many mods are told by their size.
const LARGEST: usize = 40;

#[derive(Template)]
#[template(path = "page/overview.html")]
struct Page<'a> {
    of: &'a Overview,
    installs_in_line: usize,
    installs_off: usize,
    installs_unknown: usize,
    columns: Vec<Column<'a>>,
    rows: Vec<Row>,
    all_same: bool,
    off: Vec<(InstallName, Vec<KeptFinding>, bool)>,
    graph: Option<Graph>,
    mods: Vec<ModTold<'a>>,
    health: Vec<HealthTold<'a>>,
    line: Option<Chart>,
    sizes: Vec<(String, usize, u64, u64, usize)>,
    whole: u64,
    data: String,
}

struct Column<'a> {
    name: &'a str,
    role: Role,
    is_rehearsal: bool,
    at: Option<i64>,
    known_by: &'a str,
    off: bool,
    is_of_this_canon: bool,
}

/// A row of the matrix.
struct Row {
    id: String,
    at: String,
    position: Option<usize>,
    same: bool,
    /// For each install how its cell looks, and what it says.
    cells: Vec<(&'static str, String)>,
}

struct ModTold<'a> {
    at: usize,
    row: &'a ModRow,
    newest: Option<&'a str>,
    /// With the place of the mod that is meant, where the canon has it.
    needs: Vec<(Option<usize>, String)>,
    needed_by: Vec<(usize, String)>,
}

struct HealthTold<'a> {
    name: &'a str,
    at: i64,
    told: String,
    charts: Vec<Chart>,
    mods: Vec<(String, u64, String, u64)>,
}

/// What the page's script knows.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct Data<'a> {
    mods: Vec<(&'a str, &'a str, usize)>,
    needs: Vec<(usize, usize)>,
    brings: BTreeMap<usize, Vec<usize>>,
}

/// The page.
pub fn html(of: &Overview) -> Result<String, Failure> {
    let places: BTreeMap<&FoldedId, usize> = of.mods.iter().enumerate().map(|(at, one)| (&one.id, at)).collect();
    let known: Vec<&InstallRow> = of.looks.iter().filter(|row| row.is_of_this_canon).collect();
    let installs_off = known.iter().filter(|row| is_off(row)).count();
    let rows = rows(of);
    let mut sizes: Vec<(usize, &ModRow)> = of.mods.iter().enumerate().collect();
    sizes.sort_by_key(|(_, one)| (std::cmp::Reverse(one.bytes), one.id.clone()));
    let largest = sizes.first().map_or(1, |(_, one)| one.bytes.max(1));
    let size = |(at, one): &(usize, &ModRow)| {
        (one.id.to_string(), one.files, one.bytes, one.bytes.saturating_mul(100) / largest, *at)
    };
    page(&Page {
        installs_in_line: known.len() - installs_off,
        installs_off,
        installs_unknown: of.looks.len() - known.len(),
        columns: of.looks.iter().map(column).collect(),
        all_same: rows.iter().all(|row| row.same),
        rows,
        off: of.looks.iter().filter_map(findings).collect(),
        graph: (!of.mods.is_empty()).then(|| graph(&of.mods, &of.links, &marks(of))),
        mods: mods(of, &places),
        health: health(of)?,
        line: time_line(of)?,
        sizes: sizes.iter().take(LARGEST).map(size).collect(),
        whole: of.mods.iter().map(|one| one.bytes).sum(),
        data: data(of, &places)?,
        of,
    })
}

fn is_off(row: &InstallRow) -> bool {
    row.look.as_ref().is_some_and(|look| look.of(Severity::Blocking) + look.of(Severity::Risky) > 0)
}

fn column(row: &InstallRow) -> Column<'_> {
    Column {
        name: &row.install,
        role: row.role,
        is_rehearsal: row.is_rehearsal,
        at: row.look.as_ref().map(|look| look.at),
        known_by: row.look.as_ref().map_or("", |look| match look.known_by.as_str() {
            "receipt" => "by size and time",
            _ => "measured",
        }),
        off: is_off(row),
        is_of_this_canon: row.is_of_this_canon,
    }
}

fn findings(row: &InstallRow) -> Option<(InstallName, Vec<KeptFinding>, bool)> {
    let look = row.look.as_ref().filter(|look| !look.findings.is_empty())?;
    Some((row.install.clone(), look.findings.clone(), !row.is_of_this_canon))
}

/// The mods of the canon and those that installs have besides, each with what every install is off in.
fn rows(of: &Overview) -> Vec<Row> {
    let worst = |row: &InstallRow, id: &FoldedId| -> Option<(&'static str, String)> {
        let look = row.look.as_ref()?;
        let own = look.findings.iter().filter(|finding| finding.mod_id.as_ref() == Some(id));
        let worst = own.min_by_key(|finding| finding.severity)?;
        let is_there = worst.code != Code::ModMissing;
        let found = worst.found.as_deref().filter(|found| is_there && found.chars().count() < 24).unwrap_or_default();
        let tone = match worst.severity {
            Severity::Blocking => "bad",
            Severity::Risky => "care",
            Severity::Note => "same",
        };
        Some((tone, format!("{} {found}", worst.code).trim_end().to_owned()))
    };
    let of_canon = of.mods.iter().enumerate().map(|(at, one)| {
        let cells: Vec<(&'static str, String)> = of
            .looks
            .iter()
            .map(|row| match worst(row, &one.id) {
                Some(cell) => cell,
                None if row.look.is_none() || !row.is_of_this_canon => ("same", "?".to_owned()),
                None if !one.needed_on.includes(row.role) => ("same", "-".to_owned()),
                None => ("same", one.version.clone().unwrap_or_else(|| "in line".to_owned())),
            })
            .collect();
        let same = cells.iter().all(|(tone, _)| *tone == "same");
        Row { id: one.id.to_string(), at: at.to_string(), position: Some(one.position), same, cells }
    });
    let known: BTreeSet<&FoldedId> = of.mods.iter().map(|one| &one.id).collect();
    let findings = of.looks.iter().filter_map(|row| row.look.as_ref()).flat_map(|look| &look.findings);
    let others: BTreeSet<&FoldedId> =
        findings.filter_map(|finding| finding.mod_id.as_ref()).filter(|id| !known.contains(id)).collect();
    let others = others.into_iter().map(|id| {
        let cells: Vec<(&'static str, String)> =
            of.looks.iter().map(|row| worst(row, id).unwrap_or(("same", "-".to_owned()))).collect();
        let same = cells.iter().all(|(tone, _)| *tone == "same");
        Row { id: id.to_string(), at: String::new(), position: None, same, cells }
    });
    of_canon.chain(others).collect()
}

fn marks(of: &Overview) -> BTreeMap<FoldedId, Marks> {
    let mut marks: BTreeMap<FoldedId, Marks> = BTreeMap::new();
    for look in of.looks.iter().filter(|row| row.is_of_this_canon).filter_map(|row| row.look.as_ref()) {
        for finding in look.findings.iter().filter(|finding| finding.severity != Severity::Note) {
            if let Some(id) = &finding.mod_id {
                marks.entry(id.clone()).or_default().is_off = true;
            }
        }
    }
    for one in of.waiting.iter().flat_map(|waiting| &waiting.waiting) {
        marks.entry(one.mod_id.clone()).or_default().waits = true;
    }
    marks
}

fn mods<'a>(of: &'a Overview, places: &BTreeMap<&FoldedId, usize>) -> Vec<ModTold<'a>> {
    let newest: BTreeMap<&FoldedId, &str> = of
        .waiting
        .iter()
        .flat_map(|waiting| &waiting.waiting)
        .filter_map(|one| Some((&one.mod_id, one.newest.as_deref()?)))
        .collect();
    let (mut needs, mut needed_by) = (BTreeMap::new(), BTreeMap::new());
    for link in of.links.iter().filter(|link| link.kind == RelationKind::Required) {
        let range = link.range.as_deref().map_or_else(String::new, |range| format!(" {range}"));
        let to = link.to.as_ref().and_then(|to| places.get(to)).map(|at| of.mods[*at].position);
        let name = match &link.to {
            Some(to) if *to != link.names => format!("{} (for {}){range}", to, link.names),
            _ => format!("{}{range}", link.names),
        };
        needs.entry(&link.from).or_insert_with(Vec::new).push((to, name));
        if let (Some(to), Some(from)) = (&link.to, places.get(&link.from)) {
            needed_by.entry(to).or_insert_with(Vec::new).push((of.mods[*from].position, link.from.to_string()));
        }
    }
    let told = |(at, row): (usize, &'a ModRow)| ModTold {
        at,
        row,
        newest: newest.get(&row.id).copied(),
        needs: needs.get(&row.id).cloned().unwrap_or_default(),
        needed_by: needed_by.get(&row.id).cloned().unwrap_or_default(),
    };
    of.mods.iter().enumerate().map(told).collect()
}

fn health(of: &Overview) -> Result<Vec<HealthTold<'_>>, Failure> {
    let mut told = Vec::new();
    for server in &of.health {
        let Some(last) = server.looks.last() else { continue };
        told.push(HealthTold {
            name: &server.install,
            at: last.at,
            told: in_words(last),
            charts: of_health(&server.looks)?,
            mods: named(last),
        });
    }
    Ok(told)
}

fn in_words(last: &HealthLook) -> String {
    let of = |number: u64, words: &str| (number > 0).then(|| format!("{} {words}", count(number as usize, "line")));
    let said: Vec<String> = [
        of(last.out_of_memory, "tell that memory ran out"),
        of(last.crashes, "tell that it ended unexpectedly"),
        of(last.lag_lines, "tell that it fell behind"),
    ]
    .into_iter()
    .flatten()
    .collect();
    let found = if said.is_empty() { "Nothing speaks against it.".to_owned() } else { format!("{}.", said.join("; ")) };
    match last.starts.as_slice() {
        [only] if !only.came_up => format!("It never came up. {found}"),
        [KeptStart { seconds: Some(seconds), .. }] => format!("It was up after {seconds:.0} s. {found}"),
        _ => found,
    }
}

fn named(last: &HealthLook) -> Vec<(String, u64, String, u64)> {
    const SHOWN: usize = 15;
    let most = last.mods.iter().map(|named| named.lines).max().unwrap_or(1).max(1);
    last.mods
        .iter()
        .take(SHOWN)
        .map(|named| {
            let seconds = named.seconds.map_or_else(String::new, |seconds| format!("{seconds:.1}"));
            (named.mod_id.to_string(), named.lines, seconds, named.lines * 100 / most)
        })
        .collect()
}

fn data(of: &Overview, places: &BTreeMap<&FoldedId, usize>) -> Result<String, Failure> {
    let place = |id: &FoldedId| places.get(id).copied();
    let needs = of.links.iter().filter(|link| link.kind == RelationKind::Required);
    let waiting = of.waiting.iter().flat_map(|waiting| &waiting.waiting);
    let data = Data {
        mods: of
            .mods
            .iter()
            .map(|one| (one.id.as_str(), one.version.as_deref().unwrap_or("-"), one.position))
            .collect(),
        needs: needs.filter_map(|link| Some((place(&link.from)?, place(link.to.as_ref()?)?))).collect(),
        brings: waiting
            .filter_map(|one| Some((place(&one.mod_id)?, one.brings.iter().filter_map(place).collect())))
            .collect(),
    };
    let json =
        serde_json::to_string(&data).map_err(|error| Failure::plain("could not write the page").because(error))?;
    // Nothing in it may end the element that it stands in.
    Ok(json.replace('<', "\\u003c"))
}
