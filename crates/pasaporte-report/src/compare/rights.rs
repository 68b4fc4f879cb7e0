//! What two may do, gathered: things that are alike are told together, and actions of one class on them.

use std::collections::BTreeMap;

use pasaporte_audit::Audit;
use pasaporte_core::access::Verdict;
use pasaporte_core::diff::{Held, Holder};
use pasaporte_core::estate::{ActionClass, Outcome, Principal, Thing, Vocabulary};
use pasaporte_core::pattern::Pattern;
use pasaporte_core::usage::Logged;
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::Serialize;

use super::{Compared, CountOut};

pasaporte_core::vocabulary! {
    /// Which of two may do something.
    Hold: "who of two holds something" {
        /// Both, alike.
        Both = "both",
        /// The first alone.
        Left = "left",
        /// The second alone.
        Right = "right",
        /// Both, one surely and one on conditions.
        Differently = "differently",
    }
}

/// Actions of one class on things that are alike.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct RightsOut {
    /// The service of the actions.
    pub service: String,
    /// Their class; null where nothing classes them.
    pub class: Option<String>,
    /// The actions: those that are named, and `SERVICE/*` for others that a wildcard takes.
    pub actions: Vec<String>,
    /// On what.
    pub on: Vec<String>,
    /// Whether those are things that may yet be made: a kind, and where.
    pub on_new: bool,
    /// Who may.
    pub held: Word<Hold>,
    /// Whether both may it as any signed-in caller may, or anyone: it is nothing of theirs, and is not counted.
    pub as_anybody: bool,
    /// Whether whoever holds it may every action of the service on these things, so that this is a part of that.
    pub every: bool,
    /// What the first may; null where it may not.
    pub left: Option<MayOut>,
    /// What the second may.
    pub right: Option<MayOut>,
}

/// How one of two may do something.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct MayOut {
    /// `yes`, or `depends` where it is on conditions.
    pub verdict: Word<Verdict>,
    /// How often it was seen; 0 where logs would have shown it and did not; null where nobody looked.
    pub used: Option<u64>,
}

/// What tells rows apart.
type Row<'h> = (&'h str, Option<ActionClass>, bool, Answers, Vec<(&'h str, bool)>);

/// What tells rows of one thing apart.
type OfThing<'h> = (&'h str, Option<ActionClass>, Answers);

/// The two answers, whether they are those for anybody, and whether all actions are given.
type Answers = (Verdict, Verdict, bool, bool);

/// The rows, and how many rights there are of each sort.
pub(super) fn grouped(
    all: &[Held],
    left: (&Audit<'_>, Compared),
    right: (&Audit<'_>, Compared),
) -> (Vec<RightsOut>, CountOut) {
    let mut count = CountOut::default();
    let mut rows: BTreeMap<Row<'_>, Vec<&str>> = BTreeMap::new();
    let mut start = 0;
    while start < all.len() {
        let first = &all[start];
        let same = |it: &Held| it.on == first.on && it.on_new == first.on_new;
        let end = start + all[start..].iter().take_while(|it| same(it)).count();
        let mut of_thing: BTreeMap<OfThing<'_>, Vec<(&str, bool)>> = BTreeMap::new();
        for it in &all[start..end] {
            let service = it.action.split('/').next().unwrap_or_default();
            let answers = (it.left, it.right, it.as_anybody, it.every);
            let acts = of_thing.entry((service, it.class, answers)).or_default();
            acts.push((&it.action, it.is_wild));
        }
        for ((service, class, answers), acts) in of_thing {
            let (of_left, of_right, as_anybody, _) = answers;
            let mut nothing = 0;
            *match held(of_left, of_right) {
                _ if as_anybody => &mut nothing,
                Hold::Both => &mut count.both,
                Hold::Left => &mut count.only_left,
                Hold::Right => &mut count.only_right,
                Hold::Differently => &mut count.differently,
            } += 1;
            rows.entry((service, class, first.on_new, answers, acts)).or_default().push(&first.on);
        }
        start = end;
    }
    let mut used = [Used::new(left), Used::new(right)];
    let mut out: Vec<RightsOut> = rows
        .into_iter()
        .map(|((service, class, on_new, (of_left, of_right, as_anybody, every), acts), on)| {
            let mut may = |side: usize, verdict: Verdict| {
                let used = used[side].of(service, &acts, &on, on_new);
                (verdict != Verdict::No).then_some(MayOut { verdict: Word(verdict), used })
            };
            let (left, right) = (may(0, of_left), may(1, of_right));
            let mut actions: Vec<String> =
                acts.iter().filter(|(_, wild)| !wild).map(|(text, _)| (*text).to_owned()).collect();
            if acts.iter().any(|(_, wild)| *wild) {
                actions.push(format!("{service}/*"));
            }
            RightsOut {
                service: service.to_owned(),
                class: class.map(|class| ActionClass::word(class).to_owned()),
                actions,
                on: on.into_iter().map(str::to_owned).collect(),
                on_new,
                held: Word(held(of_left, of_right)),
                as_anybody,
                every,
                left,
                right,
            }
        })
        .collect();
    let rank = |class: &Option<String>| {
        ActionClass::ALL.iter().position(|(word, _)| class.as_deref() == Some(*word)).unwrap_or(usize::MAX)
    };
    out.sort_by(|one, other| {
        let key = |it: &RightsOut| (it.as_anybody, it.service.clone(), rank(&it.class), it.held.0, it.on_new);
        key(one).cmp(&key(other)).then_with(|| one.on.cmp(&other.on))
    });
    (out, count)
}

fn held(left: Verdict, right: Verdict) -> Hold {
    match (left, right) {
        (_, Verdict::No) => Hold::Left,
        (Verdict::No, _) => Hold::Right,
        (one, other) if one == other => Hold::Both,
        _ => Hold::Differently,
    }
}

/// What one of two was seen to do.
struct Used<'a, 'e> {
    audit: &'a Audit<'e>,
    who: Vec<Principal>,
    /// Of each service whether logs would have shown what is done there.
    watched: BTreeMap<String, bool>,
}

impl<'a, 'e> Used<'a, 'e> {
    fn new((audit, it): (&'a Audit<'e>, Compared)) -> Self {
        let who = match it.holder {
            Holder::Somebody(Principal::Group(group)) => audit.effects().everybody_in(group),
            Holder::Somebody(who) => vec![who],
            Holder::Set(_) => Vec::new(),
        };
        Self { audit, who, watched: BTreeMap::new() }
    }

    /// How often some actions were done to some things: none where nobody looked.
    fn of(&mut self, service: &str, acts: &[(&str, bool)], on: &[&str], on_new: bool) -> Option<u64> {
        if on_new || self.who.is_empty() {
            return None;
        }
        let estate = self.audit.estate();
        let mut count = 0;
        for who in &self.who {
            for it in estate.uses_by(*who).iter().filter(|it| it.outcome == Outcome::Allowed) {
                let did = estate.text(it.did);
                let is_one = acts.iter().any(|(text, _)| text.eq_ignore_ascii_case(did));
                let to = it.to.map(|thing| estate.label(thing));
                if is_one && to.is_some_and(|to| on.binary_search(&to.as_str()).is_ok()) {
                    count += it.tally.count;
                }
            }
        }
        if count > 0 {
            return Some(count);
        }
        self.is_watched(service).then_some(0)
    }

    fn is_watched(&mut self, service: &str) -> bool {
        if let Some(known) = self.watched.get(service) {
            return *known;
        }
        let audit = self.audit;
        let watched = Pattern::parse(&format!("{service}/*")).ok().is_some_and(|pattern| {
            self.who.iter().all(|who| {
                let scope = who.thing().and_then(|thing| match thing {
                    Thing::Identity(_) | Thing::User(_) => audit.estate().scope_of(thing),
                    _ => None,
                });
                let window = audit.estate().logged(scope, Logged::Every(&pattern));
                scope.is_some()
                    && window.is_some_and(|window| audit.is_enough(&window, audit.environment_of(*who)))
            })
        });
        self.watched.insert(service.to_owned(), watched);
        watched
    }
}
