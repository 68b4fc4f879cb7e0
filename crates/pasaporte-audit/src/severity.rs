//! How bad: a table of impact by exposure, shifted by environment (access-model §10).

use pasaporte_core::effect::Impact;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::Environment;

pasaporte_core::vocabulary! {
    /// How soon somebody should act on a finding, from least to most.
    Severity: "a severity" {
        /// Good to know.
        Info = "info",
        /// When there is time.
        Low = "low",
        /// Plan it.
        Medium = "medium",
        /// This week.
        High = "high",
        /// Now.
        Critical = "critical",
    }
}

use Severity::{Critical, High, Info, Low, Medium};

/// The severity of a weakness: what it can do, by who can use it. Outside production it is one level
/// lower; where the environment is not known it is judged as production.
pub fn severity(impact: Impact, exposure: Exposure, environment: Option<Environment>) -> Severity {
    // anyone, signed-in, outsider, key holders, insiders
    let row = match impact {
        Impact::ControlsAccess => [Critical, Critical, Critical, High, High],
        Impact::ConfidentialData => [Critical, High, High, High, Medium],
        Impact::DataOrSecrets => [High, High, Medium, Medium, Low],
        Impact::RunsCode => [Medium, Medium, Medium, Low, Low],
        Impact::Hygiene => [Low, Low, Low, Low, Info],
    };
    let level = match exposure {
        Exposure::Anyone => row[0],
        Exposure::SignedIn => row[1],
        Exposure::Outsider => row[2],
        Exposure::KeyHolders => row[3],
        Exposure::Insiders => row[4],
    };
    match environment {
        None | Some(Environment::Production) => level,
        Some(Environment::Staging | Environment::Test | Environment::Development) => level.lower(),
    }
}

impl Severity {
    /// One step milder.
    pub(crate) fn lower(self) -> Self {
        match self {
            Critical => High,
            High => Medium,
            Medium => Low,
            Low | Info => Info,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use pasaporte_core::estate::Vocabulary;

    #[test]
    fn wider_exposure_and_greater_impact_are_never_milder() {
        let exposures: Vec<Exposure> = Exposure::all().collect();
        for pair in exposures.windows(2) {
            for (_, impact) in Impact::ALL {
                assert!(severity(*impact, pair[0], None) >= severity(*impact, pair[1], None));
            }
        }
        for pair in Impact::ALL.windows(2) {
            for exposure in &exposures {
                assert!(severity(pair[0].1, *exposure, None) >= severity(pair[1].1, *exposure, None));
            }
        }
    }

    #[test]
    fn an_unknown_environment_counts_as_production() {
        let of = |environment| severity(Impact::ConfidentialData, Exposure::Anyone, environment);
        assert_eq!(of(None), Critical);
        assert_eq!(of(Some(Environment::Production)), Critical);
        assert_eq!(of(Some(Environment::Test)), High);
    }
}
