//! The world, read once: everything a command may know of the machine it runs on.

use std::collections::BTreeMap;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};

use kanon_core::base::suggestion::quoted;
use kanon_io::retry::RetryPolicy;

use crate::arguments::{Format, Global};
use crate::failure::Failure;

/// What a command may know of the machine.
#[derive(Clone)]
pub struct Env {
    /// The folder that paths are relative to, and where the workspace is looked for.
    pub folder: PathBuf,
    /// Whether somebody can be asked.
    pub can_ask: bool,
    /// How the report is printed.
    pub format: Format,
    /// Whether more is told.
    pub verbose: bool,
    /// Whether the report goes to a terminal.
    pub shows: bool,
    /// What is typed behind `kanon` to work here again.
    typed_folder: Vec<String>,
    /// The variables that Kanon heeds. Some hold passwords, so that this is never printed.
    variables: BTreeMap<&'static str, String>,
    now: jiff::Zoned,
    passwords: BTreeMap<String, String>,
}

/// The variables that Kanon heeds, but for those that hold passwords.
const HEEDED: [&str; 10] = [
    "HOME",
    "USERPROFILE",
    "USER",
    "USERNAME",
    "HOSTNAME",
    "COMPUTERNAME",
    "XDG_CONFIG_HOME",
    "APPDATA",
    "SSH_AUTH_SOCK",
    "KANON_PATIENCE",
];

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
        let can_ask = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
        let variables = HEEDED.into_iter().filter_map(|name| Some((name, std::env::var(name).ok()?))).collect();
        let is_secret =
            |name: &str| name.starts_with("KANON_PASSWORD") || matches!(name, "KANON_PASSPHRASE" | "KANON_USER");
        let passwords = std::env::vars_os().filter_map(|(name, value)| Some((name.into_string().ok()?, value)));
        let passwords = passwords
            .filter(|(name, _)| is_secret(name))
            .filter_map(|(name, value)| Some((name, value.into_string().ok()?)))
            .collect();
        Ok(Self {
            folder,
            can_ask,
            format: global.format,
            verbose: global.verbose,
            shows: std::io::stdout().is_terminal(),
            typed_folder: global.directory.as_ref().map_or_else(Vec::new, |typed| in_folder(typed)),
            variables,
            now: jiff::Zoned::now(),
            passwords,
        })
    }

    /// The same machine, working in another folder.
    pub fn working_in(&self, folder: &Path) -> Self {
        // Whoever stands in that folder, or has typed it, types nothing more.
        let here = self.folder.canonicalize().ok().zip(folder.canonicalize().ok());
        let is_inside = here.is_some_and(|(here, folder)| here.starts_with(folder));
        let typed_folder = if is_inside { self.typed_folder.clone() } else { in_folder(folder) };
        Self { folder: folder.to_owned(), typed_folder, ..self.clone() }
    }

    /// Whether whoever typed the command stands in another folder than the one it works in.
    pub fn is_elsewhere(&self) -> bool {
        !self.typed_folder.is_empty()
    }

    /// What stands before a command that is to be typed where this one was.
    pub fn typed(&self) -> &[String] {
        &self.typed_folder
    }

    /// A command as it is to be typed where this one was.
    pub fn command(&self, words: &str) -> String {
        let typed: Vec<String> = self.typed_folder.iter().map(|word| quoted(word)).chain([words.to_owned()]).collect();
        format!("kanon {}", typed.join(" "))
    }

    /// A variable that Kanon heeds; an empty one is none.
    pub fn variable(&self, name: &str) -> Option<&str> {
        let found = self.variables.get(name).or_else(|| self.passwords.get(name));
        found.map(String::as_str).filter(|value| !value.is_empty())
    }

    /// The user's own folder.
    pub fn home(&self) -> Option<PathBuf> {
        self.variable("HOME").or_else(|| self.variable("USERPROFILE")).map(PathBuf::from)
    }

    /// The user's name.
    pub fn user(&self) -> Option<&str> {
        self.variable("USER").or_else(|| self.variable("USERNAME"))
    }

    /// Where what belongs to the user and no workspace is kept.
    pub fn config(&self) -> Option<PathBuf> {
        let given = self.variable("XDG_CONFIG_HOME").or_else(|| self.variable("APPDATA")).map(PathBuf::from);
        given.or_else(|| Some(self.home()?.join(".config"))).map(|folder| folder.join("kanon"))
    }

    /// How long a host that does not answer is waited for.
    pub fn patience(&self) -> RetryPolicy {
        let seconds = self.variable("KANON_PATIENCE").and_then(|text| text.parse::<u64>().ok()).filter(|s| *s > 0);
        seconds.map_or_else(RetryPolicy::default, RetryPolicy::of_seconds)
    }

    /// What the clock says here and now.
    pub fn now(&self) -> jiff::Zoned {
        self.now.clone()
    }

    /// Whoever runs this.
    pub fn person(&self) -> String {
        self.user().unwrap_or("somebody").to_owned()
    }

    /// What this machine is called.
    pub fn machine(&self) -> Option<String> {
        let said = self.variable("HOSTNAME").or_else(|| self.variable("COMPUTERNAME")).map(str::to_owned);
        said.or_else(kanon_io::running::machine)
    }
}

/// A time as the clock here shows it.
pub fn time_of_day(seconds: i64) -> String {
    let time = jiff::Timestamp::from_second(seconds).map(|time| time.to_zoned(jiff::tz::TimeZone::system()));
    time.map(|time| time.strftime("%Y-%m-%d %H:%M:%S").to_string()).unwrap_or_else(|_| "an unknown time".to_owned())
}

fn in_folder(folder: &Path) -> Vec<String> {
    vec!["-C".to_owned(), folder.display().to_string()]
}
