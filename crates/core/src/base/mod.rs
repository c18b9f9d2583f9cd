//! What can't hold a bad value: versions and requirements, paths inside an install, digests, the codes of findings, and every
//! bound on foreign input. Every other room may use this one; it uses none.

pub mod act;
pub mod digest;
pub mod finding;
pub mod format;
pub mod ids;
pub(crate) mod in_words;
pub mod limits;
pub mod names;
pub mod path;
pub mod problem;
pub mod remedy;
#[cfg(feature = "schema")]
pub(crate) mod schema;
pub mod stated;
pub mod suggestion;
pub mod version;
