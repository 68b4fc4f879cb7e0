//! `pasaporte compare`: two side by side, or what functions that share an identity each need.

use std::mem::ManuallyDrop;
use std::path::PathBuf;

use clap::Args;
use clap_complete::ArgValueCompleter;
use pasaporte_core::estate::{Estate, Principal};
use pasaporte_read::files;
use pasaporte_report::compare::{Compared, ComparedOut, SharingOut};
use pasaporte_report::reports::write_compared;

use super::{Done, Format, Input, Sheet, Stop, completions, lookup, unwritable};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte compare identity:sell-ticket-role identity:seat-map-role estate\n  pasaporte compare sell-ticket \
                  sell-ticket-test estate\n  pasaporte compare permission-set:old permission-set:new estate --only right\n  pasaporte compare \
                  identity:sell-ticket-role --with estate-monday estate\n  pasaporte compare --sharing identity:seat-map-role estate"
)]
pub(crate) struct Compare {
    /// The first: a function (as what it runs as), identity:ID, group:ID, user:ID, key:ID, permission-set:ID … and the second,
    /// unless --with names another estate; then paths of the estate [default: as for `audit`]
    #[arg(value_name = "THING", required_unless_present = "sharing", add = ArgValueCompleter::new(completions::functions))]
    things: Vec<String>,
    /// Compare one thing with itself in another estate: that one is the second
    #[arg(long, value_name = "PATH", num_args = 1, conflicts_with = "sharing", value_hint = clap::ValueHint::AnyPath)]
    with: Vec<PathBuf>,
    /// Of each function that runs as this identity what it needs of it, and so how to split it
    #[arg(long, value_name = "IDENTITY")]
    sharing: Option<String>,
    /// Show only what both may, what only the first may, only the second, or where the answers differ
    #[arg(long, value_name = "WHO", value_parser = ["both", "left", "right", "differently"])]
    only: Option<String>,
    /// Judge ages and expiries by this time: a time, a date or `now`
    #[arg(long, value_name = "TIME", value_parser = super::moment)]
    as_of: Option<jiff::Timestamp>,
    /// Write it as a page of HTML too
    #[arg(long, value_name = "FILE.html", conflicts_with = "sharing", value_hint = clap::ValueHint::FilePath)]
    report: Option<PathBuf>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Compare {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        if let Some(identity) = &self.sharing {
            return self.sharing(identity, sheet);
        }
        let named = if self.with.is_empty() { 2 } else { 1 };
        if self.things.len() < named {
            return Err(Stop::Misused {
                message: "two things are compared, and one was named".to_owned(),
                help: "name another one; or the same in another estate, with --with PATH".to_owned(),
            });
        }
        let (things, paths) = self.things.split_at(named);
        let input = Input::new(paths.iter().map(PathBuf::from).collect(), self.as_of);
        let other = if self.with.is_empty() {
            None
        } else {
            let input = Input::new(self.with.clone(), self.as_of);
            let configured = sheet.configured()?;
            Some(ManuallyDrop::new(sheet.while_waiting("reading", || input.load(&configured))?))
        };
        input.ask(sheet, |session, sheet| {
            let audit = session.prepared();
            let left = compared(session.estate(), &things[0])?;
            let told = match &other {
                None => {
                    let right = compared(session.estate(), &things[1])?;
                    ComparedOut::new((&audit, left, None), (&audit, right, None))
                }
                Some(other) => {
                    let right = compared(other.estate(), &things[0])?;
                    let path = |paths: &[PathBuf]| {
                        paths.first().map_or(".".to_owned(), |path| path.to_string_lossy().into_owned())
                    };
                    let (here, there) = (path(&input.paths), path(&self.with));
                    let audit_there = other.prepared();
                    ComparedOut::new((&audit, left, Some(&here)), (&audit_there, right, Some(&there)))
                }
            };
            self.show(told, sheet)
        })
    }

    fn show(&self, mut told: ComparedOut, sheet: &mut Sheet<'_>) -> Done {
        if let Some(only) = &self.only {
            told.rights.retain(|it| it.held.0.to_string() == *only);
        }
        if let Some(path) = &self.report {
            let write = |file: &mut std::fs::File| {
                let mut out = std::io::BufWriter::new(file);
                write_compared(&told, env!("CARGO_PKG_VERSION"), &mut out)?;
                std::io::Write::flush(&mut out)
            };
            files::replace(path, files::For::All, write).map_err(|error| unwritable(path, &error))?;
        }
        match self.format {
            Format::Text => sheet.text(&view::compared(sheet.page, &told, self.only.is_some()))?,
            Format::Json => sheet.json(&told)?,
        }
        Ok(0)
    }

    fn sharing(&self, identity: &str, sheet: &mut Sheet<'_>) -> Done {
        let paths = self.things.iter().map(PathBuf::from).collect();
        Input::new(paths, self.as_of).ask(sheet, |session, sheet| {
            let (who, _) = lookup::principal(session.estate(), identity)?;
            let Principal::Identity(id) = who else {
                return Err(Stop::Misused {
                    message: format!("{} is no identity", view::safe(identity)),
                    help: "name one that functions run as: identity:ID".to_owned(),
                });
            };
            let told = SharingOut::new(&session.prepared(), id);
            match self.format {
                Format::Text => sheet.text(&view::sharing(sheet.page, &told))?,
                Format::Json => sheet.json(&told)?,
            }
            Ok(0)
        })
    }
}

/// What somebody means by a name: a permission set, or somebody.
fn compared(estate: &Estate, text: &str) -> Result<Compared, Stop> {
    if text.starts_with("permission-set:") {
        return lookup::set(estate, text).map(Compared::set);
    }
    let (who, function) = lookup::principal(estate, text)?;
    Ok(Compared::somebody(who, function))
}
