//! What a user has set for all of their work, in `config.toml` in the folder for such: options that need not be typed each time.

use std::io::ErrorKind;
use std::path::Path;

use kanon_io::open::read_bounded;
use serde::Deserialize;

use crate::arguments::{Format, When};
use crate::failure::Failure;

/// What it is called.
const FILE: &str = "config.toml";
/// Bytes that such a file may have.
const BYTES: u64 = 64 << 10;

/// What is set. What is typed goes before it.
#[derive(Debug, Default, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Settings {
    /// When text is coloured.
    pub color: Option<When>,
    /// How reports are printed.
    pub format: Option<Format>,
    /// How many seconds a host that does not answer is waited for.
    pub patience: Option<u64>,
    /// The language of what players read, such as `de`.
    pub language: Option<String>,
    /// So many backups of a game that follows a release are kept.
    pub backups: Option<u32>,
}

impl Settings {
    /// Reads what the user has set, in the folder for such; nothing is set where there is no such file.
    ///
    /// # Errors
    /// When it can't be read, or says what nobody knows.
    pub fn read(folder: Option<&Path>) -> Result<Self, Failure> {
        folder.map_or_else(|| Ok(Self::default()), |folder| Self::of(&folder.join(FILE)))
    }

    fn of(path: &Path) -> Result<Self, Failure> {
        let told = || format!("your settings in {} can't be used", path.display());
        let bytes = match read_bounded(path, BYTES) {
            // In a home that somebody else keeps closed, nothing is set for whoever runs this.
            Err(error) if matches!(error.kind(), ErrorKind::NotFound | ErrorKind::PermissionDenied) => {
                return Ok(Self::default());
            }
            read => read.map_err(|error| Failure::plain(told()).because(error))?,
        };
        let text = String::from_utf8(bytes).map_err(|error| Failure::plain(told()).because(error))?;
        let known = "it knows color = \"auto\", format = \"text\", patience = 60, language = \"en\" and backups = 3";
        toml::from_str(&text).map_err(|error| Failure::plain(format!("{}: {}", told(), error.message())).hint(known))
    }
}

#[cfg(test)]
mod tests {
    use std::path::PathBuf;

    use kanon_app::machine::Machine;
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("", Settings::default())]
    #[case("format = \"json\"\n", Settings { format: Some(Format::Json), ..Settings::default() })]
    #[case("color = \"never\"\npatience = 5\n", Settings { color: Some(When::Never), patience: Some(5), ..Settings::default() })]
    fn what_is_set(#[case] text: &str, #[case] wanted: Settings) {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("config.toml");
        std::fs::write(&path, text).expect("written");
        assert_eq!(Settings::of(&path).expect("settings"), wanted);
        assert_eq!(Settings::of(&folder.path().join("none.toml")).expect("nothing set"), Settings::default());
    }

    #[rstest]
    #[case("colour = \"never\"\n")]
    #[case("format = \"xml\"\n")]
    #[case("patience = -1\n")]
    #[case("= 1")]
    fn what_nobody_knows_is_told(#[case] text: &str) {
        let folder = tempfile::tempdir().expect("a folder");
        let path = folder.path().join("config.toml");
        std::fs::write(&path, text).expect("written");
        let failure = Settings::of(&path).expect_err("refused").render();
        assert!(failure.contains("config.toml") && failure.contains("patience = 60"), "{failure}");
    }

    #[rstest]
    #[case(&[("HOME", "/home/ines")], Some("/home/ines/.config/kanon/config.toml"))]
    #[case(&[("HOME", "/home/ines"), ("XDG_CONFIG_HOME", "/etc/ines")], Some("/etc/ines/kanon/config.toml"))]
    #[case(&[("APPDATA", "C:/Users/ines"), ("HOME", "")], Some("C:/Users/ines/kanon/config.toml"))]
    #[case(&[], None)]
    fn where_it_lies(#[case] variables: &[(&str, &str)], #[case] wanted: Option<&str>) {
        let variables = variables.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
        let machine = Machine::new(("/".into(), None), false, variables, jiff::Zoned::default());
        assert_eq!(machine.config().map(|folder| folder.join(FILE)), wanted.map(PathBuf::from));
    }
}
