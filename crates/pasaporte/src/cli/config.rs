//! `pasaporte config`: what is in force and where it comes from; and finding the configuration for all commands.

use std::path::{Path, PathBuf};

use clap::Args;
use pasaporte_read::files;
use pasaporte_report::config::{self, Config, InForce, ValueOut};

use super::{Done, ESTATE, Format, Sheet, Stop, upward};
use crate::view;

/// The file that is looked for, from the working folder upward.
const FILE: &str = "pasaporte.toml";

/// Which configuration is heeded.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct Which {
    /// The configuration [default: pasaporte.toml in this folder or the next above that has one]
    #[arg(long, global = true, value_name = "FILE", help_heading = "Configuration")]
    config: Option<PathBuf>,
    /// Heed no configuration
    #[arg(long, global = true, conflicts_with = "config", help_heading = "Configuration")]
    no_config: bool,
}

/// The configuration that is heeded: of a file, or none.
#[derive(Debug, Default)]
pub(crate) struct Heeded {
    /// The file; paths in it are from where it is.
    path: Option<PathBuf>,
    /// What it says.
    pub(crate) config: Config,
}

impl Which {
    /// Reads it.
    pub(super) fn read(&self) -> Result<Heeded, Stop> {
        if self.no_config {
            return Ok(Heeded::default());
        }
        let Some(path) = self.config.clone().or_else(|| upward(FILE)) else { return Ok(Heeded::default()) };
        let shown = view::safe(&path.to_string_lossy());
        let text = files::read_text(&path).map_err(|error| Stop::Misused {
            message: format!("{shown} cannot be read: {error}"),
            help: "name a file as docs/configuration.md says, or --no-config".to_owned(),
        })?;
        let config = config::read(&shown, &text).map_err(Stop::Wrong)?;
        Ok(Heeded { path: Some(path), config })
    }
}

impl Heeded {
    /// Its file as it is shown.
    pub(crate) fn file(&self) -> Option<String> {
        self.path.as_ref().map(|path| view::safe(&path.to_string_lossy()))
    }

    /// A path that it names.
    pub(super) fn path_of(&self, named: &str) -> PathBuf {
        self.path.as_deref().and_then(Path::parent).unwrap_or(Path::new("")).join(named)
    }

    /// The file with the key of fingerprints that it names.
    pub(super) fn seal(&self) -> Option<PathBuf> {
        self.config.seal.as_deref().map(|named| self.path_of(named))
    }

    /// The estate that it names.
    pub(super) fn estate(&self) -> Vec<PathBuf> {
        self.config.estate.iter().map(|named| self.path_of(named)).collect()
    }
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte config\n  pasaporte config --config ours.toml --format json\n  pasaporte schema config"
)]
pub(crate) struct Show {
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Show {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let heeded = sheet.configured()?;
        let from_outside = std::env::var_os(ESTATE).filter(|paths| !paths.is_empty());
        let estate = from_outside.map(|paths| ValueOut {
            key: "estate".to_owned(),
            value: view::safe(&paths.to_string_lossy()),
            from: ESTATE.to_owned(),
            line: None,
        });
        let in_force = InForce::new(heeded.file(), &heeded.config, estate.as_slice());
        match self.format {
            Format::Text => sheet.text(&view::in_force(sheet.page, &in_force))?,
            Format::Json => sheet.json(&in_force)?,
        }
        Ok(0)
    }
}
