//! Lifelike files drawn by chance, edited, and judged by parsers and a shell that are none of the program's: no edit may be
//! wrong, and few refused.

#![expect(clippy::disallowed_methods, reason = "the tests run a shell")]
#![expect(clippy::disallowed_macros, reason = "how it came out is told")]

mod case;
#[cfg(unix)]
mod commands;
mod dice;
mod drawn;
mod judges;
mod lists;
mod merged;
mod settings;

use std::collections::BTreeMap;

use case::{Case, Outcome, run};
use dice::Dice;

/// Draws and runs so many cases; each comes out the same for the same number.
fn judged(draw: impl Fn(&mut Dice) -> Case, cases: std::ops::Range<u64>) {
    let mut told: BTreeMap<&'static str, (usize, usize, usize)> = BTreeMap::new();
    let mut reasons: BTreeMap<String, usize> = BTreeMap::new();
    let mut wrong = Vec::new();
    let count = cases.end - cases.start;
    for seed in cases {
        let mut dice = Dice::new(seed);
        let case = draw(&mut dice);
        let row = told.entry(case.kind).or_default();
        match run(&case, &mut dice) {
            Outcome::Right => row.0 += 1,
            Outcome::Refused(why) => {
                row.1 += 1;
                if std::env::var_os("KANON_SHOW_REFUSED").is_some() {
                    println!("refused {seed}: {why}\n{}", case.text);
                }
                *reasons.entry(why).or_default() += 1;
            }
            Outcome::Wrong(why) => {
                row.2 += 1;
                wrong.push(format!("{} {seed}: {why}", case.kind));
            }
        }
    }
    println!("{:14} {:>6} {:>8} {:>6}", "notation", "right", "refused", "wrong");
    for (kind, (right, refused, wrong)) in &told {
        println!("{kind:14} {right:>6} {refused:>8} {wrong:>6}");
    }
    for (why, times) in &reasons {
        println!("refused {times} times: {why}");
    }
    let refused: usize = told.values().map(|(_, refused, _)| refused).sum();
    assert!(
        wrong.is_empty(),
        "{} wrong, the first of them:\n{}",
        wrong.len(),
        wrong[..wrong.len().min(4)].join("\n=====\n")
    );
    assert!(refused as u64 * 100 <= count * 3, "{refused} of {count} are refused");
}

fn seeds(usual: std::ops::Range<u64>) -> std::ops::Range<u64> {
    // Other cases than the usual: a first number, and how many.
    let Ok(said) = std::env::var("KANON_EDITS") else { return usual };
    let (first, count) = said.split_once(',').expect("FIRST,COUNT");
    let first: u64 = first.parse().expect("a number");
    first..first + count.parse::<u64>().expect("a number")
}

#[test]
fn lists_in_documents() {
    judged(lists::list, seeds(0..700));
}

#[test]
fn lists_in_other_manners() {
    judged(lists::layout, seeds(0..400));
}

#[test]
fn settings_in_documents() {
    judged(settings::setting, seeds(0..600));
}

#[test]
fn several_entries_in_one_text() {
    judged(lists::joined, seeds(0..300));
}

#[test]
fn merged_entries() {
    judged(merged::merged, seeds(0..200));
}

#[test]
fn one_mod_on_each_line() {
    judged(lists::lines, seeds(0..100));
}

#[test]
fn scripts_that_a_shell_runs() {
    judged(commands::shell, seeds(0..160));
}

#[test]
fn names_that_mean_something_to_a_shell() {
    judged(commands::odd, seeds(0..80));
}

#[test]
fn amounts_of_memory() {
    judged(commands::memory, seeds(0..80));
}

#[test]
fn options_given_once_for_each() {
    judged(commands::each, seeds(0..80));
}

#[test]
fn options_with_blanks_between() {
    judged(commands::spread, seeds(0..60));
}

#[test]
fn batch_files_services_and_arguments() {
    judged(commands::other, seeds(0..200));
}
