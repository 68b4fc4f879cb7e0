//! `pasaporte card`: a passport on one screen, of a function, a key, an identity or an endpoint.

use super::{Done, Format, Input, Sheet, Stop, completions, lookup};
use crate::session::Session;
use crate::view;
use clap::Args;
use clap_complete::ArgValueCompleter;
use pasaporte_core::estate::Thing;
use serde::Serialize;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte card sell-ticket estate\n  pasaporte card key:gate-admin estate\n  pasaporte card \
                  identity:sell-ticket-role estate --format json"
)]
pub(crate) struct Card {
    /// The function; or key:ID, identity:ID, endpoint:ID. Ids may be shortened where nothing else is meant
    #[arg(value_name = "THING", add = ArgValueCompleter::new(completions::functions))]
    thing: String,
    #[command(flatten)]
    input: Input,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Card {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        self.input.ask(sheet, |session, sheet| {
            match lookup::with_a_passport(session.estate(), &self.thing)? {
                Thing::Key(id) => {
                    self.show(sheet, there(session.card_of_key(id), &self.thing)?, view::card_of_key)
                }
                Thing::Identity(id) => self.show(
                    sheet,
                    there(session.card_of_identity(id), &self.thing)?,
                    view::card_of_identity,
                ),
                Thing::Endpoint(id) => self.show(
                    sheet,
                    there(session.card_of_endpoint(id), &self.thing)?,
                    view::card_of_endpoint,
                ),
                _ => self.of_function(session, sheet),
            }
        })
    }

    fn of_function(&self, session: &Session, sheet: &mut Sheet<'_>) -> Done {
        let function = lookup::function(session.estate(), &self.thing)?;
        self.show(sheet, session.card(function), view::card)
    }

    fn show<C: Serialize>(&self, sheet: &mut Sheet<'_>, card: C, text: fn(view::Page, &C) -> String) -> Done {
        match self.format {
            Format::Text => sheet.text(&text(sheet.page, &card))?,
            Format::Json => sheet.json(&card)?,
        }
        Ok(0)
    }
}

/// What is only mentioned has no passport.
fn there<C>(card: Option<C>, name: &str) -> Result<C, Stop> {
    card.ok_or_else(|| Stop::Misused {
        message: format!("{} is named, and is not in the estate", view::safe(name)),
        help: "gather it too; `pasaporte list` shows what is there".to_owned(),
    })
}
