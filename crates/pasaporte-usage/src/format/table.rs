//! Our own lines as CSV (RFC 4180): a line of names, then one event a line. A field has no line break in it.

use super::said::{FIELDS, Field, Values, event, field};
use super::{Bad, Take};

/// Which field stands in which column.
#[derive(Debug, Clone, Default)]
pub(crate) struct Columns(Vec<Option<Field>>);

impl Columns {
    /// The columns of a line of names.
    pub(crate) fn of(heading: &str) -> Self {
        let mut all = Vec::new();
        let _ = fields(heading, |name| all.push(field(name.trim())));
        Self(all)
    }
}

/// Whether a line is one of names.
pub(super) fn is_heading(line: &str) -> bool {
    let columns = Columns::of(line).0;
    let has = |field: Field| columns.contains(&Some(field));
    (has(Field::Time) || has(Field::First)) && columns.len() > 1
}

/// Reads a line.
pub(super) fn read(columns: &Columns, line: &str, take: &mut dyn Take) -> Result<(), Bad> {
    if columns.0.is_empty() {
        return Err(Bad::NotOfTheFormat);
    }
    let mut texts: Vec<String> = Vec::with_capacity(columns.0.len());
    fields(line, |text| texts.push(text.to_owned()))?;
    if texts.len() != columns.0.len() {
        return Err(Bad::NotOfTheFormat);
    }
    let mut values: Values<'_> = [None; FIELDS];
    for (column, text) in columns.0.iter().zip(&texts) {
        if let Some(field) = column {
            values[*field as usize] = Some(text.as_str());
        }
    }
    event(&values, take)
}

/// The fields of a line.
fn fields(line: &str, mut each: impl FnMut(&str)) -> Result<(), Bad> {
    let mut reader =
        csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(line.trim_end().as_bytes());
    let mut record = csv::StringRecord::new();
    match reader.read_record(&mut record) {
        Ok(true) => {
            record.iter().for_each(&mut each);
            Ok(())
        }
        _ => Err(Bad::NotOfTheFormat),
    }
}
