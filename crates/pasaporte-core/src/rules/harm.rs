//! What could be done with what somebody holds: the impact side of the severity table.

use crate::access::{Access, Context, Left, Question};
use crate::estate::{
    ActionClass, At, Effect, Grant, IdentityId, Name, Principal, ResourceId, Selection, Sensitivity,
    Statement, Thing,
};
use crate::pattern::{Found, Pattern, find};

crate::estate::vocabulary! {
    /// What a weakness can do, from most to least (access-model §10).
    Impact: "an impact" {
        /// Changes who may do what.
        ControlsAccess = "controls-access",
        /// Reads or changes confidential data.
        ConfidentialData = "confidential-data",
        /// Reads or changes other data, or secrets.
        DataOrSecrets = "data-or-secrets",
        /// Runs code, and so costs money.
        RunsCode = "runs-code",
        /// Only keeps the house untidy.
        Hygiene = "hygiene",
    }
}

/// An impact and the worst thing that makes it so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Harm {
    /// How bad.
    pub impact: Impact,
    /// What may be done, to be read after "may": "`table/write` on confidential table:bookings"; none
    /// where it is no more than running code.
    pub may: Option<String>,
}

impl Harm {
    /// No more than running code.
    pub fn runs_code() -> Self {
        Self { impact: Impact::RunsCode, may: None }
    }

    /// The worst that an identity may do, with all it holds by any of its names.
    pub fn of_identity(access: &Access<'_>, identity: IdentityId) -> Self {
        let holder = Principal::Identity(identity);
        let mut worst = Self::runs_code();
        for name in access.names(holder) {
            for &id in access.grants_of(name) {
                let grant = access.estate().grant(id);
                for contained in access.statements_of(grant) {
                    let statement = access.estate().statement(contained.statement);
                    worst = worst.worse(Self::of_statement(access, holder, grant, statement));
                    if worst.impact == Impact::ControlsAccess {
                        return worst;
                    }
                }
            }
        }
        worst
    }

    /// The worst that one statement of a grant lets a holder do, in effect.
    pub fn of_statement(access: &Access<'_>, holder: Principal, grant: &Grant, statement: &Statement) -> Self {
        if statement.effect == Effect::Deny || access.has_expired(grant) {
            return Self::runs_code();
        }
        changes_access(access, holder, grant, statement)
            .unwrap_or_else(|| worst_data(access, holder, grant, statement))
    }

    fn worse(self, other: Self) -> Self {
        if other.impact < self.impact { other } else { self }
    }
}

fn changes_access(access: &Access<'_>, holder: Principal, grant: &Grant, statement: &Statement) -> Option<Harm> {
    let patterns = access.catalogue().patterns_of(&[ActionClass::Access]);
    let action = example(access, &statement.actions, &patterns, &[])?;
    let given = Context::at(access.estate().as_of());
    let wanted = Pattern::literal(&action);
    let left = statement.resources.any.iter().any(|&resources| {
        let resources = access.estate().pattern(resources);
        access.left(holder, grant, statement, &wanted, resources, &given) != Left::Confined
    });
    let everything = access.lists_all_of(&statement.actions, &Pattern::parse("?*/?*").ok()?);
    let may = if everything { "change who may do what".to_owned() } else { format!("do {action}") };
    left.then(|| Harm { impact: Impact::ControlsAccess, may: Some(format!("{may} {}", place(access, grant))) })
}

/// The worst data that a statement reaches. An action's service is the kind of resource that it acts
/// on, so a statement reaches the resources of a kind if it has an action of that service that does
/// more than list.
fn worst_data(access: &Access<'_>, holder: Principal, grant: &Grant, statement: &Statement) -> Harm {
    let estate = access.estate();
    let listing = access.catalogue().patterns_of(&[ActionClass::List]);
    let mut actions: Vec<(Name, Option<String>)> = Vec::new();
    let mut worst = Harm::runs_code();
    let mut others = 0;
    for (id, resource) in estate.all::<ResourceId>() {
        let impact = match resource.sensitivity {
            Some(Sensitivity::Confidential) => Impact::ConfidentialData,
            _ => Impact::DataOrSecrets,
        };
        let thing = Thing::Resource(id);
        if impact > worst.impact || !access.reaches(grant, statement, thing) {
            continue;
        }
        let known = actions.iter().find(|(kind, _)| *kind == resource.kind);
        let action = known.map(|(_, action)| action.clone()).unwrap_or_else(|| {
            let service = Pattern::parse(&format!("{}/?*", estate.text(resource.kind))).ok();
            let action = service.and_then(|service| example(access, &statement.actions, &[&service], &listing));
            actions.push((resource.kind, action.clone()));
            action
        });
        let Some(action) = action else { continue };
        let given = Context::at(estate.as_of());
        let question = Question { principal: holder, action: &action, on: thing, given };
        if !access.decide(&question).is_possible() {
            continue;
        }
        if impact < worst.impact {
            let confidential = if impact == Impact::ConfidentialData { "confidential " } else { "" };
            worst = Harm { impact, may: Some(format!("do {action} on {confidential}{}", estate.id(id))) };
            others = 0;
        } else {
            others += 1;
        }
    }
    if let (Some(may), 1..) = (&mut worst.may, others) {
        may.push_str(&format!(" and {others} more"));
    }
    worst
}

impl Access<'_> {
    /// Whether a grant holds on a thing and a statement of it names the thing.
    pub(crate) fn reaches(&self, grant: &Grant, statement: &Statement, thing: Thing) -> bool {
        let estate = self.estate();
        let here = match grant.at {
            At::Everywhere => true,
            At::Thing(place) => estate.lies_in(thing, place),
        };
        here && self.selects(&statement.resources, &estate.label(thing), false)
    }
}

/// An action that a selection takes and one of some patterns matches, but none of some others. A
/// common word is preferred to an invented one.
pub(super) fn example(
    access: &Access<'_>,
    actions: &Selection,
    wanted: &[&Pattern],
    unwanted: &[&Pattern],
) -> Option<String> {
    let any = access.patterns(&actions.any);
    let mut excluded = access.patterns(&actions.except);
    excluded.extend_from_slice(unwanted);
    for service in wanted {
        let Some(service) = service.text().strip_suffix("/?*") else { continue };
        for verb in ["write", "delete", "read"] {
            let action = format!("{service}/{verb}");
            let taken = any.iter().any(|pattern| pattern.matches(&action));
            if taken && !excluded.iter().any(|pattern| pattern.matches(&action)) {
                return Some(action);
            }
        }
    }
    let literal = any.iter().find_map(|pattern| {
        let action = pattern.as_literal()?;
        let fits = wanted.iter().any(|each| each.matches(action)) && !excluded.iter().any(|each| each.matches(action));
        fits.then(|| action.to_owned())
    });
    literal.or_else(|| match find(&[&any, wanted], &excluded, false) {
        Found::Example(action) => Some(action),
        Found::Nothing | Found::Unknown => None,
    })
}

/// Where a grant holds, in words: "everywhere", "at account:tickets-prod".
pub(super) fn place(access: &Access<'_>, grant: &Grant) -> String {
    match grant.at {
        At::Everywhere => "everywhere".to_owned(),
        At::Thing(thing) => format!("at {}", access.estate().label(thing)),
    }
}

