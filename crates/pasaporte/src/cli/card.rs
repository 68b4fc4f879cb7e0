//! `pasaporte card`: one function's passport on one screen.

use clap::Args;
use pasaporte_report::Card as Answer;

use super::{Done, Format, Input, Sheet, lookup};
use crate::audited::Audited;
use crate::view;

#[derive(Debug, Args)]
pub(crate) struct Card {
    /// The function; its id may be shortened where nothing else is meant
    function: String,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Card {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let estate = self.input.load()?;
        let function = lookup::function(estate, &self.function)?;
        let audited = Audited::for_card(estate, function);
        let card = Answer::new(&audited.audit, &audited.findings, function);
        match self.format {
            Format::Text => sheet.text(&view::card(sheet.page, &card))?,
            Format::Json => sheet.json(&card)?,
        }
        Ok(0)
    }
}
