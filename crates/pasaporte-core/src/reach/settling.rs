//! Adding up what was found of an act, each thing once.

use std::cmp::Reverse;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::counted::{Chunk, Counted, Part};
use super::{Act, Reaches};
use crate::access::{Action, On, Verdict};
use crate::effect::{Effects, ServiceId};
use crate::estate::{Name, Principal, Thing};

/// Adds up what was found of an act. The largest lot is counted as it is kept; what else there is, one by one, where it
/// is not in that.
pub(super) fn settle(reaches: &Reaches<'_, '_>, who: Principal, service: ServiceId, counted: Counted) -> Act {
    let effects = reaches.effects;
    let lots = Lots { reaches, service, kind: effects.estate().name(&effects.service_name(service)) };
    let Counted { mut act, mut chunks, actions, on_new } = counted;
    chunks.sort_by_key(|chunk| Reverse((lots.size(chunk), lots.count(chunk).0)));
    chunks.dedup_by(|later, before| is_covered(later, before));
    let mut example = Example { effects, best: None };
    let Some((first, rest)) = chunks.split_first() else {
        act.action = on_new.map_or(act.action, |action| action.text().into());
        return act;
    };
    let mut more: FxHashMap<Thing, Verdict> = FxHashMap::default();
    let mut add = |thing: Thing, verdict: Verdict| {
        let known = more.entry(thing).or_insert(verdict);
        *known = verdict.max(*known);
    };
    for chunk in rest {
        lots.each(chunk, &mut add);
    }
    if let Chunk::Asked(things) = first {
        for (thing, verdict) in things {
            add(*thing, *verdict);
        }
    } else {
        (act.surely, act.perhaps, act.confidential) = lots.count(first);
        lots.first(first).inspect(|thing| example.offer(*thing));
    }
    for (thing, verdict) in more {
        match (lots.verdict(first, thing), verdict) {
            (Verdict::No, Verdict::Yes) => act.surely += 1,
            (Verdict::No, _) => act.perhaps += 1,
            (Verdict::Depends, Verdict::Yes) => {
                act.surely += 1;
                act.perhaps -= 1;
                continue;
            }
            _ => continue,
        }
        act.confidential += usize::from(effects.is_confidential(thing));
        example.offer(thing);
    }
    act.example = example.best.map(|(_, thing)| thing);
    // Of several actions that are told together, the one that is shown is one that may be done to what is shown.
    if let (Some(on), [_, _, ..]) = (act.example, actions.as_slice()) {
        let verdict = |action: &Action| effects.verdict_on(who, action, On::There(on), effects.given(who));
        let surest = actions.iter().rev().max_by_key(|action| verdict(action));
        act.action = surest.map_or(act.action, |action| action.text().into());
    }
    act
}

/// Whether a lot is the same as another that is as sure.
fn is_covered(later: &Chunk, before: &Chunk) -> bool {
    match (later, before) {
        (Chunk::Kept(part, verdict), Chunk::Kept(other, known)) => {
            Arc::ptr_eq(&part.all, &other.all) && part.but == other.but && verdict <= known
        }
        (Chunk::AllAt(place, verdict), Chunk::AllAt(other, known)) => place == other && verdict <= known,
        _ => false,
    }
}

/// What lots of things of one service come to.
struct Lots<'r, 'e> {
    reaches: &'r Reaches<'r, 'e>,
    service: ServiceId,
    kind: Option<Name>,
}

impl<'e> Lots<'_, 'e> {
    fn effects(&self) -> &Effects<'e> {
        self.reaches.effects
    }

    /// How many there are of what is kept together.
    fn size(&self, chunk: &Chunk) -> usize {
        let (surely, perhaps, _) = self.count(chunk);
        surely + perhaps
    }

    /// How many surely, how many perhaps, and how many of both are confidential.
    fn count(&self, chunk: &Chunk) -> (usize, usize, usize) {
        let of = |count: usize, verdict: Verdict| match verdict {
            Verdict::Yes => (count, 0),
            Verdict::Depends => (0, count),
            Verdict::No => (0, 0),
        };
        let ((surely, perhaps), confidential) = match chunk {
            Chunk::Kept(part, verdict) => match part.all.of_kind(self.kind) {
                Some(kind) => {
                    let but =
                        part.but.iter().filter(|id| self.effects().is_confidential(Thing::Resource(**id)));
                    (of(kind.count - part.but.len(), *verdict), kind.confidential - but.count())
                }
                None => ((0, 0), 0),
            },
            Chunk::AllAt(place, verdict) => {
                let count = self.reaches.kept.people_at(self.effects(), self.service, *place).count;
                (of(count, *verdict), 0)
            }
            Chunk::Open => {
                let open = self.reaches.open_functions();
                ((open.surely, open.perhaps), 0)
            }
            Chunk::Asked(_) => ((0, 0), 0),
        };
        (surely, perhaps, confidential)
    }

    fn first(&self, chunk: &Chunk) -> Option<Thing> {
        match chunk {
            Chunk::Kept(part, _) => self.of_kind(part).next(),
            Chunk::AllAt(place, _) => self.reaches.kept.people_at(self.effects(), self.service, *place).first,
            Chunk::Open => self.reaches.open_functions().first.map(Thing::Function),
            Chunk::Asked(_) => None,
        }
    }

    fn of_kind(&self, part: &Part) -> impl Iterator<Item = Thing> {
        let all = part.all.resources().iter().filter(|id| !part.but.contains(id));
        let things = all.map(|id| Thing::Resource(*id));
        things.filter(|thing| self.effects().service_of(*thing) == self.service)
    }

    /// What a lot that is kept together says of a thing.
    fn verdict(&self, chunk: &Chunk, thing: Thing) -> Verdict {
        match (chunk, thing) {
            (Chunk::Open, Thing::Function(id)) => self.reaches.open_functions().lets_in(id),
            (Chunk::Kept(part, verdict), Thing::Resource(id))
                if self.effects().is_among(&part.all, id) && !part.but.contains(&id) =>
            {
                *verdict
            }
            (Chunk::AllAt(place, verdict), _) if self.effects().lies_at_place(thing, *place) => *verdict,
            _ => Verdict::No,
        }
    }

    fn each(&self, chunk: &Chunk, add: &mut impl FnMut(Thing, Verdict)) {
        match chunk {
            Chunk::Kept(part, verdict) => self.of_kind(part).for_each(|thing| add(thing, *verdict)),
            Chunk::AllAt(place, verdict) => {
                let things = self.effects().things_of(self.service, *place);
                for thing in things {
                    add(thing, *verdict);
                }
            }
            Chunk::Open => {
                let all = self.reaches.open_functions().all();
                all.for_each(|(id, verdict)| add(Thing::Function(id), verdict));
            }
            Chunk::Asked(things) => things.iter().for_each(|(thing, verdict)| add(*thing, *verdict)),
        }
    }
}

/// The one to show of an act: a confidential one before others, else the first by name.
struct Example<'a, 'e> {
    effects: &'a Effects<'e>,
    best: Option<(bool, Thing)>,
}

impl Example<'_, '_> {
    fn offer(&mut self, thing: Thing) {
        let secret = self.effects.is_confidential(thing);
        let is_better = self.best.is_none_or(|(known_secret, known)| {
            (secret && !known_secret)
                || (secret == known_secret && self.effects.estate().compare_labels(thing, known).is_lt())
        });
        if is_better {
            self.best = Some((secret, thing));
        }
    }
}
