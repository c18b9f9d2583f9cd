//! Lines of one kind: alike but for names, numbers, versions and digests.

use std::collections::{BTreeSet, HashMap};
use std::ops::Range;
use std::rc::Rc;

use super::items::is_address;
use super::lines::{Line, Lines, Piece, Shape, Values, skeleton, without_tags};
use super::model::{LearnedEvent, Sign};
use super::players::may_be_a_name;
use super::strangers::{is_kind_of_mod, is_label, is_small_word};
use crate::base::finding::Code;
use crate::base::ids::{FoldedId, same_name};
use crate::diagnose::{means_failure, tame_meaning};
use crate::rulebook::{Event, Role};

/// A line that is of some kind.
#[derive(Debug, Clone)]
pub struct Seen {
    /// Which log it is of.
    pub log: usize,
    /// Its number, from one.
    pub number: u64,
    /// Its kind.
    pub kind: usize,
    /// The player that it names, folded.
    pub player: Option<Rc<str>>,
    /// How far it is indented below the line that it goes on with.
    pub depth: u16,
    /// Whether it names mods and was written in one moment with the line above it.
    pub is_prompt: bool,
    /// Whether it has no time where other lines have one: it goes on with the line above.
    pub is_bare: bool,
    /// What differs in it.
    values: Option<Box<Values>>,
}

impl Seen {
    /// Whether it goes on with the line above: it is further in, or has no time where other lines have one.
    pub const fn goes_on(&self) -> bool {
        self.depth > 0 || self.is_bare
    }

    /// The mods that it names.
    pub fn mods(&self) -> &[FoldedId] {
        self.values.as_ref().map_or(&[], |values| &values.mods)
    }

    /// The versions in it, in their order.
    pub fn versions(&self) -> &[String] {
        self.values.as_ref().map_or(&[], |values| &values.versions)
    }

    /// The digests in it.
    pub fn digests(&self) -> &[String] {
        self.values.as_ref().map_or(&[], |values| &values.digests)
    }
}

/// A kind of lines.
#[derive(Debug, Clone)]
pub struct Kind {
    /// Whose log they stand in.
    pub side: Role,
    /// The pieces of one of them.
    pub pieces: Vec<Piece>,
    /// Whether some mod's name has blanks in it.
    pub has_blanks: bool,
    /// Its lines, by their places among all.
    pub lines: Vec<usize>,
    /// One of them.
    pub example: String,
}

impl Kind {
    /// Whether it names a mod.
    pub fn names_mods(&self) -> bool {
        self.pieces.iter().any(Piece::is_mod)
    }

    /// Whether it names a player.
    pub fn names_a_player(&self) -> bool {
        self.pieces.iter().any(Piece::is_player)
    }

    /// Whether two values in it are the same: nothing is wrong with what it is about.
    pub fn says_same(&self) -> bool {
        let is_value = |piece: &Piece| matches!(piece, Piece::Version(_) | Piece::Digest(_));
        let values: Vec<&Piece> = self.pieces.iter().filter(|piece| is_value(piece)).collect();
        let is_again = |at: usize| values[..at].contains(&values[at]);
        let are_same = values.len() > 1 && (0..values.len()).filter(|at| is_again(*at)).count() * 2 >= values.len();
        // Unless its words say that something else is wrong.
        let words = self.words();
        let is_of_contents = || tame_meaning(&words) == Some(Event::Cause(Code::ContentDiffers));
        are_same && !matches!(means_failure(&words), Some(Event::Cause(_))) && !is_of_contents()
    }

    /// Whether it ends with a word for that all is well, and none of its words says that anything is wrong.
    pub fn says_fine(&self) -> bool {
        const FINE: [&str; 12] = [
            "same",
            "ok",
            "okay",
            "match",
            "matches",
            "identical",
            "equal",
            "fine",
            "good",
            "valid",
            "verified",
            "gleich",
        ];
        let words = self.words();
        let last = words.split(|c: char| !c.is_alphanumeric()).rfind(|word| !word.is_empty());
        last.is_some_and(|last| FINE.contains(&last.to_lowercase().as_str())) && tame_meaning(&words).is_none()
    }

    fn says_whose_mods(&self) -> bool {
        self.side == Role::Server && self.names_mods() && self.names_a_player()
    }

    /// The words before a player's name.
    pub fn words_before_a_player(&self) -> Option<String> {
        let at = self.pieces.iter().position(Piece::is_player)?;
        Some(words(&self.pieces[..at]))
    }

    /// What it says beside names, in words.
    pub fn words(&self) -> String {
        words(&self.pieces)
    }

    /// A pattern that knows its lines, with groups for the mod, the player, and for what stands at some places; nothing where it
    /// says too little to be known again.
    pub fn pattern(&self, groups: &[(usize, &str)]) -> Option<String> {
        let letters: usize = self
            .pieces
            .iter()
            .map(|piece| match piece {
                Piece::Word(word) => word.chars().count(),
                Piece::Sign(sign) => sign.chars().count().min(2),
                _ => 0,
            })
            .sum();
        let has_more = self.pieces.iter().any(|piece| matches!(piece, Piece::Player(_) | Piece::Version(_)));
        if letters < if has_more { 1 } else { 2 } {
            return None;
        }
        let mut out = String::new();
        let (mut has_mod, mut has_player) = (false, false);
        let last = self.pieces.len() - 1;
        for (at, piece) in self.pieces.iter().enumerate() {
            let named = groups.iter().find(|(place, _)| *place == at).map(|(_, name)| *name);
            let group = |inner: &str| named.map_or_else(|| inner.to_owned(), |name| format!("(?<{name}>{inner})"));
            match piece {
                Piece::Word(text) | Piece::Sign(text) => out.push_str(&regex::escape(text)),
                Piece::Blank if at == 0 || at == last => {}
                Piece::Blank => out.push_str(r"\s+"),
                Piece::Number => out.push_str(r"\d+"),
                Piece::Mixed => out.push_str(r"\w+"),
                Piece::Address => out.push_str(r"[\d.]+:\d+"),
                Piece::Version(text) => {
                    // Versions are compared without such letters.
                    let mark =
                        text.split(|c: char| c.is_ascii_digit()).next().filter(|mark| *mark != "v").unwrap_or("");
                    out.push_str(mark);
                    out.push_str(&group(if mark.is_empty() { r"v?\d+\.[\w.+-]+" } else { r"\d+\.[\w.+-]+" }));
                }
                Piece::Digest(_) => out.push_str(&group("[0-9A-Fa-f]+")),
                Piece::Mod(..) if has_mod => out.push_str(if self.has_blanks { ".+?" } else { r"\S+" }),
                Piece::Mod(..) => {
                    has_mod = true;
                    out.push_str(match (self.has_blanks, at == last, at == 0) {
                        (false, ..) => r"(?<mod>\S+)",
                        (true, true, _) => "(?<mod>.+)",
                        (true, false, true) => r"(?:^|[\]\d|:]\s)\s*(?<mod>[^\s\[\]:|][^\[\]:|]*?)",
                        (true, false, false) => r"(?<mod>[^\s\[\]:|][^\[\]:|]*?)",
                    });
                }
                Piece::Mods(..) => out.push_str(if at == last { "(?<mods>.+)" } else { "(?<mods>.+?)" }),
                Piece::Player(_) if has_player => out.push_str(r"\S+"),
                Piece::Player(_) => {
                    has_player = true;
                    out.push_str(r"(?<player>[\w-]+)");
                }
            }
        }
        // What begins with a name begins where the message does.
        if matches!(self.pieces.first(), Some(Piece::Mod(..) | Piece::Player(_))) && !self.has_blanks {
            out = format!(r"(?:^|\s){out}");
        }
        let ends = matches!(self.pieces.last(), Some(Piece::Version(_) | Piece::Digest(_) | Piece::Word(_)));
        if ends || letters < 3 {
            out.push_str(r"\s*$");
        }
        (out.len() <= PATTERN).then_some(out)
    }

    /// What was learned of its lines.
    pub fn event(&self, means: Event, confidence: f64, signs: Vec<Sign>) -> Option<LearnedEvent> {
        let between = self.pieces.iter().find_map(|piece| match piece {
            Piece::Mods(_, between) => Some(*between),
            _ => None,
        });
        Some(LearnedEvent {
            means,
            side: self.side,
            line: self.pattern(&[])?,
            then: None,
            between,
            confidence: (confidence * 100.0).round() / 100.0,
            signs,
            lines: self.lines.len(),
            example: self.example.clone(),
        })
    }
}

/// All lines of some logs by kind.
#[derive(Debug, Default)]
pub struct Kinds {
    /// The lines, in the order of the logs.
    pub lines: Vec<Seen>,
    /// The kinds.
    pub kinds: Vec<Kind>,
    /// How many logs there are.
    pub logs: usize,
    say_whose_mods: bool,
}

impl Kinds {
    /// Sorts lines by kind, with players told apart.
    pub fn of(logs: usize, lines: Lines, players: &BTreeSet<String>, asked: &[String]) -> Self {
        let Lines { lines, mut shapes } = lines;
        for shape in &mut shapes {
            with_players(&mut shape.pieces, players, asked);
            without_tags(&mut shape.pieces);
        }
        let around = AroundMods::of(&shapes);
        shapes.iter_mut().for_each(|shape| around.name_unknown(shape));
        let mut found = Self { logs, ..Self::default() };
        let mut known: HashMap<(Role, String), usize> = HashMap::new();
        let of_shape: Vec<OfShape> = shapes
            .into_iter()
            .map(|shape| {
                let kind = *known.entry((shape.side, skeleton(&shape.pieces))).or_insert(found.kinds.len());
                let of_shape = OfShape::new(kind, &shape.pieces);
                if kind == found.kinds.len() {
                    let Shape { side, pieces, example, .. } = shape;
                    found.kinds.push(Kind { side, pieces, has_blanks: false, lines: Vec::new(), example });
                }
                found.kinds[kind].has_blanks |= shape.has_blanks;
                of_shape
            })
            .collect();
        for line in lines {
            let OfShape { kind, player, unknown } = &of_shape[line.shape as usize];
            let mut values = line.values;
            if let Some(unknown) = unknown {
                values.get_or_insert_default().mods.push(unknown.clone());
            }
            found.kinds[*kind].lines.push(found.lines.len());
            let (log, number) = (line.log as usize, u64::from(line.number));
            let (kind, player) = (*kind, player.clone());
            let Line { depth, is_prompt, is_bare, .. } = line;
            found.lines.push(Seen { log, number, kind, player, depth, is_prompt, is_bare, values });
        }
        found.say_whose_mods = found.kinds.iter().any(Kind::says_whose_mods) || found.has_mods_below_players();
        found
    }

    /// Whether a line that names mods goes on with one that names a player.
    fn has_mods_below_players(&self) -> bool {
        let mut head: Option<&Seen> = None;
        self.lines.iter().any(|seen| {
            let above = head.filter(|head| head.log == seen.log && seen.goes_on());
            if !seen.goes_on() {
                head = Some(seen);
            }
            let is_of_server = self.kinds[seen.kind].side == Role::Server;
            is_of_server && !seen.mods().is_empty() && above.is_some_and(|head| head.player.is_some())
        })
    }

    /// The kind of a line.
    pub fn kind(&self, line: usize) -> &Kind {
        &self.kinds[self.lines[line].kind]
    }

    /// Whether the server's lines about mods say whose they are.
    pub const fn say_whose_mods(&self) -> bool {
        self.say_whose_mods
    }

    /// Whether a line is of a player: it names one, or goes on with a line that does not speak of mods alone.
    pub fn is_of_a_player(&self, line: usize) -> bool {
        let seen = &self.lines[line];
        seen.player.is_some() || seen.goes_on() && !self.goes_on_with_nobodys(line)
    }

    /// Whether the line that a line goes on with names a mod and nobody: then all of it may be of anybody.
    fn goes_on_with_nobodys(&self, line: usize) -> bool {
        let is_next = |at: &usize| {
            let (above, below) = (&self.lines[*at], &self.lines[*at + 1]);
            above.log == below.log && above.number + 1 == below.number
        };
        let above = (0..line).rev().take(TRACE).take_while(is_next).map(|at| &self.lines[at]);
        let mut heads = above.filter(|above| !above.goes_on());
        heads.next().is_some_and(|head| head.player.is_none() && !head.mods().is_empty())
    }
}

fn words(pieces: &[Piece]) -> String {
    let each = pieces.iter().map(|piece| match piece {
        Piece::Word(word) => word.clone(),
        Piece::Sign(sign) => sign.clone(),
        Piece::Blank => " ".to_owned(),
        Piece::Mod(..) | Piece::Mods(..) => "X".to_owned(),
        Piece::Player(_) => "N".to_owned(),
        Piece::Version(version) => version.clone(),
        Piece::Number | Piece::Mixed | Piece::Address | Piece::Digest(_) => "0".to_owned(),
    });
    each.collect()
}

/// Tells players; beside one that was asked about, nobody else is looked for.
fn with_players(pieces: &mut [Piece], players: &BTreeSet<String>, asked: &[String]) {
    let is_asked = |word: &str| asked.iter().any(|name| same_name(name, word));
    let has_asked = pieces.iter().any(|piece| matches!(piece, Piece::Word(word) if is_asked(word)));
    for piece in pieces {
        if let Piece::Word(word) = piece
            && if has_asked { is_asked(word) } else { players.contains(&word.to_lowercase()) }
        {
            *piece = Piece::Player(std::mem::take(word));
        }
    }
}

/// So many lines above one are looked at for the line that they go on with.
const TRACE: usize = 100;
/// Longer patterns are of lines that nobody writes twice.
const PATTERN: usize = 1_000;
/// So many pieces before a name tell that it is a mod's.
const BEFORE: usize = 4;

/// What stands around mods in lines that name them: by it, names are known to be those of mods that nobody here has.
#[derive(Default)]
struct AroundMods {
    /// What stands before, and whether only one word stands behind.
    before: BTreeSet<(String, bool)>,
    /// Whole lines.
    shapes: BTreeSet<String>,
    /// Words that are said of mods, and so are none.
    words: BTreeSet<String>,
}

impl AroundMods {
    fn of(shapes: &[Shape]) -> Self {
        let mut around = Self::default();
        for Shape { pieces, .. } in shapes {
            let Some(at) = pieces.iter().position(Piece::is_mod) else {
                continue;
            };
            around.shapes.insert(skeleton(pieces));
            around.words.extend(pieces.iter().filter_map(|piece| match piece {
                Piece::Word(word) => Some(word.to_lowercase()),
                _ => None,
            }));
            let before = &pieces[at.saturating_sub(BEFORE)..at];
            if before.iter().any(|piece| matches!(piece, Piece::Word(_) | Piece::Player(_))) {
                around.before.insert((skeleton(before), is_one_word(&pieces[at + 1..])));
            }
        }
        around
    }

    /// A word that stands where mods are named, or before a version in what is said of a player, is a mod.
    fn name_unknown(&self, shape: &mut Shape) {
        // What a client says of a failure is said of its own player.
        let is_own = shape.side == Role::Client && means_failure(&shape.example).is_some();
        let pieces = &mut shape.pieces;
        if pieces.iter().any(Piece::is_mod) {
            return;
        }
        let is_name = |word: &str| {
            let is_word = self.words.contains(&word.to_lowercase()) || is_small_word(word) || is_label(word);
            may_be_a_name(word) && !is_word && means_failure(word).is_none()
        };
        // Whether a word may be a name takes longest, and is asked last.
        let may_be = |at: &usize| matches!(&pieces[*at], Piece::Word(word) if is_name(word));
        let is_word = |at: &usize| matches!(pieces[*at], Piece::Word(_));
        let words = || (0..pieces.len()).filter(is_word);
        let nobody_is_known = self.shapes.is_empty();
        let is_behind = |at: &usize| nobody_is_known && is_behind_a_kind_of_mod(pieces, *at);
        let is_before = |at: &usize| is_before_a_version(pieces, *at, is_own);
        let found = words()
            .filter(is_behind)
            .find(may_be)
            .or_else(|| {
                // Where nobody knows any, a word of a sentence before the first version says that this one names none.
                let first = words().find(is_before);
                words().filter(is_before).find(may_be).filter(|at| !nobody_is_known || first == Some(*at))
            })
            .or_else(|| words().filter(|at| is_entry_of_json(pieces, *at)).find(may_be))
            .or_else(|| words().filter(|at| self.fits(pieces, *at)).find(may_be));
        if let Some(at) = found {
            let name = in_quotes(pieces, at).or_else(|| from_the_start(pieces, at));
            let name = name.unwrap_or_else(|| first_of_title(pieces, at, &is_name)..at + 1);
            let words = pieces[name.clone()].iter().map(|piece| if let Piece::Word(word) = piece { word } else { " " });
            let id = FoldedId::from(words.collect::<String>().as_str());
            // Without a text of its own it is known to be nobody's here.
            pieces.splice(name, [Piece::Mod(id, String::new())]);
        }
    }

    /// Whether mods stand where a word stands.
    fn fits(&self, pieces: &[Piece], at: usize) -> bool {
        let rest = &pieces[at + 1..];
        let before = skeleton(&pieces[at.saturating_sub(BEFORE)..at]);
        let tells = |piece: &Piece| match piece {
            Piece::Version(_) | Piece::Digest(_) => true,
            Piece::Word(word) => matches!(word.to_lowercase().as_str(), "null" | "none" | "nil"),
            _ => false,
        };
        if is_one_word(rest) && pieces.iter().any(Piece::is_player) && self.before.contains(&(before.clone(), true)) {
            return true;
        }
        let is_known = [true, false].into_iter().any(|one| self.before.contains(&(before.clone(), one)));
        let as_mod = || {
            let mut as_mod = pieces.to_vec();
            as_mod[at] = Piece::Mod(FoldedId::from(""), String::new());
            self.shapes.contains(&skeleton(&as_mod))
        };
        rest.iter().any(tells) && (is_known || as_mod())
    }
}

/// The words between quotes that a word is the last of.
fn in_quotes(pieces: &[Piece], at: usize) -> Option<Range<usize>> {
    let is_quote =
        |piece: &Piece| matches!(piece, Piece::Sign(sign) if sign.contains(['"', '\'', '`', '«', '»', '“', '”', '„']));
    let before = pieces[..at].iter().rev().take_while(|piece| matches!(piece, Piece::Word(_) | Piece::Blank)).count();
    let (first, behind) = (at - before, pieces.get(at + 1)?);
    let opens = first.checked_sub(1).is_some_and(|opens| is_quote(&pieces[opens]));
    (opens && is_quote(behind)).then_some(first..at + 1)
}

/// The words that a line begins with, as long as they are written like a title's, where a word is the last of them.
fn from_the_start(pieces: &[Piece], at: usize) -> Option<Range<usize>> {
    let is_title = |piece: &Piece| match piece {
        Piece::Word(word) => word.starts_with(char::is_uppercase),
        piece => *piece == Piece::Blank,
    };
    let first = pieces.iter().position(|piece| matches!(piece, Piece::Word(_)))?;
    let begins = !pieces[..first].iter().any(|piece| !matches!(piece, Piece::Sign(_) | Piece::Blank));
    (first < at && begins && pieces[first..=at].iter().all(is_title)).then_some(first..at + 1)
}

/// Where the title begins that a word is the last of: its words have capitals throughout.
fn first_of_title(pieces: &[Piece], at: usize, is_name: &dyn Fn(&str) -> bool) -> usize {
    let has_capital = |at: usize| matches!(&pieces[at], Piece::Word(word) if word.starts_with(char::is_uppercase));
    let mut first = at;
    while has_capital(first)
        && first >= 2
        && pieces[first - 1] == Piece::Blank
        && has_capital(first - 2)
        && matches!(&pieces[first - 2], Piece::Word(word) if is_name(word))
    {
        first -= 2;
    }
    first
}

fn is_one_word(rest: &[Piece]) -> bool {
    matches!(rest, [Piece::Blank, Piece::Word(_)])
}

/// Whether a word is an entry of an array of JSON that is about a player.
fn is_entry_of_json(pieces: &[Piece], at: usize) -> bool {
    let is = |piece: Option<&Piece>, test: fn(&str) -> bool| matches!(piece, Some(Piece::Sign(sign)) if test(sign));
    is(pieces.first(), |sign| sign.starts_with('{'))
        && is(at.checked_sub(1).and_then(|before| pieces.get(before)), |sign| sign.ends_with("[\""))
        && is(pieces.get(at + 1), |sign| sign.starts_with("\"]") || sign.starts_with("\","))
        && pieces.iter().any(Piece::is_player)
}

/// Words behind one for a mod that are said of all of them, or of the program.
const OF_ALL: [&str; 22] = [
    "list",
    "lists",
    "check",
    "checks",
    "mismatch",
    "error",
    "set",
    "table",
    "count",
    "folder",
    "file",
    "files",
    "version",
    "versions",
    "manager",
    "loader",
    "hash",
    "hashes",
    "data",
    "verification",
    "validation",
    "order",
];

/// Whether what is said of a player has a word right behind one for what a mod is.
fn is_behind_a_kind_of_mod(pieces: &[Piece], at: usize) -> bool {
    let is_of_all = |word: &str| OF_ALL.contains(&word.to_lowercase().as_str());
    let is_one = matches!(&pieces[at], Piece::Word(word) if !is_of_all(word));
    let is_behind = matches!(&pieces[..at], [.., Piece::Word(kind), Piece::Blank] if is_kind_of_mod(kind));
    is_one && is_behind && pieces.iter().any(Piece::is_player)
}

/// Whether what is said of a player has a version right behind a word.
fn is_before_a_version(pieces: &[Piece], at: usize, is_own: bool) -> bool {
    let rest = &pieces[at + 1..];
    let is_key = |pair: &[Piece]| matches!(pair, [Piece::Word(_), Piece::Sign(sign)] if sign.starts_with('='));
    if is_key(pieces.get(at..at + 2).unwrap_or_default()) && pieces.windows(2).filter(|pair| is_key(pair)).count() > 1 {
        return false;
    }
    let gap = rest.iter().take(4).take_while(|piece| matches!(piece, Piece::Blank | Piece::Sign(_))).count();
    at > 0
        && gap > 0
        && (is_own || pieces.iter().any(Piece::is_player))
        && matches!(rest.get(gap), Some(Piece::Version(version)) if !is_address(version))
}

/// What all lines of a shape have.
struct OfShape {
    kind: usize,
    player: Option<Rc<str>>,
    /// A mod that nobody here has.
    unknown: Option<FoldedId>,
}

impl OfShape {
    fn new(kind: usize, pieces: &[Piece]) -> Self {
        let player = pieces.iter().find_map(|piece| match piece {
            Piece::Player(name) => Some(Rc::from(name.to_lowercase())),
            _ => None,
        });
        let unknown = pieces.iter().find_map(|piece| match piece {
            Piece::Mod(id, text) if text.is_empty() => Some(id.clone()),
            _ => None,
        });
        Self { kind, player, unknown }
    }
}
