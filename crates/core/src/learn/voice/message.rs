//! What a player saw, where no rulebook knows such messages: the mods that it names, and what it says of them.

use super::causes::Cause;
use super::items::{Item, items};
use super::lines::bounded;
use super::model::{Evening, Known};
use super::strangers::unwanted;
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::logs::{LogEvent, Source, shown};
use crate::rulebook::Event;

/// Lines of a message that are read.
const LINES: usize = 400;

/// Reads a message.
///
/// # Errors
/// When there are too many names to look for.
pub fn message(evening: Evening<'_>, text: &str) -> Result<Vec<LogEvent>, aho_corasick::BuildError> {
    let known = Known::of(evening)?;
    let lines: Vec<&str> = text.lines().take(LINES).map(bounded).collect();
    let whole = lines.join(" ");
    let is_player = |name: &str| evening.players.iter().any(|player| player.eq_ignore_ascii_case(name));
    let mut named: Vec<&FoldedId> = known.needles.named(&whole);
    named.sort();
    let event = |line: usize, text: &str, item: Item, ((means, expected, found), is_guess): (Cause, bool)| LogEvent {
        means,
        source: Source::Message,
        line: line as u64 + 1,
        text: shown(text),
        is_guess,
        mod_id: Some(item.id),
        expected,
        found,
        player: None,
        file: None,
        key: None,
        amount: None,
        kept_out: None,
    };
    match named.len() {
        // All of it is about the one.
        0 => Ok(too_much(&whole, &is_player).map(|(item, cause)| event(0, &whole, item, cause)).into_iter().collect()),
        1 => {
            let item = items(&whole, &known.needles, None, &is_player).into_iter().next();
            Ok(item
                .and_then(|item| Some(event(0, &whole, item.clone(), known.meaning(&item, &[])?)))
                .into_iter()
                .collect())
        }
        _ => {
            Ok(of_list(&lines, &known, &is_player).map(|(at, item, cause)| event(at, lines[at], item, cause)).collect())
        }
    }
}

/// Several mods: each by its own line, and by the last line above that names none.
fn of_list<'m>(
    lines: &'m [&'m str],
    known: &'m Known,
    is_player: &'m dyn Fn(&str) -> bool,
) -> impl Iterator<Item = (usize, Item, (Cause, bool))> + 'm {
    let mut header: Vec<String> = Vec::new();
    lines.iter().enumerate().flat_map(move |(at, line)| {
        let named = items(line, &known.needles, None, is_player);
        if named.is_empty() && line.contains(char::is_alphabetic) {
            header = vec![(*line).to_owned()];
        }
        let read = named.into_iter().filter_map(|item| Some((at, item.clone(), known.meaning(&item, &header)?)));
        read.collect::<Vec<_>>()
    })
}

/// A mod that nobody here has, of which a message says that it is too much.
fn too_much(whole: &str, is_player: &dyn Fn(&str) -> bool) -> Option<(Item, (Cause, bool))> {
    let item = unwanted(whole, &|word: &str| !is_player(word), &|_: &str| false)?;
    Some((item, ((Event::Cause(Code::ModExtra), None, None), true)))
}

impl Known {
    /// What a message says of a mod, and whether that is no more than a guess.
    fn meaning(&self, item: &Item, headers: &[String]) -> Option<(Cause, bool)> {
        let expected = self.expected(&item.id);
        // Two versions of which neither is the server's may be those of something else.
        let is_odd = item.versions.len() > 1 && expected.is_some_and(|own| item.versions.iter().all(|v| v.text != own));
        let by_values = (!is_odd).then(|| self.by_values(item)).flatten().map(|cause| (cause, false));
        let by_words = || self.by_words(item, headers).map(|cause| (cause, true));
        let read = by_values.or_else(by_words).or_else(|| self.weakly(item).map(|cause| (cause, true)));
        // That something failed says nothing yet.
        read.filter(|((means, ..), _)| *means != Event::ModFailed)
    }
}
