//! Lists of what is there, as values: columns, rows, their order and what is kept of them.

mod cell;
mod holders;
mod kinds;
mod places;
mod proofs;
pub(crate) mod seen;
mod shared;
mod ways_in;

use std::borrow::Cow;

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::ser::SerializeMap;
use serde::{Serialize, Serializer};

pub use cell::{Cell, Said, Tone};
pub use kinds::{KINDS, Kind};

/// The version of this output.
pub const VERSION: u64 = 1;

/// What may stand in a column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Holds {
    /// Names of things, owners, places: what the estate calls them.
    Names,
    /// Words of a closed set.
    Words(&'static [&'static str]),
    /// Numbers.
    Numbers,
    /// Dates, and words for those that are not there.
    Dates,
    /// Sentences.
    Prose,
}

/// A column: one name for people, programs, filters and orders.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Column {
    /// Its name.
    pub name: &'static str,
    /// How soon it is left out where there is no room: the highest first, the one of 0 never.
    pub rank: u8,
    /// What may stand in it.
    pub holds: Holds,
}

/// A column of that name.
pub const fn column(name: &'static str, rank: u8, holds: Holds) -> Column {
    Column { name, rank, holds }
}

impl Column {
    /// Its name over a column of text.
    pub fn heading(&self) -> String {
        self.name.replace('_', " ")
    }
}

/// Rows under columns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct List {
    /// What is listed.
    pub what: &'static str,
    /// The columns.
    pub columns: Vec<Column>,
    /// The rows, in order.
    pub rows: Vec<Vec<Cell>>,
}

impl List {
    /// A list without rows.
    pub fn new(what: &'static str, columns: &[Column]) -> Self {
        Self { what, columns: columns.to_vec(), rows: Vec::new() }
    }

    /// Adds a row.
    pub fn row(&mut self, row: Vec<Cell>) {
        debug_assert_eq!(row.len(), self.columns.len());
        self.rows.push(row);
    }

    /// The place of a column by its name.
    pub fn column(&self, name: &str) -> Option<usize> {
        self.columns.iter().position(|column| column.name == name)
    }

    /// The names of the columns.
    pub fn names(&self) -> Vec<&'static str> {
        self.columns.iter().map(|column| column.name).collect()
    }

    /// Keeps the rows whose cell in a column is as wanted.
    pub fn keep(&mut self, column: usize, wanted: impl Fn(&Cell) -> bool) {
        self.rows.retain(|row| wanted(&row[column]));
    }

    /// Puts the rows in the order of a column, perhaps from the end, and else of their first columns; so the order of
    /// input does not show. What is not there comes last, from either end.
    pub fn order(&mut self, by: Option<(usize, bool)>) {
        self.rows.sort_by_cached_key(|row| row.iter().map(Cell::texts).collect::<Vec<_>>());
        if let Some((column, backwards)) = by {
            self.rows.sort_by(|one, other| {
                let order = one[column].compare(&other[column]);
                let there = one[column].is_empty().cmp(&other[column].is_empty());
                there.then(if backwards { order.reverse() } else { order })
            });
        }
    }

    /// Keeps some columns, in the order given.
    pub fn choose(&mut self, columns: &[usize]) {
        self.columns = columns.iter().map(|&column| self.columns[column]).collect();
        for row in &mut self.rows {
            *row = columns.iter().map(|&column| row[column].clone()).collect();
        }
    }

    /// The rows as CSV (RFC 4180), several texts divided by semicolons. No cell begins like a formula.
    pub fn to_csv(&self) -> Result<Vec<u8>, csv::Error> {
        let mut out = csv::WriterBuilder::new().from_writer(Vec::new());
        out.write_record(self.names())?;
        for row in &self.rows {
            out.write_record(row.iter().map(Cell::in_csv))?;
        }
        out.into_inner().map_err(|error| csv::Error::from(error.into_error()))
    }
}

/// A row with the names of its columns.
struct Named<'l>(&'l [Column], &'l [Cell]);

impl Serialize for Named<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(Some(self.0.len()))?;
        for (column, cell) in self.0.iter().zip(self.1) {
            map.serialize_entry(column.name, cell)?;
        }
        map.end()
    }
}

impl Serialize for List {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(Some(4))?;
        map.serialize_entry("list", &VERSION)?;
        map.serialize_entry("of", self.what)?;
        map.serialize_entry("columns", &self.names())?;
        let rows: Vec<Named<'_>> = self.rows.iter().map(|row| Named(&self.columns, row)).collect();
        map.serialize_entry("rows", &rows)?;
        map.end()
    }
}

impl JsonSchema for List {
    fn schema_name() -> Cow<'static, str> {
        "List".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        let lists: Vec<Schema> = KINDS.iter().map(|kind| of_kind(*kind)).collect();
        json_schema!({
            "title": "Pasaporte list, version 1",
            "type": "object",
            "properties": {
                "list": {"description": "The version of this output.", "const": VERSION},
                "of": {"description": "What is listed.", "enum": KINDS.iter().map(|kind| kind.word()).collect::<Vec<_>>()},
                "columns": {
                    "description": "The columns that were asked for, in order.",
                    "type": "array",
                    "items": {"type": "string"},
                },
                "rows": {"description": "A member for each column.", "type": "array", "items": {"type": "object"}},
            },
            "required": ["list", "of", "columns", "rows"],
            "additionalProperties": false,
            "oneOf": lists,
        })
    }
}

/// What the rows of one kind of list may have.
fn of_kind(kind: Kind) -> Schema {
    let mut members = serde_json::Map::new();
    for column in kind.columns() {
        let text = serde_json::json!({"type": "string"});
        let holds = match column.holds {
            Holds::Words(words) => {
                let perhaps: Vec<String> =
                    words.iter().flat_map(|word| [(*word).to_owned(), format!("{word} (perhaps)")]).collect();
                serde_json::json!({"enum": perhaps})
            }
            Holds::Numbers => serde_json::json!({"type": "integer"}),
            Holds::Names | Holds::Dates | Holds::Prose => text,
        };
        let any = serde_json::json!({"anyOf": [holds, {"type": "array", "items": holds}, {"type": "null"}]});
        members.insert(column.name.to_owned(), any);
    }
    json_schema!({
        "properties": {
            "of": {"const": kind.word()},
            "rows": {"items": {"properties": members, "additionalProperties": false}},
        },
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn list(rows: Vec<Vec<Cell>>) -> List {
        let columns = [
            column("id", 0, Holds::Names),
            column("owner", 1, Holds::Names),
            column("age", 2, Holds::Numbers),
        ];
        List { what: "keys", columns: columns.to_vec(), rows }
    }

    fn ids(list: &List) -> Vec<String> {
        list.rows.iter().flat_map(|row| row[0].texts()).collect()
    }

    #[test]
    fn no_cell_of_a_list_for_other_programs_begins_like_a_formula() {
        let list = list(vec![
            vec![Cell::text("a,b"), Cell::text("=1+1"), Cell::Number(-3)],
            vec![Cell::text("c"), Cell::many(["x", "y"]), Cell::Nothing],
        ]);
        let csv = String::from_utf8(list.to_csv().unwrap()).unwrap();
        assert_eq!(csv, "id,owner,age\n\"a,b\",'=1+1,-3\nc,x; y,\n");
        for text in ["=1", "\u{ff1d}1", "\n=1", " +1", "\u{a0}@a", "\r1", "\u{ff0b}1"] {
            assert!(Cell::text(text).in_csv().starts_with('\''), "{text:?}");
        }
    }

    #[test]
    fn numbers_are_ordered_as_numbers_and_nothing_comes_last() {
        let row = |(id, age): (&str, Option<i64>)| {
            vec![Cell::text(id), Cell::Nothing, age.map_or(Cell::Nothing, Cell::Number)]
        };
        let mut list = list([("a", Some(100)), ("b", Some(9)), ("c", None)].map(row).to_vec());
        list.order(Some((2, false)));
        assert_eq!(ids(&list), ["b", "a", "c"]);
        list.order(Some((2, true)));
        assert_eq!(ids(&list), ["a", "b", "c"]);
        list.order(None);
        assert_eq!(ids(&list), ["a", "b", "c"]);
    }

    #[test]
    fn columns_are_chosen_in_the_order_asked_for() {
        let mut list = list(vec![vec![Cell::text("a"), Cell::text("ana"), Cell::Number(1)]]);
        list.choose(&[2, 0]);
        assert_eq!(
            serde_json::to_string(&list).unwrap(),
            r#"{"list":1,"of":"keys","columns":["age","id"],"rows":[{"age":1,"id":"a"}]}"#
        );
    }
}
