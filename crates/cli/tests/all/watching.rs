//! Noticing what changes: a week that is made to run fast, and telling others who are slow, gone, or wrong.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpListener;
use std::path::PathBuf;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicU16, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use serde_json::{Value, json};

use crate::hosts::site::{Site, Way};
use crate::hosts::web::Web;
use crate::stage::{Said, Stage, fits_its_schema, program, psm, said};

/// A workspace whose server tells by a file that it runs, with a log, a catalogue and a release.
struct Week {
    stage: Stage,
    log: String,
    /// How many changes were told, and of which kinds.
    told: Vec<String>,
}

impl Week {
    fn new() -> Self {
        let stage = Stage::bare();
        let rulebook = stage.read("polarspur.rulebook.toml");
        stage.write("polarspur.rulebook.toml", format!("{rulebook}\n[running]\nlock-file = \"world/awake.mark\"\n"));
        stage.write("downloads/nothing.txt", "no mod");
        let init = ["init", "--name", "Longnight", "--rulebook", "polarspur.rulebook.toml", "--server", "station"];
        let clients = ["--client", "mara", "--client", "oskar", "--client", "wren"];
        stage.kanon(init.iter().chain(&clients).copied()).ends_with(0);
        stage.write(
            "kanon.toml",
            stage.read("kanon.toml").replace("at = \"station\"", "at = \"station\"\nlog = \"../console.log\""),
        );
        for name in ["mara", "station"] {
            stage.kanon(["adopt", name]).ends_with(0);
        }
        stage.kanon(["seal"]).ends_with(0);
        let log = "long before: a word of yesterday\n".to_owned();
        stage.write("console.log", &log);
        Self { stage, log, told: Vec::new() }
    }

    /// Looks once at a time of this week, given as the day and the time of day.
    fn look(&self, at: &str, words: &[&str]) -> Said {
        let command = self.stage.command(["watch", "--once", "--format", "json"].iter().chain(words));
        let mut fast = Command::new("faketime");
        let at = if at.starts_with(['+', '@']) { at.to_owned() } else { format!("@2026-12-{at}") };
        fast.arg("-f").arg(at).arg(program()).args(command.get_args());
        fast.current_dir(self.stage.path("")).env_clear().stdin(Stdio::null());
        for (name, value) in command.get_envs() {
            value.map(|value| fast.env(name, value));
        }
        fast.env("PATH", std::env::var_os("PATH").unwrap()).env("TZ", "UTC");
        said(fast)
    }

    /// Looks, and holds what is told against what must be: installs and kinds, in any order.
    #[track_caller]
    fn tells(&mut self, at: &str, expected: &[(&str, &str)]) -> Vec<Value> {
        self.tells_with(at, &[], expected)
    }

    #[track_caller]
    fn tells_with(&mut self, at: &str, words: &[&str], expected: &[(&str, &str)]) -> Vec<Value> {
        let said = self.look(at, words);
        let changes: Vec<Value> = said.out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        let mut told: Vec<(String, String)> = changes
            .iter()
            .map(|change| {
                let text = |key: &str| change[key].as_str().unwrap_or_default().to_owned();
                (text("install"), text("kind"))
            })
            .collect();
        told.sort();
        let mut wanted: Vec<(String, String)> =
            expected.iter().map(|(install, kind)| ((*install).to_owned(), (*kind).to_owned())).collect();
        wanted.sort();
        assert_eq!(told, wanted, "at {at}: {changes:#?}\n{}", said.err);
        let any_bad = changes.iter().any(|change| change["bad"] == json!(true));
        assert_eq!(said.code, Some(i32::from(any_bad)), "{}", said.err);
        changes.iter().for_each(|change| fits_its_schema("change", change));
        self.told.extend(told.into_iter().map(|(_, kind)| kind));
        changes
    }

    fn says(&mut self, lines: &str) {
        self.log.push_str(lines);
        self.stage.write("console.log", &self.log);
    }

    /// What an install has of a mod, taken away; it can be put back.
    fn file_of(&self, install: &str, begins: &str) -> PathBuf {
        let folder = self.stage.path(install).join("mods");
        let mut entries = std::fs::read_dir(folder).unwrap().flatten();
        entries.find(|entry| entry.file_name().to_string_lossy().starts_with(begins)).unwrap().path()
    }
}

fn has_faketime() -> bool {
    let is_there = Command::new("faketime").arg("-v").output().is_ok();
    if !is_there {
        eprintln!("skipped: faketime is not installed");
    }
    is_there
}

#[test]
fn a_week_is_told_once_and_nothing_else() {
    if !has_faketime() {
        return;
    }
    let mut week = Week::new();
    installs_on_three_ways(&mut week);
    the_server(&mut week);
    the_door(&mut week);
    sources_and_wishes(&mut week);
    the_release(&mut week);
    let mut kinds = week.told.clone();
    kinds.sort();
    kinds.dedup();
    assert!(
        week.told.len() >= 40 && kinds.len() >= 25,
        "{} changes of {} kinds: {kinds:?}",
        week.told.len(),
        kinds.len()
    );
    println!("{} changes of {} kinds", week.told.len(), kinds.len());
}

fn installs_on_three_ways(week: &mut Week) {
    week.tells("07 08:00:00", &[("", "watch-began")]);
    week.tells("07 08:10:00", &[]);
    // In a folder.
    let snowtrack = week.file_of("station", "snowtrack");
    let kept = std::fs::read(&snowtrack).unwrap();
    std::fs::write(&snowtrack, [&kept[..], b"edited"].concat()).unwrap();
    let changes = week.tells("07 08:20:00", &[("station", "install-off")]);
    assert_eq!(changes[0]["findings"][0]["code"], "content-differs");
    assert!(changes[0]["touched"][0]["path"].as_str().unwrap().starts_with("mods/snowtrack"), "{changes:?}");
    assert_eq!(changes[0]["do"], "kanon align station");
    week.tells("07 08:30:00", &[]);
    let radio = week.file_of("station", "drift-radio");
    let radio_kept = std::fs::read(&radio).unwrap();
    std::fs::remove_file(&radio).unwrap();
    let changes = week.tells("07 08:40:00", &[("station", "install-off-more")]);
    assert_eq!(changes[0]["findings"].as_array().unwrap().len(), 1, "only what is new: {changes:?}");
    std::fs::write(&radio, radio_kept).unwrap();
    week.tells("07 08:50:00", &[("station", "install-off-less")]);
    std::fs::write(&snowtrack, &kept).unwrap();
    week.tells("07 09:00:00", &[("station", "install-in-line")]);
    // On hosts.
    let (mara, oskar) = (week.stage.path("mara"), week.stage.path("oskar"));
    let sites = [Site::serve(Way::Sftp, &mara).unwrap(), Site::serve(Way::Ftp, &oskar).unwrap()];
    sites[0].take(&mut week.stage, "mara");
    sites[1].take(&mut week.stage, "oskar");
    week.tells("07 09:10:00", &[]);
    for (install, at) in [("mara", ["07 10:00:00", "07 10:10:00"]), ("oskar", ["07 11:00:00", "07 11:10:00"])] {
        let lamps = week.file_of(install, "halogen");
        let kept = std::fs::read(&lamps).unwrap();
        std::fs::write(&lamps, b"cut off").unwrap();
        week.tells(at[0], &[(install, "install-off")]);
        std::fs::write(&lamps, kept).unwrap();
        week.tells(at[1], &[(install, "install-in-line")]);
    }
    // A line that drops once is no news; a host that stays away is.
    let wishes = week.stage.read("kanon.toml");
    week.stage.write("kanon.toml", wishes.replace(&sites[0].address, "sftp://ines@127.0.0.1:1/"));
    week.tells("07 12:00:00", &[]);
    week.stage.write("kanon.toml", &wishes);
    week.tells("07 12:10:00", &[]);
    week.stage.write("kanon.toml", wishes.replace(&sites[0].address, "sftp://ines@127.0.0.1:1/"));
    week.tells("07 12:20:00", &[]);
    week.tells("07 12:30:00", &[("mara", "install-unreachable")]);
    week.tells("07 12:40:00", &[]);
    week.stage.write("kanon.toml", &wishes);
    week.tells("07 12:50:00", &[("mara", "install-reachable")]);
    // The hosts go with this part; what follows is about folders.
    let local = ["mara", "oskar"].iter().zip(&sites).fold(wishes, |wishes, (name, site)| {
        let lines = wishes.lines().filter(|line| !line.starts_with("host-key"));
        lines.collect::<Vec<_>>().join("\n").replace(&site.address, name)
    });
    week.stage.write("kanon.toml", local);
    // The game itself was updated over night.
    let build = week.stage.read("wren/engine/build.json");
    week.stage.write("wren/engine/build.json", build.replace("1.4.2", "1.5.0"));
    week.tells("08 06:00:00", &[("wren", "install-off"), ("wren", "version-changed")]);
    week.stage.write("wren/engine/build.json", build);
    week.tells("08 06:10:00", &[("wren", "install-in-line"), ("wren", "version-changed")]);
    // Files that are gone are put back where that was asked for; what needs a decision is not touched.
    std::fs::remove_file(week.file_of("wren", "halogen")).unwrap();
    week.tells_with("08 07:00:00", &["--mend", "wren"], &[("wren", "install-off"), ("wren", "mended")]);
    week.tells_with("08 07:10:00", &["--mend", "wren"], &[]);
    week.stage.write("wren/mods/uninvited-9.0.psm", psm("uninvited", "9.0", "everywhere"));
    std::fs::remove_file(week.file_of("wren", "halogen")).unwrap();
    let before = week.stage.fingerprint("wren/mods");
    week.tells_with("08 07:20:00", &["--mend", "wren"], &[("wren", "install-off"), ("wren", "not-mended")]);
    week.tells_with("08 07:30:00", &["--mend", "wren"], &[]);
    assert_eq!(week.stage.fingerprint("wren/mods"), before);
    std::fs::remove_file(week.stage.path("wren/mods/uninvited-9.0.psm")).unwrap();
    // A game that runs is left alone until it is stopped.
    week.stage.write("wren/world/awake.mark", "");
    week.tells_with("08 07:40:00", &["--mend", "wren"], &[("wren", "install-off-less"), ("wren", "not-mended")]);
    std::fs::remove_file(week.stage.path("wren/world/awake.mark")).unwrap();
    week.tells_with("08 07:50:00", &["--mend", "wren"], &[("wren", "mended")]);
}

fn the_server(week: &mut Week) {
    week.says("2026-12-08 08:00:00 boot: Polarspur 1.4.2\n");
    week.tells("08 08:00:30", &[]);
    week.says("2026-12-08 08:00:40 mods: woke snowtrack 3.2.1\n");
    let changes = week.tells("08 08:11:00", &[("station", "server-not-up")]);
    assert!(changes[0]["details"].to_string().contains("woke snowtrack"), "{changes:?}");
    week.tells("08 08:21:00", &[]);
    week.says("2026-12-08 08:30:00 gate: open on port 4100\n");
    week.tells("08 08:31:00", &[("station", "server-up")]);
    week.says("2026-12-08 09:00:00 boot: gave up\n2026-12-08 09:00:00 boot: gave up\n");
    week.tells("08 09:01:00", &[("station", "server-ended")]);
    week.says("2026-12-08 09:10:00 boot: Polarspur 1.4.2\n2026-12-08 09:10:42 gate: open on port 4100\n");
    let changes = week.tells("08 09:11:00", &[("station", "server-up")]);
    assert!(changes[0]["title"].as_str().unwrap().contains("42 seconds"), "{changes:?}");
    let behind = "clock: 900 ms behind, waiting for snowtrack\n";
    week.says(behind);
    week.tells("08 09:20:00", &[]);
    week.says(&behind.repeat(5));
    let changes = week.tells("08 09:30:00", &[("station", "server-behind")]);
    assert!(changes[0]["details"].to_string().contains("snowtrack"), "{changes:?}");
    week.says(&behind.repeat(5));
    week.tells("08 09:40:00", &[]);
    week.tells("08 10:00:00", &[]);
    week.tells("08 10:15:00", &[("station", "server-keeps-up")]);
    week.says("stove: out of fuel\nstove: out of fuel\n");
    week.tells("08 10:20:00", &[("station", "server-out-of-memory")]);
    // Rotated while nobody looked: the end of the old log counts, and the new one from its beginning.
    week.says("boot: gave up\n");
    std::fs::rename(week.stage.path("console.log"), week.stage.path("console.log.1")).unwrap();
    week.log = "boot: Polarspur 1.4.2\ngate: open on port 4100\n".to_owned();
    week.says("");
    week.tells("08 11:00:00", &[("station", "server-ended"), ("station", "server-up")]);
    // It starts again and again: told once.
    let restart = "boot: Polarspur 1.4.2\ngate: open on port 4100\nboot: gave up\n";
    week.says(restart);
    week.tells("08 12:00:00", &[("station", "server-up"), ("station", "server-ended")]);
    week.says(restart);
    week.tells("08 12:01:00", &[("station", "server-up"), ("station", "server-ended")]);
    week.says(restart);
    week.tells("08 12:02:00", &[("station", "server-loops")]);
    week.says(restart);
    week.tells("08 12:03:00", &[]);
    week.says("boot: Polarspur 1.4.2\ngate: open on port 4100\n");
    week.tells("08 12:04:00", &[]);
    week.tells("08 12:30:00", &[("station", "server-up")]);
    // Signs of running, by a file.
    week.stage.write("station/world/awake.mark", "");
    week.tells("08 12:40:00", &[("station", "server-runs")]);
    std::fs::remove_file(week.stage.path("station/world/awake.mark")).unwrap();
    week.tells("08 12:50:00", &[("station", "server-stopped")]);
}

fn the_door(week: &mut Week) {
    let refused = "gate: Mara is at the door\ngate: Mara lacks snowtrack 3.2.1\ngate: turned Mara away\n";
    week.says(refused);
    let changes = week.tells("09 19:00:00", &[("station", "join-refused")]);
    let first = &changes[0]["verdicts"][0];
    assert_eq!((&first["cause"], &first["mod"]), (&json!("mod-missing"), &json!("snowtrack")), "{changes:?}");
    assert!(changes[0]["title"].as_str().unwrap().contains("Mara"));
    week.says(refused);
    week.tells("09 19:05:00", &[]);
    week.says("gate: Oskar is at the door\ngate: Oskar has halogen-lamps 2.0.1, this station has 2.0.4\ngate: turned Oskar away\n");
    let changes = week.tells("09 19:10:00", &[("station", "join-refused")]);
    assert!(changes[0]["details"].to_string().contains("halogen-lamps"), "{changes:?}");
    week.says("gate: Tove is at the door\ngate: Tove came in\ngate: Mara is at the door\ngate: Mara came in\n");
    week.tells("09 19:20:00", &[("station", "join-mended")]);
    week.says(refused);
    week.tells("09 19:30:00", &[("station", "join-refused")]);
    // What the log says of this very try goes before what else is off.
    let radio = week.file_of("station", "drift-radio");
    let kept = std::fs::read(&radio).unwrap();
    std::fs::remove_file(&radio).unwrap();
    week.says("gate: Wren is at the door\ngate: Wren has halogen-lamps 2.0.1, this station has 2.0.4\ngate: turned Wren away\n");
    let changes = week.tells("09 19:40:00", &[("station", "install-off"), ("station", "join-refused")]);
    let refused = changes.iter().find(|change| change["kind"] == "join-refused").unwrap();
    assert_eq!(refused["verdicts"][0]["mod"], "halogen-lamps", "{refused}");
    std::fs::write(&radio, kept).unwrap();
    week.tells("09 19:50:00", &[("station", "install-in-line")]);
}

fn sources_and_wishes(week: &mut Week) {
    let catalogue = |week: &Week| {
        let made = week.stage.kanon(["catalogue", "downloads"]);
        assert!(made.code == Some(0) || made.code == Some(1), "{}", made.err);
    };
    week.stage.write("downloads/snowtrack-3.2.1.psm", std::fs::read(week.file_of("station", "snowtrack")).unwrap());
    catalogue(week);
    let shop = Web::serve(&week.stage.path("downloads"));
    let wishes = week.stage.read("kanon.toml");
    let source = format!("\n[source.shop]\nat = \"{}\"\n", shop.address());
    week.stage.write("kanon.toml", wishes.replacen("\n[[mod]]", &format!("{source}\n[[mod]]"), 1));
    week.tells("10 08:00:00", &[]);
    week.stage.write("downloads/drift-radio-1.9.0.psm", psm("drift-radio", "1.9.0", "everywhere"));
    catalogue(week);
    let changes = week.tells("10 09:00:00", &[("", "release-out")]);
    assert!(changes[0]["title"].as_str().unwrap().contains("drift-radio 1.9.0"), "{changes:?}");
    week.tells("10 10:00:00", &[]);
    std::fs::rename(week.stage.path("downloads"), week.stage.path("away")).unwrap();
    week.tells("10 11:00:00", &[("", "source-gone")]);
    week.tells("10 12:00:00", &[]);
    std::fs::rename(week.stage.path("away"), week.stage.path("downloads")).unwrap();
    week.tells("10 13:00:00", &[("", "source-back")]);
    // Somebody edits what is asked for, and makes a slip of the pen before that.
    let wishes = week.stage.read("kanon.toml");
    week.stage.write("kanon.toml", wishes.replace("[policy]", "[policy"));
    week.look("10 14:00:00", &[]).ends_with(2).says("unclosed table");
    week.stage.write("kanon.toml", &wishes);
    week.tells("10 14:20:00", &[]);
    week.stage.kanon(["drop", "sled-dogs"]).ends_with(0);
    week.tells("10 15:00:00", &[("", "wishes-changed")]);
    week.tells("10 15:10:00", &[]);
    week.stage.kanon(["seal"]).ends_with(0);
    let off = ["station", "mara", "oskar", "wren"].map(|install| (install, "install-off"));
    let changes = week.tells("10 16:00:00", &[&off[..], &[("", "canon-sealed")]].concat());
    let station = changes.iter().find(|change| change["install"] == "station").unwrap();
    assert!(station["details"].to_string().contains("another canon counts"), "nobody touched it: {station}");
    week.stage.kanon(["align", "--all", "--yes"]).ends_with(0);
    week.tells("10 17:00:00", &off.map(|(install, _)| (install, "install-in-line")));
}

fn the_release(week: &mut Week) {
    let wishes = week.stage.read("kanon.toml");
    week.stage.write("kanon.toml", format!("{wishes}\n[release]\ndays = 40\n"));
    week.stage.kanon(["publish", "site"]).ends_with(0);
    let changes = week.tells("11 08:00:00", &[("", "signatures-end")]);
    assert_eq!(changes[0]["do"], "kanon publish");
    week.tells("11 08:10:00", &[]);
    let stamp = week.stage.read("site/metadata/timestamp.json");
    week.stage.write("site/metadata/timestamp.json", stamp.replace("\"version\"", "\"versiom\""));
    week.tells("11 09:00:00", &[]);
    let changes = week.tells("11 09:10:00", &[("", "release-broken")]);
    assert!(changes[0]["do"].as_str().unwrap().starts_with("kanon publish"), "{changes:?}");
    week.stage.write("site/metadata/timestamp.json", stamp);
    week.tells("11 09:20:00", &[("", "release-whole")]);
    // Somebody goes on holidays.
    let ends: jiff::Timestamp = jiff::Timestamp::now() + jiff::SignedDuration::from_hours(40 * 24);
    let before = |days: i64| {
        let at = ends - jiff::SignedDuration::from_hours(24 * days);
        at.to_zoned(jiff::tz::TimeZone::UTC).strftime("@%Y-%m-%d %H:%M:%S").to_string()
    };
    week.tells(&before(5), &[("", "signatures-end")]);
    week.tells(&before(-2), &[("", "signatures-ended")]);
    week.tells(&before(-3), &[]);
    week.stage.write("kanon.toml", week.stage.read("kanon.toml").replace("days = 40", "days = 900"));
    week.stage.kanon(["publish"]).ends_with(0);
    week.tells(&before(-4), &[("", "signed-anew")]);
}

/// What somebody was told by HTTP.
type Heard = Arc<Mutex<Vec<(String, String, Value)>>>;

/// A place that messages are sent to: how it answers, and what it heard. A status of 0 stands for no answer at all.
fn hook(status: &Arc<AtomicU16>) -> (String, Heard) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let heard: Heard = Arc::default();
    let (own, status) = (Arc::clone(&heard), Arc::clone(status));
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            let mut reader = BufReader::new(stream.try_clone().unwrap());
            let (mut first, mut bearer, mut length) = (String::new(), String::new(), 0);
            drop(reader.read_line(&mut first));
            loop {
                let mut line = String::new();
                drop(reader.read_line(&mut line));
                let lower = line.to_lowercase();
                if let Some(value) = lower.strip_prefix("content-length:") {
                    length = value.trim().parse().unwrap();
                }
                if lower.starts_with("authorization:") {
                    bearer = line.trim()[14..].trim().to_owned();
                }
                if line.trim().is_empty() {
                    break;
                }
            }
            let mut body = vec![0; length];
            drop(reader.read_exact(&mut body));
            let answer = status.load(Ordering::SeqCst);
            if answer == 0 {
                std::thread::spawn(move || {
                    std::thread::sleep(Duration::from_secs(60));
                    drop(stream);
                });
                continue;
            }
            if answer == 200 {
                let path = first.split(' ').nth(1).unwrap_or_default().to_owned();
                own.lock().unwrap().push((path, bearer, serde_json::from_slice(&body).unwrap()));
            }
            let mut out = &stream;
            let _ = write!(out, "HTTP/1.1 {answer} It\r\nContent-Length: 2\r\nConnection: close\r\n\r\nno");
        }
    });
    (address, heard)
}

/// A watch that goes on, with the lines that it prints.
struct Running {
    child: std::process::Child,
    lines: Receiver<String>,
    notes: Receiver<String>,
}

impl Running {
    fn start(stage: &Stage, words: &[&str]) -> Self {
        let mut command = stage.command(["watch"].iter().chain(words));
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        let read = |from: Box<dyn Read + Send>| {
            let (send, lines) = channel();
            std::thread::spawn(move || {
                BufReader::new(from).lines().map_while(Result::ok).try_for_each(|line| send.send(line))
            });
            lines
        };
        let lines = read(Box::new(child.stdout.take().unwrap()));
        let notes = read(Box::new(child.stderr.take().unwrap()));
        Self { child, lines, notes }
    }

    #[track_caller]
    fn until(from: &Receiver<String>, text: &str) -> Vec<String> {
        let until = Instant::now() + Duration::from_secs(40);
        let mut before = Vec::new();
        while Instant::now() < until {
            if let Ok(line) = from.recv_timeout(Duration::from_millis(200)) {
                before.push(line);
                if before.last().unwrap().contains(text) {
                    return before;
                }
            }
        }
        panic!("`{text}` was not told: {before:#?}");
    }

    fn end(mut self) -> Option<i32> {
        Command::new("kill").args(["-INT", &self.child.id().to_string()]).status().unwrap();
        let until = Instant::now() + Duration::from_secs(40);
        while Instant::now() < until {
            if let Some(status) = self.child.try_wait().unwrap() {
                return status.code();
            }
            std::thread::sleep(Duration::from_millis(50));
        }
        drop(self.child.kill());
        None
    }
}

fn wait_for(what: &str, is_so: impl Fn() -> bool) {
    let until = Instant::now() + Duration::from_secs(40);
    while !is_so() {
        assert!(Instant::now() < until, "{what}");
        std::thread::sleep(Duration::from_millis(50));
    }
}

#[test]
fn a_hook_that_is_slow_gone_or_wrong_holds_nothing_up_and_loses_nothing() {
    let mut week = Week::new();
    let status = Arc::new(AtomicU16::new(0));
    let (address, heard) = hook(&status);
    let watch = format!(
        "\n[watch]\nevery = \"300ms\"\nhook = \"{address}/talk/{{secret}}\"\nbody = '{{\"text\": \"{{title}}\", \"kind\": \"{{kind}}\"}}'\n"
    );
    week.stage.write("kanon.toml", week.stage.read("kanon.toml") + &watch);
    week.stage.kanon(["watch", "--once"]).ends_with(2).says("KANON_HOOK_SECRET");
    week.stage.env.push(("KANON_HOOK_SECRET".to_owned(), "s3cr3t-word".to_owned()));
    let running = Running::start(&week.stage, &["--format", "json"]);
    Running::until(&running.lines, "watch-began");
    // Nobody answers, and looking goes on.
    let radio = week.file_of("station", "drift-radio");
    let kept = std::fs::read(&radio).unwrap();
    std::fs::remove_file(&radio).unwrap();
    let begun = Instant::now();
    Running::until(&running.lines, "install-off");
    std::fs::write(&radio, &kept).unwrap();
    Running::until(&running.lines, "install-in-line");
    assert!(begun.elapsed() < Duration::from_secs(8), "the hook holds the watch up: {:?}", begun.elapsed());
    let told = Running::until(&running.notes, "did not take what is told").join("\n");
    assert!(told.contains("nothing came for 10 seconds") && !told.contains("s3cr3t"), "{told}");
    // Wrong for a while, then right: each is heard once, in its order.
    status.store(503, Ordering::SeqCst);
    std::thread::sleep(Duration::from_secs(6));
    status.store(200, Ordering::SeqCst);
    wait_for("all three are heard", || heard.lock().unwrap().len() >= 3);
    Running::until(&running.notes, "takes what is told again");
    assert_eq!(running.end(), Some(0));
    let heard = heard.lock().unwrap();
    let kinds: Vec<&str> = heard.iter().map(|(_, _, body)| body["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["watch-began", "install-off", "install-in-line"]);
    assert!(heard.iter().all(|(path, bearer, _)| path == "/talk/s3cr3t-word" && bearer.is_empty()));
    assert_eq!(heard[1].2["text"], "station: off the canon in 1");
    let journal = std::fs::read(week.stage.path(".kanon/journal.db")).unwrap();
    assert!(!String::from_utf8_lossy(&journal).contains("s3cr3t"), "the secret is nowhere in the workspace");
    week.says("");
}

#[test]
fn what_nobody_took_is_kept_for_the_next_time_and_a_command_is_told_too() {
    let week = Week::new();
    let status = Arc::new(AtomicU16::new(404));
    let (address, heard) = hook(&status);
    let watch = format!("\n[watch]\nhook = \"{address}\"\ncommand = [\"sh\", \"-c\", \"cat >> told.jsonl\"]\n");
    week.stage.write("kanon.toml", week.stage.read("kanon.toml") + &watch);
    let mut stage = week.stage;
    stage.env.push(("KANON_HOOK_SECRET".to_owned(), "bearer-word".to_owned()));
    stage.kanon(["watch", "--once"]).ends_with(0).says("it answered 404").hides("bearer-word");
    let told: Value = serde_json::from_str(stage.read("told.jsonl").trim()).unwrap();
    assert_eq!(told["kind"], "watch-began");
    fits_its_schema("change", &told);
    // Another start takes it up where it was: what the hook would not have waits longer than what may pass.
    status.store(200, Ordering::SeqCst);
    if has_faketime() {
        let week = Week { stage, log: String::new(), told: Vec::new() };
        assert_eq!(week.look("+2h", &["-q"]).code, Some(0));
        let heard = heard.lock().unwrap();
        assert_eq!(heard.len(), 1, "{heard:?}");
        assert_eq!((heard[0].1.as_str(), &heard[0].2["kind"]), ("Bearer bearer-word", &json!("watch-began")));
    }
}

#[test]
fn two_watches_don_t_tell_twice_and_an_end_is_clean() {
    let week = Week::new();
    let running = Running::start(&week.stage, &["--every", "200ms"]);
    Running::until(&running.lines, "watching 4 installs");
    let wishes = week.stage.read("kanon.toml");
    week.stage.write("kanon.toml", wishes.replace("[policy]", "[policy"));
    Running::until(&running.lines, "nothing can be looked at");
    week.stage.write("kanon.toml", &wishes);
    let told = Running::until(&running.lines, "everything can be looked at again");
    assert_eq!(told.iter().filter(|line| line.contains("can be looked at")).count(), 1, "told once: {told:?}");
    week.stage.kanon(["watch", "--once"]).ends_with(2).says("ines in");
    assert_eq!(running.end(), Some(0));
    let again = week.stage.kanon(["watch", "--once"]).ends_with(0);
    assert_eq!(again.out, "", "it was told before");
    week.stage.kanon(["watch", "--every", "soon"]).ends_with(2).says("no span of time");
    week.stage.kanon(["watch", "--mend", "nobody"]).ends_with(2).says("station, mara, oskar, wren");
}

/// Who watches from another folder is told commands that work there, as by a check; and the page says the same.
#[test]
fn commands_are_told_as_they_work_where_the_watch_was_started() {
    let week = Week::new();
    week.stage.kanon(["-C", ".", "watch", "--once"]).ends_with(0);
    std::fs::remove_file(week.file_of("wren", "halogen")).unwrap();
    let change = week.stage.kanon(["-C", ".", "watch", "--once", "--format", "json"]).ends_with(1).json();
    let remedy = change["findings"][0]["remedy"].as_str().unwrap().to_owned();
    assert!(remedy.contains("kanon -C . align wren"), "{remedy}");
    week.stage.kanon(["report", "--format", "html"]).says(&remedy);
    week.stage.kanon(["-C", ".", "check", "wren"]).ends_with(1).says(&remedy);
}

/// A log that no pattern of the rulebook knows: only what is sure is told, and nothing of a healthy evening.
#[test]
fn a_log_that_nobody_described_raises_no_false_alarm() {
    let mut week = Week::new();
    let rulebook = week.stage.read("polarspur.rulebook.toml");
    let events = rulebook.find("# What the station's console says").unwrap();
    week.stage.write("polarspur.rulebook.toml", &rulebook[..events]);
    week.stage.kanon(["seal"]).ends_with(0);
    week.stage.kanon(["watch", "--once"]).ends_with(0);
    for day in 1..4 {
        week.says(&format!(
            "18:0{day}:00 harbour opens\n18:0{day}:10 loading aurora-core 1.4.0\n18:0{day}:11 loading snowtrack 3.2.1 (texture missing, using default)\n18:0{day}:30 Tove arrives\n18:0{day}:31 Tove is aboard\n"
        ));
        let said = week.stage.kanon(["watch", "--once", "--format", "json"]);
        assert!(!said.out.contains("join-refused"), "{}", said.out);
    }
}
