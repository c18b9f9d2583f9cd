use super::*;
use crate::logs::set_of;
use std::path::Path;

fn added(log: &Path, mark: &mut Option<LogMark>) -> (Vec<String>, bool) {
    let found = since(&set_of(log).expect("a log"), mark.as_ref()).expect("it can be read").expect("it is there");
    *mark = Some(found.mark);
    (found.lines, found.is_anew)
}

#[test]
fn each_line_is_told_once_and_only_when_it_has_ended() {
    let temp = tempfile::tempdir().expect("a folder");
    let log = temp.path().join("console.log");
    let mut mark = None;
    let mut text = "an old word\n".to_owned();
    let mut write = |more: &str| {
        text.push_str(more);
        std::fs::write(&log, &text).expect("written");
    };
    write("");
    assert_eq!(added(&log, &mut mark), (vec![], false), "what was there before is no news");
    write("one\ntwo\nthr");
    assert_eq!(added(&log, &mut mark).0, ["one", "two"]);
    assert_eq!(added(&log, &mut mark).0, [""; 0]);
    write("ee\r\nfünf\n");
    assert_eq!(added(&log, &mut mark), (vec!["three".to_owned(), "fünf".to_owned()], false));
}

#[test]
fn what_was_rotated_out_is_read_to_its_end_first() {
    let temp = tempfile::tempdir().expect("a folder");
    let log = temp.path().join("console.log");
    let mut mark = None;
    std::fs::write(&log, "same head\none\n").expect("written");
    added(&log, &mut mark);
    std::fs::write(&log, "same head\none\ntwo\n").expect("written");
    std::fs::rename(&log, temp.path().join("console.log.1")).expect("moved");
    std::fs::write(&log, "same head\nthree and a long line so that it is longer than before\n").expect("written");
    let (lines, is_anew) = added(&log, &mut mark);
    assert_eq!(lines, ["two", "same head", "three and a long line so that it is longer than before"]);
    assert!(is_anew);
    std::fs::write(&log, "begun anew\n").expect("written");
    assert_eq!(added(&log, &mut mark), (vec!["begun anew".to_owned()], true));
    std::fs::write(&log, "").expect("written");
    assert_eq!(added(&log, &mut mark), (vec![], true));
}

#[test]
fn bytes_that_are_no_text_stop_nothing() {
    let temp = tempfile::tempdir().expect("a folder");
    let log = temp.path().join("console.log");
    let mut mark = None;
    std::fs::write(&log, b"\xff\xfe\x80 odd\n").expect("written");
    added(&log, &mut mark);
    std::fs::write(&log, b"\xff\xfe\x80 odd\nplain\n\xc3\x28\n").expect("written");
    let lines = added(&log, &mut mark).0;
    assert_eq!((lines.len(), lines[0].as_str()), (2, "plain"));
    assert_eq!(added(&log, &mut mark).0, [""; 0]);
}

#[test]
fn a_log_inside_an_install_is_read_on_and_anew() {
    let temp = tempfile::tempdir().expect("a folder");
    let install = crate::install::LocalInstall::open(temp.path()).expect("open");
    let path = InstallPath::new("logs/now.log").expect("a path");
    assert_eq!(since_inside(&install, &path, None).expect("looked"), None, "there is none");
    std::fs::create_dir(temp.path().join("later")).expect("made");
    std::fs::write(temp.path().join("later/a.log"), "boot\n").expect("written");
    let folder = InstallPath::new("later").expect("a path");
    let first = since_inside(&install, &folder, Some(&LogMark::of_nothing())).expect("looked").expect("there");
    assert_eq!(first.lines, ["boot"], "what was not there when the watch began is new from its first line on");
    std::fs::create_dir(temp.path().join("logs")).expect("made");
    let log = temp.path().join("logs/now.log");
    std::fs::write(&log, "before\n").expect("written");
    let mark = since_inside(&install, &path, None).expect("looked").expect("there").mark;
    let same = since_inside(&install, &path, Some(&mark)).expect("looked").expect("there");
    assert_eq!((same.lines.len(), &same.mark), (0, &mark));
    std::fs::write(&log, "before\none\ntw").expect("written");
    let more = since_inside(&install, &path, Some(&mark)).expect("looked").expect("there");
    assert_eq!((more.lines, more.is_anew), (vec!["one".to_owned()], false));
    std::fs::write(&log, "anew\n").expect("written");
    let anew = since_inside(&install, &path, Some(&more.mark)).expect("looked").expect("there");
    assert_eq!((anew.lines, anew.is_anew), (vec!["anew".to_owned()], true));
}

#[test]
fn of_very_much_at_once_the_end_is_read_from_a_whole_line_on() {
    let temp = tempfile::tempdir().expect("a folder");
    let install = crate::install::LocalInstall::open(temp.path()).expect("open");
    let (path, log) = (InstallPath::new("now.log").expect("a path"), temp.path().join("now.log"));
    std::fs::write(&log, "before\n").expect("written");
    let mark = since_inside(&install, &path, None).expect("looked").expect("there").mark;
    let line = "a line of some length that says nothing at all, over and over again\n";
    let number = usize::try_from(MOST_FAR).expect("small") / line.len() + 5_000;
    std::fs::write(&log, format!("before\n{}last\n", line.repeat(number))).expect("written");
    let more = since_inside(&install, &path, Some(&mark)).expect("looked").expect("there");
    assert!(more.lines.len() < number && more.lines.len() > number - 6_000);
    assert!(more.lines[..more.lines.len() - 1].iter().all(|read| read == line.trim_end()), "no torn line");
    assert_eq!(more.lines.last().map(String::as_str), Some("last"));
}
