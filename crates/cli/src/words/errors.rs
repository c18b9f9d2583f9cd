//! Why something could not be done, and what to do next.

use std::path::Path;

use kanon_app::error::{
    AdoptError, AlignmentError, AppError, BackupError, CanonError, CatalogueMakingError, DraftError, FollowError,
    FoundingError, InstallError, KeyError, LogError, PublishError, RehearsalError, RulebookError, SealError,
    SourceError, WatchError, WishError,
};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::names::InstallName;
use kanon_core::base::path::printable;
use kanon_core::base::suggestion::quoted;
use kanon_core::rulebook::Role;
use kanon_io::error::ReachError;
use kanon_io::error::Refusal;
use kanon_io::error::{AddressError, HostError};

use crate::failure::Failure;
use crate::render::count;

impl From<AppError> for Failure {
    fn from(error: AppError) -> Self {
        match error {
            AppError::Io(error) => error.into(),
            AppError::NoInvite(cause) => Self::from_words(&cause).hint("ask whoever invited you for the whole line"),
            AppError::NoPlaceToPublish(typed) => Self::plain(format!("{} can't be published to", printable(&typed)))
                .hint("publish to the folder that your web server serves, or to s3://bucket/folder"),
            AppError::NothingToGoBy => Self::plain("there is nothing to go by").hint(
                "add --client INSTALL, --server INSTALL, --server-log FILE, --client-log FILE or --message \"TEXT\"",
            ),
            AppError::NoEvidence { path, cause } => {
                Self::plain(format!("{} can't be taken in: {}", path.display(), printable(&cause)))
                    .hint("evidence is made with: kanon export; a survey alone goes to --client or --server")
            }
            AppError::NoTime(text) => Self::plain(format!("`{}` is no time", printable(&text)))
                .hint("write it like 2026-11-27T06:00, 2026-11-27, or 06:00"),
            AppError::OtherSide { named, is } => {
                let meant = if is == Role::Server { Role::Client } else { Role::Server };
                Self::plain(format!("{named} is a {is}, not a {meant}")).hint("use the option of the other side")
            }
            AppError::NoWorkspaceNorRulebook(folder) => Self::from(ReachError::NoWorkspace(folder))
                .hint("start one with: kanon init; or look without one: --rulebook FILE --role server|client"),
            AppError::Asking(cause) => Self::plain("could not ask").because(std::io::Error::other(cause)),
            AppError::NoPlaceOfLog { install, log, cause } => {
                Self::plain(format!("`{}` is no place of a log in {install}", printable(&log))).because(cause)
            }
            AppError::Fetching(error) => {
                Self::from(error).hint("run kanon follow again: what came is kept, and it goes on where it stopped")
            }
            AppError::Canon(error) => error.into(),
            AppError::Install(error) => error.into(),
            AppError::Source(error) => (*error).into(),
            AppError::Alignment(error) => error.into(),
            AppError::Backup(error) => error.into(),
            AppError::Rehearsal(error) => error.into(),
            AppError::Rulebook(error) => error.into(),
            AppError::Follow(error) => error.into(),
            AppError::Publish(error) => error.into(),
            AppError::Draft(error) => error.into(),
            AppError::Seal(error) => error.into(),
            AppError::Keys(error) => error.into(),
            AppError::Log(error) => error.into(),
            AppError::Watch(error) => error.into(),
            AppError::Founding(error) => error.into(),
            AppError::Wish(error) => error.into(),
            AppError::Adopt(error) => error.into(),
            AppError::CatalogueMaking(error) => error.into(),
            AppError::TooManyNames(cause) => Self::plain("the names of the mods can't be looked for").because(&*cause),
        }
    }
}

impl From<CanonError> for Failure {
    fn from(error: CanonError) -> Self {
        match error {
            CanonError::AsJson(cause) => Self::plain("could not write the canon as JSON").because(cause),
            CanonError::Missing(place) => Self::plain(format!("there is no canon yet in {}", place.display()))
                .hint("make one: kanon adopt INSTALL, then kanon seal"),
            CanonError::OfOtherGame { canon, rulebook } => {
                Self::plain(format!("the canon is of {canon}, the rulebook of {rulebook}"))
                    .hint("name the right rulebook in kanon.toml, then: kanon seal")
            }
            CanonError::Stale => {
                Self::plain("kanon.toml has changed since the canon was sealed, so the canon is not what it asks for")
                    .hint("kanon seal --changes shows what that means; then: kanon seal")
            }
        }
    }
}

impl From<InstallError> for Failure {
    fn from(error: InstallError) -> Self {
        match error {
            InstallError::NoneNamed => Self::plain("kanon.toml names no install, so there is nothing to do")
                .hint("add an [install.NAME] table, or name a folder or a survey"),
            InstallError::IsASurvey(typed) => {
                Self::plain(format!("{typed} is a survey; only an install can be changed"))
                    .hint("run it where the install is, or give its address")
            }
            InstallError::Unknown { typed, known } => {
                let otherwise = match known.is_empty() {
                    true => "check the path".to_owned(),
                    false => format!("check the path, or use one of: {}", known.join(", ")),
                };
                Self::plain(format!("`{typed}` is no install of kanon.toml, no folder and no survey")).hint_nearest(
                    &typed,
                    known.iter().map(InstallName::as_str),
                    otherwise,
                )
            }
            InstallError::NoRole(typed) => Self::plain(format!("nothing says whether {typed} is a server or a client"))
                .hint("add --role server or --role client"),
            InstallError::SurveyOfOtherGame { install, survey, rulebook } => {
                Self::plain(format!("the survey of {install} is of {survey}, the rulebook of {rulebook}"))
                    .hint("use the rulebook of that game: --rulebook FILE")
            }
            InstallError::NotASurvey { path, cause } => {
                Self::plain(format!("{} can't be used as a survey: {cause}", path.display()))
                    .hint("a survey is made with: kanon survey INSTALL -o FILE")
            }
            InstallError::NoFolder { install, path } => {
                Self::plain(format!("the folder of {install} is not there: {}", path.display()))
                    .hint("correct its `at` in kanon.toml, or the path")
            }
        }
    }
}

impl From<SourceError> for Failure {
    fn from(error: SourceError) -> Self {
        match error {
            SourceError::NoFolder { name, cause } => {
                Self::from(cause).hint(format!("correct the `at` of [source.{name}] in kanon.toml"))
            }
            SourceError::Catalogue { name, cause } => Self::plain(format!("the catalogue {name} can't be used"))
                .because(cause)
                .hint("tell whoever keeps it, or take its [source.…] out of kanon.toml"),
            SourceError::BrokenPromise { id, version, source, why } => {
                Self::plain(format!("{id} {version} of {source} can't be used"))
                    .because(std::io::Error::other(why))
                    .hint("tell whoever keeps the catalogue; nothing was sealed")
            }
        }
    }
}

impl From<AlignmentError> for Failure {
    fn from(error: AlignmentError) -> Self {
        match error {
            AlignmentError::Finishing { install, cause } => {
                Self::from(*cause).hint(format!("or take back what was begun: kanon undo {}", quoted(&install)))
            }
            AlignmentError::NoPlaceOfWorld => Self::plain("the rulebook says of no place that a world is there")
                .hint("add a [[world]] to it, or leave --world out"),
            AlignmentError::PreparedWorld(error) => {
                Self::from(error).hint("--world takes keep, new, or the file or folder of a prepared world")
            }
            AlignmentError::Running { install, sign } => {
                Self::plain(format!("{install} is running ({sign}), and nothing was done to it")).hint(
                    "stop it first, or give its [install] a `stop` command in kanon.toml; --while-running does it all the same",
                )
            }
            AlignmentError::DidNotStop { install, sign } => {
                Self::plain(format!("{install} did not stop ({sign}), and nothing was done to it"))
                    .hint("see what its `stop` command in kanon.toml does")
            }
        }
    }
}

impl From<BackupError> for Failure {
    fn from(error: BackupError) -> Self {
        let see = "see what was done with: kanon history";
        match error {
            BackupError::Unreadable(error) => Self::from(error)
                .hint("backups are the numbered folders in .kanon/backups; name one that has a manifest.json"),
            BackupError::OfOther { id, of, named } => {
                Self::plain(format!("backup {id} is of {}, not of {}", printable(&of), printable(&named)))
                    .hint(format!("name that install: kanon undo INSTALL --from-backup {id}"))
            }
            BackupError::NothingToTakeBack(install) => {
                Self::plain(format!("there is no alignment of {install} to take back")).hint(see)
            }
            BackupError::NoSuchAlignment { install, id } => {
                Self::plain(format!("{install} has no alignment {id} that could be taken back")).hint(see)
            }
            BackupError::Gone { install, id } => {
                Self::plain(format!("the backup of alignment {id} of {install} is gone by the rule of [backups]"))
                    .hint(see)
            }
        }
    }
}

impl From<RulebookError> for Failure {
    fn from(error: RulebookError) -> Self {
        match error {
            RulebookError::NoText(at) => Self::plain(format!("what is at {at} is no UTF-8 text, and so no rulebook"))
                .hint("is that the address of the file itself, and not of a page about it?"),
            RulebookError::NotFetched => Self::plain("kanon.toml does not say where its rulebook was fetched from")
                .hint("kanon init --rulebook ADDRESS does; here, add to kanon.toml: [rulebook-from] with `at` and `blake3`"),
            RulebookError::OfOtherGame { own, fetched } => {
                Self::plain(format!("the rulebook that is there now is for {fetched}, and this workspace is for {own}"))
                    .hint("nothing was changed; ask whoever keeps it, or change `at` of [rulebook-from]")
            }
            RulebookError::NotPinned(why) => Self::plain(why).hint("nothing was changed"),
            RulebookError::Changed(path) => {
                Self::plain(format!("{} was changed meanwhile", path.display())).hint("nothing was changed; try again")
            }
        }
    }
}

impl From<RehearsalError> for Failure {
    fn from(error: RehearsalError) -> Self {
        match error {
            RehearsalError::NotInConfig(name) => {
                Self::plain(format!("{} is no install of kanon.toml", printable(&name)))
                    .hint("add it there, with its `start` command: [install.NAME]")
            }
            RehearsalError::NotAServer(name) => {
                Self::plain(format!("{name} is a client, and only a server is started")).hint("name a server")
            }
            RehearsalError::NoStartCommand(name) => Self::plain(format!("nothing says how {name} is started"))
                .hint(format!("give it a command in kanon.toml: start = [\"…\"] under [install.{name}]")),
            RehearsalError::OnAHost(name) => {
                Self::plain(format!("{name} is on a host, and its log can't be followed from here"))
                    .hint("rehearse on a server of this machine (rehearsal = true), then align the real one")
            }
            RehearsalError::RunsAlready { install, sign } => {
                Self::plain(format!("{install} is running already ({sign})"))
                    .hint("stop it first; a rehearsal starts it by itself")
            }
            RehearsalError::NoTimeToWait(seconds) => {
                Self::plain(format!("{seconds} seconds are no time to wait")).hint("give --settle a number of seconds")
            }
            RehearsalError::BrokenOff(name) => {
                Self::plain(format!("stopped; {name} was stopped too")).hint("run the command again to try it anew")
            }
        }
    }
}

impl From<FollowError> for Failure {
    fn from(error: FollowError) -> Self {
        let shown = |folder: &Path| printable(&folder.display().to_string());
        let all = |names: Vec<String>| names.join(", ");
        match error {
            FollowError::NoFolder(folder) => Self::plain(format!("{} is no folder", shown(&folder)))
                .hint("name the game's folder; or give the invite whole, in quotes: kanon follow \"…#kanon-1-…\""),
            FollowError::NotFound(cause) => Self::plain("could not find the folder").because(cause),
            FollowError::WithoutInvite(folder) => Self::plain(format!("{} follows no release yet", shown(&folder)))
                .hint("the first time, the invite is needed: kanon follow \"INVITE\" FOLDER"),
            FollowError::FollowsNothing(folder) => Self::plain(format!("{} follows no release yet", shown(&folder)))
                .hint("name the folder of a game that does"),
            FollowError::NothingFollowed => Self::plain("nothing is followed yet")
                .hint("the first time, the invite is needed: kanon follow \"INVITE\" FOLDER"),
            FollowError::Several(games) => Self::plain("several games follow releases").hint(format!(
                "name the folder of one: {}",
                all(games.iter().map(|folder| folder.display().to_string()).collect())
            )),
            FollowError::InsideFollower { folder, game } => {
                Self::plain(format!("{} lies in a game that follows a release already", shown(&folder)))
                    .hint(format!("name the game's own folder: {}", shown(&game)))
            }
            FollowError::AdministratorsWorkspace(folder) => {
                Self::plain(format!("{} is an administrator's workspace: there is a kanon.toml in it", shown(&folder)))
                    .hint("name the game's own folder; if this is it, move the kanon.toml elsewhere first")
            }
            FollowError::NotOptional { name, optional } => {
                let failure = Self::plain(format!("{} is no optional mod", printable(&name)));
                match optional.is_empty() {
                    true => failure.hint("no mod of this release is"),
                    false => failure.hint(format!("these are: {}", FoldedId::joined(&optional, ", "))),
                }
            }
            FollowError::NotOneTakenOff { name, known } => {
                Self::plain(format!("{} is the name of no one thing that was taken off", printable(&name)))
                    .hint(format!("name one of these: {}", all(known.iter().map(|known| printable(known)).collect())))
            }
            FollowError::Temporary(cause) => Self::plain("could not make a temporary folder").because(cause),
        }
    }
}

impl From<DraftError> for Failure {
    fn from(error: DraftError) -> Self {
        match error {
            DraftError::NoInstall(typed) => Self::plain(format!("`{typed}` is no folder and no install of kanon.toml"))
                .hint("give the folder of the game, with its mods installed, or its address on a host"),
            DraftError::OwnMistake(bad) => Self::plain(format!("the draft has a mistake, which is Kanon's own: {bad}"))
                .hint("please report it with the layout of the folder"),
        }
    }
}

impl From<CatalogueMakingError> for Failure {
    fn from(error: CatalogueMakingError) -> Self {
        match error {
            CatalogueMakingError::NoFolder { folder, cause } => {
                Self::plain(format!("could not open {}", folder.display()))
                    .because(cause)
                    .hint("check the folder's path")
            }
            CatalogueMakingError::BadName(cause) => {
                Self::plain(format!("the catalogue can't be written there: {cause}"))
            }
            CatalogueMakingError::Elsewhere => {
                Self::plain("the catalogue lies in the folder that it is of").hint("give -o a name without a path")
            }
            CatalogueMakingError::AsJson(cause) => Self::plain("could not write the catalogue").because(&*cause),
            CatalogueMakingError::Temporary(cause) => Self::plain("could not make a temporary folder").because(cause),
        }
    }
}

impl From<AdoptError> for Failure {
    fn from(error: AdoptError) -> Self {
        match error {
            AdoptError::NoSuchMod { install, id, known } => {
                Self::plain(format!("{} has no mod `{}`", printable(&install), printable(&id))).hint_nearest(
                    &id,
                    known.iter().map(FoldedId::as_str),
                    format!("see what is there: kanon survey {}", quoted(&install)),
                )
            }
            AdoptError::NotEdited(cause) => Self::plain(cause.to_string()),
        }
    }
}

impl From<WishError> for Failure {
    fn from(error: WishError) -> Self {
        match error {
            WishError::NotWishedFor { id, known } => {
                Self::plain(format!("`{}` is not in kanon.toml", printable(&id))).hint_nearest(&id, known.iter().map(FoldedId::as_str), "see its [[mod]] tables for what is")
            }
            WishError::NoRequirement(error) => Self::plain(error.to_string())
                .hint("write it as the game's mods do, for example: kanon take 'MOD@>=1.2'"),
            WishError::GivenUp => Self::plain(
                "no set was found that fits, and not all could be tried: what these mods ask of each other is too entangled",
            )
            .hint("ask for fewer mods at a time, or for one release of some: kanon take MOD@VERSION"),
            WishError::NotEdited(cause) => Self::plain(cause.to_string()),
        }
    }
}

impl From<FoundingError> for Failure {
    fn from(error: FoundingError) -> Self {
        match error {
            FoundingError::IsThere(path) => Self::plain(format!("{} is there already", path.display()))
                .hint("edit it, or start elsewhere with: kanon -C DIR init"),
            FoundingError::RulebookIsThere(path) => Self::plain(format!("{} is there already", path.display()))
                .hint("move it away, or start with that file: --rulebook FILE"),
            FoundingError::NoFolder { install, at } => {
                Self::plain(format!("the folder of {install} is not there: {at}")).hint("check the path")
            }
            FoundingError::SameName(same) => Self::plain(same.to_string()).hint("name them: --client NAME=FOLDER"),
        }
    }
}

impl From<WatchError> for Failure {
    fn from(error: WatchError) -> Self {
        match error {
            WatchError::NoSuchInstall { name, known } => {
                Self::plain(format!("`{}` is no install of kanon.toml", printable(&name)))
                    .hint(format!("watch one of: {}", known.join(", ")))
            }
            WatchError::NoSecret { place, variable } => {
                Self::plain(format!("the hook of [watch] has the place {place}, and nothing says what it is"))
                    .hint(format!("set {variable} where kanon watch runs"))
            }
        }
    }
}

impl From<LogError> for Failure {
    fn from(error: LogError) -> Self {
        match error {
            LogError::NoneOf(name) => Self::plain(format!("there is no log of {}", printable(&name)))
                .hint("say where it is, by `log` under its [install] in kanon.toml, or name the log itself"),
            LogError::NoneNamed => Self::plain("no log was named, and there is not just one server it could be of")
                .hint("name logs, or a server: kanon health LOG"),
        }
    }
}

impl From<KeyError> for Failure {
    fn from(error: KeyError) -> Self {
        match error {
            KeyError::NothingSigned(game) => Self::plain(format!("the rulebook of {game} knows of no signatures"))
                .hint("say in it how payloads are signed: [shelf.signed] and [keyring]"),
            KeyError::NoServer => {
                Self::plain("kanon.toml names no server").hint("say which install: kanon keys INSTALL")
            }
        }
    }
}

impl From<SealError> for Failure {
    fn from(error: SealError) -> Self {
        match error {
            SealError::NotWishedFor { id, known } => Self::plain(format!("`{}` is not in kanon.toml", printable(&id)))
                .hint_nearest(
                    &id,
                    known.iter().map(FoldedId::as_str),
                    "--accept takes the id of a mod, as its finding tells it",
                ),
            SealError::NoOtherCanon(error) => {
                Self::from(error).hint("name a canon's file, or a commit, branch or tag of the workspace's repository")
            }
            SealError::NoKeptCanon(error) => Self::from(error).hint("see which are kept: kanon history --canons"),
        }
    }
}

impl From<PublishError> for Failure {
    fn from(error: PublishError) -> Self {
        match error {
            PublishError::RulebookChanged => {
                Self::plain("the rulebook has changed since the canon was sealed").hint("seal again: kanon seal")
            }
            PublishError::NoPlace => Self::plain("nothing says where to publish to")
                .hint("kanon publish DEST, with a folder that your web server serves, or s3://bucket/folder"),
            PublishError::HoldsTheKeys(folder) => {
                Self::plain(format!("{} can't be published to: the workspace's keys lie in it", folder.display()))
                    .hint("publish to a folder of its own")
            }
            PublishError::PlaceNotWritten(cause) => Self::plain("could not write where releases go").because(&*cause),
            PublishError::BadPlace(error) => Self::from(error).hint("give another address, or correct kanon.toml"),
            PublishError::NotReadAgain(why) => Self::plain(format!("kanon.toml can't be read again: {why}")),
            PublishError::NoPrograms(folder) => {
                Self::plain(format!("{} holds no program", printable(&folder.display().to_string())))
                    .hint("put Kanon's programs there, one for each system, as tools/dist.sh makes them; or take `programs` out of kanon.toml")
            }
            PublishError::InviteTooLong => {
                Self::plain("the invite is too long for a program to carry").hint("give a shorter --address")
            }
            PublishError::NoRelease(folder) => {
                Self::plain(format!("{} holds no release", printable(&folder.display().to_string())))
                    .hint("publish into it first: kanon publish DEST")
            }
            PublishError::NotServed(error) => Self::from(error)
                .hint("see that the address is this machine's and the port is free: --listen ADDRESS:PORT"),
            PublishError::NothingPublished => Self::plain("nothing was published from this workspace yet")
                .hint("publish first: kanon publish DEST"),
            PublishError::NoAddress => Self::plain("nothing says where players find the release")
                .hint("say it: kanon invite --address URL, or address = \"URL\" under [release] in kanon.toml"),
            PublishError::BytesLacking(files) => {
                let named: Vec<String> =
                    files.iter().map(|(id, files)| format!("{id} ({})", count(*files, "file"))).collect();
                Self::plain(format!(
                    "the bytes of some mods are in no source, install or store any more: {}",
                    named.join(", ")
                ))
                .hint("put their releases back into a source or an install of kanon.toml, or seal again")
            }
        }
    }
}

/// Every kind of error says what to do, or is asked here why not.
pub fn hint(error: &ReachError) -> Option<&'static str> {
    match error {
        ReachError::Io { source, .. } => io_hint(source),
        ReachError::State { what: "the journal", .. } => Some(
            "see that the disk is not full and the file may be written; if it is damaged, put a copy of it back. Each backup also knows by itself what it is of: kanon undo INSTALL --from-backup N",
        ),
        ReachError::State { .. } => Some("see that the disk is not full and the file may be written"),
        ReachError::BadCanon { .. } => Some(
            "kanon seal makes it anew of kanon.toml; kanon seal --back-to N puts one back that was sealed here (kanon history --canons)",
        ),
        ReachError::NoWorkspace(_) => Some("start one with: kanon init, or go to it with: -C DIR"),
        ReachError::OfPlayer(_) => {
            Some("go to the folder of your own workspace, or name it with -C; here it is: kanon follow")
        }
        ReachError::NotThisGame { .. } => {
            Some("check the folder, the role and the rulebook: one of the three is another's")
        }
        ReachError::BytesNowhere(_) => {
            Some("put the releases into a source or an install of kanon.toml, then seal again")
        }
        ReachError::Address { reason, .. } if reason.is_full_disk() => {
            Some("make room on the disk, then run the command again")
        }
        ReachError::Address { .. } => Some("check the address in kanon.toml and the connection, then try again"),
        ReachError::Unreachable { .. } => Some("check the connection, and try again later"),
        ReachError::Refused { source, .. } => Some(refusal_hint(source)),
        ReachError::Busy { alive: true, .. } => Some("wait until it has ended, then run the command again"),
        ReachError::TakenBack { source, .. } => hint(source),
        ReachError::NoRoom { .. } => Some("make room, then run the command again; nothing was begun"),
        ReachError::Busy { .. } => Some(
            "wait until it has ended; if you know that it is dead, finish or undo it where it began, or add --take-over",
        ),
        ReachError::CutOff { .. } => Some("when that is mended, kanon align finishes it, or kanon undo takes it back"),
        ReachError::Host(error) => host_hint(error),
        ReachError::Link(_) => Some("put the real file in its place first"),
        ReachError::Changed(_) => Some("see that no game or download is writing there, then run the command again"),
        ReachError::BadFile(_) | ReachError::Unusable { .. } | ReachError::Plan(_) | ReachError::Path { .. } => None,
    }
}

fn refusal_hint(refusal: &Refusal) -> &'static str {
    match refusal {
        Refusal::Nothing => "see that the invite is whole, and ask whoever sent it whether the release is still there",
        Refusal::NotInvited(_) => {
            "don't go on: ask whoever invited you for a new invite, by another way than this place"
        }
        Refusal::WrongSignature(_)
        | Refusal::OtherFile(_)
        | Refusal::Unsigned(_)
        | Refusal::Lacking(_)
        | Refusal::Mixed(_)
        | Refusal::Garbled { .. } => {
            "try again in a while, in case it is being published right now; if it stays so, tell whoever invited you"
        }
        Refusal::Older(_) | Refusal::Endless(_) => "tell whoever invited you: the place may be in wrong hands",
        Refusal::Ended(_) => "tell whoever invited you; kanon publish signs it anew",
        Refusal::Clock => {
            "set the clock right, then try again; if it is right now and was wrong then, add --clock-is-right"
        }
    }
}

fn host_hint(error: &HostError) -> Option<&'static str> {
    Some(match error {
        HostError::Address { source: AddressError::Password, .. } => {
            "leave the password out: Kanon asks for it, or finds it in the system's key ring or in KANON_PASSWORD"
        }
        HostError::Address { .. } => {
            "write it like sftp://user@host/folder, or ftp:// or ftps://; /~ is where a login begins"
        }
        HostError::Unreachable { .. } => "check the address, and whether the host is up and lets you connect",
        HostError::Login { .. } => {
            "check the user's name; give the password when asked, or in KANON_PASSWORD, or name a key in kanon.toml"
        }
        HostError::UnknownKey { .. } => {
            "if your hoster says that this is its key, write it into kanon.toml: host-key = \"SHA256:…\" in the [install]; on a terminal Kanon asks"
        }
        HostError::ChangedKey { .. } => {
            "ask your hoster whether the key was changed; if so, take the old one out of where it is known, else somebody stands in between"
        }
    })
}

/// What systems call it when no more files may be open, in this process or on the whole machine.
#[cfg(unix)]
const NO_FILE_NUMBERS: [i32; 2] = [24, 23];
#[cfg(not(unix))]
const NO_FILE_NUMBERS: [i32; 2] = [4, 4];

fn io_hint(error: &std::io::Error) -> Option<&'static str> {
    use std::io::ErrorKind as Kind;
    if error.raw_os_error().is_some_and(|code| NO_FILE_NUMBERS.contains(&code)) {
        return Some(
            "no more files may be open at once: close other programs, or raise the limit, then run the command again",
        );
    }
    match error.kind() {
        Kind::NotFound => Some("check the path"),
        Kind::PermissionDenied | Kind::ReadOnlyFilesystem => {
            Some("see who owns it, whether it may be written, and whether it is marked as not to be changed")
        }
        Kind::StorageFull | Kind::QuotaExceeded => Some("make room on the disk, then run the command again"),
        _ => None,
    }
}
