//! `kanon publish`: a signed release of the sealed canon, for players to follow.

use std::collections::BTreeMap;
use std::path::Path;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::printable;
use kanon_core::canon::Canon;
use kanon_core::canon::release::{ARCHIVE, Invite, RULEBOOK, System, for_players, is_for_players, wishes_for_players};
use kanon_core::config::{Edit, edit};
use kanon_io::carried::{Program, programs_in};
use kanon_io::error::During;
use kanon_io::install::Address;
use kanon_io::origin::Origin;
use kanon_io::release::{Lasting, Outgoing, Page, Published, Record, RootMark, SigningKeys, publish, wanted_bytes};
use kanon_io::room::held_by;
use kanon_io::workspace::Workspace;
use kanon_io::writing::write_whole;
use serde::Serialize;

use super::handout::set;
use crate::Outcome;
use crate::arguments::{Format, Publish};
use crate::env::{Env, day_of};
use crate::failure::Failure;
use crate::render::handout::{Sheet, archive, bom, csv, html, markdown};
use crate::render::{BOLD, CARE, FAINT, GOOD, count, counted, size, styled};
use crate::ui::Ui;
use kanon_app::release_place::{ReleasePlace, address_of};
use kanon_app::session::{Session, digest_of};

/// How long a release lasts when nothing is said: longer than a winter without a word from the administrator.
const DAYS: u32 = 400;
/// How many releases keep their files when nothing is said.
const KEEP: u32 = 3;

/// What publishing a release came to.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct Report<'a> {
    format: &'static str,
    release: u64,
    new: bool,
    ends: String,
    uploaded_files: usize,
    uploaded_bytes: u64,
    were_there: usize,
    pruned: usize,
    /// How many files were read back, and how many of those were damaged and put up anew; with `--verify` alone.
    #[serde(skip_serializing_if = "Option::is_none")]
    verified: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    damaged: Option<usize>,
    to: &'a str,
    root: u64,
    invite: &'a str,
}

pub fn run(arguments: &Publish, env: &Env, ui: &Ui) -> Result<Outcome, Failure> {
    let mut session = Session::of_administrator(&env.machine, ui)?;
    let canon = session.canon()?;
    session.refuse_stale(&canon)?;
    refuse_unfit(&session, &canon)?;
    let place = place(arguments, &session)?;
    let edited = with_place(arguments, &session, &place)?;
    if let Some(workspace) = &edited {
        session.workspace = Some(workspace.clone());
    }
    let players = for_players(&canon);
    let bytes = session.bytes(&wanted_bytes(&players))?;
    refuse_lacking(&players, &bytes)?;
    let workspace = session.workspace()?;
    let wishes = wishes_for_players(&workspace.text, &workspace.config, &players)
        .map_err(|why| Failure::plain(format!("kanon.toml can't be read again: {why}")))?;
    let (folder, now) = (workspace.release_folder(), env.machine.now().timestamp());
    // Whatever can be wrong is looked at before keys are made.
    let programs = programs(workspace)?;
    let set = set(&session, &players, &Record::read(&folder)?)?;
    let is_first = SigningKeys::open(&folder)?.is_none();
    let keys = SigningKeys::open_or_make(&folder, now)?;
    let keys = if arguments.new_key && !is_first { keys.rotate(now)? } else { keys.renewed(now)? };
    let address = address_of(workspace, Some(&place)).unwrap_or_else(|| place.as_typed());
    let mark = keys.mark()?;
    let invite = Invite::new(&address, mark.version, mark.fingerprint);
    let wish = &workspace.config.release;
    let lasting = Lasting {
        days: i64::from(wish.days.unwrap_or(DAYS)),
        keep: usize::try_from(wish.keep.unwrap_or(KEEP)).unwrap_or(usize::MAX),
    };
    let outgoing = Outgoing {
        canon: &players,
        rulebook: &session.loaded.text,
        wishes: &wishes,
        bytes: &bytes,
        now,
        lasting,
        programs: carrying(programs, &invite)?,
        archive: wish.zip.then(|| archive(&set, &env.tongue)),
    };
    let origin = Origin::open(&place.as_typed(), &env.machine.folder, &env.machine.access())?;
    let bar = ui.progress("publishing");
    let sheet = Sheet {
        set,
        number: None,
        invite: Some(invite.to_string()),
        day: env.tongue.day(&env.machine.now()),
        digest: digest_of(&players)?,
        links: Some(String::new()),
        programs: outgoing.programs.iter().map(|(system, _)| *system).collect(),
        programs_at: wish.programs_at.clone(),
        has_archive: wish.zip,
        tongue: env.tongue.clone(),
    };
    let pages = |number| pages(&Sheet { number: Some(number), ..sheet.clone() }, &session.loaded.text);
    let published = publish(&origin, (&keys, &folder), (&outgoing, arguments.verify), &pages, &bar)?;
    drop(bar);
    // Only what has worked is remembered, and both of it.
    if let Some(workspace) = edited {
        write_whole(&workspace.wishes_path(), &workspace.text)?;
    }
    if is_first {
        let folder = folder.strip_prefix(&env.machine.folder).unwrap_or(&folder).display().to_string();
        ui.notice(&format!("note: the keys that sign releases were made in {folder}; keep a copy of that folder where nobody else reads it. Without it, players can't be given another release"));
    }
    tell(&published, (&place.as_typed(), &sheet, mark), (&invite.to_string(), env, ui))
}

/// The programs that are to carry the invite; none where none are wished for.
fn programs(workspace: &Workspace) -> Result<Vec<Program>, Failure> {
    let Some(folder) = workspace.config.release.programs.as_ref().map(|folder| workspace.root.join(folder)) else {
        return Ok(Vec::new());
    };
    let found = programs_in(&folder)?;
    if found.is_empty() {
        return Err(Failure::plain(format!("{} holds no program", printable(&folder.display().to_string())))
            .hint("put Kanon's programs there, one for each system, as tools/dist.sh makes them; or take `programs` out of kanon.toml"));
    }
    Ok(found)
}

/// Each program with the invite behind it.
fn carrying(programs: Vec<Program>, invite: &Invite) -> Result<Vec<(System, Vec<u8>)>, Failure> {
    let each = programs.into_iter().map(|program| Some((program.system, program.carrying(invite)?)));
    let all: Option<Vec<_>> = each.collect();
    all.ok_or_else(|| Failure::plain("the invite is too long for a program to carry").hint("give a shorter --address"))
}

/// What is published must be what the rulebook and the canon of the same moment say.
fn refuse_unfit(session: &Session<'_>, canon: &Canon) -> Result<(), Failure> {
    if canon.rulebook != session.loaded.digest {
        return Err(
            Failure::plain("the rulebook has changed since the canon was sealed").hint("seal again: kanon seal")
        );
    }
    Ok(())
}

fn place(arguments: &Publish, session: &Session<'_>) -> Result<ReleasePlace, Failure> {
    let workspace = session.workspace()?;
    let place = match (&arguments.dest, &workspace.config.release.to) {
        (Some(typed), _) => ReleasePlace::of(typed, &session.machine.folder)?,
        (None, Some(to)) => ReleasePlace::of(to, &workspace.root)?,
        (None, None) => {
            return Err(Failure::plain("nothing says where to publish to")
                .hint("kanon publish DEST, with a folder that your web server serves, or s3://bucket/folder"));
        }
    };
    let ReleasePlace::Folder(folder) = place else { return Ok(place) };
    std::fs::create_dir_all(&folder).during("make the folder", &folder)?;
    let found = folder.canonicalize().during("find", &folder)?;
    let own = workspace.root.canonicalize().during("find", &workspace.root)?;
    if own.starts_with(&found) || found.starts_with(own.join(".kanon")) {
        return Err(Failure::plain(format!(
            "{} can't be published to: the workspace's keys lie in it",
            found.display()
        ))
        .hint("publish to a folder of its own"));
    }
    Ok(ReleasePlace::Folder(found))
}

/// The workspace with the place in `kanon.toml` where it is not said yet, and the address when it was given; nothing where
/// all of it is said.
fn with_place(arguments: &Publish, session: &Session<'_>, place: &ReleasePlace) -> Result<Option<Workspace>, Failure> {
    let workspace = session.workspace()?;
    let wish = &workspace.config.release;
    let mut said: Vec<(&'static str, String)> = Vec::new();
    // What was typed means the same in kanon.toml if it was typed in the workspace's own folder.
    let is_home = session.machine.folder == workspace.root;
    if wish.to.is_none() {
        let typed = arguments.dest.clone().filter(|_| is_home);
        said.push(("to", typed.unwrap_or_else(|| place.as_typed())));
    }
    if let Some(programs) = &arguments.programs {
        let programs = if is_home { programs.clone() } else { session.machine.folder.join(programs) };
        let programs = programs.display().to_string();
        said.extend((wish.programs.as_ref() != Some(&programs)).then_some(("programs", programs)));
    }
    if let Some(address) = arguments.address.as_ref().filter(|address| wish.address.as_ref() != Some(address)) {
        said.push(("address", address.clone()));
    }
    if said.is_empty() {
        return Ok(None);
    }
    let edited = edit(&workspace.text, &Edit { release: &said, ..Edit::default() })
        .map_err(|error| Failure::plain("could not write where releases go").because(error))?;
    let edited = workspace.edited(edited.text);
    Ok(Some(edited.map_err(|error| Failure::from(error).hint("give another address, or correct kanon.toml"))?))
}

fn refuse_lacking(canon: &Canon, bytes: &kanon_io::bytes::Bytes) -> Result<(), Failure> {
    let lacking = bytes.lacking(&wanted_bytes(canon));
    if lacking.is_empty() {
        return Ok(());
    }
    let has = |digest: Blake3| lacking.contains(&digest);
    let of_mods: BTreeMap<&str, usize> = canon
        .mods
        .iter()
        .filter(|sealed| is_for_players(sealed))
        .map(|sealed| (sealed.manifest.id.as_str(), sealed.files.iter().filter(|file| has(file.blake3)).count()))
        .filter(|(_, files)| *files > 0)
        .collect();
    let named: Vec<String> =
        of_mods.into_iter().map(|(id, files)| format!("{id} ({})", count(files, "file"))).collect();
    Err(Failure::plain(format!(
        "the bytes of some mods are in no source, install or store any more: {}",
        named.join(", ")
    ))
    .hint("put their releases back into a source or an install of kanon.toml, or seal again"))
}

/// The pages for people who come with a browser.
fn pages(sheet: &Sheet, rulebook: &str) -> Vec<Page> {
    let page = |name, kind, text: Result<String, Failure>| text.ok().map(|text| Page { name, kind, text });
    let pages = [
        page("index.html", "text/html; charset=utf-8", html(sheet)),
        page("handout.md", "text/markdown; charset=utf-8", Ok(markdown(sheet))),
        page("handout.csv", "text/csv; charset=utf-8", csv(sheet)),
        page("handout.cdx.json", "application/vnd.cyclonedx+json", bom(sheet)),
        page(RULEBOOK, "application/toml; charset=utf-8", Ok(rulebook.to_owned())),
    ];
    pages.into_iter().flatten().collect()
}

/// What players find there to start or unpack.
fn told_ready(sheet: &Sheet) -> String {
    let programs = sheet.programs.iter().map(|system| format!("{} for {}", system.file(), system.name()));
    let archive = sheet.has_archive.then(|| format!("{ARCHIVE} with all mods"));
    let all: Vec<String> = programs.chain(archive).collect();
    if all.is_empty() { String::new() } else { format!("for players to start or unpack: {}\n", all.join(", ")) }
}

fn tell(
    published: &Published,
    (to, sheet, mark): (&str, &Sheet, RootMark),
    (invite, env, ui): (&str, &Env, &Ui),
) -> Result<Outcome, Failure> {
    if env.format == Format::Json {
        ui.json(&Report {
            format: "kanon-publication/1",
            release: published.number,
            new: published.is_new,
            ends: published.ends.to_string(),
            uploaded_files: published.uploaded,
            uploaded_bytes: published.bytes,
            were_there: published.were_there,
            pruned: published.pruned,
            verified: published.verified.map(|(checked, _)| checked),
            damaged: published.verified.map(|(_, damaged)| damaged),
            to,
            root: mark.version,
            invite,
        })?;
        return Ok(Outcome::InOrder);
    }
    let ends = day_of(published.ends);
    let release = styled(BOLD, &format!("release {}", published.number));
    let mut text = match published.is_new {
        true => format!(
            "{}: {release} is in {}\nuploaded {} in {}; {} there already\n",
            styled(GOOD, "published"),
            printable(to),
            size(published.bytes),
            count(published.uploaded, "file"),
            counted(published.were_there, "file was", "files were"),
        ),
        false => format!("{}: {release} in {} says all of this already\n", styled(GOOD, "in place"), printable(to)),
    };
    if let Some((checked, damaged)) = published.verified {
        text.push_str(&match damaged {
            0 => format!("{}: {} read back, each as it was signed\n", styled(GOOD, "verified"), count(checked, "file")),
            _ => format!(
                "{}: {} of {} read back: put up anew, or taken off where only an older release had it\n",
                styled(CARE, "mended"),
                counted(damaged, "damaged file", "damaged files"),
                checked
            ),
        });
    }
    if published.pruned > 0 {
        text.push_str(&format!("{} of older releases taken off\n", count(published.pruned, "file")));
    }
    // Of a bucket it would have to be asked, file by file.
    if let Ok(held) = held_by(Path::new(to))
        && held.files > 0
    {
        text.push_str(&format!(
            "{} holds {} now, {}\n",
            printable(to),
            size(held.bytes),
            count(held.files as usize, "file")
        ));
    }
    text.push_str(&told_ready(sheet));
    text.push_str(&format!("its signatures are good until {ends}; publishing again makes them new\n"));
    text.push_str(&format!("\n{}\n{invite}\n", styled(FAINT, "the invite for players:")));
    ui.report(&text);
    warn_of_folder(invite, ui);
    Ok(Outcome::InOrder)
}

/// An invite to a folder is good where that folder can be reached, and seldom is that so for players.
pub fn warn_of_folder(invite: &str, ui: &Ui) {
    if !Address::is_meant(invite) {
        ui.notice(
            "note: it names a folder. Players elsewhere need an address: put the folder on a web server, or serve it (kanon serve DEST), and say it: kanon invite --address URL, or address = \"URL\" under [release] in kanon.toml",
        );
    }
}
