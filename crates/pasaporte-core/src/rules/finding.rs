//! What a rule raises, and the finding that it settles into.

use std::hash::Hasher;

use rayon::prelude::*;
use siphasher::sip::SipHasher24;

use super::{Audit, Harm, Impact, Rule, Severity, severity};
use crate::access::Truth;
use crate::access::{Answer, Via};
use crate::entry::{Exposed, Exposure};
use crate::estate::{
    AccountOf, AdmissionId, Effect, EndpointId, Environment, Estate, GrantId, KeyId, Origin, Thing,
    VerifierId,
};

crate::estate::vocabulary! {
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
}

/// A place that shows what a finding says.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Evidence {
    /// What stands there: "runs as identity:x".
    pub what: String,
    /// Where.
    pub origin: Origin,
}

/// What a finding says, in words.
#[derive(Debug, Clone, Default)]
pub struct Told {
    /// The effective situation, in a few plain sentences.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// Places that show it.
    pub evidence: Vec<Evidence>,
}

impl Told {
    /// A situation, in plain words.
    pub(super) fn new(situation: impl Into<String>) -> Self {
        Self { situation: situation.into(), ..Self::default() }
    }

    /// The smallest change that ends it.
    pub(super) fn fix(mut self, fix: impl Into<String>) -> Self {
        self.fix = fix.into();
        self
    }

    /// A place that shows it.
    pub(super) fn at(mut self, origin: impl Into<Option<Origin>>, what: impl Into<String>) -> Self {
        if let Some(origin) = origin.into() {
            self.evidence.push(Evidence { what: what.into(), origin });
        }
        self
    }
}

/// Words a finding when it is told: holds ids, and asks the audit again.
type Tell = Box<dyn Fn(&Audit<'_>) -> Told + Send + Sync>;

/// What a weakness comes from: findings that share a cause are one weakness.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) enum Cause {
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
}

/// The causes of a finding: mostly one. There are as many of these as findings, so they are kept small.
#[derive(Debug, Clone)]
pub(super) enum Causes {
    One(Option<Cause>),
    More(Box<[Cause]>),
}

impl Causes {
    pub(super) fn all(&self) -> &[Cause] {
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
    pub(super) fn of(answer: &Answer<'_>) -> impl Iterator<Item = Self> {
        let allows =
            answer.grounds.iter().filter(|it| it.effect == Effect::Allow && it.holds != Truth::False);
        allows.filter_map(|it| Self::of_via(it.via))
    }

    pub(super) fn of_via(via: Via) -> Option<Self> {
        match via {
            Via::Grant { grant, .. } => Some(Self::Grant(grant)),
            Via::Admission { admission, .. } => Some(Self::Admission(admission)),
            Via::Ceiling(_) => None,
        }
    }
}

/// A weakness as a rule sees it.
pub(super) struct Raised {
    thing: Option<Thing>,
    level: Level,
    environment: Option<Environment>,
    sureness: Sureness,
    facets: Vec<String>,
    causes: Causes,
}

impl Raised {
    /// A weakness of a thing; of none, one of the estate as a whole.
    pub(super) fn new(thing: impl Into<Option<Thing>>, level: Level) -> Self {
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
    pub(super) fn judged(
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
    pub(super) fn at_level(self, level: Level) -> Self {
        Self { level, ..self }
    }

    /// What it comes from.
    pub(super) fn from(mut self, causes: impl IntoIterator<Item = Cause>) -> Self {
        self.causes.add(causes);
        self
    }

    /// The environment that shifts its severity.
    pub(super) fn within(mut self, environment: Option<Environment>) -> Self {
        self.environment = environment;
        self
    }

    /// How sure it is, at most.
    pub(super) fn sure(mut self, sureness: Sureness) -> Self {
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
    pub(super) fn facet(mut self, facet: impl Into<String>) -> Self {
        self.facets.push(facet.into());
        self
    }
}

/// Takes what a rule raises, and settles it.
pub(super) struct Raising<'a, 'e> {
    rule: &'static Rule,
    /// The rule's place among all.
    place: u8,
    audit: &'a Audit<'e>,
    pub(super) found: Vec<Finding>,
}

impl<'a, 'e> Raising<'a, 'e> {
    pub(super) fn new(rule: &'static Rule, audit: &'a Audit<'e>) -> Self {
        let place = super::all().position(|other| other.id == rule.id).unwrap_or_default() as u8;
        Self { rule, place, audit, found: Vec::new() }
    }

    /// For a part of what the rule looks at.
    pub(super) fn part(&self) -> Self {
        Self { found: Vec::new(), ..*self }
    }

    /// Takes over what was raised of a part.
    pub(super) fn join(&mut self, part: Self) {
        self.found.extend(part.found);
    }

    /// Raises a weakness, with how to tell it.
    pub(super) fn raise(
        &mut self,
        raised: &Raised,
        tell: impl Fn(&Audit<'_>) -> Told + Send + Sync + 'static,
    ) {
        self.found.push(Finding::settle(self, raised, Box::new(tell)));
    }
}

impl Level {
    /// By the table, from what could be done and who could do it.
    pub fn of(harm: Harm, exposed: Exposed) -> Self {
        Self::Table(harm.impact, exposed.to)
    }
}

/// A settled finding: what views show and pipelines count.
pub struct Finding {
    /// Which rule.
    pub rule: &'static Rule,
    /// The rule's place among all.
    pub(super) place: u8,
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
    beneath: Option<Box<Beneath>>,
    pub(super) causes: Causes,
    tell: Tell,
}

/// Findings that another leads, of which most have none.
#[derive(Default)]
struct Beneath(Vec<Finding>);

impl std::fmt::Debug for Finding {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} of {:?}, {} ({})", self.rule.id, self.thing, self.severity, self.fingerprint)
    }
}

/// A hash of what makes a finding itself: its rule, its thing, and what tells it from others there.
/// No line, count or severity takes part, so it survives reordering and unrelated edits. Printed as sixteen
/// hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(u64);

impl std::fmt::Display for Fingerprint {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:016x}", self.0)
    }
}

impl Fingerprint {
    fn of(rule: &str, thing: &str, facets: &[String]) -> Self {
        let mut hash = SipHasher24::new();
        for part in [rule, thing].into_iter().chain(facets.iter().map(String::as_str)) {
            hash.write(&(part.len() as u64).to_le_bytes());
            hash.write(part.as_bytes());
        }
        Self(hash.finish())
    }
}

/// What a finding of the estate as a whole is called.
const WHOLE: &str = "estate";

impl Finding {
    fn settle(raising: &Raising<'_, '_>, raised: &Raised, tell: Tell) -> Self {
        let Raising { rule, place, audit, .. } = *raising;
        let label = raised.thing.map_or(WHOLE.to_owned(), |thing| audit.estate().label(thing));
        Self {
            rule,
            place,
            severity: match raised.level {
                Level::Table(impact, exposure) => severity(impact, exposure, raised.environment),
                Level::Influence(_, _, severity) | Level::Fixed(severity) => severity,
            },
            level: raised.level,
            sureness: raised.sureness,
            fingerprint: Fingerprint::of(rule.id, &label, &raised.facets),
            thing: raised.thing,
            environment: raised.environment,
            beneath: None,
            causes: raised.causes.clone(),
            tell,
        }
    }

    /// What it says, worded now.
    pub fn told(&self, audit: &Audit<'_>) -> Told {
        (self.tell)(audit)
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

    /// The platform that its thing is on, where that is known.
    pub fn platform<'e>(&self, estate: &'e Estate) -> Option<&'e str> {
        estate.platform(estate.scope_of(self.thing?)).map(|name| estate.text(name))
    }

    /// Other findings that see the same weakness, worst first.
    pub fn beneath(&self) -> &[Self] {
        self.beneath.as_ref().map_or(&[], |beneath| &beneath.0)
    }

    /// Itself and those beneath it.
    pub fn with_beneath(&self) -> impl Iterator<Item = &Self> {
        std::iter::once(self).chain(self.beneath())
    }

    /// Puts another beneath it.
    pub(super) fn lead(&mut self, other: Self) {
        let Beneath(all) = &mut **self.beneath.get_or_insert_default();
        all.reserve_exact(1);
        all.push(other);
    }

    /// Takes in the evidence of another that is the same finding.
    pub(super) fn absorb(&mut self, other: &mut Self) {
        self.causes.add(other.causes.all().iter().copied());
        let nothing: Tell = Box::new(|_| Told::default());
        let first = std::mem::replace(&mut self.tell, Box::new(|_| Told::default()));
        let second = std::mem::replace(&mut other.tell, nothing);
        self.tell = Box::new(move |audit| {
            let mut told = first(audit);
            told.evidence.extend(second(audit).evidence);
            told.evidence.sort();
            told.evidence.dedup();
            told
        });
    }
}

/// Worst first; then by rule, thing and fingerprint, so that the order never depends on input.
pub(super) fn order(findings: &mut [Finding], estate: &Estate) {
    findings.par_sort_unstable_by(|one, other| {
        let severity = other.severity.cmp(&one.severity);
        let rule = || one.place.cmp(&other.place);
        let thing = || match (one.thing, other.thing) {
            (Some(one), Some(other)) => estate.compare_labels(one, other),
            _ => one.label(estate).cmp(&other.label(estate)),
        };
        severity.then_with(rule).then_with(thing).then_with(|| one.fingerprint.cmp(&other.fingerprint))
    });
}
