use std::io::Write;

use rstest::rstest;

use super::*;
use std::fs::File;

const RULES: &str = r#"[[event]]
means = "join-tried"
line = '(?<player>\S+) knocks'
[[event]]
means = "mod-missing"
line = 'lacks (?<mod>\S+)$'
"#;

fn rules() -> Vec<EventRule> {
    crate::rules_of(RULES)
}

fn told(path: &Path) -> Vec<(u64, Option<String>)> {
    let log = read(path, (Role::Server, &rules()), (None, None)).expect("read");
    log.events
        .into_iter()
        .map(|event| (event.line, event.mod_id.map(String::from).or(event.player.map(String::from))))
        .collect()
}

fn kept(folder: &Path, name: &str, bytes: &[u8]) -> PathBuf {
    let path = folder.join(name);
    std::fs::write(&path, bytes).expect("written");
    path
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut writer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    writer.write_all(bytes).expect("packed");
    writer.finish().expect("packed")
}

#[test]
fn lines_are_split_bounded_and_the_last_may_be_torn() {
    let long = vec![b'x'; LOG_LINE_BYTES * 3];
    let log = [b"one\r\n\n", long.as_slice(), b"\ntorn"].concat();
    let mut lines = Vec::new();
    each_line((BufReader::with_capacity(7, log.as_slice()), 1), |number, line| lines.push((number, line.to_vec())))
        .expect("read");
    let expected = [b"one".to_vec(), Vec::new(), long[..LOG_LINE_BYTES].to_vec(), b"torn".to_vec()];
    assert_eq!(lines, (1..).zip(expected).collect::<Vec<_>>());
}

/// A log of many stretches, with known lines at their borders, and a line that is longer than a stretch.
fn large() -> (Vec<u8>, Vec<(u64, Option<String>)>) {
    let (mut log, mut expected, mut number) = (Vec::new(), Vec::new(), 1);
    let mut line = |log: &mut Vec<u8>, text: &[u8]| {
        log.extend_from_slice(text);
        log.push(b'\n');
        number += 1;
        number - 1
    };
    while log.len() < 3 * STRETCH as usize {
        let left = STRETCH as usize - log.len() % STRETCH as usize;
        if left < 200 || left > STRETCH as usize - 200 {
            let at = line(&mut log, b"lacks fog");
            expected.push((at, Some("fog".to_owned())));
        } else {
            line(&mut log, &vec![b'.'; left.saturating_sub(100).clamp(1, 3_000)]);
        }
    }
    line(&mut log, &vec![b'y'; STRETCH as usize * 2 + 77]);
    let at = line(&mut log, b"Mara knocks");
    expected.push((at, Some("Mara".to_owned())));
    log.extend_from_slice(b"lacks torn");
    expected.push((at + 1, Some("torn".to_owned())));
    (log, expected)
}

#[rstest]
#[case::plain(|log: &[u8]| log.to_vec())]
#[case::gzip(gzip)]
#[case::gzip_in_parts(|log: &[u8]| [gzip(&log[..5_000_001]), gzip(&log[5_000_001..])].concat())]
#[case::zstd(|log: &[u8]| zstd::bulk::compress(log, 1).expect("packed"))]
#[case::utf_16(|log: &[u8]| log.iter().flat_map(|byte| [*byte, 0]).collect())]
#[case::utf_16_with_a_mark(|log: &[u8]| [0xfe, 0xff].into_iter().chain(log.iter().flat_map(|byte| [0, *byte])).collect())]
#[case::with_a_mark(|log: &[u8]| [b"\xef\xbb\xbf", log].concat())]
fn a_large_log_however_it_is_stored(#[case] stored: fn(&[u8]) -> Vec<u8>) {
    let temp = tempfile::tempdir().expect("a folder");
    let (log, expected) = large();
    assert!(expected.len() > 5, "there are lines at the borders");
    assert_eq!(told(&kept(temp.path(), "server.log", &stored(&log))), expected);
}

#[test]
fn letters_of_old_code_pages_are_read() {
    let temp = tempfile::tempdir().expect("a folder");
    let path = kept(temp.path(), "a.log", b"J\xf6rg knocks\r\n\xff\xfe\x00\x01\r\nlacks m\xfchle\r\n");
    assert_eq!(told(&path), [(1, Some("Jörg".to_owned())), (3, Some("mühle".to_owned()))]);
}

#[test]
fn what_colours_a_line_on_a_terminal_is_no_part_of_it() {
    let temp = tempfile::tempdir().expect("a folder");
    let path =
        kept(temp.path(), "a.log", b"\x1b[1;32mMara\x1b[0m knocks\r\nlacks \x1b[31mtide\x1b[0m\n\x1b lacks fog\n");
    let named = |name: &str| Some(name.to_owned());
    assert_eq!(told(&path), [(1, named("Mara")), (2, named("tide")), (3, named("fog"))]);
}

#[test]
fn of_very_many_lines_the_last_are_looked_at_and_keep_their_numbers() {
    let temp = tempfile::tempdir().expect("a folder");
    let all = LOG_LINES as u64 * 12 / 10;
    let log: String =
        (1..=all).map(|number| format!("{number} of very many lines, of which each lacks mod-{number}\n")).collect();
    let path = kept(temp.path(), "a.log", log.as_bytes());
    let events = read(&path, (Role::Server, &rules()), (None, None)).expect("read").events;
    assert!(events.iter().all(|event| event.mod_id == Some(format!("mod-{}", event.line).into())));
    assert_eq!(events.last().map(|event| event.line), Some(all));
    let packed = kept(temp.path(), "b.log", &gzip(log.as_bytes()));
    assert_eq!(read(&packed, (Role::Server, &rules()), (None, None)).expect("read").events, events);
}

#[test]
fn older_files_of_a_set_are_read_where_the_join_is_not_in_the_newest() {
    let temp = tempfile::tempdir().expect("a folder");
    let old = |name: &str, bytes: &[u8], hours: u64| {
        let path = kept(temp.path(), name, bytes);
        let file = File::options().append(true).open(path).expect("there");
        file.set_modified(std::time::SystemTime::now() - std::time::Duration::from_secs(hours * 3_600)).expect("set");
    };
    old("server.log.2.gz", &gzip(b"Mara knocks\nlacks older\n"), 2);
    old("server.log.1", b"chatter\nWren knocks\nlacks fog\n", 1);
    old("client.log", b"lacks nothing\n", 0);
    let path = kept(temp.path(), "server.log", b"lacks tide\n");
    let names: Vec<String> = set_of(&path).expect("a set").iter().map(|path| name_of(path)).collect();
    assert_eq!(names, ["server.log", "server.log.1", "server.log.2.gz"]);
    let of = |player: Option<&str>| {
        let log = read(&path, (Role::Server, &rules()), (player, None)).expect("read");
        (log.files.len(), log.events.iter().map(|event| event.text.clone()).collect::<Vec<_>>())
    };
    let (files, events) = of(None);
    assert_eq!((files, events.len(), events[0].as_str()), (2, 3, "(server.log.1) Wren knocks"));
    assert_eq!(of(Some("mara")).0, 3, "her join is further back");
    let names: Vec<String> = set_of(temp.path()).expect("a folder").iter().map(|path| name_of(path)).collect();
    assert_eq!(names.len(), 4, "of a folder all logs count: {names:?}");
}

/// A line of an older file that has the same number is another line.
#[test]
fn hints_are_of_the_newest_file_whatever_older_ones_say_in_their_lines() {
    let temp = tempfile::tempdir().expect("a folder");
    let rulebook =
        crate::rulebook_of(&format!("{RULES}[[event]]\nmeans = \"mod-loaded\"\nline = 'woke (?<mod>\\S+)'\n"));
    kept(temp.path(), "server.log.1", b"woke fog\nchatter\nMara knocks\nlacks fog\n");
    let path = kept(temp.path(), "server.log", b"one\nerror in fog\nfog is missing\nlacks tide\n");
    let log = read(&path, (Role::Server, &rulebook.events), (None, None)).expect("read");
    assert_eq!((log.files.len(), log.older), (2, 3));
    let needles = Needles::new(&rulebook, &[], None, &log.events).expect("needles");
    let found = hints(&log, Source::ServerLog, None, &needles).expect("read");
    assert_eq!(found.iter().map(|hint| hint.line).collect::<Vec<_>>(), [2, 3]);
}

/// Where a long log is looked through for names begins a long way behind its first line.
#[rstest]
#[case::plain_and_ended("\n", false)]
#[case::plain_and_torn("", false)]
#[case::packed("\n", true)]
fn hints_at_the_end_of_a_long_log_keep_the_numbers_of_their_lines(#[case] end: &str, #[case] is_packed: bool) {
    let temp = tempfile::tempdir().expect("a folder");
    let rulebook =
        crate::rulebook_of(&format!("{RULES}[[event]]\nmeans = \"mod-loaded\"\nline = 'woke (?<mod>\\S+)'\n"));
    let told = |number: u64| if number % 20_000 == 7 { "error in fog" } else { "" };
    let lines = 3 * HINTED_LINES;
    let mut text = "woke fog\n".to_owned();
    text.extend((2..lines).map(|number| format!("{}\n", told(number))));
    text.push_str("fog is missing");
    text.push_str(end);
    let bytes = if is_packed { gzip(text.as_bytes()) } else { text.into_bytes() };
    let path = kept(temp.path(), "server.log", &bytes);
    let log = read(&path, (Role::Server, &rulebook.events), (None, None)).expect("read");
    let needles = Needles::new(&rulebook, &[], None, &log.events).expect("needles");
    let found = hints(&log, Source::ServerLog, None, &needles).expect("read");
    assert_eq!(found.iter().map(|hint| hint.line).collect::<Vec<_>>(), [100_007, 120_007, 140_007, lines]);
}

#[rstest]
#[case("server.log", "server.log.1", true)]
#[case("server.log", "server.log.2.gz", true)]
#[case("server.log", "server-2026-11-26.log", true)]
#[case("server.log", "server.log.gz", true)]
#[case("latest.log", "2026-11-26-1.log.gz", true)]
#[case("server.log", "server-client.log", false)]
#[case("server.log", "server2.log", false)]
#[case("server.log", "server.log.bak", false)]
#[case("console", "console.1", true)]
fn names_of_rotated_logs(#[case] own: &str, #[case] name: &str, #[case] expected: bool) {
    assert_eq!(is_rotated(own, name), expected);
}

#[test]
fn only_what_is_not_before_a_moment_counts() {
    let temp = tempfile::tempdir().expect("a folder");
    let path =
        kept(temp.path(), "a.log", b"09:00:00 Mara knocks\n09:00:01 lacks fog\n10:00:00 Mara knocks\nlacks tide\n");
    let log = read(&path, (Role::Server, &rules()), (None, LogTime::typed("09:30"))).expect("read");
    assert_eq!(log.events.iter().map(|event| event.line).collect::<Vec<_>>(), [3, 4]);
    let late = read(&path, (Role::Server, &rules()), (None, LogTime::typed("11:00"))).expect("read");
    assert_eq!(late.events.len(), 1, "a line without a time is taken as of the one before it: {:?}", late.events);
}
