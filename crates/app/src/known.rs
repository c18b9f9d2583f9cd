//! The names that a workspace knows, for whoever types one. Nothing is measured for it, and what can't be read knows none.

use kanon_core::base::names::InstallName;
use std::path::Path;

use kanon_core::base::ids::FoldedId;
use kanon_core::rulebook::Role;
use kanon_io::workspace::Workspace;

/// The names that a workspace knows.
#[derive(Debug, Default)]
pub struct Known {
    /// The installs, and what each is.
    pub installs: Vec<(InstallName, Role)>,
    /// The mods that are asked for.
    pub wished: Vec<FoldedId>,
    /// The mods of the canon, and what they call themselves.
    pub sealed: Vec<(FoldedId, Option<String>)>,
}

impl Known {
    /// What the workspace knows that a folder lies in.
    pub fn around(folder: &Path) -> Self {
        let Some(workspace) = Workspace::find(folder).and_then(|root| Workspace::open_at(&root).ok()) else {
            return Self::default();
        };
        let canon = workspace.canon().ok().flatten();
        let sealed = canon.into_iter().flat_map(|canon| canon.mods);
        Self {
            sealed: sealed.map(|sealed| (sealed.manifest.id, sealed.manifest.title)).collect(),
            installs: workspace.config.installs.into_iter().map(|install| (install.name, install.role)).collect(),
            wished: workspace.config.mods.into_iter().map(|wish| wish.id).collect(),
        }
    }
}
