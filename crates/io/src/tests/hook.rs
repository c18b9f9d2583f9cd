use super::*;
use rstest::rstest;
use std::io::{BufRead, BufReader, Read};
use std::net::TcpListener;
use std::sync::mpsc::{Receiver, channel};

/// A place that gives one answer to whoever asks; what was sent to it comes back.
fn place(answer: &'static str) -> (String, Receiver<(String, String)>) {
    let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
    let address = format!("http://{}/rooms/s3cr3t", listener.local_addr().expect("an address"));
    let (send, heard) = channel();
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            let mut reader = BufReader::new(stream.try_clone().expect("a stream"));
            let (mut head, mut length) = (String::new(), 0_usize);
            loop {
                let mut line = String::new();
                if reader.read_line(&mut line).unwrap_or(0) == 0 || line.trim().is_empty() {
                    break;
                }
                if let Some(value) = line.to_lowercase().strip_prefix("content-length:") {
                    length = value.trim().parse().unwrap_or(0);
                }
                head.push_str(&line);
            }
            let mut body = vec![0; length];
            let _ = reader.read_exact(&mut body);
            let mut out = &stream;
            let _ = out.write_all(answer.as_bytes());
            if send.send((head, String::from_utf8_lossy(&body).into_owned())).is_err() {
                break;
            }
        }
    });
    (address, heard)
}

fn message(url: &str) -> Post {
    Post { url: url.to_owned(), bearer: Some("word".to_owned()), body: r#"{"a": 1}"#.to_owned() }
}

#[test]
fn a_message_is_sent_as_it_is_with_what_proves_who_sends() {
    let (address, heard) = place("HTTP/1.1 204 No Content\r\nConnection: close\r\n\r\n");
    post(&message(&address)).expect("it is taken");
    let (head, body) = heard.recv().expect("it was heard");
    assert!(head.starts_with("POST /rooms/s3cr3t HTTP/1.1\r\n"), "{head}");
    let head = head.to_lowercase();
    assert!(head.contains("authorization: bearer word") && head.contains("content-type: application/json"), "{head}");
    assert_eq!(body, r#"{"a": 1}"#);
}

#[rstest]
#[case::gone(
    "HTTP/1.1 404 Not Found\r\nContent-Length: 7\r\nConnection: close\r\n\r\nno room",
    false,
    "404 Not Found: no room"
)]
#[case::not_let_in("HTTP/1.1 401 Unauthorized\r\nContent-Length: 0\r\nConnection: close\r\n\r\n", false, "401")]
#[case::busy("HTTP/1.1 429 Too Many Requests\r\nContent-Length: 0\r\nConnection: close\r\n\r\n", true, "429")]
#[case::ill("HTTP/1.1 503 Service Unavailable\r\nContent-Length: 0\r\nConnection: close\r\n\r\n", true, "503")]
#[case::elsewhere(
    "HTTP/1.1 302 Found\r\nLocation: http://127.0.0.1:1/\r\nContent-Length: 0\r\nConnection: close\r\n\r\n",
    false,
    "302"
)]
#[case::no_http("what is this?\r\n\r\n", true, "")]
fn what_is_not_taken_is_told_without_the_address(
    #[case] answer: &'static str,
    #[case] may_pass: bool,
    #[case] why: &str,
) {
    let (address, _heard) = place(answer);
    let told = post(&message(&address)).expect_err("it is not taken");
    assert_eq!(told.may_pass, may_pass, "{told:?}");
    assert!(
        told.why.to_string().contains(why)
            && !told.why.to_string().contains("s3cr3t")
            && !told.why.to_string().contains("127.0.0.1"),
        "{told:?}"
    );
}

#[test]
fn a_place_that_says_no_end_of_words_is_cut_short_and_steers_no_terminal() {
    let answer = format!("HTTP/1.1 400 Bad\r\nConnection: close\r\n\r\n\u{1b}[2J{}", "x".repeat(100_000));
    let (address, _heard) = place(Box::leak(answer.into_boxed_str()));
    let told = post(&message(&address)).expect_err("it is not taken");
    assert!(
        told.why.to_string().len() < 600 && !told.why.to_string().contains('\u{1b}'),
        "{}",
        told.why.to_string().len()
    );
}

#[test]
fn what_leads_nowhere_is_told_as_that() {
    let told = post(&message("http://127.0.0.1:1/rooms/s3cr3t")).expect_err("nobody is there");
    assert!(told.may_pass && !told.why.to_string().contains("s3cr3t"), "{told:?}");
    let told = post(&message("no address")).expect_err("it is none");
    assert!(!told.may_pass, "{told:?}");
}

#[rstest]
#[case::reads("cat > told", "")]
#[case::reads_nothing("exec 0<&-; echo > told", "")]
#[case::fails("cat > /dev/null; exit 3", "it ended with")]
fn a_command_is_handed_a_message_however_large(#[case] script: &str, #[case] why: &str) {
    let temp = tempfile::tempdir().expect("a folder");
    let words = ["sh", "-c", script].map(str::to_owned);
    let begun = Instant::now();
    let done = hand_over(&words, temp.path(), &"x".repeat(1 << 20));
    assert!(begun.elapsed() < WAIT, "it holds us up");
    match why {
        "" => done.expect("it is taken"),
        why => assert!(done.expect_err("it is not taken").why.to_string().contains(why)),
    }
    assert_eq!(temp.path().join("told").exists(), why.is_empty());
    hand_over(&[], temp.path(), "x").expect("no command is nothing to do");
    let gone = hand_over(&["./nothing".to_owned()], temp.path(), "x").expect_err("there is none");
    assert!(gone.may_pass, "{gone:?}");
}
