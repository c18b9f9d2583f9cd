//! The commands of a service file: what it runs, and the variables that it sets.

use super::word::{Command, How, Quote, Word};
use crate::text::rows::line_stop;

/// Reads the commands of a service file: each `Exec…` is one, or several with a `;` between, and each `Environment`.
pub fn commands(text: &str) -> Vec<Command> {
    let mut found = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let line = &text[at..line_stop(text, at)];
        let inner = line.trim_start();
        if inner.trim().is_empty() || inner.starts_with(['#', ';', '[']) {
            at += line.len();
            continue;
        }
        let stop = whole(text, at);
        if let Some(sign) = line.find('=') {
            let key = line[..sign].trim();
            let value = at + sign + 1..stop;
            if key.starts_with("Exec") {
                let words = words(text, value.start, value.end);
                found.extend(words.split(|word| word.text() == ";" && word.span.len() == 1).map(|words| {
                    let mut words = words.to_vec();
                    words.iter_mut().take(1).for_each(without_prefix);
                    Command { words }
                }));
            } else if key == "Environment" {
                found.push(Command { words: words(text, value.start, value.end) });
            }
        }
        at = stop.max(at + 1);
    }
    found.retain(|command| !command.words.is_empty());
    found
}

/// The end of a line with those in which it goes on.
fn whole(text: &str, start: usize) -> usize {
    let mut at = start;
    loop {
        let stop = line_stop(text, at);
        let line = text[at..stop].trim_end_matches(['\n', '\r']);
        let is_comment = at > start && text[at..stop].trim_start().starts_with(['#', ';']);
        if stop >= text.len() || !(is_comment || line.ends_with('\\')) {
            return stop;
        }
        at = stop;
    }
}

/// The signs before what is run that say how.
fn without_prefix(word: &mut Word) {
    let Some(first) = word.pieces.first_mut().filter(|piece| piece.how == How::Bare) else { return };
    let length = first.text.len() - first.text.trim_start_matches(['@', '-', ':', '+', '!']).len();
    first.text.drain(..length);
    first.at.start += length;
}

fn words(text: &str, start: usize, stop: usize) -> Vec<Word> {
    let mut found = Vec::new();
    let mut at = start;
    while at < stop {
        let rest = &text[at..stop];
        let Some(c) = rest.chars().next() else { break };
        if c.is_whitespace() {
            at += c.len_utf8();
            // A line between lines that go on may be a comment.
            if c == '\n' && text[at..stop].trim_start().starts_with(['#', ';']) {
                at = line_stop(text, at).min(stop);
            }
        } else if rest.starts_with("\\\n") || rest.starts_with("\\\r\n") {
            at += 1;
        } else {
            let word = word(text, at, stop);
            at = word.span.end.max(at + 1);
            found.push(word);
        }
    }
    found
}

fn word(text: &str, start: usize, stop: usize) -> Word {
    let mut word = Word { span: start..start, ..Word::default() };
    let mut at = start;
    let mut quote: Option<(Quote, usize)> = None;
    let mut from = start;
    let flush = |word: &mut Word, from: usize, at: usize, quote: Option<(Quote, usize)>| {
        if from < at || quote.is_some_and(|(_, open)| open + 1 == from && from == at) {
            word.push(from..at, &text[from..at], quote.map_or(How::Bare, |(quote, _)| How::Quoted(quote)));
        }
    };
    while at < stop {
        let rest = &text[at..stop];
        let Some(c) = rest.chars().next() else { break };
        let goes_on = rest.starts_with("\\\n") || rest.starts_with("\\\r\n");
        match (c, quote) {
            _ if goes_on && quote.is_none() => break,
            (c, None) if c.is_whitespace() => break,
            ('\n', Some(_)) => break,
            ('"' | '\'', None) => {
                flush(&mut word, from, at, quote);
                quote = Some((if c == '"' { Quote::Double } else { Quote::Single }, at));
                at += 1;
                from = at;
            }
            (c, Some((open, _))) if c == open.sign() => {
                flush(&mut word, from, at, quote);
                quote = None;
                at += 1;
                from = at;
            }
            ('\\', _) if goes_on => {
                flush(&mut word, from, at, quote);
                let length = if rest.starts_with("\\\n") { 2 } else { 3 };
                word.push(at..at + length, " ", How::Escape(quote.map(|(quote, _)| quote)));
                at += length;
                from = at;
            }
            ('\\', _) => {
                let next = rest[1..].chars().next();
                let said = match next {
                    Some('s') => Some(" "),
                    Some('t') => Some("\t"),
                    Some('\\') => Some("\\"),
                    Some('"') => Some("\""),
                    Some('\'') => Some("'"),
                    _ => None,
                };
                match said {
                    Some(said) => {
                        flush(&mut word, from, at, quote);
                        word.push(at..at + 2, said, How::Escape(quote.map(|(quote, _)| quote)));
                        at += 2;
                        from = at;
                    }
                    None => at += 1,
                }
            }
            ('$' | '%', _) if rest[1..].starts_with(c) => {
                flush(&mut word, from, at, quote);
                word.push(at..at + 2, c.to_string(), How::Escape(quote.map(|(quote, _)| quote)));
                at += 2;
                from = at;
            }
            ('$', _) => {
                let inner = rest[1..].strip_prefix('{').and_then(|inner| inner.split_once('}')).map(|(name, _)| name);
                let bare = &rest[1..];
                let end = bare.find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(bare.len());
                let (name, length) = inner.map_or((&bare[..end], end + 1), |name| (name, name.len() + 3));
                if length > 1 {
                    flush(&mut word, from, at, quote);
                    word.push(at..at + length, &text[at..at + length], How::Variable(name.to_owned()));
                    at += length;
                    from = at;
                } else {
                    at += 1;
                }
            }
            _ => at += c.len_utf8(),
        }
    }
    if let Some((_, open)) = quote {
        word.open = Some(open);
    }
    flush(&mut word, from, at, quote);
    word.span.end = at;
    word
}
