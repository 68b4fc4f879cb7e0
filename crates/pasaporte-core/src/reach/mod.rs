//! What a principal may do, opened up: right by right, in effect, and what it can become.
//!
//! A [`Right`] is what one statement gives for the things of one service: which of its actions, on how many
//! of the estate's things, surely or perhaps. As everywhere, an action's service is the kind of thing that it
//! acts on. Every number comes from the decision, asked for each thing that a statement names and that is not
//! out of reach anyway.

use std::sync::Arc;

use smallvec::SmallVec;

use crate::access::{Access, Action, Becoming, Classes, Context, OfKind, Question, Verdict, Via};
use crate::estate::{
    ActionClass, ActionsId, At, Effect, FunctionId, Id, IdentityId, KeyId, Principal, ResourceId,
    Sensitivity, StatementId, Thing,
};

/// All that a principal may do.
#[derive(Debug)]
pub struct Reach {
    /// Who.
    pub principal: Principal,
    /// What it may do in effect, by service; within one, what reaches confidential things and most first.
    pub rights: Vec<Right>,
    /// What it holds without effect.
    pub idle: Vec<Right>,
    /// Whom it can act as.
    pub becoming: Vec<Becoming>,
}

/// What one statement gives for the things of one service.
#[derive(Debug, Clone)]
pub struct Right {
    /// How it comes to be held.
    pub via: Via,
    /// The statement.
    pub statement: StatementId,
    /// The service, or `*` for all.
    pub service: Box<str>,
    /// Its actions, each with what it comes to.
    pub acts: Vec<Act>,
    /// How many of the estate's things it names, where it holds.
    pub named: usize,
}

/// An action of a right.
#[derive(Debug, Clone)]
pub struct Act {
    /// The action; of a wildcard, one that it takes.
    pub action: Box<str>,
    /// Its class; none where no line of the catalogue knows it.
    pub class: Option<ActionClass>,
    /// Whether it stands for all that a wildcard takes of its class.
    pub is_wild: bool,
    /// On how many things it is surely allowed.
    pub surely: usize,
    /// On how many it perhaps is.
    pub perhaps: usize,
    /// How many of both are confidential.
    pub confidential: usize,
    /// One of both, a confidential one where there is one.
    pub example: Option<Thing>,
}

impl Right {
    /// Whether anything of it is in effect: surely, perhaps, or not.
    pub fn verdict(&self) -> Verdict {
        let of = |act: &Act| match (act.surely, act.perhaps) {
            (0, 0) => Verdict::No,
            (0, _) => Verdict::Depends,
            _ => Verdict::Yes,
        };
        // Of a service whose things are not in the estate nothing can be counted: it is held, and that is all.
        let uncounted = if self.named == 0 { Verdict::Depends } else { Verdict::No };
        self.acts.iter().map(of).max().unwrap_or(Verdict::No).max(uncounted)
    }

    /// The worst it reaches and how much, to put first what matters.
    fn weight(&self) -> (usize, usize) {
        let most = |of: fn(&Act) -> usize| self.acts.iter().map(of).max().unwrap_or_default();
        (most(|act| act.confidential), most(|act| act.surely + act.perhaps))
    }
}

/// A statement as a principal holds it.
#[derive(Clone, Copy)]
struct Held {
    via: Via,
    statement: StatementId,
    at: At,
}

impl Access<'_> {
    /// All that a principal may do in effect, and what it can become.
    pub fn reach(&self, principal: Principal, given: &Context) -> Reach {
        let estate = self.estate();
        let mut all = Vec::new();
        for held in self.statements_held(principal) {
            let actions = estate.statement(held.statement).actions;
            for service in self.services(actions) {
                all.push(self.right(principal, held, service, given));
            }
        }
        let (mut rights, mut idle): (Vec<Right>, Vec<Right>) =
            all.into_iter().partition(|right| right.verdict() != Verdict::No);
        let place = |right: &Right| {
            let origin = estate.statement(right.statement).origin;
            (estate.path(origin.file), origin.line, origin.column)
        };
        rights.sort_by(|one, other| {
            let service = one.service.cmp(&other.service);
            service
                .then_with(|| other.weight().cmp(&one.weight()))
                .then_with(|| place(one).cmp(&place(other)))
        });
        idle.sort_by(|one, other| {
            place(one).cmp(&place(other)).then_with(|| one.service.cmp(&other.service))
        });
        Reach { principal, rights, idle, becoming: self.becoming(principal, given) }
    }

    /// The allowing statements of a principal's grants in force, and those on things that name it.
    fn statements_held(&self, principal: Principal) -> Vec<Held> {
        let estate = self.estate();
        let mut all = Vec::new();
        for &(id, name) in &self.held(principal) {
            let grant = estate.grant(id);
            if self.has_expired(grant) {
                continue;
            }
            for contained in self.statements_of(grant) {
                let via = Via::Grant { grant: id, name, set: contained.set };
                all.push(Held { via, statement: contained.statement, at: grant.at });
            }
        }
        for &name in &self.names(principal) {
            for id in self.admissions_naming(name) {
                let admission = estate.admission(id);
                let via = Via::Admission { admission: id, name };
                all.push(Held { via, statement: admission.statement, at: At::Thing(admission.on) });
            }
        }
        all.retain(|held| estate.statement(held.statement).effect == Effect::Allow);
        all
    }

    /// The services that a choice of actions is about; `*` alone where a wildcard stands for the service.
    fn services(&self, actions: ActionsId) -> Vec<Box<str>> {
        let patterns = self.patterns(self.estate().actions_picked(actions).any());
        let mut services: Vec<Box<str>> = patterns
            .iter()
            .map(|pattern| match pattern.literal_start().split_once('/') {
                Some((service, _)) => service.into(),
                None => "*".into(),
            })
            .collect();
        if services.iter().any(|service| &**service == "*") {
            return vec!["*".into()];
        }
        services.sort_unstable();
        services.dedup();
        services
    }

    fn right(&self, principal: Principal, held: Held, service: Box<str>, given: &Context) -> Right {
        let is_plain = match held.via {
            Via::Grant { grant, .. } => {
                let conditions = &self.estate().statement(held.statement).conditions;
                conditions.is_empty()
                    && self.estate().grant(grant).conditions.is_empty()
                    && self.is_unopposed(principal)
            }
            Via::Admission { .. } | Via::Ceiling(_) => false,
        };
        let mut counting = Counting {
            access: self,
            principal,
            held,
            given,
            is_plain,
            acts: Vec::new(),
            named: 0,
            kinds: Vec::new(),
        };
        counting.things(&service);
        let Counting { mut acts, named, .. } = counting;
        if acts.is_empty() {
            let within = if &*service == "*" { "?*/?*".to_owned() } else { format!("{service}/?*") };
            let actions = self.estate().statement(held.statement).actions;
            let classes = self.classes(actions, &within, false);
            acts.extend(
                classes
                    .examples
                    .iter()
                    .map(|example| Act::new(&example.action, example.class, example.is_wild)),
            );
        }
        Right { via: held.via, statement: held.statement, service, acts, named }
    }
}

impl Act {
    fn new(action: &str, class: Option<ActionClass>, is_wild: bool) -> Self {
        Self { action: action.into(), class, is_wild, surely: 0, perhaps: 0, confidential: 0, example: None }
    }
}

/// What a right's actions come to for a kind of thing, in accounts where case counts or where it does not.
struct OfKindOfThing {
    kind: Box<str>,
    any_case: bool,
    classes: Arc<Classes>,
    prepared: Vec<Arc<Action>>,
}

/// The things of one right being counted.
struct Counting<'a, 'e> {
    access: &'a Access<'e>,
    principal: Principal,
    held: Held,
    given: &'a Context,
    /// Whether the statement has no conditions and nothing of the principal's opposes it: then it decides
    /// wherever one side is enough and nothing stands on the thing.
    is_plain: bool,
    acts: Vec<Act>,
    named: usize,
    kinds: Vec<OfKindOfThing>,
}

impl Counting<'_, '_> {
    fn things(&mut self, service: &str) {
        let estate = self.access.estate();
        // Where case is ignored, `Table/Read` is an action on tables; the decision on each has the last word.
        let is_wanted = |kind: &str| {
            service == "*"
                || service == kind
                || (self.access.ignores_case_somewhere() && service.to_lowercase() == kind.to_lowercase())
        };
        if let Via::Admission { .. } = self.held.via {
            let At::Thing(on) = self.held.at else { return };
            if is_wanted(kind_of(estate, on)) {
                self.thing(on, true);
            }
            return;
        }
        let (resources, at) = (estate.statement(self.held.statement).resources, self.held.at);
        let mut things = Vec::new();
        if is_wanted(FunctionId::KIND) {
            things.extend(self.access.functions_taken(resources, at).into_iter().map(Thing::Function));
        }
        if is_wanted(IdentityId::KIND) {
            things.extend(self.access.identities_taken(resources, at).into_iter().map(Thing::Identity));
        }
        if is_wanted(KeyId::KIND) {
            things.extend(self.access.keys_taken(resources, at).into_iter().map(Thing::Key));
        }
        let kinds: Vec<OfKind> = self.access.taken(resources, at).by_kind().to_vec();
        let kinds: Vec<OfKind> = kinds.into_iter().filter(|of| is_wanted(estate.text(of.kind))).collect();
        self.named += kinds.iter().map(|of| of.count).sum::<usize>();
        for thing in things {
            self.thing(thing, true);
        }
        // What is out of reach is named, and that is all.
        let in_reach = self.access.within_reach(self.principal, resources, at);
        let of_kind =
            |id: &ResourceId| estate.get(*id).is_some_and(|it| kinds.iter().any(|of| of.kind == it.kind));
        for id in in_reach.iter().filter(of_kind) {
            self.thing(Thing::Resource(id), false);
        }
    }

    /// Asks about one thing, for each action of its kind.
    fn thing(&mut self, on: Thing, counts_as_named: bool) {
        self.named += usize::from(counts_as_named);
        let estate = self.access.estate();
        let kind = kind_of(estate, on);
        let any_case = self.access.any_case(on);
        let is_known = |of: &OfKindOfThing| &*of.kind == kind && of.any_case == any_case;
        let index = self.kinds.iter().position(is_known).unwrap_or_else(|| {
            let actions = estate.statement(self.held.statement).actions;
            let classes = self.access.classes(actions, &format!("{kind}/?*"), any_case);
            let prepared = classes.examples.iter().map(|each| self.access.action(&each.action)).collect();
            self.kinds.push(OfKindOfThing { kind: kind.into(), any_case, classes, prepared });
            self.kinds.len() - 1
        });
        let OfKindOfThing { classes, prepared, .. } = &self.kinds[index];
        let confidential = match on {
            Thing::Resource(id) => {
                estate.get(id).is_some_and(|it| it.sensitivity == Some(Sensitivity::Confidential))
            }
            _ => false,
        };
        let mut best: SmallVec<[(usize, Verdict); 8]> = SmallVec::new();
        let is_sure = self.is_plain && self.access.takes_one_side(self.principal, on);
        for (example, action) in classes.examples.iter().zip(prepared) {
            let question = Question { principal: self.principal, action, on, given: self.given };
            let verdict = if is_sure { Verdict::Yes } else { self.access.verdict(&question) };
            let same = |act: &Act| {
                act.class == example.class
                    && act.is_wild == example.is_wild
                    && (act.is_wild || act.action == example.action)
            };
            let at = self.acts.iter().position(same).unwrap_or_else(|| {
                self.acts.push(Act::new(&example.action, example.class, example.is_wild));
                self.acts.len() - 1
            });
            // Several actions may stand for one class; a thing counts once for it, by the best of them.
            match best.iter_mut().find(|(known, _)| *known == at) {
                Some((_, known)) => *known = verdict.max(*known),
                None => best.push((at, verdict)),
            }
        }
        for (at, verdict) in best {
            let act = &mut self.acts[at];
            match verdict {
                Verdict::Yes => act.surely += 1,
                Verdict::Depends => act.perhaps += 1,
                Verdict::No => continue,
            }
            // A confidential one before others, then the first by name, whatever the order of input.
            let better = act.example.is_none_or(|example| match (confidential, act.confidential) {
                (true, 0) => true,
                (false, 1..) => false,
                _ => estate.compare_labels(on, example).is_lt(),
            });
            if better {
                act.example = Some(on);
            }
            act.confidential += usize::from(confidential);
        }
    }
}

/// The kind of a thing, as the service of the actions on it.
fn kind_of(estate: &crate::estate::Estate, thing: Thing) -> &str {
    match thing {
        Thing::Resource(id) => estate.id(id).split_once(':').map_or("", |(kind, _)| kind),
        Thing::Function(_) => FunctionId::KIND,
        Thing::Identity(_) => IdentityId::KIND,
        Thing::Key(_) => KeyId::KIND,
        _ => "",
    }
}
