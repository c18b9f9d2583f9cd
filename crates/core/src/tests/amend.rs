use super::*;
use crate::canon::{Canon, SealedSetting};
use crate::config::Extras;
use crate::delta::CheckContext;
use crate::manifest::{MergedEntry, ModManifest};
use crate::rulebook::{self, Role, Rulebook};
use crate::survey::Survey;
use crate::survey::{DataEntry, InstallFacts, SurveyedData, SurveyedMod, SurveyedSetting};

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

fn rules() -> Rulebook {
    let text = "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"folders\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n\
        [[setting]]\nname = \"port\"\nfile = \"a.cfg\"\nat = \"$.port\"\n[[setting]]\nname = \"licence\"\nfile = \"a.cfg\"\nat = \"$.accept\"\nlicence = \"L.txt\"\n\
        [[fragment]]\nfrom = \"goods.xml\"\ninto = \"goods.xml\"\nbefore = \"</goods>\"\nidentity = \"name\"\n";
    rulebook::parse("rulebook", text).expect("a rulebook").value
}

fn survey() -> Survey {
    let install = InstallFacts::bare("hall", Role::Server);
    let setting = |name: &str, value: &str| SurveyedSetting {
        name: name.to_owned(),
        file: path("a.cfg"),
        value: Some(value.to_owned()),
        problem: None,
    };
    let edited = DataEntry { key: "good bell".to_owned(), blake3: Blake3::of(b"mine") };
    Survey {
        settings: vec![setting("port", "1"), setting("licence", "false")],
        data: vec![SurveyedData { file: path("goods.xml"), entries: vec![edited], problem: None }],
        ..Survey::empty(install)
    }
}

fn canon() -> Canon {
    let mut bells = SurveyedMod {
        manifest: ModManifest { id: "Bells".into(), ..ModManifest::default() },
        shelf: "s".into(),
        place: path("s"),
        enabled: true,
        path: path("s/bells"),
        name: "bells".to_owned(),
        digest: Blake3::of(b"bells"),
        files: Vec::new(),
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    };
    let entry =
        |key: &str| MergedEntry { into: path("goods.xml"), key: key.to_owned(), blake3: Blake3::of(key.as_bytes()) };
    bells.manifest.entries = vec![entry("good bell"), entry("good gong")];
    let mut canon = Canon::from_survey(&Survey { mods: vec![bells], ..survey() });
    let sealed = |name: &str, is: &str| SealedSetting { name: name.to_owned(), of: None, is: is.to_owned() };
    canon.settings = vec![sealed("port", "2"), sealed("licence", "true")];
    canon
}

fn told_of(reason: &Reason) -> String {
    match reason {
        Reason::Setting { setting, value } => format!("{setting}: {value}"),
        Reason::Entries { mods } => format!("entries of {}", FoldedId::joined(mods, ", ")),
        other => format!("{other:?}"),
    }
}

fn port_is_2() -> Reason {
    Reason::Setting { setting: "port".to_owned(), value: "2".to_owned() }
}

#[test]
fn all_of_one_file_is_one_amendment_and_licences_and_edits_wait_for_a_word() {
    let (canon, rulebook, survey) = (canon(), rules(), survey());
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let told = |said: &Consents| -> Vec<String> {
        let all = amendments(&TextDelta::compute(measure, &survey), said);
        let why = |one: &Amendment<'_>| one.changes.iter().map(|(why, _)| told_of(why)).collect::<Vec<_>>().join("; ");
        all.iter().map(|one| format!("{} ({}) needs {}", one.path, why(one), one.needs().len())).collect()
    };
    let plain = told(&Consents::default());
    assert_eq!(plain, ["a.cfg (port: 2) needs 0", "goods.xml (entries of Bells) needs 1"]);
    let all = told(&Consents { licences: vec!["licence".to_owned()], replace_edits: true });
    assert_eq!(all, ["a.cfg (port: 2; licence: true) needs 0", "goods.xml (entries of Bells) needs 2"]);
}

#[test]
fn an_amendment_is_made_on_the_files_own_bytes_as_far_as_it_can_be() {
    let (canon, rulebook, survey) = (canon(), rules(), survey());
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let all = amendments(&TextDelta::compute(measure, &survey), &Consents::default());
    let none = BTreeMap::new();
    let amended = all[0].apply(b"# x\r\nport = 1\r\naccept=false\r\n", &none);
    assert_eq!((amended.reasons.as_slice(), amended.left.len()), (&[port_is_2()][..], 0));
    assert_eq!(amended.bytes, b"# x\r\nport = 2\r\naccept=false\r\n");
    let goods = b"<goods>\n  <good name='bell'/>\n</goods>\n";
    let lacking = all[1].apply(goods, &none);
    assert_eq!(lacking.bytes, goods, "nothing of it can be made");
    assert_eq!(lacking.left[0].part, "good gong");
    assert!(lacking.left[0].why.to_string().contains("the entry good gong of Bells is nowhere"), "{lacking:?}");
    let (_, needed) = all[1].needs()[0];
    let texts = BTreeMap::from([(needed.clone(), "<good name=\"gong\"/>".to_owned())]);
    let amended = all[1].apply(goods, &texts);
    assert_eq!(amended.bytes, b"<goods>\n  <good name='bell'/>\n  <good name=\"gong\"/>\n</goods>\n");
    let torn = all[1].apply(b"<goods>", &texts);
    assert_eq!((torn.bytes.as_slice(), torn.left.len()), (b"<goods>".as_slice(), 1));
}

/// Of two changes of one file, the one that is possible is made.
#[test]
fn what_is_impossible_keeps_nothing_else_from_being_changed() {
    let (canon, rulebook, survey) = (canon(), rules(), survey());
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let all = amendments(
        &TextDelta::compute(measure, &survey),
        &Consents { licences: vec!["licence".to_owned()], replace_edits: false },
    );
    // The licence is no single value here.
    let amended = all[0].apply(b"accept = a\nport = 1\naccept = b\n", &BTreeMap::new());
    assert_eq!(amended.bytes, b"accept = a\nport = 2\naccept = b\n");
    assert_eq!((amended.reasons.as_slice(), amended.left[0].part.as_str()), (&[port_is_2()][..], "licence"));
    assert_eq!(all[0].tried(b"accept = a\nport = 1\naccept = b\n"), amended.left);
}
