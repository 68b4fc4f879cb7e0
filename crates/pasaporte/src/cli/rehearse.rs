//! `pasaporte rehearse`: what was seen to happen, asked of the estate as it would be.

use std::collections::BTreeSet;
use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};

use clap::Args;
use pasaporte_audit::Catalogue;
use pasaporte_read::files;
use pasaporte_read::text::Source;
use pasaporte_report::rehearsal::RehearsedOut;

use super::{Done, FOUND, Format, Input, Sheet};
use crate::view;

/// How much of a file is looked at to see whether it is laid over others.
const BEGINNING: u64 = 1 << 16;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte rehearse fix.yaml estate\n  pasaporte rehearse estate-tomorrow estate\n\nExit codes: 0 \
                        nothing that was seen would be refused · 1 something would"
)]
pub(crate) struct Rehearse {
    /// What would be: a file that is laid over the estate, or another estate
    #[arg(value_hint = clap::ValueHint::AnyPath)]
    what: PathBuf,
    #[command(flatten)]
    input: Input,
    /// Tell all of everything
    #[arg(long)]
    all: bool,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Rehearse {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let configured = sheet.configured()?;
        let other = if is_overlay(&self.what) {
            let mut wrong = pasaporte_read::diagnostic::Diagnostics::default();
            let overlays = Source::find(std::slice::from_ref(&self.what), &mut wrong);
            if !wrong.is_empty() {
                return Err(super::Stop::Wrong(wrong));
            }
            sheet.while_waiting("reading", || self.input.load_with(&configured, overlays))?
        } else {
            let input = Input::new(vec![self.what.clone()], self.input.as_of);
            sheet.while_waiting("reading", || input.load(&configured))?
        };
        let other = ManuallyDrop::new(other);
        let told = self.input.ask(sheet, |session, sheet| {
            let rules: BTreeSet<&'static str> = Catalogue::shipped().ids().collect();
            Ok(sheet.while_waiting("rehearsing", || {
                let (old, new) = (session.audit(rules.clone()), other.audit(rules));
                RehearsedOut::new((&old.audit, &old.findings), (&new.audit, &new.findings))
            }))
        })?;
        match self.format {
            Format::Text => sheet.text(&view::rehearsed(sheet.page, &told, self.all))?,
            Format::Json => sheet.json(&told)?,
        }
        Ok(if told.breaks() { FOUND } else { 0 })
    }
}

/// Whether a file says that it is laid over others.
fn is_overlay(path: &Path) -> bool {
    let Ok(bytes) = files::read_up_to(path, BEGINNING) else { return false };
    let text = String::from_utf8_lossy(&bytes);
    text.lines().take(64).any(|line| {
        let line = line.trim_start_matches(['{', ' ', '"']).replace(['"', ' '], "");
        line.starts_with("overlay:true") || line.contains(",overlay:true")
    })
}
