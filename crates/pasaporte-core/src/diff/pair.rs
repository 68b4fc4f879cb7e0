//! Two that are held side by side: what each may do in effect, of every thing and one action of each sort that the statements of
//! either tell apart, so that wildcards are compared by what they take and not by how they are written.

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::bearer::{Bearer, Holder, Target, made_at, made_where, target};
use super::samples::{Sample, Samples};
use super::{Diff, Side};
use crate::access::Verdict;
use crate::effect::{ACCESS, Effects};
use crate::estate::{ActionClass, ActionsId, Principal};
use crate::pattern::{Pattern, covers};

/// An action on a thing that at least one of the two may do.
#[derive(Debug, Clone, PartialEq, Eq)]
#[expect(clippy::struct_excessive_bools, reason = "each is an answer of its own")]
pub struct Held {
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
    /// The answer for the first.
    pub left: Verdict,
    /// The answer for the second.
    pub right: Verdict,
    /// Whether both may it as any signed-in caller may, or anyone: it is nothing of theirs.
    pub as_anybody: bool,
    /// Whether the answers are these for every action of the service on it: sure ones.
    pub every: bool,
}

/// What two hold.
#[derive(Debug, Default)]
pub struct Pair {
    /// Each action on each thing, by thing and action.
    pub all: Vec<Held>,
    /// Whether all sorts of actions were told apart within the bound on work.
    pub complete: bool,
}

/// What two hold, each in its estate, which may be the same.
pub fn pair(left: (&Effects<'_>, Holder), right: (&Effects<'_>, Holder)) -> Pair {
    let sides = Diff::new(left.0, right.0);
    let bearers = (Bearer::of(&sides.old, left.1), Bearer::of(&sides.new, right.1));
    let samples = Samples::new(&sides.old, &sides.new);
    let mut labels: Vec<&str> = sides.old.things.keys().map(String::as_str).collect();
    labels
        .extend(sides.new.things.keys().filter(|it| !sides.old.things.contains_key(*it)).map(String::as_str));
    let on_things = labels.into_par_iter().flat_map_iter(|label| on(&sides, &bearers, &samples, label));
    let mut all: Vec<Held> = on_things.collect();
    all.extend(on_new(&sides, &bearers, &samples));
    all.par_sort_unstable_by(|one, other| {
        (one.on_new, &one.on, &one.action).cmp(&(other.on_new, &other.on, &other.action))
    });
    Pair { all, complete: samples.are_complete() }
}

type Both<'s, 'a, 'o, 'n> = (Bearer<'s, 'a, 'o>, Bearer<'s, 'a, 'n>);

/// What the two may do to a thing.
fn on(
    sides: &Diff<'_, '_, '_>,
    (left, right): &Both<'_, '_, '_, '_>,
    samples: &Samples<'_, '_, '_, '_>,
    label: &str,
) -> Vec<Held> {
    let of = |side: &Side<'_, '_>| side.things.get(label).copied();
    let (here, there) = (of(&sides.old), of(&sides.new));
    let choices = [left.choices(here), right.choices(there)];
    if choices.iter().all(|[give, _]| give.is_empty()) {
        return Vec::new();
    }
    let targets = [
        target(&sides.old, label, here, there, &sides.new),
        target(&sides.new, label, there, here, &sides.old),
    ];
    let kind = label.split_once(':').map_or("", |(kind, _)| kind);
    let dialects = [left.dialect(&targets[0]), right.dialect(&targets[1])];
    let mut all = Vec::new();
    for service in [kind, ACCESS] {
        let samples = samples.of(service, &choices, dialects);
        let of = |it: &Sample| held(it, sides, (label, false), (left, right), &targets);
        let others = others(service, &choices, (left, right), &targets);
        all.extend(with_every(&samples, samples.iter().filter_map(of).collect(), others));
    }
    all
}

/// The answers about an action of a service that nobody named; none where what gives a side something does not take all of
/// the service, so that there is more than was told apart.
fn others(
    service: &str,
    choices: &[[Vec<ActionsId>; 2]; 2],
    (left, right): (&Bearer<'_, '_, '_>, &Bearer<'_, '_, '_>),
    targets: &[Target; 2],
) -> Option<(Verdict, Verdict)> {
    let names = [left.effects(), right.effects()].map(|effects| effects.fresh_action(service));
    // The longer is unknown to both.
    let action = names.iter().max_by_key(|name| name.len()).map_or("", String::as_str);
    let answers = (left.verdict(action, &targets[0]), right.verdict(action, &targets[1]));
    let all = Pattern::parse(&format!("{service}/*")).ok()?;
    let takes_all = |bearer: &Bearer<'_, '_, '_>, give: &[ActionsId]| {
        let estate = bearer.effects().estate();
        let whole = give.iter().map(|id| estate.actions_picked(*id)).filter(|it| it.except().is_empty());
        let patterns: Vec<&Pattern> =
            whole.flat_map(|it| it.any().iter().map(|id| estate.pattern(*id))).collect();
        covers(&patterns, &all, false) == Some(true)
    };
    let whole = (answers.0 == Verdict::No || takes_all(left, &choices[0][0]))
        && (answers.1 == Verdict::No || takes_all(right, &choices[1][0]));
    whole.then_some(answers)
}

/// What the two may do to things that may yet be made.
fn on_new(
    sides: &Diff<'_, '_, '_>,
    (left, right): &Both<'_, '_, '_, '_>,
    samples: &Samples<'_, '_, '_, '_>,
) -> Vec<Held> {
    let choices = [left.choices_of_grants(), right.choices_of_grants()];
    let (mut places, mut kinds) = (left.places(), left.kinds());
    places.extend(right.places());
    kinds.extend(right.kinds());
    kinds.sort_unstable();
    kinds.dedup();
    places.sort_unstable();
    places.dedup();
    let mut all = Vec::new();
    for kind in &kinds {
        let names = [left.effects(), right.effects()].map(|effects| effects.fresh_thing(kind, None).label);
        let name = names.iter().max_by_key(|name| name.len()).cloned().unwrap_or_default();
        for service in [kind.as_str(), ACCESS] {
            for place in &places {
                let targets = [&sides.old, &sides.new].map(|side| made_at(side, &name, place.as_deref()));
                let dialects = [left.dialect(&targets[0]), right.dialect(&targets[1])];
                let samples = samples.of(service, &choices, dialects);
                let on = made_where(kind, place.as_deref());
                let of = |it: &Sample| held(it, sides, (&on, true), (left, right), &targets);
                let others = others(service, &choices, (left, right), &targets);
                all.extend(with_every(&samples, samples.iter().filter_map(of).collect(), others));
            }
        }
    }
    all
}

/// Notes where the answers are the same for every action of a service on a thing: all that were told apart, those that nobody
/// named among them. What case alone tells apart is told once, where the answers are the same.
fn with_every(samples: &[Sample], mut all: Vec<Held>, others: Option<(Verdict, Verdict)>) -> Vec<Held> {
    let spelled: FxHashSet<&str> = samples.iter().map(|it| &*it.action).collect();
    let by_case = |action: &str| {
        action.contains(char::is_uppercase) && spelled.contains(action.to_lowercase().as_str())
    };
    let answers: FxHashMap<Box<str>, (Verdict, Verdict)> =
        all.iter().map(|it| (it.action.clone(), (it.left, it.right))).collect();
    all.retain(|it| {
        let lower = answers.get(it.action.to_lowercase().as_str());
        !by_case(&it.action) || lower != Some(&(it.left, it.right))
    });
    let Some((left, right)) = all.first().map(|it| (it.left, it.right)) else { return all };
    let every = others == Some((left, right))
        && left != Verdict::Depends
        && right != Verdict::Depends
        && all.len() == samples.iter().filter(|it| !by_case(&it.action)).count()
        && all.iter().all(|it| (it.left, it.right) == (left, right));
    for it in &mut all {
        it.every = every;
    }
    all
}

fn held(
    sample: &Sample,
    sides: &Diff<'_, '_, '_>,
    (on, on_new): (&str, bool),
    (left, right): (&Bearer<'_, '_, '_>, &Bearer<'_, '_, '_>),
    targets: &[Target; 2],
) -> Option<Held> {
    let (of_left, of_right) =
        (left.verdict(&sample.action, &targets[0]), right.verdict(&sample.action, &targets[1]));
    if of_left == Verdict::No && of_right == Verdict::No {
        return None;
    }
    let crowds = [Principal::Anyone, Principal::SignedIn].into_iter();
    let mut crowds = crowds.map(|who| {
        let verdict = |side: &Side<'_, '_>, target| side.verdict(who, &sample.action, target);
        (verdict(&sides.old, &targets[0]), verdict(&sides.new, &targets[1]))
    });
    let both = of_left != Verdict::No && of_right != Verdict::No;
    let as_anybody = both && crowds.any(|(old, new)| old >= of_left && new >= of_right);
    Some(Held {
        on: on.into(),
        on_new,
        action: sample.action.clone(),
        class: sample.class,
        is_wild: sample.is_wild,
        left: of_left,
        right: of_right,
        as_anybody,
        every: false,
    })
}
