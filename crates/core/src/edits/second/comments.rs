//! The comments of a text, found in another way than by the tree: by walking over its texts.

use crate::text::kinds::Notation;

/// The comments of a text, in their order, without the blanks around them.
pub fn comments(notation: Notation, text: &str) -> Vec<String> {
    match notation {
        Notation::Json => walked(text, &["\""], &[("//", "\n"), ("/*", "*/")]),
        Notation::Toml => walked(text, &["\"\"\"", "'''", "\"", "'"], &[("#", "\n")]),
        Notation::Xml => xml(text),
        Notation::Yaml => behind(&without_blocks(text), &["#"], false),
        Notation::Ini => behind(text, &["#", ";"], true),
        Notation::KeyValue => behind(text, &["#", "//"], true),
        Notation::Headers | Notation::Block => Vec::new(),
        Notation::Properties => {
            text.lines().map(str::trim).filter(|line| line.starts_with(['#', '!'])).map(str::to_owned).collect()
        }
    }
}

/// Comments outside of texts between quotes.
fn walked(text: &str, quotes: &[&str], marks: &[(&str, &str)]) -> Vec<String> {
    let mut found = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let rest = &text[at..];
        if let Some(quote) = quotes.iter().find(|quote| rest.starts_with(**quote)) {
            at += quote.len();
            while at < text.len() && !text[at..].starts_with(quote) {
                let c = text[at..].chars().next().map_or(1, char::len_utf8);
                // A text of one line ends with it, whatever comes.
                if quote.len() == 1 && text[at..].starts_with('\n') {
                    break;
                }
                at += c;
                if quote.starts_with('"') && text[at - c..].starts_with('\\') {
                    at += text[at..].chars().next().map_or(0, char::len_utf8);
                }
            }
            at = (at + quote.len()).min(text.len());
            while !text.is_char_boundary(at) {
                at += 1;
            }
        } else if let Some((mark, end)) = marks.iter().find(|(mark, _)| rest.starts_with(mark)) {
            let length = rest[mark.len()..]
                .find(end)
                .map_or(rest.len(), |found| mark.len() + found + if *end == "\n" { 0 } else { end.len() });
            found.push(rest[..length].trim().to_owned());
            at += length;
        } else {
            // On to the next sign that may begin a text or a comment.
            let first = rest.chars().next().map_or(1, char::len_utf8);
            at += first + rest[first..].find(['"', '\'', '#', '/']).unwrap_or(rest.len() - first);
        }
    }
    found
}

fn xml(text: &str) -> Vec<String> {
    use xmlparser::Token;
    let is_kept = |token: &Token<'_>| matches!(token, Token::Comment { .. } | Token::ProcessingInstruction { .. });
    let tokens = xmlparser::Tokenizer::from(text).map_while(Result::ok);
    tokens.filter(is_kept).map(|token| token.span().as_str().to_owned()).collect()
}

/// A text of YAML without the lines of texts that stand on lines of their own: a `#` in them begins no comment.
fn without_blocks(text: &str) -> String {
    let margin = |line: &str| line.len() - line.trim_start_matches(' ').len();
    let mut out = String::new();
    let mut block: Option<usize> = None;
    for line in text.lines() {
        if block.is_some_and(|deep| line.trim().is_empty() || margin(line) > deep) {
            continue;
        }
        let bare = line.find(" #").map_or(line, |at| &line[..at]).trim_end();
        let last = bare.rsplit(' ').next().unwrap_or_default();
        let is_head =
            last.starts_with(['|', '>']) && last[1..].chars().all(|c| matches!(c, '+' | '-') || c.is_ascii_digit());
        block = (is_head && bare.len() > last.len()).then(|| margin(line));
        out.push_str(line);
        out.push('\n');
    }
    out
}

/// What stands behind a mark on a line that begins with it, or has a blank before it.
fn behind(text: &str, marks: &[&str], lines_of_values: bool) -> Vec<String> {
    let mut found = Vec::new();
    for line in text.lines() {
        let places = marks.iter().flat_map(|mark| line.match_indices(mark)).map(|(at, _)| at);
        let mut places: Vec<usize> =
            places.filter(|at| line[..*at].is_empty() || line[..*at].ends_with([' ', '\t', ';'])).collect();
        places.sort_unstable();
        let is_quoted = |at: usize| {
            let before = &line[..at];
            if !before.contains(['"', '\'']) {
                return false;
            }
            let (mut open, mut escaped, mut last) = (None, false, None);
            for c in before.chars() {
                let may_open = last.is_none_or(|last| matches!(last, '=' | ':' | '-' | '[' | '{' | ','));
                match open {
                    None if matches!(c, '"' | '\'') && may_open => open = Some(c),
                    Some(quote) if c == quote && !(escaped && quote == '"') => open = None,
                    _ => {}
                }
                escaped = c == '\\' && !escaped;
                last = if c.is_whitespace() { last } else { Some(c) };
            }
            open.is_some()
        };
        let is_value = |at: usize| {
            lines_of_values && line[..at].trim_end().ends_with(['=', ':']) && !line[at + 1..].starts_with([' ', '\t'])
        };
        if let Some(at) = places.into_iter().find(|at| !is_quoted(*at) && !is_value(*at)) {
            found.push(line[at..].trim().to_owned());
        }
    }
    found
}
