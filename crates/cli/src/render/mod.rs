//! Reports as text: the summary first, then what to do. Colour never carries the meaning alone.

pub mod align;
pub mod check;
pub mod compare;
pub mod diagnose;
pub mod follow;
pub mod handout;
pub mod health;
pub mod keys;
pub mod learn;
pub mod page;
pub mod rehearsal;
pub mod renewal;
pub mod rulebook;
pub mod seal;
pub mod seek;
pub mod survey;
pub mod wishes;

use anstyle::{AnsiColor, Style};
use kanon_core::base::finding::Severity;
use kanon_core::base::path::printable;
use unicode_width::UnicodeWidthStr;

use crate::screen;

/// The columns that reports keep to.
pub const WIDTH: usize = 100;

pub const BOLD: Style = Style::new().bold();
pub const FAINT: Style = Style::new().dimmed();
// Not bold: terminals make bold colours bright, and bright green and magenta are hard to read on a light ground.
pub const GOOD: Style = AnsiColor::Green.on_default();
pub const BAD: Style = AnsiColor::Red.on_default().bold();
/// What goes, without being bad.
pub const GONE: Style = AnsiColor::Red.on_default();
/// Magenta, not yellow: it can be read on a light ground too.
pub const CARE: Style = AnsiColor::Magenta.on_default();

/// Text in a style.
pub fn styled(style: Style, text: &str) -> String {
    screen::marked(style, text)
}

/// The style of a severity; its word is always there too.
pub const fn of_severity(severity: Severity) -> Style {
    match severity {
        Severity::Blocking => BAD,
        Severity::Risky => CARE,
        Severity::Note => FAINT,
    }
}

/// How sure an inference is, in a column of its own; one that is to be looked at stands out.
pub fn sureness(confidence: f64) -> String {
    let sure = format!("{:3.0} %", confidence * 100.0);
    if confidence < 0.65 { styled(CARE, &sure) } else { sure }
}

/// Text as it stands in HTML or SVG, in an attribute or between tags.
pub fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// `1 file`, `2 files`.
pub fn count(number: usize, thing: &str) -> String {
    counted(number, thing, &format!("{thing}s"))
}

/// `1 shelf`, `2 shelves`.
pub fn counted(number: usize, one: &str, many: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { many })
}

/// Bytes as people read them.
pub fn size(bytes: u64) -> String {
    indicatif::HumanBytes(bytes).to_string()
}

/// A cell padded to a width, cut with a mark if it is longer. What others wrote is made printable.
pub fn cell(text: &str, width: usize) -> String {
    let text = printable(text);
    let len = text.width();
    if len <= width {
        return format!("{text}{}", " ".repeat(width - len));
    }
    let mut cut = String::new();
    for c in text.chars() {
        if cut.width() + c.to_string().width() + 1 > width {
            break;
        }
        cut.push(c);
    }
    let pad = width.saturating_sub(cut.width() + 1);
    format!("{cut}~{}", " ".repeat(pad))
}

/// The width that a column needs, within bounds.
pub fn fitting<'t>(texts: impl Iterator<Item = &'t str>, bounds: (usize, usize)) -> usize {
    texts.map(UnicodeWidthStr::width).max().unwrap_or(0).clamp(bounds.0, bounds.1)
}

/// Folds words into lines of a width, each with an indent; lines after the first hang a little further in.
pub fn folded(text: &str, indent: &str) -> String {
    let room = WIDTH.saturating_sub(indent.len() + 2);
    let mut lines: Vec<String> = vec![String::new()];
    for word in printable(text).split(' ') {
        let line = lines.last_mut().map_or(0, |line| line.width());
        if line > 0 && line + 1 + word.width() > room {
            lines.push(String::new());
        }
        if let Some(line) = lines.last_mut() {
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
    }
    let hang = |number: usize| if number > 0 && !indent.is_empty() { "  " } else { "" };
    lines.iter().enumerate().map(|(number, line)| format!("{indent}{}{line}\n", hang(number))).collect()
}

/// `a`, `a and b`, `a, b and c`.
pub fn listed<T: std::fmt::Display>(names: &[T]) -> String {
    match names {
        [first @ .., last] if !first.is_empty() => {
            let first: Vec<String> = first.iter().map(ToString::to_string).collect();
            format!("{} and {last}", first.join(", "))
        }
        _ => names.iter().map(ToString::to_string).collect(),
    }
}

/// The first lines of what a release says is new.
pub fn notes(text: Option<&str>, indent: &str) -> String {
    const LINES: usize = 3;
    let lines: Vec<&str> = text.unwrap_or_default().lines().filter(|line| !line.trim().is_empty()).collect();
    let mut out: String = lines.iter().take(LINES).map(|line| folded(&format!("| {}", line.trim()), indent)).collect();
    if lines.len() > LINES {
        out.push_str(&format!("{indent}| ... and {} more\n", counted(lines.len() - LINES, "line", "lines")));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_and_folds_keep_to_their_width() {
        assert_eq!(cell("tide", 6), "tide  ");
        assert_eq!(cell("tide-clock", 6), "tide-~");
        assert_eq!(cell("日本語", 4), "日~ ");
        assert_eq!(count(1, "mod") + &count(2, "mod"), "1 mod2 mods");
        assert_eq!(listed(&["a", "b", "c"].map(str::to_owned)), "a, b and c");
        let text = folded(&"word ".repeat(60), "    ");
        assert!(text.lines().all(|line| line.len() <= WIDTH && line.starts_with("    ")), "{text}");
    }
}
