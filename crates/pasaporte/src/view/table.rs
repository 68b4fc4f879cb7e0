//! Lists as tables: as many columns as the page is wide enough for, the most important first.

use std::fmt::Write;

use comfy_table::{CellAlignment, ContentArrangement, LineStyle, Table as Drawing, TableStyle};
use pasaporte_audit::Severity;
use pasaporte_report::list::{Cell, Holds, List, Said, Tone};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use super::page::{DIM, NAME, Page, WITHIN, in_line, paint, style_of, wrap};

/// How many of several texts are shown at most; fewer where the page is narrow. Programs get all.
const MOST_IN_A_CELL: usize = 3;
/// Columns between two columns.
const GAP: usize = 2;
/// For columns up to this rank others are shortened to one of several texts; a lesser one is not worth that.
const WORTH_SHORTENING: u8 = 3;
/// A column of sentences is not made narrower than this: it would read like a ladder.
const LEAST_PROSE: usize = 24;

/// What stands around a text of a tone while widths are counted: characters that take no room, and that no text has, since
/// they cannot be seen.
const ALARMING: char = '\u{2060}';
const INSIDE: char = '\u{2062}';
const NO_LONGER: char = '\u{2061}';

/// How a list is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Columns {
    /// Those that fit, by their importance.
    Fitting,
    /// All that it has: somebody asked for them.
    All,
}

/// A list as text, with how many rows it has and what was left out.
pub(crate) fn list(page: Page, list: &List, columns: Columns) -> String {
    let named = if list.what == "usage" { "uses".to_owned() } else { list.what.replace('-', " ") };
    if list.rows.is_empty() {
        return format!("no {named}\n");
    }
    let (mut text, left_out) = drawn(page, list, columns);
    let count = list.rows.len();
    let mut end = if count == 1 { format!("1 {}", one_of(&named)) } else { format!("{count} {named}") };
    if !left_out.is_empty() {
        let _ = write!(end, "; not shown: {} (--columns all)", left_out.join(", "));
    }
    for line in wrap(&end, page.text_width()) {
        let _ = write!(text, "\n{}", paint(DIM, &line));
    }
    text + "\n"
}

/// Rows without anything told of them.
pub(crate) fn rows(page: Page, list: &List) -> String {
    drawn(page, list, Columns::Fitting).0
}

fn drawn(page: Page, list: &List, columns: Columns) -> (String, Vec<String>) {
    let all: Vec<usize> = (0..list.columns.len()).collect();
    let (text, shown) = match columns {
        Columns::All => {
            let grid = Grid::fitting(list, &all, page.width);
            (grid.map_or_else(|| blocks(page, list), |grid| grid.drawn()), all.clone())
        }
        Columns::Fitting => {
            let (grid, shown) = most_important(list, page.width);
            (grid.drawn(), shown)
        }
    };
    let left_out = all.iter().filter(|column| !shown.contains(column));
    (voiced(&text), left_out.map(|&column| list.columns[column].heading()).collect())
}

/// As many columns as there is room for, the most important first; none of those that hold nothing.
fn most_important(list: &List, width: usize) -> (Grid, Vec<usize>) {
    let holds = |column: &usize| list.rows.iter().any(|row| !is_nothing(&row[*column]));
    let (mut shown, mut others): (Vec<usize>, Vec<usize>) =
        (0..list.columns.len()).partition(|&column| list.columns[column].rank == 0);
    others.retain(holds);
    others.sort_by_key(|&column| list.columns[column].rank);
    let Some(mut grid) = Grid::fitting(list, &shown, width) else {
        return (Grid::cut(list, &shown, width), shown);
    };
    for column in others {
        let mut more = shown.clone();
        more.push(column);
        more.sort_unstable();
        if let Some(wider) = Grid::fitting(list, &more, width) {
            (grid, shown) = (wider, more);
        }
    }
    (grid, shown)
}

fn is_nothing(cell: &Cell) -> bool {
    match cell {
        Cell::Nothing => true,
        Cell::Many(all) => all.is_empty(),
        Cell::Text(_) | Cell::Number(_) => false,
    }
}

/// "function" of "functions".
fn one_of(many: &str) -> String {
    match many.strip_suffix("ies") {
        Some(stem) => format!("{stem}y"),
        None => many.strip_suffix('s').unwrap_or(many).to_owned(),
    }
}

/// A cell as people see it, with at most so many of several texts.
fn shown(cell: &Cell, most: usize) -> String {
    match cell {
        Cell::Text(said) => toned(said),
        Cell::Number(number) => number.to_string(),
        Cell::Many(all) if all.is_empty() => "–".to_owned(),
        Cell::Many(all) => {
            let told = if all.len() <= most { all.len() } else { (most - 1).max(1) };
            let mut texts: Vec<String> = all[..told].iter().map(toned).collect();
            if told < all.len() {
                texts.push(format!("+{}", all.len() - told));
            }
            texts.join(", ")
        }
        Cell::Nothing => "–".to_owned(),
    }
}

fn toned(said: &Said) -> String {
    let mark = match said.tone {
        Tone::Plain => return in_line(&said.written()),
        Tone::Inside => INSIDE,
        Tone::Alarming => ALARMING,
    };
    let rest = if said.perhaps { " (perhaps)" } else { "" };
    format!("{mark}{}{NO_LONGER}{rest}", in_line(&said.text))
}

/// Toned text in its style.
fn voiced(text: &str) -> String {
    text.replace(ALARMING, &style_of(Severity::Critical).render().to_string())
        .replace(INSIDE, &WITHIN.render().to_string())
        .replace(NO_LONGER, &WITHIN.render_reset().to_string())
}

/// The cells of some columns, as texts.
struct Grid {
    titles: Vec<String>,
    rows: Vec<Vec<String>>,
    numeric: Vec<bool>,
    prose: Vec<bool>,
}

impl Grid {
    fn new(list: &List, columns: &[usize], most: usize) -> Self {
        let holds = |wanted: Holds| columns.iter().map(move |&column| list.columns[column].holds == wanted);
        Self {
            titles: columns.iter().map(|&column| list.columns[column].heading()).collect(),
            rows: list
                .rows
                .iter()
                .map(|row| columns.iter().map(|&column| shown(&row[column], most)).collect())
                .collect(),
            numeric: holds(Holds::Numbers).collect(),
            prose: holds(Holds::Prose).collect(),
        }
    }

    /// Some columns, if they fit: with fewer of several texts, and sentences on several lines, where that helps.
    fn fitting(list: &List, columns: &[usize], width: usize) -> Option<Self> {
        let worth_it = columns.iter().all(|&column| list.columns[column].rank <= WORTH_SHORTENING);
        (if worth_it { 1 } else { 2 }..=MOST_IN_A_CELL)
            .rev()
            .find_map(|most| Self::new(list, columns, most).wrapped(width))
    }

    fn width_of(&self, column: usize) -> usize {
        let widths = self.rows.iter().map(|row| row[column].width());
        widths.chain([self.titles[column].width()]).max().unwrap_or_default()
    }

    /// The same with columns of sentences broken at their spaces, if that makes it fit.
    fn wrapped(mut self, width: usize) -> Option<Self> {
        let mut widths: Vec<usize> = (0..self.titles.len()).map(|column| self.width_of(column)).collect();
        let gaps = GAP * widths.len().saturating_sub(1);
        let mut over = (widths.iter().sum::<usize>() + gaps).saturating_sub(width);
        for column in (0..widths.len()).filter(|&column| self.prose[column]) {
            let words = self.rows.iter().flat_map(|row| row[column].split(' ')).map(UnicodeWidthStr::width);
            let least = words.max().unwrap_or_default().max(LEAST_PROSE).min(widths[column]);
            let less = over.min(widths[column] - least);
            widths[column] -= less;
            over -= less;
            if less > 0 {
                for row in &mut self.rows {
                    row[column] = wrap(&row[column], widths[column]).join("\n");
                }
            }
        }
        (over == 0).then_some(self)
    }

    /// Some columns with the ends of their longest texts cut off, so that nothing is wider than it may be.
    fn cut(list: &List, columns: &[usize], width: usize) -> Self {
        let mut grid = Self::new(list, columns, 1);
        let room = (width + GAP) / columns.len().max(1) - GAP;
        for text in grid.rows.iter_mut().flatten().chain(&mut grid.titles) {
            if text.width() > room {
                *text = beginning(text, room - 1) + "…";
            }
        }
        grid
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
        let mut lines: Vec<String> = drawing.lines().map(|line| line.trim_end().to_owned()).collect();
        // The rule is drawn under the space after the last column as well.
        let is_rule = |line: &String| line.starts_with('─');
        let widest = lines.iter().filter(|line| !is_rule(line)).map(|line| line.width()).max();
        for line in lines.iter_mut().filter(|line| is_rule(line)) {
            *line = "─".repeat(widest.unwrap_or_default());
        }
        lines.join("\n") + "\n"
    }
}

/// As much of a text as has room.
fn beginning(text: &str, room: usize) -> String {
    let mut used = 0;
    let fits = |each: &char| {
        used += each.width().unwrap_or_default();
        used <= room
    };
    text.chars().filter(|each| !matches!(*each, ALARMING | INSIDE | NO_LONGER)).take_while(fits).collect()
}

/// The first cell of each row, and below it the others with their titles.
fn blocks(page: Page, list: &List) -> String {
    const INDENT: &str = "  ";
    const BETWEEN: &str = "   ";
    let mut out = String::new();
    for row in &list.rows {
        for line in wrap(&shown(&row[0], MOST_IN_A_CELL), page.width) {
            let _ = writeln!(out, "{}", paint(NAME.bold(), &line));
        }
        let mut used = 0;
        for (column, cell) in list.columns.iter().zip(row).skip(1).filter(|(_, cell)| !is_nothing(cell)) {
            let (title, text) = (column.heading(), shown(cell, usize::MAX));
            let width = title.width() + 1 + text.width();
            if used > 0 && used + BETWEEN.len() + width > page.width {
                out.push('\n');
                used = 0;
            }
            if INDENT.len() + width > page.width {
                // Alone, on as many lines as it takes.
                let first = format!("{INDENT}{} ", paint(DIM, &title));
                let rest = " ".repeat(INDENT.len() + title.width() + 1);
                let lines = wrap(&text, page.width.saturating_sub(rest.len()));
                for (number, line) in lines.iter().enumerate() {
                    let _ = writeln!(out, "{}{line}", if number == 0 { &first } else { &rest });
                }
                continue;
            }
            let before = if used == 0 { INDENT } else { BETWEEN };
            let _ = write!(out, "{before}{} {text}", paint(DIM, &title));
            used += before.len() + width;
        }
        if used > 0 {
            out.push('\n');
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use pasaporte_report::list::column;
    use rstest::rstest;

    use super::*;

    /// A function, those who may, a remark, its owner and a number.
    fn some() -> List {
        let mut list = List::new(
            "functions",
            &[
                column("function", 0, Holds::Names),
                column("lets_in", 1, Holds::Names),
                column("remark", 2, Holds::Prose),
                column("owner", 4, Holds::Names),
                column("line", 3, Holds::Numbers),
            ],
        );
        for (id, who, remark) in [
            ("sell-ticket", vec!["anyone", "user:ana", "group:clerks", "group:night-shift"], "open"),
            ("refund", vec![], "closed for the winter, opens again with the first ferry of spring"),
        ] {
            let who = Cell::many(who);
            list.row(vec![
                Cell::text(id),
                who,
                Cell::text(remark),
                Cell::text("tickets-team"),
                Cell::Number(7),
            ]);
        }
        list
    }

    fn plain(width: usize, columns: Columns) -> String {
        anstream::adapter::strip_str(&list(Page::new(Some(width)), &some(), columns)).to_string()
    }

    #[rstest]
    #[case::everything(200, "2 functions\n")]
    #[case::a_remark_on_several_lines(90, "2 functions\n")]
    #[case::without_the_least(66, "2 functions; not shown: owner (--columns all)\n")]
    #[case::with_little(38, "2 functions; not shown: remark, owner\n(--columns all)\n")]
    fn as_much_is_told_as_there_is_room_for(#[case] width: usize, #[case] end: &str) {
        let text = plain(width, Columns::Fitting);
        assert!(text.ends_with(end), "{text}");
        assert!(text.starts_with("function"), "{text}");
    }

    #[rstest]
    fn nothing_is_wider_than_it_was_asked_to_be(
        #[values(40, 41, 47, 55, 64, 80, 100, 140)] width: usize,
        #[values(Columns::Fitting, Columns::All)] columns: Columns,
        #[values("function", "a-function-with-a-name-that-is-longer-than-the-narrowest-page-there-is")] name: &str,
    ) {
        let mut all = some();
        all.row(vec![Cell::text(name), Cell::Nothing, Cell::Nothing, Cell::Nothing, Cell::Nothing]);
        let text = list(Page::new(Some(width)), &all, columns);
        let text = anstream::adapter::strip_str(&text).to_string();
        let widest = text.lines().map(UnicodeWidthStr::width).max();
        let longest_word = text.split_whitespace().map(UnicodeWidthStr::width).max();
        let allowed = if columns == Columns::All { longest_word.max(Some(width)) } else { Some(width) };
        assert!(widest <= allowed, "{widest:?} of {width}:\n{text}");
    }

    #[test]
    fn all_columns_are_all_even_where_there_is_no_room() {
        let text = plain(50, Columns::All);
        for part in ["sell-ticket\n", "owner tickets-team", "line 7", "group:night-shift", "2 functions\n"] {
            assert!(text.contains(part), "{part} in {text}");
        }
        assert!(!text.contains("not shown"), "{text}");
    }

    #[test]
    fn alarm_is_loud_and_within_a_network_is_not_as_loud() {
        let mut all = List::new("doors", &[column("door", 0, Holds::Names), column("is", 1, Holds::Names)]);
        all.row(vec![Cell::text("a"), Cell::alarming("anyone")]);
        all.row(vec![Cell::text("b"), Cell::Text(Said::plain("anyone inside").tone(Tone::Inside))]);
        let text = list(Page::new(Some(80)), &all, Columns::Fitting);
        assert!(text.contains("\u{1b}[1m\u{1b}[91manyone\u{1b}[0m"), "{text:?}");
        assert!(text.contains("\u{1b}[33manyone inside\u{1b}[0m"), "{text:?}");
        assert!(text.ends_with("2 doors\u{1b}[0m\n"), "{text:?}");
    }

    #[test]
    fn what_is_empty_says_so() {
        let none = List::new("permission-sets", &[column("set", 0, Holds::Names)]);
        assert_eq!(list(Page::new(None), &none, Columns::Fitting), "no permission sets\n");
    }
}
