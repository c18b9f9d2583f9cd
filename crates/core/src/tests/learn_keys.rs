//! Key rings and signatures, told from what lies where.

use super::super::memory::Memory;
use super::*;
use crate::base::digest::DigestKind;
use crate::rulebook::Role;
use rstest::rstest;

/// The mods in `mods`, a folder each.
fn units(server: &Memory) -> Vec<Unit> {
    let mut names: Vec<&str> =
        server.files().iter().filter_map(|seen| seen.path.as_str().strip_prefix("mods/")?.split('/').next()).collect();
    names.dedup();
    let unit = |name: &str| {
        let folder = format!("mods/{name}");
        let inner =
            |seen: &Seen| Some((seen.path.as_str().strip_prefix(&folder)?.strip_prefix('/')?.to_owned(), seen.size));
        Unit {
            role: Role::Server,
            path: crate::base::path::InstallPath::new(&folder).expect("a path"),
            name: name.to_owned(),
            is_folder: true,
            off: false,
            size: 0,
            inner: server.files().iter().filter_map(inner).collect(),
            documents: BTreeMap::new(),
            texts: BTreeMap::new(),
        }
    };
    names.into_iter().map(unit).collect()
}

fn inside(units: &[Unit]) -> HashSet<String> {
    units.iter().map(|unit| unit.path.to_string()).collect()
}

#[test]
fn the_folder_whose_files_mods_bring_is_the_ring() {
    let server = Memory::server(&[
        ("mods/a/keys/wright.pub", b"key of wright"),
        ("mods/b/keys/wright.pub", b"key of wright"),
        ("mods/c/keys/gull.pub", b"key of gull"),
        ("mods/c/readme.txt", b"same text"),
        ("licences/readme.txt", b"same text"),
        ("ring/wright.pub", b"key of wright"),
        ("ring/gull.pub", b"key of gull"),
        ("ring/harbour.pub", b"key of the game"),
    ]);
    let units = units(&server);
    let ring = ring(&server, &units, &inside(&units)).expect("a ring");
    assert_eq!((ring.place.as_str(), ring.key.as_str()), ("ring", "keys/{key}.pub"));
    assert_eq!((ring.own, ring.names.len()), (vec!["harbour.pub".to_owned()], 3));
}

#[test]
fn the_same_text_in_a_mod_and_in_a_folder_is_no_key() {
    let server =
        Memory::server(&[("mods/a/licence.txt", b"do as you like"), ("licences/licence.txt", b"do as you like")]);
    let units = units(&server);
    assert_eq!(ring(&server, &units, &inside(&units)), None);
}

#[test]
fn a_folder_with_many_files_of_its_own_is_no_ring() {
    let mut files: Vec<(String, Vec<u8>)> =
        (0..9).map(|n| (format!("data/{n}.bin"), format!("data {n}").into_bytes())).collect();
    files.push(("mods/a/x.bin".to_owned(), b"data 3".to_vec()));
    let files: Vec<(&str, &[u8])> = files.iter().map(|(path, bytes)| (path.as_str(), bytes.as_slice())).collect();
    let server = Memory::server(&files);
    let units = units(&server);
    assert_eq!(ring(&server, &units, &inside(&units)), None);
}

/// A mod with one payload, and a signature of a size beside it.
fn with_signature(name: &str, size: usize) -> Memory {
    let signature = vec![7; size];
    let second = name.replacen("a.hold", "b.hold", 1);
    Memory::server(&[
        ("mods/a/stock/a.hold", b"payload"),
        (&format!("mods/a/stock/{name}"), &signature),
        ("mods/b/stock/b.hold", b"payload"),
        (&format!("mods/b/stock/{second}"), &signature),
    ])
}

#[rstest]
#[case("a.hold.wright.mark", 64, "{payload}.{key}.mark", "ed25519", true)]
#[case("a.hold.sig", 256, "{payload}.sig", "rsa-sha256", false)]
#[case("a.hold.sig", 100, "{payload}.sig", "by-name", false)]
fn what_lies_beside_a_payload_is_its_signature(
    #[case] name: &str,
    #[case] size: usize,
    #[case] template: &str,
    #[case] scheme: &str,
    #[case] is_sure: bool,
) {
    let server = with_signature(name, size);
    let units = units(&server);
    let found = signed(&units, &beside(&server, &units), &["wright".to_owned()]).expect("signatures");
    assert_eq!((found.payload.as_str(), found.signature.as_str()), ("stock/*.hold", template));
    assert_eq!((found.scheme, found.is_sure), (scheme, is_sure));
}

#[rstest]
#[case("a.hold.off", 64)]
#[case("a.hold.bak", 64)]
#[case("a.hold.json", 64)]
#[case("a.hold.sig", 0)]
#[case("a.hold.sig", 20_000)]
#[case("aa.hold.sig", 64)]
fn what_is_put_behind_a_name_for_other_reasons_is_none(#[case] name: &str, #[case] size: usize) {
    let server = with_signature(name, size);
    let units = units(&server);
    assert_eq!(signed(&units, &beside(&server, &units), &[]), None);
}

#[test]
fn one_unsigned_mod_among_signed_ones_does_not_hide_them() {
    let mark = [7; 64];
    let server = Memory::server(&[
        ("mods/a/x.hold", b"1"),
        ("mods/a/x.hold.k.mark", &mark),
        ("mods/b/x.hold", b"2"),
        ("mods/b/x.hold.k.mark", &mark),
        ("mods/c/x.hold", b"3"),
    ]);
    let units = units(&server);
    let found = signed(&units, &beside(&server, &units), &[]).expect("signatures");
    assert!(found.clues[0].to_string().contains("2 of 3"), "{:?}", found.clues);
}

#[test]
fn the_digest_of_a_key_does_not_depend_on_how_it_is_read() {
    let server = Memory::server(&[("ring/a.pub", b"key")]);
    let expected = DigestKind::Blake3.of_bytes(b"key");
    assert_eq!(digest(&server, &server.files()[0]).map(|digest| digest.to_string()), Some(expected));
}
