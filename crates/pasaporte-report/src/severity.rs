//! The table of severities.

use pasaporte_audit::{Impact, Severity, exposure_in_words, impact_in_words, severity};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Environment, Vocabulary};
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::Serialize;

use crate::VERSION;

/// How severe what can be done is, by who can do it.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte severity, version 1")]
pub struct SeverityOut {
    /// The version of this output.
    pub severity: u64,
    /// A row for each impact, from most to least.
    pub rows: Vec<ImpactOut>,
    /// Environments in which everything is one step milder.
    pub milder_in: Vec<Word<Environment>>,
}

/// One impact.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ImpactOut {
    /// Which.
    pub impact: Word<Impact>,
    /// In words.
    pub about: &'static str,
    /// How severe, by who can do it, from the widest circle to the narrowest.
    pub levels: Vec<LevelOut>,
}

/// One cell.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LevelOut {
    /// Who can do it.
    pub exposure: Word<Exposure>,
    /// In words.
    pub about: &'static str,
    /// How severe that is in production, and where the environment is not said.
    pub severity: Word<Severity>,
}

impl SeverityOut {
    /// The table.
    pub fn new() -> Self {
        let cell = |impact: Impact, exposure: Exposure| LevelOut {
            exposure: Word(exposure),
            about: exposure_in_words(exposure),
            severity: Word(severity(impact, exposure, None)),
        };
        let row = |impact: Impact| ImpactOut {
            impact: Word(impact),
            about: impact_in_words(impact),
            levels: Exposure::ALL.iter().map(|(_, exposure)| cell(impact, *exposure)).collect(),
        };
        let (impact, exposure) = (Impact::ControlsAccess, Exposure::Anyone);
        let is_milder = |environment: &Environment| {
            severity(impact, exposure, Some(*environment)) < severity(impact, exposure, None)
        };
        let environments = Environment::ALL.iter().map(|(_, environment)| *environment);
        Self {
            severity: VERSION,
            rows: Impact::ALL.iter().map(|(_, impact)| row(*impact)).collect(),
            milder_in: environments.filter(is_milder).map(Word).collect(),
        }
    }
}

impl Default for SeverityOut {
    fn default() -> Self {
        Self::new()
    }
}
