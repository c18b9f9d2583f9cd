//! What taking, dropping and renewing changed in the wishes, or why nothing fits.

use std::fmt::Write;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::base::suggestion::quoted;
use kanon_core::resolve::solve::{Clash, NoFit, Reason, WayOut};
use kanon_core::resolve::update::{Move, Update};
use serde::Serialize;

use super::{BAD, BOLD, CARE, GOOD, count, folded, listed, styled};

/// An explanation keeps to this many lines.
pub const LINES: usize = 15;

/// The report of a change of the wishes.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report {
    /// `kanon-wishes/1`.
    pub format: &'static str,
    /// Whether `kanon.toml` was changed.
    pub written: bool,
    /// What changed, or would.
    pub changes: Vec<ChangeLine>,
    /// What updates may choose from now on.
    pub bounds: Vec<(FoldedId, Option<String>)>,
    /// Mods that could not have their newest release.
    pub held_back: Vec<HeldBack>,
    /// Mods that were to be dropped and that others still need.
    pub still_needed: Vec<StillNeeded>,
    /// What can't be together, when nothing fits.
    pub clashes: Vec<Clash>,
    /// The nearest sets that would fit.
    pub ways: Vec<WayOut>,
}

/// One change of the wishes.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct ChangeLine {
    change: &'static str,
    #[serde(rename = "mod")]
    mod_id: FoldedId,
    from: Option<String>,
    to: Option<String>,
    place: Option<String>,
    needed_by: Vec<FoldedId>,
    goes_back: bool,
}

/// A mod that could not have its newest release.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct HeldBack {
    /// Its id.
    #[serde(rename = "mod")]
    pub mod_id: FoldedId,
    /// The newest release.
    pub newest: String,
    /// What holds it back.
    pub because: Reason,
}

/// A mod that others still need.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct StillNeeded {
    #[serde(rename = "mod")]
    mod_id: FoldedId,
    needed_by: Vec<FoldedId>,
}

impl From<&Move> for ChangeLine {
    fn from(change: &Move) -> Self {
        let word = match (&change.from, &change.to) {
            (None, _) if !change.needed_by.is_empty() => "brought-in",
            (None, _) => "added",
            (_, None) => "gone",
            _ => "version",
        };
        Self {
            change: word,
            mod_id: change.id.clone(),
            from: change.from.clone(),
            to: change.to.clone(),
            place: change.place.clone(),
            needed_by: change.needed_by.clone(),
            goes_back: change.goes_back,
        }
    }
}

impl Report {
    /// What changed, or would.
    pub fn changed(update: &Update, held_back: Vec<HeldBack>, written: bool) -> Self {
        let still = |(id, by): &(FoldedId, Vec<FoldedId>)| StillNeeded { mod_id: id.clone(), needed_by: by.clone() };
        Self {
            format: "kanon-wishes/1",
            written,
            changes: update.moves.iter().map(ChangeLine::from).collect(),
            bounds: update.bounds.clone(),
            held_back,
            still_needed: update.still_needed.iter().map(still).collect(),
            clashes: Vec::new(),
            ways: Vec::new(),
        }
    }

    /// Why nothing fits.
    pub fn nothing_fits(no_fit: &NoFit) -> Self {
        Self {
            format: "kanon-wishes/1",
            written: false,
            changes: Vec::new(),
            bounds: Vec::new(),
            held_back: Vec::new(),
            still_needed: Vec::new(),
            clashes: no_fit.clashes.clone(),
            ways: no_fit.ways.clone(),
        }
    }
}

/// A change of the wishes as text.
pub fn text(report: &Report, update: &Update) -> String {
    let nothing = update.put.is_empty() && update.remove.is_empty();
    let mut out = match (report.changes.is_empty(), report.written) {
        (true, false) if !nothing => {
            format!(
                "{}; no release changes, and nothing was written\n",
                styled(BOLD, "this would be written to kanon.toml")
            )
        }
        (true, true) => format!("{}; no release changes\n", styled(GOOD, "written to kanon.toml")),
        (true, false) => format!("{}: kanon.toml is as it should be\n", styled(GOOD, "nothing to change")),
        (false, true) => format!("{}:\n", styled(GOOD, "written to kanon.toml")),
        (false, false) => format!("{}; nothing was written:\n", styled(BOLD, "this would be written to kanon.toml")),
    };
    for line in &report.changes {
        let _ = writeln!(out, "  {}", change(line));
    }
    for (id, accepts) in &report.bounds {
        let text = match accepts {
            Some(accepts) => format!("updates of {id} keep to {accepts} from now on"),
            None => format!("updates of {id} may choose any release from now on"),
        };
        out.push_str(&folded(&text, "  "));
    }
    for held in &report.held_back {
        out.push_str(&folded(&format!("{} {} is held back: {}", held.mod_id, held.newest, held.because), "  "));
    }
    for still in &report.still_needed {
        let need = if still.needed_by.len() == 1 { "needs" } else { "need" };
        let text = format!("{} stays: {} {need} it", still.mod_id, listed(&still.needed_by));
        out.push_str(&folded(&text, "  "));
    }
    if update.passed_over_likes {
        out.push_str(&folded(
            "a mod would rather have another release of one that it can use; no set has room for that (kanon seal tells which)",
            "  ",
        ));
    }
    if report.written {
        out.push_str("next: kanon seal --changes, then kanon seal\n");
    }
    out
}

fn change(line: &ChangeLine) -> String {
    let id = printable(line.mod_id.as_str());
    let version = |version: &Option<String>| printable(version.as_deref().unwrap_or_default());
    let place = line.place.as_ref().map_or_else(String::new, |place| format!(", from {}", printable(place)));
    let needed = if line.needed_by.is_empty() {
        String::new()
    } else {
        format!(", needed by {}", printable(&listed(&line.needed_by)))
    };
    match line.change {
        "added" => format!("{} {id} {}{place}", styled(GOOD, "new    "), version(&line.to)),
        "brought-in" => format!("{} {id} {}{place}{needed}", styled(GOOD, "with it"), version(&line.to)),
        "gone" => format!("{} {id} {}", styled(CARE, "gone   "), version(&line.from)),
        _ => {
            let back = if line.goes_back { styled(CARE, ", which is older") } else { String::new() };
            format!("{} {id} {} -> {}{back}{place}", styled(BOLD, "changed"), version(&line.from), version(&line.to))
        }
    }
}

/// Why nothing fits, in few lines; `is_wished` says whether a mod stands in `kanon.toml` already.
pub fn no_fit(no_fit: &NoFit, is_wished: impl Fn(&str) -> bool) -> String {
    let head = format!("{}: kanon.toml was not changed\n", styled(BAD, "nothing fits"));
    let more = if no_fit.further > 0 { format!("  and {} more such clashes\n", no_fit.further) } else { String::new() };
    let tail = ways_text(no_fit, is_wished);
    let spent = head.lines().count() + more.lines().count() + tail.lines().count();
    let room = LINES.saturating_sub(spent + no_fit.clashes.len());
    let each = room / no_fit.clashes.len().max(1);
    let mut out = head;
    for clash in &no_fit.clashes {
        let words = match clash.wishes.as_slice() {
            [one] => format!("{one} can't be had:"),
            several => format!("{} can't be together:", listed(several)),
        };
        let first = folded(&words, "  ");
        out.push_str(&first);
        let mut left = (each + 1).saturating_sub(first.lines().count());
        for (told, because) in clash.because.iter().enumerate() {
            let text = folded(&because.to_string(), "    ");
            let after = clash.because.len() - told - 1;
            if text.lines().count() + usize::from(after > 0) > left && left > 0 {
                let _ = writeln!(out, "    ... and {} more reasons", after + 1);
                break;
            }
            left = left.saturating_sub(text.lines().count());
            out.push_str(&text);
        }
    }
    out + &more + &tail
}

/// What would fit.
pub fn ways_text(no_fit: &NoFit, is_wished: impl Fn(&str) -> bool) -> String {
    // That a mod which can't be had could be left out goes without saying.
    let alone =
        matches!(no_fit.clashes.as_slice(), [clash] if clash.ids.len() == 1 && !is_wished(clash.ids[0].as_str()));
    let ways = no_fit.ways.iter().filter(|way| !(alone && way.other.is_empty()));
    let ways: String = ways.take(3).map(|way| way_text(way, &is_wished)).collect();
    match no_fit.would_give_up {
        Some(mods) => folded(
            &format!(
                "nothing near it fits: what does would give up {}. Wait for new releases of what stands in the way, or stay with what you have",
                count(mods, "mod")
            ),
            "",
        ),
        None if ways.is_empty() => String::new(),
        None => format!("what would fit:\n{ways}"),
    }
}

fn way_text(way: &WayOut, is_wished: &impl Fn(&str) -> bool) -> String {
    let mut commands: Vec<String> = Vec::new();
    let wished: Vec<&str> = way.without.iter().map(FoldedId::as_str).filter(|id| is_wished(id)).collect();
    let new: Vec<FoldedId> = way.without.iter().filter(|id| !is_wished(id.as_str())).cloned().collect();
    if !way.other.is_empty() {
        let other: Vec<String> = way.other.iter().map(|(id, version)| format!("{id}@{version}")).collect();
        commands.push(format!("kanon take {}", words(&other)));
    }
    if !wished.is_empty() {
        commands.push(format!("kanon drop {}", words(&wished)));
    }
    let mut text = commands.join(", and ");
    if !new.is_empty() {
        let without = format!("leave {} out", listed(&new));
        text = if text.is_empty() { without } else { format!("{text}, and {without}") };
    }
    let moved: Vec<String> = way.moved.iter().take(3).map(|(id, from, to)| format!("{id} {from} -> {to}")).collect();
    let more = way.moved.len().saturating_sub(3);
    let moved = match (moved.is_empty(), more) {
        (true, _) => String::new(),
        (false, 0) => format!("  (with {})", moved.join(", ")),
        (false, more) => format!("  (with {} and {more} more)", moved.join(", ")),
    };
    folded(&format!("{text}{moved}"), "  ")
}

/// Words of a command, each as a shell takes it for one.
fn words<T: AsRef<str>>(words: &[T]) -> String {
    words.iter().map(|word| quoted(word.as_ref())).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use kanon_core::resolve::solve::{Meant, Releases, Says, Span};

    #[test]
    fn an_explanation_keeps_to_its_lines() {
        let long = |n: usize| {
            let says = Says::MadeFor("one thing and another ".repeat(10));
            Reason::Says(Span::Some(format!("mod-{n}").into(), Releases::One("1.0".to_owned())), Box::new(says))
        };
        let clash = |n: usize| Clash {
            ids: vec![format!("a{n}").into(), format!("b{n}").into()],
            wishes: vec![Meant::AnyRelease(format!("a{n}").into()), Meant::of(&format!("b{n}").into(), Some(">=2"))],
            because: (0..7).map(long).collect(),
        };
        let way = WayOut { other: vec![("a".into(), "1".to_owned())], without: vec!["new".into()], moved: Vec::new() };
        for clashes in 1..=3 {
            let told = no_fit(
                &NoFit {
                    clashes: (0..clashes).map(clash).collect(),
                    further: 2,
                    ways: vec![way.clone(); 3],
                    would_give_up: None,
                    given_up: false,
                },
                |id| id != "new",
            );
            assert!(told.lines().count() <= LINES, "{} lines:\n{told}", told.lines().count());
            assert!(told.contains("more reasons") && told.contains("kanon take a@1, and leave new out"), "{told}");
        }
    }
}
