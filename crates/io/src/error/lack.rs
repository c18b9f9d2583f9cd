//! How much room is missing.

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

impl Lack {
    /// In words.
    pub fn told(&self) -> String {
        let mib = |bytes: u64| format!("{:.1} MiB", bytes as f64 / f64::from(1 << 20));
        match *self {
            Self::Bytes { needed, free } => {
                format!(
                    "{} are needed and {} are free, so {} are missing",
                    mib(needed),
                    mib(free),
                    mib(needed.saturating_sub(free))
                )
            }
            Self::Files { needed, free } => {
                format!(
                    "the disk can take {free} more files and {needed} are needed, so {} file numbers are missing",
                    needed.saturating_sub(free)
                )
            }
        }
    }
}
