//! `pasaporte demo`: the sample estate of Marivela Ferries, which the program carries with it.

use std::fs;
use std::path::{Path, PathBuf};

use clap::Args;
use pasaporte_read::files;

use super::audit::{Judging, Showing};
use super::config::Heeded;
use super::sample::{self, FILES};
use super::{Done, Sheet, Stop, unwritable};
use crate::session::Session;
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte demo\n  pasaporte demo ferries\n  pasaporte demo ferries --logs ferry-logs"
)]
pub(crate) struct Demo {
    /// Write the sample estate into this folder; nothing is written if left out
    pub(super) folder: Option<PathBuf>,
    /// Gather the estate from the six platforms, served on this machine for as long as it takes, instead of
    /// reading the one that the program carries
    #[cfg(all(feature = "network", feature = "stand-ins"))]
    #[arg(long)]
    live: bool,
    /// Write ninety days of logs into this folder as well, in six formats, with the seal of the sample world in `.seal`: what
    /// `pasaporte usage` made the digest of that the sample estate has
    #[cfg(feature = "stand-ins")]
    #[arg(long, value_name = "FOLDER")]
    logs: Option<PathBuf>,
    #[command(flatten)]
    showing: Showing,
}

impl Demo {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        #[cfg(all(feature = "network", feature = "stand-ins"))]
        if self.live {
            return self.live(sheet);
        }
        #[cfg(feature = "stand-ins")]
        if let Some(folder) = &self.logs {
            write_logs(folder)?;
        }
        if let Some(folder) = &self.folder {
            write(folder, FILES)?;
        }
        let session = sample::session(self.folder.as_deref().unwrap_or(Path::new("demo")))?;
        self.show(sheet, &session)
    }

    pub(super) fn show(&self, sheet: &mut Sheet<'_>, session: &Session) -> Done {
        let mut audited = session.audit(Judging::default().chosen(&Heeded::default())?);
        audited.start_here = session.start_here(&audited);
        sheet.text(&view::audit(sheet.page, &audited, self.showing.in_full()))?;
        if !sheet.quiet {
            sheet.text(&view::next_steps(sheet.page, self.folder.as_deref()))?;
        }
        Ok(0)
    }
}

/// Writes the sample logs and the seal under which the sample estate's fingerprints were made.
#[cfg(feature = "stand-ins")]
fn write_logs(folder: &Path) -> Result<(), Stop> {
    let logs = pasaporte_stand_in::sample_logs();
    let logs: Vec<(&str, &str)> = logs.iter().map(|(name, log)| (*name, log.as_str())).collect();
    write(folder, &logs)?;
    let seal = folder.join(".seal");
    let write = |file: &mut fs::File| std::io::Write::write_all(file, pasaporte_stand_in::SAMPLE_SEAL);
    files::replace(&seal, files::For::Owner, write).map_err(|error| unwritable(&seal, &error))
}

/// Writes files of the sample estate, but never over a file that is there already.
pub(super) fn write(folder: &Path, files: &[(&str, &str)]) -> Result<(), Stop> {
    for (name, text) in files {
        let path = folder.join(name);
        if let Ok(there) = files::read(&path)
            && there != text.as_bytes()
        {
            return Err(Stop::Misused {
                message: format!("{} is there already, and differs", view::safe(&path.to_string_lossy())),
                help: "name an empty or a new folder".to_owned(),
            });
        }
    }
    fs::create_dir_all(folder).map_err(|error| unwritable(folder, &error))?;
    for (name, text) in files {
        let written = files::place(folder, Path::new(name)).and_then(|path| files::replace_text(&path, text));
        written.map_err(|error| unwritable(&folder.join(name), &error))?;
    }
    Ok(())
}
