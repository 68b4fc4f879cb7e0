//! Tables: columns and rows, as text and as JSON.

use std::cmp::Ordering;
use std::fmt::Write;

use comfy_table::{CellAlignment, ContentArrangement, LineStyle, Table as Drawing, TableStyle};
use pasaporte_audit::Severity;
use serde_json::{Map, Value};
use unicode_width::UnicodeWidthStr;

use super::page::{DIM, NAME, Page, paint, style_of, wrap};

/// How many of several texts are shown to people at most; fewer where the page is narrow. Programs get all.
const MOST_IN_A_CELL: usize = 3;

/// What stands around loud text while widths are counted: two characters that take no room, and that no text has,
/// since they cannot be seen.
const LOUD: char = '\u{2060}';
const NO_LONGER: char = '\u{2061}';

/// Names, of which `anyone` must not be overlooked where it is meant to be loud.
fn listed(texts: &[String], loud: bool) -> String {
    let told = texts.iter().map(|text| match text.as_str() {
        "anyone" if loud => format!("{LOUD}{text}{NO_LONGER}"),
        _ => text.clone(),
    });
    told.collect::<Vec<_>>().join(", ")
}

/// Loud text in its style.
fn voiced(text: &str) -> String {
    let style = style_of(Severity::Critical);
    text.replace(LOUD, &style.render().to_string()).replace(NO_LONGER, &style.render_reset().to_string())
}

/// One cell.
#[derive(Debug, Clone)]
pub(crate) enum Cell {
    /// A text.
    Text(String),
    /// A text that must not be overlooked.
    Loud(String),
    /// A number, set to the right.
    Number(i64),
    /// Several texts, of which `anyone` must not be overlooked.
    Many(Vec<String>),
    /// Several texts, of which none says more than the others: `anyone` of an internal network is an insider.
    Quiet(Vec<String>),
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

    /// As people see it, with at most so many of several texts.
    fn shown(&self, most: usize) -> String {
        match self {
            Self::Text(text) => text.clone(),
            Self::Loud(text) => format!("{LOUD}{text}{NO_LONGER}"),
            Self::Number(number) => number.to_string(),
            Self::Many(texts) | Self::Quiet(texts) if texts.is_empty() => "–".to_owned(),
            Self::Many(texts) | Self::Quiet(texts) => {
                let loud = matches!(self, Self::Many(_));
                if texts.len() <= most {
                    return listed(texts, loud);
                }
                let told = (most - 1).max(1);
                format!("{}, +{}", listed(&texts[..told], loud), texts.len() - told)
            }
            Self::Nothing => "–".to_owned(),
        }
    }

    /// The texts in it.
    pub(crate) fn texts(&self) -> Vec<String> {
        match self {
            Self::Text(text) | Self::Loud(text) => vec![text.clone()],
            Self::Number(number) => vec![number.to_string()],
            Self::Many(texts) | Self::Quiet(texts) => texts.clone(),
            Self::Nothing => Vec::new(),
        }
    }

    /// The number in it.
    pub(crate) fn number(&self) -> Option<i64> {
        if let Self::Number(number) = self { Some(*number) } else { None }
    }

    /// As it stands in a list for other programs, which may take a text for a formula.
    fn plain(&self) -> String {
        let text = self.texts().join("; ");
        let is_formula = self.number().is_none() && text.starts_with(['=', '+', '-', '@', '\t', '\r']);
        if is_formula { format!("'{text}") } else { text }
    }

    /// Numbers before texts, and nothing last.
    fn compare(&self, other: &Self) -> Ordering {
        match (self.number(), other.number()) {
            (Some(one), Some(other)) => one.cmp(&other),
            (Some(_), None) => Ordering::Less,
            (None, Some(_)) => Ordering::Greater,
            (None, None) => {
                let (one, other) = (self.texts(), other.texts());
                one.is_empty().cmp(&other.is_empty()).then_with(|| one.cmp(&other))
            }
        }
    }

    fn value(&self) -> Value {
        match self {
            Self::Text(text) | Self::Loud(text) => Value::from(text.as_str()),
            Self::Number(number) => Value::from(*number),
            Self::Many(texts) | Self::Quiet(texts) => Value::from(texts.clone()),
            Self::Nothing => Value::Null,
        }
    }
}

/// Rows under columns, each of which has a name for programs and one for people; a column whose second name
/// is empty is for programs alone.
#[derive(Debug)]
pub(crate) struct Table {
    columns: Vec<(&'static str, &'static str)>,
    rows: Vec<Vec<Cell>>,
    order: Option<Order>,
}

/// The order of rows: by a column, perhaps from the end.
#[derive(Debug, Clone, Copy)]
struct Order {
    column: usize,
    backwards: bool,
}

impl Table {
    /// A table without rows.
    pub(crate) fn new(columns: &[(&'static str, &'static str)]) -> Self {
        Self { columns: columns.to_vec(), rows: Vec::new(), order: None }
    }

    /// Adds a row.
    pub(crate) fn row(&mut self, row: Vec<Cell>) {
        self.rows.push(row);
    }

    /// The names of the columns, for programs.
    pub(crate) fn names(&self) -> Vec<&'static str> {
        self.columns.iter().map(|(name, _)| *name).collect()
    }

    /// Keeps the rows whose cell in a column is as wanted.
    pub(crate) fn keep(&mut self, column: usize, wanted: impl Fn(&Cell) -> bool) {
        self.rows.retain(|row| wanted(&row[column]));
    }

    /// Orders rows by a column before the others.
    pub(crate) fn order_by(&mut self, column: usize, backwards: bool) {
        self.order = Some(Order { column, backwards });
    }

    /// The rows in the order that was asked for, then of their first columns, so that the order of input does not
    /// show.
    fn sorted(&self) -> Vec<&Vec<Cell>> {
        let mut rows: Vec<&Vec<Cell>> = self.rows.iter().collect();
        rows.sort_by_cached_key(|row| row.iter().map(|cell| cell.shown(MOST_IN_A_CELL)).collect::<Vec<_>>());
        if let Some(Order { column, backwards }) = self.order {
            rows.sort_by(|one, other| {
                let order = one[column].compare(&other[column]);
                if backwards { order.reverse() } else { order }
            });
        }
        rows
    }

    /// The rows as CSV (RFC 4180), several texts divided by semicolons. No cell begins like a formula.
    pub(crate) fn to_csv(&self) -> Result<Vec<u8>, csv::Error> {
        let mut out = csv::WriterBuilder::new().from_writer(Vec::new());
        out.write_record(self.names())?;
        for row in self.sorted() {
            out.write_record(row.iter().map(Cell::plain))?;
        }
        out.into_inner().map_err(|error| csv::Error::from(error.into_error()))
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

/// A table as text: in columns where the page is wide enough for them, with fewer of several texts or with its
/// widest column on several lines where that helps; else a block a row, so that no name is ever broken.
pub(crate) fn table(page: Page, table: &Table) -> String {
    if table.rows.is_empty() {
        return "none\n".to_owned();
    }
    let fits = |drawn: &String| drawn.lines().all(|line| line.width() <= page.width);
    let short = (1..=MOST_IN_A_CELL).rev().map(|most| Grid::new(table, most).drawn()).find(fits);
    let wrapped = || Grid::new(table, MOST_IN_A_CELL).wrapped(page.width).map(|grid| grid.drawn());
    voiced(&short.or_else(wrapped).unwrap_or_else(|| blocks(page, table)))
}

/// Columns between two spaces.
const GAP: usize = 2;

/// The cells of a table that people see, as texts.
struct Grid<'t> {
    titles: Vec<&'t str>,
    rows: Vec<Vec<String>>,
    numeric: Vec<bool>,
}

impl<'t> Grid<'t> {
    fn new(table: &'t Table, most: usize) -> Self {
        let told: Vec<usize> =
            (0..table.columns.len()).filter(|&index| !table.columns[index].1.is_empty()).collect();
        let is_numeric =
            |index: usize| table.rows.iter().all(|row| matches!(row[index], Cell::Number(_) | Cell::Nothing));
        Self {
            titles: told.iter().map(|&index| table.columns[index].1).collect(),
            rows: table
                .sorted()
                .iter()
                .map(|row| told.iter().map(|&index| row[index].shown(most)).collect())
                .collect(),
            numeric: told.iter().map(|&index| is_numeric(index)).collect(),
        }
    }

    fn width_of(&self, column: usize) -> usize {
        let widths = self.rows.iter().map(|row| row[column].width());
        widths.chain([self.titles[column].width()]).max().unwrap_or_default()
    }

    /// The same with the widest column broken at its spaces, if that makes it fit.
    fn wrapped(mut self, width: usize) -> Option<Self> {
        let widest = (0..self.titles.len()).max_by_key(|&column| self.width_of(column))?;
        let others = (0..self.titles.len()).filter(|&column| column != widest);
        let others: usize = others.map(|column| self.width_of(column) + GAP).sum();
        let left = width.checked_sub(others)?;
        let words = self.rows.iter().flat_map(|row| row[widest].split(' ')).map(UnicodeWidthStr::width);
        if left < words.max()?.max(self.titles[widest].width()).max(MOST_BROKEN) {
            return None;
        }
        for row in &mut self.rows {
            row[widest] = wrap(&row[widest], left).join("\n");
        }
        Some(self)
    }

    fn drawn(&self) -> String {
        let mut drawing = Drawing::new();
        let ruled = TableStyle::new().header_separator(LineStyle::none().fill('─').junction('─'));
        drawing.load_style(ruled).set_content_arrangement(ContentArrangement::Disabled);
        drawing.set_header(&self.titles);
        for row in &self.rows {
            drawing.add_row(row);
        }
        for (column, numeric) in drawing.column_iter_mut().zip(&self.numeric) {
            // The drawing puts one more space between columns.
            column.set_padding((0, GAP as u16 - 1));
            if *numeric {
                column.set_cell_alignment(CellAlignment::Right);
            }
        }
        drawing.lines().fold(String::new(), |out, line| out + line.trim_end() + "\n")
    }
}

/// A column is not made narrower than this: it would read like a ladder.
const MOST_BROKEN: usize = 24;

/// The first cell of each row, and below it the others with their titles.
fn blocks(page: Page, table: &Table) -> String {
    const INDENT: &str = "  ";
    const BETWEEN: &str = "   ";
    let mut out = String::new();
    for row in table.sorted() {
        let _ = writeln!(out, "{}", paint(NAME.bold(), &row[0].shown(MOST_IN_A_CELL)));
        let mut used = 0;
        for ((_, title), cell) in table.columns.iter().zip(row).skip(1) {
            if matches!(cell, Cell::Nothing) || title.is_empty() {
                continue;
            }
            let shown = cell.shown(MOST_IN_A_CELL);
            let width = title.width() + 1 + shown.width();
            if used > 0 && used + BETWEEN.len() + width > page.width {
                out.push('\n');
                used = 0;
            }
            let before = if used == 0 { INDENT } else { BETWEEN };
            let _ = write!(out, "{before}{} {shown}", paint(DIM, title));
            used += before.len() + width;
        }
        out.push('\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    /// A function, those who may, a remark for people and a number that only programs see.
    fn rows() -> Table {
        let mut table =
            Table::new(&[("id", "FUNCTION"), ("who", "WHO MAY"), ("remark", "REMARK"), ("line", "")]);
        for (id, who, remark) in [
            ("function:sell-ticket", vec!["anyone", "user:ana", "group:clerks", "group:night-shift"], "open"),
            ("function:refund", vec![], "closed for the winter, opens again with the first ferry of spring"),
        ] {
            let who = who.into_iter().map(str::to_owned).collect();
            table.row(vec![Cell::text(id), Cell::Many(who), Cell::text(remark), Cell::Number(7)]);
        }
        table
    }

    fn drawn(width: usize) -> String {
        anstream::adapter::strip_str(&table(Page::new(Some(width)), &rows())).to_string()
    }

    #[rstest]
    #[case::all_in_one_line(200, "function:sell-ticket  anyone, user:ana, +2  open")]
    #[case::a_remark_on_several_lines(80, "function:sell-ticket  anyone, user:ana, +2  open")]
    #[case::a_block_a_row(60, "function:sell-ticket\n  WHO MAY anyone, user:ana, +2   REMARK open")]
    fn a_table_takes_the_shape_that_fits(#[case] width: usize, #[case] expected: &str) {
        assert!(drawn(width).contains(expected), "{}", drawn(width));
    }

    #[rstest]
    fn whatever_the_width_no_word_is_lost_or_broken(
        #[values(40, 60, 72, 80, 90, 100, 120, 160, 200)] width: usize,
    ) {
        let text = drawn(width);
        for word in "function:sell-ticket function:refund open closed for the winter, opens again".split(' ')
        {
            assert!(text.split_whitespace().any(|each| each == word), "{word} in\n{text}");
        }
        assert!(!text.contains('7'), "what is for programs alone is not shown:\n{text}");
    }

    #[test]
    fn what_is_loud_takes_no_more_room_and_programs_see_the_text() {
        let mut all = Table::new(&[("id", "ID"), ("is", "IS"), ("who", "WHO")]);
        let who = |name: &str| Cell::Many(vec![name.to_owned()]);
        all.row(vec![Cell::text("a"), Cell::Loud("OPEN".to_owned()), who("anyone")]);
        all.row(vec![Cell::text("b"), Cell::text("shut"), Cell::Quiet(vec!["anyone".to_owned()])]);
        let text = table(Page::new(Some(80)), &all);
        assert!(text.contains("\u{1b}[1m\u{1b}[91mOPEN\u{1b}[0m"), "{text:?}");
        assert_eq!(text.matches("\u{1b}[91manyone\u{1b}[0m").count(), 1, "{text:?}");
        let plain = anstream::adapter::strip_str(&text).to_string();
        assert_eq!(
            plain,
            "ID  IS    WHO\n─────────────────\na   OPEN  anyone\nb   shut  anyone\n"
                .replace("─────────────────", plain.lines().nth(1).unwrap())
        );
        assert_eq!(all.to_json()[0]["is"], "OPEN");
        assert!(String::from_utf8(all.to_csv().unwrap()).unwrap().contains("a,OPEN,anyone"));
    }

    #[test]
    fn rows_are_in_order_and_programs_get_every_name() {
        let json = rows().to_json();
        let ids: Vec<&Value> = json.iter().map(|row| &row["id"]).collect();
        assert_eq!(ids, ["function:refund", "function:sell-ticket"]);
        assert_eq!(json[1]["who"].as_array().map(Vec::len), Some(4));
        assert_eq!(json[1]["line"], 7);
    }

    #[test]
    fn no_cell_of_a_list_for_other_programs_begins_like_a_formula() {
        let mut table = Table::new(&[("id", "ID"), ("owner", "OWNER"), ("age", "AGE")]);
        table.row(vec![Cell::text("a,b"), Cell::text("=1+1"), Cell::Number(-3)]);
        table.row(vec![Cell::text("c"), Cell::Many(vec!["x".to_owned(), "y".to_owned()]), Cell::Nothing]);
        let csv = String::from_utf8(table.to_csv().unwrap()).unwrap();
        assert_eq!(csv, "id,owner,age\n\"a,b\",'=1+1,-3\nc,x; y,\n");
    }

    #[test]
    fn numbers_are_ordered_as_numbers_and_nothing_comes_last() {
        let mut table = Table::new(&[("id", "ID"), ("age", "AGE")]);
        for (id, age) in [("a", Some(100)), ("b", Some(9)), ("c", None)] {
            table.row(vec![Cell::text(id), age.map_or(Cell::Nothing, Cell::Number)]);
        }
        let ids = |table: &Table| -> Vec<String> {
            table.to_json().iter().map(|row| row["id"].as_str().unwrap().to_owned()).collect()
        };
        table.order_by(1, false);
        assert_eq!(ids(&table), ["b", "a", "c"]);
        table.order_by(1, true);
        assert_eq!(ids(&table), ["c", "a", "b"]);
    }

    #[test]
    fn a_table_of_nothing_says_none() {
        assert_eq!(table(Page::new(None), &Table::new(&[("id", "ID")])), "none\n");
    }
}
