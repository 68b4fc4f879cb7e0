//! What a rule raises, and the finding that it settles into: both plain data.

use std::cmp::Reverse;

use rayon::prelude::*;

use crate::facts::Fact;
use crate::fingerprint::Fingerprint;
use crate::{Audit, Harm, Impact, RuleId, Severity, severity};
use pasaporte_core::access::Truth;
use pasaporte_core::access::{Answer, Via};
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{
    AccountOf, AdmissionId, Effect, EndpointId, EnrolmentId, Environment, Estate, GrantId, KeyId, Thing,
    VerifierId,
};

pasaporte_core::vocabulary! {
    /// How sure a finding is (access-model §10).
    Sureness: "how sure a finding is" {
        /// It is so.
        Certain = "certain",
        /// It is so if named conditions hold.
        Conditional = "conditional",
        /// It follows from what was seen, but something needed to be sure was not.
        Inferred = "inferred",
    }
}

/// How a finding gets its severity.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Level {
    /// By the table.
    Table(Impact, Exposure),
    /// Of influence, which is one step milder than the table has it.
    Influence(Impact, Exposure, Severity),
    /// Always this, whatever the environment: blind spots.
    Fixed(Severity),
    /// Good to know and no more: the platform made it, and no stranger gets at it.
    Platforms,
}

/// What a weakness comes from: findings that share a cause are one weakness.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum Cause {
    /// A grant.
    Grant(GrantId),
    /// A statement on a thing.
    Admission(AdmissionId),
    /// What an endpoint asks.
    Door(EndpointId),
    /// What a verifier accepts.
    Verifier(VerifierId),
    /// A key.
    Key(KeyId),
    /// A record in another system.
    Enrolment(EnrolmentId),
}

/// The causes of a finding: mostly one. There are as many of these as findings, so they are kept small.
#[derive(Debug, Clone)]
pub(crate) enum Causes {
    One(Option<Cause>),
    More(Box<[Cause]>),
}

impl Causes {
    pub(crate) fn all(&self) -> &[Cause] {
        match self {
            Self::One(one) => one.as_slice(),
            Self::More(all) => all,
        }
    }

    fn add(&mut self, more: impl IntoIterator<Item = Cause>) {
        for cause in more {
            *self = match self {
                Self::One(None) => Self::One(Some(cause)),
                _ => Self::More(self.all().iter().copied().chain([cause]).collect()),
            };
        }
    }
}

impl Cause {
    /// What allows, of all that an answer rests on.
    pub(crate) fn of(answer: &Answer<'_>) -> impl Iterator<Item = Self> {
        let allows =
            answer.grounds.iter().filter(|it| it.effect == Effect::Allow && it.holds != Truth::False);
        allows.filter_map(|it| Self::of_via(it.via))
    }

    pub(crate) fn of_via(via: Via) -> Option<Self> {
        match via {
            Via::Grant { grant, .. } => Some(Self::Grant(grant)),
            Via::Admission { admission, .. } => Some(Self::Admission(admission)),
            Via::Ceiling(_) => None,
        }
    }
}

/// A weakness as a rule sees it.
pub(crate) struct Raised {
    thing: Option<Thing>,
    level: Level,
    environment: Option<Environment>,
    sureness: Sureness,
    facets: Vec<String>,
    causes: Causes,
}

impl Raised {
    /// A weakness of a thing; of none, one of the estate as a whole.
    pub(crate) fn new(thing: impl Into<Option<Thing>>, level: Level) -> Self {
        Self {
            thing: thing.into(),
            level,
            environment: None,
            sureness: Sureness::Certain,
            facets: Vec::new(),
            causes: Causes::One(None),
        }
    }

    /// A weakness of a thing, as bad as what can be done by whoever it is exposed to; less sure where it would be milder
    /// if what is not sure were not so.
    pub(crate) fn judged(
        thing: impl Into<Option<Thing>>,
        harm: Harm,
        exposed: Exposed,
        environment: Option<Environment>,
    ) -> Self {
        let raised = Self::new(thing, Level::of(harm, exposed)).within(environment);
        let level = severity(harm.impact, exposed.to, environment);
        let surely = severity(harm.surely_at_least, exposed.surely_to, environment);
        let without_guess = if harm.inferred { harm.surely_at_least } else { harm.impact };
        raised.sure(match level == surely {
            true => Sureness::Certain,
            false if severity(without_guess, exposed.to, environment) != level => Sureness::Inferred,
            false => Sureness::Conditional,
        })
    }

    /// The same at another level.
    pub(crate) fn at_level(self, level: Level) -> Self {
        Self { level, ..self }
    }

    /// What it comes from.
    pub(crate) fn from(mut self, causes: impl IntoIterator<Item = Cause>) -> Self {
        self.causes.add(causes);
        self
    }

    /// The worse of two, as severe as it would be.
    pub(crate) fn worse(self, other: Self) -> Self {
        let of = |it: &Self| it.level.severity(it.environment);
        if of(&other) > of(&self) { other } else { self }
    }

    /// The same of another thing.
    pub(crate) fn about(self, thing: Thing) -> Self {
        Self { thing: Some(thing), ..self }
    }

    /// The environment that shifts its severity.
    pub(crate) fn within(mut self, environment: Option<Environment>) -> Self {
        self.environment = environment;
        self
    }

    /// How sure it is, at most.
    pub(crate) fn sure(mut self, sureness: Sureness) -> Self {
        self.sureness = match (self.sureness, sureness) {
            (Sureness::Certain, other) => other,
            (known, Sureness::Certain) => known,
            // What may not be there at all is less sure than what hangs on a condition.
            (Sureness::Inferred, _) | (_, Sureness::Inferred) => Sureness::Inferred,
            (Sureness::Conditional, Sureness::Conditional) => Sureness::Conditional,
        };
        self
    }

    /// What tells it from others of its rule on the same thing; part of the fingerprint, so never a
    /// place or a count.
    pub(crate) fn facet(mut self, facet: impl Into<String>) -> Self {
        self.facets.push(facet.into());
        self
    }
}

/// How many things one processor looks at in a go.
const AT_ONCE: usize = 1_000;

/// Takes what a rule raises, and settles it.
pub(crate) struct Raising<'a, 'e> {
    rule: RuleId,
    audit: &'a Audit<'e>,
    pub(crate) found: Vec<Finding>,
}

impl<'a, 'e> Raising<'a, 'e> {
    pub(crate) fn new(rule: RuleId, audit: &'a Audit<'e>) -> Self {
        Self { rule, audit, found: Vec::new() }
    }

    /// Looks at each of some, with all processors; what is raised of them stays in their order.
    pub(crate) fn side_by_side<T: Sync>(&mut self, all: &[T], look: impl Fn(&mut Self, &T) + Sync) {
        let (rule, audit) = (self.rule, self.audit);
        let parts = all.par_chunks(AT_ONCE).map(|part| {
            let mut raising = Self::new(rule, audit);
            for it in part {
                look(&mut raising, it);
            }
            raising.found
        });
        for found in parts.collect::<Vec<_>>() {
            self.found.extend(found);
        }
    }

    /// Raises a weakness, with what was seen of it.
    pub(crate) fn raise(&mut self, raised: &Raised, fact: impl Into<Fact>) {
        debug_assert_eq!(raised.facets.len(), self.audit.catalogue()[self.rule].apart.len());
        self.found.push(Finding::settle(self, raised, fact.into()));
    }
}

impl Level {
    /// By the table, from what could be done and who could do it.
    pub fn of(harm: Harm, exposed: Exposed) -> Self {
        Self::Table(harm.impact, exposed.to)
    }

    /// The severity that it comes to in an environment.
    fn severity(self, environment: Option<Environment>) -> Severity {
        match self {
            Self::Table(impact, exposure) => severity(impact, exposure, environment),
            Self::Influence(_, _, severity) | Self::Fixed(severity) => severity,
            Self::Platforms => Severity::Info,
        }
    }
}

/// Whether what was raised of a grant comes from nothing but grants of the platform's own.
fn is_the_platforms(audit: &Audit<'_>, rule: RuleId, raised: &Raised) -> bool {
    let causes = raised.causes.all();
    let own = |cause: &Cause| matches!(cause, Cause::Grant(id) if audit.is_the_platforms_own(audit.estate().grant(*id)));
    !causes.is_empty() && causes.iter().all(own) && audit.catalogue()[rule].family() == "grant"
}

/// A settled finding: what views show and pipelines count. Plain data; [`told`](crate::told) words it.
#[derive(Clone)]
pub struct Finding {
    /// Which rule.
    pub rule: RuleId,
    /// How bad.
    pub severity: Severity,
    /// What the severity comes from.
    pub level: Level,
    /// How sure.
    pub sureness: Sureness,
    /// What it is a weakness of; none for the estate as a whole.
    pub thing: Option<Thing>,
    /// The environment that it was judged by.
    pub environment: Option<Environment>,
    /// What stays the same while the finding does.
    pub fingerprint: Fingerprint,
    /// What was seen.
    pub fact: Fact,
    pub(crate) causes: Causes,
    more: Option<Box<More>>,
}

/// What most findings have none of.
#[derive(Debug, Clone, Default)]
struct More {
    /// What else was seen that makes it so.
    facts: Vec<Fact>,
    /// Findings that it leads.
    beneath: Vec<Finding>,
}

impl std::fmt::Debug for Finding {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:?} of {:?}, {} ({})", self.rule, self.thing, self.severity, self.fingerprint)
    }
}

/// What a finding of the estate as a whole is called.
const WHOLE: &str = "estate";

impl Finding {
    fn settle(raising: &Raising<'_, '_>, raised: &Raised, fact: Fact) -> Self {
        let Raising { rule, audit, .. } = *raising;
        let level = if is_the_platforms(audit, rule, raised) { Level::Platforms } else { raised.level };
        let label = raised.thing.map_or(WHOLE.to_owned(), |thing| audit.estate().label(thing));
        Self {
            rule,
            severity: audit
                .settings()
                .told_as(audit.catalogue()[rule].id)
                .unwrap_or(level.severity(raised.environment)),
            level,
            sureness: raised.sureness,
            fingerprint: Fingerprint::of(audit.catalogue()[rule].id, &label, &raised.facets),
            thing: raised.thing,
            environment: raised.environment,
            fact,
            causes: raised.causes.clone(),
            more: None,
        }
    }

    /// What it comes from.
    pub(crate) fn causes(&self) -> &[Cause] {
        self.causes.all()
    }

    /// All that was seen that makes it so: mostly one fact.
    pub fn facts(&self) -> impl Iterator<Item = &Fact> {
        std::iter::once(&self.fact).chain(self.more.iter().flat_map(|more| &more.facts))
    }

    /// The thing, as `kind:id`; `estate` for the whole.
    pub fn label(&self, estate: &Estate) -> String {
        self.thing.map_or(WHOLE.to_owned(), |thing| estate.label(thing))
    }

    /// The account that its thing is of, where that is known.
    pub fn account<'e>(&self, estate: &'e Estate) -> Option<&'e str> {
        match estate.account_of(self.thing?) {
            AccountOf::Known(account) => Some(estate.id(account)),
            AccountOf::Unnamed | AccountOf::Unknown => None,
        }
    }

    /// Who owns its thing, by itself or by where it lives.
    pub fn owner<'e>(&self, estate: &'e Estate) -> Option<&'e str> {
        let thing = self.thing?;
        let own = match thing {
            Thing::Function(id) => estate.get(id).and_then(|it| it.owner),
            Thing::Resource(id) => estate.get(id).and_then(|it| it.owner),
            Thing::Endpoint(id) => {
                let function = estate.get(id).and_then(|it| estate.get(it.function));
                function.and_then(|it| it.owner)
            }
            _ => None,
        };
        let scope = if let Thing::Scope(scope) = thing { Some(scope) } else { estate.scope_of(thing) };
        estate.owner(own, scope).map(|name| estate.text(name))
    }

    /// The platform that its thing is on, where that is known.
    pub fn platform<'e>(&self, estate: &'e Estate) -> Option<&'e str> {
        estate.platform(estate.scope_of(self.thing?)).map(|name| estate.text(name))
    }

    /// Other findings that see the same weakness, worst first.
    pub fn beneath(&self) -> &[Self] {
        self.more.as_ref().map_or(&[], |more| &more.beneath)
    }

    /// Itself and those beneath it.
    pub fn with_beneath(&self) -> impl Iterator<Item = &Self> {
        std::iter::once(self).chain(self.beneath())
    }

    /// Puts another beneath it.
    pub(crate) fn lead(&mut self, other: Self) {
        let beneath = &mut self.more.get_or_insert_default().beneath;
        beneath.reserve_exact(1);
        beneath.push(other);
    }

    /// Takes in what makes another so that is the same finding.
    pub(crate) fn absorb(&mut self, other: &Self) {
        self.causes.add(other.causes.all().iter().copied());
        self.sureness = self.sureness.min(other.sureness);
        self.more.get_or_insert_default().facts.extend(other.facts().cloned());
    }
}

/// Worst first; then by rule, thing and fingerprint, so that the order never depends on input.
pub(crate) fn order(findings: &mut [Finding], estate: &Estate) {
    findings.par_sort_by_cached_key(|it| (Reverse(it.severity), it.rule, it.label(estate), it.fingerprint));
}
