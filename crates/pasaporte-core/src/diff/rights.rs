//! Rights gained and lost, in effect: of each principal, each thing and one action of each sort that the statements of either
//! estate tell apart, the two answers of the decision. So a wildcard that became narrower shows in what it no longer takes.

use rayon::prelude::*;
use rustc_hash::FxHashSet;

use super::Diff;
use super::bearer::{Bearer, Target, made_at, made_where, target};
use super::samples::{Sample, Samples};
use crate::access::Verdict;
use crate::effect::ACCESS;
use crate::estate::{ActionClass, Origin, Principal, Thing};

/// A right that is not what it was.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Right {
    /// Whose, as both estates call it.
    pub principal: Box<str>,
    /// On what; of things that may yet be made, their kind and the place: `table at account:pier`.
    pub on: Box<str>,
    /// Whether it is about things that may yet be made.
    pub on_new: bool,
    /// The action; of a wildcard, one that it takes.
    pub action: Box<str>,
    /// Its class; none where no line of the catalogue knows it.
    pub class: Option<ActionClass>,
    /// Whether it stands for others of its class that nobody named.
    pub is_wild: bool,
    /// Whether anyone, or any signed-in caller, may as much now and might as much before: it is not theirs alone.
    pub as_everybody: bool,
    /// The answer before.
    pub was: Verdict,
    /// The answer after.
    pub now: Verdict,
    /// The statement that the first rests on: one that allows, else one that denies.
    pub was_by: Option<Origin>,
    /// The same of the second.
    pub now_by: Option<Origin>,
}

/// The rights that differ between two estates.
#[derive(Debug, Default)]
pub struct Rights {
    /// Each, by principal, thing and action.
    pub all: Vec<Right>,
    /// Principals that were not compared, since that would take too long.
    pub not_compared: Vec<Box<str>>,
    /// Whether all sorts of actions were told apart within the bound on work.
    pub complete: bool,
}

/// How many pairs of a principal and a thing are looked at.
const MOST_PAIRS: usize = 30_000_000;

/// A thing, as either estate has it.
struct Compared<'d> {
    label: &'d str,
    old: Option<Thing>,
    new: Option<Thing>,
    changed: bool,
}

impl Diff<'_, '_, '_> {
    /// The rights that differ.
    pub fn rights(&self) -> Rights {
        let asking = Asking { diff: self, samples: Samples::new(&self.old, &self.new) };
        let mut labels: FxHashSet<&str> = self.old.things.keys().map(String::as_str).collect();
        labels.extend(self.new.things.keys().map(String::as_str));
        let mut things: Vec<Compared<'_>> =
            labels.into_par_iter().map(|label| self.compared(label)).collect();
        things.sort_unstable_by_key(|it| it.label);
        let changed: Vec<Compared<'_>> =
            things.iter().filter(|it| it.changed).map(Compared::copied).collect();
        let mut left = MOST_PAIRS;
        let (mut asked, mut not_compared) = (Vec::new(), Vec::new());
        for (who, is_changed) in self.principals() {
            let (who, is_changed) = (who.as_ref(), *is_changed);
            let all = if is_changed { &things } else { &changed };
            match left.checked_sub(all.len()) {
                Some(rest) => {
                    left = rest;
                    asked.push((who, is_changed));
                }
                None => not_compared.push(who.into()),
            }
        }
        let found: Vec<Vec<Right>> = asked
            .par_iter()
            .map(|&(who, is_changed)| asking.of(who, if is_changed { &things } else { &changed }, is_changed))
            .collect();
        Rights { all: found.concat(), not_compared, complete: asking.samples.are_complete() }
    }

    fn compared<'d>(&self, label: &'d str) -> Compared<'d> {
        let (old, new) = (self.old.things.get(label).copied(), self.new.things.get(label).copied());
        let changed = match (old, new) {
            (Some(one), Some(other)) => self.old.sign_thing(one) != self.new.sign_thing(other),
            _ => true,
        };
        Compared { label, old, new, changed }
    }
}

impl Compared<'_> {
    fn copied(&self) -> Self {
        Self { ..*self }
    }
}

/// What is asked of both estates, and what was found on the way.
struct Asking<'d, 'a, 'o, 'n> {
    diff: &'d Diff<'a, 'o, 'n>,
    samples: Samples<'d, 'a, 'o, 'n>,
}

impl Right {
    /// The same with what the answers rest on.
    fn because(self, old: &Bearer<'_, '_, '_>, new: &Bearer<'_, '_, '_>, targets: &[Target; 2]) -> Self {
        let by = |side: &Bearer<'_, '_, '_>, target: &Target| side.rests_on(&self.action, target);
        let (was_by, now_by) = (by(old, &targets[0]), by(new, &targets[1]));
        Self { was_by, now_by, ..self }
    }
}

impl Asking<'_, '_, '_, '_> {
    fn of(&self, who: &str, things: &[Compared<'_>], is_changed: bool) -> Vec<Right> {
        let old = Bearer::new(&self.diff.old, who);
        let new = Bearer::new(&self.diff.new, who);
        let mut found = Vec::new();
        for thing in things {
            // What is not there is taken as something that could be made: rights on it that nobody changed are none gained.
            let targets = [
                target(old.side, thing.label, thing.old, thing.new, new.side),
                target(new.side, thing.label, thing.new, thing.old, old.side),
            ];
            let choices = [old.choices(thing.old), new.choices(thing.new)];
            if choices.iter().all(|[give, _]| give.is_empty()) {
                continue;
            }
            let kind = thing.label.split_once(':').map_or("", |(kind, _)| kind);
            let dialects = [old.dialect(&targets[0]), new.dialect(&targets[1])];
            for service in [kind, ACCESS] {
                for sample in self.samples.of(service, &choices, dialects).iter() {
                    let was = old.verdict(&sample.action, &targets[0]);
                    let now = new.verdict(&sample.action, &targets[1]);
                    if was != now {
                        let everybody = self.everybodys(who, &sample.action, &targets);
                        let told = right(who, (thing.label, false), sample, (was, now), everybody);
                        found.push(told.because(&old, &new, &targets));
                    }
                }
            }
        }
        if is_changed {
            self.on_new(who, &old, &new, &mut found);
        }
        found
    }

    /// What the decision says of strangers, before and after; of nobody else than themselves.
    fn everybodys(&self, who: &str, action: &str, targets: &[Target; 2]) -> [(Verdict, Verdict); 2] {
        let [old, new] = [&self.diff.old, &self.diff.new];
        ["anyone", "signed-in"].map(|crowd| {
            if who == crowd || who == "anyone" {
                return (Verdict::No, Verdict::No);
            }
            let principal = if crowd == "anyone" { Principal::Anyone } else { Principal::SignedIn };
            (old.verdict(principal, action, &targets[0]), new.verdict(principal, action, &targets[1]))
        })
    }

    /// Rights on things that may yet be made, where either side's grants may give some.
    fn on_new(&self, who: &str, old: &Bearer<'_, '_, '_>, new: &Bearer<'_, '_, '_>, found: &mut Vec<Right>) {
        let choices = [old.choices_of_grants(), new.choices_of_grants()];
        if choices.iter().all(|[give, _]| give.is_empty()) {
            return;
        }
        let mut places: Vec<Option<String>> = [old, new].iter().flat_map(|side| side.places()).collect();
        places.sort_unstable();
        places.dedup();
        let mut kinds: Vec<String> = [old, new].iter().flat_map(|side| side.kinds()).collect();
        kinds.sort_unstable();
        kinds.dedup();
        for kind in &kinds {
            // A name that neither estate is about.
            let names = [old, new].map(|side| side.effects().fresh_thing(kind, None).label);
            let name = names.iter().max_by_key(|name| name.len()).cloned().unwrap_or_default();
            for place in &places {
                let targets =
                    [made_at(old.side, &name, place.as_deref()), made_at(new.side, &name, place.as_deref())];
                let dialects = [old.dialect(&targets[0]), new.dialect(&targets[1])];
                let on = made_where(kind, place.as_deref());
                for service in [kind.as_str(), ACCESS] {
                    for sample in self.samples.of(service, &choices, dialects).iter() {
                        let was = old.verdict(&sample.action, &targets[0]);
                        let now = new.verdict(&sample.action, &targets[1]);
                        if was != now {
                            let everybody = self.everybodys(who, &sample.action, &targets);
                            let told = right(who, (&on, true), sample, (was, now), everybody);
                            found.push(told.because(old, new, &targets));
                        }
                    }
                }
            }
        }
    }
}

fn right(
    who: &str,
    (on, on_new): (&str, bool),
    it: &Sample,
    (was, now): (Verdict, Verdict),
    everybodys: [(Verdict, Verdict); 2],
) -> Right {
    Right {
        principal: who.into(),
        on: on.into(),
        on_new,
        action: it.action.clone(),
        class: it.class,
        is_wild: it.is_wild,
        as_everybody: everybodys.contains(&(was, now)),
        was,
        now,
        was_by: None,
        now_by: None,
    }
}
