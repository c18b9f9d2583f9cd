//! Patterns over file names: which names a shelf holds, and how the name of a disabled mod hides its real one.

use globset::{GlobBuilder, GlobMatcher};
use serde::{Deserialize, Serialize};

use super::wrong::PatternError;
use crate::base::ids::same_name;
use crate::base::path::InstallPath;

/// Bytes of one pattern, and groups of alternatives in it.
const PATTERN_BYTES: usize = 512;
const PATTERN_ALTERNATIVES: usize = 16;

/// A name with `*` and `?`, in any letter case.
#[derive(Debug, Clone)]
pub struct NamePattern {
    text: String,
    matcher: GlobMatcher,
}

impl NamePattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// When it is no pattern; the text says why.
    pub fn new(text: &str) -> Result<Self, PatternError> {
        let depth = text.bytes().filter(|byte| *byte == b'{').count();
        if text.len() > PATTERN_BYTES || depth > PATTERN_ALTERNATIVES {
            return Err(PatternError::TooLong);
        }
        let glob = GlobBuilder::new(text).case_insensitive(true).literal_separator(true).build();
        let glob = glob.map_err(|error| PatternError::Glob(error.kind().to_string()))?;
        Ok(Self { text: text.to_owned(), matcher: glob.compile_matcher() })
    }

    /// Whether a name fits.
    pub fn fits(&self, name: &str) -> bool {
        self.matcher.is_match(name)
    }

    /// As it was written.
    pub fn text(&self) -> &str {
        &self.text
    }
}

/// How a disabled mod is named: a pattern with one `*`, which stands for what the enabled name keeps.
#[derive(Debug, Clone)]
pub struct OffPattern {
    before: String,
    after: String,
}

impl OffPattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// When it does not hold exactly one `*` beside some other text.
    pub fn new(text: &str) -> Result<Self, PatternError> {
        match text.split_once('*') {
            Some((before, after)) if !after.contains('*') && text.len() > 1 => {
                Ok(Self { before: before.to_owned(), after: after.to_owned() })
            }
            _ => Err(PatternError::NoKept),
        }
    }

    /// What the `*` stands for in a name, if the name fits.
    fn kept<'n>(&self, name: &'n str) -> Option<&'n str> {
        let inner = name.len().checked_sub(self.before.len() + self.after.len())?;
        let (head, tail) = (name.get(..self.before.len())?, name.get(self.before.len() + inner..)?);
        let fits = inner > 0 && head.eq_ignore_ascii_case(&self.before) && tail.eq_ignore_ascii_case(&self.after);
        fits.then(|| &name[self.before.len()..self.before.len() + inner])
    }

    /// What a file is called that is switched off like this, and keeps all of its name.
    pub fn disabled_name(&self, enabled: &str) -> String {
        format!("{}{enabled}{}", self.before, self.after)
    }

    /// The name that the mod has when it is enabled, if `name` is that of a disabled one.
    pub fn enabled_name(&self, name: &str, enabled: &[NamePattern]) -> Option<String> {
        let kept = self.kept(name)?;
        if enabled.is_empty() || enabled.iter().any(|pattern| pattern.fits(kept)) {
            return Some(kept.to_owned());
        }
        enabled.iter().map(|pattern| pattern.text.replacen('*', kept, 1)).find(|name| !name.contains(['*', '?']))
    }
}

/// The name of a file that belongs to the mod beside it: `{stem}` stands for that mod's name without its last ending, `{name}`
/// for all of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String")]
pub struct BesideName(String);

impl TryFrom<String> for BesideName {
    type Error = PatternError;

    fn try_from(text: String) -> Result<Self, PatternError> {
        Self::new(&text)
    }
}

impl BesideName {
    /// Reads a template.
    ///
    /// # Errors
    /// When it does not name the mod just once, holds other braces or a `*`, or is no file's name.
    pub fn new(text: &str) -> Result<Self, PatternError> {
        let template = Self(text.to_owned());
        let plain = template.of("x.y");
        let is_name = !plain.contains(['/', '{', '}', '*', '?']) && InstallPath::new(&plain).is_ok();
        let says_more = !["x", "x.y"].contains(&plain.as_str());
        let names_mod = text.matches("{stem}").count() + text.matches("{name}").count() == 1;
        if is_name && says_more && names_mod { Ok(template) } else { Err(PatternError::NoBeside) }
    }

    /// What the file is called beside a mod of that name.
    pub fn of(&self, name: &str) -> String {
        let stem = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
        self.0.replace("{stem}", stem).replace("{name}", name)
    }

    /// Whether a file called so would lie beside some mod.
    pub fn fits(&self, name: &str) -> bool {
        let parts = |place| self.0.split_once(place);
        let Some((before, after)) = parts("{stem}").or_else(|| parts("{name}")) else { return false };
        let starts = name.get(..before.len()).is_some_and(|start| same_name(start, before));
        let after_at = name.len().checked_sub(after.len()).filter(|at| *at > before.len());
        starts && after_at.and_then(|at| name.get(at..)).is_some_and(|end| same_name(end, after))
    }

    /// As it was written.
    pub fn text(&self) -> &str {
        &self.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("{stem}.card.json", "reed-1.2.bnd", Some("reed-1.2.card.json"))]
    #[case("{name}.mark", "reed.bnd", Some("reed.bnd.mark"))]
    #[case("card_{stem}.txt", "reed", Some("card_reed.txt"))]
    #[case("{stem}.{stem}.x", "reed.bnd", None)]
    #[case("{stem}", "reed.bnd", None)]
    #[case("{name}", "reed.bnd", None)]
    #[case("card.json", "reed.bnd", None)]
    #[case("{stem}.*", "reed.bnd", None)]
    #[case("cards/{stem}.json", "reed.bnd", None)]
    #[case("../{stem}.json", "reed.bnd", None)]
    #[case("{stem}.{id}", "reed.bnd", None)]
    #[case("{stem}.kanon-part", "reed.bnd", Some("reed.kanon-part"))]
    fn names_of_files_beside_a_mod(#[case] template: &str, #[case] name: &str, #[case] expected: Option<&str>) {
        let own = BesideName::new(template).ok();
        assert_eq!(own.as_ref().map(|own| own.of(name)).as_deref(), expected);
        assert!(own.is_none_or(|own| own.fits(&own.of(name).to_uppercase()) && !own.fits(name)));
    }

    #[rstest]
    #[case("*.psm.off", &["*.psm"], "tide.psm.off", Some("tide.psm"))]
    #[case("*.off", &["*.psm", "*.zip"], "tide.zip.off", Some("tide.zip"))]
    #[case("_*.psm", &["*.psm"], "_tide.psm", Some("tide.psm"))]
    #[case("*.parked", &["*.psm"], "tide.parked", Some("tide.psm"))]
    #[case("off-*", &[], "off-tide", Some("tide"))]
    #[case("*.OFF", &["*.psm"], "tide.psm.off", Some("tide.psm"))]
    #[case("*.off", &["*.psm"], "tide.psm", None)]
    #[case("*.off", &["*.psm"], ".off", None)]
    #[case("ü*ü", &["*"], "üxü", Some("x"))]
    fn enabled_names(#[case] off: &str, #[case] on: &[&str], #[case] name: &str, #[case] expected: Option<&str>) {
        let on: Vec<_> = on.iter().map(|p| NamePattern::new(p).expect("a pattern")).collect();
        let off = OffPattern::new(off).expect("a pattern");
        assert_eq!(off.enabled_name(name, &on).as_deref(), expected);
    }

    #[test]
    fn odd_patterns_are_refused() {
        assert!(OffPattern::new("*").is_err());
        assert!(OffPattern::new("off").is_err());
        assert!(OffPattern::new("*x*").is_err());
        assert!(NamePattern::new("[").is_err());
        assert!(NamePattern::new("*.PSM").expect("a pattern").fits("a.psm"));
        assert!(!NamePattern::new("*.psm").expect("a pattern").fits("sub/a.psm"));
    }
}
