//! `kanon watch`: notices what changes, and tells it.

use std::time::{Duration, Instant};

use kanon_app::machine::Machine;
use kanon_app::observer::{Observer, Orderly};
use kanon_app::session::Session;
use kanon_app::watching::outbox::Way;
use kanon_app::watching::post::Post;
use kanon_app::watching::{Scope, Watched, look};
use kanon_core::base::path::printable;
use kanon_core::config::WatchWish;
use kanon_io::running::spare_memory;

use crate::Outcome;
use crate::arguments::{Format, Watch};
use crate::env::{Env, time_of_day};
use crate::failure::Failure;
use crate::render::{BAD, BOLD, FAINT, GOOD, folded, styled};
use crate::ui::Ui;
use crate::words::changes::{ChangeReport, delivery, told};

/// So long lies between two looks at everything where nothing is said.
const EVERY: Duration = Duration::from_secs(600);
/// Logs of servers on this machine are looked at so often.
const TICK: Duration = Duration::from_secs(5);
/// So long an end is put off for what is still to be told.
const LAST_WORDS: Duration = Duration::from_secs(25);

pub fn run(arguments: &Watch, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    spare_memory();
    let session = Session::of_administrator(&env.machine, ui)?;
    let watched = Watched::new(&session, &arguments.installs, &arguments.mend)?;
    check_body(&session.workspace()?.config.watch)?;
    let post = Post::open(&session)?;
    let every = arguments.every.or(post.wish().every).unwrap_or(EVERY);
    drop(session);
    Watching { env, ui, watched, every, post }.go_on(arguments.once)
}

/// A watch that goes on.
struct Watching<'w> {
    env: &'w Env,
    ui: &'w Ui,
    watched: Watched,
    every: Duration,
    post: Post,
}

impl Watching<'_> {
    fn go_on(mut self, once: bool) -> Result<Outcome, Failure> {
        // From now on an end is clean: nothing is broken off in the middle.
        let _orderly = Orderly::begin(self.ui);
        let mut last: Option<Instant> = None;
        let mut any_bad = false;
        loop {
            let is_due = last.is_none_or(|last| last.elapsed() >= self.every);
            let scope = if is_due { Scope::All } else { Scope::Logs };
            if is_due {
                last = Some(Instant::now());
                self.post.read_again(&self.env.machine, |wish| check_body(wish).is_ok());
            }
            any_bad |= self.look(scope)?;
            // Whoever started it may be gone by the next look.
            self.watched.may_ask = false;
            self.hand_over()?;
            if once || self.ui.is_break_asked() {
                self.last_words()?;
                return Ok(Outcome::of(!once || !any_bad));
            }
            self.rest(TICK.min(self.every));
        }
    }

    /// Looks, and tells what has changed. Says whether any of it is bad.
    fn look(&mut self, scope: Scope) -> Result<bool, Failure> {
        let machine = self.machine();
        let changes = look(&machine, self.ui, &self.watched, scope)?;
        let now = machine.now().timestamp().as_second();
        let mut any_bad = false;
        for change in changes {
            let told = told(change, self.post.canon_name(), machine.typed());
            any_bad |= told.bad;
            self.tell(&told)?;
            let json = serde_json::to_string(&told)
                .map_err(|error| Failure::plain("could not write the change as JSON").because(error))?;
            if self.post.tells(Way::Command) {
                self.post.add(Way::Command, json.clone() + "\n", now);
            }
            if self.post.tells(Way::Hook) {
                let body = self.post.wish().body.as_deref().map_or(json, |body| filled(body, &told));
                self.post.add(Way::Hook, body, now);
            }
        }
        Ok(any_bad)
    }

    /// On the terminal, or as a line for a program.
    fn tell(&self, told: &ChangeReport) -> Result<(), Failure> {
        match self.env.format {
            Format::Json => self.ui.json_line(told),
            Format::Text => {
                self.ui.report(&text(told));
                Ok(())
            }
        }
    }

    fn hand_over(&mut self) -> Result<(), Failure> {
        let now = self.machine().now().timestamp().as_second();
        for news in self.post.go_on(now)? {
            self.ui.notice(&format!("{}  {}", time_of_day(now), delivery(&news)));
        }
        Ok(())
    }

    /// What is still to be told, for a while; the rest is kept for the next time.
    fn last_words(&mut self) -> Result<(), Failure> {
        let until = Instant::now() + LAST_WORDS;
        while Instant::now() < until {
            let now = self.machine().now().timestamp().as_second();
            if !self.post.is_busy(now) {
                break;
            }
            std::thread::sleep(Duration::from_millis(50));
            self.hand_over()?;
        }
        Ok(())
    }

    fn rest(&mut self, pause: Duration) {
        const SLICE: Duration = Duration::from_millis(100);
        let until = Instant::now() + pause;
        while Instant::now() < until && !self.ui.is_break_asked() {
            std::thread::sleep(SLICE.min(until.saturating_duration_since(Instant::now())));
        }
    }

    fn machine(&self) -> Machine {
        self.env.machine.clone().at(jiff::Zoned::now())
    }
}

/// What is sent must be JSON, whatever is filled in.
fn check_body(wish: &WatchWish) -> Result<(), Failure> {
    let Some(body) = &wish.body else { return Ok(()) };
    let probe = kanon_app::watching::change::Change {
        at: 0,
        install: Some("\"quoted\" \\ name".into()),
        what: kanon_app::watching::change::What::InLine,
    };
    let filled = filled(body, &told(probe, "a \"name\"", &[]));
    match serde_json::from_str::<serde_json::Value>(&filled) {
        Ok(_) => Ok(()),
        Err(error) => Err(Failure::plain("the `body` of [watch] is no JSON once its places are filled")
            .because(error)
            .hint("write it like body = '{\"text\": \"{title}\"}'; the places are {title}, {text}, {install}, {kind}, {do}, {canon} and {at}")),
    }
}

/// A body with its places filled; what fills them stands inside of quotes there.
fn filled(body: &str, told: &ChangeReport) -> String {
    let inside = |text: &str| {
        let quoted = serde_json::Value::from(text).to_string();
        quoted[1..quoted.len() - 1].to_owned()
    };
    let of = told.install.as_deref().map_or_else(String::new, |install| format!("{install}: "));
    let advice = told.advice.as_ref().map(|advice| format!("do: {advice}"));
    let text: Vec<String> =
        std::iter::once(format!("{of}{}", told.title)).chain(told.details.iter().cloned()).chain(advice).collect();
    let places = [
        ("{title}", format!("{of}{}", told.title)),
        ("{text}", text.join("\n")),
        ("{install}", told.install.clone().map(String::from).unwrap_or_default()),
        ("{kind}", told.kind.to_owned()),
        ("{do}", told.advice.clone().unwrap_or_default()),
        ("{canon}", told.canon.clone()),
        ("{at}", told.at.clone()),
    ];
    // From left to right, so that what is filled in has no places.
    let mut out = String::with_capacity(body.len());
    let mut rest = body;
    while let Some(begin) = rest.find('{') {
        out.push_str(&rest[..begin]);
        rest = &rest[begin..];
        match places.iter().find(|(place, _)| rest.starts_with(place)) {
            Some((place, value)) => {
                out.push_str(&inside(value));
                rest = &rest[place.len()..];
            }
            None => {
                out.push('{');
                rest = &rest[1..];
            }
        }
    }
    out + rest
}

fn text(told: &ChangeReport) -> String {
    let when = told.at.parse::<jiff::Timestamp>().map(|at| time_of_day(at.as_second())).unwrap_or_default();
    let style = if told.bad { BAD } else { GOOD };
    let of =
        told.install.as_deref().map_or_else(String::new, |install| format!("{}  ", styled(BOLD, &printable(install))));
    let mut out = format!("{}  {of}{}\n", styled(FAINT, &when), styled(style, &printable(&told.title)));
    for detail in &told.details {
        out.push_str(&folded(detail, "    "));
    }
    if let Some(advice) = &told.advice {
        out.push_str(&folded(&format!("do: {advice}"), "    "));
    }
    out
}

#[cfg(test)]
#[path = "../tests/watch.rs"]
mod tests;
