//! `pasaporte schema`: the JSON Schemas of what is read and written.

use clap::Args;
use pasaporte_report::schema;

use super::{Done, Sheet, Stop};

#[derive(Debug, Args)]
pub(crate) struct Schema {
    /// Of what: estate, audit, card, explain, entry, reach; the names are listed if left out
    name: Option<String>,
}

impl Schema {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let Some(name) = &self.name else {
            sheet.text(
                "estate   what is read: functions and all that surrounds them\n\
                 audit    what `pasaporte audit --format json` writes\n\
                 card     what `pasaporte card --format json` writes\n\
                 explain  what `pasaporte explain --format json` writes\n\
                 entry    what `pasaporte entry --format json` writes\n\
                 reach    what `pasaporte reach --format json` writes\n",
            )?;
            return Ok(0);
        };
        let Some(schema) = schema::schema(name) else {
            return Err(Stop::Misused {
                message: format!("there is no schema `{}`", crate::view::safe(name)),
                help: format!("the schemas are {}", schema::NAMES.join(", ")),
            });
        };
        sheet.text(&schema)?;
        Ok(0)
    }
}
