//! What a release may reach in a player's game: the places that its rulebook governs, and which files are programs.

use std::collections::BTreeSet;

use super::System;
use crate::base::path::InstallPath;
use crate::rulebook::{Named, Role, Rulebook, Shelf};

/// The places of a game that a rulebook governs on one side.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Scope {
    /// Folders of mods.
    pub mods: BTreeSet<String>,
    /// Folders and files besides, of which something is changed: keys, lists, settings, data files, worlds, base archives.
    pub besides: BTreeSet<String>,
    /// Whether the game's own folder is among those that hold mods or what they bring.
    pub has_root: bool,
}

/// What a rulebook governs.
pub fn scope(rulebook: &Rulebook, role: Role) -> Scope {
    let mut scope = Scope::default();
    for shelf in &rulebook.shelves {
        scope.mods.extend(shelf.places(role).iter().map(ToString::to_string));
        scope.mods.extend(shelf.wild.of(role).iter().map(ToString::to_string));
        scope.besides.extend(shelf.extras.iter().flat_map(|extra| extra.places.of(role)).map(ToString::to_string));
        scope.besides.extend(shelf.laid_into.iter().map(|laid| laid.base.to_string()));
    }
    let keys = rulebook.keyring.iter().flat_map(|ring| ring.places.of(role));
    scope.besides.extend(keys.map(ToString::to_string));
    let is_ours = |of: Option<Role>| of.is_none_or(|of| of == role);
    let lists = rulebook.lists.iter().filter(|list| is_ours(list.of)).flat_map(|list| &list.file);
    scope.besides.extend(lists.map(ToString::to_string));
    let settings = rulebook.settings.iter().filter(|setting| is_ours(setting.of));
    scope.besides.extend(settings.map(|setting| setting.file.to_string()));
    let fragments = rulebook.fragments.iter().filter(|fragment| is_ours(fragment.of));
    scope.besides.extend(fragments.map(|fragment| fragment.into.to_string()));
    let worlds = rulebook.worlds.iter().flat_map(|world| world.places.of(role));
    scope.besides.extend(worlds.map(ToString::to_string));
    let roots = |place: &String| place == "." || place == "*" || place.is_empty();
    let folders = rulebook.shelves.iter().flat_map(|shelf| shelf.extras.iter().flat_map(|extra| extra.places.of(role)));
    scope.has_root = scope.mods.iter().any(roots) || folders.into_iter().any(InstallPath::is_root);
    scope
}

/// The shelf whose place a path lies in, if one does.
pub fn shelf_of<'r>(rulebook: &'r Rulebook, role: Role, path: &InstallPath) -> Option<(&'r Shelf, InstallPath)> {
    rulebook.shelves.iter().find_map(|shelf| {
        let literal = shelf.places(role).iter().find(|place| path.below(place).is_some()).cloned();
        let wild = || {
            let above = std::iter::successors(path.parent(), InstallPath::parent);
            above.into_iter().find(|folder| shelf.wild.of(role).iter().any(|place| place.fits(folder)))
        };
        literal.or_else(wild).map(|place| (shelf, place))
    })
}

/// Whether a file of this name on a shelf is a mod there, switched on or off.
pub fn is_mod_of(shelf: &Shelf, name: &str) -> bool {
    shelf.classify(name) != Named::NoMod
}

/// How programs, libraries and scripts are called.
const PROGRAM_NAMES: [&str; 35] = [
    "exe", "dll", "com", "scr", "msi", "sys", "cpl", "ocx", "drv", "bat", "cmd", "ps1", "psm1", "vbs", "vbe", "js",
    "jse", "wsf", "wsh", "hta", "lnk", "url", "reg", "jar", "so", "dylib", "sh", "command", "desktop", "service",
    "app", "py", "pl", "appimage", "run",
];
/// How what runs begins that is for no one system: a script, a compiled module.
const OTHER_HEADS: [&[u8]; 2] = [b"#!", b"\0asm"];
/// What stands behind an encoding's mark in a script all the same.
const MARK: &[u8] = b"\xef\xbb\xbf";

/// Whether a file is a program, a library or a script: by how it begins, or by its name.
pub fn is_program(name: &str, head: &[u8]) -> bool {
    let head = head.strip_prefix(MARK).unwrap_or(head);
    let plain = name.trim_end_matches(['.', ' ']);
    // A library may have a version behind its ending.
    let mut endings = plain.split('.').skip(1).map(str::to_lowercase);
    let is_named = match plain.rsplit_once('.') {
        Some((_, last)) if PROGRAM_NAMES.contains(&last.to_lowercase().as_str()) => true,
        _ => endings.any(|ending| ending == "so"),
    };
    is_named || System::of_program(head).is_some() || OTHER_HEADS.iter().any(|known| head.starts_with(known))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rulebook::parse;
    use rstest::rstest;

    #[rstest]
    #[case("harbour.exe", b"", true)]
    #[case("HARBOUR.EXE ", b"", true)]
    #[case("libtide.so.1.2", b"", true)]
    #[case("harbour", b"\x7fELF\x02", true)]
    #[case("sounds.pak", b"MZ\x90", true)]
    #[case("start", b"\xef\xbb\xbf#!/bin/sh", true)]
    #[case("tide.psm", b"PK\x03\x04", false)]
    #[case("tide.txt", b"so it goes", false)]
    #[case("so", b"plain", false)]
    fn programs_are_known_by_how_they_begin_and_by_their_names(
        #[case] name: &str,
        #[case] head: &[u8],
        #[case] is: bool,
    ) {
        assert_eq!(is_program(name, head), is);
    }

    #[rstest]
    #[case("in = \"mods\"", false)]
    #[case("in = { server = \".\", client = \"mods\" }", false)]
    #[case("in = \".\"", true)]
    #[case("in = { client = [\"mods\", \"*\"] }", true)]
    #[case("in = \"mods\"\n[[shelf.extra]]\nfrom = \"stock\"\nin = { client = \".\" }", true)]
    fn the_games_own_folder_is_told_from_others(#[case] lines: &str, #[case] has_root: bool) {
        let text = format!(
            "format = \"kanon-rulebook/1\"\ngame = \"Ebbmoor\"\n[[shelf]]\nname = \"a\"\nholds = \"folders\"\n{lines}\n[shelf.mod]\nid = {{ file-name = '^(?<id>.+)$' }}\n"
        );
        let text = if lines.contains("[[") {
            // What is the mod's own stands before what it brings.
            let (first, rest) = lines.split_once('\n').expect("two parts");
            format!(
                "format = \"kanon-rulebook/1\"\ngame = \"Ebbmoor\"\n[[shelf]]\nname = \"a\"\nholds = \"folders\"\n{first}\n[shelf.mod]\nid = {{ file-name = '^(?<id>.+)$' }}\n{rest}\n"
            )
        } else {
            text
        };
        let rulebook = parse("a.rulebook.toml", &text).expect("a rulebook").value;
        assert_eq!(scope(&rulebook, Role::Client).has_root, has_root, "{text}");
    }
}
