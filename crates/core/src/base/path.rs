//! A path inside an install that is safe to write on every system, as a type.
//!
//! Surveys, archives, canons and rulebooks come from other people. Whatever names a file passes through
//! [`InstallPath`], so that none of them can point outside the install.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::base::limits;

/// How the install's root is written.
const ROOT: &str = ".";

/// Names that Windows keeps for devices, with any extension and in any letter case.
const RESERVED: [&str; 22] = [
    "con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8", "com9", "lpt1", "lpt2",
    "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9",
];

/// Why a text is no path inside an install.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{}` can't name a file inside the install: {reason}", printable(.path))]
pub struct PathError {
    path: String,
    reason: &'static str,
}

impl PathError {
    /// What is wrong with it, without the path.
    pub const fn reason(&self) -> &'static str {
        self.reason
    }
}

/// A path relative to the root of an install, with `/` between its parts.
///
/// It has no `..`, no drive letter, no reserved or unportable name, and is never empty.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct InstallPath(String);

impl InstallPath {
    /// Takes a path written with `/`; a trailing `/` is dropped.
    ///
    /// # Errors
    /// When the path is absolute, leaves the install, or can't exist on one of the systems games run on.
    pub fn new(path: &str) -> Result<Self, PathError> {
        let trimmed = path.strip_suffix('/').unwrap_or(path);
        match fault(trimmed) {
            Some(reason) => Err(PathError { path: path.chars().take(200).collect(), reason }),
            None => Ok(Self(trimmed.to_owned())),
        }
    }

    /// A folder, which may be the install's root itself, written `.`.
    ///
    /// # Errors
    /// As [`InstallPath::new`].
    pub fn folder(path: &str) -> Result<Self, PathError> {
        if path == ROOT { Ok(Self(ROOT.to_owned())) } else { Self::new(path) }
    }

    /// Whether this is the install's root itself.
    pub fn is_root(&self) -> bool {
        self.0 == ROOT
    }

    /// The path as text, with `/`.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The last part.
    pub fn name(&self) -> &str {
        self.0.rsplit('/').next().unwrap_or(&self.0)
    }

    /// All but the last part; `None` for a name at the root.
    pub fn parent(&self) -> Option<Self> {
        self.0.rsplit_once('/').map(|(parent, _)| Self(parent.to_owned()))
    }

    /// This path and one below it.
    ///
    /// # Errors
    /// As [`InstallPath::new`].
    pub fn join(&self, below: &str) -> Result<Self, PathError> {
        if self.is_root() { Self::new(below) } else { Self::new(&format!("{}/{below}", self.0)) }
    }

    /// This path and one name below it; only the name is looked at, which is all that a listing needs.
    ///
    /// # Errors
    /// As [`InstallPath::new`], and when the name is more than one.
    pub fn child(&self, name: &str) -> Result<Self, PathError> {
        if self.is_root() {
            return Self::new(name);
        }
        let refused = |reason| PathError { path: format!("{}/{name}", self.0).chars().take(200).collect(), reason };
        if name.contains('/') {
            return Err(refused("it is more than one name"));
        }
        if self.0.len() + 1 + name.len() > limits::PATH_BYTES {
            return Err(refused("it is longer than 1024 bytes"));
        }
        match part_fault(name) {
            Some(reason) => Err(refused(reason)),
            None => Ok(Self([self.0.as_str(), "/", name].concat())),
        }
    }

    /// What is left of this path below `folder`.
    pub fn below(&self, folder: &Self) -> Option<&str> {
        if folder.is_root() {
            return (!self.is_root()).then_some(self.0.as_str());
        }
        self.0.strip_prefix(&folder.0)?.strip_prefix('/')
    }

    /// The form in which two paths are equal on a system that ignores letter case.
    pub fn folded(&self) -> String {
        self.0.to_lowercase()
    }

    /// Refuses a path that no rulebook, mod or step may name, whoever wrote it: Kanon's own folder, and what would be taken
    /// for a workspace.
    ///
    /// # Errors
    /// When it is one.
    pub fn of_game(self) -> Result<Self, PathError> {
        match off_limits(&self.0) {
            Some(reason) => Err(PathError { path: self.0, reason }),
            None => Ok(self),
        }
    }
}

/// Kanon's own folder in a game's.
const OWN: &str = ".kanon";
/// How it begins, in either letter case.
const OWN_LETTERS: [&str; 2] = [".k", ".K"];
/// The files that make a folder a workspace, and the short names that Windows would give them.
const WORKSPACE: [(&str, &str, &str); 2] = [("kanon.toml", "kanon", ".tom"), ("canon.json", "canon", ".jso")];

/// Why mods and rulebooks may not name a path, if they may not.
pub fn off_limits(path: &str) -> Option<&'static str> {
    // A listing asks this a hundred thousand times, and nearly no name comes near.
    let is_near = !path.is_ascii()
        || path.contains('~')
        || OWN_LETTERS.iter().any(|own| path.contains(own))
        || (!path.contains('/') && path.starts_with(['k', 'K', 'c', 'C']));
    if !is_near {
        return None;
    }
    let mut parts = path.split('/').map(as_systems_take_it);
    let first = parts.next().unwrap_or_default();
    let is_alone = !path.contains('/');
    if std::iter::once(&first).cloned().chain(parts).any(|part| is_own(&part)) {
        return Some("`.kanon` is Kanon's own folder");
    }
    let is_workspace = |(name, stem, extension): &(&str, &str, &str)| {
        first == *name || (first.ends_with(extension) && is_short_name(first.trim_end_matches(extension), stem))
    };
    (is_alone && WORKSPACE.iter().any(is_workspace))
        .then_some("a file of this name would be taken for a workspace of Kanon")
}

fn is_own(part: &str) -> bool {
    part == OWN || is_short_name(part, OWN.trim_start_matches('.'))
}

/// Whether a name is one of those that Windows gives to long names for old programs: `KANON~1`, or `KA01AB~1` where there are many.
fn is_short_name(part: &str, of: &str) -> bool {
    let Some((stem, number)) = part.split_once('~') else { return false };
    let is_hashed = || {
        stem.len() == 6 && stem.is_ascii() && stem[..2] == of[..2] && stem[2..].bytes().all(|b| b.is_ascii_hexdigit())
    };
    !number.is_empty() && number.bytes().all(|b| b.is_ascii_digit()) && (stem == of || is_hashed())
}

/// A name as some file system takes it: without what one drops or passes over, and without letter case. A canonical form of
/// Unicode changes nothing more about ASCII names: the one letter that it makes ASCII of, the Kelvin sign, folds to `k`.
fn as_systems_take_it(part: &str) -> String {
    let is_passed_over = |c: &char| matches!(c, '\u{ad}' | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}');
    let seen: String =
        part.chars().filter(|c| !is_passed_over(c)).flat_map(char::to_uppercase).flat_map(char::to_lowercase).collect();
    seen.trim_end_matches(['.', ' ']).trim_start_matches(' ').to_owned()
}

impl fmt::Display for InstallPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl TryFrom<String> for InstallPath {
    type Error = PathError;

    fn try_from(path: String) -> Result<Self, PathError> {
        if path.ends_with('/') || fault(&path).is_some() { Self::folder(&path) } else { Ok(Self(path)) }
    }
}

impl From<InstallPath> for String {
    fn from(path: InstallPath) -> Self {
        path.0
    }
}

fn fault(path: &str) -> Option<&'static str> {
    if path.is_empty() {
        return Some("it is empty");
    }
    if path.len() > limits::PATH_BYTES {
        return Some("it is longer than 1024 bytes");
    }
    if path.starts_with(['/', '\\']) {
        return Some("it is absolute");
    }
    if path.as_bytes().get(1) == Some(&b':') && path.as_bytes()[0].is_ascii_alphabetic() {
        return Some("it begins with a drive letter");
    }
    path.split('/').find_map(part_fault)
}

fn part_fault(part: &str) -> Option<&'static str> {
    if part.is_empty() || part == "." {
        return Some("it has an empty part");
    }
    if part == ".." {
        return Some("it leaves its folder with `..`");
    }
    // One pass over the bytes settles nearly every name; a listing asks this a hundred thousand times.
    if !part.bytes().all(|byte| PORTABLE[byte as usize]) {
        if part.chars().any(char::is_control) {
            return Some("it holds a control character");
        }
        if part.bytes().any(|byte| byte.is_ascii() && !PORTABLE[byte as usize]) {
            return Some("it holds a character that can't be in a file name on Windows");
        }
    }
    if part.ends_with(['.', ' ']) {
        Some("a part ends with a dot or a blank, which Windows drops")
    } else if part.len() > 255 {
        Some("a part is longer than 255 bytes")
    } else if is_reserved(part) {
        Some("it uses a name that Windows keeps for a device")
    } else {
        None
    }
}

/// The ASCII characters that may be in a file name everywhere.
const PORTABLE: [bool; 256] = {
    let mut portable = [false; 256];
    let mut byte = 0x20;
    while byte < 0x7f {
        portable[byte] = !matches!(byte as u8, b'<' | b'>' | b':' | b'"' | b'\\' | b'|' | b'?' | b'*');
        byte += 1;
    }
    portable
};

/// Nearly all names are told apart by their first letter, and a listing asks this of each.
fn is_reserved(part: &str) -> bool {
    let may_be = part.as_bytes().first().is_some_and(|first| b"cpanlCPANL".contains(first));
    if !may_be {
        return false;
    }
    let stem = part.split('.').next().unwrap_or(part).trim_end();
    matches!(stem.len(), 3 | 4) && RESERVED.iter().any(|name| stem.eq_ignore_ascii_case(name))
}

/// Text from somebody else, made safe to print: control and direction-changing characters are shown, not obeyed.
pub fn printable(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for c in text.chars() {
        if steers(c) { shown.extend(c.escape_unicode()) } else { shown.push(c) }
    }
    shown
}

/// Whether a character would move a terminal's cursor, turn its text around, end its line or hide: C0, C1, marks of
/// direction, separators of lines, and characters that are none.
pub fn steers(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61c}' | '\u{200b}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}')
        || matches!(c, '\u{fdd0}'..='\u{fdef}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case("mods/aurora.psm")]
    #[case("mods/@deep cold/stock/a.hold")]
    #[case("mods/über.psm")]
    #[case("mods/")]
    #[case("mods/console.psm")]
    fn good(#[case] path: &str) {
        assert!(InstallPath::new(path).is_ok());
    }

    #[rstest]
    #[case("", "empty")]
    #[case("/etc/passwd", "absolute")]
    #[case("\\\\host\\share", "absolute")]
    #[case("C:/mods", "drive letter")]
    #[case("c:mods", "drive letter")]
    #[case("mods/../../x", "`..`")]
    #[case("..", "`..`")]
    #[case("mods//x", "empty part")]
    #[case("./x", "empty part")]
    #[case("mods\\..\\x", "Windows")]
    #[case("mods/x:stream", "Windows")]
    #[case("mods/nul.psm", "device")]
    #[case("mods/COM1", "device")]
    #[case("mods/x.psm.", "dot or a blank")]
    #[case("mods/a\u{1b}[2J", "control")]
    fn bad(#[case] path: &str, #[case] reason: &str) {
        let error = InstallPath::new(path).expect_err("refused");
        assert!(error.to_string().contains(reason), "{error}");
        assert!(!error.to_string().contains('\u{1b}'));
    }

    #[rstest]
    #[case(".kanon")]
    #[case("mods/.KANON/follow/kanon.toml")]
    #[case("mods/.kanon")]
    #[case(".Kanon/receipt.json")]
    #[case("\u{212a}anon.toml")]
    #[case(".\u{212a}anon/x")]
    #[case(".ka\u{200c}non/x")]
    #[case("KANON~1/follow")]
    #[case("kanon~12/follow")]
    #[case("KA3F9C~1/follow")]
    #[case("Kanon.TOML")]
    #[case("CANON.json")]
    #[case("canon.j\u{17f}on")]
    #[case("KANON~1.TOM")]
    #[case("canon~2.jso")]
    fn off_limits_for_mods_and_rulebooks(#[case] path: &str) {
        let path = InstallPath::new(path).expect("inside the install");
        assert!(path.clone().of_game().is_err(), "{path}");
    }

    #[rstest]
    #[case("mods/kanon.toml")]
    #[case("kanon")]
    #[case("mods/canon.json")]
    #[case("kanon~1x/a")]
    #[case("kanonade/a.psm")]
    #[case(".kanonade/a.psm")]
    #[case("canon.jso")]
    fn not_off_limits(#[case] path: &str) {
        assert!(InstallPath::new(path).expect("a path").of_game().is_ok(), "{path}");
    }

    #[test]
    fn parts() {
        let path = InstallPath::new("mods/sub/a.psm").expect("good");
        let mods = InstallPath::new("mods").expect("good");
        assert_eq!(path.name(), "a.psm");
        assert_eq!(path.parent().expect("has one").as_str(), "mods/sub");
        assert_eq!(path.below(&mods), Some("sub/a.psm"));
        assert_eq!(InstallPath::new("modsx/a").expect("good").below(&mods), None);
        assert!(mods.join("../x").is_err());
        let root = InstallPath::folder(".").expect("the root");
        assert_eq!(root.join("mods/a").expect("good").as_str(), "mods/a");
        assert_eq!(
            (path.below(&root), root.below(&root), root.child("..").is_err()),
            (Some("mods/sub/a.psm"), None, true)
        );
        assert!(InstallPath::new(".").is_err() && InstallPath::folder("../x").is_err());
        assert_eq!(mods.child("a.psm").expect("good").as_str(), "mods/a.psm");
        assert!(mods.child("..").is_err() && mods.child("a/b").is_err() && mods.child("nul").is_err());
    }

    proptest! {
        #[test]
        fn what_is_accepted_never_leaves_the_install(text in "[a-zA-Z./\\\\: *]{0,24}") {
            if let Ok(path) = InstallPath::new(&text) {
                prop_assert!(!path.as_str().starts_with('/'));
                prop_assert!(path.as_str().split('/').all(|part| !part.is_empty() && part != ".." && part != "."));
                prop_assert!(!path.as_str().contains(['\\', ':']));
            }
        }
    }
}
