//! What is known of an alignment's paths from its journal.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::plan::{Action, Step};

use crate::apply::{Actual, Seen};
use crate::bytes::Bytes;
use crate::error::ReachError;
use crate::install::RECEIPT;
use crate::state::{After, Before, State};

/// What is known of an alignment's paths from its journal.
pub struct Journalled {
    /// What they were.
    pub before: Vec<(String, Before)>,
    /// Files as the host told of them when their bytes were known.
    pub seen: Seen,
    /// The digests that are expected at each path.
    pub expected: BTreeMap<InstallPath, BTreeSet<Blake3>>,
    /// What each file will be once all steps are done; nothing for one that is then gone.
    pub after: BTreeMap<InstallPath, Option<Blake3>>,
}

impl Journalled {
    /// Reads what the journal says of an alignment.
    ///
    /// # Errors
    /// When the database can't be read.
    pub fn read(state: &State, id: i64, steps: &[Step]) -> Result<Self, ReachError> {
        let before = state.before(id)?;
        let (mut seen, mut expected) = (Seen::default(), BTreeMap::<InstallPath, BTreeSet<Blake3>>::new());
        let mut after: BTreeMap<InstallPath, Option<Blake3>> = BTreeMap::new();
        for (path, was) in &before {
            let Ok(inside) = InstallPath::new(path) else { continue };
            match was {
                Before::File { blake3, size, modified, .. } => {
                    // What the receipt is afterwards is not journalled, so how it looks tells nothing.
                    if let Some(looks) = size.zip(*modified).filter(|_| path != RECEIPT) {
                        seen.add(path, looks, *blake3);
                    }
                    expected.entry(inside.clone()).or_default().insert(*blake3);
                    after.insert(inside, Some(*blake3));
                }
                Before::Absent => drop(after.insert(inside, None)),
                Before::Folder { .. } => {}
            }
        }
        for After { path, size, modified, blake3 } in state.after(id)? {
            seen.add(&path, (size, modified), blake3);
        }
        for step in steps {
            apply(step, &mut after);
            if let Some(Some(blake3)) = after.get(&step.path) {
                expected.entry(step.path.clone()).or_default().insert(*blake3);
            }
        }
        let touched: BTreeSet<&InstallPath> = steps.iter().flat_map(Step::paths).collect();
        after.retain(|path, _| touched.contains(path));
        Ok(Self { before, seen, expected, after })
    }

    /// What is at each touched path before the first step.
    pub(crate) fn as_it_was(&self) -> BTreeMap<InstallPath, Actual> {
        let files = self.before.iter().filter_map(|(path, was)| match was {
            Before::File { blake3, .. } => Some((InstallPath::new(path).ok()?, Actual::File(*blake3))),
            Before::Absent | Before::Folder { .. } => None,
        });
        files.filter(|(path, _)| self.after.contains_key(path)).collect()
    }

    /// The backup's copies, added to where bytes are.
    pub fn with_backup(&self, bytes: &Bytes, folder: &Path) -> Bytes {
        let mut bytes = bytes.clone();
        for (_, was) in &self.before {
            if let Before::File { copy, blake3, .. } = was {
                bytes.add(*blake3, folder.join(copy));
            }
        }
        bytes
    }
}

/// What one step makes of the files.
fn apply(step: &Step, files: &mut BTreeMap<InstallPath, Option<Blake3>>) {
    match &step.action {
        Action::Park => drop(files.insert(step.path.clone(), None)),
        Action::Put { blake3 } | Action::Replace { blake3 } => drop(files.insert(step.path.clone(), Some(*blake3))),
        Action::Rename { from } => {
            let moved = files.insert(from.clone(), None).flatten();
            files.insert(step.path.clone(), moved);
        }
        Action::BackUp => {}
    }
}
