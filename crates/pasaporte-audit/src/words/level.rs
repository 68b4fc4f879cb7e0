//! Why a finding has its severity: its place in the table, the shift by environment, and what else moves it.

use pasaporte_core::effect::Impact;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::Environment;

use crate::{Audit, Finding, Level, severity};

/// What can be done, as the table has it.
pub fn impact_in_words(impact: Impact) -> &'static str {
    match impact {
        Impact::ControlsAccess => "control of access",
        Impact::ConfidentialData => "confidential data",
        Impact::DataOrSecrets => "other data, or secrets",
        Impact::RunsCode => "running code",
        Impact::Hygiene => "untidiness",
    }
}

/// Who can use it, as the table has it.
pub fn exposure_in_words(exposure: Exposure) -> &'static str {
    match exposure {
        Exposure::Anyone => "anyone",
        Exposure::SignedIn => "any signed-in caller, or a public token",
        Exposure::Outsider => "an outsider",
        Exposure::KeyHolders => "holders of a key or token",
        Exposure::Insiders => "insiders",
    }
}

/// Why a finding has its severity, as a phrase: "confidential data × anyone: critical; one step milder in test".
pub fn level_in_words(audit: &Audit<'_>, finding: &Finding) -> String {
    let mut told = match finding.level {
        Level::Fixed(level) => format!("always {level}, wherever it is: something was not seen"),
        Level::Platforms => {
            "info: the platform made this grant itself, and no stranger gets at it".to_owned()
        }
        Level::Table(impact, exposure) => of_table(impact, exposure, finding.environment),
        Level::Influence(impact, exposure, level) => format!(
            "{}; told a step below that, {level}: nobody does it by this alone",
            of_table(impact, exposure, finding.environment)
        ),
    };
    if let Some(level) = audit.settings().told_as(audit.rule(finding).id) {
        told.push_str(&format!("; the configuration tells it as {level}"));
    }
    told
}

fn of_table(impact: Impact, exposure: Exposure, environment: Option<Environment>) -> String {
    let base = severity(impact, exposure, None);
    let here = severity(impact, exposure, environment);
    let cell = format!("{} × {}: {base}", impact_in_words(impact), exposure_in_words(exposure));
    match environment {
        None => format!("{cell}, as in production, since its environment is not said"),
        Some(Environment::Production) => cell,
        Some(environment) if here == base => format!("{cell}, in {environment} too"),
        Some(environment) => format!("{cell}; one step milder in {environment}: {here}"),
    }
}
