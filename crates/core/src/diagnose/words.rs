//! What a diagnosis says in words: a measured difference, and a pattern to add.

use super::hints::Hint;
use crate::base::finding::Finding;
use crate::base::ids::FoldedId;
use crate::logs::is_own_defect;
use crate::rulebook::Role;
use crate::survey::Survey;

/// A measured difference in one line.
pub fn difference(survey: &Survey, finding: &Finding, has_canon: bool) -> String {
    let measure = match (has_canon, survey.install.role) {
        (true, _) => "the canon",
        (false, Role::Client) if !is_own_defect(finding.code) => "the server",
        (false, _) => "what is there asks for",
    };
    let subject = finding.mod_id.as_ref().map(FoldedId::as_str).or(finding.path.as_deref()).unwrap_or("the install");
    let has = if measure.ends_with("for") { "" } else { " has" };
    let mut told = format!(
        "{subject}: {}; {measure}{has} {}, {} has {}",
        finding.code.about(),
        finding.expected.as_deref().unwrap_or("-"),
        survey.install.name,
        finding.found.as_deref().unwrap_or("-"),
    );
    if let Some(path) = finding.path.as_deref().filter(|path| *path != subject) {
        told.push_str(&format!(" ({path})"));
    }
    told
}

/// A pattern as TOML writes it without escapes, where it can.
pub fn literal(pattern: &str) -> String {
    let quote = if pattern.contains('\'') { "'''" } else { "'" };
    // On one line in any case. JSON's escapes are TOML's too, but for one sign.
    let escaped = || serde_json::Value::from(pattern).to_string().replace('\u{7f}', "\\u007F");
    if pattern.contains("'''") { escaped() } else { format!("{quote}{pattern}{quote}") }
}

/// A table for the rulebook that would know lines like one that was only guessed at.
pub fn proposal(hint: &Hint) -> String {
    let means = hint.means.word();
    let pattern = &hint.pattern;
    let mut out = format!(
        "[[event]]\nmeans = \"{means}\"\nin    = \"{}\"\nline  = {}\n",
        hint.source.as_str(),
        literal(&pattern.line)
    );
    if let Some(then) = &pattern.then {
        out.push_str(&format!("then  = {}\n", literal(then)));
    }
    if let Some(between) = pattern.between.filter(|between| *between != ",") {
        out.push_str(&format!("between = \"{between}\"\n"));
    }
    out
}
