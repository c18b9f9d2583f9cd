//! Why a text of a rulebook is no pattern.

/// Why a text is no pattern.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PatternError {
    /// It is longer than any pattern should be.
    #[error("it is too long or has too many alternatives")]
    TooLong,
    /// What the library says of it.
    #[error("{0}")]
    Glob(String),
    /// It does not say what of a name is kept.
    #[error("it must hold exactly one `*` and some other text, such as `*.off`")]
    NoKept,
    /// It does not say what a file beside a mod is called.
    #[error(
        "it must be a file's name with {{stem}}, the mod's name without its ending, or {{name}}, and more, such as `{{stem}}.json`"
    )]
    NoBeside,
    /// It has no place for one number.
    #[error("it must hold {{n}}, the number, once")]
    NoNumber,
    /// A place begins and does not end.
    #[error("a `{{` has no `}}`")]
    OpenPlace,
    /// A place that nobody knows.
    #[error("`{0}` is not {{id}}, {{name}}, {{version}}, {{digest}} or {{any}}")]
    UnknownPlace(String),
    /// It has no place for a mod.
    #[error("it must hold {{id}} or {{name}}, the name of the mod's file or folder")]
    NoMod,
    /// It has a place twice.
    #[error("it has the same place twice")]
    PlaceTwice,
}
