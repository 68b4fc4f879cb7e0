//! What was seen to happen, asked of an estate as it would be: which of it would now be refused (access-model §8).

use pasaporte_core::access::{Action, Context, Known, On, Verdict};
use pasaporte_core::entry::Through;
use pasaporte_core::estate::{
    Answered, Attribute, Call, Estate, Name, Outcome, Principal, Showed, State, Tally, Thing, TokenId,
    TriggerId, Use,
};
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use std::sync::Arc;

use crate::Audit;

/// Something that was seen and would not go as it did.
#[derive(Debug, Clone)]
pub struct Stopped {
    /// What was seen: its place among uses, or among calls.
    pub what: Seen,
    /// What the decision says now.
    pub now: Verdict,
}

/// Something that was seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seen {
    /// A use, by its place in the ledger.
    Use(usize),
    /// Calls, by their place.
    Call(usize),
}

/// What comes of a rehearsal.
#[derive(Debug, Clone, Default)]
pub struct Rehearsal {
    /// Rows that were asked about.
    pub rows: usize,
    /// How often what they tell of happened.
    pub times: u64,
    /// What would be refused.
    pub broken: Vec<Stopped>,
    /// What was sure and would depend on something.
    pub perhaps: Vec<Stopped>,
    /// Rows that the estate as it is does not explain: it says no to what was done.
    pub unexplained: usize,
    /// Rows that do not say enough to be asked about.
    pub unsaid: usize,
}

/// What asking about a row comes to.
#[derive(Clone, Copy)]
enum Came {
    Same,
    Unsaid,
    Unexplained,
    Stopped(Verdict),
}

/// Asks about everything that was seen, of an estate as it is and as it would be.
pub fn rehearse(old: &Audit<'_>, new: &Audit<'_>) -> Rehearsal {
    const LOT: usize = 4096;
    let stage = Stage { old, new };
    let (uses, calls) = (old.estate().uses(), old.estate().calls());
    let of_uses = uses.par_chunks(LOT).enumerate().map(|(lot, rows)| {
        let mut casting = Casting::default();
        let mut told = Rehearsal::default();
        for (at, it) in rows.iter().enumerate() {
            let came = stage.used(it, &mut casting);
            told.add(Seen::Use(lot * LOT + at), &it.tally, came);
        }
        told
    });
    let of_calls = calls.par_chunks(LOT).enumerate().map(|(lot, rows)| {
        let mut casting = Casting::default();
        let mut told = Rehearsal::default();
        for (at, it) in rows.iter().enumerate() {
            let came = stage.called(it, &mut casting);
            told.add(Seen::Call(lot * LOT + at), &it.tally, came);
        }
        told
    });
    let parts: Vec<Rehearsal> = of_uses.chain(of_calls).collect();
    parts.into_iter().fold(Rehearsal::default(), Rehearsal::with)
}

impl Rehearsal {
    fn add(&mut self, what: Seen, tally: &Tally, came: Came) {
        match came {
            Came::Unsaid => {
                self.unsaid += 1;
                return;
            }
            Came::Unexplained => self.unexplained += 1,
            Came::Same => {}
            Came::Stopped(Verdict::No) => self.broken.push(Stopped { what, now: Verdict::No }),
            Came::Stopped(now) => self.perhaps.push(Stopped { what, now }),
        }
        self.rows += 1;
        self.times = self.times.saturating_add(tally.count);
    }

    fn with(mut self, other: Self) -> Self {
        self.rows += other.rows;
        self.times = self.times.saturating_add(other.times);
        self.broken.extend(other.broken);
        self.perhaps.extend(other.perhaps);
        self.unexplained += other.unexplained;
        self.unsaid += other.unsaid;
        self
    }
}

/// The two estates.
struct Stage<'a, 'o, 'n> {
    old: &'a Audit<'o>,
    new: &'a Audit<'n>,
}

/// Who and what is called the same in the estate as it would be, as far as it was looked up; and actions, prepared.
#[derive(Default)]
struct Casting {
    people: FxHashMap<Principal, Option<Principal>>,
    things: FxHashMap<Thing, Option<Thing>>,
    actions: FxHashMap<Name, [Arc<Action>; 2]>,
}

impl Stage<'_, '_, '_> {
    fn person(&self, who: Principal, casting: &mut Casting) -> Option<Principal> {
        let (old, new) = (self.old.estate(), self.new.estate());
        *casting.people.entry(who).or_insert_with(|| old.same_in(new, who))
    }

    fn thing(&self, thing: Thing, casting: &mut Casting) -> Option<Thing> {
        let (old, new) = (self.old.estate(), self.new.estate());
        *casting.things.entry(thing).or_insert_with(|| new.thing(&old.label(thing)))
    }

    fn used(&self, it: &Use, casting: &mut Casting) -> Came {
        if it.outcome == Outcome::Refused {
            return Came::Unsaid;
        }
        let (old, new) = (self.old.effects(), self.new.effects());
        let Some(on) = it.to else { return Came::Unsaid };
        let [action, action_new] = casting
            .actions
            .entry(it.did)
            .or_insert_with(|| {
                let text = old.estate().text(it.did);
                [old.action(text), new.action(text)]
            })
            .clone();
        let was = match on {
            Thing::Function(function) if action.text() == pasaporte_core::access::INVOKE => {
                Self::run(self.old, it.who, function, it.through)
            }
            _ => old.verdict_on(it.who, &action, On::There(on), old.given(it.who)),
        };
        if was == Verdict::No {
            return Came::Unexplained;
        }
        let (Some(who), Some(on)) = (self.person(it.who, casting), self.thing(on, casting)) else {
            return Came::Stopped(Verdict::No);
        };
        let now = match on {
            Thing::Function(function) if action.text() == pasaporte_core::access::INVOKE => {
                let through = it.through.map(|id| self.thing(Thing::Trigger(id), casting));
                match through {
                    Some(Some(Thing::Trigger(id))) => Self::run(self.new, who, function, Some(id)),
                    Some(_) => Verdict::No,
                    None => Self::run(self.new, who, function, None),
                }
            }
            _ => new.verdict_on(who, &action_new, On::There(on), new.given(who)),
        };
        compared(was, now)
    }

    /// Whether somebody makes a function run; by a trigger, that this is switched on and somebody still may.
    fn run(
        audit: &Audit<'_>,
        who: Principal,
        function: pasaporte_core::estate::FunctionId,
        through: Option<TriggerId>,
    ) -> Verdict {
        let effects = audit.effects();
        let decided = effects.enters(who, function, &moment(audit, through));
        match through {
            None => decided,
            Some(id) => {
                let alive = effects.estate().get(id).is_some_and(|it| it.state == State::Enabled)
                    && effects.may_run(function);
                match (alive, decided) {
                    (false, _) => Verdict::No,
                    // A platform that runs its own triggers needs no permission that the estate knows of.
                    (true, Verdict::No) if effects.admissions_on(Thing::Function(function)).is_empty() => {
                        Verdict::Yes
                    }
                    (true, other) => other,
                }
            }
        }
    }

    fn called(&self, it: &Call, casting: &mut Casting) -> Came {
        if it.answered == Answered::TurnedAway {
            return Came::Unsaid;
        }
        let Some(who) = shown(self.old.estate(), it.showed) else { return Came::Unsaid };
        let endpoint = Thing::Endpoint(it.endpoint);
        let was = passes(self.old, who, endpoint);
        if was == Verdict::No {
            return Came::Unexplained;
        }
        let (Some(who), Some(endpoint)) = (self.person(who, casting), self.thing(endpoint, casting)) else {
            return Came::Stopped(Verdict::No);
        };
        compared(was, passes(self.new, who, endpoint))
    }
}

fn compared(was: Verdict, now: Verdict) -> Came {
    if now < was { Came::Stopped(now) } else { Came::Same }
}

/// What is fixed of a call that was seen: when, and the source whose event it was, where a trigger is named. Where it came from
/// else is not known.
fn moment(audit: &Audit<'_>, through: Option<TriggerId>) -> Context {
    let estate = audit.estate();
    let given = Context::at(estate.as_of());
    let source = through.and_then(|id| estate.get(id)).and_then(|it| it.source);
    match source.map(|source| estate.label(source)) {
        Some(label) => given.with(Attribute::SourceResource, Known::Text(label)),
        None => given,
    }
}

/// As whom somebody calls who shows that; none where the log does not say enough.
fn shown(estate: &Estate, showed: Showed) -> Option<Principal> {
    match showed {
        Showed::Nothing => Some(Principal::Anyone),
        Showed::Key(key) => Some(Principal::Key(key)),
        Showed::Token(token) => Some(Principal::Token(verifier_of(estate, token)?)),
        Showed::Principal(who) => Some(who),
        Showed::Unsaid | Showed::UnknownKey(_) | Showed::Issued(..) => None,
    }
}

fn verifier_of(estate: &Estate, token: TokenId) -> Option<pasaporte_core::estate::VerifierId> {
    estate.get(token)?.verifier
}

/// Whether somebody gets through an endpoint.
fn passes(audit: &Audit<'_>, who: Principal, endpoint: Thing) -> Verdict {
    let Thing::Endpoint(id) = endpoint else { return Verdict::No };
    let effects = audit.effects();
    let Some(it) = effects.estate().get(id) else { return Verdict::No };
    if !effects.may_run(it.function) {
        return Verdict::No;
    }
    let names = effects.names(who);
    let by_name = effects.ways_at(id).into_iter().filter(|way| names.contains(&way.caller.who));
    let by_name = by_name.map(|way| way.caller.verdict).max().unwrap_or(Verdict::No);
    // A name that is wider may be given what one who bears it is denied.
    let asks_identity = it.check == pasaporte_core::estate::Check::Identity;
    if asks_identity && who != Principal::Anyone {
        let given: &Context = effects.given(who);
        let ways = effects.other_ways(who, it.function, given).into_iter();
        let through =
            ways.filter(|(way, _)| way.through == Through::Endpoint(id)).map(|(_, verdict)| verdict);
        let decided =
            effects.verdict_on(who, effects.invoke(), On::There(Thing::Function(it.function)), given);
        return through.fold(decided, Verdict::max).min(by_name.max(decided));
    }
    by_name
}

impl Seen {
    /// How often it happened, and when.
    pub fn tally(self, estate: &Estate) -> &Tally {
        match self {
            Self::Use(at) => &estate.uses()[at].tally,
            Self::Call(at) => &estate.calls()[at].tally,
        }
    }

    /// A number that puts uses before calls, each in the order of the ledger.
    pub fn order(self) -> (bool, usize) {
        match self {
            Self::Use(at) => (false, at),
            Self::Call(at) => (true, at),
        }
    }
}
