//! A check as a page to send to somebody.

use askama::Template;
use kanon_app::looks::KeptFinding;
use kanon_core::rulebook::Role;

use super::{filters, page};
use crate::env::time_of_day;
use crate::failure::Failure;
use crate::render::check::Report;

#[derive(Template)]
#[template(path = "page/check.html")]
struct Page<'a> {
    canon: &'a str,
    off: usize,
    when: String,
    failed: Vec<(&'a str, &'a str)>,
    installs: Vec<Install<'a>>,
}

struct Install<'a> {
    name: &'a str,
    role: Role,
    in_line: bool,
    how: String,
    rows: Vec<KeptFinding>,
}

/// The page; `now` in seconds since 1970.
pub fn html(report: &Report, canon: &str, now: i64) -> Result<String, Failure> {
    let installs: Vec<Install<'_>> = report
        .installs
        .iter()
        .map(|held| Install {
            name: &held.name,
            role: held.role,
            in_line: held.in_line,
            how: held.how(),
            rows: held.findings.iter().map(KeptFinding::from).collect(),
        })
        .collect();
    let off = installs.iter().filter(|install| !install.in_line).count();
    let failed = report.failed.iter().map(|failed| (failed.install.as_str(), failed.why.as_str())).collect();
    page(&Page { canon, off, when: time_of_day(now), failed, installs })
}
