//! Rights gained and lost, in effect: of each principal, each thing and one action of each sort that the statements of either
//! estate tell apart, the two answers of the decision. So a wildcard that became narrower shows in what it no longer takes.

use std::sync::{Arc, Mutex};

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::{Diff, Side, numbers};
use crate::access::{New, On, Truth, Verdict};
use crate::effect::{ACCESS, Effects, Road, is_action, may_begin};
use crate::estate::{ActionClass, ActionsId, Effect, Estate, Origin, Principal, Selection, Thing};
use crate::pattern::{Pattern, Sorts};

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

/// One action of a sort.
#[derive(Debug)]
struct Sample {
    action: Box<str>,
    class: Option<ActionClass>,
    is_wild: bool,
}

/// A thing, as either estate has it.
struct Compared<'d> {
    label: &'d str,
    old: Option<Thing>,
    new: Option<Thing>,
    changed: bool,
}

/// What was found of choices of actions: by service, the choices that give, and those that tell apart, of both sides.
type Known = FxHashMap<(Box<str>, [Vec<u32>; 4]), Arc<Vec<Sample>>>;

impl Diff<'_, '_, '_> {
    /// The rights that differ.
    pub fn rights(&self) -> Rights {
        let asking = Asking { diff: self, known: Mutex::default(), complete: Mutex::new(true) };
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
        let complete = *asking.complete.lock().expect("nobody panics while holding it");
        Rights { all: found.concat(), not_compared, complete }
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
    known: Mutex<Known>,
    complete: Mutex<bool>,
}

/// A principal on one side, with what gives it something, and what stands against it.
struct Bearer<'s, 'a, 'e> {
    side: &'s Side<'a, 'e>,
    who: Option<Principal>,
    roads: Vec<Road>,
    against: Vec<ActionsId>,
}

impl<'s, 'a, 'e> Bearer<'s, 'a, 'e> {
    fn new(side: &'s Side<'a, 'e>, label: &str) -> Self {
        let who = side.principals.get(label).copied();
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
        Self { side, who, roads, against }
    }

    fn effects(&self) -> &'a Effects<'e> {
        self.side.effects
    }

    /// The choices of actions that give something on a thing, and those that tell actions apart there.
    fn choices(&self, on: Option<Thing>) -> [Vec<ActionsId>; 2] {
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
    fn choices_of_grants(&self) -> [Vec<ActionsId>; 2] {
        let estate = self.side.estate();
        let mut give: Vec<ActionsId> =
            self.roads.iter().map(|road| estate.statement(road.statement).actions).collect();
        let mut apart = self.against.clone();
        for choices in [&mut give, &mut apart] {
            choices.sort_unstable();
            choices.dedup();
        }
        [give, apart]
    }

    fn verdict(&self, action: &str, on: &Target) -> Verdict {
        self.who.map_or(Verdict::No, |who| self.side.verdict(who, action, on))
    }
}

impl Side<'_, '_> {
    /// What the decision says; of something that is not there, as if it were made.
    fn verdict(&self, who: Principal, action: &str, on: &Target) -> Verdict {
        let action = self.effects.action(action);
        let given = self.effects.given(who);
        match on {
            Target::There(thing) => self.effects.verdict_on(who, &action, On::There(*thing), given),
            Target::New(new) => self.effects.verdict_on(who, &action, On::New(new), given),
            Target::Nowhere => Verdict::No,
        }
    }
}

impl Right {
    /// The same with what the answers rest on.
    fn because(self, old: &Bearer<'_, '_, '_>, new: &Bearer<'_, '_, '_>, targets: &[Target; 2]) -> Self {
        let by = |side: &Bearer<'_, '_, '_>, target: &Target| side.rests_on(&self.action, target);
        let (was_by, now_by) = (by(old, &targets[0]), by(new, &targets[1]));
        Self { was_by, now_by, ..self }
    }
}

impl Bearer<'_, '_, '_> {
    /// The statement that an answer rests on: one that allows, else one that denies.
    fn rests_on(&self, action: &str, on: &Target) -> Option<Origin> {
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
enum Target {
    There(Thing),
    /// It is not there; so it would be.
    New(New),
    /// Nor is there the place where it would be.
    Nowhere,
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
            let any_case = [(old.effects(), thing.old), (new.effects(), thing.new)]
                .iter()
                .any(|(effects, thing)| thing.is_some_and(|thing| effects.any_case(thing)));
            for service in [kind, ACCESS] {
                for sample in self.samples(service, &choices, any_case).iter() {
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
        let any_case = [old, new].iter().any(|side| side.effects().ignores_case_somewhere());
        for kind in &kinds {
            // A name that neither estate is about.
            let names = [old, new].map(|side| side.effects().fresh_thing(kind, None).label);
            let name = names.iter().max_by_key(|name| name.len()).cloned().unwrap_or_default();
            for service in [kind.as_str(), ACCESS] {
                for sample in self.samples(service, &choices, any_case).iter() {
                    for place in &places {
                        let at = |side: &Bearer<'_, '_, '_>| match place {
                            None => Target::New(New { label: name.clone(), within: None }),
                            Some(place) => match side.side.things.get(place) {
                                Some(&scope) => Target::New(New { label: name.clone(), within: Some(scope) }),
                                None => Target::Nowhere,
                            },
                        };
                        let targets = [at(old), at(new)];
                        let was = old.verdict(&sample.action, &targets[0]);
                        let now = new.verdict(&sample.action, &targets[1]);
                        if was != now {
                            let on = match place {
                                Some(place) => format!("{kind} at {place}"),
                                None => kind.clone(),
                            };
                            let everybody = self.everybodys(who, &sample.action, &targets);
                            let told = right(who, (&on, true), sample, (was, now), everybody);
                            found.push(told.because(old, new, &targets));
                        }
                    }
                }
            }
        }
    }

    /// One action of each sort of a service that either side's choices have.
    fn samples(&self, service: &str, choices: &[[Vec<ActionsId>; 2]; 2], any_case: bool) -> Arc<Vec<Sample>> {
        let [[old_give, old_apart], [new_give, new_apart]] = choices;
        let service_and_case = if any_case { format!("{service} in any case") } else { service.to_owned() };
        let key = (
            Box::from(service_and_case),
            [numbers(old_give), numbers(old_apart), numbers(new_give), numbers(new_apart)],
        );
        let known = || self.known.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&key) {
            return Arc::clone(found);
        }
        let (old, new) = (self.diff.old.estate(), self.diff.new.estate());
        let of = |estate, ids: &[ActionsId]| -> Vec<(&Selection, &Estate)> {
            let estate: &Estate = estate;
            ids.iter().map(|id| (estate.actions_picked(*id), estate)).collect()
        };
        let give = [of(old, old_give), of(new, new_give)].concat();
        let apart = [of(old, old_apart), of(new, new_apart)].concat();
        let mut all: Vec<Sample> = Vec::new();
        let mut add = |(found, complete): (Vec<Sample>, bool)| {
            if !complete {
                *self.complete.lock().expect("nobody panics while holding it") = false;
            }
            all.extend(found);
        };
        add(self.find(service, &give, &apart, false));
        if any_case {
            add(self.find(service, &give, &apart, true));
            // Case may count on one side only: as patterns spell it, and as none does.
            for spelled in spelled(service, &give) {
                add(self.find(&spelled, &give, &apart, false));
            }
            let upper = |it: &Sample| Sample { action: it.action.to_uppercase().into(), ..*it };
            let upper: Vec<Sample> = all.iter().map(upper).collect();
            all.extend(upper);
        }
        all.sort_by(|one, other| (&one.action, one.is_wild).cmp(&(&other.action, other.is_wild)));
        all.dedup_by(|later, first| later.action == first.action);
        let all = Arc::new(all);
        known().insert(key, Arc::clone(&all));
        all
    }

    fn find(
        &self,
        service: &str,
        give: &[(&Selection, &Estate)],
        apart: &[(&Selection, &Estate)],
        any_case: bool,
    ) -> (Vec<Sample>, bool) {
        let start = format!("{service}/");
        let patterns = |all: &[(&Selection, &Estate)], except: bool| -> Vec<Pattern> {
            let ids = all.iter().flat_map(|&(choice, estate)| {
                let out: &[_] = if except { choice.except() } else { &[] };
                choice.any().iter().chain(out).map(move |id| estate.pattern(*id).clone())
            });
            let mut all: Vec<Pattern> = ids.filter(|it| may_begin(it, &start, any_case)).collect();
            all.sort_unstable_by(|one, other| one.text().cmp(other.text()));
            all.dedup_by(|one, other| one.text() == other.text());
            all
        };
        let given = patterns(give, false);
        if given.is_empty() {
            return (Vec::new(), true);
        }
        let mut telling = patterns(give, true);
        telling.extend(patterns(apart, true));
        let (said, wild): (Vec<&Pattern>, Vec<&Pattern>) =
            given.iter().partition(|it| it.as_literal().is_some());
        let (more, apart): (Vec<&Pattern>, Vec<&Pattern>) =
            telling.iter().partition(|it| it.as_literal().is_some());
        let said: FxHashSet<String> =
            said.into_iter().chain(more).filter_map(Pattern::as_literal).map(str::to_owned).collect();
        let catalogues = [&self.diff.old, &self.diff.new].map(|side| side.effects.catalogue());
        let mut strings = said.clone();
        let mut first: Vec<&Pattern> = Vec::new();
        for catalogue in catalogues {
            for (_, line) in catalogue.of_service(service, any_case) {
                match line.operation.as_literal() {
                    Some(operation) => {
                        strings.insert(format!("{start}{operation}"));
                    }
                    None => first.push(&line.operation),
                }
            }
        }
        let sorts = Sorts {
            start: &start,
            any: &wild,
            except: &[],
            apart: &apart,
            first: &first,
            taken: &strings,
            any_case,
        };
        let found = sorts.samples();
        let class = |text: &str| {
            let [old, new] = catalogues;
            new.class(text, any_case).or_else(|| old.class(text, any_case))
        };
        let sample = |text: &str, is_wild| Sample { action: text.into(), class: class(text), is_wild };
        let mut all: Vec<Sample> = found.strings.iter().map(|(text, _)| sample(text, true)).collect();
        let is_given = |text: &str| given.iter().any(|it| it.takes(text, any_case));
        let named = strings.iter().filter(|text| is_action(text) && is_given(text));
        all.extend(named.map(|text| sample(text, !said.contains(text))));
        (all, found.complete)
    }
}

/// How patterns spell a service, where that is not as it is called.
fn spelled(service: &str, choices: &[(&Selection, &Estate)]) -> Vec<String> {
    let patterns =
        choices.iter().flat_map(|&(choice, estate)| choice.any().iter().map(|id| estate.pattern(*id)));
    let services = patterns.filter_map(|it| Some(it.literal_start().split_once('/')?.0.to_owned()));
    let mut all: Vec<String> =
        services.filter(|it| it != service && it.to_lowercase() == service.to_lowercase()).collect();
    all.sort_unstable();
    all.dedup();
    all
}

impl Bearer<'_, '_, '_> {
    /// Where something could be made that grants take in.
    fn places(&self) -> Vec<Option<String>> {
        let (Some(who), estate) = (self.who, self.side.estate()) else { return Vec::new() };
        let effects = self.effects();
        let of = |road: &Road| {
            let openings = effects.openings(who, road).into_iter();
            openings.map(|place| place.map(|thing| estate.label(thing))).collect::<Vec<_>>()
        };
        self.roads.iter().flat_map(of).collect()
    }

    /// The kinds of things that grants are about.
    fn kinds(&self) -> Vec<String> {
        let effects = self.effects();
        let services = self.roads.iter().flat_map(|road| effects.services_of(road));
        let mut all: Vec<String> = services.map(|id| effects.service_name(id).to_string()).collect();
        all.retain(|kind| kind != ACCESS);
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// A thing as a side has it, or as it would be made there.
fn target(
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
