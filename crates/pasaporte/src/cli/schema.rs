//! `pasaporte schema`: the JSON Schemas of what is read and written.

use clap::Args;
use pasaporte_formats::schema;

use super::Done;

#[derive(Debug, Args)]
pub(crate) struct Schema {
    /// Of what: estate or audit; the names are listed if left out
    name: Option<String>,
}

impl Schema {
    pub(crate) fn run(&self) -> Done {
        let Some(name) = &self.name else {
            return Done::Text(
                "estate  what is read: functions and all that surrounds them\n\
                 audit   what `pasaporte audit --format json` writes\n"
                    .to_owned(),
            );
        };
        match schema::schema(name) {
            Some(schema) => Done::Text(schema),
            None => Done::Misused {
                message: format!("there is no schema `{}`", crate::view::safe(name)),
                help: format!("the schemas are {}", schema::NAMES.join(" and ")),
            },
        }
    }
}
