//! What could be done with what somebody holds: the impact side of the severity table.

use std::sync::Arc;

use crate::access::{Access, Context, EVERY_ACTION, HarmfulActions, Left, Question, Verdict};
use crate::estate::{
    ActionClass, At, Effect, Grant, IdentityId, Name, Principal, Sensitivity, Statement, Thing,
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
    pub const RUNS_CODE: Self = Self { impact: Impact::RunsCode, may: None };

    /// The worst that an identity may do, with all it holds by any of its names.
    pub fn of_identity(access: &Access<'_>, identity: IdentityId) -> Self {
        let holder = Principal::Identity(identity);
        let given = Context::at(access.estate().as_of());
        let mut worst = Self::RUNS_CODE;
        for &(id, _) in &access.held(holder) {
            let grant = access.estate().grant(id);
            for contained in access.statements_of(grant) {
                let statement = access.estate().statement(contained.statement);
                if let Some(harm) =
                    Self::beyond(access, Held { holder, grant, statement, given: &given }, worst.impact)
                {
                    worst = harm;
                }
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
        grant: &Grant,
        statement: &Statement,
    ) -> Self {
        let given = Context::at(access.estate().as_of());
        let held = Held { holder, grant, statement, given: &given };
        Self::beyond(access, held, Impact::RunsCode).unwrap_or(Self::RUNS_CODE)
    }

    /// The worst that a statement lets a holder do, if it is worse than some impact.
    fn beyond(access: &Access<'_>, held: Held<'_>, impact: Impact) -> Option<Self> {
        if held.statement.effect == Effect::Deny || access.has_expired(held.grant) {
            return None;
        }
        changes_access(access, held).or_else(|| worst_data(access, held, impact))
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

/// Changing who may do what, or taking over code and identities at will, which comes to the same.
fn changes_access(access: &Access<'_>, held: Held<'_>) -> Option<Harm> {
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
            return Some(Harm::new(Impact::ControlsAccess, format!("{may} {}", place(access, grant))));
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
            let may = format!("do {action} on every {kind} {}", place(access, grant));
            return Some(Harm::new(Impact::ControlsAccess, may));
        }
    }
    None
}

/// The worst data that a statement reaches, if it is worse than some impact. An action's service is the kind
/// of resource that it acts on, so a statement reaches the resources of a kind if it has an action of that
/// service that does more than list; of a public one, more than read.
fn worst_data(access: &Access<'_>, held: Held<'_>, beyond: Impact) -> Option<Harm> {
    let Held { holder, grant, statement, given } = held;
    let estate = access.estate();
    let in_reach = access.within_reach(holder, statement.resources, grant.at);
    // Resources of one kind mostly come together, so what was found for the last is what is needed next.
    let mut last: Option<((Name, bool), Arc<HarmfulActions>)> = None;
    let mut worst: Option<Harm> = None;
    let mut others = 0;
    // The confidential come first, so the first that is reached is the worst.
    for id in in_reach.iter() {
        let resource = estate.get(id)?;
        let confidential = resource.sensitivity == Some(Sensitivity::Confidential);
        let impact = if confidential { Impact::ConfidentialData } else { Impact::DataOrSecrets };
        if impact >= worst.as_ref().map_or(beyond, |worst| Impact::next(worst.impact))
            || others == MOST_COUNTED
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
        if access.verdict(&Question { principal: holder, action, on, given }) == Verdict::No {
            continue;
        }
        if worst.is_some() {
            others += 1;
        } else {
            let confidential = if confidential { "confidential " } else { "" };
            let may = format!("do {} on {confidential}{}", action.text(), estate.id(id));
            worst = Some(Harm::new(impact, may));
        }
    }
    let mut worst = worst?;
    if let (Some(may), 1..) = (&mut worst.may, others) {
        let more = if others == MOST_COUNTED { " or more" } else { "" };
        *may = format!("{may} and {others}{more} more");
    }
    Some(worst)
}

/// How many other resources of the same impact are counted.
const MOST_COUNTED: usize = 9;

impl Impact {
    /// The next milder one: what must not be reached for a resource to be of the same impact.
    fn next(self) -> Self {
        match self {
            Self::ControlsAccess => Self::ConfidentialData,
            Self::ConfidentialData => Self::DataOrSecrets,
            Self::DataOrSecrets => Self::RunsCode,
            Self::RunsCode | Self::Hygiene => Self::Hygiene,
        }
    }
}

/// Where a grant holds, in words: "everywhere", "at account:tickets-prod".
pub(super) fn place(access: &Access<'_>, grant: &Grant) -> String {
    match grant.at {
        At::Everywhere => "everywhere".to_owned(),
        At::Thing(thing) => format!("at {}", access.estate().label(thing)),
    }
}
