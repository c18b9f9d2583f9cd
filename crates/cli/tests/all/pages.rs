//! Pages: the state of everything, and checks, comparisons and diagnoses to send, as files that need nothing else.

#[cfg(unix)]
use std::path::Path;
#[cfg(unix)]
use std::process::{Command, Stdio};

use rstest::rstest;
use serde_json::Value;

use crate::stage::{Stage, fits_its_schema, psm, zip_of};

/// Nothing is loaded from anywhere, and it is one whole document.
#[track_caller]
fn is_self_contained(page: &str) {
    assert!(page.starts_with("<!doctype html>") && page.trim_end().ends_with("</html>"));
    for from in ["src=", "<link", "@import", "url(", "<iframe", "fetch(", "XMLHttpRequest"] {
        assert!(!page.contains(from), "{from} loads something");
    }
}

/// A workspace with mods that hang together, one install off, releases that wait, and a log.
fn full() -> Stage {
    let stage = Stage::bare();
    std::fs::remove_dir_all(stage.path("station/mods")).unwrap();
    std::fs::remove_dir_all(stage.path("mara/mods")).unwrap();
    for number in 0..60_usize {
        let needs = match number {
            0..3 => String::new(),
            3..40 => format!(r#""needs": {{"part-{:02}": ">=1.0"}}, "#, number % 3),
            40..50 => {
                format!(r#""needs": {{"part-{:02}": ">=1.0", "part-{:02}": ">=1.0"}}, "#, number % 3, number - 20)
            }
            _ => String::new(),
        };
        let id = format!("part-{number:02}");
        let about = format!(r#"{{"id": "{id}", "version": "1.{}", {needs}"runs": "everywhere"}}"#, number % 4);
        let bytes = zip_of(&[("about.json", about.as_bytes()), ("data", vec![7; number * 50].as_slice())]);
        for install in ["station", "mara"] {
            stage.write(&format!("{install}/mods/{id}-1.{}.psm", number % 4), &bytes);
        }
    }
    stage.write("downloads/part-01-2.0.psm", psm("part-01", "2.0", "everywhere"));
    let log: String = (0..5)
        .map(|start| {
            format!(
                "2026-11-2{start} 18:00:00 boot: Polarspur 1.4.2\n2026-11-2{start} 18:00:4{start} gate: open on port 4100\n2026-11-2{start} 19:00:00 clock: 900 ms behind, waiting for part-02\n"
            )
        })
        .collect();
    stage.write("console.log", log);
    let init = ["init", "--name", "Low <Water>", "--rulebook", "polarspur.rulebook.toml", "--server", "station"];
    stage.kanon(init.into_iter().chain(["--client", "mara", "--source", "downloads"])).ends_with(0);
    let wishes = stage.read("kanon.toml").replace("at = \"station\"", "at = \"station\"\nlog = \"../console.log\"");
    stage.write("kanon.toml", wishes);
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    std::fs::remove_file(stage.path("mara/mods/part-07-1.3.psm")).unwrap();
    stage.kanon(["check"]).ends_with(1);
    stage.kanon(["renew", "--preview"]).ends_with(0);
    stage
}

#[test]
fn the_report_tells_all_that_is_known_without_any_install_at_hand() {
    let stage = full();
    stage.kanon(["align", "mara", "--yes"]).ends_with(0);
    std::fs::remove_file(stage.path("mara/mods/part-09-1.1.psm")).unwrap();
    stage.kanon(["check", "mara"]).ends_with(1);
    stage.kanon(["publish", "site"]).ends_with(0);
    let report = stage.kanon(["report", "--format", "json"]).ends_with(0).json();
    fits_its_schema("report", &report);
    assert!(!stage.path("report.html").exists(), "data alone was asked for");
    let look = |report: &Value, install: &str| {
        let looks = report["looks"].as_array().unwrap().clone();
        looks.into_iter().find(|row| row["install"] == install).unwrap()
    };
    assert_eq!(look(&report, "mara")["look"]["findings"][0]["mod"], "part-09");
    assert_eq!(look(&report, "station")["look"]["findings"], serde_json::json!([]));
    let brings = report["waiting"]["waiting"].as_array().unwrap();
    assert!(brings.iter().any(|one| one["mod"] == "part-01" && one["newest"] == "2.0"), "{brings:?}");
    let needed = report["links"].as_array().unwrap().iter().filter(|link| link["to"] == "part-01").count();
    assert!(needed > 10, "{needed}");
    let health = &report["health"][0]["looks"][0];
    assert_eq!((health["starts"].as_array().unwrap().len(), &health["lag_lines"]), (5, &5.into()));
    assert_eq!(report["players"]["release"], 1);
    assert_eq!(report["alignments"].as_array().unwrap().len(), 1);
    // Everything goes away, and what is known stays known.
    for gone in ["station", "mara", "downloads", "console.log"] {
        std::fs::rename(stage.path(gone), stage.path(&format!("away-{gone}"))).unwrap();
    }
    let later = stage.kanon(["report", "--format", "json"]).ends_with(0).json();
    for known in ["looks", "health", "waiting", "mods", "links", "canons", "alignments"] {
        assert_eq!(later[known], report[known], "{known}");
    }
    stage.kanon(["report"]).ends_with(0).says("report.html");
    let page = stage.read("report.html");
    is_self_contained(&page);
    assert!(page.contains("Low &#60;Water&#62;") && !page.contains("Low <Water>"), "what others wrote is no markup");
    for part in ["part-09", "mod-missing", "class=\"graph\"", "class=\"chart\"", "release 1", "2.0 waits"] {
        assert!(page.contains(part), "{part}");
    }
    stage.kanon(["report", "-o", "-"]).ends_with(0).says("<!doctype html>");
    stage.kanon(["report", "-o", "other/there.html"]).ends_with(2);
}

#[test]
fn a_report_of_nothing_yet_says_so() {
    let stage = Stage::bare();
    let init = ["init", "--name", "New", "--rulebook", "polarspur.rulebook.toml", "--server", "station"];
    stage.kanon(init).ends_with(0);
    fits_its_schema("report", &stage.kanon(["report", "--format", "json"]).ends_with(0).json());
    stage.kanon(["report"]).ends_with(0);
    let page = stage.read("report.html");
    for part in ["none sealed", "never looked at", "Nobody has looked at the sources yet", "Nothing was published"] {
        assert!(page.contains(part), "{part}");
    }
    assert!(!page.contains("id=\"hangs\""));
}

#[rstest]
#[case::check(&["check"], 1, &["mod-missing", "kanon align mara", "part-07"])]
#[case::compare(&["compare", "station", "mara"], 1, &["1 of 60 mods differ", "missing"])]
#[case::diagnose(&["diagnose", "--client", "mara", "--message", "no"], 1, &["Why the join failed", "part-07", "sure"])]
fn findings_are_sent_as_a_page(#[case] words: &[&str], #[case] code: i32, #[case] parts: &[&str]) {
    let stage = full();
    let said = stage.kanon(words.iter().copied().chain(["--format", "html", "-q"])).ends_with(code);
    is_self_contained(&said.out);
    for part in parts {
        assert!(said.out.contains(part), "{part}: {}", said.out);
    }
    stage.kanon(["status", "--format", "html"]).ends_with(2).says("has no page").says("--format text");
}

/// What comes from strangers' surveys reaches a page as text alone.
#[test]
fn a_stranger_writes_no_markup_into_a_page() {
    let stage = full();
    let evil = r#"</script><img onerror=alert(1)>"#;
    let about = format!(r#"{{"id": "{evil}", "version": "{evil}", "title": "{evil}", "runs": "everywhere"}}"#);
    stage.write("mara/mods/evil-1.psm", zip_of(&[("about.json", about.as_bytes())]));
    stage.kanon(["survey", "mara", "-o", "mara.json"]).ends_with(0);
    for words in
        [&["check", "mara.json"][..], &["compare", "canon", "mara.json"], &["diagnose", "--client", "mara.json"]]
    {
        let said = stage.kanon(words.iter().copied().chain(["--format", "html", "-q"]));
        assert!(
            said.out.contains("onerror") && !said.out.contains("<img") && !said.out.contains("</script><"),
            "{}",
            said.out
        );
    }
    stage.kanon(["check", "mara"]).ends_with(1);
    stage.kanon(["adopt", "mara", "--only", evil]).ends_with(0);
    stage.kanon(["report"]).ends_with(0);
    let page = stage.read("report.html");
    assert!(page.contains("onerror") && !page.contains("<img") && page.matches("</script>").count() == 2);
}

/// A page as a browser shows it in a frame of a width, with a script of the test's run in it; what the script tells comes back.
#[cfg(unix)]
fn browsed(page: &str, folder: &Path, script: &str, width: u32) -> Option<String> {
    let tell = "const tell = (...all) => parent.postMessage(all.join('|'), '*');";
    let body = format!("<script>addEventListener('load', async () => {{ {tell} {script} }});</script></body>");
    std::fs::write(folder.join("inner.html"), page.replace("</body>", &body)).unwrap();
    // A window is never narrower than some width of the browser's own; a frame is.
    let outer = format!(
        "<!doctype html><title>none</title><script>addEventListener('message', said => {{ document.title = said.data; }});</script><iframe src=\"inner.html\" style=\"border:0;width:{width}px;height:800px\"></iframe>"
    );
    let file = folder.join("outer.html");
    std::fs::write(&file, outer).unwrap();
    if !browses(folder) {
        return None;
    }
    let mut browser = chromium(folder);
    browser.args(["--virtual-time-budget=4000", "--dump-dom", "--window-size=2000,1000"]);
    let output = browser.arg(format!("file://{}", file.display())).output().unwrap();
    let dom = String::from_utf8_lossy(&output.stdout).into_owned();
    let title = dom.split("<title>").nth(1)?.split("</title>").next()?;
    Some(title.replace("&gt;", ">").replace("&lt;", "<").replace("&amp;", "&"))
}

#[cfg(unix)]
fn chromium(folder: &Path) -> Command {
    let mut browser = Command::new("chromium");
    browser.args(["--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--no-first-run"]);
    browser.arg(format!("--user-data-dir={}", folder.join("chromium").display()));
    browser.env("HOME", folder).stdin(Stdio::null());
    browser
}

/// Whether there is a browser, and it shows anything here at all.
#[cfg(unix)]
fn browses(folder: &Path) -> bool {
    let output = chromium(folder).args(["--dump-dom", "data:text/html,<title>probe</title>"]).output();
    let shows = output.is_ok_and(|output| String::from_utf8_lossy(&output.stdout).contains("probe"));
    if !shows {
        eprintln!("skipped: chromium is not installed, or can't run here");
    }
    shows
}

/// How many pages a page is on paper.
#[cfg(unix)]
fn printed(page: &Path, folder: &Path) -> usize {
    let pdf = folder.join("printed.pdf");
    let mut printing = chromium(folder);
    printing.args(["--no-pdf-header-footer"]).arg(format!("--print-to-pdf={}", pdf.display()));
    assert!(printing.arg(format!("file://{}", page.display())).output().unwrap().status.success());
    let bytes = std::fs::read(&pdf).unwrap();
    let text = String::from_utf8_lossy(&bytes);
    text.matches("/Type /Page\n").count().max(text.matches("/Type/Page/").count())
}

/// What is wider than its window, told by the page itself.
#[cfg(unix)]
const WIDTH: &str = "const wide = [...document.querySelectorAll('body *')].filter(one => one.getBoundingClientRect().right > innerWidth + 1
        && !one.closest('.wide, .figure, pre, svg'));
    const thin = [...document.querySelectorAll('td')].filter(cell => cell.textContent.trim() && cell.getBoundingClientRect().width < 24 && cell.offsetParent);
    tell(document.documentElement.scrollWidth <= innerWidth, innerWidth, wide.length, thin.length);";

#[test]
#[cfg(unix)]
fn the_report_is_filtered_followed_and_printed_in_a_browser() {
    let stage = full();
    stage.kanon(["report"]).ends_with(0);
    let (page, folder) = (stage.read("report.html"), stage.path("home"));
    std::fs::create_dir_all(&folder).unwrap();
    // The filter: rows that don't fit are gone, boxes fade.
    let script =
        "const find = document.getElementById('find'); find.value = 'part-19'; find.dispatchEvent(new Event('input'));
        const rows = [...document.querySelectorAll('tr[data-mod]')].filter(row => !row.hidden && row.id);
        const near = [...document.querySelectorAll('.graph a:not(.far)')];
        tell(rows.length, near.length, document.getElementById('found').textContent);";
    let Some(told) = browsed(&page, &folder, script, 1280) else { return };
    assert_eq!(told, "1|1|1 of 60");
    // A link to a mod: what it stands on, what stands on it, what an update would bring.
    let script = "const box = document.querySelector('.graph a[data-mod=\"23\"]'); box.dispatchEvent(new MouseEvent('click', {bubbles: true, cancelable: true}));
        await new Promise(done => setTimeout(done, 200));
        const near = document.getElementById('near');
        const lists = [...near.querySelectorAll('strong')].map(one => one.textContent);
        tell(near.hidden, lists.join('; '), location.hash, document.querySelectorAll('.graph .near').length);";
    let told = browsed(&page, &folder, script, 1280).unwrap();
    assert!(
        told.starts_with("false|It stands on: 1; On it stand: 1; An update of it would take along: none|#m"),
        "{told}"
    );
    // By keys alone: the slash leads to the filter, Escape ends it.
    let script = "dispatchEvent(new KeyboardEvent('keydown', {key: '/'})); const focused = document.activeElement.id;
        const find = document.getElementById('find'); find.value = 'zzz'; find.dispatchEvent(new Event('input'));
        const none = [...document.querySelectorAll('tr[id]')].filter(row => !row.hidden).length;
        dispatchEvent(new KeyboardEvent('keydown', {key: 'Escape'}));
        tell(focused, none, [...document.querySelectorAll('tr[id]')].filter(row => !row.hidden).length);";
    assert_eq!(browsed(&page, &folder, script, 1280).unwrap(), "find|0|60");
    for width in [390, 1280, 1920] {
        assert_eq!(browsed(&page, &folder, WIDTH, width).unwrap(), format!("true|{width}|0|0"));
    }
    let pages = printed(&stage.path("report.html"), &folder);
    assert!((2..=14).contains(&pages), "{pages} pages");
}

/// The page for players, of two hundred mods with long words: on a phone, on a screen, on paper.
#[test]
#[cfg(unix)]
fn the_handout_of_many_mods_fits_a_phone_and_fifteen_sheets() {
    let stage = Stage::bare();
    std::fs::remove_dir_all(stage.path("station/mods")).unwrap();
    for number in 0..200_usize {
        let id = match number % 40 {
            0 => format!("a-word-that-goes-on-and-on-without-a-single-blank-as-some-authors-like-it-{number}"),
            1 => format!("Überlandschmalspurbahnwaggonkupplungsverriegelungsbolzenhalterung{number}"),
            _ => format!("part-{number:03}"),
        };
        let about = format!(r#"{{"id": "{id}", "version": "1.{number}", "title": "The {id}", "runs": "everywhere"}}"#);
        stage.write(&format!("station/mods/{id}-1.{number}.psm"), zip_of(&[("about.json", about.as_bytes())]));
    }
    let init = ["init", "--name", "Low Water", "--rulebook", "polarspur.rulebook.toml", "--server", "station"];
    stage.kanon(init).ends_with(0);
    stage.kanon(["adopt", "station"]).ends_with(0);
    stage.kanon(["seal"]).ends_with(0);
    stage
        .kanon(["publish", "site", "--address", "https://mods.example/longnight-station-of-the-far-north/"])
        .ends_with(0);
    stage.kanon(["handout"]).ends_with(0);
    let (page, folder) = (stage.read("handout.html"), stage.path("home"));
    std::fs::create_dir_all(&folder).unwrap();
    for width in [390, 1280] {
        let Some(told) = browsed(&page, &folder, WIDTH, width) else { return };
        assert_eq!(told, format!("true|{width}|0|0"));
    }
    let pages = printed(&stage.path("handout.html"), &folder);
    assert!((3..=15).contains(&pages), "{pages} sheets");
}
