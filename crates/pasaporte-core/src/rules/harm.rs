//! What could be done with what somebody holds: the impact side of the severity table.

use std::sync::Arc;

use crate::access::{Access, Action, Context, EVERY_ACTION, HarmfulActions, Left, Question, Verdict};
use crate::estate::{
    ActionClass, At, Effect, Grant, GrantId, IdentityId, Name, Principal, ResourceId, Sensitivity, Statement,
    StatementId, Thing,
};
use crate::pattern::Pattern;

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

/// An impact, and what makes it so.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Harm {
    /// How bad.
    pub impact: Impact,
    /// None where it is no more than running code.
    by: Option<By>,
}

/// What makes an impact so.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum By {
    /// The worst that this statement of a grant lets a holder do.
    Statement { holder: Principal, grant: GrantId, statement: StatementId },
    /// A key that opens all of this.
    Key(Thing),
}

impl Harm {
    /// No more than running code.
    pub const RUNS_CODE: Self = Self { impact: Impact::RunsCode, by: None };

    /// What can be done with a key that opens the whole of something, its management too.
    pub(super) fn of_key_to_all(scope: Thing) -> Self {
        Self { impact: Impact::ControlsAccess, by: Some(By::Key(scope)) }
    }

    /// The worst that an identity may do, with all it holds by any of its names.
    pub fn of_identity(access: &Access<'_>, identity: IdentityId) -> Self {
        let holder = Principal::Identity(identity);
        let mut worst = Self::RUNS_CODE;
        for &(grant, _) in &access.held(holder) {
            for contained in access.statements_of(access.estate().grant(grant)) {
                let harm = Self::beyond(access, holder, grant, contained.statement, worst.impact);
                worst = harm.unwrap_or(worst);
                if worst.impact == Impact::ControlsAccess {
                    return worst;
                }
            }
        }
        worst
    }

    /// The worst that one statement of a grant lets a holder do, in effect.
    pub fn of_statement(
        access: &Access<'_>,
        holder: Principal,
        grant: GrantId,
        statement: StatementId,
    ) -> Self {
        Self::beyond(access, holder, grant, statement, Impact::RunsCode).unwrap_or(Self::RUNS_CODE)
    }

    /// The worst that a statement lets a holder do, if it is worse than some impact.
    fn beyond(
        access: &Access<'_>,
        holder: Principal,
        grant: GrantId,
        statement: StatementId,
        beyond: Impact,
    ) -> Option<Self> {
        let given = Context::at(access.estate().as_of());
        let held = Held::new(access, holder, grant, statement, &given)?;
        let impact = if changes_access(access, held).is_some() {
            Impact::ControlsAccess
        } else {
            data_reached(access, held, beyond, 1).first()?.impact
        };
        Some(Self { impact, by: Some(By::Statement { holder, grant, statement }) })
    }

    /// What may be done, to be read after "may": "do table/write on confidential table:bookings"; none where it
    /// is no more than running code.
    pub fn may(&self, access: &Access<'_>) -> Option<String> {
        match self.by? {
            By::Key(scope) => Some(format!("invoke and manage all of {}", access.estate().label(scope))),
            By::Statement { holder, grant, statement } => {
                let given = Context::at(access.estate().as_of());
                let held = Held::new(access, holder, grant, statement, &given)?;
                changes_access(access, held).or_else(|| does_to_data(access, held))
            }
        }
    }
}

/// A statement as somebody holds it, and what is fixed about its use.
#[derive(Clone, Copy)]
struct Held<'a> {
    holder: Principal,
    grant: &'a Grant,
    statement: &'a Statement,
    given: &'a Context,
}

impl<'a> Held<'a> {
    /// None of what gives nothing.
    fn new(
        access: &Access<'a>,
        holder: Principal,
        grant: GrantId,
        statement: StatementId,
        given: &'a Context,
    ) -> Option<Self> {
        let (grant, statement) = (access.estate().grant(grant), access.estate().statement(statement));
        let allows = statement.effect == Effect::Allow && !access.has_expired(grant);
        allows.then_some(Self { holder, grant, statement, given })
    }
}

/// Changing who may do what, or taking over code and identities at will, which comes to the same;
/// in words.
fn changes_access(access: &Access<'_>, held: Held<'_>) -> Option<String> {
    let Held { holder, grant, statement, given } = held;
    let estate = access.estate();
    let any_case = access.any_case_at(grant);
    let stays = |action: &str, resources: &str| {
        let action = Pattern::literal(action);
        access.left(holder, grant, statement, &action, resources, given) != Left::Confined
    };
    let every = access.classes(statement.actions, EVERY_ACTION, any_case);
    if let Some((action, _)) = every.first(|class| class == Some(ActionClass::Access)) {
        let mut resources = estate.resources_picked(statement.resources).any().iter();
        if resources.any(|id| stays(action, estate.pattern(*id).text())) {
            let may = if every.all {
                "change who may do what".to_owned()
            } else {
                format!("do {action}, which changes who may do what,")
            };
            return Some(format!("{may} {}", place(access, grant)));
        }
    }
    let whole = [
        ("function", "function:?*", "function/?*", ActionClass::Code),
        ("identity", "identity:?*", "identity/?*", ActionClass::Identity),
    ];
    for (kind, all, service, class) in whole {
        if !access.covers_resources(statement.resources, all) {
            continue;
        }
        let of_kind = access.classes(statement.actions, service, any_case);
        let action = of_kind.first(|each| each == Some(class)).map(|(action, _)| action);
        if let Some(action) = action.filter(|action| stays(action, all)) {
            return Some(format!("do {action} on every {kind} {}", place(access, grant)));
        }
    }
    None
}

/// A resource that a statement reaches, with an action that does harm there.
struct Reached {
    resource: ResourceId,
    action: Arc<Action>,
    impact: Impact,
}

/// The worst data that a statement reaches, if it is worse than some impact: so many of the resources of the
/// same impact, by name. An action's service is the kind of resource that it acts on, so a statement reaches
/// the resources of a kind if it has an action of that service that does more than list; of a public one,
/// more than read.
fn data_reached(access: &Access<'_>, held: Held<'_>, beyond: Impact, most: usize) -> Vec<Reached> {
    // Nothing that is done to data is worse than to change what is confidential.
    if beyond <= Impact::ConfidentialData {
        return Vec::new();
    }
    let Held { holder, grant, statement, given } = held;
    let estate = access.estate();
    let in_reach = access.within_reach(holder, statement.resources, grant.at);
    // Resources of one kind mostly come together, so what was found for the last is what is needed next.
    let mut last: Option<((Name, bool), Arc<HarmfulActions>)> = None;
    let mut reached: Vec<Reached> = Vec::new();
    // The confidential come first, so the first that is reached is the worst.
    for (id, resource) in in_reach.iter().filter_map(|id| Some((id, estate.get(id)?))) {
        let confidential = resource.sensitivity == Some(Sensitivity::Confidential);
        let impact = if confidential { Impact::ConfidentialData } else { Impact::DataOrSecrets };
        if impact >= beyond
            || reached.len() == most
            || reached.first().is_some_and(|first| first.impact != impact)
        {
            break;
        }
        let on = Thing::Resource(id);
        let any_case = access.any_case(on);
        let key = (resource.kind, any_case);
        if last.as_ref().is_none_or(|(of, _)| *of != key) {
            last = Some((key, access.harmful_actions(statement.actions, resource.kind, any_case)));
        }
        let Some((_, known)) = &last else { continue };
        let reads = known.reads.as_ref().filter(|_| resource.sensitivity != Some(Sensitivity::Public));
        let Some(action) = known.changes.as_ref().or(reads) else { continue };
        if access.verdict(&Question { principal: holder, action, on, given }) != Verdict::No {
            reached.push(Reached { resource: id, action: Arc::clone(action), impact });
        }
    }
    reached
}

/// The worst data that a statement reaches, in words.
fn does_to_data(access: &Access<'_>, held: Held<'_>) -> Option<String> {
    let reached = data_reached(access, held, Impact::RunsCode, MOST_COUNTED + 1);
    let (first, others) = reached.split_first()?;
    let confidential = if first.impact == Impact::ConfidentialData { "confidential " } else { "" };
    let resource = access.estate().id(first.resource);
    let may = format!("do {} on {confidential}{resource}", first.action.text());
    Some(match others.len() {
        0 => may,
        MOST_COUNTED => format!("{may} and at least {MOST_COUNTED} more"),
        some => format!("{may} and {some} more"),
    })
}

/// How many other resources of the same impact are counted.
const MOST_COUNTED: usize = 9;

/// Where a grant holds, in words: "everywhere", "at account:tickets-prod".
pub(super) fn place(access: &Access<'_>, grant: &Grant) -> String {
    match grant.at {
        At::Everywhere => "everywhere".to_owned(),
        At::Thing(thing) => format!("at {}", access.estate().label(thing)),
    }
}
