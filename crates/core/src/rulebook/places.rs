//! Places whose path is not known before an install is looked at: `worlds/*/packs`.

use std::fmt;

use super::names::NamePattern;
use super::wrong::PatternError;
use crate::base::path::{InstallPath, PathError, off_limits};

/// A path inside an install, some parts of which may be patterns.
#[derive(Debug, Clone)]
pub struct PlacePattern {
    text: String,
    parts: Vec<Part>,
}

/// One part of a place.
#[derive(Debug, Clone)]
pub enum Part {
    /// A name as it stands.
    Name(String),
    /// Every name that fits.
    Any(NamePattern),
}

impl PlacePattern {
    /// Reads a place; `.` is the install's root.
    ///
    /// # Errors
    /// When it could lead out of the install, whatever the patterns stand for.
    pub fn new(text: &str) -> Result<Self, PathError> {
        // A pattern stands for a name that a listing gave, so that only what is around it can do harm.
        let checked = InstallPath::folder(&text.replace(['*', '?'], "x"))?;
        let parts = if checked.is_root() {
            Vec::new()
        } else {
            text.trim_end_matches('/').split('/').map(part).collect::<Result<_, _>>().unwrap_or_default()
        };
        Ok(Self { text: text.trim_end_matches('/').to_owned(), parts })
    }

    /// The same, for a place of the game's own: nothing that is Kanon's.
    ///
    /// # Errors
    /// As [`PlacePattern::new`], and when it names Kanon's own folder or a workspace.
    pub fn of_game(text: &str) -> Result<Self, PathError> {
        let place = Self::new(text)?;
        match place.literal() {
            Some(path) => path.of_game().map(|_| place),
            None => InstallPath::new(&text.replace(['*', '?'], "x")).and_then(InstallPath::of_game).map(|_| place),
        }
    }

    /// Its parts, outermost first; none for the install's root.
    pub fn parts(&self) -> &[Part] {
        &self.parts
    }

    /// The one path that it stands for, if no part is a pattern.
    pub fn literal(&self) -> Option<InstallPath> {
        let is_name = |part: &Part| matches!(part, Part::Name(_));
        if self.parts.iter().all(is_name) { InstallPath::folder(&self.text).ok() } else { None }
    }

    /// Whether a path is one that it stands for.
    pub fn fits(&self, path: &InstallPath) -> bool {
        if path.is_root() {
            return self.parts.is_empty();
        }
        if off_limits(path.as_str()).is_some() {
            return false;
        }
        let names: Vec<&str> = path.as_str().split('/').collect();
        names.len() == self.parts.len()
            && names.iter().zip(&self.parts).all(|(name, part)| match part {
                Part::Name(own) => own == name,
                Part::Any(pattern) => pattern.fits(name),
            })
    }
}

fn part(text: &str) -> Result<Part, PatternError> {
    if text.contains(['*', '?']) { NamePattern::new(text).map(Part::Any) } else { Ok(Part::Name(text.to_owned())) }
}

impl fmt::Display for PlacePattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("worlds/*/packs", "worlds/fen/packs", true)]
    #[case("worlds/*/packs", "worlds/fen/deep/packs", false)]
    #[case("worlds/*/packs", "worlds/fen/other", false)]
    #[case("save-?", "save-1", true)]
    #[case("mods", "mods", true)]
    #[case(".", ".", true)]
    fn a_place_stands_for_paths(#[case] place: &str, #[case] path: &str, #[case] fits: bool) {
        let path = InstallPath::folder(path).expect("a path");
        assert_eq!(PlacePattern::new(place).expect("a place").fits(&path), fits);
    }

    #[test]
    fn only_a_place_without_patterns_is_one_path() {
        assert_eq!(PlacePattern::new("mods/").expect("a place").literal().expect("one").as_str(), "mods");
        assert!(PlacePattern::new("worlds/*").expect("a place").literal().is_none());
        for bad in ["../*", "/abs/*", "a//*", "", "con/*"] {
            assert!(PlacePattern::new(bad).is_err(), "{bad}");
        }
    }
}
