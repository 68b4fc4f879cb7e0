//! `pasaporte list`: what is there, as a table.

use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::{Args, ValueEnum};
use pasaporte_core::estate::Estate;
use pasaporte_core::pattern::Pattern;
use pasaporte_read::estate::parse_moment;
use pasaporte_report::list::{Cell, Holds, KINDS, Kind};

use super::{Done, Input, Sheet, Stop};
use crate::session::Session;
use crate::view::{self, Columns};

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte list functions estate --where exposed_to=anyone --sort owner\n  pasaporte list keys estate --where 'age_days>180' --columns key,opens,held_by\n  pasaporte list endpoints estate --format csv > endpoints.csv"
)]
pub(crate) struct List {
    /// What to list
    #[arg(value_parser = kinds())]
    what: Kind,
    #[command(flatten)]
    input: Input,
    /// Only rows where a column is so: COLUMN=PATTERN, COLUMN!=PATTERN, COLUMN>NUMBER, COLUMN<NUMBER (repeat)
    #[arg(long = "where", value_name = "COLUMN=PATTERN")]
    wheres: Vec<String>,
    /// Order by a column; with - before it from the end
    #[arg(long, value_name = "COLUMN", allow_hyphen_values = true)]
    sort: Option<String>,
    /// Only these columns, in this order; `all` for every one (text leaves out what has no room)
    #[arg(long, value_name = "COLUMNS", value_delimiter = ',')]
    columns: Vec<String>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Written,
}

/// How a list is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Written {
    /// For people
    Text,
    /// For programs
    Json,
    /// For spreadsheets
    Csv,
}

fn kinds() -> impl TypedValueParser<Value = Kind> {
    let values = KINDS.iter().map(|kind| PossibleValue::new(kind.word()).help(kind.about()));
    PossibleValuesParser::new(values)
        .try_map(|word| KINDS.iter().copied().find(|kind| kind.word() == word).ok_or("not a kind of list"))
}

impl List {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        self.input.ask(sheet, |session, sheet| self.list(session, sheet))
    }

    fn list(&self, session: &Session, sheet: &mut Sheet<'_>) -> Done {
        let estate = session.estate();
        let mut list = session.list(self.what);
        let wheres: Result<Vec<Where>, Stop> =
            self.wheres.iter().map(|text| Where::parse(text, &list, estate)).collect();
        for wanted in wheres? {
            list.keep(wanted.column, |cell| wanted.takes(cell));
        }
        let sort = self.sort.as_deref().map(|sort| {
            let name = sort.strip_prefix('-').unwrap_or(sort);
            Ok::<_, Stop>((column(name, &list)?, name != sort))
        });
        list.order(sort.transpose()?);
        let mut shown = Columns::Fitting;
        if !self.columns.is_empty() {
            shown = Columns::All;
            if self.columns != ["all"] {
                let chosen: Result<Vec<usize>, Stop> =
                    self.columns.iter().map(|name| column(name.trim(), &list)).collect();
                list.choose(&chosen?);
            }
        }
        match self.format {
            Written::Text => sheet.text(&view::list(sheet.page, &list, shown))?,
            Written::Json => sheet.json(&list)?,
            Written::Csv => sheet.out.write_all(&list.to_csv().map_err(std::io::Error::other)?)?,
        }
        Ok(0)
    }
}

/// What rows must be like.
struct Where {
    column: usize,
    wanted: Test,
}

enum Test {
    Is(Pattern),
    IsNot(Pattern),
    Over(i64),
    Under(i64),
}

impl Where {
    fn parse(text: &str, list: &pasaporte_report::list::List, estate: &Estate) -> Result<Self, Stop> {
        let wrong = |message: String| {
            Stop::Misused {
            message,
            help: "write --where 'exposed_to=anyone', 'check!=identity' or 'age_days>180'; * and ? are wildcards"
                .to_owned(),
        }
        };
        let operators = ["!=", "=", ">", "<"];
        let found = operators.iter().filter_map(|operator| Some((text.find(operator)?, *operator)));
        let Some((at, operator)) = found.min_by_key(|(at, operator)| (*at, operator.len() == 1)) else {
            return Err(wrong(format!("`{}` says nothing of a column", view::safe(text))));
        };
        let (name, value) = (text[..at].trim(), text[at + operator.len()..].trim());
        let column = column(name, list)?;
        let pattern = || {
            let pattern =
                Pattern::parse(value).map_err(|error| wrong(format!("`{}`: {error}", view::safe(value))))?;
            if let Some(literal) = pattern.as_literal() {
                known(literal, column, list, estate)?;
            }
            Ok::<_, Stop>(pattern)
        };
        let number = || {
            let wrong = |_| wrong(format!("`{}` is not a whole number", view::safe(value)));
            value.parse::<i64>().map_err(wrong)
        };
        let wanted = match operator {
            "=" => Test::Is(pattern()?),
            "!=" => Test::IsNot(pattern()?),
            ">" => Test::Over(number()?),
            _ => Test::Under(number()?),
        };
        Ok(Self { column, wanted })
    }

    /// A cell of several texts is as wanted if one of them is; what is said of it only perhaps counts too.
    fn takes(&self, cell: &Cell) -> bool {
        let matches = |pattern: &Pattern| cell.texts().iter().any(|text| pattern.matches(text));
        match &self.wanted {
            Test::Is(pattern) => matches(pattern),
            Test::IsNot(pattern) => !matches(pattern),
            Test::Over(limit) => cell.number().is_some_and(|number| number > *limit),
            Test::Under(limit) => cell.number().is_some_and(|number| number < *limit),
        }
    }
}

/// A value without wildcards must be one that can stand in the column: with a slip in it, no row at all would look like
/// an answer.
fn known(
    value: &str,
    column: usize,
    list: &pasaporte_report::list::List,
    estate: &Estate,
) -> Result<(), Stop> {
    let holds = list.columns[column].holds;
    let there: Vec<String> = list.rows.iter().flat_map(|row| row[column].texts()).collect();
    let may_be = match holds {
        Holds::Words(words) => words.contains(&value),
        Holds::Numbers => value.parse::<i64>().is_ok(),
        Holds::Dates => value == "never" || parse_moment(value).is_some(),
        Holds::Names => there.is_empty() || estate.name(value).is_some() || estate.thing(value).is_some(),
        Holds::Prose => true,
    };
    if may_be || there.iter().any(|text| text == value) {
        return Ok(());
    }
    let name = list.columns[column].name;
    let texts: Vec<&str> = there.iter().map(String::as_str).collect();
    Err(Stop::Misused {
        message: format!("nothing in the column {name} can be `{}`", view::safe(value)),
        help: match (pasaporte_read::nearest(value, &texts), holds) {
            // All of them: the nearest may mean the opposite.
            (_, Holds::Words(words)) => format!("its words are {}", words.join(", ")),
            (Some(near), _) => format!("did you mean {name}={near}?"),
            (None, Holds::Numbers) => "it holds whole numbers".to_owned(),
            (None, Holds::Dates) => "it holds dates such as 2026-11-20, or never".to_owned(),
            (None, _) => format!("use a wildcard: {name}='*{}*'", view::safe(value)),
        },
    })
}

fn column(name: &str, list: &pasaporte_report::list::List) -> Result<usize, Stop> {
    list.column(name).ok_or_else(|| {
        let names = list.names();
        Stop::Misused {
            message: format!("there is no column `{}` in this list", view::safe(name)),
            help: match pasaporte_read::nearest(name, &names) {
                Some(near) => format!("did you mean {near}?"),
                None => format!("the columns are {}", names.join(", ")),
            },
        }
    })
}
