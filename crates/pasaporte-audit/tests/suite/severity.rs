//! The table of severities is the one of the document, cell by cell.

use std::fs;
use std::path::Path;

use pasaporte_audit::{Audit, Impact, Settings, Severity, severity};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Check, Environment, KeyOf, KeyReach, Network, Principal, Vocabulary};
use rstest::rstest;

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

/// Of functions that are as exposed the first by name is told of, in whichever order they were read; a wider one before it.
#[rstest]
#[case::two_alike(&[("sail", Check::None), ("anchor", Check::None)], "anchor")]
#[case::the_other_way_round(&[("anchor", Check::None), ("sail", Check::None)], "anchor")]
#[case::the_wider_comes_later_by_name(&[("anchor", Check::Key(KeyReach::Function)), ("sail", Check::None)], "sail")]
#[case::those_of_insiders_count_for_nothing(&[("anchor", Check::Identity), ("sail", Check::None)], "sail")]
fn the_first_of_the_widest_is_told_of(#[case] functions: &[(&str, Check)], #[case] expected: &str) {
    let mut world = crate::support::World::default();
    world.account("pier");
    let sailor = world.identity("sailor", "pier");
    for (name, check) in functions {
        let function = world.function(name, "pier", Some("sailor"));
        world.key(&format!("{name}-key"), KeyOf::Function(function), KeyReach::Function, |_| {});
        world.endpoint(&format!("{name}-door"), function, check.clone(), Network::Internet);
    }
    let estate = world.finish();
    let audit = Audit::new(&estate, Settings::default());
    let exposed = audit.exposure_of(Principal::Identity(sailor));
    assert_eq!(exposed.to, Exposure::Anyone);
    assert_eq!(exposed.through.map(|(function, _)| estate.id(function)), Some(expected));
}
