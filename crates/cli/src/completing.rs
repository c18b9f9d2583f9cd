//! What a shell offers behind a command: the names that the workspace knows.

use clap_complete::Shell;
use clap_complete::engine::CompletionCandidate;
use kanon_app::known::Known;
use kanon_core::rulebook::Role;

/// What is known where the shell stands.
fn known() -> Known {
    std::env::current_dir().map(|folder| Known::around(&folder)).unwrap_or_default()
}

/// The installs of the workspace.
pub fn installs() -> Vec<CompletionCandidate> {
    let known = known();
    let candidate = |name: &str, role: Role| CompletionCandidate::new(name).help(Some(role.to_string().into()));
    known.installs().map(|(name, role)| candidate(name, role)).collect()
}

/// The mods that the sealed canon has, and those that are asked for.
pub fn known_mods() -> Vec<CompletionCandidate> {
    let known = known();
    let titled = known.sealed().map(|(id, title)| CompletionCandidate::new(id.as_str()).help(title.map(Into::into)));
    let plain = known.wished().map(|id| CompletionCandidate::new(id.as_str()));
    let mut all: Vec<CompletionCandidate> = titled.chain(plain).collect();
    all.sort_by(|a, b| a.get_value().cmp(b.get_value()));
    all.dedup_by(|a, b| a.get_value() == b.get_value());
    all
}

/// What a shell needs to ask this program for candidates.
///
/// # Errors
/// When the library knows no way for this shell.
pub fn registration(shell: Shell) -> std::io::Result<Vec<u8>> {
    let mut out = Vec::new();
    let known = clap_complete::env::Shells::builtins();
    let known = known.completer(&shell.to_string()).ok_or(std::io::ErrorKind::Unsupported)?;
    known.write_registration(VARIABLE, "kanon", "kanon", "kanon", &mut out)?;
    Ok(out)
}

/// The variable by which a shell asks.
pub const VARIABLE: &str = "KANON_COMPLETE";
