//! How bad it is that somebody may do something: the impact side of the severity table (access-model §10).

use crate::estate::{ActionClass, Sensitivity};

crate::estate::vocabulary! {
    /// What a weakness can do, from most to least (access-model §10).
    Impact: "an impact" {
        /// Changes who may do what.
        ControlsAccess = "controls-access",
        /// Reads or changes confidential data.
        ConfidentialData = "confidential-data",
        /// Reads or changes other data, or secrets.
        DataOrSecrets = "data-or-secrets",
        /// Runs code, and so costs money.
        RunsCode = "runs-code",
        /// Only keeps the house untidy.
        Hygiene = "hygiene",
    }
}

/// The worst that somebody may do in effect, and how sure that is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Harm {
    /// How bad.
    pub impact: Impact,
    /// Whether it is surely that bad; else it hangs on a condition.
    pub surely: bool,
    /// Whether it follows only as if there were some of what nobody gathered.
    pub inferred: bool,
    /// How bad it surely is.
    pub surely_at_least: Impact,
}

impl Harm {
    /// No more than running code.
    pub const RUNS_CODE: Self =
        Self { impact: Impact::RunsCode, surely: true, inferred: false, surely_at_least: Impact::RunsCode };

    /// Surely that bad.
    pub const fn sure(impact: Impact) -> Self {
        Self { impact, surely: true, inferred: false, surely_at_least: impact }
    }

    /// The worse of two; of two that are as bad, the surer.
    pub fn or(self, other: Self) -> Self {
        let key = |it: &Self| (it.impact, !it.surely, it.inferred);
        let worst = if key(&other) < key(&self) { other } else { self };
        Self { surely_at_least: self.surely_at_least.min(other.surely_at_least), ..worst }
    }

    /// The same if something holds that is not sure.
    pub fn perhaps(self) -> Self {
        Self { surely: false, surely_at_least: Impact::RunsCode, ..self }
    }
}

/// What an action of a class comes to on data of a sensitivity; none where it does no harm there.
pub(super) fn on_data(class: Option<ActionClass>, sensitivity: Option<Sensitivity>) -> Option<Impact> {
    let changes = match class {
        Some(ActionClass::List | ActionClass::Invoke) => return None,
        Some(ActionClass::Read) => false,
        Some(
            ActionClass::Write
            | ActionClass::Delete
            | ActionClass::Manage
            | ActionClass::Secret
            | ActionClass::Code
            | ActionClass::Identity
            | ActionClass::Access,
        )
        | None => true,
    };
    match sensitivity {
        Some(Sensitivity::Confidential) => Some(Impact::ConfidentialData),
        Some(Sensitivity::Public) if !changes => None,
        Some(Sensitivity::Public | Sensitivity::Internal) | None => Some(Impact::DataOrSecrets),
    }
}
