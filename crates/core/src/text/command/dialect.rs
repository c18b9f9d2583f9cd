//! What a launch line stands in.

/// What a command line stands in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dialect {
    /// A script of a shell.
    Shell,
    /// A Windows batch file.
    Batch,
    /// A service file.
    Unit,
    /// A file of arguments, or anything else.
    Arguments,
}

impl Dialect {
    /// What a file is, by its name, or else by what it says.
    pub fn of(name: &str, text: &str) -> Self {
        let name = name.to_ascii_lowercase();
        let extension = name.rsplit_once('.').map_or("", |(_, extension)| extension);
        match extension {
            "sh" | "bash" | "command" | "run" => return Self::Shell,
            "bat" | "cmd" => return Self::Batch,
            "service" => return Self::Unit,
            _ => {}
        }
        let starts = |mark: &str| {
            text.lines()
                .any(|line| line.trim_start().get(..mark.len()).is_some_and(|head| head.eq_ignore_ascii_case(mark)))
        };
        if text.starts_with("#!") {
            Self::Shell
        } else if starts("ExecStart=") {
            Self::Unit
        } else if starts("@echo off") {
            Self::Batch
        } else {
            Self::Arguments
        }
    }
}

/// Comments of batch files, shells, service files, Lua and files of arguments.
pub fn is_comment(line: &str) -> bool {
    let line = line.trim_start().trim_start_matches('@').to_ascii_lowercase();
    line.starts_with("::")
        || line.starts_with('#')
        || line.starts_with("//")
        || line.starts_with(';')
        || line.starts_with("-- ")
        || line.strip_prefix("rem").is_some_and(|rest| rest.is_empty() || rest.starts_with([' ', '\t', '\r', '\n']))
}
