//! An estate file laid over others: what it declares takes the place of what they declare under the same name, and what it
//! names as removed is gone.

use rustc_hash::{FxHashMap, FxHashSet};

use super::builder::{Builder, Laying};
use super::ids::Id;
use super::{
    AdmissionId, CeilingId, EndpointId, EnrolmentId, Estate, GrantId, Kept, Origin, Principal, Thing,
    TriggerId,
};

impl Builder {
    /// From here on, a file is read that is laid over what was read so far.
    pub fn lay_over(&mut self) {
        let estate = &self.estate;
        self.laying = Some(Laying {
            grants: estate.grants.len(),
            admissions: estate.admissions.len(),
            ceilings: estate.ceilings.len(),
            enrolments: estate.enrolments.len(),
            ..Laying::default()
        });
    }

    /// Says that something is gone, by its label. Only a file that is laid over others says so.
    pub fn remove(&mut self, label: &str, origin: Origin) {
        if let Some(laying) = &mut self.laying {
            laying.removed.push((label.into(), origin));
        }
    }

    /// The file that is laid over the rest is read: what it removes is gone. Where it names what was not there.
    pub fn laid(&mut self) -> Vec<Origin> {
        let Some(mut laying) = self.laying.take() else { return Vec::new() };
        let removed = std::mem::take(&mut laying.removed);
        // By label, and whether anything is called so.
        let mut wanted: FxHashMap<Box<str>, bool> =
            removed.iter().map(|(label, _)| (label.clone(), false)).collect();
        self.take_listed(&mut wanted, &laying);
        for (label, found) in &mut wanted {
            let known = self.estate.thing(label).filter(|thing| self.estate.is_declared(*thing));
            if let Some(thing) = known.filter(|thing| !laying.own.contains(thing)) {
                self.take_thing(thing);
                *found = true;
            }
        }
        removed.iter().filter(|(label, _)| !wanted[label]).map(|(_, origin)| *origin).collect()
    }

    /// Takes away those that are kept in lists: each label is looked for once, however many are wanted.
    fn take_listed(&mut self, wanted: &mut FxHashMap<Box<str>, bool>, laying: &Laying) {
        // What an endpoint answered before says nothing of one that takes its place.
        self.estate.attempts.retain(|it| !laying.own.contains(&Thing::Endpoint(it.endpoint)));
        if wanted.is_empty() {
            return;
        }
        let mut is_wanted = |label: &str| wanted.get_mut(label).map(|found| *found = true).is_some();
        let estate = &self.estate;
        let mut gone = |count: usize, thing: &dyn Fn(usize) -> Thing| -> FxHashSet<usize> {
            (0..count).filter(|at| is_wanted(&estate.label(thing(*at)))).collect()
        };
        let grants = gone(laying.grants, &|at| Thing::Grant(GrantId::new(at)));
        let ceilings = gone(laying.ceilings, &|at| Thing::Ceiling(CeilingId::new(at)));
        let enrolments = gone(laying.enrolments, &|at| Thing::Enrolment(EnrolmentId::new(at)));
        let mut admissions: FxHashSet<usize> = FxHashSet::default();
        for at in 0..laying.admissions {
            let id = AdmissionId::new(at);
            let named: Vec<Principal> = self.estate.list(self.estate.admissions[at].to).to_vec();
            let stays = |to: &Principal| !is_wanted(&self.estate.admission_label(id, *to));
            let left: Vec<Principal> = named.iter().copied().filter(stays).collect();
            if left.is_empty() {
                admissions.insert(at);
            } else if left.len() < named.len() {
                self.estate.admissions[at].to = self.list(&left);
            }
        }
        retain(&mut self.estate.grants, |at| !grants.contains(&at));
        retain(&mut self.estate.ceilings, |at| !ceilings.contains(&at));
        retain(&mut self.estate.enrolments, |at| !enrolments.contains(&at));
        retain(&mut self.estate.admissions, |at| !admissions.contains(&at));
    }

    fn take_thing(&mut self, thing: Thing) {
        let mut gone = vec![thing];
        // What is a part of a function goes with it.
        if let Thing::Function(function) = thing {
            let estate = &self.estate;
            let endpoints = estate.all::<EndpointId>().filter(|(_, it)| it.function == function);
            gone.extend(endpoints.map(|(id, _)| Thing::Endpoint(id)));
            let triggers = estate.all::<TriggerId>().filter(|(_, it)| it.function == function);
            gone.extend(triggers.map(|(id, _)| Thing::Trigger(id)));
        }
        for thing in gone {
            self.estate.tables.clear(thing);
        }
    }

    /// Whether a thing may be declared again: a file is laid over the one that declared it first.
    pub(super) fn replaces<K: Kept>(&mut self, id: K) -> bool {
        self.laying.as_mut().is_some_and(|laying| laying.own.insert(id.thing()))
    }
}

fn retain<T>(all: &mut Vec<T>, keep: impl Fn(usize) -> bool) {
    let mut at = 0;
    all.retain(|_| {
        at += 1;
        keep(at - 1)
    });
}

/// What statements on things are called before the thing and whom they name: `trust:identity:seller/service:functions`.
const INVOKE: &str = "invoke";
const TRUST: &str = "trust";
const ACCESS: &str = "access";

impl Estate {
    /// What a statement on a thing is called, as far as it names somebody.
    pub fn admission_label(&self, id: AdmissionId, to: Principal) -> String {
        let on = self.admission(id).on;
        let kind = match on {
            Thing::Function(_) => INVOKE,
            Thing::Identity(_) => TRUST,
            _ => ACCESS,
        };
        format!("{kind}:{}/{}", self.label(on), self.principal_label(to))
    }
}
