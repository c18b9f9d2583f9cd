//! Bounds on what other people send us. Each says what it protects; the readers quote it in their errors.

/// Bytes of one metadata document, inside an archive or beside it.
pub const DOCUMENT_BYTES: u64 = 4 << 20;
/// Values, names and texts of one document: small ones take far more room read than written.
pub const DOCUMENT_NODES: usize = 200_000;
/// Levels of nesting in a document.
pub const DEPTH: usize = 128;
/// Levels of archives inside archives that are looked into.
pub const NESTED_DEPTH: u64 = 4;
/// Bytes of one archive inside another.
pub const NESTED_BYTES: u64 = 32 << 20;
/// Archives inside one archive that are looked into, on all levels.
pub const NESTED_ARCHIVES: usize = 256;
/// Members of one archive.
pub const ARCHIVE_MEMBERS: usize = 100_000;
/// Bytes that an unpacker may need for its dictionary.
pub const DICTIONARY_BYTES: u64 = 64 << 20;
/// Bytes of what a tar archive says of one member beside its header.
pub const TAR_NAME_BYTES: u64 = 8 << 10;
/// Bytes that the members of one archive claim to unpack to.
pub const ARCHIVE_UNPACKED_BYTES: u64 = 64 << 30;
/// How many times larger than the archive its unpacked members may be ...
pub const ARCHIVE_RATIO: u64 = 1_000;
/// ... once they claim more than this many bytes: small archives of blanks are common and harmless.
pub const ARCHIVE_RATIO_FROM_BYTES: u64 = 256 << 20;
/// Members of an archive that a survey lists by name; past it, a difference is told without its place.
pub const LISTED_MEMBERS: usize = 2_000;
/// Bytes of a survey or a canon read back from a file.
pub const SURVEY_BYTES: u64 = 40 << 20;
/// Bytes of a rulebook or a `kanon.toml`.
pub const TOML_BYTES: u64 = 4 << 20;
/// Bytes of one log line that are looked at.
pub const LOG_LINE_BYTES: usize = 64 << 10;
/// Events kept of one log, the last ones, and verdicts given: past it the log repeats itself.
pub const LOG_EVENTS: usize = 20_000;
/// Lines of one log that are looked at closely, the last ones ...
pub const LOG_LINES: usize = 100_000;
/// ... and their bytes.
pub const LOG_LINES_BYTES: usize = 24 << 20;
/// Bytes that a compressed log may unpack to.
pub const LOG_UNPACKED_BYTES: u64 = 64 << 30;
/// Bytes of a path inside an install.
pub const PATH_BYTES: usize = 1_024;
/// Characters of a value taken out of a mod (id, version, title).
pub const VALUE_CHARS: usize = 512;
/// Relations read from one mod.
pub const RELATIONS: usize = 4_096;
/// Entries read from one mod list.
pub const LIST_ENTRIES: usize = 20_000;
/// Bytes of a text file that learning looks at.
pub const LEARNED_TEXT_BYTES: u64 = 1 << 20;
/// Values and lists of one document that learning looks at.
pub const LEARNED_LEAVES: usize = 4_000;
/// Files of an install that learning looks at.
pub const LEARNED_FILES: usize = 300_000;
/// Bytes of a catalogue.
pub const CATALOGUE_BYTES: u64 = 32 << 20;
/// Mods of one catalogue.
pub const CATALOGUED_MODS: usize = 50_000;
/// Releases of all mods of one catalogue.
pub const CATALOGUED_RELEASES: usize = 75_000;
/// Characters of the notes of one release.
pub const NOTES_CHARS: usize = 4_000;
/// Bytes of one download.
pub const DOWNLOAD_BYTES: u64 = 32 << 30;
/// Bytes of a host's listing of one folder.
pub const HOST_LISTING_BYTES: u64 = 64 << 20;
/// Files and folders of an install on a host that are listed.
pub const HOST_ENTRIES: usize = 500_000;
/// Bytes of one signed file of a release, but for its canon.
pub const SIGNED_BYTES: u64 = 8 << 20;
/// Bytes of a recipe, unpacked.
pub const RECIPE_BYTES: u64 = 32 << 20;
/// Bytes that a compressed piece may have more than its own: what can't be compressed grows a little.
pub const PIECE_OVERHEAD: u32 = 1 << 10;
/// Bytes that are fetched in one go when pieces lie side by side: a broken line costs no more than this.
pub const STRETCH_BYTES: u64 = 4 << 20;
