//! The one way out: reports to standard output, everything else to standard error, a closed pipe taken calmly. To use cases it is
//! who watches them.

use std::io::{IsTerminal, Write};
use std::sync::Arc;

use anstream::{AutoStream, ColorChoice};
use indicatif::{MultiProgress, ProgressBar, ProgressDrawTarget, ProgressStyle};
use kanon_app::error::AppError;
use kanon_app::notice::Notice;
use kanon_app::observer::{Asker, Observer, OnBreak, Task};
use kanon_core::rulebook::Role;
use kanon_io::progress::Progress;
use serde::Serialize;

use crate::arguments::{Global, When};
use crate::asking::{self, TerminalAsker};
use crate::breaking;
use crate::failure::Failure;
use crate::screen;
use crate::words::notices;

/// Where reports, notices and progress go.
pub struct Ui {
    choice: ColorChoice,
    quiet: bool,
    /// Whether more is told.
    verbose: bool,
    /// Whether somebody can be asked.
    can_ask: bool,
    /// Installs that are worked on side by side have a bar each.
    bars: MultiProgress,
}

impl Ui {
    pub fn new(global: &Global, color: When) -> Self {
        let choice = match color {
            When::Auto => ColorChoice::Auto,
            When::Always => ColorChoice::Always,
            When::Never => ColorChoice::Never,
        };
        let visible = !global.quiet && std::io::stderr().is_terminal();
        let target = if visible { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() };
        let bars = MultiProgress::with_draw_target(target);
        Self { choice, quiet: global.quiet, verbose: global.verbose, can_ask: asking::can_ask(), bars }
    }

    /// Prints a report.
    pub fn report(&self, text: &str) {
        let mut out = AutoStream::new(std::io::stdout(), self.choice);
        // A reader that has seen enough closes the pipe; there is nobody left to tell.
        let _ = out.write_all(screen::shown(text).as_bytes()).and_then(|()| out.flush());
    }

    /// Prints a report for programs.
    pub fn json(&self, report: &impl Serialize) -> Result<(), Failure> {
        let text = serde_json::to_string_pretty(report)
            .map_err(|error| Failure::plain("could not write the report as JSON").because(error))?;
        let mut out = std::io::stdout();
        let _ = out.write_all((screen::shown_json(&text) + "\n").as_bytes()).and_then(|()| out.flush());
        Ok(())
    }

    /// Prints one line for programs that read line by line.
    pub fn json_line(&self, report: &impl Serialize) -> Result<(), Failure> {
        let text = serde_json::to_string(report)
            .map_err(|error| Failure::plain("could not write the report as JSON").because(error))?;
        let mut out = std::io::stdout();
        let _ = out.write_all((screen::shown_json(&text) + "\n").as_bytes()).and_then(|()| out.flush());
        Ok(())
    }

    /// Tells something beside the report.
    pub fn notice(&self, text: &str) {
        if !self.quiet {
            self.to_stderr(&format!("{text}\n"));
        }
    }

    /// Tells why a command could not do its work.
    pub fn failure(&self, failure: &Failure) {
        self.to_stderr(&failure.render());
    }

    fn to_stderr(&self, text: &str) {
        self.bars.suspend(|| {
            let mut err = AutoStream::new(std::io::stderr(), self.choice);
            let _ = err.write_all(screen::shown(text).as_bytes());
        });
    }

    /// A progress bar on a terminal; nothing elsewhere.
    pub fn progress(&self, title: &'static str) -> Bar {
        let bar = self.bars.add(ProgressBar::new(0).with_message(title));
        if let Ok(style) =
            ProgressStyle::with_template("{msg} {wide_bar} {bytes}/{total_bytes} {bytes_per_sec} {eta} left")
        {
            bar.set_style(style.progress_chars("=> "));
        }
        Bar(bar)
    }
}

impl Observer for Ui {
    fn notice(&self, notice: Notice) {
        Self::notice(self, &notices::text(notice));
    }

    fn tells_again(&self) -> bool {
        self.verbose
    }

    fn begin(&self, task: Task) -> Box<dyn Progress + Send + '_> {
        Box::new(self.progress(notices::task(task)))
    }

    fn may_take_off_needed(&self) -> Result<bool, AppError> {
        asking::may_take_off_needed(self.can_ask)
    }

    fn role_of(&self, typed: &str) -> Result<Option<Role>, AppError> {
        asking::role_of(self.can_ask, typed)
    }

    fn asker(&self) -> Arc<dyn Asker> {
        Arc::new(TerminalAsker { can_ask: self.can_ask })
    }

    fn on_break(&self, what: OnBreak) {
        breaking::advise(notices::on_break(&what));
    }

    fn keep_order(&self, keeps: bool) {
        breaking::keep_order(keeps);
    }

    fn is_break_asked(&self) -> bool {
        breaking::is_asked()
    }
}

/// A progress bar that clears itself away.
pub struct Bar(ProgressBar);

impl Progress for Bar {
    fn ahead(&self, bytes: u64) {
        self.0.inc_length(bytes);
    }

    fn done(&self, bytes: u64) {
        self.0.inc(bytes);
    }
}

impl Drop for Bar {
    fn drop(&mut self) {
        self.0.finish_and_clear();
    }
}
