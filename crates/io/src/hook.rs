//! What is told to others: a message posted to an address, and a command that is handed one. Both are given a bounded time.

use std::io::Write;
use std::path::Path;
use std::process::{ExitStatus, Stdio};
use std::time::{Duration, Instant};

use displaydoc::Display;
use reqwest::StatusCode;
use reqwest::header::{AUTHORIZATION, CONTENT_TYPE};

use crate::origin::{innermost, runtime};
use crate::running;

/// How long an address, or a command, is waited for.
pub const WAIT: Duration = Duration::from_secs(10);
/// So much of an answer is read.
const ANSWER: usize = 400;

/// A message for an address.
#[derive(Debug, Clone)]
pub struct Post {
    /// The address, whole: with its secret, where it has one. It is never told.
    pub url: String,
    /// What proves who sends it, where that is not in the address.
    pub bearer: Option<String>,
    /// The message, in JSON.
    pub body: String,
}

/// A message that was not taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotTaken {
    /// Why not.
    pub why: Untaken,
    /// Whether trying again may help: nobody answered, or asked for time.
    pub may_pass: bool,
}

/// Why a message was not taken. It holds nothing of the address.
#[derive(Debug, Clone, PartialEq, Eq, Display)]
pub enum Untaken {
    /// {0}
    Told(String),
    /// it is no address that a message can be sent to
    NoAddress,
    /// it answered {0}
    Answered(StatusCode),
    /// it answered {0}: {1}
    Said(StatusCode, String),
    /// nothing came for {0} seconds
    Silent(u64),
    /// it ended with {0}
    Ended(ExitStatus),
    /// it had not ended after {0} seconds
    NotEnded(u64),
}

impl Untaken {
    fn told(error: &dyn std::error::Error) -> Self {
        Self::Told(error.to_string())
    }

    fn answer(status: StatusCode, said: String) -> Self {
        if said.is_empty() { Self::Answered(status) } else { Self::Said(status, said) }
    }
}

/// Posts a message.
///
/// # Errors
/// When nobody takes it within ten seconds.
pub fn post(message: &Post) -> Result<(), NotTaken> {
    let passing = |why: Untaken| NotTaken { why, may_pass: true };
    let runtime = runtime().map_err(|error| passing(Untaken::told(&error)))?;
    let no_address = |_| NotTaken { why: Untaken::NoAddress, may_pass: false };
    let url: url::Url = message.url.parse().map_err(no_address)?;
    runtime.block_on(async {
        let client = reqwest::Client::builder()
            .timeout(WAIT)
            // A message goes where the administrator said, and nowhere else.
            .redirect(reqwest::redirect::Policy::none())
            .user_agent(concat!("kanon/", env!("CARGO_PKG_VERSION")))
            .build()
            .map_err(|error| passing(words(error)))?;
        let mut request = client.post(url).header(CONTENT_TYPE, "application/json").body(message.body.clone());
        if let Some(bearer) = &message.bearer {
            request = request.header(AUTHORIZATION, format!("Bearer {bearer}"));
        }
        let mut answer = request.send().await.map_err(|error| passing(words(error)))?;
        let status = answer.status();
        if status.is_success() {
            return Ok(());
        }
        let mut said: Vec<u8> = Vec::new();
        while let Ok(Some(chunk)) = answer.chunk().await {
            said.extend_from_slice(&chunk);
            if said.len() >= ANSWER {
                break;
            }
        }
        said.truncate(ANSWER);
        let said = kanon_core::base::path::printable(String::from_utf8_lossy(&said).trim());
        let may_pass = status.is_server_error() || matches!(status.as_u16(), 408 | 425 | 429);
        Err(NotTaken { why: Untaken::answer(status, said), may_pass })
    })
}

/// What went wrong, without the address: that may hold a secret.
fn words(error: reqwest::Error) -> Untaken {
    match error.is_timeout() {
        true => Untaken::Silent(WAIT.as_secs()),
        false => Untaken::Told(innermost(&error.without_url())),
    }
}

/// Hands a message to a command of the administrator's, on its standard input; one that takes too long is ended.
///
/// # Errors
/// When it can't be started, or does not end well within ten seconds.
pub fn hand_over(words: &[String], folder: &Path, message: &str) -> Result<(), NotTaken> {
    let passing = |why: Untaken| NotTaken { why, may_pass: true };
    let Some((mut command, _)) = running::command(words, folder).map_err(|error| passing(Untaken::told(&error)))?
    else {
        return Ok(());
    };
    let mut child =
        command.stdin(Stdio::piped()).stderr(Stdio::null()).spawn().map_err(|error| passing(Untaken::told(&error)))?;
    if let Some(mut input) = child.stdin.take() {
        let message = message.to_owned();
        // A command that reads nothing must not hold us up.
        std::thread::spawn(move || input.write_all(message.as_bytes()));
    }
    let until = Instant::now() + WAIT;
    loop {
        match child.try_wait().map_err(|error| passing(Untaken::told(&error)))? {
            Some(status) if status.success() => return Ok(()),
            Some(status) => return Err(passing(Untaken::Ended(status))),
            None if Instant::now() > until => {
                let _ = child.kill();
                let _ = child.wait();
                return Err(passing(Untaken::NotEnded(WAIT.as_secs())));
            }
            None => std::thread::sleep(Duration::from_millis(20)),
        }
    }
}

#[cfg(all(test, unix))]
#[path = "tests/hook.rs"]
mod tests;
