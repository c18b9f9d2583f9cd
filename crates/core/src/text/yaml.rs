//! YAML: the first document of a text, by the events of a parser that knows its places.

use std::collections::HashMap;
use std::ops::Range;

use saphyr_parser::{Event, Parser, ScalarStyle, Span, StrInput};
use serde_json::Value;

use super::flaw::Flaw;
use super::kinds::{DocumentError, invalid};
use super::rows::line_start;
use super::tree::{Field, Form, Kind, Node};
use crate::base::limits;

/// Reads a text as a tree.
pub fn tree(text: &str) -> Result<Node, DocumentError> {
    refuse_expansion(text)?;
    let starts: Vec<usize> = text.char_indices().map(|(at, _)| at).chain([text.len()]).collect();
    let mut reader = Reader { parser: Parser::new_from_str(text), text, starts, depth: 0, anchors: HashMap::new() };
    let read = loop {
        match reader.next() {
            Ok((Event::StreamStart | Event::DocumentStart(_) | Event::Nothing, _)) => {}
            Ok((Event::StreamEnd | Event::DocumentEnd, _)) => break Err(Flaw::Empty),
            Ok((event, span)) => break reader.node(&event, span),
            Err(error) => break Err(error),
        }
    };
    let node = read.map_err(|reason| invalid("YAML", reason))?;
    // What comes behind the first document is not looked at, but must end it.
    match reader.next() {
        Ok(_) => Ok(node),
        Err(reason) => Err(invalid("YAML", reason)),
    }
}

struct Reader<'t> {
    parser: Parser<'t, StrInput<'t>>,
    text: &'t str,
    /// Where each character begins; the parser counts in characters.
    starts: Vec<usize>,
    depth: usize,
    anchors: HashMap<usize, Value>,
}

impl<'t> Reader<'t> {
    fn next(&mut self) -> Result<(Event<'t>, Range<usize>), Flaw> {
        let (event, span) = self.parser.next().ok_or(Flaw::EndsTooSoon)?.map_err(Flaw::told)?;
        Ok((event, self.bytes(span)))
    }

    fn bytes(&self, span: Span) -> Range<usize> {
        let of = |index: usize| self.starts.get(index).copied().unwrap_or(self.text.len());
        of(span.start.index())..of(span.end.index())
    }

    fn node(&mut self, event: &Event<'t>, span: Range<usize>) -> Result<Node, Flaw> {
        if self.depth > limits::DEPTH {
            return Err(Flaw::TooDeep);
        }
        self.depth += 1;
        let (node, anchor) = match event {
            Event::SequenceStart(anchor, tag) => (self.list(span)?, (*anchor, tag.is_some())),
            Event::MappingStart(anchor, tag) => (self.table(span)?, (*anchor, tag.is_some())),
            // Where nothing is written, the parser's own place is that of something else.
            Event::Scalar(text, ScalarStyle::Plain, anchor, tag) if text.is_empty() => {
                (Node::new(span.start..span.start, Kind::Scalar(Value::Null)), (*anchor, tag.is_some()))
            }
            Event::Scalar(text, style, anchor, tag) => {
                let length = scalar_length(&self.text[span.clone()], *style);
                let value = match tag {
                    Some(_) => tagged(text, tag.as_ref().map(|tag| tag.suffix.as_str()).unwrap_or_default()),
                    None if *style == ScalarStyle::Plain => plain(text),
                    None => Value::String(text.clone().into_owned()),
                };
                let end = span.start + length;
                let node = match style {
                    // What says its own kind is changed by those who know why.
                    _ if tag.is_some() => Node::new(span.start..end, Kind::Elsewhere(value)),
                    ScalarStyle::Literal | ScalarStyle::Folded => self.block(span.start, end, value),
                    _ => Node::new(span.start..end, Kind::Scalar(value)),
                };
                (node, (*anchor, tag.is_some()))
            }
            Event::Alias(anchor) => {
                let value = self.anchors.get(anchor).cloned().ok_or(Flaw::LoneAlias)?;
                (Node::new(span, Kind::Elsewhere(value)), (0, false))
            }
            _ => return Err(Flaw::NoValue),
        };
        if anchor.0 > 0 {
            self.anchors.insert(anchor.0, node.value());
        }
        self.depth -= 1;
        Ok(node)
    }

    /// A text in lines of its own begins with the sign that says so, on the line above.
    fn block(&self, start: usize, end: usize, value: Value) -> Node {
        let line = line_start(self.text, start);
        let above = self.text[..line].trim_end().len();
        let head = &self.text[line_start(self.text, above)..above];
        let sign = head.rfind([' ', '\t']).map_or(0, |at| at + 1);
        if self.text[start..].starts_with(['|', '>']) {
            Node::new(start..end, Kind::Scalar(value))
        } else if head[sign..].starts_with(['|', '>']) {
            Node::new(line_start(self.text, above) + sign..end, Kind::Scalar(value))
        } else {
            Node::new(start..end, Kind::Elsewhere(value))
        }
    }

    fn form(&self, span: &Range<usize>) -> Form {
        if self.text[span.start..].starts_with(['[', '{']) { Form::Brackets } else { Form::Lines }
    }

    fn list(&mut self, start: Range<usize>) -> Result<Node, Flaw> {
        let mut items = Vec::new();
        loop {
            match self.next()? {
                (Event::SequenceEnd, end) => {
                    let form = self.form(&start);
                    let end = self.end_of(form, items.last().map(Node::last), &end);
                    return Ok(Node::new(start.start..end.max(start.start), Kind::List(items, form)));
                }
                (event, span) => items.push(self.node(&event, span)?),
            }
        }
    }

    fn table(&mut self, start: Range<usize>) -> Result<Node, Flaw> {
        let mut fields: Vec<Field> = Vec::new();
        let mut names = std::collections::HashSet::new();
        loop {
            match self.next()? {
                (Event::MappingEnd, end) => {
                    let form = self.form(&start);
                    let end = self.end_of(form, fields.last().map(|field| field.whole.end), &end);
                    return Ok(Node::new(start.start..end.max(start.start), Kind::Table(fields, form)));
                }
                (Event::Scalar(name, style, ..), key) => {
                    let key = key.start..key.start + scalar_length(&self.text[key], style);
                    if !names.insert(name.clone()) {
                        return Err(Flaw::KeyTwice(name.into_owned()));
                    }
                    let (event, span) = self.next()?;
                    let mut node = self.node(&event, span)?;
                    // Nothing stands where the colon leaves off.
                    if node.span.is_empty() && node.is_scalar() {
                        let behind = self.text[key.end..].trim_start();
                        let colon = self.text.len() - behind.len() + 1;
                        node = match behind.starts_with(':') {
                            true => Node::new(colon..colon, Kind::Scalar(Value::Null)),
                            // A key without a colon has no place for a value.
                            false => Node::new(key.end..key.end, Kind::Elsewhere(Value::Null)),
                        };
                    }
                    let whole = key.start..node.last().max(key.end);
                    fields.push(Field { name: name.into_owned(), key, whole, node });
                }
                _ => return Err(Flaw::OddKey),
            }
        }
    }

    /// A block ends where its last value does, whatever the parser has looked at since.
    fn end_of(&self, form: Form, last: Option<usize>, end: &Range<usize>) -> usize {
        match (form, last) {
            (Form::Brackets, _) | (_, None) => end.end,
            (_, Some(last)) => last,
        }
    }
}

/// The length of a value at the beginning of a text; the parser's own end may lie behind blanks and a comment.
fn scalar_length(text: &str, style: ScalarStyle) -> usize {
    let end = match style {
        ScalarStyle::SingleQuoted => text.get(1..).and_then(|rest| {
            let mut at = 0;
            loop {
                at += rest[at..].find('\'')?;
                if !rest[at + 1..].starts_with('\'') {
                    return Some(at + 2);
                }
                at += 2;
            }
        }),
        ScalarStyle::DoubleQuoted => text.get(1..).and_then(|rest| {
            let mut escaped = false;
            let closes = |(_, c): &(usize, char)| {
                let is_end = *c == '"' && !escaped;
                escaped = *c == '\\' && !escaped;
                is_end
            };
            rest.char_indices().find(closes).map(|(at, _)| at + 2)
        }),
        ScalarStyle::Literal | ScalarStyle::Folded => None,
        ScalarStyle::Plain => [" #", "\t#", "\n#"].iter().filter_map(|mark| text.find(mark)).min(),
    };
    text[..end.unwrap_or(text.len())].trim_end().len()
}

/// What a text without quotes is: nothing, a flag, a number, or a text. By YAML 1.2's core schema.
pub fn plain(text: &str) -> Value {
    match text {
        "" | "~" | "null" | "Null" | "NULL" => return Value::Null,
        "true" | "True" | "TRUE" => return Value::Bool(true),
        "false" | "False" | "FALSE" => return Value::Bool(false),
        _ => {}
    }
    let unsigned = text.strip_prefix(['-', '+']).unwrap_or(text);
    let sign = if text.starts_with('-') { "-" } else { "" };
    for (mark, radix) in [("0x", 16), ("0o", 8), ("0b", 2)] {
        if let Some(digits) =
            unsigned.strip_prefix(mark).filter(|digits| digits.starts_with(|c: char| c.is_ascii_hexdigit()))
        {
            return i64::from_str_radix(&format!("{sign}{digits}"), radix)
                .map_or_else(|_| Value::String(text.to_owned()), Value::from);
        }
    }
    // A zero in front is one of a text: of a code, a date, a version.
    let is_padded =
        unsigned.len() > 1 && unsigned.starts_with('0') && unsigned[1..].starts_with(|c: char| c.is_ascii_digit());
    if is_padded || !unsigned.starts_with(|c: char| c.is_ascii_digit() || c == '.') {
        return Value::String(text.to_owned());
    }
    let digits = text.strip_prefix('+').unwrap_or(text);
    if let Ok(number) = digits.parse::<i64>() {
        return Value::from(number);
    }
    if let Ok(number) = digits.parse::<u64>() {
        return Value::from(number);
    }
    let numeric = unsigned.chars().all(|c| c.is_ascii_digit() || matches!(c, '.' | 'e' | 'E' | '+' | '-'));
    match digits.parse::<f64>() {
        Ok(number) if numeric && number.is_finite() => Value::from(number),
        _ if matches!(unsigned, ".inf" | ".Inf" | ".INF" | ".nan" | ".NaN" | ".NAN") => Value::Null,
        _ => Value::String(text.to_owned()),
    }
}

fn tagged(text: &str, tag: &str) -> Value {
    match tag {
        "int" | "float" | "bool" | "null" => plain(text),
        _ => Value::String(text.to_owned()),
    }
}

/// Whether a text, written without quotes, is a text to every reader of YAML, whatever its version.
pub fn is_plain_text(value: &str) -> bool {
    let starts_well = value.starts_with(|c: char| c.is_alphanumeric() || matches!(c, '/' | '.' | '_'));
    let word = value.to_ascii_lowercase();
    let is_word = matches!(
        word.as_str(),
        "y" | "n" | "yes" | "no" | "on" | "off" | "true" | "false" | "null" | "nan" | "inf" | ".nan" | ".inf"
    );
    // Numbers of all kinds, dates, times.
    let from_digit = value.starts_with(|c: char| c.is_ascii_digit() || c == '.');
    let of_digits = value.chars().all(|c| c.is_ascii_digit() || matches!(c, '.' | '_' | ':' | '-' | '+' | 'T' | 'Z'));
    let like_number =
        from_digit && (of_digits || value.starts_with("0x") || value.starts_with("0o") || value.parse::<f64>().is_ok());
    starts_well
        && !is_word
        && !like_number
        && !value.ends_with([':', ' '])
        && !value.contains(": ")
        && !value.contains(" #")
        && !value.contains(|c: char| c.is_control() || matches!(c, '[' | ']' | '{' | '}' | ',' | '"' | '\'' | '`'))
}

/// Refuses a document whose aliases, written out, make more of it than any document has.
fn refuse_expansion(text: &str) -> Result<(), DocumentError> {
    if !text.contains('*') {
        return Ok(());
    }
    // How many values each anchor stands for, and those that are open, with how many they have so far.
    let mut sizes: HashMap<usize, usize> = HashMap::new();
    let mut open: Vec<(usize, usize)> = Vec::new();
    let mut total = 0usize;
    for event in Parser::new_from_str(text) {
        // What is wrong with it, the reader tells.
        let Ok((event, _)) = event else { return Ok(()) };
        let values = match event {
            Event::Scalar(_, _, anchor, _) => {
                sizes.insert(anchor, 1);
                1
            }
            Event::Alias(anchor) => sizes.get(&anchor).copied().unwrap_or(1),
            Event::SequenceStart(anchor, _) | Event::MappingStart(anchor, _) => {
                open.push((anchor, 1));
                continue;
            }
            Event::SequenceEnd | Event::MappingEnd => {
                let (anchor, values) = open.pop().unwrap_or_default();
                sizes.insert(anchor, values);
                values
            }
            _ => continue,
        };
        match open.last_mut() {
            Some((_, inner)) => *inner = inner.saturating_add(values),
            None => total = total.saturating_add(values),
        }
        let most = open.iter().map(|(_, values)| *values).max().unwrap_or(0).max(total);
        if most > limits::DOCUMENT_NODES || open.len() > limits::DEPTH {
            return Err(DocumentError::TooMany);
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("reed", true)]
    #[case("1.2.0-beta", true)]
    #[case("mods/reed.pak", true)]
    #[case("no", false)]
    #[case("On", false)]
    #[case("1.2", false)]
    #[case("1.2.0", false)]
    #[case("2026-11-28", false)]
    #[case("12:30", false)]
    #[case("0x1F", false)]
    #[case("a: b", false)]
    #[case("a #b", false)]
    #[case("#a", false)]
    #[case("~", false)]
    #[case("", false)]
    fn what_could_be_read_as_something_else_is_quoted(#[case] text: &str, #[case] plain: bool) {
        assert_eq!(is_plain_text(text), plain);
    }
}
