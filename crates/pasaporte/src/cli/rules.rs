//! `pasaporte rules`: what the audit looks for.

use clap::Args;
use pasaporte_core::rules::{self, Rule};
use pasaporte_formats::report::RuleOut;

use super::audit::matching;
use super::{Done, Format};
use crate::view::{self, Page};

#[derive(Debug, Args)]
pub(crate) struct Rules {
    /// A rule, or a pattern of rules such as 'key/*'; all in short if left out
    id: Option<String>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Rules {
    pub(crate) fn run(&self, page: Page) -> Done {
        let chosen: Vec<&'static Rule> = match &self.id {
            None => rules::all().collect(),
            Some(id) => match matching(std::slice::from_ref(id)) {
                Ok(ids) => rules::all().filter(|rule| ids.contains(rule.id)).collect(),
                Err(misused) => return misused,
            },
        };
        Done::Text(match self.format {
            Format::Json => {
                let rules: Vec<RuleOut> = chosen.into_iter().map(RuleOut::of).collect();
                view::json(&rules)
            }
            Format::Text if self.id.is_none() => view::rule_list(page, &chosen),
            Format::Text => view::rule_pages(page, &chosen),
        })
    }
}
