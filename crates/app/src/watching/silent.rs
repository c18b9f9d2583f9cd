//! Whoever watches use cases while nobody may be there: keeps what is told, asks nothing, and draws nothing.

use std::path::Path;
use std::sync::Arc;

use kanon_core::rulebook::Role;
use kanon_io::install::{HostKey, Secret};
use kanon_io::progress::Progress;
use parking_lot::Mutex;

use crate::error::AppError;
use crate::notice::Notice;
use crate::observer::{Asker, Observer, OnBreak, Task};

/// An observer that stands before another one.
pub struct Silent<'o> {
    behind: &'o dyn Observer,
    /// Whether somebody may be asked for a password or about a host.
    may_ask: bool,
    notices: Mutex<Vec<Notice>>,
}

impl<'o> Silent<'o> {
    /// Before another one, which still hears of breaks, and answers for hosts where somebody may be asked.
    pub fn new(behind: &'o dyn Observer, may_ask: bool) -> Self {
        Self { behind, may_ask, notices: Mutex::new(Vec::new()) }
    }

    /// What was told since this was last asked.
    pub fn take(&self) -> Vec<Notice> {
        std::mem::take(&mut self.notices.lock())
    }
}

/// Progress that nobody sees.
struct Unseen;

impl Progress for Unseen {
    fn ahead(&self, _: u64) {}

    fn done(&self, _: u64) {}
}

/// Nobody is there to answer.
struct Nobody;

impl Asker for Nobody {
    fn password(&self, _: &str) -> Option<Secret> {
        None
    }

    fn passphrase(&self, _: &Path) -> Option<Secret> {
        None
    }

    fn may_keep_password(&self) -> bool {
        false
    }

    fn trusts(&self, _: &HostKey) -> bool {
        false
    }
}

impl Observer for Silent<'_> {
    fn notice(&self, notice: Notice) {
        self.notices.lock().push(notice);
    }

    fn tells_again(&self) -> bool {
        false
    }

    fn begin(&self, _: Task) -> Box<dyn Progress + Send + '_> {
        Box::new(Unseen)
    }

    fn may_take_off_needed(&self) -> Result<bool, AppError> {
        Ok(false)
    }

    fn role_of(&self, _: &str) -> Result<Option<Role>, AppError> {
        Ok(None)
    }

    fn asker(&self) -> Arc<dyn Asker> {
        if self.may_ask { self.behind.asker() } else { Arc::new(Nobody) }
    }

    fn on_break(&self, what: OnBreak) {
        self.behind.on_break(what);
    }

    fn keep_order(&self, keeps: bool) {
        self.behind.keep_order(keeps);
    }

    fn is_break_asked(&self) -> bool {
        self.behind.is_break_asked()
    }
}
