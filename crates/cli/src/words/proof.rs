//! What a draft says of healthy installs that can't be, and what to look at in it.

use kanon_core::base::finding::{Code, Finding};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::path::printable;
use kanon_core::learn::leftovers::{LeftOver, WhyLeft};
use kanon_core::learn::proof::{Doubt, Proof};
use kanon_core::learn::unread::{NoList, Unread, WhatUnread};
use kanon_core::rulebook::Role;
use serde::Serialize;

use super::adopting::passed_over;
use super::steps;
use crate::render::count;

/// A proof as programs read it.
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
pub struct ToldProof {
    /// Whether nothing speaks against the draft.
    holds: bool,
    /// What does.
    doubts: Vec<ToldDoubt>,
    /// Further doubts that are not told.
    further: usize,
    /// Alike things that are left alone, and why.
    left_alone: Vec<LeftOver>,
}

#[cfg_attr(test, derive(schemars::JsonSchema))]
#[derive(Serialize)]
struct ToldDoubt {
    doubt: &'static str,
    /// The path or the list that it is about.
    about: Option<String>,
    /// In words.
    text: String,
    /// What to look at in the draft.
    look_at: &'static str,
}

impl From<&Proof> for ToldProof {
    fn from(proof: &Proof) -> Self {
        let told = proof.doubts.iter().map(|doubt| ToldDoubt {
            doubt: kind(doubt),
            about: doubt.about(),
            text: text(doubt),
            look_at: look_at(doubt),
        });
        Self {
            holds: proof.doubts.is_empty(),
            doubts: told.collect(),
            further: proof.further,
            left_alone: proof.left_alone.clone(),
        }
    }
}

const fn kind(doubt: &Doubt) -> &'static str {
    match doubt {
        Doubt::NoMods(_) => "no-mods",
        Doubt::NotAdopted { .. } => "not-adopted",
        Doubt::NotSealed(_) => "not-sealed",
        Doubt::Off { .. } => "off",
        Doubt::Changed { .. } => "changed",
        Doubt::Rewritten { .. } => "rewritten",
        Doubt::Unseen { .. } => "unseen",
        Doubt::OnNoShelf { .. } => "on-no-shelf",
        Doubt::LeftOver(_) => "left-over",
        Doubt::Unread(_) => "unread",
        Doubt::NoList(_) => "no-list",
    }
}

/// A doubt in a sentence.
pub fn text(doubt: &Doubt) -> String {
    let sentence = match doubt {
        Doubt::NoMods(role) => format!("the {role} has no mods"),
        Doubt::NotAdopted { role, path, why } => {
            format!("of the {role} {path} would not be adopted: {}", passed_over(why))
        }
        Doubt::NotSealed(finding) => format!("what was found could not be sealed: {}", of_finding(finding)),
        Doubt::Off { role: Role::Client, finding } if finding.code == Code::ModExtra => {
            let mod_id = finding.mod_id.as_ref().map_or("a mod", FoldedId::as_str);
            let path = finding.path.as_deref().unwrap_or_default();
            format!("the client has {mod_id} ({path}), which the server has not: a check would tell it as extra")
        }
        Doubt::Off { role, finding } => format!("the {role} would be off: {}", of_finding(finding)),
        Doubt::Changed { role, step } => {
            format!(
                "an alignment would {} {} on the {role}: {}",
                verb(step.action.as_str()),
                step.path,
                steps::why(step)
            )
        }
        Doubt::Rewritten { role, file } => format!("an alignment would rewrite {file} on the {role}"),
        Doubt::Unseen { role, mods } => {
            let mods: Vec<String> = mods.iter().map(ToString::to_string).collect();
            format!("both sides have {}, and were they gone from the {role}, no check would tell", some_of(&mods))
        }
        Doubt::OnNoShelf { roles, list, names } => {
            format!("`{list}` of {} names {}, and no shelf has that", of_sides(roles), some_of(names))
        }
        Doubt::LeftOver(left) => left_over(left),
        Doubt::Unread(unread) => not_read(unread),
        Doubt::NoList(NoList { roles, file, mods, example }) => {
            let named = count(*mods, "mod");
            format!("{file} of {} names {named}, and is no list by the draft: {example}", of_sides(roles))
        }
    };
    printable(&sentence)
}

fn not_read(unread: &Unread) -> String {
    let Unread { shelf, place, mods, example, .. } = unread;
    let number = *mods;
    let mods = count(number, "mod");
    match unread.what {
        WhatUnread::NotRequired => {
            format!(
                "of what mods of {shelf} name at {place}, {number} are not there, such as {example}: none is taken for required"
            )
        }
        WhatUnread::Beside => {
            format!(
                "beside {mods} of {shelf} lie files that are called as they are, such as {example}: they are no part of the mods by the draft"
            )
        }
        WhatUnread::Files => {
            format!(
                "{mods} of {shelf} name files at {place}, such as {example}: they are no part of the mods by the draft"
            )
        }
        WhatUnread::Packed => {
            format!(
                "{mods} of {shelf} are packed as {place}, which Kanon does not look into, such as {example}: what they say of themselves is not known"
            )
        }
        WhatUnread::OfTheGame => {
            format!("{example} of {shelf} is called as what comes with a game is, and taken for a mod by the draft")
        }
        WhatUnread::TextAlone => {
            format!("{mods} of {shelf}, such as {example}, are mods by a line in their texts alone, and in no list")
        }
        WhatUnread::NameAlone => {
            format!(
                "{mods} of {shelf}, such as {example}, are mods by the versions in their names alone, and in no list"
            )
        }
        WhatUnread::PlaceAlone => {
            format!(
                "{mods} of {shelf}, such as {example}, are mods by the folder that they lie in alone, and in no list"
            )
        }
        WhatUnread::ClientAlone => {
            format!(
                "{mods} of {shelf}, such as {example}, are on the client alone: a check would ask every player for them"
            )
        }
        WhatUnread::IdWithVersion => {
            format!(
                "the ids of {mods} of {shelf}, such as {example}, have the version in them: each release would be another mod"
            )
        }
        WhatUnread::Columns => {
            format!("`{shelf}` says more of {mods} than their names, which the draft does not read: {example}")
        }
        WhatUnread::Kinds => {
            format!("{mods} of {shelf} name others with words whose meaning is not known, at {place}: {example}")
        }
        WhatUnread::Relation => {
            format!("{mods} of {shelf} name other mods at {place}, which the draft does not read: {example}")
        }
        WhatUnread::Version => {
            format!(
                "{mods} of {shelf} have something like a version in {place}, which the draft does not read: {example}"
            )
        }
    }
}

/// Alike things on no shelf, in a sentence.
pub fn left_over(left: &LeftOver) -> String {
    let place = if left.place.is_empty() { "its own folder" } else { &left.place };
    let what = match left.number {
        1 => left.example.clone(),
        number => format!("{number} things in {place}, such as {},", left.example),
    };
    let (is, are) = if left.number == 1 { ("is", "it") } else { ("are", "they") };
    let side = of_sides(&left.roles);
    match left.why {
        WhyLeft::Listed => format!(
            "{what} of {side} {is} on no shelf, and a list names {}",
            if left.number == 1 { "it" } else { "them" }
        ),
        WhyLeft::SameDocument => format!("{what} of {side} {is} on no shelf, and {are} hold what mods hold"),
        WhyLeft::SameKind => format!("{what} of {side} {is} on no shelf, and of the kind that mods are"),
        WhyLeft::AmongMods => format!("{what} of {side} {is} on no shelf, and {are} lie among mods"),
        WhyLeft::CalledAsMods => format!("{what} of {side} {is} on no shelf, and called as mods are"),
        WhyLeft::OutOfUse => format!("{what} of {side}: out of use, by the name"),
        WhyLeft::OfTheGame => format!("{what} of {side}: of the game's own version"),
    }
}

fn of_sides(roles: &[Role]) -> String {
    roles.iter().map(|role| of_side(*role)).collect::<Vec<_>>().join(" and ")
}

const fn of_side(role: Role) -> &'static str {
    match role {
        Role::Server => "the server",
        Role::Client => "the client",
    }
}

fn verb(action: &str) -> String {
    match action {
        "park" => "take off".to_owned(),
        "back-up" => "back up".to_owned(),
        other => other.to_owned(),
    }
}

/// The first of some names, and how many more there are.
fn some_of(names: &[String]) -> String {
    let (told, more) = (&names[..names.len().min(5)], names.len().saturating_sub(5));
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!("{}{more}", told.join(", "))
}

fn of_finding(finding: &Finding) -> String {
    let subject = finding.mod_id.as_ref().map(|id| format!(" {id}")).unwrap_or_default();
    let path = finding.path.as_ref().map(|path| format!(" ({path})")).unwrap_or_default();
    let sides = match (&finding.expected, &finding.found) {
        (Some(expected), Some(found)) => format!(", expected {expected}; found {found}"),
        (Some(expected), None) => format!(", expected {expected}"),
        (None, Some(found)) => format!(", found {found}"),
        (None, None) => String::new(),
    };
    format!("{}{subject}{path}{sides}", finding.code.as_str())
}

/// What to look at in the draft.
pub const fn look_at(doubt: &Doubt) -> &'static str {
    match doubt {
        Doubt::NoMods(_) => "is another folder its mods' folder? add it to `in` of the shelf",
        Doubt::NotAdopted { .. } => "is the id told by the right field? see `id` of the shelf",
        Doubt::NotSealed(_) => "see `id`, `version` and the relations of the shelf",
        Doubt::Off { finding, .. } => of_code(finding.code),
        Doubt::Changed { .. } => "see the shelf's `in`, `match`, `except` and `id`",
        Doubt::Rewritten { .. } => "see the [[list]] or [[setting]] of that file",
        Doubt::Unseen { .. } => "are they one shelf on both sides? see `in` and `needed_on` of the shelves",
        Doubt::OnNoShelf { .. } => {
            "are those mods too? add a shelf for them; if they are the game's own: `keep` of the list"
        }
        Doubt::NoList(_) => "does the game load its mods by that file? then it is a [[list]]",
        Doubt::LeftOver(_) => "are those mods too? add a shelf, or their folder to `in` of one",
        Doubt::Unread(Unread { what: WhatUnread::Relation, .. }) => {
            "are those what a mod needs, or can't stand? see Relations in the reference of rulebooks"
        }
        Doubt::Unread(Unread { what: WhatUnread::Kinds, .. }) => {
            "which of the words means that a mod can't do without? see `kinds` of the relation"
        }
        Doubt::Unread(Unread { what: WhatUnread::Beside, .. }) => {
            "does the game need them? then name them in `beside` of the shelf: as it is, an alignment would not bring them"
        }
        Doubt::Unread(Unread { what: WhatUnread::Files, .. }) => {
            "does the game need those files? an alignment would not bring them, and a check would not see them"
        }
        Doubt::Unread(Unread { what: WhatUnread::Packed, .. }) => {
            "what they need, and where, is for you to say in kanon.toml; their names and bytes are looked at"
        }
        Doubt::Unread(Unread { what: WhatUnread::OfTheGame, .. }) => {
            "if it comes with the game: `except` of the shelf, and so for what else came with it; else it is right"
        }
        Doubt::Unread(Unread {
            what: WhatUnread::TextAlone | WhatUnread::NameAlone | WhatUnread::PlaceAlone, ..
        }) => "are those mods, and no parts of the game? else take the [[shelf]] out; if so it is right",
        Doubt::Unread(Unread { what: WhatUnread::ClientAlone, .. }) => {
            "does every player need them? if so it is right; else take the [[shelf]] out"
        }
        Doubt::Unread(Unread { what: WhatUnread::IdWithVersion, .. }) => {
            "what is a mod called whatever its version? see `id` of the shelf"
        }
        Doubt::Unread(Unread { what: WhatUnread::Columns, .. }) => {
            "a version or a switch? see `entry` and `off` of the [[list]]"
        }
        Doubt::Unread(Unread { what: WhatUnread::NotRequired, .. }) => {
            "what tells those that a mod needs from those that it can use? see `optional` of the shelf"
        }
        Doubt::Unread(Unread { what: WhatUnread::Version, .. }) => "is that the version? see `version` of the shelf",
    }
}

const fn of_code(code: Code) -> &'static str {
    match code {
        Code::ListEntryMissing
        | Code::ListEntryExtra
        | Code::ListEntryOff
        | Code::ListOrder
        | Code::ListVersion
        | Code::ListUnreadable
        | Code::LaunchLineDiffers => "see the [[list]] of that file: its place, its form, and `ordered`",
        Code::ContentDiffers | Code::VersionOlder | Code::VersionNewer | Code::VersionOther => {
            "were they built for each side, or is one install behind the other? else see `id` and `version` of the shelf"
        }
        Code::ModExtra => "is that a player's own mod? else see the shelf's `in`, `match` and `needed_on`",
        Code::SettingDiffers => "see the [[setting]]",
        _ => "see the shelf's `in`, `match`, `id` and `needed_on`",
    }
}

/// How many further doubts there are.
pub fn further(number: usize) -> String {
    if number == 0 { String::new() } else { format!("and {} more", count(number, "doubt")) }
}
