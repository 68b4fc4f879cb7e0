//! `pasaporte reach`: what a principal may do, in effect, and what it can become.

use clap::Args;
use clap_complete::ArgValueCompleter;
use pasaporte_report::Reached;

use super::{Done, Format, Input, Sheet, completions, lookup};
use crate::view;

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  pasaporte reach sell-ticket estate\n  pasaporte reach signed-in estate")]
pub(crate) struct Reach {
    /// Who: identity:ID, function:ID (for what it runs as), user:ID, group:ID, service:NAME, anyone, signed-in
    #[arg(add = ArgValueCompleter::new(completions::principals))]
    principal: String,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Reach {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        self.input.ask(sheet, |session, sheet| {
            let (principal, function) = lookup::principal(session.estate(), &self.principal)?;
            let reached = Reached::new(&session.effects(), principal, function);
            match self.format {
                Format::Text => sheet.text(&view::reached(sheet.page, &reached))?,
                Format::Json => sheet.json(&reached)?,
            }
            Ok(0)
        })
    }
}
