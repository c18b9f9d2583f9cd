//! The world, read once: the machine that a command runs on, and how it is to answer.

use std::io::IsTerminal;
use std::path::Path;

use kanon_app::machine::{HEEDED, Machine, is_secret};

use crate::arguments::{Form, Format, Global, When};
use crate::asking;
use crate::failure::Failure;
use crate::settings::Settings;
use crate::words::tongue::Tongue;

/// What a command may know of the machine, and how it is to answer.
#[derive(Clone)]
pub struct Env {
    /// The machine.
    pub machine: Machine,
    /// When text is coloured.
    pub color: When,
    /// How the report is printed, where it is no page.
    pub format: Format,
    /// Whether it is to be a page.
    pub as_page: bool,
    /// Whether more is told.
    pub verbose: bool,
    /// Whether the report goes to a terminal.
    pub shows: bool,
    /// The language of what players read.
    pub tongue: Tongue,
    /// Whether somebody was led here by a dialogue, and types no commands.
    pub in_dialogue: bool,
}

/// The variable that says in which language players are spoken to, where the system's is not theirs.
const LANGUAGE: &str = "KANON_LANGUAGE";

impl Env {
    /// Reads the world.
    pub fn read(global: &Global) -> Result<Self, Failure> {
        let current = std::env::current_dir()
            .map_err(|error| Failure::plain("could not tell the current folder").because(error))?;
        let folder = global.directory.as_ref().map_or_else(|| current.clone(), |directory| current.join(directory));
        if !folder.is_dir() {
            return Err(Failure::plain(format!("there is no folder {}", folder.display()))
                .hint("give -C a folder that is there"));
        }
        let can_ask = asking::can_ask();
        let all = std::env::vars_os().filter_map(|(name, value)| Some((name.into_string().ok()?, value)));
        let heeded = all.filter(|(name, _)| HEEDED.contains(&name.as_str()) || is_secret(name));
        let variables = heeded.filter_map(|(name, value)| Some((name, value.into_string().ok()?)));
        let typed = global.directory.as_deref();
        let machine = Machine::new((folder, typed), can_ask, variables.collect(), jiff::Zoned::now());
        let settings = Settings::read(machine.config().as_deref())?;
        let asked = std::env::var(LANGUAGE).ok().filter(|asked| !asked.is_empty());
        let language = asked.or(settings.language.clone()).or_else(sys_locale::get_locale).unwrap_or_default();
        Ok(Self {
            machine: machine.or_patience(settings.patience).or_backups(settings.backups),
            color: global.color.or(settings.color).unwrap_or_default(),
            format: match global.format {
                Some(Form::Json) => Format::Json,
                Some(Form::Text | Form::Html) => Format::Text,
                None => settings.format.unwrap_or_default(),
            },
            as_page: global.format == Some(Form::Html),
            verbose: global.verbose,
            shows: std::io::stdout().is_terminal(),
            tongue: Tongue::of(&language),
            in_dialogue: false,
        })
    }

    /// What the clock said when the command began, in seconds since 1970.
    pub fn now(&self) -> i64 {
        self.machine.now().timestamp().as_second()
    }

    /// The same, working in another folder.
    pub fn working_in(&self, folder: &Path) -> Self {
        Self { machine: self.machine.working_in(folder), ..self.clone() }
    }
}

/// A time as the clock here shows it.
pub fn time_of_day(seconds: i64) -> String {
    let time = jiff::Timestamp::from_second(seconds).map(|time| time.to_zoned(jiff::tz::TimeZone::system()));
    time.map(|time| time.strftime("%Y-%m-%d %H:%M:%S").to_string()).unwrap_or_else(|_| "an unknown time".to_owned())
}

/// The day of a time, in UTC.
pub fn day_of(time: jiff::Timestamp) -> String {
    time.to_zoned(jiff::tz::TimeZone::UTC).strftime("%Y-%m-%d").to_string()
}
