//! What comes from strangers and is only read: reading ends, whatever was read is within its bounds, and writing it again loses nothing.

use std::cmp::Ordering;
use std::io::Cursor;

use kanon_core::base::digest::Blake3;
use kanon_core::base::path::InstallPath;
use kanon_core::base::version::{Bare, Ranges, Scheme, Versions};
use kanon_core::canon::Canon;
use kanon_core::canon::release::scope::scope;
use kanon_core::canon::release::{Invite, Recipe, Release, carried, followed_wishes, length_alone, wishes_of_player};
use kanon_core::config::{self, Edit, ModWish};
use kanon_core::learn::voice::{Evening, Transcript, voice};
use kanon_core::learn::{Answers, InstallView, Seen, draft};
use kanon_core::logs::masking::Mask;
use kanon_core::logs::{LogReader, LogTime, Source};
use kanon_core::manifest::signature::{PublicKey, Verifier};
use kanon_core::manifest::{Archive, Contents, Named, NoContents, explain_mod, read_mod};
use kanon_core::resolve::catalogue::Catalogue;
use kanon_core::rulebook::{self, KeyScheme, Role, Rulebook};
use kanon_core::survey::Survey;

/// Text that a parser complains about has its complaints within the text.
fn told(error: &dyn std::error::Error) {
    assert!(error.to_string().len() < 1 << 20, "a complaint without end");
}

/// A rulebook, and what it would govern.
pub fn rulebook(text: &str) {
    match rulebook::parse("book.toml", text) {
        Ok(read) => {
            for role in [Role::Server, Role::Client] {
                let scope = scope(&read.value, role);
                let all = scope.mods.iter().chain(&scope.besides);
                all.for_each(|place| assert!(!place.contains("..") && !place.starts_with('/'), "{place}"));
            }
        }
        Err(error) => told(&error),
    }
}

/// A `kanon.toml`: an edit says what was meant, twice says no more, and other mods stay.
pub fn config(text: &str) {
    let Ok(read) = config::parse("kanon.toml", text) else { return };
    let wish = ModWish { id: "newly-wished".into(), version: Some("1.2".to_owned()), ..ModWish::default() };
    let put = [wish];
    let edit = Edit { put: &put, ..Edit::default() };
    let Ok(once) = config::edit(text, &edit) else { return };
    let again = config::edit(&once.text, &edit).expect("what was written is edited");
    assert_eq!(again.text, once.text, "a second time");
    let now = config::parse("kanon.toml", &once.text).unwrap_or_else(|error| panic!("{text:?} {}: {error}", once.text)).value;
    assert!(now.mods.iter().any(|wish| wish.id.as_str() == "newly-wished"), "{}", once.text);
    let others = |mods: &[ModWish]| {
        let mut others: Vec<ModWish> = mods.iter().filter(|wish| wish.id.as_str() != "newly-wished").cloned().collect();
        others.iter_mut().for_each(|wish| wish.span = 0..0);
        others.sort_by(|a, b| a.id.cmp(&b.id));
        others
    };
    assert_eq!(others(&now.mods), others(&read.value.mods), "{text:?}");
}

/// A canon, as it was sealed: written again it is the same.
pub fn canon(bytes: &[u8]) {
    let Ok(canon) = Canon::from_json(bytes) else { return };
    let json = canon.to_json().expect("written");
    assert_eq!(Canon::from_json(json.as_bytes()).expect("read again"), canon);
}

/// A survey that somebody sent: it is held against a canon without an end.
pub fn survey(bytes: &[u8]) {
    let Ok(survey) = Survey::from_json(bytes) else { return };
    let canon = Canon::from_survey(&survey);
    let json = canon.to_json().expect("written");
    let _ = Canon::from_json(json.as_bytes());
}

/// A catalogue of somebody's.
pub fn catalogue(bytes: &[u8]) {
    let Ok(catalogue) = Catalogue::from_json(bytes, "Polarspur") else { return };
    let json = catalogue.to_json().expect("written");
    assert!(Catalogue::from_json(json.as_bytes(), "Polarspur").is_ok(), "{json}");
}

/// An invite, typed or carried by a program.
pub fn invite(bytes: &[u8]) {
    if let Some(invite) = carried(bytes) {
        assert_eq!(Invite::parse(&invite.to_string()).as_ref().ok(), Some(&invite));
    }
    let length = bytes.len() as u64;
    assert!(length_alone(bytes, length) <= length);
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    if let Ok(invite) = Invite::parse(text) {
        assert_eq!(Invite::parse(&invite.to_string()).as_ref().ok(), Some(&invite), "{text:?}");
    }
}

/// A recipe of a large file: what it says to fetch is in bounds.
pub fn recipe(bytes: &[u8]) {
    let Some((size, json)) = bytes.split_first_chunk::<8>() else { return };
    let size = u64::from_le_bytes(*size) % (1 << 40);
    let Ok(recipe) = Recipe::from_json(json, size) else { return };
    let wanted: Vec<usize> = (0..recipe.pieces.len()).collect();
    for stretch in recipe.stretches(&wanted) {
        assert!(stretch.bytes.start <= stretch.bytes.end);
    }
    assert_eq!(recipe.begins().len(), recipe.pieces.len());
}

/// What a release says of itself, and the wishes that go with it.
pub fn release(bytes: &[u8]) {
    let _ = Release::from_json(bytes);
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    if let Ok(wishes) = wishes_of_player(text, "mara", "../..") {
        let read = followed_wishes(&wishes, "../..").expect("what was made for players is read as that");
        assert!(read.installs.len() == 1 && read.sources.is_empty(), "{wishes}");
    }
}

const LOGS: &str = r#"format = "kanon-rulebook/1"
game = "g"
[[shelf]]
name = "s"
holds = "files"
in = "s"
mod = { id = { file-name = '^(?<id>[a-z]+)' } }
[[event]]
means = "version-other"
line = 'wants (?<mod>\S+) (?<expected>\S+), has (?<found>\S+)'
[[event]]
means = "mod-missing"
line = 'lacks (?<mod>.+)'
between = ", "
[[event]]
means = "join-tried"
line = '(?<player>\w+) at the door'
[[event]]
means = "join-refused"
line = '(?<player>\w+) turned away'
"#;

fn logs() -> &'static Rulebook {
    static BOOK: std::sync::LazyLock<Rulebook> =
        std::sync::LazyLock::new(|| rulebook::parse("logs", LOGS).expect("a rulebook").value);
    &BOOK
}

/// A log that patterns know: each event is of a line that is there, and times are times.
pub fn log(bytes: &[u8]) {
    let mut reader = LogReader::new(&logs().events, Role::Server, Source::ServerLog);
    let mut lines = 0;
    for (number, line) in (1..).zip(bytes.split(|byte| *byte == b'\n')) {
        reader.line(number, line);
        lines = number;
        if let Ok(text) = std::str::from_utf8(line)
            && let Some(time) = LogTime::of(text)
        {
            assert_eq!(time.seconds_since(time), 0.0, "{text:?}");
        }
    }
    for event in reader.finish() {
        assert!((1..=lines).contains(&event.line), "{event:?}");
    }
}

/// A log that nobody described.
pub fn unknown_log(text: &str) {
    let survey = fleet();
    let players = ["Mara".to_owned()];
    let evening = Evening { rulebook: logs(), server: Some(survey), client: None, canon: None, players: &players };
    let (first, second) = text.split_at(text.floor_char_boundary(text.len() / 2));
    let logs = [
        Transcript { side: Role::Server, head: "", text: first },
        Transcript { side: Role::Client, head: "", text: second },
    ];
    let Ok(learned) = voice(evening, &logs) else { return };
    for event in &learned.events {
        assert!((0.0..=1.0).contains(&event.confidence), "{event:?}");
    }
}

fn fleet() -> &'static Survey {
    static FLEET: std::sync::LazyLock<Survey> = std::sync::LazyLock::new(|| {
        let of = |id: &str, version: &str| {
            format!(
                r#"{{"id":"{id}","version":"{version}","title":null,"needed_on":"both","relations":[],"provides":[],"shelf":"s","place":"s","enabled":true,"path":"s/{id}","name":"{id}","digest":"{}","files":[]}}"#,
                Blake3::of(id.as_bytes())
            )
        };
        let mods = ["kelp", "fog-bank", "tide"].map(|id| of(id, "1.0.2")).join(",");
        let json = format!(
            r#"{{"format":"kanon-survey/1","install":{{"name":"hall","role":"server","game":"g","game_version":null,"loader_version":null}},"rulebook":"{}","mods":[{mods}],"strays":[],"unreadable":[]}}"#,
            Blake3::of(b"")
        );
        Survey::from_json(json.as_bytes()).unwrap_or_else(|error| panic!("{error}: {json}"))
    });
    &FLEET
}

/// Versions are in one order, whichever way they are asked, and requirements agree with it.
pub fn versions(text: &str) {
    let words: Vec<&str> = text.splitn(3, '\n').collect();
    let [a, b, c] = *words.as_slice() else { return };
    for scheme in [Scheme::SemVer, Scheme::Dotted, Scheme::Date, Scheme::Opaque] {
        let (ab, ba) = (scheme.compare(a, b), scheme.compare(b, a));
        assert_eq!(ab.map(Ordering::reverse), ba, "{scheme:?} {a:?} {b:?}");
        if let (Some(ab), Some(bc), Some(ac)) = (ab, scheme.compare(b, c), scheme.compare(a, c)) {
            if ab != Ordering::Greater && bc != Ordering::Greater {
                assert_ne!(ac, Ordering::Greater, "{scheme:?} {a:?} {b:?} {c:?}");
            }
            if ab == Ordering::Equal {
                assert_eq!(ac, bc, "{scheme:?} {a:?} {b:?} {c:?}");
            }
        }
        if let Some(version) = scheme.parse(a) {
            assert_eq!(version.compare(&version), Some(Ordering::Equal), "{scheme:?} {a:?}");
            for bare in [Bare::Exact, Bare::AtLeast, Bare::Compatible] {
                let versions = Versions { scheme, ranges: Ranges::Comparators, bare };
                let is_plain = |text: &str| {
                    !text.is_empty() && text.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '.' | '-'))
                };
                if is_plain(a) && is_plain(b) && scheme.parse(b).is_some() {
                    for (sign, holds) in [(">=", ab.map(Ordering::is_ge)), ("<=", ab.map(Ordering::is_le))] {
                        // An upper bound that is a release shuts out its own pre-releases.
                        let of_release = scheme.parse(b).is_some_and(|bound| !bound.is_prerelease());
                        if holds.is_some()
                            && let Some(meets) = versions.meets(a, &format!("{sign}{b}"))
                            && (sign == ">=" || !(of_release && version.is_prerelease()))
                        {
                            assert_eq!(Some(meets), holds, "{versions:?} {a:?} {sign}{b:?}");
                        }
                    }
                }
            }
        }
        for ranges in [Ranges::Comparators, Ranges::Intervals, Ranges::Exact] {
            let _ = Versions { scheme, ranges, bare: Bare::Compatible }.meets(a, b);
        }
    }
}

/// Keys and signatures: nothing that was not signed fits.
pub fn signature(bytes: &[u8]) {
    let Some((at, rest)) = bytes.split_first() else { return };
    let (key, signature) = rest.split_at(rest.len().min(usize::from(*at) * 4));
    for scheme in [KeyScheme::Ed25519, KeyScheme::RsaSha256, KeyScheme::RsaSha1] {
        let Ok(key) = PublicKey::read(key, scheme) else { continue };
        if let Ok(mut verifier) = Verifier::new(&key, scheme, signature) {
            verifier.update(b"what nobody can have signed without the key");
            let _ = verifier.fits();
        }
    }
}

const MODS: &str = r#"format = "kanon-rulebook/1"
game = "g"
[versions]
scheme = "dotted"
[[shelf]]
name = "s"
holds = "archives"
in = "s"
[shelf.mod]
document = [{ member = "a.json" }, { member = "a.toml" }, { member = "a.ini" }, { member = "a.xml" }, { member = "a.yaml" }, { member = "*.info/CARD", notation = "headers" }, { member = "." , notation = "json" }]
id = ["$.id", "$.card['@id']", { member = "id.txt", text = 'id (?<id>\S+)' }, { file-name = '^(?<id>[a-z]+)' }]
version = ["$.version", "$.about.version"]
title = "$.title"
required = { each = "$.needs[*]", id = "$.id", range = "$.at" }
optional = { each = "$.likes", form = "id-to-range" }
conflicting = { each = "$.hates[*]", form = "ids" }
provides = "$.also[*]"
nested = { match = ["*.zip"], depth = 2 }
"#;

fn mods() -> Option<&'static Rulebook> {
    static BOOK: std::sync::LazyLock<Option<Rulebook>> =
        std::sync::LazyLock::new(|| match rulebook::parse("mods", MODS) {
            Ok(read) => Some(read.value),
            Err(error) => panic!("{error}"),
        });
    BOOK.as_ref()
}

/// An archive: its directory is harmless, its members are within bounds, and what it says of itself is read.
pub fn archive(bytes: &[u8]) {
    let Ok(mut archive) = Archive::open(Cursor::new(bytes), bytes.len() as u64) else { return };
    for member in archive.members().to_vec() {
        assert!(!member.path.starts_with('/') && !member.path.split('/').any(|part| part == ".."), "{}", member.path);
        if let Ok(Some(read)) = archive.read_up_to(&member.path, 1 << 16) {
            assert!(read.len() <= 1 << 16);
        }
    }
    let Some(book) = mods() else { return };
    let named = Named { name: "kelp-1.0.zip", digest: Blake3::of(bytes), told: None };
    let read = read_mod(book, &book.shelves[0], named, &mut archive);
    let (explained, _) = explain_mod(book, &book.shelves[0], named, &mut archive);
    assert_eq!(read.map_err(|_| ()), explained.map_err(|_| ()), "the two ways of reading agree");
}

/// One document of a mod.
pub fn manifest(bytes: &[u8]) {
    struct One<'b>(&'b [u8], Vec<kanon_core::manifest::Member>);
    impl Contents for One<'_> {
        fn members(&self) -> &[kanon_core::manifest::Member] {
            &self.1
        }
        fn read_up_to(
            &mut self,
            member: &str,
            _: u64,
        ) -> Result<Option<Vec<u8>>, kanon_core::manifest::ContentsError> {
            let ending = ["a.json", "a.toml", "a.ini", "a.xml", "a.yaml", "x.info/CARD", "id.txt"];
            let (kind, text) = self.0.split_first().unwrap_or((&0, &[]));
            let own = ending[usize::from(*kind) % ending.len()];
            Ok((member == own).then(|| text.to_vec()))
        }
    }
    let Some(book) = mods() else { return };
    let named = Named { name: "kelp-1.0.zip", digest: Blake3::of(bytes), told: None };
    let _ = read_mod(book, &book.shelves[0], named, &mut One(bytes, Vec::new()));
    let _ = read_mod(book, &book.shelves[0], named, &mut NoContents);
}

/// An install of files that bytes make up.
struct Made {
    role: Role,
    files: Vec<Seen>,
    bytes: Vec<(InstallPath, Vec<u8>)>,
}

impl Made {
    fn new(role: Role, bytes: &[u8]) -> Self {
        let mut made = Self { role, files: Vec::new(), bytes: Vec::new() };
        for part in bytes.split(|byte| *byte == 0).take(60) {
            let cut = part.iter().position(|byte| *byte == b'\n').unwrap_or(part.len());
            let (path, text) = (&part[..cut], part.get(cut + 1..).unwrap_or_default());
            let Some(path) = std::str::from_utf8(path).ok().and_then(|path| InstallPath::new(path).ok()) else { continue };
            if made.bytes.iter().all(|(known, _)| *known != path) {
                made.files.push(Seen { path: path.clone(), size: text.len() as u64 });
                made.bytes.push((path, text.to_vec()));
            }
        }
        made.files.sort_by(|a, b| a.path.cmp(&b.path));
        made
    }
}

impl InstallView for Made {
    fn role(&self) -> Role {
        self.role
    }

    fn files(&self) -> &[Seen] {
        &self.files
    }

    fn start(&self, path: &InstallPath, limit: u64) -> Option<Vec<u8>> {
        let (_, bytes) = self.bytes.iter().find(|(known, _)| known == path)?;
        Some(bytes[..bytes.len().min(usize::try_from(limit).unwrap_or(usize::MAX))].to_vec())
    }

    fn archive(&self, path: &InstallPath) -> Option<Box<dyn Contents + '_>> {
        let (_, bytes) = self.bytes.iter().find(|(known, _)| known == path)?;
        Some(Box::new(Archive::open(Cursor::new(bytes.clone()), bytes.len() as u64).ok()?))
    }
}

/// Learning over any install: a draft comes of it, and it is a rulebook or says what is to be filled in.
pub fn learning(bytes: &[u8]) {
    let server = Made::new(Role::Server, bytes);
    let drafted = draft("hall", &[&server], &Answers::default());
    let read = rulebook::parse("draft", &drafted.rulebook);
    let is_form = drafted.rulebook.contains("# FILL IN");
    assert!(read.is_ok() || is_form, "{}\n{}", drafted.rulebook, read.err().map(|error| error.to_string()).unwrap_or_default());
}

/// Lines of evidence: what is nobody's business is hidden whatever stands above and below it.
pub fn masking(text: &str) {
    let mut mask = Mask::keeping(["1.2.3.4"].into_iter());
    let (above, below) = text.split_at(text.floor_char_boundary(text.len() / 2));
    let planted = format!(
        "{above}\nfrom 81.2.69.142:50112 by ines@longnight.example\ntoken=9f8e7d6c5b\naccount 12345678901234567\n/home/ines/x\n{below}"
    );
    let hidden: Vec<String> = planted.split('\n').map(|line| mask.text(line)).collect();
    let hidden = hidden.join("\n");
    assert!(hidden.len() <= planted.len() * 24 + 64, "it swells: {text:?}");
    let others = [above, below].concat();
    for secret in ["81.2.69.142", "ines@longnight", "9f8e7d6c5b", "12345678901234567", "/home/ines"] {
        assert!(!hidden.contains(secret) || others.contains(secret), "{secret} is in {hidden:?}");
    }
}
