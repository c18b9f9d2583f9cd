//! A server's health as text, with a small chart of when it fell behind.

use std::fmt::Write;

use kanon_core::base::path::printable;
use kanon_core::logs::health::{Health, LOOP, Memory, Start};

use super::{BAD, BOLD, CARE, FAINT, GOOD, count, size, styled};

/// The steps of a chart's columns.
const COLUMNS: [char; 9] = [' ', '▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
/// So many starts and mods are told.
const MOST: usize = 10;

/// A report as text.
pub fn text(health: &Health) -> String {
    let head = if health.is_good() { styled(GOOD, "in good health") } else { styled(BAD, "not well") };
    let mut out = format!("{head}: {}\n", summary(health));
    if health.by_everyday_words {
        out.push_str("the rulebook has no pattern for falling behind (means = \"lag\"), so everyday words had to do\n");
    }
    if !health.starts.is_empty() {
        let _ = writeln!(out, "\n{}", styled(BOLD, "Starts"));
        health.starts.iter().rev().take(MOST).rev().for_each(|start| out.push_str(&told(start)));
        if health.starts.len() > MOST {
            let _ = writeln!(out, "  ... and {} before", count(health.starts.len() - MOST, "start"));
        }
    }
    if let Some(memory) = &health.memory {
        let _ = writeln!(out, "\n{}\n  {}", styled(BOLD, "Memory"), memory_told(memory));
    }
    out.push_str(&chart(health));
    if !health.mods.is_empty() {
        let _ = writeln!(out, "\n{}", styled(BOLD, "Named when something was wrong"));
        for named in health.mods.iter().take(MOST) {
            let cost = named.seconds.map_or_else(String::new, |seconds| format!("  {seconds:.1} s behind in them"));
            let lines = count(usize::try_from(named.lines).unwrap_or(usize::MAX), "line");
            let _ = writeln!(out, "  {lines:>12}  {}{cost}", printable(&named.id));
        }
        out.push_str("  a name in such a line is a hint, not a proof: kanon isolate proves it\n");
    }
    out
}

fn summary(health: &Health) -> String {
    let mut parts = vec![count(health.starts.len(), "start")];
    let never = health.starts.iter().filter(|start| !start.came_up).count();
    if never > 0 {
        parts.push(format!("{never} of them never came up"));
    }
    if health.restarts_in_a_row >= LOOP {
        parts.push(format!(
            "{} in a row within minutes: it crashes, and something starts it again",
            count(health.restarts_in_a_row, "restart")
        ));
    }
    let mut told = |number: u64, thing: &str| {
        if number > 0 {
            parts.push(count(usize::try_from(number).unwrap_or(usize::MAX), thing));
        }
    };
    told(health.lag_lines, "line of falling behind");
    told(health.out_of_memory, "line of memory running out");
    told(health.crashes, "unexpected end");
    parts
        .join(", ")
        .replace("line of falling behinds", "lines of falling behind")
        .replace("line of memory running outs", "lines of memory running out")
}

fn told(start: &Start) -> String {
    let at = start.at.as_deref().unwrap_or("--:--:--");
    if !start.came_up {
        return format!(
            "  {at}  {} after {}\n",
            styled(BAD, "never came up"),
            count(usize::try_from(start.mods).unwrap_or(0), "mod")
        );
    }
    let seconds = match start.seconds {
        None => "up, in a time that its log does not tell".to_owned(),
        Some(seconds) if seconds < 1.0 => "up within a second".to_owned(),
        Some(seconds) => format!("up after {seconds:.0} s"),
    };
    let settled = start.settled.filter(|settled| start.seconds.is_some_and(|seconds| *settled > seconds));
    let went_on = settled.map_or_else(String::new, |settled| format!(", went on loading until {settled:.0} s"));
    format!("  {at}  {seconds}{went_on}, {}\n", count(usize::try_from(start.mods).unwrap_or(0), "mod"))
}

fn memory_told(memory: &Memory) -> String {
    let amount = |value: f64| match memory.percent {
        true => format!("{value:.0} %"),
        false => size(value as u64),
    };
    let grows = memory.last > memory.first * 1.5;
    let trend = if grows { format!(" {}", styled(CARE, "- it grows")) } else { String::new() };
    format!(
        "at first {}, at last {}, at most {}{trend}",
        amount(memory.first),
        amount(memory.last),
        amount(memory.most)
    )
}

fn chart(health: &Health) -> String {
    let Some(most) = health.over_time.iter().map(|part| part.lag_lines).max().filter(|most| *most > 0) else {
        return String::new();
    };
    let column = |lines: u64| match lines {
        0 => COLUMNS[0],
        lines => COLUMNS[usize::try_from(1 + (lines - 1) * 7 / most.max(1)).unwrap_or(8).min(8)],
    };
    let columns: String = health.over_time.iter().map(|part| column(part.lag_lines)).collect();
    let (first, last) = (&health.over_time[0].from, health.over_time.last().map_or("", |part| part.from.as_str()));
    let worst = health.worst_lag.map_or_else(String::new, |worst| format!(", the worst {worst:.1} s"));
    let busiest = health.over_time.iter().position(|part| part.lag_lines == most).unwrap_or(0);
    let from = &health.over_time[busiest].from;
    let busiest = match health.over_time.get(busiest + 1) {
        Some(next) => format!("between {from} and {}", next.from),
        None => format!("after {from}"),
    };
    format!(
        "\n{} {}\n  |{columns}|\n  {first}{}{last}\n  most {busiest}: {most} lines{worst}\n",
        styled(BOLD, "Falling behind over time"),
        styled(FAINT, "(the higher, the more lines)"),
        " ".repeat(columns.chars().count().saturating_sub(first.len() + last.len()) + 2),
    )
}
