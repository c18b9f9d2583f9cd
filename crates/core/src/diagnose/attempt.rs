//! Which events bear on the join in question: what the last run of the program said while it started, and what came of the last try.
//!
//! Logs go on from run to run, and people mend things in between. What an earlier run said of its mods, and what an earlier
//! try came to, is no evidence.

use crate::base::ids::same_name;
use std::collections::HashSet;

use crate::logs::LogEvent;
use crate::rulebook::Event;

/// The events of one log that bear on a join.
#[derive(Debug, Clone, Default)]
pub struct Join<'e> {
    /// The events, in the order of the log.
    pub events: Vec<&'e LogEvent>,
    /// Whether the player was let in, as far as the log tells.
    pub was_let_in: bool,
    /// Whether the log tells of a failure at all: a refusal, or a start that came to nothing.
    pub has_failed: bool,
    /// The line from which on it is about this join.
    pub from_line: u64,
    /// The player whose try it is, as far as is known.
    pub player: Option<&'e str>,
}

/// The events that bear on the last join of a player, or of anybody, out of the events of one log.
pub fn of_last_join<'e>(events: &'e [LogEvent], player: Option<&str>) -> Join<'e> {
    let of_player = |event: &LogEvent| match (player, &event.player) {
        (Some(wanted), Some(named)) => same_name(wanted, named),
        _ => true,
    };
    let is_try = |event: &LogEvent| {
        matches!(event.means, Event::JoinTried | Event::JoinRefused | Event::JoinAccepted) && of_player(event)
    };
    let (mut begin, mut end) = last_run(events);
    let mut run = &events[begin..end];
    // A server that came up again since, and that nobody has tried: the try is of the run before.
    while run.iter().any(|event| event.means == Event::Ready) && !run.iter().any(is_try) {
        let (earlier, until) = last_run(&events[..begin]);
        if earlier == until || !events[earlier..until].iter().any(is_try) {
            break;
        }
        (begin, end) = (earlier, until);
        run = &events[begin..end];
    }
    let last_try = run.iter().rposition(|event| event.means == Event::JoinTried && of_player(event)).or_else(|| {
        // Logs that don't tell of tries: behind the end of the one before.
        let last = run.iter().rposition(is_try)?;
        Some(run[..last].iter().rposition(is_end).map_or(0, |end| end + 1))
    });
    let ready = run.iter().position(|event| event.means == Event::Ready);
    let first_try = run.iter().position(|event| event.means == Event::JoinTried);
    let booted = ready.or(first_try).or(last_try).unwrap_or(run.len());
    let whose = last_try.and_then(|last| run[last..].iter().find(|event| is_try(event))?.player.as_deref());
    // A player may be called otherwise in other lines: of others is what is of somebody who tried.
    let tries = run.iter().filter(|event| event.means == Event::JoinTried);
    let triers: HashSet<String> = tries.filter_map(|event| Some(event.player.as_ref()?.to_ascii_lowercase())).collect();
    let is_of_another = |event: &LogEvent| match (player, whose, &event.player) {
        (None, Some(whose), Some(named)) if !same_name(whose, named) => triers.contains(&named.to_ascii_lowercase()),
        _ => !of_player(event),
    };
    let bears = |(place, event): &(usize, &LogEvent)| {
        let is_of_start = *place <= booted && event.player.is_none();
        let is_of_try = last_try.is_none_or(|start| *place >= start);
        // What a running server says beside the try of somebody may still be about it.
        !is_of_another(event) && (is_of_start || is_of_try)
    };
    let bearing: Vec<&LogEvent> = run.iter().enumerate().filter(bears).map(|(_, event)| event).collect();
    let verdict = bearing.iter().rfind(|event| is_end(event));
    let was_let_in = verdict.is_some_and(|event| event.means == Event::JoinAccepted)
        && !bearing.iter().rev().take_while(|event| !is_end(event)).any(|event| is_failure(event));
    let never_up = ready.is_none() && bearing.iter().any(|event| event.own_side().is_some());
    Join {
        has_failed: verdict.is_some_and(|event| event.means == Event::JoinRefused)
            || never_up
            || bearing.iter().any(|event| is_failure(event)),
        was_let_in,
        player: whose,
        // What stands before the first line that is known may be of the same run, where no earlier one is known.
        from_line: match last_try.and_then(|start| run.get(start)) {
            Some(start) => start.line,
            None if begin == 0 => 0,
            None => run.first().map_or(0, |event| event.line),
        },
        events: bearing,
    }
}

fn is_end(event: &LogEvent) -> bool {
    matches!(event.means, Event::JoinAccepted | Event::JoinRefused)
}

fn is_failure(event: &LogEvent) -> bool {
    matches!(event.means, Event::Crash | Event::TimeOut | Event::OutOfMemory | Event::JoinRefused)
}

/// The place of the last run of the program among events. A run begins where the log says so; where it never does, with what stands
/// between the last word of one run and the next time that the server is up.
fn last_run(events: &[LogEvent]) -> (usize, usize) {
    let end = events.len();
    if let Some(start) = events.iter().rposition(|event| event.means == Event::Starting) {
        return (start, end);
    }
    let Some(ready) = events.iter().rposition(|event| event.means == Event::Ready) else { return (0, end) };
    let is_of_a_running_one =
        |event: &LogEvent| is_end(event) || matches!(event.means, Event::JoinTried | Event::Ready | Event::Lag);
    // Loading that begins anew behind the last try is a start that came to nothing yet.
    let behind = events[ready + 1..].iter().rposition(is_of_a_running_one).map_or(ready, |last| ready + 1 + last);
    let begins_anew = events[behind + 1..].iter().any(|event| {
        matches!(event.means, Event::ModLoaded | Event::ModFailed)
            || (event.player.is_none() && event.own_side().is_some())
    });
    if begins_anew && behind > ready {
        return (behind + 1, end);
    }
    let begin = events[..ready].iter().rposition(is_of_a_running_one).map_or(0, |last| last + 1);
    (begin, end)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::finding::Code;
    use crate::logs::{LogReader, Source};
    use crate::rulebook::{Role, Rulebook};

    fn read(log: &str) -> Vec<LogEvent> {
        let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
        let rulebook: Rulebook = crate::rulebook::parse("polarspur", text).expect("a rulebook").value;
        let mut reader = LogReader::new(&rulebook.events, Role::Server, Source::ServerLog);
        log.lines().enumerate().for_each(|(at, line)| reader.line(at as u64 + 1, line.as_bytes()));
        reader.finish()
    }

    fn causes(log: &str, player: Option<&str>) -> Vec<(Code, u64)> {
        let events = read(log);
        let join = of_last_join(&events, player);
        join.events.iter().filter_map(|event| Some((event.cause()?, event.line))).collect()
    }

    const LOG: &str = "gate: open on port 4100\ngate: Mara is at the door\ngate: Mara lacks fog 1.0\ngate: turned Mara away\n\
        gate: Wren is at the door\ngate: Wren came in\ngate: Mara is at the door\ngate: Mara has tide 2.0, this station has 2.1\ngate: turned Mara away\n";

    #[test]
    fn only_the_last_join_of_the_player_counts() {
        assert_eq!(causes(LOG, Some("mara")), [(Code::VersionOther, 8)]);
        assert_eq!(causes(LOG, Some("Wren")), []);
        assert_eq!(causes(LOG, None), [(Code::VersionOther, 8)]);
        let events = read(LOG);
        assert!(of_last_join(&events, Some("wren")).was_let_in && of_last_join(&events, Some("mara")).has_failed);
        assert_eq!(of_last_join(&events, Some("mara")).from_line, 7);
    }

    #[test]
    fn what_an_earlier_run_said_is_of_before() {
        let again = format!(
            "mods: could not open fog.psm\n{LOG}mods: fog is here twice\ngate: open on port 1\ngate: Mara is at the door\ngate: turned Mara away\n"
        );
        assert_eq!(causes(&again, None), [(Code::ModDuplicate, 11)]);
        let up_again = format!("{LOG}mods: woke fog 1\ngate: open on port 1\n");
        assert_eq!(causes(&up_again, Some("mara")), [(Code::VersionOther, 8)], "nobody has tried since");
        let not_up = format!("{LOG}mods: woke fog 1\nmods: fog is here twice\n");
        assert_eq!(causes(&not_up, Some("mara")), [(Code::ModDuplicate, 11)], "it does not even start");
        assert!(of_last_join(&read(&not_up), None).has_failed);
    }

    #[test]
    fn tries_that_go_on_side_by_side_are_told_apart() {
        let log = "gate: open on port 1\ngate: Wren is at the door\ngate: Mara is at the door\ngate: Wren lacks fog 1.0\n\
            gate: Mara has tide 2.0, this station has 2.1\ngate: turned Wren away\ngate: turned Mara away\n";
        assert_eq!(causes(log, None), [(Code::VersionOther, 5)], "it is the last try that counts");
        assert_eq!(causes(log, Some("wren")), [(Code::ModMissing, 4)]);
        assert_eq!(of_last_join(&read(log), None).player, Some("Mara"));
        // Somebody who never tried may be the same player, called otherwise.
        let renamed = "gate: Mara is at the door\ngate: mara_7 lacks fog 1.0\ngate: turned Mara away\n";
        assert_eq!(causes(renamed, None), [(Code::ModMissing, 2)]);
        assert_eq!(causes(renamed, Some("Mara")), []);
    }
}
