//! How long a place that is far away is waited for, and how often it is tried again.

use std::time::Duration;

/// However much comes each time, a place that breaks off so often is given up.
const ATTEMPTS: u32 = 10_000;

/// How patient Kanon is with a place.
#[derive(Debug, Clone, Copy)]
pub struct RetryPolicy {
    /// How long a connection may take.
    pub connect: Duration,
    /// How long nothing may come.
    pub silence: Duration,
    /// How often in a row a download may break off without a byte more.
    pub tries: u32,
    /// How long to wait before the second try; each further one waits twice as long.
    pub pause: Duration,
}

impl Default for RetryPolicy {
    fn default() -> Self {
        Self {
            connect: Duration::from_secs(15),
            silence: Duration::from_secs(30),
            tries: 4,
            pause: Duration::from_millis(400),
        }
    }
}

impl RetryPolicy {
    /// So long that a place which gives nothing is given up after about that many seconds.
    pub fn of_seconds(seconds: u64) -> Self {
        let whole = Duration::from_secs(seconds);
        Self { connect: whole.min(Duration::from_secs(15)), silence: whole, tries: 4, pause: whole / 30 }
    }
}

/// How often a place has failed us, and how long to wait.
pub struct Retry {
    patience: RetryPolicy,
    attempts: u32,
    failures: u32,
    pause: Duration,
}

impl Retry {
    /// No failures yet.
    pub const fn new(patience: RetryPolicy) -> Self {
        Self { patience, attempts: 0, failures: 0, pause: Duration::ZERO }
    }

    /// Whether to try again after a failure, once [`Retry::rest`] or [`Retry::wait`] is over. A line that drops now and then
    /// is no reason to wait, one that gives nothing is.
    pub fn again(&mut self, came_further: bool) -> bool {
        self.attempts += 1;
        self.failures = if came_further { 0 } else { self.failures + 1 };
        if self.failures >= self.patience.tries || self.attempts >= ATTEMPTS {
            return false;
        }
        self.pause = match self.failures.checked_sub(1) {
            Some(before) => self.patience.pause.saturating_mul(1 << before.min(16)).min(self.patience.silence),
            None => Duration::ZERO,
        };
        true
    }

    /// Waits before the next try, and this thread with it.
    pub fn rest(&self) {
        std::thread::sleep(self.pause);
    }

    /// Waits before the next try; other work goes on meanwhile.
    pub async fn wait(&self) {
        tokio::time::sleep(self.pause).await;
    }
}
