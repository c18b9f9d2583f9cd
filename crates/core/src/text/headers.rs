//! Headers: `Key: value` lines, as letters have them above their text. What stands below the first empty line is no header.

use super::flaw::{Flaw, Malformed};
use super::lines::{Given, gathered, placed_lines};
use super::tree::{Form, Kind, Node};

/// A line of so many bytes was cut by who wrote it, and goes on without a blank.
const CUT: usize = 70;

/// Reads the headers of a text as a tree. A line that begins with a blank goes on with the value above it; a key that stands
/// several times is a list.
///
/// # Errors
/// When a line is neither a header nor the rest of one.
pub fn tree(text: &str) -> Result<Node, Malformed> {
    let mut headers: Vec<Given> = Vec::new();
    let mut above = 0;
    for (number, (at, line)) in placed_lines(text).into_iter().enumerate() {
        let is_empty = line.trim().is_empty();
        if is_empty && headers.is_empty() || line.starts_with('#') {
            continue;
        }
        if is_empty {
            break;
        }
        if line.starts_with([' ', '\t']) {
            let open = headers.last_mut().ok_or_else(|| Flaw::GoesOnWithNothing.on_line(number + 1))?;
            let (own, end) = (line.trim(), at + line.trim_end().len());
            // Who cuts lines at a width cuts words; who does not begins a word.
            let glue = if above >= CUT || open.value.is_empty() { "" } else { " " };
            let rest = if above >= CUT { line[1..].trim_end() } else { own };
            open.value = format!("{}{glue}{rest}", open.value);
            (open.at.end, open.whole.end) = (end, end);
        } else {
            headers.push(header(at, line).ok_or_else(|| Flaw::NoHeader.on_line(number + 1))?);
        }
        above = line.len();
    }
    if headers.is_empty() {
        return Err(Flaw::NoHeaders.into());
    }
    Ok(Node::new(0..text.len(), Kind::Table(gathered(headers), Form::Lines)))
}

fn header(at: usize, line: &str) -> Option<Given> {
    let (key, after) = line.split_once(':')?;
    let is_key = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_' | '.' | ' ');
    if key.trim().is_empty() || !key.chars().all(is_key) || !(after.is_empty() || after.starts_with([' ', '\t'])) {
        return None;
    }
    let value = after.trim();
    let start = at + line.len() - after.trim_start().len();
    let value_at = start..start + value.len();
    let key = key.trim_end();
    Some(Given {
        key: key.to_owned(),
        key_at: at..at + key.len(),
        whole: at..value_at.end,
        at: value_at,
        value: value.to_owned(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use serde_json::json;

    #[rstest]
    #[case::plain("Card: reed\nRelease: 1.2\n", json!({"Card": "reed", "Release": "1.2"}))]
    #[case::text_below("Card: reed\n\nMuch: of this\nis no header", json!({"Card": "reed"}))]
    #[case::goes_on("Wants: fog,\n  mist (>= 1.2)\nCard: reed", json!({"Wants": "fog, mist (>= 1.2)", "Card": "reed"}))]
    #[case::several("Wants: fog\r\nWants: mist\r\n", json!({"Wants": ["fog", "mist"]}))]
    #[case::an_address("At: https://reeds.example:80/a\nNote:\n", json!({"At": "https://reeds.example:80/a", "Note": ""}))]
    #[case::begins_late("\n# by a tool\nMod Name: reed", json!({"Mod Name": "reed"}))]
    #[case::cut_at_a_width(
        "Wants: aaaaaaaaaaaaaaaaaaaa,bbbbbbbbbbbbbbbbbbbbbbbbbb,cccccccccccccccc,fo\n g,mist\n",
        json!({"Wants": "aaaaaaaaaaaaaaaaaaaa,bbbbbbbbbbbbbbbbbbbbbbbbbb,cccccccccccccccc,fog,mist"})
    )]
    fn headers_are_read(#[case] text: &str, #[case] expected: serde_json::Value) {
        assert_eq!(tree(text).expect("headers").into_value(), expected);
    }

    #[rstest]
    #[case("", "no `Key: value`")]
    #[case("a = b", "line 1: it is no")]
    #[case(" x: y", "line 1: it goes on with nothing")]
    #[case("Card: reed\nthen words", "line 2: it is no")]
    #[case("http://reeds.example", "line 1: it is no")]
    fn what_is_none_is_told(#[case] text: &str, #[case] told: &str) {
        let refused = tree(text).expect_err("no headers").to_string();
        assert!(refused.contains(told), "{refused}");
    }
}
