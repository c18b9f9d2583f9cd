//! Invites as they come out of chats, recipes from anybody, and what players get to see.

use proptest::prelude::*;
use rstest::rstest;

use super::*;
use crate::base::limits;
use crate::canon::{SealedList, SealedSetting};
use crate::config;
use crate::survey::{InstallFacts, Survey};

fn digest(text: &str) -> Blake3 {
    Blake3::of(text.as_bytes())
}

fn invite() -> Invite {
    Invite { address: "https://mods.example/longnight/".to_owned(), root: 3, fingerprint: digest("root") }
}

#[rstest]
#[case::as_it_is("{}")]
#[case::in_angles("<{}>")]
#[case::in_quotes("  \"{}\".\n")]
#[case::in_brackets("({}),")]
#[case::as_code("`{}`")]
fn invites_come_out_of_chats(#[case] chat: &str) {
    assert_eq!(Invite::parse(&chat.replace("{}", &invite().to_string())), Ok(invite()));
}

#[rstest]
#[case("https://mods.example/longnight", "https://mods.example/longnight/")]
#[case("https://mods.example/longnight/", "https://mods.example/longnight/")]
#[case("s3://mods/longnight", "s3://mods/longnight")]
#[case("/srv/longnight ", "/srv/longnight")]
fn a_browser_comes_to_the_page(#[case] address: &str, #[case] expected: &str) {
    assert_eq!(Invite::new(address, 1, digest("root")).address, expected);
}

#[test]
fn an_invite_that_a_mail_broke_is_whole_again() {
    let text = invite().to_string();
    for at in [12, text.len() - 70, text.len() - 3] {
        let (front, back) = text.split_at(at);
        assert_eq!(Invite::parse(&format!("{front}\r\n  {back}")), Ok(invite()), "broken at {at}");
    }
    let folder = Invite { address: r"C:\our mods\longnight".to_owned(), ..invite() };
    assert_eq!(Invite::parse(&folder.to_string()), Ok(folder));
}

#[rstest]
#[case::no_mark("https://mods.example/longnight/", "is no invite")]
#[case::no_address("#kanon-1-", "not as it was written")]
#[case::empty("", "is no invite")]
#[case::no_root("https://m.example/#kanon-abc", "not as it was written")]
#[case::root_of_none("https://m.example/#kanon-0-00", "not as it was written")]
#[case::cut("https://m.example/#kanon-1-00ff", "4 of 64")]
#[case::strange("https://m.example/#kanon-1-00zz11", "not as it was written")]
fn what_is_no_invite_is_told_apart(#[case] text: &str, #[case] expected: &str) {
    let told = Invite::parse(text).expect_err("no invite").to_string();
    assert!(told.contains(expected), "{told}");
}

proptest! {
    #[test]
    fn any_text_is_taken_calmly(text in ".{0,80}(#kanon-)?[0-9a-f-]{0,90}") {
        if let Ok(invite) = Invite::parse(&text) {
            prop_assert_eq!(Invite::parse(&invite.to_string()), Ok(invite));
        }
    }

    #[test]
    fn any_recipe_is_taken_calmly(bytes in proptest::collection::vec(any::<u8>(), 0..200), size in any::<u64>()) {
        prop_assert!(Recipe::from_json(&bytes, size).is_err());
    }
}

fn in_file(name: &str) -> Piece {
    Piece { digest: PieceDigest::of(name.as_bytes()), size: 100, packed: None }
}

fn packed(pack: u32, at: u64, stored: u32) -> Option<Packed> {
    Some(Packed { pack, at, stored })
}

fn piece(name: &str, pack: u32, at: u64) -> Piece {
    Piece { packed: packed(pack, at, 60), ..in_file(name) }
}

/// Of two packs; `c` is used twice.
fn recipe() -> Recipe {
    Recipe {
        format: RECIPE_FORMAT.to_owned(),
        average: 16 << 10,
        packs: vec![digest("old"), digest("new")],
        pieces: vec![
            piece("a", 0, 0),
            piece("b", 1, 0),
            piece("c", 1, 60),
            piece("c", 1, 60),
            piece("d", 0, 60),
            piece("e", 0, 500),
        ],
    }
}

#[test]
fn pieces_that_lie_side_by_side_are_fetched_at_once() {
    let recipe = recipe();
    let stretch =
        |pack: &str, bytes, pieces: &[usize]| Stretch { pack: Some(digest(pack)), bytes, pieces: pieces.to_vec() };
    assert_eq!(
        recipe.stretches(&[5, 3, 0, 1, 2, 4]),
        [stretch("old", 0..120, &[0, 4]), stretch("old", 500..560, &[5]), stretch("new", 0..120, &[1, 3])]
    );
    assert_eq!(recipe.begins(), [0, 100, 200, 300, 400, 500]);
    assert_eq!(recipe.alike()[&PieceDigest::of(b"c")], [2, 3]);
}

/// `b` is used twice; of the four that are wanted, the first two lie side by side.
#[test]
fn pieces_that_are_in_no_pack_are_fetched_from_the_file() {
    let pieces = ["a", "b", "c", "b", "d", "e"].map(in_file).to_vec();
    let recipe = Recipe { packs: Vec::new(), pieces, ..recipe() };
    let stretch = |bytes, pieces: &[usize]| Stretch { pack: None, bytes, pieces: pieces.to_vec() };
    assert_eq!(recipe.stretches(&[0, 1, 3, 5]), [stretch(0..200, &[0, 1]), stretch(500..600, &[5])]);
    let written = serde_json::to_string(&recipe).expect("JSON");
    assert!(written.contains(&format!("[\"{:?}\",100]", recipe.pieces[0].digest)), "{written}");
    assert_eq!(Recipe::from_json(written.as_bytes(), 600), Ok(recipe));
}

#[test]
fn a_recipe_of_before_is_read() {
    let json = format!(
        r#"{{"format": "kanon-recipe/1", "average": 16384, "packs": ["{}"], "pieces": [["{}", 100, 0, 20, 60]]}}"#,
        digest("pack"),
        digest("a")
    );
    let read = Recipe::from_json(json.as_bytes(), 100).expect("a recipe");
    assert_eq!(read.pieces, [Piece { packed: packed(0, 20, 60), ..in_file("a") }]);
    assert_eq!(
        Recipe::from_json(json.replace("recipe/1", "recipe/3").as_bytes(), 100),
        Err(RecipeError::Format("kanon-recipe/3".to_owned()))
    );
}

#[test]
fn no_stretch_is_endless() {
    let stored = 60 << 10;
    let pieces = (0..200)
        .map(|index| Piece { packed: packed(0, u64::from(stored) * index, stored), ..in_file(&index.to_string()) });
    let recipe = Recipe { pieces: pieces.collect(), ..recipe() };
    let stretches = recipe.stretches(&(0..200).collect::<Vec<_>>());
    assert!(stretches.iter().all(|stretch| stretch.bytes.end - stretch.bytes.start <= limits::STRETCH_BYTES));
    assert_eq!(stretches.iter().map(|stretch| stretch.pieces.len()).sum::<usize>(), 200);
}

#[rstest]
#[case::good(|_: &mut Recipe| (), Ok(()))]
#[case::another_format(|r: &mut Recipe| r.format = "kanon-recipe/9".to_owned(), Err("of the format kanon-recipe/9"))]
#[case::too_little(|r: &mut Recipe| r.pieces.truncate(5), Err("make 500 bytes, and the file has 600"))]
#[case::no_such_pack(|r: &mut Recipe| r.pieces[1].packed = packed(2, 0, 60), Err("piece 1"))]
#[case::endless(|r: &mut Recipe| r.pieces[2].packed = packed(1, 60, u32::MAX), Err("piece 2"))]
#[case::empty(|r: &mut Recipe| r.pieces[0].size = 0, Err("piece 0"))]
#[case::too_large(|r: &mut Recipe| r.pieces[0].size = 100 << 10, Err("piece 0"))]
#[case::beyond_all(|r: &mut Recipe| r.pieces[4].packed = packed(0, u64::MAX, 60), Err("piece 4"))]
#[case::cut_strangely(|r: &mut Recipe| r.average = 1, Err("pieces of 1 bytes"))]
fn recipes_are_not_trusted(#[case] change: fn(&mut Recipe), #[case] expected: Result<(), &str>) {
    let mut changed = recipe();
    change(&mut changed);
    let bytes = serde_json::to_vec(&changed).expect("JSON");
    match (Recipe::from_json(&bytes, 600), expected) {
        (Ok(read), Ok(())) => assert_eq!(read, changed),
        (Err(error), Err(part)) => assert!(error.to_string().contains(part), "{error}"),
        (read, _) => panic!("{read:?}"),
    }
}

#[rstest]
#[case((1 << 20) + 1, None, 16 << 10)]
#[case(256 << 20, None, 16 << 10)]
#[case(1 << 30, None, 32 << 10)]
#[case(100 << 30, None, 4 << 20)]
#[case(u64::MAX, None, 4 << 20)]
#[case::it_grew_a_little(300 << 20, Some(16 << 10), 16 << 10)]
#[case::it_shrank(255 << 20, Some(64 << 10), 64 << 10)]
#[case::it_is_another_file_altogether(8 << 30, Some(16 << 10), 256 << 10)]
fn larger_files_are_cut_into_larger_pieces(#[case] size: u64, #[case] earlier: Option<u32>, #[case] expected: u32) {
    assert_eq!(average_piece(size, earlier), expected);
    assert!(is_cut(size) && !is_cut(1 << 20));
}

const WISHES_TEXT: &str = r#"
format = "kanon/1" # ours
name = "Longnight"
rulebook = "polarspur.rulebook.toml"
game-version = "3.2"

[policy]
client-extras = "forbid" # they cheat

[facts]
door = "tell-nobody"
port = "7100"

[install.station]
role = "server"
at = "sftp://ines@host.example/game"
stop = ["systemctl", "stop", "station"]

[source.shop]
at = "downloads"

[[setting]]
name = "door word"
of = "server"
file = "station.toml"
at = "$.door"
is = "{door}"

[[setting]]
name = "station port" # the one that the hoster gave us
file = "net.toml"
at = "$.port"
is = "{port}"

[[mod]]
id = "aurora-core"
"#;

fn canon() -> Canon {
    let survey = Survey::empty(InstallFacts::bare("station", Role::Server));
    let setting = |name: &str, of, is: &str| SealedSetting { name: name.to_owned(), of, is: is.to_owned() };
    let list = |of| SealedList { name: "line".to_owned(), of, entries: vec!["#aurora".to_owned()] };
    Canon {
        game_version: Some("3.2".to_owned()),
        wishes: Some(digest("wishes")),
        memory: Some(4 << 30),
        settings: vec![setting("door word", Some(Role::Server), "tell-nobody"), setting("station port", None, "7100")],
        lists: vec![list(Role::Server), list(Role::Client)],
        ..Canon::from_survey(&survey)
    }
}

#[test]
fn what_is_the_servers_alone_stays_with_the_administrator() {
    let players = for_players(&canon());
    assert_eq!(players.settings.iter().map(|setting| setting.name.as_str()).collect::<Vec<_>>(), ["station port"]);
    assert_eq!(players.lists.iter().map(|list| list.of).collect::<Vec<_>>(), [Role::Client]);
    assert_eq!((players.memory, players.wishes), (None, None));
    let wishes = config::parse("kanon.toml", WISHES_TEXT).expect("wishes").value;
    let text = wishes_for_players(WISHES_TEXT, &wishes, &players).expect("written");
    for secret in ["tell-nobody", "ines", "systemctl", "downloads", "hoster", "cheat", "facts", "station.toml"] {
        assert!(!text.contains(secret), "{secret} is in\n{text}");
    }
    let read = config::parse("kanon.toml", &text).expect("still wishes").value;
    assert_eq!((read.extras, read.rulebook.as_str()), (config::Extras::Forbid, RULEBOOK));
    assert_eq!(read.settings.iter().map(|wish| wish.is.as_str()).collect::<Vec<_>>(), ["7100"]);
}

#[test]
fn what_a_players_setting_quotes_goes_along() {
    let setting = |name: &str, of, is: &str| SealedSetting { name: name.to_owned(), of, is: is.to_owned() };
    let server = Some(Role::Server);
    let settings = vec![
        setting("port", server, "{base port}"),
        setting("base port", server, "7100"),
        setting("door word", server, "tell-nobody"),
        setting("address", Some(Role::Client), "host.example:{port}"),
    ];
    let players = for_players(&Canon { settings, ..canon() });
    let mut names: Vec<&str> = players.settings.iter().map(|setting| setting.name.as_str()).collect();
    names.sort_unstable();
    assert_eq!(names, ["address", "base port", "port"]);
}

#[test]
fn a_player_has_one_install_and_takes_no_other_from_anybody() {
    let wishes = config::parse("kanon.toml", WISHES_TEXT).expect("wishes").value;
    let text = wishes_for_players(WISHES_TEXT, &wishes, &for_players(&canon())).expect("written");
    let own = wishes_of_player(&text, "wren's game", "../..").expect("made");
    let read = config::parse("kanon.toml", &own).expect("wishes").value;
    let install = read.install("wren's game").expect("the install");
    assert_eq!((install.role, install.at.as_str(), install.start.len()), (Role::Client, "../..", 0));
    let error = wishes_of_player(&own, "another", "../..").expect_err("it has an install");
    assert!(matches!(error, PlayerWishesError::NotForPlayers { .. }), "{error}");
    assert!(matches!(wishes_of_player("format = 3", "x", "y"), Err(PlayerWishesError::BadFile(_))));
}
