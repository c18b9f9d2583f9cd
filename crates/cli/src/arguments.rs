//! What was typed, and nothing more: no defaults are worked out and nothing is opened here.

use std::path::PathBuf;
use std::time::Duration;

use clap::{Args, Parser, Subcommand, ValueEnum};
use clap_complete::{ArgValueCandidates, Shell};
use kanon_app::alignment::Wanted;
use kanon_app::diagnosing::Asked;
use kanon_core::base::names::PlayerName;
use kanon_core::config::span_of_time;
use kanon_core::plan::RiskyExtras;
use kanon_core::plan::text_edits::Consents;
use kanon_core::rulebook::Role;
use kanon_io::claim::Others;
use serde::Deserialize;

use crate::completing;

/// Keep the mods of a game identical on its server and on every player's machine
///
/// Kanon surveys installs by a rulebook that says how one game arranges its mods, holds them against the canon
/// (the one agreed set), aligns what is off with a backup and an undo, and says why a join failed.
///
/// Exit codes: 0 all is as it should be; 1 findings, a negative verdict, or an alignment still to do; 2 the
/// command could not do its work.
#[derive(Debug, Parser)]
#[command(version, max_term_width = 100, arg_required_else_help = true)]
pub struct Arguments {
    #[command(flatten)]
    pub global: Global,
    #[command(subcommand)]
    pub command: Command,
}

/// What stands above them in a command's help.
pub const EVERY: &str = "Options of every command";

/// Options of every command.
#[derive(Debug, Default, Args)]
pub struct Global {
    /// Work in another workspace
    #[arg(short = 'C', value_name = "DIR", global = true, help_heading = EVERY)]
    pub directory: Option<PathBuf>,
    /// Print the report as text (the usual), as JSON, or as a page
    #[arg(long, value_enum, global = true, help_heading = EVERY)]
    pub format: Option<Form>,
    /// Colour the text; automatically, when not said
    #[arg(long, value_enum, global = true, help_heading = EVERY)]
    pub color: Option<When>,
    /// Print the report and nothing else
    #[arg(short, long, global = true, help_heading = EVERY)]
    pub quiet: bool,
    /// Tell more: what is the same, digests, paths
    #[arg(short, long, global = true, help_heading = EVERY, conflicts_with = "quiet")]
    pub verbose: bool,
}

/// How a report is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Form {
    /// For people
    Text,
    /// For programs, as described by the schemas in docs/schemas
    Json,
    /// For a browser: one page to look at or to send; of check, compare, diagnose and report
    Html,
}

/// How a report is printed that is no page.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Format {
    /// For people.
    #[default]
    Text,
    /// For programs.
    Json,
}

/// When to colour.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum When {
    /// On a terminal, unless NO_COLOR is set
    #[default]
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

/// Server or client, as it is typed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum RoleWord {
    /// The dedicated server
    Server,
    /// A player's game
    Client,
}

impl From<RoleWord> for Role {
    fn from(word: RoleWord) -> Self {
        match word {
            RoleWord::Server => Self::Server,
            RoleWord::Client => Self::Client,
        }
    }
}

/// How an install is looked at that no workspace knows.
#[derive(Debug, Clone, Args)]
pub struct Lens {
    /// Use this rulebook, not the workspace's
    #[arg(long, value_name = "FILE")]
    pub rulebook: Option<PathBuf>,
    /// Say what an install given by its folder is
    #[arg(long, value_enum)]
    pub role: Option<RoleWord>,
    /// Read every byte again, whatever is remembered of unchanged files
    #[arg(long)]
    pub thorough: bool,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Run the whole story on the shipped demo data
    ///
    /// Builds a server and four clients of an invented game in a temporary folder, breaks them as they get broken
    /// in life, and mends them. Ends with 0 only when every step came out as it should.
    Demo(Demo),
    /// Start a workspace: write a kanon.toml
    ///
    /// What the options don't say is asked for on a terminal.
    Init(Init),
    /// Draft a rulebook by looking at a server and a client
    ///
    /// Looks at folders, archives and text files, runs nothing and trusts nothing. Each line of the draft has what
    /// speaks for it above it; what could not be told is marked LOOK AT THIS or FILL IN. Then the installs are surveyed by
    /// the draft, to say how many mods it identifies. Without -o the draft goes to standard output.
    Learn(Learn),
    /// Look at a rulebook itself
    #[command(subcommand)]
    Rulebook(RulebookCommand),
    /// Measure an install: which mods, which releases, which bytes
    ///
    /// The survey is portable: with -o it goes to a file that a player can send. It holds no path outside the
    /// install and nothing but what concerns mods.
    Survey(Survey),
    /// Write the mods found on an install into kanon.toml
    Adopt(Adopt),
    /// Add mods to kanon.toml, with what they need, in the newest releases that fit
    ///
    /// Looks through the sources of kanon.toml, the installs and the last canon. Mods that are there stay as they are where
    /// they can. When nothing fits, says why in plain words, and what would fit; nothing is written then.
    Take(Take),
    /// Take mods out of kanon.toml, with what only they needed
    Drop(Drop),
    /// Move kanon.toml on to the newest releases that fit
    ///
    /// With --preview only says what could be renewed, what holds the rest back, which signing keys change and which mods
    /// shape the world. With --game it does so for another version of the game: which mods are ready, and which block it.
    Renew(Renew),
    /// Say why a mod is in the set: who asked for it, who needs it
    Why(Why),
    /// Write a catalogue of a folder of downloads, so that others can take from it
    ///
    /// The catalogue and the downloads are plain files: any web server or bucket can host them. What is new in a release is
    /// read from a file beside its download, called as the download with .notes.txt behind it; notes and dates that an earlier
    /// catalogue of the folder has are kept.
    Catalogue(Catalogue),
    /// Resolve what kanon.toml asks for to exact releases and digests, check that they fit, and write canon.json
    Seal(Seal),
    /// Hold installs (or surveys) against the canon
    Check(Check),
    /// Put installs, surveys and the canon beside each other; no canon is needed
    Compare(Compare),
    /// Bring an install in line with the canon: plan, show, back up, carry out, verify
    ///
    /// Nothing is overwritten or taken off without a copy in the workspace's .kanon/backups; kanon undo takes all
    /// of it back.
    Align(Align),
    /// Say which key signs what, what verifies, and what is left over
    ///
    /// Without an INSTALL, of the server of kanon.toml.
    Keys(Keys),
    /// Print the launch line that the canon asks for, to paste
    Line(Line),
    /// Publish the sealed canon, signed, for players to follow
    ///
    /// To a folder that any web server can serve, or to a bucket (s3://). The keys that sign are made the first time and stay in the
    /// workspace, in .kanon/release: keep a copy. Only what is new is uploaded, and readers hear of it when all of it is there.
    Publish(Publish),
    /// Print the invite: one line that says where the release is, and who must have signed it
    Invite(InviteArguments),
    /// Have the mods that a server wants: verify the release, fetch what differs, put it in place
    ///
    /// The first time with the invite, in the game's folder or with the folder behind it; later without either. Copies of all
    /// that is changed are kept, and kanon undo takes it back. Mods of your own that the server does not mind stay.
    Follow(Follow),
    /// Serve a published release over HTTP
    ///
    /// For those who have no web server. Only what belongs to the release is served.
    Serve(Serve),
    /// Write the page for players: what to install, where, in which order, and how to follow
    ///
    /// One HTML file that needs nothing else; or Markdown, CSV or a CycloneDX bill of materials, by the file's extension.
    Handout(HandoutArguments),
    /// Take back the last alignment of an install, to the byte
    Undo(Undo),
    /// List the alignments that were carried out
    History(History),
    /// Say why a join failed, from surveys and logs
    ///
    /// With a workspace and nothing else, its server is held against the canon. A client's folder or survey and a
    /// server's log are the usual things to have.
    Diagnose(Diagnose),
    /// Put the evidence of one bad evening into one file, for whoever helps
    ///
    /// Surveys, logs around the join, the canon, the rulebook and what was made of it. Addresses, passwords, accounts, mail and the names of
    /// homes are hidden. kanon diagnose --evidence takes it in, without a workspace.
    Export(Export),
    /// Start a server and prove that it loads: every mod said so, and it is really up
    ///
    /// A rehearsal install (rehearsal = true in kanon.toml) is aligned first, and a passed rehearsal is remembered of the sealed canon, so
    /// that kanon align can ask for it. The server is started and stopped by the commands of its install in kanon.toml.
    Rehearse(Rehearse),
    /// Find the smallest set of mods that makes a rehearsal fail
    ///
    /// Takes mods off a rehearsal install and puts them back, start by start, each set with what its mods need; at the end all of them
    /// are back.
    Isolate(Isolate),
    /// Tell a server's health from its logs: starts, memory, where it falls behind and which mods it names
    Health(Health),
    /// Tell on one screen how things stand, and what to do next
    ///
    /// From what is known: nothing is measured, and nobody is dialled. How old each fact is, is told with it.
    Status,
    /// Write the state of everything on one page: installs, dependencies, updates, health, history
    ///
    /// From what is known: nothing is measured, and nobody is dialled; logs of servers on this machine are read. One HTML file that needs
    /// nothing else, to be looked at in a browser, printed or sent.
    Report(ReportArguments),
    /// Notice what changes, before the players do, and tell it: here, to a command, to an address
    ///
    /// Looks again and again at installs, at the servers' logs, at the sources and at the release, and tells each change of state once,
    /// with its cause and what to do. What it knows survives being started anew. Whom to tell is said in kanon.toml, under watch.
    Watch(Watch),
    /// Say what the words that are Kanon's own mean
    Words,
    /// Print what a shell needs to complete commands, with the names of installs and mods
    Completions(Completions),
    /// Write the manual: a page for each command
    Man(Manual),
    /// One of the demo's simulated programs
    #[command(hide = true)]
    Standin(Standin),
}

#[derive(Debug, Args)]
pub struct Completions {
    /// The shell
    #[arg(value_enum)]
    pub shell: Shell,
}

#[derive(Debug, Args)]
pub struct Manual {
    /// The folder for its pages; it is made where it is not there
    #[arg(value_name = "DIR")]
    pub folder: PathBuf,
}

#[derive(Debug, Args)]
pub struct Demo {
    /// Leave the demo's files in this folder, which must be empty or not there
    #[arg(long, value_name = "DIR")]
    pub keep: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub struct Init {
    /// Call the canon so
    #[arg(long)]
    pub name: Option<String>,
    /// The game's rulebook: a file, or an address (https://…) that it is fetched from and pinned to
    #[arg(long, value_name = "FILE")]
    pub rulebook: Option<String>,
    /// The server's folder, or NAME=FOLDER
    #[arg(long, value_name = "[NAME=]FOLDER")]
    pub server: Option<String>,
    /// A client's folder, or NAME=FOLDER; may be given again
    #[arg(long, value_name = "[NAME=]FOLDER")]
    pub client: Vec<String>,
    /// A folder of downloads or the address of a catalogue, or NAME=FOLDER; may be given again
    #[arg(long, value_name = "[NAME=]FOLDER")]
    pub source: Vec<String>,
}

#[derive(Debug, Args)]
pub struct Survey {
    /// A name from kanon.toml, a folder, or a survey
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: String,
    /// Write the survey to this file, as JSON
    #[arg(short, long, value_name = "FILE")]
    pub output: Option<PathBuf>,
    #[command(flatten)]
    pub lens: Lens,
}

#[derive(Debug, Args)]
pub struct Adopt {
    /// A name from kanon.toml, a folder, or an address
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: String,
    /// Adopt just this mod of it; may be given several times. One that only a client has is then asked for on every client
    #[arg(long, value_name = "MOD")]
    pub only: Vec<String>,
    /// Leave this mod out; may be given several times
    #[arg(long, value_name = "MOD", conflicts_with = "only")]
    pub except: Vec<String>,
    #[command(flatten)]
    pub lens: Lens,
}

#[derive(Debug, Args)]
pub struct Take {
    /// Mods, each by its id or as ID@REQUIREMENT (in quotes where that has < or > in it); with --search, words
    #[arg(required = true, value_name = "MOD[@REQ]")]
    pub mods: Vec<String>,
    /// States before a release will do too
    #[arg(long)]
    pub prereleases: bool,
    /// Say what would change and write nothing
    #[arg(long)]
    pub preview: bool,
    /// Find mods by words in their id, title and description, near spellings included; nothing is taken
    #[arg(long, conflicts_with_all = ["prereleases", "preview"])]
    pub search: bool,
}

#[derive(Debug, Args)]
pub struct Drop {
    /// Mods, by their ids
    #[arg(required = true, value_name = "MOD")]
    pub mods: Vec<String>,
    /// Say what would change and write nothing
    #[arg(long)]
    pub preview: bool,
}

#[derive(Debug, Args)]
pub struct Renew {
    /// Mods, by their ids; all of them when none is given
    #[arg(value_name = "MOD")]
    pub mods: Vec<String>,
    /// Say how each mod stands and write nothing
    #[arg(long)]
    pub preview: bool,
    /// Renew for this version of the game
    #[arg(long, value_name = "VERSION")]
    pub game: Option<String>,
}

#[derive(Debug, Args)]
pub struct Why {
    /// A mod, by its id
    #[arg(value_name = "MOD")]
    #[arg(add = ArgValueCandidates::new(completing::known_mods))]
    pub mod_id: String,
}

#[derive(Debug, Args)]
pub struct Catalogue {
    /// The folder of downloads
    pub folder: PathBuf,
    /// Write the catalogue to this file of the folder
    #[arg(short, long, value_name = "FILE", default_value = "catalogue.json")]
    pub output: String,
    /// Use this rulebook, not the workspace's
    #[arg(long, value_name = "FILE")]
    pub rulebook: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub struct Seal {
    /// Say what would change and write nothing
    #[arg(long)]
    pub changes: bool,
    /// With --changes: hold the canon as it is against another one instead: a canon's file, or canon.json as a commit, branch or tag of the
    /// workspace's repository has it
    #[arg(long, value_name = "REF|FILE", requires = "changes", conflicts_with = "accept")]
    pub against: Option<String>,
    /// The other bytes of this mod are meant, although its release was sealed with others; may be given several times
    #[arg(long, value_name = "MOD")]
    pub accept: Vec<String>,
    /// Make a canon count again that was sealed before, by its number in `kanon history --canons`
    #[arg(long, value_name = "N", conflicts_with_all = ["changes", "accept"])]
    pub back_to: Option<u64>,
}

#[derive(Debug, Args)]
pub struct Check {
    /// Names from kanon.toml, folders, addresses or surveys; all of kanon.toml's installs when none is given
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub installs: Vec<String>,
    /// Check all installs of kanon.toml, which is what happens when none is given
    #[arg(long, conflicts_with = "installs")]
    pub all: bool,
    #[command(flatten)]
    pub lens: Lens,
}

#[derive(Debug, Args)]
pub struct Compare {
    /// Names from kanon.toml, folders, addresses or surveys, or the word canon; the others are compared with the first
    #[arg(required = true, num_args = 2..)]
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub installs: Vec<String>,
    #[command(flatten)]
    pub lens: Lens,
}

#[derive(Debug, Args)]
pub struct Learn {
    /// The server's folder, or its name in kanon.toml
    #[arg(required_unless_present = "rulebook")]
    pub server: Option<String>,
    /// A client's folder, or its name: tells where mods are needed, and what only clients have
    #[arg(long, value_name = "CLIENT")]
    pub client: Option<String>,
    /// Write the draft to this file, which must not be there yet
    #[arg(short, long, value_name = "FILE")]
    pub output: Option<PathBuf>,
    /// Call the game so
    #[arg(long, value_name = "NAME")]
    pub game: Option<String>,
    /// Ask on the terminal what could not be told
    #[arg(long)]
    pub ask: bool,
    /// A log of the server, of a good or a bad evening: drafts what its lines mean; may be given several times
    #[arg(long, value_name = "FILE")]
    pub server_log: Vec<PathBuf>,
    /// A log of a client, likewise
    #[arg(long, value_name = "FILE")]
    pub client_log: Vec<PathBuf>,
    /// A player's name as the logs have it, where it can't be told which words are players; may be given several times
    #[arg(long, value_name = "NAME")]
    pub player: Vec<String>,
    /// Draft nothing but what lines of logs mean, and add that to this rulebook's text
    #[arg(long, value_name = "FILE", conflicts_with_all = ["game", "ask"])]
    pub rulebook: Option<PathBuf>,
}

#[derive(Debug, Subcommand)]
pub enum RulebookCommand {
    /// Validate a rulebook, and explain for a mod how each fact about it was found
    ///
    /// Without --against only the file is read. With it, every mod of that folder is read, and one of them is
    /// explained step by step: which document, which place, which value.
    Check(RulebookCheck),
    /// Show what has changed in a rulebook that was fetched, and take it over after a yes
    Renew(RulebookRenew),
    /// Print a rulebook to start from, for one way in which games arrange their mods
    Example(RulebookExample),
}

#[derive(Debug, Args)]
pub struct RulebookRenew {
    /// Only show what has changed
    #[arg(long)]
    pub preview: bool,
    /// Take it over without asking
    #[arg(short, long, conflicts_with = "preview")]
    pub yes: bool,
}

#[derive(Debug, Args)]
pub struct RulebookExample {
    /// Which way; all are listed when none is given
    pub shape: Option<String>,
}

#[derive(Debug, Args)]
pub struct RulebookCheck {
    /// The rulebook
    pub file: PathBuf,
    /// Try it on this folder
    #[arg(long, value_name = "FOLDER")]
    pub against: Option<PathBuf>,
    /// Say what that folder is
    #[arg(long, value_enum, default_value = "server")]
    pub role: RoleWord,
    /// Explain this mod (its id, or its file's name); the first one when not given
    #[arg(long = "mod", value_name = "MOD", requires = "against")]
    pub mod_id: Option<String>,
    /// For who hands it to others: warnings count, and so do lines that are marked to be looked at or filled in
    #[arg(long)]
    pub strict: bool,
}

/// What an alignment does only when it is told to, on either side.
#[derive(Debug, Default, Args)]
pub struct Consent {
    /// What becomes of the world where mods reshape it: keep, new, or the file or folder of a prepared one
    #[arg(long, value_name = "keep|new|FILE")]
    pub world: Option<String>,
    /// Take off the extra mods too that the policy says to ask about
    #[arg(long)]
    pub park_extras: bool,
    /// You have read and accept the licence that this setting accepts; may be given several times
    #[arg(long, value_name = "SETTING")]
    pub accept_licence: Vec<String>,
    /// Put the mods' own entries in place of those that somebody edited in the game's data files
    #[arg(long)]
    pub replace_edits: bool,
    /// Write although the game is running there
    #[arg(long)]
    pub while_running: bool,
}

impl From<&Consent> for Wanted {
    /// The world is as the policy has it where nothing else is said, and another's claim holds.
    fn from(consent: &Consent) -> Self {
        Self {
            risky: if consent.park_extras { RiskyExtras::Park } else { RiskyExtras::Stay },
            world: consent.world.clone(),
            while_running: consent.while_running,
            others: Others::Respect,
            said: Consents { licences: consent.accept_licence.clone(), replace_edits: consent.replace_edits },
        }
    }
}

#[derive(Debug, Args)]
pub struct Align {
    /// A name from kanon.toml, a folder, or an address
    #[arg(required_unless_present = "all")]
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: Option<String>,
    /// Align all installs of kanon.toml, side by side
    #[arg(long, conflicts_with = "install")]
    pub all: bool,
    /// Say what would be done and do nothing
    #[arg(long)]
    pub preview: bool,
    /// Don't ask, do it
    #[arg(short, long, conflicts_with = "preview")]
    pub yes: bool,
    #[command(flatten)]
    pub consent: Consent,
    /// Go on although another workspace's alignment has claimed the install: you know that it is dead
    #[arg(long)]
    pub take_over: bool,
    #[command(flatten)]
    pub lens: Lens,
}

#[derive(Debug, Args)]
pub struct Keys {
    /// A name from kanon.toml, a folder, an address, or a survey; the server of kanon.toml when left out
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: Option<String>,
    #[command(flatten)]
    pub lens: Lens,
}

#[derive(Debug, Args)]
pub struct Line {
    /// A name from kanon.toml, a folder, an address, or a survey
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: String,
    /// The side that the line is for, where it is not the install's own
    #[arg(long = "for", value_enum, value_name = "SIDE")]
    pub side: Option<RoleWord>,
    #[command(flatten)]
    pub lens: Lens,
}

#[derive(Debug, Args)]
pub struct Publish {
    /// The folder or bucket (s3://bucket/folder) to publish to; the one of kanon.toml when left out
    pub dest: Option<String>,
    /// The address at which players find it; written into kanon.toml
    #[arg(long, value_name = "URL")]
    pub address: Option<String>,
    /// Publish the programs of this folder too, one for each system, each of which carries the invite and is started by a double
    /// click; written into kanon.toml
    #[arg(long, value_name = "FOLDER")]
    pub programs: Option<PathBuf>,
    /// Take new keys: what the old ones sign from now on counts nowhere
    #[arg(long)]
    pub new_key: bool,
    /// Read back what lies there, hold it against its digests, and put up anew what is damaged
    #[arg(long)]
    pub verify: bool,
}

#[derive(Debug, Args)]
pub struct InviteArguments {
    /// The address at which players find the release; the one of kanon.toml when left out
    #[arg(long, value_name = "URL")]
    pub address: Option<String>,
    /// Draw the QR code too where the output is no terminal
    #[arg(long)]
    pub qr: bool,
}

#[derive(Debug, Default, Args)]
pub struct Follow {
    /// The invite, in quotes; later, nothing, or the game's folder
    pub invite: Option<String>,
    /// The game's folder; the current one when left out
    pub folder: Option<PathBuf>,
    /// Only say what is off, and change nothing in the game's folder
    #[arg(long)]
    pub check: bool,
    /// Don't ask, do it
    #[arg(short, long, conflicts_with = "check")]
    pub yes: bool,
    /// It is the game's folder, although nothing in it looks like that
    #[arg(long)]
    pub anyway: bool,
    /// Let the release govern the game's own folder, and bring programs to other places than the mods' folders
    #[arg(long)]
    pub beyond_mods: bool,
    /// This machine's clock is right now: it was wrong when it was last here
    #[arg(long)]
    pub clock_is_right: bool,
    /// Take this optional mod too; remembered. May be given several times
    #[arg(long, value_name = "MOD")]
    pub with: Vec<String>,
    /// Do without this optional mod from now on; what is there of it stays. May be given several times
    #[arg(long, value_name = "MOD")]
    pub without: Vec<String>,
    /// Put back a mod, or a file, that was taken off, by its name or the begin of it
    #[arg(long, value_name = "MOD", conflicts_with_all = ["check", "yes"])]
    pub put_back: Option<String>,
    /// Write what whoever helps needs to know of this game into a file: its mods and their files, its last log, the release; with
    /// the ending .json its mods and their files alone
    #[arg(long, value_name = "FILE", conflicts_with_all = ["check", "yes", "put_back"])]
    pub report: Option<PathBuf>,
    #[command(flatten)]
    pub consent: Consent,
}

#[derive(Debug, Args)]
pub struct Serve {
    /// The folder of the release
    pub dest: PathBuf,
    /// Listen at this address and port
    #[arg(long, value_name = "ADDR", default_value = "0.0.0.0:8640")]
    pub listen: String,
}

#[derive(Debug, Args)]
pub struct HandoutArguments {
    /// Write it to this file; - is standard output
    #[arg(short, long, value_name = "FILE", default_value = "handout.html")]
    pub output: PathBuf,
    /// What to write, where the file's extension does not say
    #[arg(long, value_enum)]
    pub form: Option<HandoutForm>,
    /// The address at which players find the release; the one of kanon.toml when left out
    #[arg(long, value_name = "URL")]
    pub address: Option<String>,
}

#[derive(Debug, Args)]
pub struct Watch {
    /// Names from kanon.toml; all of its installs when none is given
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub installs: Vec<String>,
    /// Look at everything so often, such as 30s, 10m or 1h; logs of servers on this machine are followed all the time
    #[arg(long, value_name = "TIME", value_parser = span_of_time)]
    pub every: Option<Duration>,
    /// Look once, tell what has changed since the last time, and end: for a clock that starts programs
    #[arg(long)]
    pub once: bool,
    /// Align this install by itself when files of the canon are missing or damaged and the game is stopped, and never for anything
    /// that somebody has to decide; may be given several times
    #[arg(long, value_name = "INSTALL")]
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub mend: Vec<String>,
}

#[derive(Debug, Args)]
pub struct ReportArguments {
    /// Write the page to this file; - is standard output. report.html when left out
    #[arg(short, long, value_name = "FILE")]
    pub output: Option<PathBuf>,
}

/// The forms of a handout.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum HandoutForm {
    /// A page for a browser
    Html,
    /// Text for a forum or a repository
    Markdown,
    /// A table of every file, for a spreadsheet
    Csv,
    /// A CycloneDX bill of materials
    Cyclonedx,
}

#[derive(Debug, Default, Args)]
pub struct Undo {
    /// A name from kanon.toml, a folder, or an address; in a game that follows a release, nothing
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: Option<String>,
    /// Take back this alignment too, by its number in the history, and every newer one
    #[arg(long, value_name = "ALIGNMENT")]
    pub back_to: Option<i64>,
    /// Take back by what a backup says of itself: its number under .kanon/backups. For when the journal is gone
    #[arg(long, value_name = "BACKUP", conflicts_with = "back_to")]
    pub from_backup: Option<i64>,
    /// Write although the game is running there
    #[arg(long)]
    pub while_running: bool,
    /// Go on although another workspace's alignment has claimed the install: you know that it is dead
    #[arg(long)]
    pub take_over: bool,
}

#[derive(Debug, Args)]
pub struct History {
    /// A name from kanon.toml, a folder, or an address; all when none is given
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: Option<String>,
    /// List the canons that were sealed here instead
    #[arg(long, conflicts_with = "install")]
    pub canons: bool,
}

/// What there is to go by about a join that failed.
#[derive(Debug, Args)]
pub struct Given {
    /// The client: a name from kanon.toml, a folder, an address, a survey, or what a player has sent (kanon follow --report)
    #[arg(long, value_name = "INSTALL")]
    pub client: Option<String>,
    /// The server: a name from kanon.toml, a folder, an address or a survey
    #[arg(long, value_name = "INSTALL")]
    pub server: Option<String>,
    /// The server's log, plain or compressed, or the folder of its logs; older files of its set are read where the join is not in it
    #[arg(long, value_name = "FILE")]
    pub server_log: Option<PathBuf>,
    /// The client's log, likewise
    #[arg(long, value_name = "FILE")]
    pub client_log: Option<PathBuf>,
    /// What the player saw, typed as well as they remember it
    #[arg(long, value_name = "TEXT")]
    pub message: Option<String>,
    /// The player, as the server's log calls them
    #[arg(long, value_name = "NAME")]
    pub player: Option<String>,
}

impl Given {
    /// What is asked of the use case, besides what only one of the commands can say.
    pub fn asked(&self) -> Asked {
        Asked {
            client: self.client.clone(),
            server: self.server.clone(),
            server_log: self.server_log.clone(),
            client_log: self.client_log.clone(),
            message: self.message.clone(),
            player: self.player.as_deref().map(PlayerName::from),
            ..Asked::default()
        }
    }
}

#[derive(Debug, Args)]
pub struct Diagnose {
    #[command(flatten)]
    pub given: Given,
    /// Pass over what logs say of before: 2026-11-27T06:00, 2026-11-27, or a time of day
    #[arg(long, value_name = "TIME")]
    pub since: Option<String>,
    /// Write a short text to send to the player instead
    #[arg(long)]
    pub reply: bool,
    /// Hold everything against a release, by its invite: for whoever keeps neither the server nor the client
    #[arg(long, value_name = "INVITE", conflicts_with_all = ["rulebook", "remember"])]
    pub release: Option<String>,
    /// Add the patterns that are proposed to the rulebook, after a yes
    #[arg(long, conflicts_with = "reply")]
    pub remember: bool,
    /// Add them without asking
    #[arg(short, long, requires = "remember")]
    pub yes: bool,
    /// Take in what kanon export made: rulebook, canon, surveys and logs in one file. Other options add to it
    #[arg(long, value_name = "FILE", conflicts_with_all = ["rulebook", "remember", "release"])]
    pub evidence: Option<PathBuf>,
    /// Use this rulebook, not the workspace's
    #[arg(long, value_name = "FILE")]
    pub rulebook: Option<PathBuf>,
    /// Read every byte again, whatever is remembered of unchanged files
    #[arg(long)]
    pub thorough: bool,
}

#[derive(Debug, Args)]
pub struct Export {
    /// Write it to this file
    #[arg(short, long, value_name = "FILE", default_value = "evidence.zip")]
    pub output: PathBuf,
    #[command(flatten)]
    pub given: Given,
    /// Use this rulebook, not the workspace's
    #[arg(long, value_name = "FILE")]
    pub rulebook: Option<PathBuf>,
}

/// How long a start is waited for.
#[derive(Debug, Clone, Copy, Args)]
pub struct Waiting {
    /// Give up on a start after so many seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 600)]
    pub patience: u64,
    /// It must be quiet for so many seconds after it said that it is up; the rulebook's, or 10, when left out
    #[arg(long, value_name = "SECONDS")]
    pub settle: Option<f64>,
}

impl From<Waiting> for kanon_app::rehearsing::Waiting {
    fn from(waiting: Waiting) -> Self {
        Self { patience: waiting.patience, settle: waiting.settle }
    }
}

#[derive(Debug, Args)]
pub struct Rehearse {
    /// A server of kanon.toml
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: String,
    /// Prove these mods first, with what they need; may be given again for the next stage, and the rest comes last
    #[arg(long, value_name = "MOD,…")]
    pub stage: Vec<String>,
    /// Don't ask, do it
    #[arg(short, long)]
    pub yes: bool,
    #[command(flatten)]
    pub waiting: Waiting,
}

#[derive(Debug, Args)]
pub struct Isolate {
    /// A rehearsal server of kanon.toml
    #[arg(add = ArgValueCandidates::new(completing::installs))]
    pub install: String,
    /// Start it yourself: Kanon says which set to try, and you say what came of it
    #[arg(long)]
    pub ask: bool,
    /// What came of the set that you were told to try
    #[arg(long, value_enum, value_name = "WORD", requires = "ask")]
    pub was: Option<Was>,
    /// Forget what was tried by hand, and begin anew
    #[arg(long, requires = "ask")]
    pub anew: bool,
    /// Don't ask, do it
    #[arg(short, long)]
    pub yes: bool,
    #[command(flatten)]
    pub waiting: Waiting,
}

/// What came of a try.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Was {
    /// It started as it should
    Good,
    /// It did not
    Bad,
}

#[derive(Debug, Args)]
pub struct Health {
    /// Logs of one server, oldest first; folders of them; or a server's name, for the log that kanon.toml says. The workspace's server when
    /// left out
    #[arg(value_name = "LOG")]
    pub logs: Vec<PathBuf>,
    /// Use this rulebook, not the workspace's
    #[arg(long, value_name = "FILE")]
    pub rulebook: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub struct Standin {
    /// What the simulated program is to do
    #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
    pub arguments: Vec<String>,
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn arguments_are_sound_and_every_one_is_explained() {
        Arguments::command().debug_assert();
        let command = Arguments::command().help_expected(true);
        for sub in command.get_subcommands().filter(|sub| !sub.is_hide_set()) {
            let about = sub.get_about().expect("a summary").to_string();
            assert!(!about.ends_with('.'), "{about}");
            for argument in sub.get_arguments() {
                assert!(argument.get_help().is_some(), "{} {}", sub.get_name(), argument.get_id());
            }
        }
    }
}
