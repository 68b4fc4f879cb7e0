//! `pasaporte list`: what is there, as a table.

mod rows;

use clap::{Args, ValueEnum};
use pasaporte_core::rules;

use super::{Done, Format, Input};
use crate::view::{self, Page};

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
    pub(crate) fn run(&self, page: Page) -> Done {
        let estate = match self.input.load() {
            Ok(estate) => estate,
            Err(done) => return done,
        };
        let audit = rules::Audit::new(&estate, rules::Settings::default());
        let table = match self.what {
            What::Functions => rows::functions(&audit),
            What::Endpoints => rows::endpoints(&audit),
            What::Identities => rows::identities(&audit),
            What::Keys => rows::keys(&audit),
            What::Grants => rows::grants(&audit),
        };
        Done::Text(match self.format {
            Format::Text => view::table(page, &table),
            Format::Json => view::json(&table.to_json()),
        })
    }
}
