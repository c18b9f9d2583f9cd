//! What one side of Ashmere Reach carries: the holds of its launch line, each with its payloads and their marks.

use std::path::Path;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// A hold, as it lies in its folder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Hold {
    pub id: String,
    pub release: String,
    pub payloads: Vec<Payload>,
}

/// A signed payload.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Payload {
    pub name: String,
    pub sum: String,
    /// The name of the key that its mark names, and the mark.
    pub mark: Option<(String, Vec<u8>)>,
}

/// The holds that a launch line names, as it names them. A line that begins with `rem` is no line.
pub fn launched(text: &str) -> Vec<String> {
    let line =
        text.lines().find(|line| !line.trim_start().to_lowercase().starts_with("rem") && line.contains("-holds="));
    let value = line.and_then(|line| line.split("-holds=").nth(1)).unwrap_or_default();
    let value = value.split(['"', ' ', '\t']).next().unwrap_or_default();
    value.split(';').map(|word| word.trim_start_matches('#').to_owned()).filter(|word| !word.is_empty()).collect()
}

/// Why a hold can't be opened.
#[derive(Debug, thiserror::Error)]
pub enum NoHold {
    #[error("no hold is called {0}")]
    NotThere(String),
    #[error("{0} has no papers")]
    NoPapers(String),
    #[error("{0} has papers that nobody can read")]
    BadPapers(String),
    #[error("{0} can't be read")]
    Unread(String),
}

/// Opens a hold; the name must be just that of its folder.
pub fn open(root: &Path, name: &str) -> Result<Hold, NoHold> {
    let folder = root.join("holds").join(name);
    let is_there = std::fs::read_dir(root.join("holds"))
        .is_ok_and(|mut entries| entries.any(|entry| entry.is_ok_and(|entry| entry.file_name() == *name)));
    if !is_there {
        return Err(NoHold::NotThere(name.to_owned()));
    }
    let text = std::fs::read_to_string(folder.join("hold.toml")).map_err(|_| NoHold::NoPapers(name.to_owned()))?;
    let about: toml::Table = text.parse().map_err(|_| NoHold::BadPapers(name.to_owned()))?;
    let said = |key: &str| about.get(key).and_then(toml::Value::as_str).unwrap_or_default().to_owned();
    let mut names: Vec<String> = Vec::new();
    for entry in std::fs::read_dir(folder.join("stock")).into_iter().flatten().flatten() {
        names.push(entry.file_name().to_string_lossy().into_owned());
    }
    names.sort();
    let mut payloads = Vec::new();
    for payload in names.iter().filter(|name| name.ends_with(".hold")) {
        let bytes = std::fs::read(folder.join("stock").join(payload)).map_err(|_| NoHold::Unread(name.to_owned()))?;
        let mark = names.iter().find_map(|other| {
            let key = other.strip_prefix(payload)?.strip_prefix('.')?.strip_suffix(".mark")?;
            Some((key.to_owned(), std::fs::read(folder.join("stock").join(other)).ok()?))
        });
        payloads.push(Payload {
            name: payload.clone(),
            sum: format!("{:x?}", Sha256::digest(&bytes).as_slice()),
            mark,
        });
    }
    Ok(Hold { id: said("id"), release: said("release"), payloads })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_launch_line_is_read_as_the_game_reads_it() {
        let text = "rem hall -holds=#old\r\nstart hall.exe \"-holds=#a;#b\" -quiet\r\n";
        assert_eq!(launched(text), ["a", "b"]);
        assert_eq!(launched("-quiet -holds=#a -x"), ["a"]);
        assert!(launched("hall.exe").is_empty());
    }
}
