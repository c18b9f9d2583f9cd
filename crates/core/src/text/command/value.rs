//! What an option is given: its entries, each with its place, and other entries in their stead.

use std::ops::Range;
use std::rc::Rc;

use super::dialect::Dialect;
use super::error::{LaunchError, line_of};
use super::layers::{Found, Grammar, Layer, assigned};
use super::word::{Command, How, Piece, Places, Quote, Word};
use super::{arguments, batch, shell, unit};
use crate::text::joined::{self, rejoined};
use crate::text::rows::{Row, end_of_line, side_by_side, whole_lines};
use crate::text::splice::{Splice, spliced};
use crate::text::{EditError, NoPlace};

pub use crate::text::joined::Part;

/// Stands between the entries of a value that has but one.
const ALONE: &str = "\u{1f}";

/// What an option is given in one place.
#[derive(Debug, Clone)]
pub struct Given {
    /// The entries.
    pub entries: Vec<String>,
    /// All of it, as it is said.
    pub value: String,
    /// Which command it belongs to: those of one command have the same.
    pub group: usize,
    /// The line of the file on which it stands, from one.
    pub line: usize,
    /// Where in the file it is written.
    pub at: Range<usize>,
    /// Where in the file the option itself is written.
    pub option_at: Range<usize>,
    /// Whether it is only said to people.
    pub(super) talks: bool,
    layer: Rc<Layer>,
    /// The words of the value. Of the first, what is behind `skip` belongs to it.
    words: Vec<Word>,
    skip: usize,
    /// The option's own word, and where the word before that ends.
    option: (Range<usize>, usize),
    /// Whether blanks stand between entries.
    spread: bool,
}

/// What an option is given in a command.
pub fn given(
    found: &Found,
    (text, option, between): (&str, &str, Option<&str>),
    group: usize,
    given: &mut Vec<Given>,
) -> Result<(), LaunchError> {
    let words = &found.command.words;
    let parts: Vec<&str> = option.split([' ', '\t']).filter(|part| !part.is_empty()).collect();
    let Some((last, before)) = parts.split_last() else { return Ok(()) };
    let bare = last.ends_with(|c: char| c.is_alphanumeric());
    let mut at = 0;
    while at < words.len() {
        let word = &words[at];
        let index = at;
        at += 1;
        let said = word.text();
        let fits = if bare { said == *last } else { said.starts_with(last) };
        let led = before.len() <= index
            && before
                .iter()
                .rev()
                .enumerate()
                .all(|(back, part)| words[index - 1 - back].text().eq_ignore_ascii_case(part));
        if !fits || !led {
            continue;
        }
        if let Some(open) = word.open {
            return Err(LaunchError::open_quote(text, found.layer.places.written(&(open..open + 1)).start));
        }
        let spread = is_spread(between);
        let skip = if bare { 0 } else { last.len() };
        let mut own: Vec<Word> = if bare { Vec::new() } else { vec![word.clone()] };
        let more = if spread { usize::MAX } else { usize::from(bare) };
        while own.len() - usize::from(!bare) < more && at < words.len() {
            let next = &words[at];
            // The next option begins, in the way in which this one does.
            let sign = parts[0].chars().next().filter(|c| !c.is_alphanumeric()).unwrap_or('-');
            let gap = found.layer.text.get(words[at - 1].span.end..next.span.start).unwrap_or_default();
            if next.text().starts_with(['-', sign]) || is_word(parts[0]) && ends_line(gap) {
                break;
            }
            if let Some(open) = next.open {
                return Err(LaunchError::open_quote(text, found.layer.places.written(&(open..open + 1)).start));
            }
            own.push(next.clone());
            at += 1;
            // Several entries in one pair of quotes are all that there are.
            if next.text().trim().contains(char::is_whitespace) {
                break;
            }
        }
        let behind = (index.checked_sub(1)).map_or(word.span.start, |before| words[before].span.end);
        given.push(Given::new(found, text, (word, last.len(), behind), own, (skip, between), group));
    }
    Ok(())
}

/// A plain word that values follow is a line of its own: `plugins a b`.
fn is_word(option: &str) -> bool {
    option.starts_with(char::is_alphanumeric)
}

/// Whether a line ends in what stands between two words, and does not go on.
fn ends_line(gap: &str) -> bool {
    gap.contains('\n') && !gap.trim_start_matches([' ', '\t']).starts_with(['\\', '^'])
}

/// Whether blanks stand between entries, which are words of their own then.
fn is_spread(between: Option<&str>) -> bool {
    between.is_some_and(|between| !between.is_empty() && between.trim().is_empty())
}

/// Whether anything sets a variable.
pub fn is_set(found: &[Found], name: &str) -> bool {
    let words = found.iter().flat_map(|one| &one.command.words).map(Word::text);
    words.into_iter().any(|said| assigned(&said).is_some_and(|head| head.trim_end_matches(['+', '=']) == name))
}

/// What a variable is set to, wherever that is.
pub fn set_to(
    found: &[Found],
    (text, between): (&str, Option<&str>),
    name: &str,
    first_group: usize,
) -> Result<Vec<Given>, LaunchError> {
    let mut set = Vec::new();
    for (at, one) in found.iter().enumerate() {
        for word in &one.command.words {
            let said = word.text();
            let Some(head) = assigned(&said) else { continue };
            if head.trim_end_matches('=') == name.trim_matches(['{', '}']) {
                let (words, option) = (vec![word.clone()], (word, head.len(), word.span.start));
                let given = Given::new(one, text, option, words, (head.len(), between), first_group + at);
                // What is added to itself is not all written in one place.
                if given.quotes().any(|quoted| quoted == name) {
                    return Err(LaunchError::Composed { line: given.line, name: name.to_owned() });
                }
                set.push(given);
            } else if head == format!("{name}+=") {
                return Err(LaunchError::Composed {
                    line: line_of(text, word.span.start.min(text.len())),
                    name: name.to_owned(),
                });
            }
        }
    }
    Ok(set)
}

impl Given {
    fn new(
        found: &Found,
        text: &str,
        (option, length, behind): (&Word, usize, usize),
        words: Vec<Word>,
        (skip, between): (usize, Option<&str>),
        group: usize,
    ) -> Self {
        let layer = Rc::clone(&found.layer);
        let own = Places::of(&option.pieces, option.span.start).written(&(0..length));
        let option_at = layer.places.written(&own);
        let mut one = Self {
            entries: Vec::new(),
            value: String::new(),
            group,
            line: line_of(text, option_at.start.min(text.len())),
            at: 0..0,
            option_at,
            talks: found.talks,
            layer,
            words,
            skip,
            option: (option.span.clone(), behind),
            spread: is_spread(between),
        };
        one.value = one.said();
        one.entries = split(&one.value, between);
        one.at = one.layer.places.written(&one.whole());
        one
    }

    /// What a word gives an option behind it, or behind a part of it.
    pub(super) fn of_word(
        found: &Found,
        text: &str,
        (option, length): (&Word, usize),
        word: Word,
        skip: usize,
        group: usize,
    ) -> Self {
        let behind = option.span.start;
        Self::new(found, text, (option, length, behind), vec![word], (skip, None), group)
    }

    /// Where in the file a part of the value is written.
    pub(super) fn place_of(&self, part: &Range<usize>) -> Range<usize> {
        let Some(word) = self.words.first() else { return self.at.clone() };
        let own = Places::of(&word.pieces, word.span.start).written(&(self.skip + part.start..self.skip + part.end));
        self.layer.places.written(&own)
    }

    fn said(&self) -> String {
        let texts: Vec<String> = self.words.iter().map(Word::text).collect();
        texts.join(" ").get(self.skip..).unwrap_or_default().to_owned()
    }

    /// Option and value, in the layer.
    fn whole(&self) -> Range<usize> {
        self.option.0.start..self.words.last().map_or(self.option.0.end, |word| word.span.end).max(self.option.0.end)
    }

    /// The variable that all of the value is.
    pub(super) fn variable(&self) -> Option<String> {
        let mut pieces = self.pieces();
        pieces.retain(|piece| !piece.text.is_empty());
        match pieces.as_slice() {
            [Piece { how: How::Variable(name), .. }] if self.words.len() == 1 => Some(name.clone()),
            _ => None,
        }
    }

    /// The variables that stand in the value.
    pub(super) fn quotes(&self) -> impl Iterator<Item = String> + use<> {
        self.all_pieces()
            .into_iter()
            .filter_map(|piece| if let How::Variable(name) = piece.how { Some(name) } else { None })
    }

    /// The pieces of the value.
    fn all_pieces(&self) -> Vec<Piece> {
        let mut pieces = self.pieces();
        pieces.extend(self.words.iter().skip(1).flat_map(|word| word.pieces.clone()));
        pieces
    }

    /// The pieces of the first word that belong to the value.
    fn pieces(&self) -> Vec<Piece> {
        let mut left = self.skip;
        let mut pieces = Vec::new();
        for piece in self.words.first().map_or(&[][..], |word| &word.pieces) {
            let cut = left.min(piece.text.len());
            left -= cut;
            if cut == 0 {
                pieces.push(piece.clone());
            } else if cut < piece.text.len() && piece.text.len() == piece.at.len() {
                let at = piece.at.start + cut..piece.at.end;
                pieces.push(Piece { at, text: piece.text[cut..].to_owned(), how: piece.how.clone() });
            }
        }
        pieces
    }

    /// Refuses a value of which an entry is all a variable's.
    pub(super) fn refuse_composed(&self, between: Option<&str>) -> Result<(), LaunchError> {
        let pieces = self.all_pieces();
        let computed = |piece: &&Piece| matches!(piece.how, How::Variable(_) | How::Computed);
        let alone = |piece: &&Piece| match between {
            Some(between) if !between.trim().is_empty() => split(&self.value, Some(between)).contains(&piece.text),
            _ => self.entries.contains(&piece.text),
        };
        match pieces.iter().filter(computed).find(alone) {
            Some(piece) => Err(LaunchError::Composed { line: self.line, name: piece.text.clone() }),
            None => Ok(()),
        }
    }
}

fn split(text: &str, between: Option<&str>) -> Vec<String> {
    crate::text::split(text, between).into_iter().map(str::to_owned).collect()
}

/// The change of a file that gives an option other entries.
///
/// # Errors
/// When they can't be written where the value stands.
pub fn rewritten(given: &Given, between: &str, parts: &[Part]) -> Result<Splice, EditError> {
    let texts = |part: &Part| match part {
        Part::Kept(at) => given.entries.get(*at).cloned().unwrap_or_default(),
        Part::New(text) => text.clone(),
    };
    let wanted: Vec<String> = parts.iter().map(texts).collect();
    let refused = || given.refused(&wanted);
    let splice = if given.spread && !given.is_one_quoted() {
        given.as_words(parts, &wanted)
    } else {
        let glued = given.glued().ok_or_else(refused)?;
        glued.rewritten(between, parts, &wanted)
    };
    let splice = splice.ok_or_else(refused)?;
    Ok(given.outward(&splice).ok_or_else(refused)?)
}

/// A value that is one word, or the end of one.
struct Glued<'g> {
    given: &'g Given,
    /// The word.
    word: &'g Word,
    /// Where the value is written, within the quotes around it.
    at: Range<usize>,
    /// The quotes around all of it.
    quote: Option<Quote>,
}

impl Given {
    /// Why entries can't be written where the value stands.
    fn refused(&self, wanted: &[String]) -> NoPlace {
        let blank = wanted.iter().find(|text| text.contains(char::is_whitespace));
        match (blank, self.layer.grammar) {
            (Some(text), Grammar::Value) => NoPlace::Blank { line: self.line, text: text.clone() },
            _ => NoPlace::Quotes(self.line),
        }
    }

    fn is_one_quoted(&self) -> bool {
        self.words.len() == 1 && self.glued().is_some_and(|glued| glued.quote.is_some())
    }

    fn glued(&self) -> Option<Glued<'_>> {
        let [word] = self.words.as_slice() else {
            return None;
        };
        let pieces = self.pieces();
        let quote_of = |piece: &Piece| match piece.how {
            How::Quoted(quote) | How::Escape(Some(quote)) => Some(quote),
            _ => None,
        };
        let inside = pieces.iter().find_map(quote_of);
        let text = &self.layer.text;
        let all_inside = inside.is_some()
            && pieces.iter().all(|piece| quote_of(piece).is_none_or(|quote| Some(quote) == inside))
            && pieces.windows(2).all(|pair| pair[0].at.end == pair[1].at.start)
            && pieces.iter().all(|piece| piece.how != How::Bare);
        if let (true, Some(first), Some(last)) = (all_inside, pieces.first(), pieces.last()) {
            let closes = inside.is_some_and(|quote| text[last.at.end..word.span.end].starts_with(quote.sign()));
            if closes {
                let at = first.at.start..last.at.end;
                return Some(Glued { given: self, word, at, quote: inside });
            }
        }
        // What is quoted up to the sign of the option, and no further, is another matter.
        let own = Places::of(&word.pieces, word.span.start).written(&(0..self.skip));
        let start = if self.skip == 0 { word.span.start } else { own.end };
        let mut reached = 0;
        let last = word.pieces.iter().find(|piece| {
            reached += piece.text.len();
            self.skip > 0 && reached >= self.skip
        });
        if self.skip > 0
            && let Some(quote) = last.and_then(quote_of)
        {
            // Nothing stands in the quotes behind the option.
            if pieces.is_empty() && text[start..word.span.end].starts_with(quote.sign()) {
                return Some(Glued { given: self, word, at: start..start, quote: Some(quote) });
            }
            return None;
        }
        Some(Glued { given: self, word, at: start..word.span.end, quote: None })
    }

    /// A value of several words.
    fn as_words(&self, parts: &[Part], wanted: &[String]) -> Option<Splice> {
        let text = &self.layer.text;
        let mut items: Vec<Range<usize>> = self.words.iter().map(|word| word.span.clone()).collect();
        if self.skip > 0 {
            let word = self.words.first()?;
            let own = Places::of(&word.pieces, word.span.start).written(&(0..self.skip));
            items[0].start = own.end;
            if items[0].is_empty() {
                items.remove(0);
            }
        }
        let end = self.option.0.end.min(self.layer.text.len());
        let start = items.first().map_or(end, |first| first.start);
        let stop = items.last().map_or(end, |last| last.end);
        let blank = |gap: &str| gap.chars().all(|c| c.is_whitespace() || matches!(c, '\\' | '^'));
        if items.len() != self.entries.len() || !items.windows(2).all(|pair| blank(&text[pair[0].end..pair[1].start])) {
            return None;
        }
        let ranges: Vec<Range<usize>> = items.iter().map(|item| item.start - start..item.end - start).collect();
        let written: Vec<Part> = parts
            .iter()
            .zip(wanted)
            .map(|(part, text)| match part {
                Part::Kept(at) => Some(Part::Kept(*at)),
                Part::New(_) => Some(Part::New(self.layer.one_word(text, "")?)),
            })
            .collect::<Option<_>>()?;
        let joined = rejoined(&text[start..stop], " ", &ranges, &written);
        let lead = if items.is_empty() && self.skip == 0 && !joined.is_empty() { " " } else { "" };
        let with = format!("{lead}{joined}");
        let read = self.layer.words_of(&with)?;
        (read.iter().map(Word::text).collect::<Vec<_>>() == wanted).then_some(Splice { at: start..stop, with })
    }

    /// A change of the layer as a change of the file.
    fn outward(&self, splice: &Splice) -> Option<Splice> {
        let mut with = splice.with.clone();
        let mut layer = &self.layer;
        while let Some((outer, quote)) = &layer.outer {
            with = outer.encoded(*quote, &with)?;
            layer = outer;
        }
        Some(Splice { at: self.layer.places.written(&splice.at), with })
    }
}

impl Glued<'_> {
    fn rewritten(&self, between: &str, parts: &[Part], wanted: &[String]) -> Option<Splice> {
        let layer = &self.given.layer;
        let raw = &layer.text[self.at.clone()];
        let places = Places::of(&self.word.pieces, self.word.span.start);
        let said = self.word.text();
        let value = &said[self.given.skip..];
        let items: Vec<Range<usize>> = joined::parts(value, between)
            .into_iter()
            .map(|item| places.written(&(self.given.skip + item.start..self.given.skip + item.end)))
            .map(|item| item.start.max(self.at.start) - self.at.start..item.end.max(self.at.start) - self.at.start)
            .collect();
        // First as it is written, entry by entry; then as one text in quotes.
        let fits = |with: &String| self.says(with, between, wanted);
        let by_entry = || {
            let glue = self.written(between, raw, between)?;
            let written = parts.iter().zip(wanted).map(|(part, text)| match part {
                Part::Kept(at) => Some(Part::Kept(*at)),
                Part::New(_) => Some(Part::New(self.written(text, raw, between)?)),
            });
            Some(rejoined(raw, &glue, &items, &written.collect::<Option<Vec<_>>>()?))
        };
        let splice = |with: String| Splice { at: self.at.clone(), with };
        if let Some(with) = by_entry().filter(fits) {
            return Some(splice(with));
        }
        let all = wanted.join(between);
        if let Some(quote) = self.quote {
            return layer.encoded(Some(quote), &all).filter(fits).map(splice);
        }
        let is_whole_word = layer.grammar == Grammar::File(Dialect::Unit) && self.given.skip > 0;
        if is_whole_word {
            let with = layer.one_word(&said[..self.given.skip], &all)?;
            let read = layer.words_of(&with)?;
            let right = read.len() == 1 && split(read[0].text().get(self.given.skip..)?, Some(between)) == wanted;
            return right.then(|| Splice { at: self.word.span.clone(), with });
        }
        layer.one_word(&all, raw).filter(fits).map(splice)
    }

    /// A text as it is written where the value stands, without quotes of its own.
    fn written(&self, text: &str, raw: &str, between: &str) -> Option<String> {
        let layer = &self.given.layer;
        match self.quote {
            Some(quote) => layer.encoded(Some(quote), text),
            // What stands there already does no harm.
            None if text == between && raw.contains(between) => Some(text.to_owned()),
            None if layer.is_harmless(text) => Some(text.to_owned()),
            // What is set goes on to the end of its line.
            None if layer.grammar == Grammar::File(Dialect::Batch) && assigned(&self.word.text()).is_some() => {
                layer.encoded(None, text)
            }
            None if raw.contains('\\') && layer.grammar == Grammar::File(Dialect::Shell) => layer.encoded(None, text),
            None => None,
        }
    }

    /// Whether the word, with another text where the value is, says just what is wanted.
    fn says(&self, with: &str, between: &str, wanted: &[String]) -> bool {
        let layer = &self.given.layer;
        let text = &layer.text;
        let span = &self.word.span;
        let whole = format!("{}{with}{}", &text[span.start..self.at.start], &text[self.at.end..span.end]);
        let Some(read) = layer.words_of(&whole) else { return false };
        let [word] = read.as_slice() else {
            return read.is_empty() && wanted.is_empty();
        };
        word.text().get(self.given.skip..).is_some_and(|value| split(value, Some(between)) == wanted)
    }
}

impl Layer {
    /// The words of a text that stands where a command's words do; nothing when it is more than one command.
    fn words_of(&self, text: &str) -> Option<Vec<Word>> {
        let commands: Vec<Command> = match self.grammar {
            Grammar::File(Dialect::Shell) => shell::commands(text).ok()?,
            // What is set takes blanks too; it is a word of its own.
            Grammar::File(Dialect::Batch) if assigned(text.trim_start_matches('"')).is_some() => {
                let mut set = batch::commands(&format!("set {text}"));
                set.iter_mut().for_each(|command| drop(command.words.remove(0)));
                set
            }
            Grammar::File(Dialect::Batch) => batch::commands(text),
            Grammar::File(Dialect::Unit) => {
                let mut run = unit::commands(&format!("Exec=run {text}"));
                run.iter_mut().for_each(|command| drop(command.words.remove(0)));
                run
            }
            Grammar::File(Dialect::Arguments) | Grammar::Value => vec![arguments::command(text, false)],
        };
        match commands.len() {
            0 => Some(Vec::new()),
            1 => commands
                .into_iter()
                .next()
                .map(|command| command.words)
                .filter(|words| words.iter().all(|w| w.open.is_none())),
            _ => None,
        }
    }

    /// Whether a text is a word, or a part of one, as it is.
    fn is_harmless(&self, text: &str) -> bool {
        let safe = |c: char| match self.grammar {
            Grammar::File(Dialect::Shell) => c.is_alphanumeric() || "-_.,:/@%+=#".contains(c),
            // In quotes already, a `;` has no other meaning.
            Grammar::File(Dialect::Batch) if c == ';' => self.outer.is_some(),
            Grammar::File(Dialect::Batch) => !" \t\n\r&|<>()^\"%!".contains(c),
            Grammar::File(Dialect::Unit) => !" \t\n\r\"'\\$%;".contains(c),
            Grammar::File(Dialect::Arguments) | Grammar::Value => !" \t\n\r\"'".contains(c),
        };
        text.chars().all(safe)
    }

    /// A text as one word: bare where that does no harm, else in the quotes that `like` has, or in those that what is around
    /// leaves.
    fn one_word(&self, text: &str, like: &str) -> Option<String> {
        // A service file knows quotes around whole words alone: `like` is what comes behind the option then.
        if self.grammar == Grammar::File(Dialect::Unit) {
            let all = format!("{text}{like}");
            return if self.is_harmless(&all) {
                Some(all)
            } else {
                Some(format!("\"{}\"", self.encoded(Some(Quote::Double), &all)?))
            };
        }
        if self.is_harmless(text) {
            return Some(text.to_owned());
        }
        let around = self.outer.as_ref().and_then(|(_, quote)| *quote);
        let own = match like.chars().find(|c| matches!(c, '"' | '\'')) {
            Some('\'') => Some(Quote::Single),
            Some(_) => Some(Quote::Double),
            None => None,
        };
        let takes_single = !matches!(self.grammar, Grammar::File(Dialect::Batch) | Grammar::Value);
        let quote = match (own, around) {
            (Some(own), _) => own,
            (None, Some(Quote::Double)) if takes_single => Quote::Single,
            (None, _) if takes_single && text.contains(['$', '`', '"', '\\']) && !text.contains('\'') => Quote::Single,
            _ => Quote::Double,
        };
        // What a variable is set to is parted by blanks, whatever quotes stand in it.
        if self.grammar == Grammar::Value && text.contains(char::is_whitespace) && own.is_none() {
            return None;
        }
        if like.contains('\\') && own.is_none() && self.grammar == Grammar::File(Dialect::Shell) {
            return self.encoded(None, text);
        }
        Some(format!("{0}{1}{0}", quote.sign(), self.encoded(Some(quote), text)?))
    }

    /// A text as it is written inside of quotes, or without any.
    fn encoded(&self, quote: Option<Quote>, text: &str) -> Option<String> {
        let escape = |signs: &str, with: char| {
            let mut out = String::new();
            for c in text.chars() {
                out.extend(signs.contains(c).then_some(with));
                out.push(c);
            }
            out
        };
        let doubled = |text: &str| text.replace('%', "%%").replace('$', "$$");
        match (self.grammar, quote) {
            (_, None) if self.is_harmless(text) => Some(text.to_owned()),
            (Grammar::File(Dialect::Shell), Some(Quote::Single)) => Some(text.replace('\'', "'\\''")),
            (Grammar::File(Dialect::Shell), Some(Quote::Double)) => Some(escape("\\\"$`", '\\')),
            (Grammar::File(Dialect::Shell), Some(Quote::Dollar)) => Some(escape("\\'", '\\')),
            (Grammar::File(Dialect::Shell), None) => Some(escape(" \t;&|<>()$`\\\"'*?[]{}~!^", '\\')),
            (Grammar::File(Dialect::Batch), Some(_)) => (!text.contains('"')).then(|| text.replace('%', "%%")),
            // What is set goes on over blanks and quotes.
            (Grammar::File(Dialect::Batch), None) => {
                (!text.contains(['&', '|', '<', '>', '^', '%', '!'])).then(|| text.to_owned())
            }
            (Grammar::File(Dialect::Unit), Some(quote)) => {
                let signs = format!("\\{}", quote.sign());
                Some(doubled(&escape(&signs, '\\')))
            }
            (Grammar::File(Dialect::Arguments) | Grammar::Value, Some(quote)) => {
                (!text.ends_with('\\')).then(|| escape(&quote.sign().to_string(), '\\'))
            }
            (_, None) => None,
        }
    }
}

/// The changes of a file in which an option is given once for each entry, in one command: other entries in their stead, new
/// ones written as the one that says `like`.
///
/// # Errors
/// When they can't be written where the option stands.
pub fn each_once(given: &[&Given], parts: &[Part], like: Option<&str>) -> Result<Vec<Splice>, EditError> {
    let like = given.iter().rfind(|one| Some(one.value.as_str()) == like).or_else(|| given.last());
    let Some(like) = like else { return Ok(Vec::new()) };
    let wanted: Vec<String> =
        parts.iter().filter_map(|part| if let Part::New(text) = part { Some(text.clone()) } else { None }).collect();
    let refused = || like.refused(&wanted);
    let text = &like.layer.text;
    let blank = |gap: &str| {
        let bare: String = gap.replace("\\\n", " ").replace("\\\r\n", " ").replace("^\n", " ").replace("^\r\n", " ");
        bare.trim().is_empty()
    };
    // What stands before one: blanks, perhaps with a line that goes on.
    let gap = |one: &Given| {
        let gap = &text[one.option.1.min(one.option.0.start)..one.option.0.start];
        if blank(gap) && !gap.is_empty() { gap.to_owned() } else { " ".to_owned() }
    };
    let usual = given.iter().skip(1).map(|one| gap(one)).next().unwrap_or_else(|| match like.layer.grammar {
        Grammar::File(Dialect::Arguments) if is_line(text, &like.whole()) => {
            end_of_line(text, like.whole().end).to_owned()
        }
        _ => " ".to_owned(),
    });
    let written = |part: &Part| match part {
        Part::Kept(at) => Some(Part::Kept(*at)),
        Part::New(value) => Some(Part::New(like.with_value(value)?)),
    };
    let written: Vec<Part> = parts.iter().map(written).collect::<Option<_>>().ok_or_else(refused)?;
    let items: Vec<Range<usize>> = given.iter().map(|one| one.whole()).collect();
    let region = items.first().map_or(0, |first| first.start)..items.last().map_or(0, |last| last.end);
    let side_by_side_all = items.windows(2).all(|pair| text.get(pair[0].end..pair[1].start).is_some_and(blank));
    let splices = if side_by_side_all && !parts.is_empty() {
        let own: Vec<Range<usize>> =
            items.iter().map(|item| item.start - region.start..item.end - region.start).collect();
        let with = rejoined(&text[region.clone()], &usual, &own, &written);
        vec![Splice { at: region, with }]
    } else {
        // Where other options stand between them, what stays keeps its place.
        let any_kept = parts.iter().any(|part| matches!(part, Part::Kept(_)));
        let first_kept = parts.iter().position(|part| matches!(part, Part::Kept(_))).unwrap_or(0);
        let row = |(at, part): (usize, Part)| match part {
            Part::Kept(index) => Row::Kept { index, text: text[items[index].clone()].to_owned() },
            Part::New(one) if any_kept && at < first_kept => Row::New(format!("{one}{usual}")),
            Part::New(one) if any_kept || at > 0 => Row::New(format!("{usual}{one}")),
            Part::New(one) => Row::New(one),
        };
        let rows: Vec<Row> = written.into_iter().enumerate().map(row).collect();
        side_by_side(text, &[], &items, &rows)
    };
    splices.iter().map(|splice| Ok(like.outward(splice).ok_or_else(refused)?)).collect()
}

/// Whether a part of a text has its line to itself.
fn is_line(text: &str, part: &Range<usize>) -> bool {
    whole_lines(text, part) != *part || text[..part.start].trim().is_empty() && text[part.end..].trim().is_empty()
}

impl Given {
    /// Option and value, with another value.
    fn with_value(&self, value: &str) -> Option<String> {
        let text = &self.layer.text;
        let whole = self.whole();
        let splice = match self.glued() {
            Some(glued) => glued.rewritten(ALONE, &[Part::New(value.to_owned())], &[value.to_owned()])?,
            None if self.words.is_empty() => {
                Splice { at: whole.end..whole.end, with: format!(" {}", self.layer.one_word(value, "")?) }
            }
            None => return None,
        };
        let at = splice.at.start.checked_sub(whole.start)?..splice.at.end.checked_sub(whole.start)?;
        Some(spliced(&text[whole], vec![Splice { at, with: splice.with }]))
    }
}
