//! Why a file of an install can't be read: one that is not there yet is another matter than one that is broken.

use std::fmt;
use std::io;

use displaydoc::Display;
use serde::Deserialize;

use crate::base::in_words::in_words;
use crate::base::stated::Stated;

/// Why a file can't be read; in a survey, its words.
#[derive(Debug, Clone, PartialEq, Eq, Display, Deserialize)]
#[serde(from = "String")]
pub enum FileProblem {
    /// the file is not there
    NotThere,
    /// {0}
    Unreadable(String),
}

impl FileProblem {
    /// Of a file that is there: what was wrong with it.
    pub fn of(why: &impl fmt::Display) -> Self {
        Self::Unreadable(why.to_string())
    }
}

impl From<io::Error> for FileProblem {
    fn from(error: io::Error) -> Self {
        if error.kind() == io::ErrorKind::NotFound { Self::NotThere } else { Self::of(&error) }
    }
}

impl From<String> for FileProblem {
    fn from(words: String) -> Self {
        if words == Self::NotThere.to_string() { Self::NotThere } else { Self::Unreadable(words) }
    }
}

impl From<&FileProblem> for Stated {
    fn from(problem: &FileProblem) -> Self {
        match problem {
            FileProblem::NotThere => Self::FileNotThere,
            FileProblem::Unreadable(why) => Self::Verbatim(why.clone()),
        }
    }
}

in_words!(FileProblem);

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(FileProblem::NotThere, "\"the file is not there\"")]
    #[case(FileProblem::Unreadable("line 3: no value".to_owned()), "\"line 3: no value\"")]
    #[case(FileProblem::Unreadable("the file is not there for everybody".to_owned()), "\"the file is not there for everybody\"")]
    fn a_survey_keeps_what_is_wrong_with_a_file(#[case] problem: FileProblem, #[case] json: &str) {
        assert_eq!(serde_json::to_string(&problem).expect("JSON"), json);
        assert_eq!(serde_json::from_str::<FileProblem>(json).expect("read back"), problem);
    }
}
