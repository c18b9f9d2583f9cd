use std::path::Path;
use std::time::{Duration, Instant};

use super::*;

const NOW: i64 = 1_795_000_000;

fn telling(script: &str, folder: &Path) -> Ways {
    let words = ["sh", "-c", script].map(str::to_owned).to_vec();
    Ways { command: Some((words, folder.to_owned())), hook: None }
}

/// Goes on until nothing is in hand any more, and says what was told.
fn settled(outbox: &mut Outbox, ways: &Ways, now: i64) -> Vec<Delivery> {
    let until = Instant::now() + Duration::from_secs(20);
    let mut told = outbox.go_on(ways, now);
    while outbox.is_busy(now) {
        assert!(Instant::now() < until, "it comes to no end");
        std::thread::sleep(Duration::from_millis(5));
        told.extend(outbox.go_on(ways, now));
    }
    told
}

fn outbox() -> (Outbox, State) {
    let state = State::in_memory().expect("a state");
    (Outbox::open(&state).expect("an outbox"), state)
}

#[test]
fn messages_come_in_their_order_and_again_until_they_are_taken() {
    let temp = tempfile::tempdir().expect("a folder");
    let (mut outbox, state) = outbox();
    let ways = telling("test -e open && cat >> told", temp.path());
    for word in ["one\n", "two\n"] {
        outbox.add(Way::Command, word.to_owned(), NOW);
    }
    let told = settled(&mut outbox, &ways, NOW);
    assert!(matches!(told.as_slice(), [Delivery::NotTaken { way: Way::Command, .. }]), "told once: {told:?}");
    // The second waits for the first; both survive a new start.
    outbox.keep(&state).expect("kept");
    let mut outbox = Outbox::open(&state).expect("an outbox");
    assert_eq!(settled(&mut outbox, &ways, NOW + 1), [], "it is too early");
    std::fs::write(temp.path().join("open"), "").expect("written");
    let told = settled(&mut outbox, &ways, NOW + 600);
    assert_eq!(told, [Delivery::TakenAgain(Way::Command)]);
    assert_eq!(std::fs::read_to_string(temp.path().join("told")).expect("told"), "one\ntwo\n");
    assert!(outbox.waiting.is_empty());
}

#[test]
fn pauses_grow_and_what_nobody_will_take_waits_longer() {
    let temp = tempfile::tempdir().expect("a folder");
    let (mut outbox, _) = outbox();
    let ways = telling("exit 1", temp.path());
    outbox.add(Way::Command, "one".to_owned(), NOW);
    let mut now = NOW;
    let mut pauses = Vec::new();
    for _ in 0..8 {
        settled(&mut outbox, &ways, now);
        let next = outbox.waiting[0].next;
        pauses.push(next - now);
        now = next;
    }
    assert_eq!(pauses, [5, 20, 60, 300, 900, 3_600, 3_600, 3_600]);
    let mut told = Vec::new();
    outbox.add(Way::Hook, "two".to_owned(), now);
    let number = outbox.next_number;
    outbox.settle(number, Err(NotTaken { why: Untaken::Told("404".to_owned()), may_pass: false }), now, &mut told);
    assert_eq!(outbox.waiting[1].next - now, 300);
}

#[test]
fn what_waits_is_bounded_in_number_and_in_time() {
    let temp = tempfile::tempdir().expect("a folder");
    let (mut outbox, _) = outbox();
    let ways = telling("exit 1", temp.path());
    for number in 0..600 {
        outbox.add(Way::Command, number.to_string(), NOW);
    }
    let told = outbox.go_on(&ways, NOW);
    assert!(told.contains(&Delivery::Dropped(100)), "{told:?}");
    assert_eq!(outbox.waiting[0].message, "100", "the oldest go");
    settled(&mut outbox, &ways, NOW);
    let told = outbox.go_on(&ways, NOW + LASTS);
    assert_eq!(told, [Delivery::Dropped(500)], "nobody wants to hear of it after three days");
}

#[test]
fn what_nobody_is_to_be_told_any_more_is_dropped() {
    let (mut outbox, _) = outbox();
    outbox.add(Way::Hook, "one".to_owned(), NOW);
    assert_eq!(outbox.go_on(&Ways::default(), NOW), [Delivery::Dropped(1)]);
    assert!(outbox.waiting.is_empty() && !outbox.is_busy(NOW));
}
