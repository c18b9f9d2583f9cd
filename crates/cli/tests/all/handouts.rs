//! The handout in each of its forms, with mods whose makers mean no good.

use rstest::rstest;
use serde_json::Value;

use crate::stage::{Stage, fits_its_schema, zip_of};

/// A station with a mod whose texts would become something else where they are not told as texts.
fn hostile() -> Stage {
    let stage = Stage::sealed();
    let about = r#"{"id": "worm", "version": "=1+1", "title": "<script>alert(1)</script> | `x` [a](http://b) \"'&", "runs": "everywhere"}"#;
    stage.write("station/mods/worm.psm", zip_of(&[("about.json", about.as_bytes())]));
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage
}

fn form(stage: &Stage, form: &str) -> String {
    stage.kanon(["handout", "-o", "-", "--form", form]).ends_with(0).out
}

#[test]
fn nothing_that_others_wrote_becomes_anything_but_text() {
    let stage = hostile();
    let page = form(&stage, "html");
    assert_eq!(page.matches("<script").count(), 1, "the page's own");
    assert!(page.contains("&#60;script&#62;alert(1)"), "{page}");
    let text = form(&stage, "markdown");
    assert!(text.contains(r"\<script\>alert(1)\</script\> \| \`x\` \[a\](http://b)"), "{text}");
    let table = form(&stage, "csv");
    let row = table.lines().find(|line| line.contains("worm")).unwrap();
    assert!(
        row.contains(",'=1+1,") && row.contains(r#""<script>alert(1)</script> | `x` [a](http://b) ""'&""#),
        "{row}"
    );
}

#[test]
fn the_page_needs_nothing_else_and_works_without_scripts() {
    let stage = Stage::sealed();
    stage.kanon(["handout"]).ends_with(0).says("the handout is in handout.html").says("note: it has no invite");
    let page = stage.read("handout.html");
    for (what, told) in
        [("src=", false), ("<link", false), ("@import", false), ("url(", false), ("kanon follow \"", false)]
    {
        assert_eq!(page.contains(what), told, "{what}");
    }
    for what in [
        "Polarspur 1.4.2 with Trellis 0.9.1",
        "drift-radio-1.1.0.psm",
        "The server alone has logbook, night-watch",
        "take out every file and folder that is not in the table above. Mods of your own may stay",
        "Put each file in its place under just the name that the table says",
        "kanon survey . --role client -o my-survey.json",
        // A title that is the id but for letter case is not taken for it.
        "Snowtrack</span><br><code class=\"soft\">snowtrack</code>",
        "prefers-color-scheme: dark",
        "@media print",
        "class=\"scripted\"",
    ] {
        assert!(page.contains(what), "{what} is not in the page");
    }
    let radio = std::fs::read(stage.path("mara/mods/drift-radio-1.1.0.psm")).unwrap();
    assert!(
        page.contains(&kanon_core::base::digest::Sha256::of(&radio).to_string()),
        "whoever installs by hand can compare"
    );
    assert!(!page.contains("night-watch-0.8.2.psm"), "what only the server has is no player's business");
    assert!(!page.contains(">download<"), "nothing is published, so nothing can be downloaded");
}

#[test]
fn a_published_page_leads_to_each_file() {
    let stage = Stage::sealed();
    stage.kanon(["publish", "site", "--address", "https://mods.example/longnight"]).ends_with(0);
    let page = stage.read("site/index.html");
    let links: Vec<&str> = page.split("href=\"").skip(1).map(|rest| rest.split('"').next().unwrap()).collect();
    let of_mods = links.iter().filter(|link| link.starts_with("blobs/")).count();
    assert_eq!(of_mods, 14, "seven mods, each in the table and in its list: {links:?}");
    for link in links {
        match link.strip_prefix('#') {
            Some(place) => assert!(page.contains(&format!("id=\"{place}\"")), "{link} leads nowhere on the page"),
            None => assert!(stage.path(&format!("site/{link}")).is_file(), "{link} leads nowhere"),
        }
    }
    assert!(page.contains("kanon follow \"https://mods.example/longnight/#kanon-1-"), "{page}");
    assert!(page.contains("<svg") && page.contains("aria-label=\"The invite as a QR code\""));
    let alone = form(&stage, "html");
    assert!(alone.contains("href=\"https://mods.example/longnight/blobs/"), "a page elsewhere leads there too");
    assert!(
        stage
            .read("site/handout.md")
            .contains("| 3 | Drift Radio | drift-radio | 1.1.0 | drift-radio-1.1.0.psm | mods/ |")
    );
}

#[rstest]
#[case::of_files(false)]
#[case::of_folders(true)]
fn the_bill_of_materials_is_one_by_the_standards_own_schema(#[case] folders: bool) {
    let stage = if folders { Stage::bare() } else { hostile() };
    if folders {
        stage.world.evening("reach").unwrap();
        let init = ["init", "--name", "Low Water", "--rulebook", "reach.rulebook.toml", "--server", "hall"];
        stage.kanon(["-C", "reach"].into_iter().chain(init)).ends_with(0);
        stage.kanon(["-C", "reach", "adopt", "hall"]).ends_with(0);
        stage.kanon(["-C", "reach", "seal"]).ends_with(0);
    }
    let place = if folders { "reach" } else { "." };
    stage.kanon(["-C", place, "handout", "-o", "set.json"]).ends_with(0);
    stage.kanon(["-C", place, "handout", "-o", "again.json"]).ends_with(0);
    let text = stage.read(&format!("{place}/set.json"));
    assert_eq!(text, stage.read(&format!("{place}/again.json")), "the same set is the same text");
    let bom: Value = serde_json::from_str(&text).unwrap();
    holds_by_the_standard(&stage.path(&format!("{place}/set.json")));
    let refs: Vec<&str> =
        bom["dependencies"].as_array().unwrap().iter().map(|one| one["ref"].as_str().unwrap()).collect();
    let components = bom["components"].as_array().unwrap();
    assert_eq!(refs.len(), components.len() + 1, "each mod and the set itself");
    for on in bom["dependencies"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|one| one["dependsOn"].as_array().cloned().unwrap_or_default())
    {
        assert!(refs.contains(&on.as_str().unwrap()), "{on} is no part of the set");
    }
    let first = if folders { &components[0]["components"][0] } else { &components[0] };
    assert_eq!(first["hashes"][0]["alg"], "SHA-256");
}

#[test]
fn the_form_is_told_by_the_name_or_by_an_option() {
    let stage = Stage::sealed();
    stage
        .kanon(["handout", "-o", "set.pdf"])
        .ends_with(2)
        .says("nothing says which form set.pdf is to have")
        .says("--form");
    stage.kanon(["handout", "-o", "set.txt", "--form", "markdown"]).ends_with(0);
    assert!(stage.read("set.txt").starts_with("# Longnight\n"));
    let report = stage.kanon(["handout", "--format", "json"]).ends_with(0).json();
    fits_its_schema("handout", &report);
    stage.kanon(["publish", "site"]).ends_with(0);
    fits_its_schema("invite", &stage.kanon(["invite", "--format", "json"]).ends_with(0).json());
    stage.kanon(["invite", "--qr", "--color", "never"]).ends_with(0).says("█");
    stage
        .kanon(["invite", "--address", "https://elsewhere.example"])
        .ends_with(0)
        .says("https://elsewhere.example/#kanon-1-");
}

/// Asks the standard's own library, where the machine has it: `KANON_TEST_BOM` is a Python that does.
#[track_caller]
fn holds_by_the_standard(bom: &std::path::Path) {
    let Some(python) = std::env::var_os("KANON_TEST_BOM") else {
        return println!("skipped: no validator of bills of materials here (KANON_TEST_BOM); .ci/run installs one");
    };
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../tools/check_bom.py");
    let output = std::process::Command::new(python).arg(script).arg(bom).output().unwrap();
    assert!(
        output.status.success(),
        "{}{}",
        String::from_utf8_lossy(&output.stdout),
        String::from_utf8_lossy(&output.stderr)
    );
}

/// Players read their own language: the page, its other forms, and what an administrator sends them.
#[rstest]
#[case("de", "So kommst du hinein", "dir fehlt Snowtrack 3.2.1")]
#[case("es", "Cómo entrar", "te falta Snowtrack 3.2.1")]
#[case("fr", "Comment rejoindre", "il te manque Snowtrack 3.2.1")]
#[case("pl", "Jak wejść", "nie masz Snowtrack 3.2.1")]
#[case("pt", "Como entrar", "falta-te Snowtrack 3.2.1")]
#[case("ru", "Как войти", "у тебя нет Snowtrack 3.2.1")]
#[case("zh", "如何加入", "你缺少 Snowtrack 3.2.1")]
fn handouts_and_replies_speak_the_players_language(#[case] code: &str, #[case] how: &str, #[case] missing: &str) {
    let mut stage = Stage::sealed();
    stage.kanon(["publish", "site", "--address", "https://mods.example/longnight/"]).ends_with(0);
    stage.env.push(("KANON_LANGUAGE".to_owned(), code.to_owned()));
    stage.kanon(["handout"]).ends_with(0);
    stage.kanon(["handout", "-o", "handout.md"]).ends_with(0);
    stage.kanon(["handout", "-o", "handout.csv"]).ends_with(0);
    let (page, text) = (stage.read("handout.html"), stage.read("handout.md"));
    assert!(page.contains(&format!("<html lang=\"{code}\">")) && page.contains(how) && text.contains(how), "{page}");
    // Nothing is left of the messages' own names, of their places, or of English.
    let visible = page.split("</style>").nth(1).unwrap().split("<script>").next().unwrap().to_owned();
    for left in ["page-", "hand-", "col-", "{ $", "Close the game", "How to join", "By hand"] {
        assert!(!visible.contains(left) && !text.contains(left), "{left} is in:\n{visible}\n{text}");
    }
    assert!(stage.read("handout.csv").contains(",file,"), "a table for programs is the same everywhere");
    std::fs::remove_file(stage.path("mara/mods/snowtrack-3.2.1.psm")).unwrap();
    let reply = stage.kanon(["diagnose", "--client", "mara", "--reply"]).ends_with(1).says(missing);
    assert!(
        !reply.out.contains("reply-") && !reply.out.contains("{ $") && !reply.out.contains(" join "),
        "{}",
        reply.out
    );
}
