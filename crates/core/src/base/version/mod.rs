//! Versions as games write them, and the requirements that mods make of each other.
//!
//! A rulebook names the [`Scheme`] (how versions are ordered) and the [`Ranges`] (how requirements are
//! written). Both are strict about nothing but what they can't order.

mod order;
mod requirement;

pub use order::{Scheme, Version};
pub use requirement::{Bare, Ranges, Requirement, RequirementError};

/// Scheme and grammar together: all it takes to judge a version.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Versions {
    /// How versions are ordered.
    pub scheme: Scheme,
    /// How requirements are written.
    pub ranges: Ranges,
    /// What a requirement without any sign means.
    pub bare: Bare,
}

impl Versions {
    /// Reads a requirement.
    ///
    /// # Errors
    /// When the text is not in the rulebook's grammar.
    pub fn requirement(&self, text: &str) -> Result<Requirement, RequirementError> {
        Requirement::parse(text, *self)
    }

    /// Whether `version` meets the requirement `text`; `None` when either can't be understood.
    pub fn meets(&self, version: &str, text: &str) -> Option<bool> {
        let requirement = self.requirement(text).ok()?;
        if requirement.is_any() {
            return Some(true);
        }
        Some(requirement.admits(&self.scheme.parse(version)?))
    }

    /// The same for what an administrator wishes for: a version without a sign is just that one.
    #[must_use]
    pub fn of_wishes(self) -> Self {
        Self { bare: Bare::Exact, ..self }
    }

    /// Whether a version will do for who accepts `wanted`; a version that nobody can order counts by its text.
    pub fn accepts(&self, wanted: Option<&str>, version: Option<&str>) -> bool {
        match (wanted, version) {
            (None, _) => true,
            (Some(wanted), Some(version)) => wanted == version || self.meets(version, wanted) == Some(true),
            (Some(_), None) => false,
        }
    }

    /// Whether two texts name the same version.
    pub fn same(&self, a: &str, b: &str) -> bool {
        a == b || self.scheme.compare(a, b) == Some(std::cmp::Ordering::Equal)
    }
}
