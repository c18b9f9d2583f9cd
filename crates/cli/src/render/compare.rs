//! The matrix as text: mods down, installs across, never wider than the report's columns.

use std::fmt::Write;

use kanon_core::base::path::printable;
use kanon_core::findings::compare::{Cell, Mark, Matrix, Row};

use super::{BAD, BOLD, CARE, FAINT, GOOD, WIDTH, cell, count, fitting, styled};

/// The narrowest and widest that a column of an install gets.
const COLUMN: (usize, usize) = (10, 20);

/// The matrix as text. Rows that are the same everywhere are counted, not shown, unless `all` is asked for.
pub fn text(matrix: &Matrix, all: bool) -> String {
    let differing: Vec<&Row> = matrix.rows.iter().filter(|row| all || !row.same).collect();
    let same = matrix.rows.iter().filter(|row| row.same).count();
    let reference = printable(matrix.columns.first().map_or("", String::as_str));
    let mut out = if matrix.same {
        format!(
            "{}: {} in all of {}\n",
            styled(GOOD, "the same"),
            count(same, "mod"),
            printable(&matrix.columns.join(", "))
        )
    } else {
        let word = styled(BAD, "different");
        format!(
            "{word}: {}, compared with {reference}; {same} the same everywhere\n",
            count(matrix.rows.len() - same, "mod")
        )
    };
    if differing.is_empty() {
        return out;
    }
    let id = fitting(differing.iter().map(|row| row.id.as_str()).chain(["mod"]), (6, 28));
    for block in blocks(matrix, &differing, id) {
        out.push('\n');
        table(&mut out, matrix, &differing, (id, &block));
    }
    out
}

fn width(matrix: &Matrix, rows: &[&Row], column: usize) -> usize {
    let cells: Vec<String> = rows.iter().map(|row| words(&row.cells[column])).collect();
    fitting(cells.iter().map(String::as_str).chain([matrix.columns[column].as_str()]), COLUMN)
}

/// Columns that fit beside each other; the first, which all are compared with, is in every block.
fn blocks(matrix: &Matrix, rows: &[&Row], id: usize) -> Vec<Vec<(usize, usize)>> {
    let first = (0, width(matrix, rows, 0));
    let room = WIDTH - 2 - id - 2 - first.1;
    let mut blocks: Vec<Vec<(usize, usize)>> = vec![vec![first]];
    let mut used = 0;
    for column in 1..matrix.columns.len() {
        let width = width(matrix, rows, column);
        if used > 0 && used + 2 + width > room {
            blocks.push(vec![first]);
            used = 0;
        }
        used += 2 + width;
        if let Some(block) = blocks.last_mut() {
            block.push((column, width));
        }
    }
    blocks
}

fn table(out: &mut String, matrix: &Matrix, rows: &[&Row], (id, columns): (usize, &[(usize, usize)])) {
    let head: Vec<String> = columns.iter().map(|(column, width)| cell(&matrix.columns[*column], *width)).collect();
    let _ = writeln!(out, "  {}  {}", cell("mod", id), styled(BOLD, head.join("  ").trim_end()));
    for row in rows {
        let cells: Vec<String> = columns.iter().map(|(column, width)| shown(&row.cells[*column], *width)).collect();
        let _ = writeln!(out, "  {}  {}", cell(row.id.as_str(), id), cells.join("  ").trim_end());
    }
}

fn shown(of: &Cell, width: usize) -> String {
    let text = cell(&words(of), width);
    match of.mark {
        Mark::Same => text,
        Mark::Absent => styled(FAINT, &text),
        Mark::Off | Mark::Extra => styled(CARE, &text),
        _ => styled(BAD, &text),
    }
}

/// What a cell says.
pub fn words(cell: &Cell) -> String {
    let version = cell.versions.first().cloned().unwrap_or_default();
    match cell.mark {
        Mark::Same => version,
        Mark::Older => format!("{version} older"),
        Mark::Newer => format!("{version} newer"),
        Mark::Other => format!("{version} other"),
        Mark::Edited => format!("{version} edited"),
        Mark::Missing => "missing".to_owned(),
        Mark::Extra => format!("{version} extra"),
        Mark::Off => format!("{version} off"),
        Mark::Twice => format!("{} twice", cell.versions.join(", ")),
        Mark::Foreign => format!("{version} foreign"),
        Mark::Absent => "-".to_owned(),
    }
}
