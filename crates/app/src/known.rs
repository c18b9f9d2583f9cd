//! The names that a workspace knows, for whoever types one. Nothing is measured for it, and what can't be read knows none.

use std::path::Path;

use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::rulebook::Role;
use kanon_io::workspace::Workspace;

/// The names that a workspace knows.
#[derive(Debug, Default)]
pub struct Known(Option<Workspace>);

impl Known {
    /// What the workspace knows that a folder lies in.
    pub fn around(folder: &Path) -> Self {
        Self(Workspace::find(folder).and_then(|root| Workspace::open_at(&root).ok()))
    }

    /// The installs, and what each is.
    pub fn installs(&self) -> impl Iterator<Item = (&InstallName, Role)> {
        self.0.iter().flat_map(|workspace| &workspace.config.installs).map(|install| (&install.name, install.role))
    }

    /// The mods that are asked for.
    pub fn wished(&self) -> impl Iterator<Item = &FoldedId> {
        self.0.iter().flat_map(|workspace| &workspace.config.mods).map(|wish| &wish.id)
    }

    /// The mods of the canon, and what they call themselves.
    pub fn sealed(&self) -> impl Iterator<Item = (FoldedId, Option<String>)> {
        let canon = self.0.as_ref().and_then(|workspace| workspace.canon().ok().flatten());
        canon.into_iter().flat_map(|canon| canon.mods).map(|sealed| (sealed.manifest.id, sealed.manifest.title))
    }
}
