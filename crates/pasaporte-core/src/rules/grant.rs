//! grant: what a holder may do.

use std::collections::BTreeSet;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::finding::{Raised, Raising};
use super::harm::place;
use super::words::{canonical, exposed, listed, selection};
use super::{Audit, Harm, Impact, Level, Rule, Sureness, Told};
use crate::access::{Classes, EVERY_ACTION, Left};
use crate::entry::{Exposed, Exposure};
use crate::estate::{
    ActionClass, ActionsId, At, Effect, Grant, GrantId, Name, Principal, ResourceId, ResourcesId, ScopeKind,
    SetId, SetOrigin, Statement, StatementId, Thing,
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

/// A statement that allows, held by somebody through a grant in force.
#[derive(Clone, Copy)]
pub(super) struct Held {
    grant: GrantId,
    statement: StatementId,
    /// The set that contains the statement; none where the grant does itself.
    set: Option<SetId>,
}

fn any_action(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let Ok(every) = Pattern::parse(EVERY_ACTION) else { return };
    for held in allowing(audit) {
        if !held.classes(audit, EVERY_ACTION).all {
            continue;
        }
        let Some(sure) = held.left(audit, &every) else { continue };
        held.raise(audit, raising, sure, "the actions that the code uses", move |audit| {
            let actions = audit.estate().actions_picked(held.statement(audit).actions);
            let actions = match actions.except() {
                [] => "every action".to_owned(),
                _ => format!("every action ({})", selection(audit.estate(), actions)),
            };
            let (holder, resources) = (held.holder(audit), held.resources(audit));
            format!("{holder} may do {actions} on {resources} {}.", held.source(audit))
        });
    }
}

fn whole_service(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let mut known = KnownServices::new(audit);
    for held in allowing(audit) {
        if held.classes(audit, EVERY_ACTION).all {
            continue;
        }
        let mut services = Vec::new();
        let mut certain = true;
        for service in known.of(audit, held.statement(audit).actions, held.any_case(audit)).iter() {
            let Ok(whole) = Pattern::parse(&format!("{service}/?*")) else { continue };
            if let Some(sure) = held.left(audit, &whole) {
                certain &= sure == Sureness::Certain;
                services.push(service.clone());
            }
        }
        if services.is_empty() {
            continue;
        }
        let sure = if certain { Sureness::Certain } else { Sureness::Conditional };
        held.raise(audit, raising, sure, "the actions that the code uses", move |audit| {
            let (holder, resources) = (held.holder(audit), held.resources(audit));
            let services = listed(&services);
            format!("{holder} may do every action of {services} on {resources} {}.", held.source(audit))
        });
    }
}

fn any_resource(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let mut kinds = KnownKinds::new(audit);
    for held in allowing(audit) {
        if !is_broad(audit, held.grant(audit)) || held.classes(audit, EVERY_ACTION).all {
            continue;
        }
        let Some(reach) = wide_reach(audit, held, &mut kinds) else { continue };
        let wanted = Pattern::literal(&reach.action);
        let (grant, statement) = (held.grant(audit), held.statement(audit));
        let left =
            audit.access().left(grant.principal, grant, statement, &wanted, &reach.resources, &audit.now());
        let sure = match left {
            Left::Whole if reach.classified => Sureness::Certain,
            Left::Whole => Sureness::Inferred,
            Left::Perhaps => Sureness::Conditional,
            Left::Confined => continue,
        };
        let kinds = reach.kinds;
        held.raise(audit, raising, sure, "the resources that the code uses", move |audit| {
            let counts = kinds.iter().map(|kind| things_of(audit, kind, held));
            let (count, confidential) =
                counts.fold((0, 0), |(all, secret), (more, of_them)| (all + more, secret + of_them));
            let confidential = match confidential {
                0 => String::new(),
                some => format!(" ({some} confidential)"),
            };
            let names: Vec<String> = kinds.iter().map(ToString::to_string).collect();
            format!(
                "{} may do {} on every {} {}: {count} in the estate today{confidential}. It holds this {}.",
                held.holder(audit),
                selection(audit.estate(), audit.estate().actions_picked(held.statement(audit).actions)),
                if names.is_empty() { "resource".to_owned() } else { listed(&names) },
                place(audit.access(), held.grant(audit)),
                held.source(audit),
            )
        });
    }
}

/// What a statement reaches when it takes all of a kind.
struct WideReach {
    kinds: Vec<Box<str>>,
    /// An action on all of the first kind, and the pattern of all of that.
    action: String,
    resources: String,
    classified: bool,
}

fn wide_reach(audit: &Audit<'_>, held: Held, kinds: &mut KnownKinds) -> Option<WideReach> {
    let resources = held.statement(audit).resources;
    let harmful = |class| !matches!(class, Some(ActionClass::List | ActionClass::Read));
    let telling = |class| class != Some(ActionClass::List);
    let mut reach: Option<WideReach> = None;
    for kind in kinds.covered(audit, resources).iter() {
        // Invoking every function is entry/wide-invoke-grant's.
        if &**kind == "function" && held.invokes_only(audit) {
            continue;
        }
        let classes = held.classes(audit, &format!("{kind}/?*"));
        // Reading is sensitive where something confidential can be read.
        let reads = || classes.first(telling).filter(|_| things_of(audit, kind, held).1 > 0);
        let Some((action, class)) = classes.first(harmful).or_else(reads) else { continue };
        let reach = reach.get_or_insert_with(|| WideReach {
            kinds: Vec::new(),
            action: action.to_owned(),
            resources: format!("{kind}:?*"),
            classified: class.is_some(),
        });
        reach.kinds.push(kind.clone());
    }
    if reach.is_some() || !audit.access().covers_resources(resources, "*") {
        return reach;
    }
    let every = held.classes(audit, EVERY_ACTION);
    let invokes_only = held.invokes_only(audit);
    let beyond = |class| harmful(class) && !(invokes_only && class == Some(ActionClass::Invoke));
    let (action, class) = every.first(beyond)?;
    Some(WideReach {
        kinds: Vec::new(),
        action: action.to_owned(),
        resources: "*".to_owned(),
        classified: class.is_some(),
    })
}

/// How many things of a kind a statement reaches, and how many of them are confidential.
fn things_of(audit: &Audit<'_>, kind: &str, held: Held) -> (usize, usize) {
    let (resources, at) = (held.statement(audit).resources, held.grant(audit).at);
    if OWN_KINDS.contains(&kind) {
        return (audit.access().count_taken(kind, resources, at), 0);
    }
    let Some(kind) = audit.estate().name(kind) else { return (0, 0) };
    let taken = audit.access().taken(resources, at);
    let of_kind = taken.by_kind().iter().find(|of_kind| of_kind.kind == kind);
    of_kind.map_or((0, 0), |of_kind| (of_kind.count, of_kind.confidential))
}

/// Kinds of things that have sections of their own, and are acted on.
const OWN_KINDS: [&str; 3] = ["function", "identity", "key"];

/// The kinds of resources that the estate has, sorted.
fn kinds_in(audit: &Audit<'_>) -> BTreeSet<Name> {
    audit.estate().all::<ResourceId>().map(|(_, resource)| resource.kind).collect()
}

/// Which kinds each choice of resources covers as a whole: those that the estate has, and those that the
/// choice names although nothing of them is there.
struct KnownKinds {
    everywhere: Vec<Box<str>>,
    covered: FxHashMap<ResourcesId, Arc<[Box<str>]>>,
}

impl KnownKinds {
    fn new(audit: &Audit<'_>) -> Self {
        let texts = kinds_in(audit).into_iter().map(|name| audit.estate().text(name).into());
        Self { everywhere: texts.chain(OWN_KINDS.map(Into::into)).collect(), covered: FxHashMap::default() }
    }

    fn covered(&mut self, audit: &Audit<'_>, resources: ResourcesId) -> Arc<[Box<str>]> {
        let Self { everywhere, covered } = self;
        let access = audit.access();
        let found = covered.entry(resources).or_insert_with(|| {
            let picked = audit.estate().resources_picked(resources);
            let patterns = access.patterns(picked.any());
            if !access.may_take_all_of_a_kind(resources) {
                return Arc::default();
            }
            let mut kinds = everywhere.clone();
            for pattern in patterns {
                kinds.extend(pattern.literal_start().split_once(':').map(|(kind, _)| kind.into()));
            }
            kinds.sort_unstable();
            kinds.dedup();
            kinds.retain(|kind| is_plain(kind));
            kinds.retain(|kind| access.covers_resources(resources, &format!("{kind}:?*")));
            kinds.into()
        });
        Arc::clone(found)
    }
}

/// Which services each choice of actions covers as a whole: those that it names, and those of the kinds of
/// resources in the estate.
struct KnownServices {
    everywhere: Vec<String>,
    covered: FxHashMap<(ActionsId, bool), Arc<[String]>>,
}

impl KnownServices {
    fn new(audit: &Audit<'_>) -> Self {
        let texts = kinds_in(audit).into_iter().map(|name| audit.estate().text(name).to_owned());
        let own = OWN_KINDS.into_iter().chain(["access"]).map(str::to_owned);
        Self { everywhere: texts.chain(own).collect(), covered: FxHashMap::default() }
    }

    fn of(&mut self, audit: &Audit<'_>, actions: ActionsId, any_case: bool) -> Arc<[String]> {
        let Self { everywhere, covered } = self;
        let found = covered.entry((actions, any_case)).or_insert_with(|| {
            let mut services: Vec<String> = Vec::new();
            for pattern in audit.access().patterns(audit.estate().actions_picked(actions).any()) {
                let start = pattern.literal_start();
                match start.split_once('/') {
                    Some((service, _)) if !service.is_empty() => services.push(service.to_owned()),
                    Some(_) => {}
                    None => {
                        services.extend(everywhere.iter().filter(|kind| kind.starts_with(&start)).cloned());
                    }
                }
            }
            services.sort_unstable();
            services.dedup();
            services.retain(|service| is_plain(service));
            services
                .retain(|service| audit.access().classes(actions, &format!("{service}/?*"), any_case).all);
            services.into()
        });
        Arc::clone(found)
    }
}

/// Whether a word can stand in a pattern as it is.
fn is_plain(word: &str) -> bool {
    !word.contains(['*', '?', '\\'])
}

/// Grants at the app or at a thing are as narrow as a place can make them.
pub(super) fn is_broad(audit: &Audit<'_>, grant: &Grant) -> bool {
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
pub(super) fn allowing<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = Held> + 'a {
    let estate = audit.estate();
    let held = estate.grants().filter(|(_, grant)| is_held(audit, grant));
    held.flat_map(move |(id, grant)| {
        let statements = audit.access().statements_of(grant);
        statements
            .filter(move |contained| estate.statement(contained.statement).effect == Effect::Allow)
            .map(move |contained| Held { grant: id, statement: contained.statement, set: contained.set })
    })
}

fn is_held(audit: &Audit<'_>, grant: &Grant) -> bool {
    let by_nobody = match grant.principal {
        Principal::Group(group) => {
            audit.estate().get(group).is_some() && audit.access().everybody_in(group).is_empty()
        }
        _ => false,
    };
    !by_nobody && !audit.access().has_expired(grant)
}

impl Held {
    pub(super) fn grant<'e>(self, audit: &Audit<'e>) -> &'e Grant {
        audit.estate().grant(self.grant)
    }

    pub(super) fn statement<'e>(self, audit: &Audit<'e>) -> &'e Statement {
        audit.estate().statement(self.statement)
    }

    fn any_case(self, audit: &Audit<'_>) -> bool {
        audit.access().any_case_at(self.grant(audit))
    }

    /// What its actions come to among those of a pattern.
    fn classes(self, audit: &Audit<'_>, within: &str) -> Arc<Classes> {
        audit.access().classes(self.statement(audit).actions, within, self.any_case(audit))
    }

    /// Whether all that it lets its holder do to functions is to invoke them.
    pub(super) fn invokes_only(self, audit: &Audit<'_>) -> bool {
        let classes = self.classes(audit, "function/?*");
        !classes.all && classes.first(|class| class != Some(ActionClass::Invoke)).is_none()
    }

    /// How sure it is that all of `actions` is left on something the statement names; none if it is confined.
    pub(super) fn left(self, audit: &Audit<'_>, actions: &Pattern) -> Option<Sureness> {
        let (grant, statement) = (self.grant(audit), self.statement(audit));
        let estate = audit.estate();
        let given = audit.now();
        let resources = estate.resources_picked(statement.resources).any().iter();
        resources
            .map(|&id| {
                let resources = estate.pattern(id).text();
                audit.access().left(grant.principal, grant, statement, actions, resources, &given)
            })
            .filter_map(|left| match left {
                Left::Whole => Some(Sureness::Certain),
                Left::Perhaps => Some(Sureness::Conditional),
                Left::Confined => None,
            })
            .min()
    }

    /// Who holds it, as the subject of a sentence on the finding's thing.
    pub(super) fn holder(self, audit: &Audit<'_>) -> String {
        let principal = self.grant(audit).principal;
        match principal {
            Principal::Group(group) if audit.estate().get(group).is_none() => "Whoever is in it".to_owned(),
            Principal::Group(group) => match audit.access().everybody_in(group).len() {
                1 => "Its 1 member".to_owned(),
                members => format!("Each of its {members} members"),
            },
            Principal::Identity(_) | Principal::User(_) => "It".to_owned(),
            Principal::Anyone => "Anyone".to_owned(),
            Principal::SignedIn => "Any signed-in caller, of whichever customer,".to_owned(),
            Principal::Account(_) => "Every principal of the account".to_owned(),
            Principal::Service(_) | Principal::Outside(_) | Principal::Key(_) | Principal::Token(_) => {
                audit.estate().principal_label(principal)
            }
        }
    }

    fn resources(self, audit: &Audit<'_>) -> String {
        let estate = audit.estate();
        let resources = selection(estate, estate.resources_picked(self.statement(audit).resources));
        let resources = if resources == "*" { "everything".to_owned() } else { resources };
        format!("{resources} {}", place(audit.access(), self.grant(audit)))
    }

    /// "by the ready-made permission-set:x"
    pub(super) fn source(self, audit: &Audit<'_>) -> String {
        let estate = audit.estate();
        let Some(held) = self.grant(audit).set else { return "by a statement of its own".to_owned() };
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

    fn narrow(self, audit: &Audit<'_>, to: &str) -> String {
        let estate = audit.estate();
        match self.grant(audit).set {
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

    /// Raises it as too wide: `situation` says how, `narrow_to` to what it should be narrowed.
    pub(super) fn raise(
        self,
        audit: &Audit<'_>,
        raising: &mut Raising<'_, '_>,
        sure: Sureness,
        narrow_to: &'static str,
        situation: impl Fn(&Audit<'_>) -> String + Send + Sync + 'static,
    ) {
        let estate = audit.estate();
        let (grant, statement) = (self.grant(audit), self.statement(audit));
        let holder = grant.principal;
        let thing = holder.thing().unwrap_or(Thing::Grant(self.grant));
        let harm = Harm::of_statement(audit.access(), holder, self.grant, self.statement);
        // Whoever holds it as a crowd may use it; whoever only calls the holder's code may influence it.
        let seen_from = match grant.at {
            At::Thing(place) => place,
            At::Everywhere => thing,
        };
        let exposure = match audit.access().circle(holder, seen_from) {
            Exposure::Insiders => audit.exposure_of(holder).through_code(),
            to => Exposed { to, ..Exposed::INSIDE },
        };
        let at = match grant.at {
            At::Everywhere => "everywhere".to_owned(),
            At::Thing(thing) => estate.label(thing),
        };
        let raised = Raised::new(thing, Level::of(harm, exposure))
            .within(audit.environment_of(holder))
            .sure(sure)
            .facet(estate.principal_label(holder))
            .facet(grant.set.map_or_else(String::new, |set| estate.id(set).to_owned()))
            .facet(at)
            .facet(canonical(estate, statement));
        raising.raise(&raised, move |audit| {
            let (grant, statement) = (self.grant(audit), self.statement(audit));
            let worst = match (harm.may(audit.access()), harm.impact) {
                (Some(may), Impact::ControlsAccess | Impact::ConfidentialData) => {
                    format!(" At worst: {may}.")
                }
                _ => String::new(),
            };
            let callers = exposed(audit, audit.exposure_of(grant.principal));
            Told::new(format!("{}{worst}{callers}", situation(audit)))
                .fix(self.narrow(audit, narrow_to))
                .at(statement.origin, "the statement")
                .at((grant.origin != statement.origin).then_some(grant.origin), "the grant")
        });
    }
}
