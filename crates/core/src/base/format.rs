//! Files in JSON that name their format: one of another format is told as that, whatever else stands in it.

use serde::Deserialize;
use serde::de::DeserializeOwned;

use super::path::printable;

/// Why bytes are no file of a format, made printable.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NotOfFormat {
    /// They are of another one.
    Other(String),
    /// They are not written as such a file is: what the parser says.
    Shape(String),
}

/// Reads a file of a format; `named` is what a value says of its own.
///
/// # Errors
/// When it is of another format, or is not written as one of this.
pub fn read<T: DeserializeOwned>(bytes: &[u8], format: &str, named: impl Fn(&T) -> &str) -> Result<T, NotOfFormat> {
    match serde_json::from_slice(bytes) {
        Ok(value) if named(&value) == format => Ok(value),
        Ok(value) => Err(NotOfFormat::Other(printable(named(&value)))),
        // A later program may write what this one can't read; that it is later says more than where reading ended.
        Err(error) => Err(match format_of(bytes).filter(|other| other != format) {
            Some(other) => NotOfFormat::Other(printable(&other)),
            None => NotOfFormat::Shape(printable(&error.to_string())),
        }),
    }
}

fn format_of(bytes: &[u8]) -> Option<String> {
    #[derive(Deserialize)]
    struct Named {
        format: String,
    }
    serde_json::from_slice(bytes).ok().map(|Named { format }| format)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[derive(Debug, PartialEq, Deserialize)]
    struct Tide {
        format: String,
        height: u8,
    }

    #[rstest]
    #[case::this(r#"{"format": "tide/1", "height": 3}"#, Ok(3))]
    #[case::later(r#"{"format": "tide/2", "height": 3}"#, Err(Some("tide/2")))]
    #[case::later_and_unlike(r#"{"format": "tide/2", "height": {"low": 1, "high": 3}}"#, Err(Some("tide/2")))]
    #[case::later_and_lacking(r#"{"heights": [], "format": "tide/2"}"#, Err(Some("tide/2")))]
    #[case::steers_a_terminal(r#"{"format": "\u001b[2J"}"#, Err(Some("\\u{1b}[2J")))]
    #[case::this_and_wrong(r#"{"format": "tide/1", "height": "high"}"#, Err(None))]
    #[case::of_none(r#"{"height": 3}"#, Err(None))]
    #[case::its_format_is_no_text(r#"{"format": 2, "height": 3}"#, Err(None))]
    #[case::cut(r#"{"format": "tide/2", "height": "#, Err(None))]
    #[case::a_list("[1, 2]", Err(None))]
    #[case::nothing("", Err(None))]
    fn what_is_of_another_format_is_told_as_that(#[case] json: &str, #[case] is: Result<u8, Option<&str>>) {
        let read: Result<Tide, NotOfFormat> = read(json.as_bytes(), "tide/1", |tide: &Tide| &tide.format);
        match (read, is) {
            (Ok(tide), Ok(height)) => assert_eq!(tide.height, height),
            (Err(NotOfFormat::Other(found)), Err(Some(other))) => assert_eq!(found, other),
            (Err(NotOfFormat::Shape(why)), Err(None)) => assert!(!why.is_empty()),
            (read, is) => panic!("{read:?} in place of {is:?}"),
        }
    }
}
