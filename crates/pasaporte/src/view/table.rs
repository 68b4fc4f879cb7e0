//! Tables: columns and rows, as text and as JSON.

use std::fmt::Write;

use comfy_table::{CellAlignment, ContentArrangement, LineStyle, Table as Drawing, TableStyle};
use serde_json::{Map, Value};
use unicode_width::UnicodeWidthStr;

use super::page::{DIM, NAME, Page, paint};

/// How many of several texts are shown to people; programs get all.
const MOST_IN_A_CELL: usize = 3;

/// One cell.
#[derive(Debug, Clone)]
pub(crate) enum Cell {
    /// A text.
    Text(String),
    /// A number, set to the right.
    Number(i64),
    /// Several texts.
    Many(Vec<String>),
    /// Not known, or not there.
    Nothing,
}

impl Cell {
    /// A text.
    pub(crate) fn text(text: &str) -> Self {
        Self::Text(text.to_owned())
    }

    /// A count.
    pub(crate) fn count(count: usize) -> Self {
        Self::Number(i64::try_from(count).unwrap_or(i64::MAX))
    }

    fn shown(&self) -> String {
        match self {
            Self::Text(text) => text.clone(),
            Self::Number(number) => number.to_string(),
            Self::Many(texts) if texts.is_empty() => "–".to_owned(),
            Self::Many(texts) if texts.len() > MOST_IN_A_CELL => {
                format!("{}, +{}", texts[..MOST_IN_A_CELL - 1].join(", "), texts.len() - MOST_IN_A_CELL + 1)
            }
            Self::Many(texts) => texts.join(", "),
            Self::Nothing => "–".to_owned(),
        }
    }

    fn value(&self) -> Value {
        match self {
            Self::Text(text) => Value::from(text.as_str()),
            Self::Number(number) => Value::from(*number),
            Self::Many(texts) => Value::from(texts.clone()),
            Self::Nothing => Value::Null,
        }
    }
}

/// Rows under columns, each of which has a name for programs and one for people.
#[derive(Debug)]
pub(crate) struct Table {
    columns: Vec<(&'static str, &'static str)>,
    rows: Vec<Vec<Cell>>,
    total: Option<Vec<Cell>>,
}

impl Table {
    /// A table without rows.
    pub(crate) fn new(columns: &[(&'static str, &'static str)]) -> Self {
        Self { columns: columns.to_vec(), rows: Vec::new(), total: None }
    }

    /// Adds a row.
    pub(crate) fn row(&mut self, row: Vec<Cell>) {
        self.rows.push(row);
    }

    /// Adds a last row that sums up the others.
    pub(crate) fn last_is_total(&mut self, row: Vec<Cell>) {
        self.total = Some(row);
    }

    /// The rows in the order of their first columns, so that the order of input does not show.
    fn sorted(&self) -> Vec<&Vec<Cell>> {
        let mut rows: Vec<&Vec<Cell>> = self.rows.iter().collect();
        rows.sort_by_cached_key(|row| row.iter().map(Cell::shown).collect::<Vec<_>>());
        rows
    }

    /// A list of objects, one a row.
    pub(crate) fn to_json(&self) -> Vec<Map<String, Value>> {
        self.sorted()
            .into_iter()
            .map(|row| {
                self.columns
                    .iter()
                    .zip(row)
                    .map(|((key, _), cell)| ((*key).to_owned(), cell.value()))
                    .collect()
            })
            .collect()
    }
}

/// A table as text: in columns where the page is wide enough for them, else a block a row, so that no
/// name is ever broken.
pub(crate) fn table(page: Page, table: &Table) -> String {
    if table.rows.is_empty() {
        return "none\n".to_owned();
    }
    let drawn = columns(table);
    if drawn.lines().all(|line| line.width() <= page.width) { drawn } else { blocks(page, table) }
}

fn columns(table: &Table) -> String {
    let mut drawing = Drawing::new();
    let ruled = TableStyle::new().header_separator(LineStyle::none().fill('─').junction('─'));
    drawing.load_style(ruled).set_content_arrangement(ContentArrangement::Disabled);
    drawing.set_header(table.columns.iter().map(|(_, title)| *title));
    for row in table.sorted().into_iter().chain(&table.total) {
        drawing.add_row(row.iter().map(Cell::shown));
    }
    for (index, column) in drawing.column_iter_mut().enumerate() {
        column.set_padding((0, 2));
        if table.rows.iter().all(|row| matches!(row[index], Cell::Number(_) | Cell::Nothing)) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    drawing.lines().fold(String::new(), |out, line| out + line.trim_end() + "\n")
}

/// The first cell of each row, and below it the others with their titles.
fn blocks(page: Page, table: &Table) -> String {
    const INDENT: &str = "  ";
    const GAP: &str = "   ";
    let mut out = String::new();
    for row in table.sorted() {
        let _ = writeln!(out, "{}", paint(NAME.bold(), &row[0].shown()));
        let mut used = 0;
        for ((_, title), cell) in table.columns.iter().zip(row).skip(1) {
            if matches!(cell, Cell::Nothing) {
                continue;
            }
            let shown = cell.shown();
            let width = title.width() + 1 + shown.width();
            if used > 0 && used + GAP.len() + width > page.width {
                out.push('\n');
                used = 0;
            }
            let before = if used == 0 { INDENT } else { GAP };
            let _ = write!(out, "{before}{} {shown}", paint(DIM, title));
            used += before.len() + width;
        }
        out.push('\n');
    }
    out
}
