//! `kanon watch`: notices what changes, and tells it.

use std::time::{Duration, Instant};

use kanon_app::machine::{HOOK_SECRET, Machine};
use kanon_app::observer::{Observer, Orderly};
use kanon_app::session::Session;
use kanon_app::watching::outbox::{Outbox, Way, Ways};
use kanon_app::watching::{Scope, Watched, look};
use kanon_core::base::path::printable;
use kanon_core::config::WatchWish;
use kanon_io::claim::take_lock;
use kanon_io::running::spare_memory;
use kanon_io::state::State;
use kanon_io::workspace::Workspace;

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
/// What stands for the secret in the address of a hook.
const SECRET: &str = "{secret}";

pub fn run(arguments: &Watch, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    spare_memory();
    let session = Session::of_administrator(&env.machine, ui)?;
    let workspace = session.workspace()?.clone();
    let names = session.install_names()?;
    if let Some(name) = arguments.installs.iter().chain(&arguments.mend).find(|name| !names.contains(name)) {
        return Err(Failure::plain(format!("`{}` is no install of kanon.toml", printable(name)))
            .hint(format!("watch one of: {}", names.join(", "))));
    }
    let mut watched =
        Watched { installs: arguments.installs.clone(), mend: arguments.mend.iter().cloned().collect(), may_ask: true };
    if !watched.installs.is_empty() {
        let also: Vec<String> = watched.mend.iter().filter(|name| !watched.installs.contains(name)).cloned().collect();
        watched.installs.extend(also);
    }
    let wish = &workspace.config.watch;
    let every = arguments.every.or(wish.every).unwrap_or(EVERY);
    let ways = ways(&workspace, &env.machine)?;
    check_body(wish)?;
    let lock = workspace.own().join("watch.lock");
    let _lock = take_lock(&lock, "the watch of this workspace", &session.claimant()?)?;
    let state = workspace.state()?;
    drop(session);
    let outbox = Outbox::open(&state)?;
    Watching { env, ui, watched, every, ways, outbox, state, workspace }.go_on(arguments.once)
}

/// A watch that goes on.
struct Watching<'w> {
    env: &'w Env,
    ui: &'w Ui,
    watched: Watched,
    every: Duration,
    ways: Ways,
    outbox: Outbox,
    state: State,
    workspace: Workspace,
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
                self.read_again();
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

    /// Somebody may have changed whom to tell.
    fn read_again(&mut self) {
        if let Ok(workspace) = Workspace::open_at(&self.workspace.root)
            && let Ok(ways) = ways(&workspace, &self.env.machine)
            && check_body(&workspace.config.watch).is_ok()
        {
            (self.workspace, self.ways) = (workspace, ways);
        }
    }

    /// Looks, and tells what has changed. Says whether any of it is bad.
    fn look(&mut self, scope: Scope) -> Result<bool, Failure> {
        let machine = self.machine();
        let changes = look(&machine, self.ui, &self.watched, scope)?;
        let now = machine.now().timestamp().as_second();
        let mut any_bad = false;
        for change in changes {
            let told = told(change, &self.workspace.config.name, machine.typed());
            any_bad |= told.bad;
            self.tell(&told)?;
            let json = serde_json::to_string(&told)
                .map_err(|error| Failure::plain("could not write the change as JSON").because(error))?;
            if self.ways.command.is_some() {
                self.outbox.add(Way::Command, json.clone() + "\n", now);
            }
            if self.ways.hook.is_some() {
                let body = self.workspace.config.watch.body.as_deref();
                self.outbox.add(Way::Hook, body.map_or(json, |body| filled(body, &told)), now);
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
        for news in self.outbox.go_on(&self.ways, now) {
            self.ui.notice(&format!("{}  {}", time_of_day(now), delivery(&news)));
        }
        Ok(self.outbox.keep(&self.state)?)
    }

    /// What is still to be told, for a while; the rest is kept for the next time.
    fn last_words(&mut self) -> Result<(), Failure> {
        let until = Instant::now() + LAST_WORDS;
        while Instant::now() < until {
            let now = self.machine().now().timestamp().as_second();
            if !self.outbox.is_busy(now) {
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

/// Whom to tell, by kanon.toml and the environment.
fn ways(workspace: &Workspace, machine: &Machine) -> Result<Ways, Failure> {
    let wish = &workspace.config.watch;
    let secret = machine.variable(HOOK_SECRET);
    let hook = match &wish.hook {
        Some(hook) if hook.contains(SECRET) => {
            let secret = secret.ok_or_else(|| {
                Failure::plain(format!("the hook of [watch] has the place {SECRET}, and nothing says what it is"))
                    .hint(format!("set {HOOK_SECRET} where kanon watch runs"))
            })?;
            Some((hook.replace(SECRET, secret), None))
        }
        Some(hook) => Some((hook.clone(), secret.map(str::to_owned))),
        None => None,
    };
    let command = (!wish.command.is_empty()).then(|| (wish.command.clone(), workspace.root.clone()));
    Ok(Ways { command, hook })
}

/// What is sent must be JSON, whatever is filled in.
fn check_body(wish: &WatchWish) -> Result<(), Failure> {
    let Some(body) = &wish.body else { return Ok(()) };
    let probe = kanon_app::watching::change::Change {
        at: 0,
        install: Some("\"quoted\" \\ name".to_owned()),
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
        ("{install}", told.install.clone().unwrap_or_default()),
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
