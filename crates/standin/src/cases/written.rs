//! Files of a case.

use std::path::Path;

use crate::error::StandinError;

pub fn write(root: &Path, path: &str, bytes: &[u8]) -> Result<(), StandinError> {
    let path = root.join(path);
    let made = path.parent().map_or(Ok(()), std::fs::create_dir_all);
    made.and_then(|()| std::fs::write(&path, bytes)).map_err(StandinError::io(path.display().to_string()))
}
