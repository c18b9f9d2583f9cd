//! Ctrl-C: the cursor comes back, and whoever pressed it is told what to do next. Work that must not be left as it is says so, and
//! is given the time to put itself right.

use std::io::{IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, PoisonError};

use crate::{EXIT_FAILED, screen};

/// What is told when somebody breaks off now.
static ADVICE: Mutex<Option<String>> = Mutex::new(None);
/// Whether what goes on now puts itself right when it is asked to end.
static ORDERLY: AtomicBool = AtomicBool::new(false);
static ASKED: AtomicBool = AtomicBool::new(false);

/// Listens for Ctrl-C from now on.
pub fn listen() {
    // Where the system lets nobody listen, it ends the program, as ever.
    let _ = ctrlc::set_handler(on_break);
}

fn on_break() {
    let again = ASKED.swap(true, Ordering::SeqCst);
    if ORDERLY.load(Ordering::SeqCst) && !again {
        tell("stopping as soon as all is put right; press it again to stop at once");
        return;
    }
    let advice = ADVICE.lock().unwrap_or_else(PoisonError::into_inner).clone();
    tell(&advice.unwrap_or_else(|| "stopped; nothing was changed by this command".to_owned()));
    std::process::exit(EXIT_FAILED.into());
}

fn tell(text: &str) {
    let mut err = std::io::stderr();
    let cursor = if err.is_terminal() { "\u{1b}[?25h" } else { "" };
    let _ = write!(err, "{cursor}\n{}\n", screen::plain(text));
}

/// What is to be told of a break from now on.
pub fn advise(advice: impl Into<String>) {
    *ADVICE.lock().unwrap_or_else(PoisonError::into_inner) = Some(advice.into());
}

/// Whether the work that goes on now puts itself right before the program ends.
pub fn keep_order(keeps: bool) {
    ORDERLY.store(keeps, Ordering::SeqCst);
}

/// Whether somebody wants it to end.
pub fn is_asked() -> bool {
    ASKED.load(Ordering::SeqCst)
}
