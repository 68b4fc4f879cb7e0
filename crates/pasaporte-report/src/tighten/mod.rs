//! The smallest change that keeps what is needed: in words, as an overlay, and with its proof.

mod overlay;
mod proof;
mod words;

use pasaporte_audit::Audit;
use pasaporte_audit::tighten::Proposal;
use schemars::JsonSchema;
use serde::Serialize;

use self::proof::proof;
use self::words::{change, why};
use crate::VERSION;
use crate::rehearsal::StoppedOut;

/// A proposal.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte tighten, version 1")]
pub struct TightenOut {
    /// The version of this output.
    pub tighten: u64,
    /// What it is for.
    pub target: String,
    /// What would change.
    pub changes: Vec<ChangeOut>,
    /// What was looked at and is left as it is.
    pub left: Vec<LeftOut>,
    /// The proposal as an estate file that is laid over the estate; empty where nothing would change.
    pub overlay: String,
    /// What asking the estate as it would be says; null where nothing would change.
    pub proof: Option<ProofOut>,
}

/// A change.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ChangeOut {
    /// `drop`, `narrow`, `pin`, `ask`, `confine`, `split` or `retire`.
    pub kind: String,
    /// What is changed.
    pub what: String,
    /// The change as a sentence.
    pub told: String,
    /// What is kept: actions and on what, or sources.
    pub keeps: Vec<String>,
    /// What it rests on: the time that logs cover.
    pub because: String,
    /// Where it was read: `FILE:LINE`.
    pub read_from: Option<String>,
}

/// Something that is left as it is.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LeftOut {
    /// What.
    pub what: String,
    /// Why, as the rest of a sentence.
    pub why: String,
}

/// What asking the estate as it would be says.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ProofOut {
    /// Whether all that is needed is still allowed.
    pub keeps_what_is_needed: bool,
    /// How many needs were asked about.
    pub needs: usize,
    /// What is needed and would be refused.
    pub refused: Vec<String>,
    /// Whether nobody may anything, or gets in anywhere, that they could not before.
    pub adds_nothing: bool,
    /// What somebody would gain.
    pub gained: Vec<String>,
    /// How many rights would be lost.
    pub lost: usize,
    /// Whether all sorts of actions and all principals were compared within the bounds on work.
    pub complete: bool,
    /// How often something was seen that was rehearsed.
    pub rehearsed: u64,
    /// What was seen and would be refused.
    pub broken: Vec<StoppedOut>,
}

impl ProofOut {
    /// Whether it holds: nothing breaks, nothing is added, and all was looked at.
    pub fn holds(&self) -> bool {
        self.keeps_what_is_needed && self.adds_nothing && self.complete && self.broken.is_empty()
    }
}

impl TightenOut {
    /// A proposal in words, without its proof.
    pub fn new(audit: &Audit<'_>, target: &str, proposal: &Proposal) -> Self {
        let estate = audit.estate();
        let changes: Vec<ChangeOut> = proposal.changes.iter().map(|it| change(estate, it)).collect();
        let left = proposal
            .left
            .iter()
            .map(|it| LeftOut { what: estate.label(it.thing), why: why(it.why).to_owned() });
        let overlay =
            if changes.is_empty() { String::new() } else { overlay::overlay(estate, proposal, target) };
        Self {
            tighten: VERSION,
            target: target.to_owned(),
            changes,
            left: left.collect(),
            overlay,
            proof: None,
        }
    }

    /// Puts its proof beside it, from the estate as it would be.
    pub fn prove(&mut self, old: &Audit<'_>, new: &Audit<'_>, proposal: &Proposal) {
        self.proof = Some(proof(old, new, proposal));
    }
}
