//! grant: what a holder may do.

use super::harm::{EVERY_ACTION, place};
use super::words::{canonical, exposed, listed, selection};
use super::{Audit, Harm, Impact, Level, Raised, Rule, Sureness};
use crate::access::Left;
use crate::entry::{Exposed, Exposure};
use crate::estate::{
    ActionClass, At, Effect, Grant, GrantId, Principal, ResourceId, ScopeKind, Sensitivity, SetOrigin,
    Statement, Thing,
};
use crate::pattern::Pattern;

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "grant/any-action",
        title: "A grant gives every action",
        why: "Whoever makes the holder's code do something else may then do anything there, and nobody reading \
              the grant can tell what it is needed for.",
        fix: "List the actions that the code uses. Begin with those of its triggers and of the resources it names.",
        check: "Explain an action that it should not have: the answer must be no.",
        references: &["CWE-250", "CWE-269", "NIST SP 800-53 AC-6"],
        judge: any_action,
    },
    Rule {
        id: "grant/any-resource",
        title: "A grant gives writing or sensitive actions on every resource of a kind",
        why: "The function works with one or two of them; an intruder in it gets all, and those made tomorrow as well.",
        fix: "Name the resources, or hold the grant at the app or resource instead of above it.",
        check: "Explain the action on a resource that the code does not use: the answer must be no.",
        references: &["CWE-732", "NIST SP 800-53 AC-6"],
        judge: any_resource,
    },
    Rule {
        id: "grant/whole-service",
        title: "A grant gives every action of a service",
        why: "Ready-made broad sets hold a whole service, with deleting and administering, for code that reads.",
        fix: "Replace the wildcard by the actions that the code uses.",
        check: "Explain the service's most harmful action: the answer must be no.",
        references: &["CWE-250", "CWE-732", "NIST SP 800-53 AC-6"],
        judge: whole_service,
    },
];

/// A statement that allows, held by somebody, in effect at least perhaps.
struct Held<'a> {
    id: GrantId,
    grant: &'a Grant,
    statement: &'a Statement,
    set: Option<crate::estate::SetId>,
}

fn any_action(audit: &Audit<'_>) -> Vec<Raised> {
    let mut raised = Vec::new();
    let Ok(every) = Pattern::parse(EVERY_ACTION) else { return raised };
    for held in allowing(audit) {
        if !held.lists(audit, &every) {
            continue;
        }
        let Some(sure) = held.left(audit, &every) else { continue };
        let situation = format!(
            "{} may do {} on {} {}.",
            held.holder(audit),
            match held.statement.actions.except.as_slice() {
                [] => "every action".to_owned(),
                _ => format!("every action ({})", selection(audit.estate(), &held.statement.actions)),
            },
            held.resources(audit),
            held.source(audit),
        );
        raised.push(
            held.raise(audit, &situation, sure).fix(held.narrow(audit, "the actions that the code uses")),
        );
    }
    raised
}

fn whole_service(audit: &Audit<'_>) -> Vec<Raised> {
    let mut raised = Vec::new();
    let Ok(every) = Pattern::parse(EVERY_ACTION) else { return raised };
    for held in allowing(audit) {
        if held.lists(audit, &every) {
            continue;
        }
        let mut services = Vec::new();
        let mut certain = true;
        for service in services_in(audit, held.statement) {
            let Ok(whole) = Pattern::parse(&format!("{service}/?*")) else { continue };
            if !held.lists(audit, &whole) {
                continue;
            }
            if let Some(sure) = held.left(audit, &whole) {
                certain &= sure == Sureness::Certain;
                services.push(service);
            }
        }
        if services.is_empty() {
            continue;
        }
        let sure = if certain { Sureness::Certain } else { Sureness::Conditional };
        let situation = format!(
            "{} may do every action of {} on {} {}.",
            held.holder(audit),
            listed(&services),
            held.resources(audit),
            held.source(audit),
        );
        raised.push(
            held.raise(audit, &situation, sure).fix(held.narrow(audit, "the actions that the code uses")),
        );
    }
    raised
}

fn any_resource(audit: &Audit<'_>) -> Vec<Raised> {
    let estate = audit.estate();
    let mut raised = Vec::new();
    let Ok(every) = Pattern::parse(EVERY_ACTION) else { return raised };
    for held in allowing(audit) {
        if !is_broad(audit, held.grant) || held.lists(audit, &every) {
            continue;
        }
        let Some(reach) = wide_reach(audit, &held) else { continue };
        let Ok(wanted) = Pattern::parse(&reach.action) else { continue };
        let all = Pattern::parse(&reach.resources).ok();
        let left = all.map(|all| {
            let given = audit.now();
            audit.access().left(held.grant.principal, held.grant, held.statement, &wanted, &all, &given)
        });
        let sure = match left {
            Some(Left::Whole) if reach.classified => Sureness::Certain,
            Some(Left::Whole) => Sureness::Inferred,
            Some(Left::Perhaps) => Sureness::Conditional,
            Some(Left::Confined) | None => continue,
        };
        let confidential = match reach.confidential {
            0 => String::new(),
            some => format!(" ({some} confidential)"),
        };
        let situation = format!(
            "{} may do {} on every {} {}: {} in the estate today{confidential}. {}",
            held.holder(audit),
            selection(estate, &held.statement.actions),
            reach.kind,
            place(audit.access(), held.grant),
            reach.count,
            held.source_sentence(audit),
        );
        raised.push(
            held.raise(audit, &situation, sure).fix(held.narrow(audit, "the resources that the code uses")),
        );
    }
    raised
}

/// What a statement reaches when it takes all of a kind.
struct WideReach {
    kind: String,
    resources: String,
    action: String,
    classified: bool,
    count: usize,
    confidential: usize,
}

fn wide_reach(audit: &Audit<'_>, held: &Held<'_>) -> Option<WideReach> {
    let estate = audit.estate();
    let access = audit.access();
    let everything = access.lists_all_of(&held.statement.resources, &Pattern::parse("*").ok()?, false);
    // The kinds that the estate has, and those that the statement names although nothing of them is there.
    let mut kinds: Vec<String> = ["function", "identity", "key"].map(str::to_owned).to_vec();
    kinds.extend(estate.all::<ResourceId>().map(|(_, resource)| estate.text(resource.kind).to_owned()));
    for pattern in access.patterns(&held.statement.resources.any) {
        let start = pattern.literal_start();
        kinds.extend(start.split_once(':').map(|(kind, _)| kind.to_owned()));
    }
    kinds.sort_unstable();
    kinds.dedup();
    let any_case = access.any_case_at(held.grant);
    let harmful = |class| !matches!(class, Some(ActionClass::List | ActionClass::Read));
    let telling = |class| class != Some(ActionClass::List);
    let mut reaches: Vec<WideReach> = Vec::new();
    for kind in kinds {
        let (service, all) = (Pattern::parse(&format!("{kind}/?*")).ok()?, format!("{kind}:?*"));
        if !access.lists_all_of(&held.statement.resources, &Pattern::parse(&all).ok()?, false) {
            continue;
        }
        let counted: Vec<Option<Sensitivity>> = things_of(audit, &kind, held);
        let confidential = counted.iter().filter(|each| **each == Some(Sensitivity::Confidential)).count();
        let mut action = access.action_of(&held.statement.actions, &service, any_case, harmful);
        // Reading is sensitive where something confidential can be read.
        if action.is_none() && confidential > 0 {
            action = access.action_of(&held.statement.actions, &service, any_case, telling);
        }
        if let Some(action) = action {
            let classified = access.catalogue().class(&action, any_case).is_some();
            let action = Pattern::literal(&action).text().to_owned();
            reaches.push(WideReach {
                kind,
                resources: all,
                action,
                classified,
                count: counted.len(),
                confidential,
            });
        }
    }
    if reaches.is_empty() {
        if !everything {
            return None;
        }
        let every = Pattern::parse(EVERY_ACTION).ok()?;
        let action = access.action_of(&held.statement.actions, &every, any_case, harmful)?;
        let classified = access.catalogue().class(&action, any_case).is_some();
        let action = Pattern::literal(&action).text().to_owned();
        return Some(WideReach {
            kind: "resource".to_owned(),
            resources: "*".to_owned(),
            action,
            classified,
            count: 0,
            confidential: 0,
        });
    }
    let kinds: Vec<String> = reaches.iter().map(|reach| reach.kind.clone()).collect();
    let (count, confidential) =
        reaches.iter().fold((0, 0), |(all, secret), reach| (all + reach.count, secret + reach.confidential));
    let first = reaches.swap_remove(0);
    Some(WideReach { kind: listed(&kinds), count, confidential, ..first })
}

/// The sensitivities of the things of a kind that a statement reaches.
fn things_of(audit: &Audit<'_>, kind: &str, held: &Held<'_>) -> Vec<Option<Sensitivity>> {
    let estate = audit.estate();
    let reaches = |thing| audit.access().reaches(held.grant, held.statement, thing);
    match kind {
        "function" => estate
            .all::<crate::estate::FunctionId>()
            .filter(|(id, _)| reaches(Thing::Function(*id)))
            .map(|_| None)
            .collect(),
        "identity" => estate
            .all::<crate::estate::IdentityId>()
            .filter(|(id, _)| reaches(Thing::Identity(*id)))
            .map(|_| None)
            .collect(),
        "key" => estate
            .all::<crate::estate::KeyId>()
            .filter(|(id, _)| reaches(Thing::Key(*id)))
            .map(|_| None)
            .collect(),
        _ => estate
            .all::<ResourceId>()
            .filter(|(id, resource)| estate.text(resource.kind) == kind && reaches(Thing::Resource(*id)))
            .map(|(_, resource)| resource.sensitivity)
            .collect(),
    }
}

/// Grants at the app or at a thing are as narrow as a place can make them.
fn is_broad(audit: &Audit<'_>, grant: &Grant) -> bool {
    match grant.at {
        At::Everywhere => true,
        At::Thing(Thing::Scope(scope)) => {
            let kind =
                audit.estate().get(scope).map(|scope| scope.kind).or(audit.estate().claimed_kind(scope));
            kind != Some(ScopeKind::App)
        }
        At::Thing(_) => false,
    }
}

/// The allowing statements of all grants that had not expired and that somebody holds.
fn allowing<'a>(audit: &'a Audit<'_>) -> Vec<Held<'a>> {
    let estate = audit.estate();
    let mut all = Vec::new();
    for (id, grant) in estate.grants() {
        let held_by_nobody = match grant.principal {
            Principal::Group(group) => estate.get(group).is_some() && audit.members_of(group).is_empty(),
            _ => false,
        };
        if held_by_nobody || audit.access().has_expired(grant) {
            continue;
        }
        for contained in audit.access().statements_of(grant) {
            let statement = estate.statement(contained.statement);
            if statement.effect == Effect::Allow {
                all.push(Held { id, grant, statement, set: contained.set });
            }
        }
    }
    all
}

/// The services that a statement's patterns may cover as a whole: those they name, and those of the
/// kinds of resources in the estate.
fn services_in(audit: &Audit<'_>, statement: &Statement) -> Vec<String> {
    let estate = audit.estate();
    let mut services: Vec<String> = Vec::new();
    for &id in &statement.actions.any {
        let start = estate.pattern(id).literal_start();
        match start.split_once('/') {
            Some((service, _)) if !service.is_empty() => services.push(service.to_owned()),
            Some(_) => {}
            None => {
                let kinds = estate.all::<ResourceId>().map(|(_, resource)| estate.text(resource.kind));
                let known = kinds.chain(["function", "identity", "key", "access"]);
                services.extend(known.filter(|kind| kind.starts_with(&start)).map(str::to_owned));
            }
        }
    }
    services.sort_unstable();
    services.dedup();
    services
}

impl Held<'_> {
    /// How sure it is that all of `actions` is left on something the statement names; none if it is confined.
    fn left(&self, audit: &Audit<'_>, actions: &Pattern) -> Option<Sureness> {
        let given = audit.now();
        self.statement
            .resources
            .any
            .iter()
            .map(|&id| {
                let resources = audit.estate().pattern(id);
                audit.access().left(
                    self.grant.principal,
                    self.grant,
                    self.statement,
                    actions,
                    resources,
                    &given,
                )
            })
            .filter_map(|left| match left {
                Left::Whole => Some(Sureness::Certain),
                Left::Perhaps => Some(Sureness::Conditional),
                Left::Confined => None,
            })
            .min()
    }

    /// Whether the statement lists all of some actions.
    fn lists(&self, audit: &Audit<'_>, actions: &Pattern) -> bool {
        let any_case = audit.access().any_case_at(self.grant);
        audit.access().lists_all_of(&self.statement.actions, actions, any_case)
    }

    /// Who holds it, as the subject of a sentence on the finding's thing.
    fn holder(&self, audit: &Audit<'_>) -> String {
        match self.grant.principal {
            Principal::Group(group) if audit.estate().get(group).is_none() => "Whoever is in it".to_owned(),
            Principal::Group(group) => match audit.members_of(group).len() {
                1 => "Its 1 member".to_owned(),
                members => format!("Each of its {members} members"),
            },
            Principal::Identity(_) | Principal::User(_) => "It".to_owned(),
            Principal::Anyone => "Anyone".to_owned(),
            Principal::SignedIn => "Any signed-in caller, of whichever customer,".to_owned(),
            Principal::Account(_) => "Every principal of the account".to_owned(),
            Principal::Service(_) | Principal::Outside(_) | Principal::Key(_) | Principal::Token(_) => {
                audit.estate().principal_label(self.grant.principal)
            }
        }
    }

    fn resources(&self, audit: &Audit<'_>) -> String {
        let resources = selection(audit.estate(), &self.statement.resources);
        let resources = if resources == "*" { "everything".to_owned() } else { resources };
        format!("{resources} {}", place(audit.access(), self.grant))
    }

    /// ", by the ready-made permission-set:x"
    fn source(&self, audit: &Audit<'_>) -> String {
        let estate = audit.estate();
        let Some(held) = self.grant.set else { return "by a statement of its own".to_owned() };
        let ready = match estate.get(held).map(|set| set.made_by) {
            Some(SetOrigin::Platform) => "the ready-made ",
            _ => "",
        };
        let through = match self.set {
            Some(set) if set != held => format!(", which includes permission-set:{}", estate.id(set)),
            _ => String::new(),
        };
        format!("by {ready}permission-set:{}{through}", estate.id(held))
    }

    fn source_sentence(&self, audit: &Audit<'_>) -> String {
        format!("It holds this {}.", self.source(audit))
    }

    fn narrow(&self, audit: &Audit<'_>, to: &str) -> String {
        let estate = audit.estate();
        match self.grant.set {
            Some(set) if estate.get(set).is_some_and(|set| set.made_by == SetOrigin::Platform) => format!(
                "Replace permission-set:{} in this grant by a set of your own that lists {to}.",
                estate.id(set)
            ),
            Some(_) => {
                let set =
                    self.set.map_or_else(String::new, |set| format!(" in permission-set:{}", estate.id(set)));
                format!("Narrow the statement{set} to {to}.")
            }
            None => format!("Narrow the statement of this grant to {to}."),
        }
    }

    fn raise(&self, audit: &Audit<'_>, situation: &str, sure: Sureness) -> Raised {
        let estate = audit.estate();
        let holder = self.grant.principal;
        let harm = Harm::of_statement(audit.access(), holder, self.grant, self.statement);
        let callers = audit.exposure_of(holder);
        let worst = match (&harm.may, harm.impact) {
            (Some(may), Impact::ControlsAccess | Impact::ConfidentialData) => format!(" At worst: {may}."),
            _ => String::new(),
        };
        let situation = format!("{situation}{worst}{}", exposed(audit, callers));
        // Whoever holds it as a crowd may use it; whoever only calls the holder's code may influence it.
        let seen_from = match self.grant.at {
            At::Thing(place) => place,
            At::Everywhere => holder.thing().unwrap_or(Thing::Grant(self.id)),
        };
        let exposure = match audit.access().circle(holder, seen_from) {
            Exposure::Insiders => callers.through_code(),
            to => Exposed { to, ..Exposed::INSIDE },
        };
        let at = match self.grant.at {
            At::Everywhere => "everywhere".to_owned(),
            At::Thing(thing) => estate.label(thing),
        };
        let set = self.grant.set.map_or_else(String::new, |set| estate.id(set).to_owned());
        Raised::new(holder.thing().unwrap_or(Thing::Grant(self.id)), Level::of(&harm, exposure), situation)
            .within(audit.environment_of(holder))
            .sure(sure)
            .facet(estate.principal_label(holder))
            .facet(set)
            .facet(at)
            .facet(canonical(estate, self.statement))
            .at(self.statement.origin, "the statement")
            .at((self.grant.origin != self.statement.origin).then_some(self.grant.origin), "the grant")
    }
}
