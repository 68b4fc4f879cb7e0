//! `pasaporte card`: one function's passport on one screen.

use super::{Done, Format, Input, Sheet, completions, lookup};
use crate::view;
use clap::Args;
use clap_complete::ArgValueCompleter;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte card sell-ticket estate\n  pasaporte card sell-ticket estate --format json"
)]
pub(crate) struct Card {
    /// The function; its id may be shortened where nothing else is meant
    #[arg(add = ArgValueCompleter::new(completions::functions))]
    function: String,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Card {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        self.input.ask(sheet, |session, sheet| {
            let function = lookup::function(session.estate(), &self.function)?;
            let card = session.card(function);
            match self.format {
                Format::Text => sheet.text(&view::card(sheet.page, &card))?,
                Format::Json => sheet.json(&card)?,
            }
            Ok(0)
        })
    }
}
