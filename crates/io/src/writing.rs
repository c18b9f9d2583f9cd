//! Files that are written whole or not at all.

use std::path::Path;

use crate::error::{During, ReachError};

/// Writes a file whole or not at all.
///
/// # Errors
/// When the folder can't be written.
pub fn write_whole(path: &Path, text: &str) -> Result<(), ReachError> {
    use std::io::Write;
    let folder = path.parent().unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).during("make a file beside", path)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::metadata(path).map_or(0o644, |metadata| metadata.permissions().mode());
        file.as_file().set_permissions(std::fs::Permissions::from_mode(mode)).during("set the permissions of", path)?;
    }
    file.write_all(text.as_bytes()).and_then(|()| file.as_file().sync_all()).during("write", path)?;
    file.persist(path).map_err(|error| error.error).during("put in place", path)?;
    Ok(())
}
