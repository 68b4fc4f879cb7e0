//! `pasaporte tighten`: the smallest change that keeps what is needed, as an overlay, with its proof.

use std::mem::ManuallyDrop;
use std::path::PathBuf;

use clap::Args;
use clap_complete::ArgValueCompleter;
use pasaporte_audit::tighten::{Wishes, tighten};
use pasaporte_core::estate::{Estate, GrantId, Id, Thing};
use pasaporte_read::files;
use pasaporte_report::tighten::TightenOut;

use super::{Done, FOUND, Format, Input, Sheet, Stop, completions, lookup, unwritable};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte tighten seat-map estate\n  pasaporte tighten identity:seat-map-role estate --out fix.yaml\n  \
                        pasaporte tighten identity:storefront-role estate --split\n  \
                        pasaporte audit estate --with fix.yaml\n  pasaporte rehearse fix.yaml estate\n\nExit codes: 0 the proposal is proved, \
                        or nothing is to change · 1 something could not be proved"
)]
pub(crate) struct Tighten {
    /// What: a function (with what it runs as), identity:ID, user:ID, group:ID, grant:ID, key:ID, endpoint:ID, or all of an
    /// account or app
    #[arg(add = ArgValueCompleter::new(completions::functions))]
    target: String,
    #[command(flatten)]
    input: Input,
    /// Give functions that share the identity one each, with what each needs; of an identity, or what a function runs as
    #[arg(long)]
    split: bool,
    /// Write the proposal into a file, to lay it over the estate with --with
    #[arg(long, value_name = "FILE.yaml", value_hint = clap::ValueHint::FilePath)]
    out: Option<PathBuf>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Tighten {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let configured = sheet.configured()?;
        let wishes = Wishes { split: self.split, ..configured.config.wishes.clone() };
        let told = self.input.ask(sheet, |session, sheet| {
            let target = target(session.estate(), &self.target)?;
            if self.split && !is_run_as(session.estate(), target) {
                return Err(Stop::Misused {
                    message: format!("{} is nothing that functions run as", view::safe(&self.target)),
                    help: "--split takes identity:ID, or a function that runs as one".to_owned(),
                });
            }
            let audit = session.prepared();
            sheet.while_waiting("looking", || {
                let proposal = tighten(&audit, target, &wishes);
                let label = session.estate().label(target);
                let mut told = TightenOut::new(&audit, &label, &proposal);
                if !told.overlay.is_empty() {
                    let text = told.overlay.clone();
                    if let Some(there) = session.with_laid_over(text) {
                        let there = ManuallyDrop::new(there.map_err(Stop::Wrong)?);
                        told.prove(&audit, &there.prepared(), &proposal);
                    }
                }
                Ok(told)
            })
        })?;
        if let (Some(path), false) = (&self.out, told.overlay.is_empty()) {
            files::replace_text(path, &told.overlay).map_err(|error| unwritable(path, &error))?;
        }
        match self.format {
            Format::Text => sheet.text(&view::tightened(sheet.page, &told, self.out.as_deref()))?,
            Format::Json => sheet.json(&told)?,
        }
        let proved = told.proof.as_ref().is_none_or(pasaporte_report::tighten::ProofOut::holds);
        Ok(if proved { 0 } else { FOUND })
    }
}

/// Whether something is an identity, or a function that runs as one.
fn is_run_as(estate: &Estate, target: Thing) -> bool {
    match target {
        Thing::Identity(_) => true,
        Thing::Function(id) => estate.get(id).is_some_and(|it| estate.runs_as(it).is_some()),
        _ => false,
    }
}

/// What somebody means by a name.
fn target(estate: &Estate, text: &str) -> Result<Thing, Stop> {
    if text.starts_with("grant:") {
        let mut all = (0..estate.grants().len()).map(GrantId::new).map(Thing::Grant);
        return all.find(|grant| estate.label(*grant) == text).ok_or_else(|| Stop::Misused {
            message: format!("no grant is called {}", view::safe(text)),
            help: "findings name grants, and so does `pasaporte paths --from … --to …`".to_owned(),
        });
    }
    if text.contains(':') {
        return lookup::thing(estate, text, "");
    }
    lookup::function(estate, text).map(Thing::Function)
}
