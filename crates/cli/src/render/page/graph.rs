//! What hangs on what, drawn: foundations on the left, what needs them to the right of them.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

use kanon_app::overview::{Link, ModRow};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::rulebook::RelationKind;
use rust_sugiyama::configure::Config;
use unicode_width::UnicodeWidthStr;

use crate::render::{cell, escaped};

/// With more mods that hang together, a drawing would be no picture any more; the table says the same.
const MOST: usize = 600;
/// Columns of text that a box holds.
const COLUMNS: usize = 26;
/// A column of text, in user units of the drawing.
const COLUMN: f64 = 7.0;
const HEIGHT: f64 = 24.0;
/// The least room between boxes of one layer, and between layers.
const BETWEEN: f64 = 8.0;
const LAYERS: f64 = 56.0;

/// The drawing, and the mods that stand alone.
pub struct Graph {
    /// As SVG; nothing where nothing hangs on anything, or too much does.
    pub drawing: Option<String>,
    /// How many mods are in it.
    pub drawn: usize,
    /// The mods that need nothing of the set, and that nothing of it needs.
    pub alone: Vec<FoldedId>,
    /// Whether there is too much for a drawing.
    pub is_too_much: bool,
}

/// What stands out of a mod's box.
#[derive(Debug, Clone, Copy, Default)]
pub struct Marks {
    /// Some install is off in it.
    pub is_off: bool,
    /// There is a newer release.
    pub waits: bool,
}

/// Draws the mods of a canon. `marks` by folded id.
pub fn graph(mods: &[ModRow], links: &[Link], marks: &BTreeMap<FoldedId, Marks>) -> Graph {
    let place: BTreeMap<&FoldedId, usize> = mods.iter().enumerate().map(|(at, one)| (&one.id, at)).collect();
    let mut edges: BTreeMap<(usize, usize), RelationKind> = BTreeMap::new();
    for link in links {
        let Some((from, to)) = link.to.as_ref().and_then(|to| Some((*place.get(&link.from)?, *place.get(to)?))) else {
            continue;
        };
        // Drawn from the foundation to what stands on it.
        let edge = match link.kind {
            RelationKind::LoadBefore => (from, to),
            RelationKind::Required | RelationKind::Optional | RelationKind::LoadAfter => (to, from),
            RelationKind::Conflicting => continue,
        };
        let known = edges.entry(edge).or_insert(link.kind);
        *known = (*known).min(link.kind);
    }
    let linked: BTreeSet<usize> = edges.keys().flat_map(|(from, to)| [*from, *to]).collect();
    let alone = mods.iter().enumerate().filter(|(at, _)| !linked.contains(at)).map(|(_, one)| one.id.clone()).collect();
    let is_too_much = linked.len() > MOST;
    let drawing = (!linked.is_empty() && !is_too_much).then(|| drawn(mods, &linked, &edges, marks));
    Graph { drawing, drawn: linked.len(), alone, is_too_much }
}

/// Where the boxes are: by mod the left upper corner; and how large all of it is.
struct Places {
    of: BTreeMap<usize, (f64, f64)>,
    size: (f64, f64),
}

fn drawn(
    mods: &[ModRow],
    linked: &BTreeSet<usize>,
    edges: &BTreeMap<(usize, usize), RelationKind>,
    marks: &BTreeMap<FoldedId, Marks>,
) -> String {
    let label = |at: usize| cell(mods[at].id.as_str(), COLUMNS).trim_end().to_owned();
    let width = |at: usize| label(at).width() as f64 * COLUMN + 16.0;
    let places = laid_out(linked, edges, &width);
    let (all_width, all_height) = places.size;
    let mut out = format!(
        "<svg class=\"graph\" viewBox=\"0 0 {all_width:.0} {all_height:.0}\" width=\"{all_width:.0}\" height=\"{all_height:.0}\" role=\"group\" aria-label=\"What hangs on what\">"
    );
    for ((from, to), kind) in edges {
        let (Some((x, y)), Some((to_x, to_y))) = (places.of.get(from), places.of.get(to)) else { continue };
        let (x, y, to_x, to_y) = (x + width(*from), y + HEIGHT / 2.0, *to_x, to_y + HEIGHT / 2.0);
        let bend = ((to_x - x) / 2.0).max(24.0);
        let class = if *kind == RelationKind::Required { "needs" } else { "likes" };
        let _ = write!(
            out,
            "<path class=\"{class}\" data-from=\"{from}\" data-to=\"{to}\" d=\"M{x:.0} {y:.0}C{:.0} {y:.0} {:.0} {to_y:.0} {to_x:.0} {to_y:.0}\"/>",
            x + bend,
            to_x - bend
        );
    }
    for (at, (x, y)) in &places.of {
        let one = &mods[*at];
        let marked = marks.get(&one.id).copied().unwrap_or_default();
        let mut classes = vec!["box"];
        classes.extend(marked.is_off.then_some("off"));
        classes.extend(marked.waits.then_some("waits"));
        let version = one.version.as_deref().unwrap_or("-");
        let told = format!(
            "{} {version}{}{}",
            one.id,
            if marked.is_off { ", off on some install" } else { "" },
            if marked.waits { ", a newer release waits" } else { "" }
        );
        let _ = write!(
            out,
            "<a href=\"#m{}\" data-mod=\"{at}\" class=\"{}\"><title>{}</title><rect x=\"{x:.0}\" y=\"{y:.0}\" width=\"{:.0}\" height=\"{HEIGHT}\" rx=\"4\"/><text x=\"{:.0}\" y=\"{:.0}\">{}</text></a>",
            one.position,
            classes.join(" "),
            escaped(&printable(&told)),
            width(*at),
            x + 8.0,
            y + 16.5,
            escaped(&printable(&label(*at)))
        );
    }
    out.push_str("</svg>");
    out
}

/// Lays out each part that hangs together, and puts the parts below each other, the largest first.
fn laid_out(
    linked: &BTreeSet<usize>,
    edges: &BTreeMap<(usize, usize), RelationKind>,
    width: &dyn Fn(usize) -> f64,
) -> Places {
    // The library counts boxes as they come, whatever they are called: here they are called by that number.
    let numbered: Vec<usize> = linked.iter().copied().collect();
    let number = |at: usize| u32::try_from(numbered.binary_search(&at).unwrap_or(0)).unwrap_or(0);
    // The layout goes from above to below: what is wide here is high there.
    let boxes: Vec<(u32, (f64, f64))> =
        numbered.iter().map(|at| (number(*at), (HEIGHT + BETWEEN, width(*at) + LAYERS))).collect();
    let lines: Vec<(u32, u32)> =
        without_circles(linked, edges.keys()).into_iter().map(|(from, to)| (number(from), number(to))).collect();
    let config = Config { vertex_spacing: 1.0, dummy_size: 4.0, transpose: linked.len() < 150, ..Config::default() };
    let layouts = rust_sugiyama::from_vertices_and_edges(&boxes, &lines, &config);
    let named = |(number, place): (usize, (f64, f64))| numbered.get(number).map(|at| (*at, place));
    let mut parts: Vec<Vec<(usize, (f64, f64))>> =
        layouts.into_iter().map(|(places, ..)| places.into_iter().filter_map(named).collect()).collect();
    parts.sort_by_key(|places| (std::cmp::Reverse(places.len()), places.iter().map(|(at, _)| *at).min()));
    let mut of = BTreeMap::new();
    let (mut top, mut right) = (4.0, 0.0_f64);
    for places in parts {
        let least = |all: &mut dyn Iterator<Item = f64>| all.fold(f64::INFINITY, f64::min);
        let left = least(&mut places.iter().map(|(at, (_, y))| y - width(*at) / 2.0));
        let above = least(&mut places.iter().map(|(_, (x, _))| *x));
        let mut below = 0.0_f64;
        for (at, (x, y)) in &places {
            let place = (y - width(*at) / 2.0 - left + 4.0, x - above + top);
            right = right.max(place.0 + width(*at));
            below = below.max(place.1 + HEIGHT);
            of.insert(*at, place);
        }
        top = below + BETWEEN * 2.0;
    }
    Places { of, size: (right + 4.0, top) }
}

/// Mods may need each other in a circle; for the layout, what closes one is left out.
fn without_circles<'e>(
    linked: &BTreeSet<usize>,
    edges: impl Iterator<Item = &'e (usize, usize)>,
) -> Vec<(usize, usize)> {
    let mut out_of: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (from, to) in edges {
        out_of.entry(*from).or_default().push(*to);
    }
    let (mut kept, mut done, mut open) = (Vec::new(), BTreeSet::new(), BTreeSet::new());
    for root in linked {
        let mut path = vec![(*root, 0)];
        while let Some((at, next)) = path.last_mut() {
            let at = *at;
            if *next == 0 {
                if done.contains(&at) {
                    path.pop();
                    continue;
                }
                open.insert(at);
            }
            let Some(to) = out_of.get(&at).and_then(|all| all.get(*next)).copied() else {
                open.remove(&at);
                done.insert(at);
                path.pop();
                continue;
            };
            *next += 1;
            if !open.contains(&to) {
                kept.push((at, to));
                path.push((to, 0));
            }
        }
    }
    kept
}

#[cfg(test)]
#[path = "../../tests/graph.rs"]
mod tests;
