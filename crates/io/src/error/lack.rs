//! How much room is missing.

use std::fmt;

/// How much room is missing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Lack {
    /// So many bytes of so many.
    Bytes {
        /// What is needed.
        needed: u64,
        /// What is free.
        free: u64,
    },
    /// So many file numbers of so many.
    Files {
        /// What is needed.
        needed: u64,
        /// What is free.
        free: u64,
    },
}

impl fmt::Display for Lack {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {
            Self::Bytes { needed, free } => {
                let missing = Mib(needed.saturating_sub(free));
                write!(f, "{} are needed and {} are free, so {missing} are missing", Mib(needed), Mib(free))
            }
            Self::Files { needed, free } => {
                let missing = needed.saturating_sub(free);
                write!(
                    f,
                    "the disk can take {free} more files and {needed} are needed, so {missing} file numbers are missing"
                )
            }
        }
    }
}

struct Mib(u64);

impl fmt::Display for Mib {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:.1} MiB", self.0 as f64 / f64::from(1 << 20))
    }
}
