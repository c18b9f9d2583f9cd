//! The words of a file of arguments, of a variable's value, and of whatever else holds a command line: parted by blanks and
//! line ends, grouped by quotes.

use super::dialect::is_comment;
use super::word::{Command, How, Quote, Word};

/// Reads all words of a text as those of one command; lines that are comments, and comments behind words, count for nothing
/// where `with_comments` says that there may be some.
pub fn command(text: &str, with_comments: bool) -> Command {
    let mut words = Vec::new();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        if !with_comments || !is_comment(line) {
            of_line(text, at..at + line.len(), with_comments, &mut words);
        }
        at += line.len();
    }
    Command { words }
}

fn of_line(text: &str, line: std::ops::Range<usize>, with_comments: bool, words: &mut Vec<Word>) {
    let mut at = line.start;
    while at < line.end {
        let rest = &text[at..line.end];
        let Some(c) = rest.chars().next() else { break };
        if c.is_whitespace() {
            at += c.len_utf8();
            continue;
        }
        let is_break = |rest: &str| matches!(rest.trim_end_matches(['\r', '\n']), "\\" | "^") && rest.ends_with('\n');
        if with_comments && (is_spaced(rest, "#") || is_spaced(rest, "//")) || is_break(rest) {
            return;
        }
        let word = word(text, at, line.end, &is_break);
        at = word.span.end.max(at + 1);
        words.push(word);
    }
}

/// Whether a comment begins here: a sign with a blank behind it.
fn is_spaced(rest: &str, sign: &str) -> bool {
    rest.strip_prefix(sign).is_some_and(|after| after.is_empty() || after.starts_with(char::is_whitespace))
}

fn word(text: &str, start: usize, stop: usize, is_break: &dyn Fn(&str) -> bool) -> Word {
    let mut word = Word { span: start..start, ..Word::default() };
    let mut at = start;
    while at < stop {
        let rest = &text[at..stop];
        let Some(c) = rest.chars().next() else { break };
        // A semicolon at the end ends what is said, and is no part of it.
        let ends = c == ';' && at > start && rest[1..].chars().next().is_none_or(char::is_whitespace);
        if c.is_whitespace() || is_break(rest) || ends {
            break;
        }
        let may_open = at == start || text[start..at].ends_with(['=', ':', ',', '(', '[', '{', ';']);
        let quote = match c {
            '"' => Some(Quote::Double),
            '\'' => Some(Quote::Single),
            _ => None,
        };
        let Some(quote) = quote.filter(|_| may_open) else {
            word.bare(at, c);
            at += c.len_utf8();
            continue;
        };
        match closing(&rest[1..], c) {
            Some(length) => {
                quoted(&mut word, text, at + 1..at + 1 + length, quote);
                at += length + 2;
                // What begins with a quote ends with it.
                if word.span.start + length + 2 == at {
                    break;
                }
            }
            None => {
                word.open = Some(at);
                word.bare(at, c);
                at += 1;
            }
        }
    }
    word.span.end = at;
    word
}

/// How far it is to the quote that closes, on the same line.
fn closing(rest: &str, quote: char) -> Option<usize> {
    let mut escaped = false;
    for (at, c) in rest.char_indices() {
        match c {
            '\n' => return None,
            c if c == quote && !escaped => return Some(at),
            _ => escaped = c == '\\' && !escaped && rest[at + 1..].starts_with(quote),
        }
    }
    None
}

fn quoted(word: &mut Word, text: &str, at: std::ops::Range<usize>, quote: Quote) {
    let inner = &text[at.clone()];
    let mut from = 0;
    let escape = format!("\\{}", quote.sign());
    while let Some(offset) = inner[from..].find(&escape) {
        let here = from + offset;
        word.push(at.start + from..at.start + here, &inner[from..here], How::Quoted(quote));
        word.push(at.start + here..at.start + here + 2, quote.sign().to_string(), How::Escape(Some(quote)));
        from = here + 2;
    }
    if from < inner.len() || inner.is_empty() {
        word.push(at.start + from..at.end, &inner[from..], How::Quoted(quote));
    }
}
