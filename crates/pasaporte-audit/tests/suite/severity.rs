//! The table of severities is the one of the document, cell by cell.

use std::fs;
use std::path::Path;

use pasaporte_audit::{Impact, Severity, severity};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Environment, Vocabulary};

/// The rows of the table in docs/access-model.md, §10: a name and five levels.
fn rows() -> Vec<(String, Vec<Severity>)> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/access-model.md");
    let text = fs::read_to_string(path).unwrap();
    let table = text.split("| impact | anyone |").nth(1).unwrap();
    let lines = table.lines().skip(2).take_while(|line| line.starts_with('|'));
    let row = |line: &str| {
        let mut cells = line.trim_matches('|').split('|').map(str::trim);
        let name = cells.next().unwrap().to_owned();
        (name, cells.map(|cell| Severity::parse(cell).unwrap()).collect())
    };
    lines.map(row).collect()
}

const IMPACTS: [Impact; 5] = [
    Impact::ControlsAccess,
    Impact::ConfidentialData,
    Impact::DataOrSecrets,
    Impact::RunsCode,
    Impact::Hygiene,
];
const EXPOSURES: [Exposure; 5] =
    [Exposure::Anyone, Exposure::SignedIn, Exposure::Outsider, Exposure::KeyHolders, Exposure::Insiders];

#[test]
fn every_cell_is_that_of_the_document() {
    let rows = rows();
    assert_eq!(rows.len(), IMPACTS.len());
    for (impact, (name, levels)) in IMPACTS.into_iter().zip(rows) {
        assert_eq!(levels.len(), EXPOSURES.len(), "{name}");
        for (exposure, level) in EXPOSURES.into_iter().zip(levels) {
            for environment in [None, Some(Environment::Production)] {
                assert_eq!(severity(impact, exposure, environment), level, "{name}, {exposure:?}");
            }
        }
    }
}

#[test]
fn elsewhere_it_is_one_level_lower_and_never_none() {
    for impact in IMPACTS {
        for exposure in EXPOSURES {
            let here = severity(impact, exposure, None);
            for environment in [Environment::Staging, Environment::Test, Environment::Development] {
                let there = severity(impact, exposure, Some(environment));
                assert_eq!(there as usize, (here as usize).saturating_sub(1), "{impact:?}, {exposure:?}");
            }
        }
    }
}
