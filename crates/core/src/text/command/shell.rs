//! The commands of a POSIX shell's script, and of bash's: words and quotes, substitutions, here-documents, lines that go on.

use std::ops::Range;

use super::error::LaunchError;
use super::word::{Command, How, Quote, Word};
use crate::base::limits;

/// Reads the commands of a script.
///
/// # Errors
/// When a quote is never closed.
pub fn commands(text: &str) -> Result<Vec<Command>, LaunchError> {
    let mut lexer = Lexer { text, at: 0, found: Vec::new(), here: Vec::new(), depth: 0 };
    while lexer.at < text.len() {
        lexer.list(None)?;
        // A `)` that closes nothing: a pattern of `case`.
        lexer.at += usize::from(lexer.at < text.len());
    }
    Ok(lexer.found)
}

struct Lexer<'t> {
    text: &'t str,
    at: usize,
    found: Vec<Command>,
    /// Here-documents whose lines are still to come: the line that ends each, and whether tabs before it don't count.
    here: Vec<(String, bool)>,
    depth: usize,
}

impl Lexer<'_> {
    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    fn unclosed(&self, at: usize) -> LaunchError {
        LaunchError::open_quote(self.text, at)
    }

    /// Commands up to a sign that closes them, or to an unexpected `)`; the sign is not taken.
    fn list(&mut self, close: Option<char>) -> Result<(), LaunchError> {
        let mut command = Command::default();
        while let Some(c) = self.peek() {
            if Some(c) == close || c == ')' {
                break;
            }
            match c {
                '\n' => {
                    self.end(&mut command);
                    self.at += 1;
                    self.skip_here();
                }
                ' ' | '\t' | '\r' => self.at += 1,
                '\\' if self.goes_on().is_some() => self.at += self.goes_on().unwrap_or(1),
                '#' => self.at += self.rest().find('\n').unwrap_or(self.rest().len()),
                '&' if self.rest().starts_with("&>") => {
                    self.at += 1;
                    self.redirect(close)?;
                }
                ';' | '&' | '|' => {
                    self.end(&mut command);
                    self.at += 1;
                }
                '(' => {
                    self.end(&mut command);
                    self.at += 1;
                    self.inner(')')?;
                }
                '<' | '>' => {
                    // The number of what is led elsewhere is no word of the command.
                    let is_number = |word: &Word| word.span.end == self.at && word.text().parse::<u8>().is_ok();
                    command.words.pop_if(|word| is_number(word));
                    self.redirect(close)?;
                }
                _ => {
                    let word = self.word(close)?;
                    command.words.push(word);
                }
            }
        }
        self.end(&mut command);
        Ok(())
    }

    fn end(&mut self, command: &mut Command) {
        if !command.words.is_empty() {
            self.found.push(std::mem::take(command));
        }
    }

    /// The length of a `\` with the line end behind it.
    fn goes_on(&self) -> Option<usize> {
        let rest = self.rest();
        if rest.starts_with("\\\n") { Some(2) } else { rest.starts_with("\\\r\n").then_some(3) }
    }

    /// A sign that leads what is read or written elsewhere, and where.
    fn redirect(&mut self, close: Option<char>) -> Result<(), LaunchError> {
        let rest = self.rest();
        if rest.starts_with("<<") && !rest.starts_with("<<<") {
            let strips = rest.starts_with("<<-");
            self.at += if strips { 3 } else { 2 };
            self.at += self.rest().len() - self.rest().trim_start_matches([' ', '\t']).len();
            let end = self.word(None)?.text();
            self.here.push((end, strips));
        } else if rest.starts_with("<(") || rest.starts_with(">(") {
            self.at += 2;
            self.inner(')')?;
        } else {
            self.at += rest.len() - rest.trim_start_matches(['<', '>', '&', '|']).len();
            self.at += self.rest().len() - self.rest().trim_start_matches([' ', '\t']).len();
            self.word(close)?;
        }
        Ok(())
    }

    /// The lines of here-documents, which are no commands.
    fn skip_here(&mut self) {
        for (end, strips) in std::mem::take(&mut self.here) {
            loop {
                let rest = self.rest();
                if rest.is_empty() {
                    return;
                }
                let length = rest.find('\n').map_or(rest.len(), |at| at + 1);
                let line = rest[..length].trim_end_matches(['\n', '\r']);
                let line = if strips { line.trim_start_matches('\t') } else { line };
                let is_end = line == end;
                self.at += length;
                if is_end {
                    break;
                }
            }
        }
    }

    /// Commands inside of a word, up to the sign that closes them, which is taken.
    fn inner(&mut self, close: char) -> Result<(), LaunchError> {
        let start = self.at;
        self.depth += 1;
        if self.depth > limits::DEPTH {
            return Err(self.unclosed(start));
        }
        self.list(Some(close))?;
        self.depth -= 1;
        if self.peek() != Some(close) {
            return Err(self.unclosed(start));
        }
        self.at += close.len_utf8();
        Ok(())
    }

    fn word(&mut self, close: Option<char>) -> Result<Word, LaunchError> {
        let mut word = Word { span: self.at..self.at, ..Word::default() };
        while let Some(c) = self.peek() {
            if Some(c) == close || matches!(c, ' ' | '\t' | '\r' | '\n' | ';' | '&' | '|' | '(' | ')' | '<' | '>') {
                break;
            }
            let at = self.at;
            match c {
                '\\' => match self.goes_on() {
                    Some(length) => {
                        self.at += length;
                        word.push(at..self.at, "", How::Break);
                    }
                    None => self.escape(&mut word, None),
                },
                '\'' => self.single(&mut word)?,
                '"' => self.double(&mut word)?,
                '$' => self.dollar(&mut word, None)?,
                '`' => self.backtick(&mut word)?,
                _ => {
                    word.bare(at, c);
                    self.at += c.len_utf8();
                }
            }
        }
        word.span.end = self.at;
        Ok(word)
    }

    fn escape(&mut self, word: &mut Word, quote: Option<Quote>) {
        let at = self.at;
        self.at += 1;
        let escaped = self.peek();
        self.at += escaped.map_or(0, char::len_utf8);
        word.push(at..self.at, escaped.map_or_else(|| "\\".to_owned(), String::from), How::Escape(quote));
    }

    fn single(&mut self, word: &mut Word) -> Result<(), LaunchError> {
        let open = self.at;
        self.at += 1;
        let end = self.rest().find('\'').ok_or_else(|| self.unclosed(open))?;
        let at = self.at..self.at + end;
        word.push(at.clone(), &self.text[at], How::Quoted(Quote::Single));
        self.at += end + 1;
        Ok(())
    }

    fn double(&mut self, word: &mut Word) -> Result<(), LaunchError> {
        let open = self.at;
        self.at += 1;
        let mut from = self.at;
        let flush = |lexer: &Self, word: &mut Word, from: usize| {
            if from < lexer.at || lexer.at == open + 1 {
                word.push(from..lexer.at, &lexer.text[from..lexer.at], How::Quoted(Quote::Double));
            }
        };
        loop {
            let c = self.peek().ok_or_else(|| self.unclosed(open))?;
            match c {
                '"' => break,
                '\\' if self.goes_on().is_some() => {
                    flush(self, word, from);
                    let at = self.at;
                    self.at += self.goes_on().unwrap_or(1);
                    word.push(at..self.at, "", How::Break);
                    from = self.at;
                }
                '\\' if self.rest()[1..].starts_with(['$', '`', '"', '\\']) => {
                    flush(self, word, from);
                    self.escape(word, Some(Quote::Double));
                    from = self.at;
                }
                '$' => {
                    flush(self, word, from);
                    self.dollar(word, Some(Quote::Double))?;
                    from = self.at;
                }
                '`' => {
                    flush(self, word, from);
                    self.backtick(word)?;
                    from = self.at;
                }
                _ => self.at += c.len_utf8(),
            }
        }
        flush(self, word, from);
        self.at += 1;
        Ok(())
    }

    /// What begins with a `$`.
    fn dollar(&mut self, word: &mut Word, quote: Option<Quote>) -> Result<(), LaunchError> {
        let at = self.at;
        let rest = &self.text[at..];
        if rest.starts_with("$((") {
            let end = rest.find("))").ok_or_else(|| self.unclosed(at))?;
            self.at += end + 2;
            word.push(at..self.at, &self.text[at..self.at], How::Computed);
        } else if rest.starts_with("$(") {
            self.at += 2;
            self.inner(')')?;
            word.push(at..self.at, &self.text[at..self.at], How::Computed);
        } else if rest.starts_with("${") {
            let end = self.braces()?;
            let name = &self.text[at + 2..end - 1];
            let is_name = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
            let how = if is_name { How::Variable(name.to_owned()) } else { How::Computed };
            word.push(at..end, &self.text[at..end], how);
            self.at = end;
        } else if quote.is_none() && rest.starts_with("$'") {
            self.dollar_quoted(word)?;
        } else if quote.is_none() && rest.starts_with("$\"") {
            self.at += 1;
            self.double(word)?;
        } else {
            let name = &rest[1..];
            let named = name.find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(name.len());
            let length =
                if name.starts_with(|c: char| c.is_ascii_digit() || "@*#?$!-".contains(c)) { 1 } else { named };
            self.at += 1 + length;
            if length == 0 {
                let how = quote.map_or(How::Bare, How::Quoted);
                word.push(at..self.at, "$", how);
            } else {
                word.push(at..self.at, &self.text[at..self.at], How::Variable(name[..length].to_owned()));
            }
        }
        Ok(())
    }

    /// The end of `${…}`.
    fn braces(&self) -> Result<usize, LaunchError> {
        let mut depth = 0usize;
        for (offset, c) in self.rest().char_indices() {
            match c {
                '{' => depth += 1,
                '}' if depth == 1 => return Ok(self.at + offset + 1),
                '}' => depth -= 1,
                _ => {}
            }
        }
        Err(self.unclosed(self.at))
    }

    fn dollar_quoted(&mut self, word: &mut Word) -> Result<(), LaunchError> {
        let open = self.at;
        self.at += 2;
        let mut from = self.at;
        let push = |word: &mut Word, text: &str, at: Range<usize>| {
            if !at.is_empty() {
                word.push(at.clone(), &text[at], How::Quoted(Quote::Dollar));
            }
        };
        loop {
            let c = self.peek().ok_or_else(|| self.unclosed(open))?;
            if c == '\'' {
                break;
            }
            if c == '\\' {
                push(word, self.text, from..self.at);
                let at = self.at;
                self.at += 1;
                let escaped = self.peek().ok_or_else(|| self.unclosed(open))?;
                self.at += escaped.len_utf8();
                let text = match escaped {
                    'n' => "\n".to_owned(),
                    't' => "\t".to_owned(),
                    other => other.to_string(),
                };
                word.push(at..self.at, text, How::Escape(Some(Quote::Dollar)));
                from = self.at;
            } else {
                self.at += c.len_utf8();
            }
        }
        push(word, self.text, from..self.at);
        self.at += 1;
        Ok(())
    }

    fn backtick(&mut self, word: &mut Word) -> Result<(), LaunchError> {
        let open = self.at;
        self.at += 1;
        let mut escaped = false;
        let closes = |(_, c): &(usize, char)| {
            let is_end = *c == '`' && !escaped;
            escaped = *c == '\\' && !escaped;
            is_end
        };
        let end = self.rest().char_indices().find(closes).map(|(at, _)| at).ok_or_else(|| self.unclosed(open))?;
        if self.rest()[..end].contains('\\') {
            self.at += end + 1;
        } else {
            self.inner('`')?;
        }
        word.push(open..self.at, &self.text[open..self.at], How::Computed);
        Ok(())
    }
}
