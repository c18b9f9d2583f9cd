//! Why a release can't be had, or no set fits, as values. Each says itself in words in one way.

use std::fmt;

use displaydoc::Display;

use crate::base::finding::Finding;
use crate::base::ids::FoldedId;
use crate::base::in_words::in_words;
use crate::base::stated::Series;

/// One reason.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Reason {
    /// {0} {1}
    Says(Span, Box<Says>),
    /// there is {0}
    ThereIs(Span),
    /// there is {0}, which come before a release: ask for them with --prereleases
    OnlyBeforeRelease(Span),
    /// no release of {0} is in any source or install
    Nowhere(FoldedId),
    /// no release of {id} is in any source or install; did you mean {near}?
    NowhereBut {
        /// The mod.
        id: FoldedId,
        /// A mod that is called alike.
        near: String,
    },
    /// no release of it is in any source or install
    NowhereAtAll,
    /// and {0} more that lean on these
    More(usize),
    /// it can't be had
    CantBeHad,
    /// what it needs can't be had
    NeedsCantBeHad,
    /// its newest, {version}, {says}
    NewestSays {
        /// The newest release.
        version: String,
        /// What is wrong with it.
        says: Box<Says>,
    },
    /// {0}
    ItSays(Box<Says>),
    /// kanon.toml accepts {0}
    Accepts(String),
    /// it needs {0}
    ItNeeds(Meant),
    /// it can't be used with {0}
    ItIsAgainst(Meant),
    /// it does not fit with the others
    DoesNotFit,
    /// {version} of it: {why}
    OfRelease {
        /// A release.
        version: String,
        /// What is against it.
        why: Box<Reason>,
    },
    /// kanon seal would refuse it: {0}
    Refused(Refused),
    /// {id} {version} needs {lost}, for which it does not stand
    NotStoodFor {
        /// Who needs it.
        id: FoldedId,
        /// In which release.
        version: String,
        /// What is needed.
        lost: FoldedId,
    },
    /// {id} {version} needs {meant}
    OtherNeeds {
        /// Who says it.
        id: FoldedId,
        /// In which release.
        version: String,
        /// What of whom.
        meant: Meant,
    },
    /// {id} {version} can't be used with {meant}
    OtherIsAgainst {
        /// Who says it.
        id: FoldedId,
        /// In which release.
        version: String,
        /// What of whom.
        meant: Meant,
    },
    /// {id} {version} goes with {meant}
    OtherGoesWith {
        /// Who says it.
        id: FoldedId,
        /// In which release.
        version: String,
        /// What of whom.
        meant: Meant,
    },
}

in_words!(Reason Meant);

/// What a seal would tell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refused(pub Box<Finding>);

impl fmt::Display for Refused {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Finding { code, expected, found, .. } = &*self.0;
        match (expected, found) {
            (Some(expected), Some(found)) => write!(out, "{code} (expected {expected}; found {found})"),
            (_, Some(found)) => write!(out, "{code} ({found})"),
            (Some(expected), None) => write!(out, "{code} (expected {expected})"),
            (None, None) => write!(out, "{code}"),
        }
    }
}

/// What releases say, or what is wrong with them.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Says {
    /// fits {of} {range}, and the {of} is {is}
    Fits {
        /// `game`, `loader`, `runtime`.
        of: &'static str,
        /// The versions of that which it fits.
        range: String,
        /// The version there is.
        is: String,
    },
    /// fits other {of}s (its newest {newest}), and the {of} is {is}
    FitsOthers {
        /// `game`, `loader`, `runtime`.
        of: &'static str,
        /// The versions of that which the newest release fits.
        newest: String,
        /// The version there is.
        is: String,
    },
    /// was made for the loader {0}, and no mod here lets it run
    MadeFor(String),
    /// needs {0}, and {1}
    Lacks(Meant, NoneWillDo),
    /// needs {0}
    Needs(Meant),
    /// needs {meant}, whose newest, {version}, {says}
    NeedsUnfit {
        /// What is needed.
        meant: Meant,
        /// Its newest release.
        version: String,
        /// What is wrong with that.
        says: Box<Says>,
    },
    /// needs {0} or what stands for it ({1})
    NeedsOrStandIn(Meant, Series),
    /// can't be used with {0}
    IsAgainst(Meant),
    /// goes with {0} only
    GoesWith(Meant),
}

/// Why no release of what is needed will do.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum NoneWillDo {
    /// there is no release of it
    NoRelease,
    /// there is {0}
    ThereIs(Span),
    /// only {0} would do, before a release
    OnlyEarly(Span),
    /// {0} would not be on every side where it is needed
    NotOnEverySide(FoldedId),
}

/// A mod that is meant, and which releases of it.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Meant {
    /// {0}
    Mod(FoldedId),
    /// {0} (any release)
    AnyRelease(FoldedId),
    /// {0} {1}
    Releases(FoldedId, String),
}

impl Meant {
    /// A mod that another speaks of.
    pub fn of(id: &FoldedId, range: Option<&str>) -> Self {
        match range {
            None | Some("*" | "") => Self::Mod(id.clone()),
            Some(range) => Self::Releases(id.clone(), range.to_owned()),
        }
    }

    /// A mod that is wished for.
    pub fn wished(id: &FoldedId, range: Option<&str>) -> Self {
        if range.is_none() { Self::AnyRelease(id.clone()) } else { Self::of(id, range) }
    }
}

/// A mod and some of its releases, oldest first.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Span {
    /// {0} in no release
    None(FoldedId),
    /// {0} {1}
    Some(FoldedId, Releases),
    /// {0} in every release ({1})
    Every(FoldedId, Releases),
    /// {id} ({count} releases from {first} to {last})
    Scattered {
        /// The mod.
        id: FoldedId,
        /// How many releases.
        count: usize,
        /// The oldest of them.
        first: String,
        /// The newest of them.
        last: String,
    },
}

/// Releases that follow one another.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Releases {
    /// {0}
    One(String),
    /// {0} and {1}
    Two(String, String),
    /// {0} to {1}
    Run(String, String),
}
