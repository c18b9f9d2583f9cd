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
