//! What could be done with what somebody holds: the impact side of the severity table.

use rustc_hash::FxHashMap;

use crate::access::{Access, Context, Left, Question};
use crate::estate::{
    ActionClass, At, Effect, Grant, IdentityId, Name, Principal, ResourceId, Selection, Sensitivity,
    Statement, Thing,
};
use crate::pattern::Pattern;

/// Every action: a service, a slash, an operation.
pub(super) const EVERY_ACTION: &str = "?*/?*";

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
    fn new(impact: Impact, may: String) -> Self {
        Self { impact, may: Some(may) }
    }

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
    pub fn of_statement(
        access: &Access<'_>,
        holder: Principal,
        grant: &Grant,
        statement: &Statement,
    ) -> Self {
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

/// Changing who may do what, or taking over code and identities at will, which comes to the same.
fn changes_access(
    access: &Access<'_>,
    holder: Principal,
    grant: &Grant,
    statement: &Statement,
) -> Option<Harm> {
    let any_case = access.any_case_at(grant);
    let every = Pattern::parse(EVERY_ACTION).ok()?;
    let given = Context::at(access.estate().as_of());
    let stays = |action: &str, resources: &Pattern| {
        let action = Pattern::literal(action);
        access.left(holder, grant, statement, &action, resources, &given) != Left::Confined
    };
    let action =
        access.action_of(&statement.actions, &every, any_case, |class| class == Some(ActionClass::Access));
    if let Some(action) = action {
        let resources = access.patterns(&statement.resources.any);
        if resources.into_iter().any(|resources| stays(&action, resources)) {
            let everything = access.lists_all_of(&statement.actions, &every, any_case);
            let may = if everything {
                "change who may do what".to_owned()
            } else {
                format!("do {action}, which changes who may do what,")
            };
            return Some(Harm::new(Impact::ControlsAccess, format!("{may} {}", place(access, grant))));
        }
    }
    for (kind, class) in [("function", ActionClass::Code), ("identity", ActionClass::Identity)] {
        let service = Pattern::parse(&format!("{kind}/?*")).ok()?;
        let all = Pattern::parse(&format!("{kind}:?*")).ok()?;
        if !access.lists_all_of(&statement.resources, &all, false) {
            continue;
        }
        let action = access.action_of(&statement.actions, &service, any_case, |each| each == Some(class));
        if let Some(action) = action.filter(|action| stays(action, &all)) {
            let may = format!("do {action} on every {kind} {}", place(access, grant));
            return Some(Harm::new(Impact::ControlsAccess, may));
        }
    }
    None
}

/// The worst data that a statement reaches. An action's service is the kind of resource that it acts
/// on, so a statement reaches the resources of a kind if it has an action of that service that does
/// more than list; of a public one, more than read.
fn worst_data(access: &Access<'_>, holder: Principal, grant: &Grant, statement: &Statement) -> Harm {
    let estate = access.estate();
    let any_case = access.any_case_at(grant);
    let mut actions: FxHashMap<Name, KindActions> = FxHashMap::default();
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
        let known = actions.entry(resource.kind).or_insert_with(|| {
            KindActions::new(access, &statement.actions, estate.text(resource.kind), any_case)
        });
        let reads = known.reads.as_ref().filter(|_| resource.sensitivity != Some(Sensitivity::Public));
        let Some(action) = known.changes.as_ref().or(reads) else { continue };
        let given = Context::at(estate.as_of());
        let question = Question { principal: holder, action, on: thing, given };
        if !access.decide(&question).is_possible() {
            continue;
        }
        if impact < worst.impact {
            let confidential = if impact == Impact::ConfidentialData { "confidential " } else { "" };
            worst = Harm::new(impact, format!("do {action} on {confidential}{}", estate.id(id)));
            others = 0;
        } else {
            others += 1;
        }
    }
    if let (Some(may), 1..) = (&mut worst.may, others) {
        *may = format!("{may} and {others} more");
    }
    worst
}

/// An action of each sort that a selection has for a kind of resource.
struct KindActions {
    changes: Option<String>,
    reads: Option<String>,
}

impl KindActions {
    fn new(access: &Access<'_>, actions: &Selection, kind: &str, any_case: bool) -> Self {
        let Ok(service) = Pattern::parse(&format!("{kind}/?*")) else {
            return Self { changes: None, reads: None };
        };
        let of = |wanted: &dyn Fn(Option<ActionClass>) -> bool| {
            access.action_of(actions, &service, any_case, wanted)
        };
        Self {
            changes: of(&|class| !matches!(class, Some(ActionClass::List | ActionClass::Read))),
            reads: of(&|class| class == Some(ActionClass::Read)),
        }
    }
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

/// Where a grant holds, in words: "everywhere", "at account:tickets-prod".
pub(super) fn place(access: &Access<'_>, grant: &Grant) -> String {
    match grant.at {
        At::Everywhere => "everywhere".to_owned(),
        At::Thing(thing) => format!("at {}", access.estate().label(thing)),
    }
}
