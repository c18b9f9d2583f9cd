//! The text files of an install, as they are.

use std::io;

use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::delta::LeftAlone;
use kanon_core::plan::text_edits::Amendment;
use kanon_io::error::During;
use kanon_io::install::Install;

use crate::error::AppError;

/// What in the text files of an install an alignment can't change, as far as no mod has to be looked into for it.
pub fn left_alone(amendments: &[Amendment<'_>], install: &dyn Install) -> Result<Vec<LeftAlone>, AppError> {
    let mut left = Vec::new();
    for amendment in amendments {
        let bytes = present(install, &amendment.path)?.unwrap_or_default();
        left.extend(amendment.tried(&bytes));
    }
    Ok(left)
}

/// The bytes of one; nothing where it is not there.
pub fn present(install: &dyn Install, path: &InstallPath) -> Result<Option<Vec<u8>>, AppError> {
    match install.document(path, limits::DOCUMENT_BYTES + 1) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error).during("read", &install.outside(path)).map_err(AppError::from),
    }
}
