//! Ways in that opened, closed, or are wider or narrower than they were.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::{Diff, Side};
use crate::access::Verdict;
use crate::entry::{Exposure, Through};
use crate::estate::{FunctionId, Thing};

/// A way in that is not what it was.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WayChanged {
    /// Into which function.
    pub function: String,
    /// By what: an endpoint or a trigger by its name, or `invoking`.
    pub through: String,
    /// Who gets in.
    pub who: String,
    /// Before: in which circle they are at the widest, and how surely. None where it was not there.
    pub was: Option<(Exposure, Verdict)>,
    /// After.
    pub now: Option<(Exposure, Verdict)>,
}

impl WayChanged {
    /// Whether more get in than did: others, a wider circle, or more surely.
    pub fn opened(&self) -> bool {
        // Circles are in order from the widest.
        let width = |it: &(Exposure, Verdict)| (std::cmp::Reverse(it.0), it.1);
        self.now.as_ref().map(width) > self.was.as_ref().map(width)
    }
}

/// A way in: by what, and who.
type Way = (String, String);

impl Diff<'_, '_, '_> {
    /// The ways in that differ, by function, by what they lead through, and by who gets in.
    pub fn ways(&self) -> Vec<WayChanged> {
        let function = |label: &&String| label.starts_with("function:");
        let mut labels: Vec<&String> =
            self.old.things.keys().chain(self.new.things.keys()).filter(function).collect();
        labels.sort_unstable();
        labels.dedup();
        let changed = self.principals().iter().filter(|(_, changed)| *changed).map(|(who, _)| who.as_ref());
        let changed: Vec<&str> = changed.collect();
        labels
            .into_par_iter()
            .filter(|label| self.is_bound_to_differ(label, &changed))
            .flat_map_iter(|label| self.ways_into(label))
            .collect()
    }

    /// Whether the ways into a function may differ: something of it changed, or of somebody who may get at it or at what makes
    /// it run.
    fn is_bound_to_differ(&self, label: &str, changed: &[&str]) -> bool {
        /// Past so many it is quicker to compare.
        const MANY: usize = 60;
        let [Some(old), Some(new)] = [&self.old, &self.new].map(|side| side.function(label)) else {
            return true;
        };
        let (one, other) = (self.old.sign_ways(old), self.new.sign_ways(new));
        one.is_none()
            || one != other
            || changed.len() > MANY
            || [(&self.old, old), (&self.new, new)].iter().any(|(side, id)| side.is_got_at(*id, changed))
    }

    fn ways_into(&self, label: &str) -> Vec<WayChanged> {
        let (was, now) = (self.old.ways(label), self.new.ways(label));
        let mut all: Vec<&Way> = was.keys().chain(now.keys()).collect();
        all.sort_unstable();
        all.dedup();
        let changed = all.into_iter().filter(|way| was.get(way) != now.get(way));
        changed
            .map(|way| WayChanged {
                function: label.to_owned(),
                through: way.0.clone(),
                who: way.1.clone(),
                was: was.get(way).copied(),
                now: now.get(way).copied(),
            })
            .collect()
    }
}

impl Side<'_, '_> {
    fn ways(&self, label: &str) -> BTreeMap<Way, (Exposure, Verdict)> {
        self.function(label).map_or_else(BTreeMap::new, |function| self.ways_of(function))
    }

    fn function(&self, label: &str) -> Option<FunctionId> {
        if let Some(Thing::Function(id)) = self.things.get(label) { Some(*id) } else { None }
    }

    /// Whether some may get at a function, or at what makes it run.
    fn is_got_at(&self, function: FunctionId, some: &[&str]) -> bool {
        let estate = self.estate();
        let sources = estate.triggers_of(function).iter().filter_map(|id| estate.get(*id)?.source);
        let things: Vec<Thing> = sources.chain([Thing::Function(function)]).collect();
        let mut who = some.iter().filter_map(|who| self.principals.get(*who));
        who.any(|who| things.iter().any(|thing| !self.effects.roads_to(*who, *thing).is_empty()))
    }

    fn ways_of(&self, function: FunctionId) -> BTreeMap<Way, (Exposure, Verdict)> {
        let estate = self.estate();
        let mut all: BTreeMap<Way, (Exposure, Verdict)> = BTreeMap::new();
        for way in self.effects.ways_in(function).all {
            let through = match way.through {
                Through::Endpoint(id) => estate.label(Thing::Endpoint(id)),
                Through::Source(id) => estate.label(Thing::Trigger(id)),
                Through::Invoking => "invoking".to_owned(),
            };
            let who = estate.principal_label(way.caller.who);
            let widest = way.circles.iter().copied().min_by_key(|it| (it.0, std::cmp::Reverse(it.1)));
            let told = widest.unwrap_or((Exposure::Insiders, way.caller.verdict));
            all.entry((through, who))
                .and_modify(|known| {
                    if (told.0, std::cmp::Reverse(told.1)) < (known.0, std::cmp::Reverse(known.1)) {
                        *known = told;
                    }
                })
                .or_insert(told);
        }
        all
    }
}
