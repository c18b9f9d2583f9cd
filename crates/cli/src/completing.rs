//! What a shell offers behind a command: the names that the workspace knows.

use clap_complete::Shell;
use clap_complete::engine::CompletionCandidate;
use kanon_io::workspace::Workspace;

/// The workspace that the shell stands in; nothing where there is none, or it can't be read.
fn workspace() -> Option<Workspace> {
    let root = Workspace::find(&std::env::current_dir().ok()?)?;
    Workspace::open_at(&root).ok()
}

/// The installs of the workspace.
pub fn installs() -> Vec<CompletionCandidate> {
    let told = |workspace: Workspace| {
        let each = workspace.config.installs.into_iter();
        each.map(|install| CompletionCandidate::new(install.name).help(Some(install.role.to_string().into()))).collect()
    };
    workspace().map(told).unwrap_or_default()
}

/// The mods that the workspace asks for.
pub fn mods() -> Vec<CompletionCandidate> {
    let told = |workspace: Workspace| {
        workspace.config.mods.into_iter().map(|wish| CompletionCandidate::new(wish.id.as_str().to_owned())).collect()
    };
    workspace().map(told).unwrap_or_default()
}

/// The mods that the sealed canon has, and those that are asked for.
pub fn known_mods() -> Vec<CompletionCandidate> {
    let of_canon = |workspace: &Workspace| workspace.canon().ok().flatten();
    let sealed = workspace().and_then(|workspace| of_canon(&workspace)).into_iter().flat_map(|canon| canon.mods);
    let titled = sealed.map(|sealed| {
        let title = sealed.manifest.title.map(Into::into);
        CompletionCandidate::new(sealed.manifest.id.as_str().to_owned()).help(title)
    });
    let mut all: Vec<CompletionCandidate> = titled.chain(mods()).collect();
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
