//! `pasaporte entry`: who may make a function run, in effect.

use clap::Args;
use clap_complete::ArgValueCompleter;
use pasaporte_report::Entered;

use super::{Done, Format, Input, Sheet, completions, lookup};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte entry scan-passport estate\n  pasaporte entry scan-passport estate --format json"
)]
pub(crate) struct Entry {
    /// The function; its id may be shortened where nothing else is meant
    #[arg(add = ArgValueCompleter::new(completions::functions))]
    function: String,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Entry {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        self.input.ask(sheet, |session, sheet| {
            let function = lookup::function(session.estate(), &self.function)?;
            let entered = Entered::new(&session.effects(), function);
            match self.format {
                Format::Text => sheet.text(&view::entered(sheet.page, &entered))?,
                Format::Json => sheet.json(&entered)?,
            }
            Ok(0)
        })
    }
}
