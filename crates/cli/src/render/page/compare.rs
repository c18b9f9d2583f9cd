//! Installs beside each other as a page to send to somebody.

use askama::Template;
use kanon_core::base::ids::FoldedId;
use kanon_core::findings::compare::{Cell, Mark, Matrix};

use super::{filters, page};
use crate::env::time_of_day;
use crate::failure::Failure;
use crate::render::compare::words;

#[derive(Template)]
#[template(path = "page/compare.html")]
struct Page<'a> {
    title: String,
    first: &'a str,
    differing: usize,
    when: String,
    columns: &'a [String],
    rows: Vec<Row<'a>>,
}

struct Row<'a> {
    id: &'a FoldedId,
    same: bool,
    cells: Vec<CellWords>,
}

struct CellWords {
    tone: &'static str,
    words: String,
}

/// The page; `now` in seconds since 1970.
pub fn html(matrix: &Matrix, now: i64) -> Result<String, Failure> {
    let told = |cell: &Cell| CellWords {
        tone: match cell.mark {
            Mark::Same | Mark::Absent => "same",
            Mark::Off | Mark::Extra => "care",
            _ => "bad",
        },
        words: words(cell),
    };
    page(&Page {
        title: matrix.columns.join(", "),
        first: matrix.columns.first().map_or("", String::as_str),
        differing: matrix.rows.iter().filter(|row| !row.same).count(),
        when: time_of_day(now),
        columns: &matrix.columns,
        rows: matrix
            .rows
            .iter()
            .map(|row| Row { id: &row.id, same: row.same, cells: row.cells.iter().map(told).collect() })
            .collect(),
    })
}
