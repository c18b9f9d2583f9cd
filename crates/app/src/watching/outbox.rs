//! What is to be told to others, until they have taken it: kept in the journal, handed over one after the other by a thread of its
//! own, tried again after longer and longer pauses, and bounded.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::mpsc::{Receiver, Sender, channel};

use kanon_io::hook::{NotTaken, Post, Untaken, hand_over, post};
use kanon_io::state::State;
use serde::{Deserialize, Serialize};

use crate::error::AppError;

/// What the journal keeps it by.
const KEY: &str = "outbox";
/// So many messages wait at most; of more, the oldest are dropped.
const MOST: usize = 500;
/// For so many seconds a message is tried.
const LASTS: i64 = 3 * 86_400;
/// The pauses before it is tried again, in seconds; the last one from then on.
const PAUSES: [i64; 6] = [5, 20, 60, 300, 900, 3_600];

/// A way to tell others.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// A command.
    Command,
    /// An address.
    Hook,
}

/// Where things are told to.
#[derive(Debug, Clone, Default)]
pub struct Ways {
    /// The command, with its arguments, and the folder that it is run in.
    pub command: Option<(Vec<String>, PathBuf)>,
    /// The address, whole, and what proves who sends.
    pub hook: Option<(String, Option<String>)>,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Waiting {
    number: u64,
    way: Way,
    message: String,
    since: i64,
    tries: usize,
    next: i64,
}

/// What became of telling, where that is news.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Delivery {
    /// Nobody takes what is told this way.
    NotTaken {
        /// The way.
        way: Way,
        /// Why not.
        why: Untaken,
    },
    /// It is taken again.
    TakenAgain(Way),
    /// So many messages were dropped.
    Dropped(usize),
}

/// What is to be told to others.
pub struct Outbox {
    waiting: Vec<Waiting>,
    next_number: u64,
    /// Messages that the thread has in hand.
    in_hand: BTreeSet<u64>,
    failing: BTreeSet<Way>,
    jobs: Sender<(u64, Job)>,
    results: Receiver<(u64, Result<(), NotTaken>)>,
}

enum Job {
    Command { words: Vec<String>, folder: PathBuf, message: String },
    Hook(Post),
}

#[derive(Default, Serialize, Deserialize)]
struct StoredOutbox {
    waiting: Vec<Waiting>,
    next_number: u64,
    #[serde(default)]
    failing: BTreeSet<Way>,
}

impl Outbox {
    /// Takes up what was left.
    ///
    /// # Errors
    /// When the journal can't be read.
    pub fn open(state: &State) -> Result<Self, AppError> {
        let StoredOutbox { waiting, next_number, failing } = state.kept(KEY)?.unwrap_or_default();
        let (jobs, to_do) = channel::<(u64, Job)>();
        let (done, results) = channel();
        // It ends when nobody gives it anything to do any more.
        std::thread::spawn(move || {
            for (number, job) in to_do {
                let result = match job {
                    Job::Command { words, folder, message } => hand_over(&words, &folder, &message),
                    Job::Hook(message) => post(&message),
                };
                if done.send((number, result)).is_err() {
                    break;
                }
            }
        });
        Ok(Self { waiting, next_number, in_hand: BTreeSet::new(), failing, jobs, results })
    }

    /// Adds a message, for one way.
    pub fn add(&mut self, way: Way, message: String, now: i64) {
        self.next_number += 1;
        self.waiting.push(Waiting { number: self.next_number, way, message, since: now, tries: 0, next: now });
    }

    /// Whether something could be handed over now.
    pub fn is_busy(&self, now: i64) -> bool {
        // What waits behind another one goes when that is gone.
        let is_due = |way: Way| self.waiting.iter().find(|one| one.way == way).is_some_and(|one| one.next <= now);
        !self.in_hand.is_empty() || is_due(Way::Command) || is_due(Way::Hook)
    }

    /// Hands over what is due, without waiting, and says what became of the rest.
    pub fn go_on(&mut self, ways: &Ways, now: i64) -> Vec<Delivery> {
        let mut told = Vec::new();
        while let Ok((number, result)) = self.results.try_recv() {
            self.in_hand.remove(&number);
            self.settle(number, result, now, &mut told);
        }
        let before = self.waiting.len();
        let in_hand = self.in_hand.clone();
        let can_go = |one: &Waiting| match one.way {
            Way::Command => ways.command.is_some(),
            Way::Hook => ways.hook.is_some(),
        };
        self.waiting.retain(|one| in_hand.contains(&one.number) || (now - one.since < LASTS && can_go(one)));
        let too_many = self.waiting.len().saturating_sub(MOST);
        let mut to_drop = too_many;
        self.waiting.retain(|one| {
            let goes = to_drop > 0 && !in_hand.contains(&one.number);
            to_drop -= usize::from(goes);
            !goes
        });
        if before > self.waiting.len() {
            told.push(Delivery::Dropped(before - self.waiting.len()));
        }
        // One at a time for each way, so that they come in their order.
        for way in [Way::Command, Way::Hook] {
            if self.waiting.iter().any(|one| one.way == way && in_hand.contains(&one.number)) {
                continue;
            }
            let first = self.waiting.iter().find(|one| one.way == way).filter(|one| one.next <= now);
            let Some((number, job)) = first.and_then(|one| Some((one.number, job(one, ways)?))) else { continue };
            if self.jobs.send((number, job)).is_ok() {
                self.in_hand.insert(number);
            }
        }
        told
    }

    fn settle(&mut self, number: u64, result: Result<(), NotTaken>, now: i64, told: &mut Vec<Delivery>) {
        let Some(place) = self.waiting.iter().position(|one| one.number == number) else { return };
        let way = self.waiting[place].way;
        match result {
            Ok(()) => {
                self.waiting.remove(place);
                if self.failing.remove(&way) {
                    told.push(Delivery::TakenAgain(way));
                }
            }
            Err(NotTaken { why, may_pass }) => {
                let one = &mut self.waiting[place];
                // What nobody will take is not tried often; the administrator mends the address, and then it goes.
                let pause = if may_pass { one.tries } else { one.tries.max(3) };
                one.next = now + PAUSES[pause.min(PAUSES.len() - 1)];
                one.tries += 1;
                if self.failing.insert(way) {
                    told.push(Delivery::NotTaken { way, why });
                }
            }
        }
    }

    /// Keeps what waits.
    ///
    /// # Errors
    /// When the journal can't be written.
    pub fn keep(&self, state: &State) -> Result<(), AppError> {
        let kept = StoredOutbox {
            waiting: self.waiting.clone(),
            next_number: self.next_number,
            failing: self.failing.clone(),
        };
        Ok(state.keep(KEY, &kept)?)
    }
}

fn job(one: &Waiting, ways: &Ways) -> Option<Job> {
    match one.way {
        Way::Command => {
            let (words, folder) = ways.command.clone()?;
            Some(Job::Command { words, folder, message: one.message.clone() })
        }
        Way::Hook => {
            let (url, bearer) = ways.hook.clone()?;
            Some(Job::Hook(Post { url, bearer, body: one.message.clone() }))
        }
    }
}

#[cfg(all(test, unix))]
#[path = "../tests/outbox.rs"]
mod tests;
