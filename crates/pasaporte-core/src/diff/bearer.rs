//! A principal on one side, and what is asked of it: about things that are there, and about such as would be made.

use super::Side;
use crate::access::{Dialect, New, On, Truth, Verdict};
use crate::effect::{ACCESS, Effects, Road};
use crate::estate::{ActionsId, Effect, Origin, Principal, ResourcesId, SetId, StatementId, Thing};

/// Who or what is held against another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Holder {
    /// Somebody, with all that they hold by any name, less what bounds them.
    Somebody(Principal),
    /// A permission set by itself: what it gives wherever it is held, before anything bounds its holder.
    Set(SetId),
}

/// A principal on one side, with what gives it something, and what stands against it.
pub(super) struct Bearer<'s, 'a, 'e> {
    pub(super) side: &'s Side<'a, 'e>,
    who: Option<Principal>,
    roads: Vec<Road>,
    against: Vec<ActionsId>,
    /// Where it is not somebody but a set by itself: its statements.
    set: Vec<StatementId>,
}

impl<'s, 'a, 'e> Bearer<'s, 'a, 'e> {
    pub(super) fn new(side: &'s Side<'a, 'e>, label: &str) -> Self {
        Self::of_somebody(side, side.principals.get(label).copied())
    }

    /// Somebody, or a permission set by itself.
    pub(super) fn of(side: &'s Side<'a, 'e>, holder: Holder) -> Self {
        match holder {
            Holder::Somebody(who) => Self::of_somebody(side, Some(who)),
            Holder::Set(set) => {
                let set = side.effects.statements_of_set(set).map(|it| it.statement).collect();
                Self { set, ..Self::of_somebody(side, None) }
            }
        }
    }

    fn of_somebody(side: &'s Side<'a, 'e>, who: Option<Principal>) -> Self {
        let (effects, estate) = (side.effects, side.estate());
        let against = who.map_or_else(Vec::new, |who| {
            let (denies, ceilings) = effects.opposing(who);
            let bounds = ceilings.iter().flat_map(|id| estate.ceiling(*id).statements.ids());
            denies.iter().copied().chain(bounds).map(|id| estate.statement(id).actions).collect()
        });
        let roads = who.map_or_else(Vec::new, |who| {
            let mut roads = effects.roads(who);
            roads.retain(|road| road.grant().is_some());
            roads
        });
        Self { side, who, roads, against, set: Vec::new() }
    }

    pub(super) fn effects(&self) -> &'a Effects<'e> {
        self.side.effects
    }

    /// The choices of actions that give something on a thing, and those that tell actions apart there.
    pub(super) fn choices(&self, on: Option<Thing>) -> [Vec<ActionsId>; 2] {
        let (Some(who), Some(on)) = (self.who, on) else { return self.choices_of_grants() };
        let estate = self.side.estate();
        let actions = |road: &Road| estate.statement(road.statement).actions;
        let mut give: Vec<ActionsId> = self.effects().roads_to(who, on).iter().map(actions).collect();
        let mut apart = self.against.clone();
        let on_it = self.effects().admissions_on(on).iter();
        apart.extend(on_it.map(|id| estate.statement(estate.admission(*id).statement).actions));
        for choices in [&mut give, &mut apart] {
            choices.sort_unstable();
            choices.dedup();
        }
        [give, apart]
    }

    /// The same on something that is not there.
    pub(super) fn choices_of_grants(&self) -> [Vec<ActionsId>; 2] {
        let estate = self.side.estate();
        if !self.set.is_empty() {
            let of = |effect| {
                let all = self.set.iter().map(|id| estate.statement(*id));
                let mut all: Vec<ActionsId> =
                    all.filter(|it| it.effect == effect).map(|it| it.actions).collect();
                all.sort_unstable();
                all.dedup();
                all
            };
            return [of(Effect::Allow), of(Effect::Deny)];
        }
        let mut give: Vec<ActionsId> =
            self.roads.iter().map(|road| estate.statement(road.statement).actions).collect();
        let mut apart = self.against.clone();
        for choices in [&mut give, &mut apart] {
            choices.sort_unstable();
            choices.dedup();
        }
        [give, apart]
    }

    pub(super) fn verdict(&self, action: &str, on: &Target) -> Verdict {
        match self.who {
            Some(who) => self.side.verdict(who, action, on),
            None => self.by_the_set(action, on),
        }
    }

    /// How actions on something are read.
    pub(super) fn dialect(&self, on: &Target) -> Dialect {
        match on {
            Target::There(thing) => self.effects().dialect(*thing),
            Target::New(new) => self.effects().dialect_on(On::New(new)),
            Target::Nowhere => Dialect::default(),
        }
    }

    /// What a set by itself says: its own statements, and nothing that bounds whoever holds it.
    fn by_the_set(&self, action: &str, on: &Target) -> Verdict {
        let (effects, estate) = (self.effects(), self.side.estate());
        let action = effects.action(action);
        let (takes, any_case): (&dyn Fn(ResourcesId) -> bool, bool) = match on {
            Target::There(thing) => (&|it| effects.takes(it, *thing), effects.any_case(*thing)),
            Target::New(new) => (&|it| effects.takes_new(it, new), false),
            Target::Nowhere => return Verdict::No,
        };
        let best = |effect| {
            let all = self.set.iter().map(|id| estate.statement(*id));
            let applies = all.filter(|it| {
                it.effect == effect && action.is_picked_by(it.actions, any_case) && takes(it.resources)
            });
            let surely = applies.map(|it| it.conditions.is_empty());
            surely.max().map_or(Verdict::No, |surely| if surely { Verdict::Yes } else { Verdict::Depends })
        };
        match best(Effect::Deny) {
            Verdict::Yes => Verdict::No,
            Verdict::Depends => best(Effect::Allow).min(Verdict::Depends),
            Verdict::No => best(Effect::Allow),
        }
    }
}

impl Side<'_, '_> {
    /// What the decision says; of something that is not there, as if it were made.
    pub(super) fn verdict(&self, who: Principal, action: &str, on: &Target) -> Verdict {
        let action = self.effects.action(action);
        let given = self.effects.given(who);
        match on {
            Target::There(thing) => self.effects.verdict_on(who, &action, On::There(*thing), given),
            Target::New(new) => self.effects.verdict_on(who, &action, On::New(new), given),
            Target::Nowhere => Verdict::No,
        }
    }
}

impl Bearer<'_, '_, '_> {
    /// The statement that an answer rests on: one that allows, else one that denies.
    pub(super) fn rests_on(&self, action: &str, on: &Target) -> Option<Origin> {
        let (who, effects) = (self.who?, self.effects());
        let on = match on {
            Target::There(thing) => On::There(*thing),
            Target::New(new) => On::New(new),
            Target::Nowhere => return None,
        };
        let answer = effects.answer_on(who, &effects.action(action), on, effects.given(who));
        let holds = |effect: Effect| {
            answer.grounds.iter().find(move |it| it.effect == effect && it.holds != Truth::False)
        };
        let decisive = if answer.verdict == Verdict::No { Effect::Deny } else { Effect::Allow };
        holds(decisive).map(|ground| self.side.estate().statement(ground.statement).origin)
    }
}

/// What one side has of a thing.
pub(super) enum Target {
    There(Thing),
    /// It is not there; so it would be.
    New(New),
    /// Nor is there the place where it would be.
    Nowhere,
}

/// Something of a name as it would be made at a place; in no scope where none is named.
pub(super) fn made_at(side: &Side<'_, '_>, name: &str, place: Option<&str>) -> Target {
    let within = match place {
        None => None,
        Some(place) => match side.things.get(place) {
            Some(&scope) => Some(scope),
            None => return Target::Nowhere,
        },
    };
    Target::New(New { label: name.into(), within })
}

/// The same in words: "queue at account:port".
pub(super) fn made_where(kind: &str, place: Option<&str>) -> String {
    place.map_or_else(|| kind.to_owned(), |place| format!("{kind} at {place}"))
}

impl Bearer<'_, '_, '_> {
    /// Where something could be made that grants take in.
    pub(super) fn places(&self) -> Vec<Option<String>> {
        if !self.set.is_empty() {
            return vec![None];
        }
        let (Some(who), estate) = (self.who, self.side.estate()) else { return Vec::new() };
        let effects = self.effects();
        let of = |road: &Road| {
            let openings = effects.openings(who, road).into_iter();
            openings.map(|place| place.map(|thing| estate.label(thing))).collect::<Vec<_>>()
        };
        self.roads.iter().flat_map(of).collect()
    }

    /// The kinds of things that grants are about.
    pub(super) fn kinds(&self) -> Vec<String> {
        let effects = self.effects();
        let of_roads = self.roads.iter().flat_map(|road| effects.services_of(road));
        let of_set = self.set.iter().flat_map(|id| effects.services_in(*id));
        let mut all: Vec<String> =
            of_roads.chain(of_set).map(|id| effects.service_name(id).to_string()).collect();
        all.retain(|kind| kind != ACCESS);
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// A thing as a side has it, or as it would be made there.
pub(super) fn target(
    side: &Side<'_, '_>,
    label: &str,
    here: Option<Thing>,
    there: Option<Thing>,
    other: &Side<'_, '_>,
) -> Target {
    if let Some(thing) = here {
        return Target::There(thing);
    }
    // Scopes and what is in them come and go together.
    let within = match there {
        Some(Thing::Scope(_)) | None => return Target::Nowhere,
        Some(thing) => other.estate().scope_of(thing),
    };
    let within = match within.map(|scope| other.estate().label(Thing::Scope(scope))) {
        None => None,
        Some(scope) => match side.things.get(&scope) {
            Some(&scope) => Some(scope),
            None => return Target::Nowhere,
        },
    };
    Target::New(New { label: label.into(), within })
}
