//! The machine that a use case runs on, read once by whoever starts it: nothing below looks at the environment or the clock.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use kanon_core::base::suggestion::quoted;
use kanon_io::origin::Access;
use kanon_io::retry::RetryPolicy;

/// What a use case may know of the machine.
#[derive(Clone)]
pub struct Machine {
    /// The folder that paths are relative to, and where the workspace is looked for.
    pub folder: PathBuf,
    /// Whether somebody can be asked.
    pub can_ask: bool,
    /// What is typed behind `kanon` to work here again.
    typed_folder: Vec<String>,
    /// The variables that Kanon heeds. Some hold passwords, so that this is never printed.
    variables: BTreeMap<String, String>,
    /// So many backups of a game that follows a release are kept.
    backups: u32,
    now: jiff::Zoned,
}

/// So many backups of a game that follows a release are kept where the user says nothing else.
const BACKUPS: u32 = 3;

/// The variables that Kanon heeds, but for those that hold passwords.
pub const HEEDED: [&str; 10] = [
    "HOME",
    "USERPROFILE",
    "USER",
    "USERNAME",
    "HOSTNAME",
    "COMPUTERNAME",
    "XDG_CONFIG_HOME",
    "APPDATA",
    "SSH_AUTH_SOCK",
    PATIENCE,
];

/// The variable that says for how many seconds a silent host is waited for.
const PATIENCE: &str = "KANON_PATIENCE";

/// The variable that holds what stands for `{secret}` in the address of a hook.
pub const HOOK_SECRET: &str = "KANON_HOOK_SECRET";

/// How the names of the variables begin that say where a bucket is and who asks there.
const BUCKETS: &str = "AWS_";

/// Whether a variable holds a password, or the name that goes with one.
pub fn is_secret(variable: &str) -> bool {
    variable.starts_with("KANON_PASSWORD")
        || variable.starts_with(BUCKETS)
        || matches!(variable, "KANON_PASSPHRASE" | "KANON_USER" | HOOK_SECRET)
}

impl Machine {
    /// A machine as it was found: `typed` is the folder as it was typed, where one was; `variables` those that are heeded and
    /// those that are secret.
    pub fn new(
        (folder, typed): (PathBuf, Option<&Path>),
        can_ask: bool,
        variables: BTreeMap<String, String>,
        now: jiff::Zoned,
    ) -> Self {
        Self { folder, can_ask, typed_folder: typed.map_or_else(Vec::new, in_folder), variables, backups: BACKUPS, now }
    }

    /// The same machine, working in another folder.
    pub fn working_in(&self, folder: &Path) -> Self {
        let (here, there) = (self.folder.canonicalize().ok(), folder.canonicalize().ok());
        let typed_folder = match here.zip(there) {
            // Whoever stands in that folder, or has typed it, types nothing more.
            Some((here, there)) if here.starts_with(&there) => self.typed_folder.clone(),
            // Below where somebody stands, the way from there will do.
            Some((here, there)) if self.typed_folder.is_empty() => {
                in_folder(there.strip_prefix(&here).unwrap_or(folder))
            }
            _ => in_folder(folder),
        };
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
        self.variables.get(name).map(String::as_str).filter(|value| !value.is_empty())
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
        let seconds = self.variable(PATIENCE).and_then(|text| text.parse::<u64>().ok()).filter(|s| *s > 0);
        seconds.map_or_else(RetryPolicy::default, RetryPolicy::of_seconds)
    }

    /// The same, with so many seconds of patience where no variable says how many.
    #[must_use]
    pub fn or_patience(mut self, seconds: Option<u64>) -> Self {
        if let Some(seconds) = seconds.filter(|_| self.variable(PATIENCE).is_none()) {
            self.variables.insert(PATIENCE.to_owned(), seconds.to_string());
        }
        self
    }

    /// The same, with so many backups of a game that follows a release.
    #[must_use]
    pub fn or_backups(mut self, number: Option<u32>) -> Self {
        self.backups = number.unwrap_or(self.backups);
        self
    }

    /// So many backups of a game that follows a release are kept.
    pub const fn kept_backups(&self) -> u32 {
        self.backups
    }

    /// How places of releases and downloads are reached.
    pub fn access(&self) -> Access {
        let of_buckets = self.variables.iter().filter(|(name, _)| name.starts_with(BUCKETS));
        Access {
            patience: self.patience(),
            bucket: of_buckets.map(|(name, value)| (name.clone(), value.clone())).collect(),
        }
    }

    /// The same machine at another time.
    #[must_use]
    pub fn at(self, now: jiff::Zoned) -> Self {
        Self { now, ..self }
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
    pub fn name(&self) -> Option<String> {
        let said = self.variable("HOSTNAME").or_else(|| self.variable("COMPUTERNAME")).map(str::to_owned);
        said.or_else(kanon_io::running::machine)
    }
}

fn in_folder(folder: &Path) -> Vec<String> {
    vec!["-C".to_owned(), folder.display().to_string()]
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::below("games/juno", None, "kanon -C games/juno undo juno")]
    #[case::where_it_stands(".", None, "kanon undo juno")]
    #[case::typed_already("games/juno", Some("games"), "kanon -C {root}/games/juno undo juno")]
    fn commands_are_told_as_they_are_typed_from_here(
        #[case] folder: &str,
        #[case] typed: Option<&str>,
        #[case] told: &str,
    ) {
        let root = tempfile::tempdir().expect("a folder");
        let root = root.path().canonicalize().expect("a path");
        std::fs::create_dir_all(root.join("games/juno")).expect("a folder");
        let stands = typed.map_or_else(|| root.clone(), |typed| root.join(typed));
        let machine = Machine::new((stands, typed.map(Path::new)), false, BTreeMap::new(), jiff::Zoned::default());
        let there = machine.working_in(&root.join(folder));
        assert_eq!(there.command("undo juno"), told.replace("{root}", &root.display().to_string()));
    }

    #[test]
    fn an_empty_variable_is_none_and_patience_is_a_number() {
        let with = |name: &str, value: &str| {
            let variables = BTreeMap::from([(name.to_owned(), value.to_owned())]);
            Machine::new((PathBuf::from("/"), None), false, variables, jiff::Zoned::default())
        };
        assert_eq!(with("USER", "").person(), "somebody");
        assert_eq!(with("USERNAME", "ines").person(), "ines");
        assert_eq!(with("APPDATA", "/a").config(), Some(PathBuf::from("/a/kanon")));
        assert!(is_secret("KANON_PASSWORD_HALL") && is_secret("KANON_PASSPHRASE") && !is_secret("HOME"));
    }
}
