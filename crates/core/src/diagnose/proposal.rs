//! Patterns that a diagnosis offers for the rulebook, as TOML.

use super::hints::Hint;

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
