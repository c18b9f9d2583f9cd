//! What would tell more than there is.

use super::verdict::{Case, Verdict, Wanted};
use crate::logs::{KeptOutBy, Source};

/// A verdict that is surer than this needs nothing more.
const SURE: f64 = 0.85;

/// What would tell more; nothing where the first verdict is sure.
pub fn wanted(
    case: &Case<'_>,
    verdicts: &[Verdict],
    (got_in, kept_out_by): (bool, Option<KeptOutBy>),
    is_unexplained: bool,
) -> Vec<Wanted> {
    if verdicts.first().is_some_and(|verdict| verdict.confidence > SURE) {
        return Vec::new();
    }
    let has_log = |source| case.logs.contains(&source) || case.events.iter().any(|event| event.source == source);
    let mut wanted = Vec::new();
    if got_in && verdicts.is_empty() {
        wanted.push(Wanted::FailedJoin);
    }
    wanted.extend(kept_out_by.map(Wanted::Elsewhere));
    if case.client.is_none() {
        wanted.push(Wanted::ClientSurvey);
    }
    if case.server.is_none() {
        wanted.push(Wanted::ServerSurvey);
    }
    if !has_log(Source::ServerLog) {
        wanted.push(Wanted::ServerLog);
    }
    if !has_log(Source::ClientLog) && (is_unexplained || verdicts.is_empty()) {
        wanted.push(Wanted::ClientLog);
    }
    wanted
}
