//! `pasaporte entry`: who may make a function run, in effect.

use clap::Args;
use pasaporte_core::effect::Effects;
use pasaporte_report::Entered;

use super::{Done, Format, Input, Sheet, lookup};
use crate::view;

#[derive(Debug, Args)]
pub(crate) struct Entry {
    /// The function; its id may be shortened where nothing else is meant
    function: String,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Entry {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let estate = self.input.load()?;
        let function = lookup::function(estate, &self.function)?;
        let entered = Entered::new(&Effects::new(estate), function);
        match self.format {
            Format::Text => sheet.text(&view::entered(sheet.page, &entered))?,
            Format::Json => sheet.json(&entered)?,
        }
        Ok(0)
    }
}
