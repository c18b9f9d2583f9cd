//! Block syntax: what scripts and configurations of many languages say as data, `name = "x"`, `needs = { "a", ["b"] = 2 }`,
//! `card { … }`, `card("x")`, `"name" "x"`. No line of it is run; what is no data is passed over.

use std::ops::Range;

use serde_json::Value;

use super::flaw::Flaw;
use super::kinds::{DocumentError, invalid};
use super::tree::{Field, Form, Kind, Node};
use crate::base::limits;

/// Reads a text as a tree. Names with dots are tables in tables; of two values of one name the first counts, and what is
/// called several times is a list; the text before a block (`card "reed" { … }`) is its `#text`.
///
/// # Errors
/// When brackets or quotes are not closed, when it is nested too deep, or when nothing in it is data.
pub fn tree(text: &str) -> Result<Node, DocumentError> {
    read(text).map(|(node, _)| node)
}

/// Whether all of a text is data: no statement had to be passed over.
pub fn is_all_data(text: &str) -> bool {
    read(text).is_ok_and(|(_, passed_over)| passed_over.is_none())
}

/// Whether a text begins with data, whatever follows: a table of several fields, the card at the head of a script; or some fields of a
/// table that is returned.
pub fn begins_with_data(text: &str) -> bool {
    read(text).is_ok_and(|(node, passed_over)| {
        let is_before = |field: &Field| passed_over.is_none_or(|at| field.whole.end <= at);
        let is_table = |field: &Field| is_before(field) && field.node.fields().len() >= 2;
        let is_returned = text.trim_start().starts_with("return");
        let several = || node.fields().iter().take_while(|field| is_before(field)).count() >= 3;
        node.fields().first().is_some_and(is_table) || is_returned && several()
    })
}

/// Reads a text; also where the first statement is that was passed over.
fn read(text: &str) -> Result<(Node, Option<usize>), DocumentError> {
    let mut reader = Reader { text, at: 0, passed_over: None };
    let node = reader.document().map_err(|flaw| {
        let line = text[..reader.at.min(text.len())].matches('\n').count() + 1;
        invalid("block syntax", flaw.on_line(line))
    })?;
    Ok((node, reader.passed_over))
}

struct Reader<'t> {
    text: &'t str,
    at: usize,
    /// Where the first statement is that is no data.
    passed_over: Option<usize>,
}

type Read<T> = Result<T, Flaw>;

/// What stands where a field may stand.
enum Found {
    /// A field: the names that lead to it, and how it was said.
    Field(Vec<String>, Field, FieldForm),
    /// The beginning of an expression, which was passed over with the rest of it: it must not be read once more.
    PassedOver,
    /// Something else.
    Nothing,
}

/// How a field was said.
#[derive(Clone, Copy, PartialEq, Eq)]
enum FieldForm {
    /// With a sign between name and value.
    Set,
    /// Name and value side by side.
    Called,
}

/// What scripts call to have a text in the player's language.
const TRANSLATES: [&str; 6] = ["_", "N_", "T", "tr", "translate", "gettext"];

impl<'t> Reader<'t> {
    fn document(&mut self) -> Read<Node> {
        let mut fields: Vec<Field> = Vec::new();
        let mut whole: Option<Node> = None;
        loop {
            self.blanks()?;
            if self.rest().is_empty() {
                break;
            }
            if self.eat(&[";", ","]) || self.long_text()?.is_some() {
                continue;
            }
            if self.rest().starts_with('{') || self.word_is("return") {
                let word = self.rest().starts_with("return");
                self.at += if word { "return".len() } else { 0 };
                self.blanks()?;
                match self.value(0)? {
                    Some(node) if whole.is_none() => whole = Some(node),
                    _ => self.pass_over(),
                }
                continue;
            }
            self.at += if self.word_is("local") { "local".len() } else { 0 };
            self.blanks()?;
            match self.field(0)? {
                Found::Field(path, field, said) => put(&mut fields, &path, field, said),
                Found::PassedOver => {}
                Found::Nothing => self.pass_over(),
            }
        }
        match whole {
            Some(mut node) if !fields.is_empty() => {
                if let Kind::Table(own, _) = &mut node.kind {
                    fields.append(own);
                }
                Ok(Node::new(0..self.text.len(), Kind::Table(fields, Form::Brackets)))
            }
            Some(node) => Ok(node),
            None if fields.is_empty() => Err(Flaw::NoData),
            None => Ok(Node::new(0..self.text.len(), Kind::Table(fields, Form::Brackets))),
        }
    }

    /// `name = value`, `["name"] = value`, `name value`, `name(value)`; nothing where none stands.
    fn field(&mut self, depth: usize) -> Read<Found> {
        let begin = self.at;
        let Some((path, key)) = self.name()? else { return Ok(Found::Nothing) };
        self.blanks_on_line()?;
        let rest = self.rest();
        let is_sign = rest.starts_with(['=', ':']) && !rest.starts_with("==") && !rest.starts_with("::");
        let said = if is_sign { FieldForm::Set } else { FieldForm::Called };
        let node = if is_sign {
            self.at += 1;
            self.at += usize::from(self.rest().starts_with('>'));
            self.blanks()?;
            self.value(depth)?
        } else if self.eat(&["("]) {
            self.arguments(depth)?
        } else {
            self.beside(depth)?
        };
        let Some(node) = node else {
            self.at = self.at.max(begin);
            return Ok(Found::Nothing);
        };
        if self.goes_on() {
            self.pass_over_in_table(self.at, depth)?;
            return Ok(Found::PassedOver);
        }
        let name = path.last().cloned().unwrap_or_default();
        let whole = key.start..node.span.end;
        Ok(Found::Field(path, Field { name, key, whole, node }, said))
    }

    /// A name: a word, words with dots between, a text in quotes, or either in brackets.
    fn name(&mut self) -> Read<Option<(Vec<String>, Range<usize>)>> {
        let start = self.at;
        if self.rest().starts_with(['"', '\'']) {
            let text = self.quoted()?;
            return Ok(Some((vec![text], start..self.at)));
        }
        if self.rest().starts_with('[') && !self.rest().starts_with("[[") {
            self.at += 1;
            self.blanks()?;
            let inner = if self.rest().starts_with(['"', '\'']) { self.quoted()? } else { self.token().to_owned() };
            self.blanks()?;
            if inner.is_empty() || !self.eat(&["]"]) {
                self.at = start;
                return Ok(None);
            }
            return Ok(Some((vec![inner], start..self.at)));
        }
        let word = self.rest();
        let end = word.find(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '-' | '.'))).unwrap_or(word.len());
        let word = word[..end].trim_end_matches('.');
        if word.is_empty() || word.starts_with('-') {
            return Ok(None);
        }
        self.at += word.len();
        Ok(Some((word.split('.').map(str::to_owned).collect(), start..self.at)))
    }

    /// The value right behind a name: a text, perhaps with a block behind it, a block, or a word on the same line.
    fn beside(&mut self, depth: usize) -> Read<Option<Node>> {
        if self.rest().starts_with(['"', '\'']) {
            let start = self.at;
            let label = Node::text(start..start, &self.quoted()?);
            let label = Node { span: start..self.at, ..label };
            let back = self.at;
            self.blanks()?;
            if !self.rest().starts_with('{') {
                self.at = back;
                return Ok(Some(label));
            }
            let mut block = self.table(depth + 1)?;
            if let Kind::Table(fields, _) = &mut block.kind {
                let at = label.span.clone();
                fields.insert(0, Field { name: "#text".to_owned(), key: at.clone(), whole: at, node: label });
            }
            return Ok(Some(block));
        }
        let back = self.at;
        if self.rest().starts_with(['\n', '\r']) {
            self.blanks()?;
        }
        if self.rest().starts_with('{') {
            return self.table(depth + 1).map(Some);
        }
        self.at = back;
        // A word beside a word is a value where the line ends behind it.
        let start = self.at;
        let is_apart = self.text[..start].ends_with([' ', '\t']);
        let word = self.token();
        let rest = self.rest().trim_start_matches([' ', '\t']);
        let is_comment = rest.starts_with("--") || rest.starts_with("//") || rest.starts_with('#');
        let ends = is_comment || rest.is_empty() || rest.starts_with(['\n', '\r', ';', ',', '}']);
        if word.is_empty() || !is_apart || !ends {
            self.at = start;
            return Ok(None);
        }
        Ok(Some(bare(word, start..self.at)))
    }

    /// What is between the brackets of a call: one value, or several as a list.
    fn arguments(&mut self, depth: usize) -> Read<Option<Node>> {
        let start = self.at;
        let Some(mut items) = self.in_round_brackets(depth)? else { return Ok(None) };
        let single = if items.len() == 1 { items.pop() } else { None };
        let many = (!items.is_empty()).then(|| Node::new(start..self.at, Kind::List(items, Form::Brackets)));
        Ok(single.or(many))
    }

    /// The values up to a closing bracket; none where something else stands among them.
    fn in_round_brackets(&mut self, depth: usize) -> Read<Option<Vec<Node>>> {
        let mut items = Vec::new();
        loop {
            self.blanks()?;
            if self.eat(&[")"]) {
                return Ok(Some(items));
            }
            if self.eat(&[","]) {
                continue;
            }
            let Some(item) = self.value(depth + 1)? else { return Ok(None) };
            if items.len() >= limits::LEARNED_LEAVES {
                return Err(Flaw::TooManyValues);
            }
            items.push(item);
        }
    }

    /// A list in round brackets, `( "a", "b" )`; one word in them is an expression.
    fn round_list(&mut self, start: usize, depth: usize) -> Read<Option<Node>> {
        let items = self.in_round_brackets(depth)?;
        let is_word =
            |one: &Node| matches!(one.kind, Kind::Scalar(_)) && !self.text[one.span.clone()].starts_with(['"', '\'']);
        let items = items.filter(|items| !matches!(items.as_slice(), [one] if is_word(one)));
        Ok(items.map(|items| Node::new(start..self.at, Kind::List(items, Form::Brackets))))
    }

    /// A text, a number, a flag, a table or a list; nothing where something else stands.
    fn value(&mut self, depth: usize) -> Read<Option<Node>> {
        if depth > limits::DEPTH {
            return Err(Flaw::TooDeep);
        }
        let start = self.at;
        if let Some(text) = self.long_text()? {
            return Ok(Some(Node::text(start..self.at, text)));
        }
        let rest = self.rest();
        if rest.starts_with(['"', '\'']) {
            let text = self.quoted()?;
            return Ok(Some(Node::text(start..self.at, &text)));
        }
        if let Some(inner) = rest.strip_prefix("[[") {
            let end = inner.find("]]").ok_or(Flaw::OpenLongText)?;
            self.at += end + 4;
            return Ok(Some(Node::text(start..self.at, inner[..end].trim_start_matches(['\r', '\n']))));
        }
        if rest.starts_with(['{', '[']) {
            return self.table(depth + 1).map(Some);
        }
        if self.eat(&["("]) {
            return self.round_list(start, depth + 1);
        }
        let word = self.token();
        if word.is_empty() {
            return Ok(None);
        }
        if let Some(text) = self.translated(word)? {
            return Ok(Some(text));
        }
        let node = bare(word, start..self.at);
        // A call or an expression is worked out by who runs it, and not here.
        let runs = matches!(word, "function" | "not" | "new") || self.rest().starts_with(['(', '[']);
        Ok(Some(node).filter(|_| !runs))
    }

    /// A text that is shown in the player's language: `_("Reed Works")`; what is written is what it says.
    fn translated(&mut self, word: &str) -> Read<Option<Node>> {
        let back = self.at;
        if !TRANSLATES.contains(&word) || !self.rest().starts_with(['(']) {
            return Ok(None);
        }
        self.at += 1;
        self.blanks()?;
        let start = self.at;
        if self.rest().starts_with(['"', '\'']) {
            let text = self.quoted()?;
            let node = Node::text(start..self.at, &text);
            self.blanks()?;
            if self.eat(&[")"]) {
                return Ok(Some(node));
            }
        }
        self.at = back;
        Ok(None)
    }

    /// Fields make a table, values alone a list; of both, the values have numbers for names.
    fn table(&mut self, depth: usize) -> Read<Node> {
        if depth > limits::DEPTH {
            return Err(Flaw::TooDeep);
        }
        let start = self.at;
        let close = if self.rest().starts_with('[') { "]" } else { "}" };
        self.at += 1;
        let (mut fields, mut items) = (Vec::new(), Vec::new());
        loop {
            self.blanks()?;
            if self.rest().is_empty() {
                return Err(Flaw::OpenBracket);
            }
            if self.eat(&[close]) {
                break;
            }
            if self.eat(&[",", ";"]) {
                continue;
            }
            let back = self.at;
            match self.field(depth)? {
                Found::Field(path, field, said) => {
                    put(&mut fields, &path, field, said);
                    continue;
                }
                Found::PassedOver => continue,
                Found::Nothing => self.at = back,
            }
            match self.value(depth)? {
                Some(item) if !self.goes_on() => items.push(item),
                _ => self.pass_over_in_table(back, depth)?,
            }
        }
        let span = start..self.at;
        if fields.is_empty() {
            return Ok(Node::new(span, Kind::List(items, Form::Brackets)));
        }
        for (number, node) in items.into_iter().enumerate() {
            let at = node.span.clone();
            fields.push(Field { name: (number + 1).to_string(), key: at.start..at.start, whole: at, node });
        }
        Ok(Node::new(span, Kind::Table(fields, Form::Brackets)))
    }

    /// Whether what was read is only the beginning of an expression.
    fn goes_on(&self) -> bool {
        let rest = self.rest().trim_start_matches([' ', '\t']);
        let word = |word: &str| rest.strip_prefix(word).is_some_and(|rest| rest.starts_with([' ', '\t']));
        let is_comment = rest.starts_with("--") || rest.starts_with("//") || rest.starts_with("/*");
        let operator = rest.starts_with(['+', '*', '/', '-', '%', '?', '<', '>', '&', '|', '(', '.']);
        (operator && !is_comment) || word("or") || word("and")
    }

    /// Passes over what is no data, to the end of its line; brackets and quotes on the way are closed again.
    fn pass_over(&mut self) {
        self.passed_over.get_or_insert(self.at);
        let line = self.rest().find('\n').unwrap_or(self.rest().len());
        self.at += line.max(usize::from(line == 0 && !self.rest().is_empty()));
    }

    /// Passes over a value that is no data, to what parts it from the next.
    fn pass_over_in_table(&mut self, from: usize, depth: usize) -> Read<()> {
        self.passed_over.get_or_insert(self.at);
        self.at = from;
        // A bracket that closes nothing.
        if self.eat(&["}", ")", "]"]) {
            return Ok(());
        }
        let mut open = 0usize;
        while let Some(c) = self.rest().chars().next() {
            match c {
                '"' | '\'' => {
                    self.quoted()?;
                    continue;
                }
                '{' | '(' | '[' => open += 1,
                '}' | ')' | ']' if open == 0 => return Ok(()),
                '}' | ')' | ']' => open -= 1,
                ',' | ';' | '\n' if open == 0 => {
                    self.at += 1;
                    return Ok(());
                }
                _ => {}
            }
            if open + depth > limits::DEPTH {
                return Err(Flaw::TooDeep);
            }
            self.at += c.len_utf8();
        }
        Ok(())
    }

    fn quoted(&mut self) -> Read<String> {
        let mut chars = self.rest().char_indices();
        let Some((_, quote)) = chars.next() else { return Err(Flaw::NoText) };
        let mut text = String::new();
        while let Some((at, c)) = chars.next() {
            match c {
                '\\' => match chars.next().map(|(_, c)| c) {
                    Some('n') => text.push('\n'),
                    Some('t') => text.push('\t'),
                    Some('r') => text.push('\r'),
                    Some(other) => text.push(other),
                    None => break,
                },
                '\n' => break,
                c if c == quote => {
                    self.at += at + c.len_utf8();
                    return Ok(text);
                }
                c => text.push(c),
            }
        }
        Err(Flaw::OpenQuote)
    }

    /// A text between three quotes, over several lines; where a field may stand it is a remark.
    fn long_text(&mut self) -> Read<Option<&'t str>> {
        let rest = self.rest();
        let Some(quotes) = ["\"\"\"", "\'\'\'"].into_iter().find(|quotes| rest.starts_with(*quotes)) else {
            return Ok(None);
        };
        let inner = &rest[quotes.len()..];
        let end = inner.find(quotes).ok_or(Flaw::OpenLongText)?;
        self.at += end + 2 * quotes.len();
        Ok(Some(inner[..end].trim_matches(['\r', '\n'])))
    }

    /// A word, a number or a version without quotes.
    fn token(&mut self) -> &'t str {
        let rest = self.rest();
        let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '.' | '-' | '+' | '@' | '/' | '\\' | '~');
        let mut end = rest.find(|c: char| !is_part(c)).unwrap_or(rest.len());
        for comment in ["--", "//"] {
            end = rest[..end].find(comment).unwrap_or(end);
        }
        self.at += end;
        &rest[..end]
    }

    fn word_is(&self, word: &str) -> bool {
        self.rest().strip_prefix(word).is_some_and(|rest| rest.starts_with([' ', '\t', '{', '\r', '\n']))
    }

    fn eat(&mut self, signs: &[&str]) -> bool {
        let found = signs.iter().find(|sign| self.rest().starts_with(**sign));
        self.at += found.map_or(0, |sign| sign.len());
        found.is_some()
    }

    const fn rest(&self) -> &'t str {
        self.text.split_at(self.at).1
    }

    /// Passes over blanks, ends of lines and comments.
    fn blanks(&mut self) -> Read<()> {
        loop {
            let rest = self.rest();
            let trimmed = rest.trim_start();
            self.at += rest.len() - trimmed.len();
            let line = trimmed.find('\n').unwrap_or(trimmed.len());
            self.at += if let Some(inner) = trimmed.strip_prefix("--[[") {
                inner.find("]]").ok_or(Flaw::OpenComment)? + 6
            } else if let Some(inner) = trimmed.strip_prefix("/*") {
                inner.find("*/").ok_or(Flaw::OpenComment)? + 4
            } else if trimmed.starts_with("--") || trimmed.starts_with("//") || trimmed.starts_with('#') {
                line
            } else {
                return Ok(());
            };
        }
    }

    /// Passes over blanks and comments within the line.
    fn blanks_on_line(&mut self) -> Read<()> {
        loop {
            let rest = self.rest();
            let trimmed = rest.trim_start_matches([' ', '\t']);
            self.at += rest.len() - trimmed.len();
            match trimmed.strip_prefix("/*") {
                Some(inner) => self.at += inner.find("*/").ok_or(Flaw::OpenComment)? + 4,
                None => return Ok(()),
            }
        }
    }
}

fn bare(word: &str, span: Range<usize>) -> Node {
    match word {
        "true" | "false" => Node::new(span, Kind::Scalar(Value::Bool(word == "true"))),
        "nil" | "null" | "none" | "None" => Node::new(span, Kind::Scalar(Value::Null)),
        // A number keeps its text: `1.10` is a version as often as an amount.
        _ => Node::text(span, word),
    }
}

/// Puts a field where its name says.
fn put(fields: &mut Vec<Field>, path: &[String], field: Field, said: FieldForm) {
    let [first, inner @ ..] = path else { return };
    if inner.is_empty() {
        match fields.iter_mut().find(|known| known.name == *first) {
            None => fields.push(field),
            Some(known) if said == FieldForm::Called => match &mut known.node.kind {
                Kind::List(items, Form::Lines) => items.push(field.node),
                _ => {
                    let whole = known.node.span.start..field.node.span.end;
                    let items = vec![known.node.clone(), field.node];
                    known.node = Node::new(whole, Kind::List(items, Form::Lines));
                }
            },
            Some(_) => {}
        }
        return;
    }
    let place = match fields.iter().position(|known| known.name == *first) {
        Some(place) => place,
        None => {
            let node = Node::new(field.whole.clone(), Kind::Table(Vec::new(), Form::Brackets));
            fields.push(Field { name: first.clone(), key: field.key.clone(), whole: field.whole.clone(), node });
            fields.len() - 1
        }
    };
    if let Kind::Table(own, _) = &mut fields[place].node.kind {
        put(own, inner, field, said);
    }
}

#[cfg(test)]
#[path = "../tests/block.rs"]
mod tests;
