//! The commands of a Windows batch file: words and quotes, `set`, `^`, variables, labels and remarks.

use super::word::{Command, How, Quote, Word};

/// Reads the commands of a batch file. A quote that is not closed ends with its line; the word says so.
pub fn commands(text: &str) -> Vec<Command> {
    let mut lexer = Lexer { text, at: 0, found: Vec::new(), depth: 0 };
    while lexer.at < text.len() {
        lexer.line();
    }
    lexer.found
}

struct Lexer<'t> {
    text: &'t str,
    at: usize,
    found: Vec<Command>,
    /// How many brackets are open.
    depth: usize,
}

impl Lexer<'_> {
    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    fn skip_line(&mut self) {
        self.at += self.rest().find('\n').unwrap_or(self.rest().len());
    }

    /// The length of a `^` with the line end behind it.
    fn goes_on(&self) -> Option<usize> {
        let rest = self.rest();
        if rest.starts_with("^\n") { Some(2) } else { rest.starts_with("^\r\n").then_some(3) }
    }

    /// The commands of a line, and of those in which it goes on.
    fn line(&mut self) {
        let mut command = Command::default();
        let mut fresh = true;
        while let Some(c) = self.peek() {
            match c {
                '\n' => {
                    self.at += 1;
                    break;
                }
                ' ' | '\t' | '\r' | '@' if fresh || c != '@' => self.at += 1,
                ':' if fresh => {
                    self.skip_line();
                    continue;
                }
                '^' if self.goes_on().is_some() => self.at += self.goes_on().unwrap_or(1),
                '&' | '|' => {
                    self.end(&mut command);
                    self.at += 1;
                    fresh = true;
                    continue;
                }
                '(' => {
                    self.end(&mut command);
                    self.at += 1;
                    self.depth += 1;
                    fresh = true;
                    continue;
                }
                ')' if self.depth > 0 => {
                    self.end(&mut command);
                    self.at += 1;
                    self.depth -= 1;
                    continue;
                }
                '<' | '>' => {
                    // Where what is written or read is led is no word of the command.
                    let is_number = |word: &Word| word.span.end == self.at && word.text().parse::<u8>().is_ok();
                    command.words.pop_if(|word| is_number(word));
                    self.at += self.rest().len() - self.rest().trim_start_matches(['<', '>', '&', ' ', '\t']).len();
                    self.word();
                }
                _ if fresh && self.is_word("rem") => {
                    self.skip_line();
                    continue;
                }
                _ if fresh && self.is_word("set") => {
                    command.words.push(self.word());
                    self.setting(&mut command);
                }
                _ => command.words.push(self.word()),
            }
            fresh &= matches!(c, ' ' | '\t' | '\r' | '@');
        }
        self.end(&mut command);
    }

    fn end(&mut self, command: &mut Command) {
        if !command.words.is_empty() {
            self.found.push(std::mem::take(command));
        }
    }

    fn is_word(&self, name: &str) -> bool {
        let rest = self.rest().as_bytes();
        rest.len() >= name.len()
            && rest[..name.len()].eq_ignore_ascii_case(name.as_bytes())
            && rest.get(name.len()).is_none_or(|next| !next.is_ascii_alphanumeric() && *next != b'_')
    }

    /// What `set` sets, as one word without the quotes around it.
    fn setting(&mut self, command: &mut Command) {
        self.at += self.rest().len() - self.rest().trim_start_matches([' ', '\t']).len();
        if self.rest().starts_with('/') {
            return;
        }
        let mut word = Word { span: self.at..self.at, ..Word::default() };
        let line = self.rest().find('\n').unwrap_or(self.rest().len());
        let line = &self.rest()[..line];
        if line.starts_with('"')
            && let Some(close) = line[1..].rfind('"').map(|at| at + 1)
        {
            let end = self.at + close;
            self.at += 1;
            let mut from = self.at;
            while self.at < end {
                let step = self.variable();
                if step > 0 {
                    self.flush(&mut word, from, How::Quoted(Quote::Double));
                    self.push_variable(&mut word, step);
                    from = self.at;
                } else {
                    self.at += self.peek().map_or(1, char::len_utf8);
                }
            }
            self.flush(&mut word, from, How::Quoted(Quote::Double));
            self.at = end + 1;
        } else {
            let mut quoted = false;
            while let Some(c) = self.peek() {
                let at = self.at;
                let step = self.variable();
                match c {
                    '\n' => break,
                    '\r' if self.rest().starts_with("\r\n") => break,
                    '&' | '|' | '<' | '>' if !quoted => break,
                    ')' if !quoted && self.depth > 0 => break,
                    '^' if !quoted && self.goes_on().is_some() => {
                        self.at += self.goes_on().unwrap_or(1);
                        word.push(at..self.at, "", How::Break);
                    }
                    '^' if !quoted => self.escape(&mut word),
                    _ if step > 0 => self.push_variable(&mut word, step),
                    _ => {
                        quoted ^= c == '"';
                        word.bare(at, c);
                        self.at += c.len_utf8();
                    }
                }
            }
        }
        word.span.end = self.at;
        command.words.push(word);
    }

    fn flush(&self, word: &mut Word, from: usize, how: How) {
        word.push(from..self.at, &self.text[from..self.at], how);
    }

    fn escape(&mut self, word: &mut Word) {
        let at = self.at;
        self.at += 1;
        let escaped = self.peek();
        self.at += escaped.map_or(0, char::len_utf8);
        word.push(at..self.at, escaped.map(String::from).unwrap_or_default(), How::Escape(None));
    }

    /// The length of a variable that begins here: `%NAME%`, `!NAME!`, `%1`, `%~dp0`, `%%i`.
    fn variable(&self) -> usize {
        let rest = self.rest();
        let is_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | '.' | '-' | ':' | '~' | ',' | '(' | ')' | '#');
        for sign in ['%', '!'] {
            let Some(inner) = rest.strip_prefix(sign) else { continue };
            if sign == '%' && inner.starts_with('%') {
                return 2 + inner[1..].chars().next().map_or(0, char::len_utf8);
            }
            let end = inner.find(|c: char| !is_name(c)).unwrap_or(inner.len());
            if end > 0 && inner[end..].starts_with(sign) && !inner.starts_with('~') {
                return end + 2;
            }
            if sign == '%' && inner.starts_with('~') {
                let digit = inner.find(|c: char| c.is_ascii_digit()).unwrap_or(1);
                return digit + 2;
            }
            if sign == '%' && inner.starts_with(|c: char| c.is_ascii_digit() || c == '*') {
                return 2;
            }
        }
        0
    }

    fn push_variable(&mut self, word: &mut Word, length: usize) {
        let at = self.at;
        self.at = (at + length).min(self.text.len());
        while !self.text.is_char_boundary(self.at) {
            self.at += 1;
        }
        let text = &self.text[at..self.at];
        let name = text.trim_matches(['%', '!']);
        word.push(at..self.at, text, How::Variable(name.to_owned()));
    }

    fn word(&mut self) -> Word {
        let mut word = Word { span: self.at..self.at, ..Word::default() };
        while let Some(c) = self.peek() {
            let at = self.at;
            let step = self.variable();
            match c {
                ' ' | '\t' | '\n' | '&' | '|' | '<' | '>' => break,
                '\r' => break,
                ')' if self.depth > 0 => break,
                '^' if self.goes_on().is_some() => {
                    // Where the next line begins with a blank, the word ends here.
                    self.at += self.goes_on().unwrap_or(1);
                    word.push(at..self.at, "", How::Break);
                }
                '^' => self.escape(&mut word),
                '"' => self.quoted(&mut word),
                _ if step > 0 => self.push_variable(&mut word, step),
                _ => {
                    word.bare(at, c);
                    self.at += c.len_utf8();
                }
            }
        }
        word.span.end = self.at;
        word
    }

    fn quoted(&mut self, word: &mut Word) {
        let open = self.at;
        self.at += 1;
        let mut from = self.at;
        loop {
            match self.peek() {
                None | Some('\n' | '\r') => {
                    word.open = Some(open);
                    self.flush(word, from, How::Quoted(Quote::Double));
                    return;
                }
                Some('"') => {
                    if from < self.at || from == open + 1 {
                        self.flush(word, from, How::Quoted(Quote::Double));
                    }
                    self.at += 1;
                    return;
                }
                Some(c) => {
                    let step = self.variable();
                    if step > 0 {
                        if from < self.at {
                            self.flush(word, from, How::Quoted(Quote::Double));
                        }
                        self.push_variable(word, step);
                        from = self.at;
                    } else {
                        self.at += c.len_utf8();
                    }
                }
            }
        }
    }
}
