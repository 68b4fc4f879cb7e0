//! entry: who may make a function run.

pub(super) mod address;
pub(super) mod anonymous;
pub(super) mod fed;
pub(super) mod invoke;
pub(super) mod otherwise;
pub(super) mod source;
pub(super) mod token;

use super::{Audit, Sureness, Told};
use crate::access::{Answer, Ground, Truth, Verdict, Via};
use crate::estate::{Effect, Function, FunctionId, State, Thing};

/// Enabled functions.
pub(super) fn running<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (FunctionId, &'a Function)> {
    audit.each::<FunctionId>().filter(|(_, it)| it.state == State::Enabled)
}

/// ", if …" with what an answer depends on.
pub(in crate::rules) fn depending(audit: &Audit<'_>, answer: &Answer<'_>) -> String {
    let residual = answer.residual(audit.estate());
    if residual.is_empty() { residual } else { format!(", {residual}") }
}

pub(in crate::rules) fn sureness(verdict: Verdict) -> Sureness {
    match verdict {
        Verdict::Yes => Sureness::Certain,
        Verdict::Depends | Verdict::No => Sureness::Conditional,
    }
}

/// Adds the places of the statements that allow.
pub(in crate::rules) fn at_grounds(audit: &Audit<'_>, told: Told, answer: &Answer<'_>) -> Told {
    let estate = audit.estate();
    let counts = |ground: &&Ground<'_>| ground.effect == Effect::Allow && ground.holds != Truth::False;
    answer.grounds.iter().filter(counts).fold(told, |told, ground| {
        let origin = estate.statement(ground.statement).origin;
        match ground.via {
            Via::Grant { grant, .. } => {
                let grant = estate.grant(grant).origin;
                told.at(origin, "the statement").at((grant != origin).then_some(grant), "the grant")
            }
            Via::Admission { .. } | Via::Ceiling(_) => told.at(origin, "the permission"),
        }
    })
}

pub(super) fn at_identity(audit: &Audit<'_>, told: Told, function: FunctionId) -> Told {
    let estate = audit.estate();
    let identity = estate.get(function).and_then(|it| estate.runs_as(it));
    match identity {
        Some(identity) => told.at(estate.origin(Thing::Identity(identity)), "what it runs as"),
        None => told,
    }
}

/// " It runs as identity:x, which may …"
pub(super) fn with_what(audit: &Audit<'_>, function: FunctionId) -> String {
    let estate = audit.estate();
    let Some(identity) = estate.get(function).and_then(|it| estate.runs_as(it)) else {
        return String::new();
    };
    let identity_is = if estate.get(identity).is_some() { "" } else { ", which is not in the estate" };
    match audit.may(identity) {
        Some(may) => format!(" It runs as identity:{}, which may {may}.", estate.id(identity)),
        None => format!(" It runs as identity:{}{identity_is}.", estate.id(identity)),
    }
}
