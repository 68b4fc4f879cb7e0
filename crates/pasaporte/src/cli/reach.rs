//! `pasaporte reach`: what a principal may do, in effect, and what it can become.

use clap::Args;
use pasaporte_core::effect::Effects;
use pasaporte_report::Reached;

use super::{Done, Format, Input, Sheet, lookup};
use crate::view;

#[derive(Debug, Args)]
pub(crate) struct Reach {
    /// Who: identity:ID, function:ID (for what it runs as), user:ID, group:ID, service:NAME, anyone, signed-in
    principal: String,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Reach {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let estate = self.input.load()?;
        let (principal, function) = lookup::principal(estate, &self.principal)?;
        let reached = Reached::new(&Effects::new(estate), principal, function);
        match self.format {
            Format::Text => sheet.text(&view::reached(sheet.page, &reached))?,
            Format::Json => sheet.json(&reached)?,
        }
        Ok(0)
    }
}
