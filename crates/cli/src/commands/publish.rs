//! `kanon publish`: a signed release of the sealed canon, for players to follow.

use kanon_app::handouts::HandoutFacts;
use kanon_app::publishing::{Publishing, Wanted, Writer};
use kanon_app::session::Session;
use kanon_core::base::path::printable;
use kanon_core::canon::release::{ARCHIVE, RULEBOOK};
use kanon_core::handout::Handout;
use kanon_io::install::Address;
use kanon_io::release::{Archive, Page, Published};
use serde::Serialize;

use crate::Outcome;
use crate::arguments::{Format, Publish};
use crate::env::{Env, day_of};
use crate::failure::Failure;
use crate::render::handout::{Sheet, archive, bom, csv, html, markdown};
use crate::render::{BOLD, CARE, FAINT, GOOD, count, counted, size, styled};
use crate::ui::Ui;
use crate::words::tongue::Tongue;

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
    let wanted = Wanted {
        dest: arguments.dest.as_deref(),
        address: arguments.address.as_deref(),
        programs: arguments.programs.as_deref(),
        new_key: arguments.new_key,
        verify: arguments.verify,
    };
    let mut publishing = Publishing::prepare(&mut session, wanted)?;
    let writer = InWords { tongue: &env.tongue, day: env.tongue.day(&env.machine.now()) };
    let published = publishing.put_up(&session, &writer)?;
    if let Some(folder) = &publishing.keys_made_in {
        let folder = folder.strip_prefix(&env.machine.folder).unwrap_or(folder).display().to_string();
        ui.notice(&format!("note: the keys that sign releases were made in {folder}; keep a copy of that folder where nobody else reads it. Without it, players can't be given another release"));
    }
    tell(&published, &publishing, (env, ui))
}

/// Pages and archives in the language of the players.
struct InWords<'w> {
    tongue: &'w Tongue,
    day: String,
}

impl Writer for InWords<'_> {
    fn archive(&self, set: &Handout) -> Archive {
        archive(set, self.tongue)
    }

    fn pages(&self, facts: &HandoutFacts, rulebook: &str) -> Vec<Page> {
        let sheet = Sheet { facts: facts.clone(), day: self.day.clone(), tongue: self.tongue.clone() };
        pages(&sheet, rulebook)
    }
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
fn told_ready(facts: &HandoutFacts) -> String {
    let programs = facts.programs.iter().map(|system| format!("{} for {}", system.file(), system.name()));
    let archive = facts.has_archive.then(|| format!("{ARCHIVE} with all mods"));
    let all: Vec<String> = programs.chain(archive).collect();
    if all.is_empty() { String::new() } else { format!("for players to start or unpack: {}\n", all.join(", ")) }
}

fn tell(published: &Published, publishing: &Publishing, (env, ui): (&Env, &Ui)) -> Result<Outcome, Failure> {
    let (to, invite) = (publishing.place.as_str(), publishing.invite.to_string());
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
            root: publishing.mark.version,
            invite: &invite,
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
    if let Some((files, bytes)) = publishing.held() {
        text.push_str(&format!("{} holds {} now, {}\n", printable(to), size(bytes), count(files as usize, "file")));
    }
    text.push_str(&told_ready(&publishing.facts));
    text.push_str(&format!("its signatures are good until {ends}; publishing again makes them new\n"));
    text.push_str(&format!("\n{}\n{invite}\n", styled(FAINT, "the invite for players:")));
    ui.report(&text);
    warn_of_folder(&invite, ui);
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
