//! Base archives, and how much of each overlay is in them.

use std::collections::HashMap;
use std::io::{self, BufReader, Seek};

use kanon_core::base::digest::Blake3;
use kanon_core::manifest::{Archive, Contents, Member};
use kanon_core::rulebook::{LaidRule, Role, Rulebook, Shelf};
use kanon_core::survey::{LaidOverlay, Survey, SurveyedBase, SurveyedMod, Unreadable};

use super::mods::OpenError;
use crate::hashing::blake3_of;
use crate::install::Install;

/// Looks into every base archive of an install; one that can't be read is told.
pub fn bases(install: &dyn Install, rulebook: &Rulebook, survey: &mut Survey) {
    for shelf in &rulebook.shelves {
        let Some(laid) = &shelf.laid_into else { continue };
        match open(install, laid) {
            Ok(Some((size, blake3, members))) => {
                let judged = base(laid, survey.install.role, &ordered(shelf, laid, survey), &members);
                survey.bases.push(SurveyedBase { path: laid.base.clone(), size, blake3, ..judged });
            }
            Ok(None) => {}
            Err(why) => survey.unreadable.push(Unreadable {
                path: laid.base.to_string(),
                shelf: Some(shelf.name.clone()),
                why: why.to_string(),
                is_file: false,
                still_packed: false,
                files: Vec::new(),
            }),
        }
    }
}

type Opened = (u64, Blake3, Vec<Member>);

/// A base that is not there may be another role's.
fn open(install: &dyn Install, laid: &LaidRule) -> Result<Option<Opened>, OpenError> {
    let (mut file, size) = match install.open_file(&laid.base) {
        Ok((file, stamp)) => (file, stamp.size),
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(error.into()),
    };
    let (blake3, _) = blake3_of(&mut file, size)?;
    file.rewind()?;
    let archive = Archive::open(BufReader::new(file), size)?;
    Ok(Some((size, blake3, archive.members().to_vec())))
}

/// The enabled overlays of a shelf in the order in which they are laid: by the list, then by name.
fn ordered<'s>(shelf: &Shelf, laid: &LaidRule, survey: &'s Survey) -> Vec<&'s SurveyedMod> {
    let list = laid.order.as_ref().and_then(|name| survey.lists.iter().find(|list| list.name == *name));
    let place = |found: &SurveyedMod| {
        let entries = list.iter().flat_map(|list| &list.entries);
        entries.map(|entry| entry.id.clone()).position(|id| id == found.manifest.id).unwrap_or(usize::MAX)
    };
    let mut overlays: Vec<&SurveyedMod> =
        survey.mods.iter().filter(|found| found.shelf == shelf.name && found.enabled).collect();
    overlays.sort_by(|a, b| (place(a), &a.name).cmp(&(place(b), &b.name)));
    overlays
}

fn base(laid: &LaidRule, role: Role, overlays: &[&SurveyedMod], members: &[Member]) -> SurveyedBase {
    let strip = laid.strip.of(role);
    let stripped = |path: &str| strip.iter().any(|pattern| pattern.fits(path));
    let there: HashMap<&str, &Member> = members.iter().map(|member| (member.path.as_str(), member)).collect();
    let same = |a: &Member, b: &Member| (a.size, a.crc32) == (b.size, b.crc32);
    let judged = overlays.iter().enumerate().map(|(at, overlay)| {
        let own: Vec<&Member> = overlay.members.iter().filter(|member| !stripped(&member.path)).collect();
        let mut found = LaidOverlay {
            id: overlay.manifest.id.clone(),
            members: own.len(),
            laid: 0,
            missing: Vec::new(),
            other: Vec::new(),
        };
        for member in own {
            let later = overlays[at + 1..].iter().flat_map(|later| &later.members).filter(|m| m.path == member.path);
            match there.get(member.path.as_str()) {
                None => found.missing.push(member.path.clone()),
                Some(laid) if same(laid, member) || later.clone().any(|m| same(laid, m)) => found.laid += 1,
                Some(_) => found.other.push(member.path.clone()),
            }
        }
        found
    });
    let overlays = judged.collect();
    let not_stripped = members.iter().map(|m| m.path.clone()).filter(|path| stripped(path)).collect();
    SurveyedBase { path: laid.base.clone(), size: 0, blake3: Blake3::of(b""), overlays, not_stripped }
}
