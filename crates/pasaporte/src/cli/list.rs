//! `pasaporte list`: what is there, as a table.

mod rows;

use clap::{Args, ValueEnum};
use pasaporte_core::rules;

use super::{Done, Format, Input, Sheet};
use crate::view;

#[derive(Debug, Args)]
pub(crate) struct List {
    /// What to list
    #[arg(value_enum)]
    what: What,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum What {
    /// Functions: what they run as, what makes them run, who can
    Functions,
    /// Endpoints: how callers are checked, and who gets through in effect
    Endpoints,
    /// Identities: who runs as them, and the worst they may do
    Identities,
    /// Keys: what they open, their age and use
    Keys,
    /// Grants: who holds what, where, until when
    Grants,
}

impl List {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let estate = self.input.load()?;
        let audit = rules::Audit::new(estate, rules::Settings::default());
        let table = match self.what {
            What::Functions => rows::functions(&audit),
            What::Endpoints => rows::endpoints(&audit),
            What::Identities => rows::identities(&audit),
            What::Keys => rows::keys(&audit),
            What::Grants => rows::grants(&audit),
        };
        match self.format {
            Format::Text => sheet.text(&view::table(sheet.page, &table))?,
            Format::Json => sheet.json(&table.to_json())?,
        }
        Ok(0)
    }
}
