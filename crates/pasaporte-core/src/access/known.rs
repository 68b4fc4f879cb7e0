//! Which actions anybody speaks of: to tell a slip of the pen from an action.

use std::collections::BTreeSet;

use super::Access;
use super::catalogue::COMMON;
use crate::estate::{FunctionId, Id, IdentityId, KeyId, ResourceId};
use crate::pattern::Pattern;

/// The actions that the catalogue and the statements of an estate speak of.
#[derive(Debug)]
pub struct KnownActions<'e> {
    services: BTreeSet<String>,
    /// Whole actions that are written somewhere.
    written: BTreeSet<String>,
    /// Patterns that say something of an operation.
    patterns: Vec<&'e Pattern>,
}

impl Access<'_> {
    /// The actions that the catalogue and the statements of the estate speak of.
    pub fn known_actions(&self) -> KnownActions<'_> {
        let estate = self.estate();
        let selections = estate.all_actions_picked().map(|(_, selection)| selection);
        let picked =
            selections.flat_map(|it| it.any().iter().chain(it.except())).map(|id| estate.pattern(*id));
        let mut known =
            KnownActions { services: BTreeSet::new(), written: BTreeSet::new(), patterns: Vec::new() };
        for pattern in picked.chain(estate.actions().iter().map(|entry| &entry.pattern)) {
            known.add(pattern);
        }
        known.written.extend(
            COMMON.iter().map(|(text, _)| *text).filter(|text| !text.contains('*')).map(str::to_owned),
        );
        let own = [FunctionId::KIND, IdentityId::KIND, KeyId::KIND, "secret", "access"];
        let kinds = estate.all::<ResourceId>().map(|(_, resource)| estate.text(resource.kind));
        known.services.extend(own.into_iter().chain(kinds).map(str::to_owned));
        known
    }
}

impl<'e> KnownActions<'e> {
    fn add(&mut self, pattern: &'e Pattern) {
        let start = pattern.literal_start();
        let service = start.split_once('/').map(|(service, _)| service);
        self.services.extend(service.filter(|service| !service.is_empty()).map(str::to_owned));
        if pattern.as_literal().is_some() {
            self.written.insert(pattern.text().to_owned());
        } else if pattern
            .text()
            .split_once('/')
            .is_some_and(|(_, operation)| !operation.trim_matches('*').is_empty())
        {
            self.patterns.push(pattern);
        }
    }

    /// Whether anything speaks of actions of the service.
    pub fn has_service(&self, service: &str) -> bool {
        self.services.contains(service)
    }

    /// Whether anything speaks of the action itself: by its name, by the word of its operation, or by a pattern that says
    /// more of the operation than that there is one.
    pub fn has(&self, action: &str) -> bool {
        let Some((service, operation)) = action.split_once('/') else { return false };
        let is_common = || words().any(|word| word == operation) && self.has_service(service);
        self.written.contains(action) || is_common() || self.patterns.iter().any(|it| it.matches(action))
    }

    /// The services, by name.
    pub fn services(&self) -> impl Iterator<Item = &str> {
        self.services.iter().map(String::as_str)
    }

    /// Every action that has a name, and those that every service has.
    pub fn all(&self) -> Vec<String> {
        let of_all =
            self.services.iter().flat_map(|service| words().map(move |word| format!("{service}/{word}")));
        self.written.iter().cloned().chain(of_all).collect()
    }
}

/// The words of operations that mean the same for every service.
fn words() -> impl Iterator<Item = &'static str> {
    COMMON.iter().filter_map(|(text, _)| text.strip_prefix("*/"))
}
