//! Pages: self-contained files for a browser, all of the same parts. What others wrote reaches them as text and never as markup.

pub mod charts;
pub mod check;
pub mod compare;
pub mod diagnosis;
pub mod graph;
pub mod overview;

use askama::Template;

use crate::failure::Failure;

/// A page as text.
fn page(template: &impl Template) -> Result<String, Failure> {
    template.render().map_err(|error| Failure::plain("could not write the page").because(error))
}

/// How templates say things.
mod filters {
    use std::fmt::Display;

    use askama::{Result, Values};
    use kanon_app::overview::ChangeRow;
    use kanon_app::status::Why;
    use kanon_core::base::finding::{Code, Severity};
    use kanon_core::base::ids::FoldedId;
    use kanon_core::base::path::printable;

    use crate::env::time_of_day;
    use crate::render;
    use crate::words::standing as words;

    /// So many changes are told of one canon.
    const CHANGES: usize = 12;

    /// What others wrote, without what would move a cursor or turn the direction of reading.
    #[askama::filter_fn]
    pub fn plain(text: impl Display, _: &dyn Values) -> Result<String> {
        Ok(printable(&text.to_string()))
    }

    /// The same for several lines.
    #[askama::filter_fn]
    pub fn plain_lines(text: impl Display, _: &dyn Values) -> Result<String> {
        Ok(text.to_string().lines().map(printable).collect::<Vec<_>>().join("\n"))
    }

    #[askama::filter_fn]
    pub fn time(at: &i64, _: &dyn Values) -> Result<String> {
        Ok(time_of_day(*at).chars().take(16).collect())
    }

    #[askama::filter_fn]
    pub fn day(at: &i64, _: &dyn Values) -> Result<String> {
        Ok(time_of_day(*at).chars().take(10).collect())
    }

    #[askama::filter_fn]
    pub fn bytes(number: &u64, _: &dyn Values) -> Result<String> {
        Ok(render::size(*number))
    }

    #[askama::filter_fn]
    pub fn seconds(number: &f64, _: &dyn Values) -> Result<String> {
        Ok(format!("{number:.1} s"))
    }

    #[askama::filter_fn]
    pub fn ids(ids: &[FoldedId], _: &dyn Values) -> Result<String> {
        Ok(printable(&FoldedId::joined(ids, ", ")))
    }

    #[askama::filter_fn]
    pub fn word(severity: &Severity, _: &dyn Values) -> Result<&'static str> {
        Ok(severity.as_str())
    }

    #[askama::filter_fn]
    pub fn tone(severity: &Severity, _: &dyn Values) -> Result<&'static str> {
        Ok(match severity {
            Severity::Blocking => "bad",
            Severity::Risky => "care",
            Severity::Note => "soft",
        })
    }

    #[askama::filter_fn]
    pub fn about(code: &Code, _: &dyn Values) -> Result<&'static str> {
        Ok(code.about())
    }

    #[askama::filter_fn]
    pub fn because(why: &Why, _: &dyn Values) -> Result<&'static str> {
        Ok(words::because(*why))
    }

    #[askama::filter_fn]
    pub fn changed(changes: &[ChangeRow], _: &dyn Values) -> Result<String> {
        let told = changes.iter().take(CHANGES).map(|change| match (&change.from, &change.to) {
            (Some(from), Some(to)) => format!("{} {from} -> {to}", change.id),
            (None, Some(to)) => format!("{} {to} is new", change.id),
            (_, None) => format!("{} left", change.id),
        });
        let mut told: Vec<String> = told.collect();
        if changes.len() > CHANGES {
            told.push(format!("and {} more", changes.len() - CHANGES));
        }
        Ok(printable(&told.join(", ")))
    }
}
