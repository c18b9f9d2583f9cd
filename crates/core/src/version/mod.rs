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

    /// Whether two texts name the same version.
    pub fn same(&self, a: &str, b: &str) -> bool {
        a == b || self.scheme.compare(a, b) == Some(std::cmp::Ordering::Equal)
    }
}
