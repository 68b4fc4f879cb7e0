//! `pasaporte rules`: what the audit looks for.

use clap::Args;
use clap_complete::ArgValueCompleter;
use pasaporte_audit::{Catalogue, Rule};
use pasaporte_report::SeverityOut;

use super::audit::matching;
use super::{Done, Format, Sheet, completions};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte rules\n  pasaporte rules entry/unpinned-source\n  pasaporte rules severity"
)]
pub(crate) struct Rules {
    /// A rule, or a pattern of rules such as 'key/*'; all in short if left out. `severity` is how findings get their level
    #[arg(add = ArgValueCompleter::new(completions::rules))]
    id: Option<String>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Rules {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        if self.id.as_deref() == Some("severity") {
            let table = SeverityOut::new();
            match self.format {
                Format::Json => sheet.json(&table)?,
                Format::Text => sheet.text(&view::severity_table(sheet.page, &table))?,
            }
            return Ok(0);
        }
        let all = Catalogue::shipped();
        let chosen: Vec<&Rule> = match &self.id {
            None => all.all().collect(),
            Some(id) => {
                let ids = matching(std::slice::from_ref(id))?;
                all.all().filter(|rule| ids.contains(rule.id)).collect()
            }
        };
        match self.format {
            Format::Json => sheet.json(&pasaporte_report::Rules::new(chosen))?,
            Format::Text if self.id.is_none() => sheet.text(&view::rule_list(sheet.page, &chosen))?,
            Format::Text => sheet.text(&view::rule_pages(sheet.page, &chosen))?,
        }
        Ok(0)
    }
}
