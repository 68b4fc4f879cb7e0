//! grant: what bounds who holds something, and how much: rules of membership, ceilings.

use rustc_hash::{FxHashMap, FxHashSet};

use crate::facts::{GrantFact, Membership};
use crate::finding::{Cause, Raised, Raising};
use crate::rules::grant::{allowing_of, worst};
use crate::{Audit, Impact, Level, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{
    ActionClass, Bounded, FunctionId, GroupId, IdentityId, MemberKind, Principal, ScopeId, ScopeKind, Thing,
    canonical,
};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "grant/wide-membership",
        title: "A group takes in whoever is made at a place, or who says so of themselves",
        why: "Nobody decides who is in it: what is made there tomorrow is, and so is whoever may set the attribute that it \
              looks at.",
        fix: "List the members, or look at an attribute that they cannot set.",
        check: "Make a function there without telling anybody: it must hold nothing.",
        references: &["CWE-266", "CWE-284", "NIST SP 800-53 AC-2", "NIST SP 800-53 AC-6"],
        apart: &[],
        judge: wide_membership,
    },
    Rule {
        id: "grant/ceiling-missing",
        title: "An account has no ceiling, and most of its siblings have one",
        why: "The bound was meant for all of them; in this one a mistake in a grant goes as far as it is written.",
        fix: "Lay the same ceiling over it, or over the folder that they are in.",
        check: "List ceilings: the account is below one.",
        references: &["CWE-1188", "NIST SP 800-53 AC-6", "NIST SP 800-53 CM-6"],
        apart: &[],
        judge: ceiling_missing,
    },
];

fn wide_membership(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let (estate, effects) = (audit.estate(), audit.effects());
    for (id, group) in audit.each::<GroupId>() {
        let Some(rule) = &group.rule else { continue };
        let holder = Principal::Group(id);
        if rule.kind == MemberKind::User || effects.held(holder).is_empty() {
            continue;
        }
        let by_place = rule.tag.is_none() && rule.named.is_none();
        let setters = if by_place { Vec::new() } else { setters(audit, id) };
        if !by_place && setters.is_empty() {
            continue;
        }
        let own = effects.held(holder);
        let own = own.iter().filter(|(_, name)| *name == holder).map(|(id, _)| (*id, estate.grant(*id)));
        let roads = allowing_of(audit, own);
        let all: Vec<_> = roads.map(|(_, road)| (worst(audit, &road), road)).collect();
        let Some(least) = all.iter().map(|((harm, _), _)| harm.impact).min() else { continue };
        // Of those that are as bad, whichever was read first.
        let worst =
            all.into_iter().filter(|((harm, _), _)| harm.impact == least).min_by_key(|((harm, _), road)| {
                let set = road.grant().and_then(|id| estate.grant(id).set).map(|set| estate.id(set));
                let statement = canonical(estate, estate.statement(road.statement));
                (!harm.surely, set, estate.place_label(road.at), statement)
            });
        let Some(((harm, who), road)) = worst else { continue };
        if harm.impact >= Impact::RunsCode {
            continue;
        }
        let exposed = audit.exposure_of(holder).through_code();
        let grants = effects.held(holder).into_iter().map(|(grant, _)| Cause::Grant(grant));
        let sure = setters.iter().all(|(_, verdict)| *verdict == Verdict::Yes);
        let raised = Raised::judged(Thing::Group(id), harm, exposed, audit.environment_of(holder))
            .sure(if sure { Sureness::Certain } else { Sureness::Conditional })
            .from(grants);
        let setters = setters.into_iter().map(|(who, _)| who).collect();
        raising.raise(
            &raised,
            GrantFact::WideMembership(Box::new(Membership {
                group: id,
                by_place,
                setters,
                worst: (who, road),
            })),
        );
    }
}

/// How many who may put themselves into a group are looked for.
const MOST_SETTERS: usize = 20;

/// The identities that may put themselves into a group by setting what its rule looks at: they are not in it, a function of
/// the place that the rule looks at runs as them, and they may change that function.
fn setters(audit: &Audit<'_>, id: GroupId) -> Vec<(IdentityId, Verdict)> {
    let (estate, effects) = (audit.estate(), audit.effects());
    let Some(rule) = estate.get(id).and_then(|group| group.rule.as_ref()) else { return Vec::new() };
    // A name is given when a function is made, and not changed after that.
    if rule.tag.is_none() {
        return Vec::new();
    }
    let members: FxHashSet<Principal> = effects.everybody_in(id).into_iter().collect();
    let mut all = Vec::new();
    for (identity, it) in estate.all::<IdentityId>() {
        let who = Principal::Identity(identity);
        if all.len() == MOST_SETTERS {
            break;
        }
        let within = |scope: Option<ScopeId>| {
            rule.within.is_none_or(|place| scope.is_some_and(|scope| estate.tree().is_within(scope, place)))
        };
        if it.scope.is_some_and(|scope| !within(Some(scope))) {
            continue;
        }
        let of_it = estate.functions_as(identity).iter().copied();
        let mut functions: Vec<FunctionId> =
            of_it.filter(|id| estate.get(*id).is_some_and(|function| within(function.scope))).collect();
        functions.sort_unstable();
        if members.contains(&who) || functions.is_empty() {
            continue;
        }
        let verdict = functions.iter().map(|function| may_change(audit, who, *function)).max();
        all.extend(verdict.filter(|verdict| *verdict != Verdict::No).map(|verdict| (identity, verdict)));
    }
    all.sort_by_key(|(identity, _)| estate.id(*identity));
    all
}

/// Whether somebody may change a function's code or settings, its tags among them.
fn may_change(audit: &Audit<'_>, who: Principal, function: FunctionId) -> Verdict {
    let on = Thing::Function(function);
    let acts = audit.effects().acts_on(who, on, |class| class == Some(ActionClass::Code));
    acts.iter().map(|act| audit.effects().may_do(who, &act.action, on)).max().unwrap_or(Verdict::No)
}

fn ceiling_missing(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut bounded: FxHashSet<ScopeId> = FxHashSet::default();
    for (_, ceiling) in estate.ceilings() {
        bounded.extend(ceiling.over.iter().filter_map(|bound| match bound {
            Bounded::Scope(scope) => Some(*scope),
            _ => None,
        }));
    }
    if bounded.is_empty() {
        return;
    }
    let is_bounded = |scope: ScopeId| estate.upwards(Some(scope)).any(|(above, _)| bounded.contains(&above));
    let mut siblings: FxHashMap<ScopeId, Vec<ScopeId>> = FxHashMap::default();
    for (id, scope) in estate.all::<ScopeId>().filter(|(_, it)| it.kind == ScopeKind::Account) {
        if audit.functions_below(id).len() > 0 || bounded.contains(&id) {
            scope.parent.into_iter().for_each(|parent| siblings.entry(parent).or_default().push(id));
        }
    }
    for all in siblings.into_values() {
        let (with, without): (Vec<ScopeId>, Vec<ScopeId>) = all.into_iter().partition(|id| is_bounded(*id));
        if with.len() <= without.len() {
            continue;
        }
        for id in without {
            let environment = estate.environment(None, Some(id));
            let raised = Raised::new(Thing::Scope(id), Level::Table(Impact::RunsCode, Exposure::Insiders))
                .within(environment);
            let mut with = with.clone();
            with.sort_by_key(|id| estate.id(*id));
            raising.raise(&raised, GrantFact::CeilingMissing(id, with.into()));
        }
    }
}
