//! `pasaporte schema`: the JSON Schemas of what is read and written.

use clap::Args;
use clap_complete::{ArgValueCandidates, CompletionCandidate};
use pasaporte_report::schema::SCHEMAS;

use super::{Done, Sheet, Stop};
use crate::view;

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  pasaporte schema\n  pasaporte schema estate > estate.schema.json")]
pub(crate) struct Schema {
    /// Of what; the names are listed if left out
    #[arg(add = ArgValueCandidates::new(names))]
    name: Option<String>,
}

fn names() -> Vec<CompletionCandidate> {
    SCHEMAS.iter().map(|schema| CompletionCandidate::new(schema.name)).collect()
}

impl Schema {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let Some(name) = &self.name else {
            sheet.text(&view::schema_list(sheet.page, SCHEMAS))?;
            return Ok(0);
        };
        let Some(schema) = SCHEMAS.iter().find(|schema| schema.name == name) else {
            let names: Vec<&str> = SCHEMAS.iter().map(|schema| schema.name).collect();
            return Err(Stop::Misused {
                message: format!("there is no schema `{}`", view::safe(name)),
                help: match pasaporte_read::nearest(name, &names) {
                    Some(near) => format!("did you mean {near}?"),
                    None => format!("the schemas are {}", names.join(", ")),
                },
            });
        };
        sheet.text(&schema.text())?;
        Ok(0)
    }
}
