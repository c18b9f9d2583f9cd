//! What is learned from, and what is learned.

use std::collections::{BTreeMap, BTreeSet};

use regex::Regex;

use crate::base::ids::FoldedId;
use crate::canon::Canon;
use crate::diagnose::Needles;
use crate::logs::LogEvent;
use crate::rulebook::{Event, EventRule, NeededOn, Role, Rulebook};
use crate::survey::Survey;

/// A log to learn from.
#[derive(Debug, Clone, Copy)]
pub struct Transcript<'t> {
    /// Whose log it is.
    pub side: Role,
    /// How it begins, where that is not in the text.
    pub head: &'t str,
    /// Its text; of a long one, its last lines.
    pub text: &'t str,
}

/// What is known of the evening that logs are of.
#[derive(Clone, Copy)]
pub struct Evening<'e> {
    /// How the game arranges its mods.
    pub rulebook: &'e Rulebook,
    /// The server as it is.
    pub server: Option<&'e Survey>,
    /// A client as it is.
    pub client: Option<&'e Survey>,
    /// What is sealed.
    pub canon: Option<&'e Canon>,
    /// Players, where somebody knows their names.
    pub players: &'e [String],
}

/// A pattern that was learned.
#[derive(Debug, Clone, PartialEq)]
pub struct LearnedEvent {
    /// What lines that fit mean.
    pub means: Event,
    /// Whose log they stand in.
    pub side: Role,
    /// The pattern; of a list below a header, the header's.
    pub line: String,
    /// The pattern of the lines below a header.
    pub then: Option<String>,
    /// What stands between the mods of a list in one line.
    pub between: Option<&'static str>,
    /// How sure it is, from 0 to 1.
    pub confidence: f64,
    /// What speaks for it.
    pub signs: Vec<Sign>,
    /// How many lines fit.
    pub lines: usize,
    /// One of them.
    pub example: String,
}

impl LearnedEvent {
    /// Whether it tells why a join fails.
    pub const fn is_cause(&self) -> bool {
        matches!(self.means, Event::Cause(_) | Event::ModFailed)
    }

    /// As a rule to read logs by; nothing where the pattern is none.
    pub fn rule(&self) -> Option<EventRule> {
        let then = match &self.then {
            Some(then) => Some(Regex::new(then).ok()?),
            None => None,
        };
        Some(EventRule {
            means: self.means,
            side: Some(self.side),
            line: Regex::new(&self.line).ok()?,
            then,
            between: self.between.unwrap_or(",").to_owned(),
        })
    }
}

/// What speaks for a meaning.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sign {
    /// Words that are commonly used for it.
    Words,
    /// Words of the line above a list.
    Header,
    /// Two versions stand behind a name.
    TwoVersions,
    /// Two digests stand behind a name.
    TwoDigests,
    /// A version, and nothing on the other side.
    OneSideHasNone,
    /// The mods that it names are just those that one side lacks.
    Measured,
    /// It names most of the mods before anybody joins.
    NamesMost {
        /// How many.
        mods: usize,
    },
    /// It differs in one word from what is said of the other mods.
    OddOneOut,
    /// A player's lines begin with it.
    ComesFirst {
        /// How many tries.
        joins: usize,
    },
    /// A player's lines end with it.
    ComesLast {
        /// How many tries.
        joins: usize,
        /// How many of those name mods.
        with_mods: usize,
    },
    /// It stands once in each start.
    OncePerStart,
    /// The server has none of the mods that it names.
    NobodyHere,
    /// The version in it is the server's.
    OurVersion,
    /// The version in it is not the server's.
    OtherVersion,
    /// No line of a join that went well is like it.
    NeverWhenWell,
}

/// What was learned from logs.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Voice {
    /// Patterns, in the order in which they are to be tried.
    pub events: Vec<LearnedEvent>,
    /// The players that were found.
    pub players: BTreeSet<String>,
    /// Whether the last try that a client's log tells of went well.
    pub client_got_in: bool,
    /// What each side's log says of the last try, of the player that was asked for or of anybody.
    pub told: Vec<(Role, Vec<LogEvent>)>,
    /// Lines about mods of which it could not be told what they mean, an example for each kind.
    pub unknown: Vec<String>,
}

impl Voice {
    /// The rules that are sure enough to judge by.
    pub fn rules(&self) -> Vec<EventRule> {
        self.events.iter().filter(|event| event.confidence >= SURE_ENOUGH).filter_map(LearnedEvent::rule).collect()
    }

    /// What a side's log says of the last try; nothing where it tells of none.
    pub fn of_last_try(&self, side: Role) -> Option<&[LogEvent]> {
        self.told.iter().rev().find(|(of, _)| *of == side).map(|(_, events)| events.as_slice())
    }

    /// Whether it is known of a side's log how its last try to join ended, or what it failed for.
    pub fn knows_joins(&self, side: Role) -> bool {
        let has = |wanted: Event| self.events.iter().any(|event| event.means == wanted);
        match side {
            Role::Server => has(Event::JoinTried) && (has(Event::JoinAccepted) || has(Event::JoinRefused)),
            Role::Client => {
                self.client_got_in || self.events.iter().any(|event| event.side == side && event.is_cause())
            }
        }
    }
}

/// So many ids tell what ids look like.
const FEWEST: usize = 4;

/// What is less sure is for a person to look at.
const SURE_ENOUGH: f64 = 0.6;

/// The names that lines may have for mods, and their versions.
pub struct Known {
    /// What to look for.
    pub needles: Needles,
    versions: BTreeMap<FoldedId, [Option<String>; 2]>,
    /// Mods that no player needs.
    of_servers_alone: BTreeSet<FoldedId>,
    /// The mods of the server, where it was measured.
    pub of_server: BTreeSet<FoldedId>,
    /// Those of the client.
    pub of_client: BTreeSet<FoldedId>,
    /// What nearly all ids are put together with.
    form: Option<char>,
    /// Whether ids have no capitals.
    are_small: bool,
    /// Whether nearly all ids are several words, each but the first with a capital.
    are_camels: bool,
}

/// Whether a name is several words written together, each but the first with a capital.
fn is_camel(name: &str) -> bool {
    let has_hump = name.chars().zip(name.chars().skip(1)).any(|(a, b)| a.is_lowercase() && b.is_uppercase());
    has_hump && name.starts_with(char::is_lowercase) && name.chars().all(char::is_alphanumeric)
}

/// What parts of an id may stand between.
const BETWEEN: [char; 4] = ['_', '-', '.', ':'];

impl Known {
    /// What is known of an evening.
    ///
    /// # Errors
    /// When there are too many names to look for.
    pub fn of(evening: Evening<'_>) -> Result<Self, aho_corasick::BuildError> {
        let surveys: Vec<&Survey> = [evening.server, evening.client].into_iter().flatten().collect();
        let needles = Needles::new(evening.rulebook, &surveys, evening.canon, &[])?;
        let mut versions: BTreeMap<FoldedId, [Option<String>; 2]> = BTreeMap::new();
        for (place, survey) in [evening.server, evening.client].into_iter().enumerate() {
            for found in survey.into_iter().flat_map(|survey| &survey.mods) {
                versions.entry(found.manifest.id.clone()).or_default()[place] = found.manifest.version.clone();
            }
        }
        for sealed in evening.canon.into_iter().flat_map(|canon| &canon.mods) {
            let known = versions.entry(sealed.manifest.id.clone()).or_default();
            known[0] = known[0].take().or_else(|| sealed.manifest.version.clone());
        }
        let ids = |survey: Option<&Survey>| -> BTreeSet<FoldedId> {
            survey.into_iter().flat_map(|survey| &survey.mods).map(|found| found.manifest.id.clone()).collect()
        };
        let of_survey = evening.server.into_iter().flat_map(|survey| &survey.mods).map(|found| &found.manifest);
        let of_canon = evening.canon.into_iter().flat_map(|canon| &canon.mods).map(|sealed| &sealed.manifest);
        let alone = of_survey.chain(of_canon).filter(|manifest| manifest.needed_on == NeededOn::Server);
        let of_servers_alone = alone.map(|manifest| manifest.id.clone()).collect();
        let has = |between: char| versions.keys().filter(|id| id.as_str().contains(between)).count();
        let form =
            BETWEEN.into_iter().find(|between| versions.len() >= FEWEST && has(*between) * 10 >= versions.len() * 9);
        let (of_server, of_client) = (ids(evening.server), ids(evening.client));
        let are_small = !versions.keys().any(|id| id.as_str().contains(char::is_uppercase));
        let camels = versions.keys().filter(|id| is_camel(id.as_str())).count();
        let are_camels = versions.len() >= FEWEST && camels * 10 >= versions.len() * 9;
        Ok(Self { needles, versions, of_servers_alone, of_server, of_client, form, are_small, are_camels })
    }

    /// Whether a name is put together as nearly all ids are, where those are put together at all.
    pub fn has_their_form(&self, name: &str) -> bool {
        let is_part = |part: &str| !part.is_empty() && part.chars().all(char::is_alphanumeric);
        let is_so = |form: char| name.contains(form) && name.split(BETWEEN).all(is_part);
        let is_formed = self.form.is_some_and(is_so) && !(self.are_small && name.contains(char::is_uppercase));
        is_formed || self.are_camels && is_camel(name)
    }

    /// The version that a mod should have.
    pub fn expected(&self, id: &FoldedId) -> Option<&str> {
        self.versions.get(id)?[0].as_deref()
    }

    /// Whether somebody here has a mod.
    pub fn has(&self, id: &FoldedId) -> bool {
        self.versions.contains_key(id)
    }

    /// The mods of the server that players need too.
    pub fn wanted_of_players(&self) -> impl Iterator<Item = &FoldedId> {
        let of_server =
            self.versions.iter().filter(|(id, versions)| versions[0].is_some() || self.of_server.contains(id));
        of_server.map(|(id, _)| id).filter(|id| !self.of_servers_alone.contains(id))
    }

    /// Whether it is known which mods there should be.
    pub fn knows_mods(&self) -> bool {
        !self.of_server.is_empty() || self.versions.values().any(|[expected, _]| expected.is_some())
    }

    /// So many mods are most of those that there are: what names them is a list of all.
    pub fn most(&self) -> usize {
        (self.number() * 6).div_ceil(10).max(3)
    }

    /// How many mods there are.
    pub fn number(&self) -> usize {
        self.versions.len().max(1)
    }
}
