//! What Kanon does for people: sessions in a workspace, alignments from the survey to the receipt, releases on offer, rehearsals.
//!
//! Nothing here has a terminal. Sentences are the front end's, but for why a copy is no whole mod and why a release could not be
//! sealed, which go where the core still has texts. What goes wrong is an [`error::AppError`], what is to be told on the way a
//! [`notice::Notice`], and whoever is asked stands behind [`observer::Observer`]: the command line finds the words, and another
//! front end could find its own.

pub mod adopting;
pub mod alignment;
mod amending;
pub mod cataloguing;
mod credentials;
pub mod diagnosing;
pub mod drafting;
pub mod error;
pub mod exporting;
pub mod followed_games;
pub mod following;
pub mod founding;
pub mod game_folders;
pub mod handouts;
pub mod health;
mod holding;
pub mod install_log;
pub mod keys;
pub mod known;
pub mod listening;
pub mod looks;
pub mod machine;
pub mod notice;
pub mod observer;
pub mod offers;
pub mod overview;
pub mod places;
pub mod publishing;
pub mod rehearsing;
pub mod release_place;
pub mod renewing;
pub mod rulebooks;
pub mod sealable;
pub mod sealing;
pub mod searching;
pub mod session;
pub mod status;
mod text_files;
pub mod updates;
pub mod watching;
pub mod wholeness;
pub mod wishing;
