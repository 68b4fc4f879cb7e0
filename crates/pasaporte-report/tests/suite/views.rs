//! Whoever asks in two ways hears one answer: laws over random estates, between passports, lists, entry, explain and the audit.

use std::collections::{BTreeMap, BTreeSet};

use crate::audits::found;
use crate::support::estates;
use crate::support::recipe::{Cooked, PRINCIPALS, cook, recipe};
use pasaporte_audit::{Audit, Finding, Settings};
use pasaporte_core::access::{Context, INVOKE, Question, Verdict};
use pasaporte_core::effect::{Effects, Impact};
use pasaporte_core::estate::*;
use pasaporte_core::paths::{Goal, Node};
use pasaporte_report::compare::{Compared, ComparedOut, Hold};
use pasaporte_report::finding::{FindingOut, NoTexts};
use pasaporte_report::list::{Cell, Kind, List};
use pasaporte_report::paths::{Asked, From, PathOut, PathsOut, To};
use pasaporte_report::{
    Card, Door, EndpointCard, Entered, Explained, IdentityCard, KeyCard, Reached, looked_at,
    looked_at_for_identity, looked_at_for_key,
};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// What an audit looks at.
type Only<'a> = &'a dyn Fn(&Effects<'_>) -> Vec<Thing>;

/// An audit of all, or of some things only, and what it finds.
fn audited<'e>(estate: &'e Estate, only: Option<Only<'_>>) -> (Audit<'e>, Vec<Finding>) {
    let mut audit = Audit::new(estate, Settings::default());
    if let Some(only) = only {
        let things = only(audit.effects());
        audit.look_at_only(things);
    }
    let findings = found(&audit);
    (audit, findings)
}

/// What findings say of themselves: those that are shown by themselves, and those beneath them.
fn said(findings: &[FindingOut]) -> (BTreeMap<&str, [String; 4]>, BTreeSet<&str>) {
    let words = |it: &FindingOut| {
        let level = format!("{:?} {:?}", it.severity, it.sureness);
        [it.rule.to_string(), level, it.situation.clone(), it.fix.clone()]
    };
    let by_itself = findings.iter().map(|it| (it.fingerprint.as_str(), words(it))).collect();
    let beneath = findings.iter().flat_map(|it| &it.beneath).map(|it| it.fingerprint.as_str()).collect();
    (by_itself, beneath)
}

/// Whether two passports say the same. Which of several that are one weakness leads hangs on what was looked at: what one
/// shows by itself the other may show beneath what leads it there.
fn say_the_same(whole: &[FindingOut], part: &[FindingOut]) -> Result<(), TestCaseError> {
    let ((whole, beneath_whole), (part, beneath_part)) = (said(whole), said(part));
    for (fingerprint, words) in &whole {
        let there = part.get(fingerprint).is_some_and(|it| it == words) || beneath_part.contains(fingerprint);
        prop_assert!(there, "left out: {words:?}, not among {part:?}");
    }
    for (fingerprint, words) in &part {
        let there = whole.contains_key(fingerprint) || beneath_whole.contains(fingerprint);
        prop_assert!(there, "said besides: {words:?}, not among {whole:?}");
    }
    Ok(())
}

fn explained(effects: &Effects<'_>, who: Principal, action: &str, on: Thing) -> Explained {
    let (action, given) = (effects.action(action), Context::default());
    let question = Question { principal: who, action: &action, on, given: &given };
    Explained::new(effects, &question, BTreeMap::new())
}

/// How surely each gets in by anything, by name: endpoints (all, or those that can be reached from anywhere), invoking, and
/// what starts it.
fn entrants(entered: &Entered, from_anywhere: bool) -> BTreeMap<&str, Verdict> {
    let doors = entered.doors.iter().filter(|door| !from_anywhere || door.faces_internet);
    let doors = doors.flat_map(|door| &door.lets_in);
    let fed = entered.triggers.iter().flat_map(|trigger| &trigger.fed_by);
    let mut all = BTreeMap::new();
    for it in doors.chain(&entered.invokers).chain(fed) {
        let best = all.entry(it.who.as_str()).or_insert(Verdict::No);
        *best = it.verdict.0.max(*best);
    }
    all
}

/// The row of a thing: lists of one kind leave the kind out.
fn row<'l>(list: &'l List, column: &str, is: &str) -> &'l [Cell] {
    let (at, is) = (list.column(column).unwrap(), is.split_once(':').unwrap().1);
    list.rows.iter().find(|row| row[at].texts() == [is]).unwrap_or_else(|| panic!("no {is}"))
}

fn cell(list: &List, row: &[Cell], column: &str) -> Vec<String> {
    row[list.column(column).unwrap_or_else(|| panic!("no column {column}"))].texts()
}

proptest! {
    #![proptest_config(estates(160, RngSeed::Fixed(0x7ea)))]

    /// A passport is made from an audit of what it rests on, and says what the whole audit says.
    #[test]
    fn a_passport_says_what_the_whole_audit_says(recipe in recipe()) {
        let cooked = cook(&recipe);
        let (whole, all) = audited(&cooked.estate, None);
        for function in functions(&cooked) {
            let (part, some) = audited(&cooked.estate, Some(&|effects| looked_at(effects, function)));
            let (one, other) =
                (Card::new(&whole, &all, function, &NoTexts), Card::new(&part, &some, function, &NoTexts));
            say_the_same(&one.findings, &other.findings)?;
            prop_assert_eq!(one.exposed_to.0, other.exposed_to.0);
        }
        for identity in cooked.identities {
            let only = |effects: &Effects<'_>| looked_at_for_identity(effects, identity);
            let (part, some) = audited(&cooked.estate, Some(&only));
            let card = |audit, found: &[Finding]| IdentityCard::new(audit, found, identity, &NoTexts).unwrap();
            let (one, other) = (card(&whole, &all), card(&part, &some));
            say_the_same(&one.findings, &other.findings)?;
        }
        let only = |effects: &Effects<'_>| looked_at_for_key(effects, cooked.key);
        let (part, some) = audited(&cooked.estate, Some(&only));
        let card = |audit, found: &[Finding]| KeyCard::new(audit, found, cooked.key, &NoTexts).unwrap();
        let (one, other) = (card(&whole, &all), card(&part, &some));
        say_the_same(&one.findings, &other.findings)?;
        for &door in cooked.estate.endpoints_of(cooked.function) {
            let only = |effects: &Effects<'_>| looked_at(effects, cooked.function);
            let (part, some) = audited(&cooked.estate, Some(&only));
            let card = |audit, found: &[Finding]| EndpointCard::new(audit, found, door, &NoTexts).unwrap();
            let (one, other) = (card(&whole, &all), card(&part, &some));
        say_the_same(&one.findings, &other.findings)?;
        }
    }

    /// Who gets in is the same on the passport, in the list, in `entry` and in `explain`.
    #[test]
    fn every_view_has_the_same_ways_in(recipe in recipe()) {
        let cooked = cook(&recipe);
        let (audit, findings) = audited(&cooked.estate, None);
        let (list, doors) = (Kind::Functions.list(&audit), Kind::Endpoints.list(&audit));
        for function in functions(&cooked) {
            let entered = Entered::new(audit.effects(), function);
            let card = Card::new(&audit, &findings, function, &NoTexts);
            prop_assert_eq!(card.exposed_to.0, entered.exposed_to.0);
            prop_assert_eq!(card.exposed_surely, entered.exposed_surely);
            let on_card: BTreeSet<(&str, Verdict)> = card
                .entries
                .iter()
                .flat_map(|way| &way.lets_in)
                .map(|it| (it.who.as_str(), it.verdict.0))
                .collect();
            for (who, verdict) in entrants(&entered, false) {
                prop_assert!(on_card.contains(&(who, verdict)), "{who} {verdict:?}: {on_card:?}");
            }
            let listed = row(&list, "function", &card.function);
            prop_assert_eq!(cell(&list, listed, "exposed_to"), [card.exposed_to.0.word()]);
            for door in &entered.doors {
                let listed = row(&doors, "endpoint", &door.endpoint);
                prop_assert_eq!(cell(&doors, listed, "function"), [card.function.split_once(':').unwrap().1]);
            }
            // Whoever explains does not know from where somebody calls.
            let by_name = entrants(&entered, true);
            for &who in &cooked.principals {
                let told = explained(audit.effects(), who, INVOKE, Thing::Function(function));
                let ways = told.ways_in.iter().map(|way| way.verdict.0).max().unwrap_or(Verdict::No);
                let enters = told.verdict.0.max(ways);
                let name = cooked.estate.principal_label(who);
                let Some(&verdict) = by_name.get(name.as_str()) else { continue };
                // A group gets in by its members; asked about itself it is somebody of whom no more is known.
                let enters = match who {
                    Principal::Group(_) if told.note.is_some() => verdict,
                    _ => enters,
                };
                prop_assert!(enters >= verdict, "{name}: {enters:?} where entry says {verdict:?}");
            }
        }
    }

    /// Held side by side, what one has more is what the other has less, and nobody differs from themselves.
    #[test]
    fn side_by_side_has_no_direction(recipe in recipe(), one in 0..PRINCIPALS, other in 0..PRINCIPALS) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let side = |who: usize| Compared::somebody(cooked.principals[who], None);
        let compared = |left, right| ComparedOut::new((&audit, side(left), None), (&audit, side(right), None));
        let (there, back) = (compared(one, other), compared(other, one));
        prop_assert_eq!(there.count.both, back.count.both);
        prop_assert_eq!(there.count.only_left, back.count.only_right);
        prop_assert_eq!(there.count.only_right, back.count.only_left);
        prop_assert_eq!(there.count.differently, back.count.differently);
        prop_assert_eq!(there.is_same(), back.is_same());
        let itself = compared(one, one);
        prop_assert!(itself.is_same() && itself.rights.iter().all(|it| it.held.0 == Hold::Both));
        prop_assert_eq!((itself.count.only_left, itself.count.only_right, itself.count.differently), (0, 0, 0));
    }

    /// What a passport says that something may do is no more and no less than `reach` says, and `explain` says so too.
    #[test]
    fn exits_are_what_reach_says(recipe in recipe()) {
        let cooked = cook(&recipe);
        let (audit, findings) = audited(&cooked.estate, None);
        for function in functions(&cooked) {
            let it = cooked.estate.get(function).unwrap();
            let identity = Principal::Identity(cooked.estate.runs_as(it).unwrap());
            let card = Card::new(&audit, &findings, function, &NoTexts);
            let reached = Reached::new(audit.effects(), identity, Some(function));
            let services = |all: &[pasaporte_report::ServiceOut]| -> BTreeSet<String> {
                all.iter().map(|it| it.service.clone()).collect()
            };
            let exits: BTreeSet<String> = card.exits.iter().map(|it| it.service.clone()).collect();
            prop_assert_eq!(&exits, &services(&reached.rights));
            for exit in &card.exits {
                prop_assert!(exit.confidential <= exit.things, "{exit:?}");
                prop_assert_eq!(exit.example.is_none(), exit.things == 0, "{:?}", exit);
            }
            let runs_as = card.runs_as.unwrap();
            let told = audit.may(cooked.estate.runs_as(it).unwrap()).map(str::to_owned);
            prop_assert_eq!(runs_as.may, told);
        }
    }

    /// A list says of an identity what its passport says, and of a group and a user who bears which name.
    #[test]
    fn lists_and_passports_say_the_same_of_people(recipe in recipe()) {
        let cooked = cook(&recipe);
        let (audit, findings) = audited(&cooked.estate, None);
        let (estate, effects) = (&cooked.estate, audit.effects());
        let [identities, groups, users] = [Kind::Identities, Kind::Groups, Kind::Users].map(|it| it.list(&audit));
        for id in cooked.identities {
            let card = IdentityCard::new(&audit, &findings, id, &NoTexts).unwrap();
            let listed = row(&identities, "identity", &card.identity);
            prop_assert_eq!(cell(&identities, listed, "worst"), Vec::from_iter(card.may.clone()));
            prop_assert_eq!(cell(&identities, listed, "functions"), [card.runs.len().to_string()]);
            prop_assert_eq!(cell(&identities, listed, "kind"), [card.kind.0.word()]);
            let impact = audit.harm(id).impact.word();
            prop_assert!(cell(&identities, listed, "impact").iter().all(|told| told.contains(impact)), "{impact}");
            // What the worst is about is what the passport lists at all.
            prop_assert!(card.may.is_none() || !card.exits.is_empty() || !card.exits_as_anyone.is_empty()
                || !card.can_become.is_empty(), "{card:?}");
        }
        let groups_of = |who: Principal| -> BTreeSet<String> {
            let names = effects.names(who);
            let groups = names.iter().filter(|name| matches!(name, Principal::Group(_)));
            groups.map(|group| estate.principal_label(*group)).collect()
        };
        for (id, _) in estate.all::<GroupId>() {
            let label = estate.principal_label(Principal::Group(id));
            let listed = row(&groups, "group", &label);
            let members: BTreeSet<String> = cell(&groups, listed, "members").into_iter().collect();
            prop_assert_eq!(cell(&groups, listed, "member_count"), [members.len().to_string()]);
            for &who in &cooked.principals {
                let is_in = groups_of(who).contains(&label) && who != Principal::Group(id);
                let is_one = matches!(who, Principal::Identity(_) | Principal::User(_) | Principal::Key(_));
                // Who is of a crowd that is in it is in it too, and is not named there.
                let is_told = members.contains(&estate.principal_label(who));
                prop_assert!(!is_told || is_in, "{label}: {members:?}, but {}", estate.principal_label(who));
                let by_crowd = members.contains("anyone") || members.contains("signed-in")
                    || members.iter().any(|member| member.starts_with("account:"));
                prop_assert!(!(is_one && is_in) || is_told || by_crowd, "{label}: {members:?}, not {}", estate.principal_label(who));
            }
        }
        for (id, _) in estate.all::<UserId>() {
            let listed = row(&users, "user", &estate.principal_label(Principal::User(id)));
            let told: BTreeSet<String> = cell(&users, listed, "groups").iter().map(|it| format!("group:{it}")).collect();
            prop_assert_eq!(told, groups_of(Principal::User(id)));
        }
    }

    /// Whoever may become somebody at worst, can become them: in one step by whichever road, in more by acting as others.
    #[test]
    fn whom_one_may_become_at_worst_is_among_those_it_can(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        for &who in &cooked.principals {
            let reached = Reached::new(&effects, who, None);
            let Some(may) = &reached.may else { continue };
            let surely = !may.starts_with("perhaps ");
            let Some(rest) = may.trim_start_matches("perhaps ").strip_prefix("become ") else { continue };
            let (to, more) = rest.split_once([' ', ',']).unwrap_or((rest, ""));
            if more.starts_with("in ") {
                prop_assert!(!reached.can_become.is_empty(), "{}: {}", reached.principal, may);
                continue;
            }
            let told = reached.can_become.iter().find(|it| it.who == to);
            let told = told.map(|it| it.verdict.0 == Verdict::Yes);
            prop_assert_eq!(told, Some(surely), "{}: {}, not {:?}", reached.principal, may, reached.can_become);
        }
    }

    /// A key opens on its passport what it opens in the list, and gets in where `entry` says.
    #[test]
    fn a_key_opens_the_same_everywhere(recipe in recipe()) {
        let cooked = cook(&recipe);
        let (audit, findings) = audited(&cooked.estate, None);
        let card = KeyCard::new(&audit, &findings, cooked.key, &NoTexts).unwrap();
        let list = Kind::Keys.list(&audit);
        let listed = row(&list, "key", &card.key);
        prop_assert_eq!(cell(&list, listed, "reach"), [card.reach.0.word()]);
        prop_assert_eq!(cell(&list, listed, "opens"), [card.opens.clone()]);
        prop_assert_eq!(cell(&list, listed, "verdict"), [card.verdict.0.word()]);
        let opened: BTreeSet<&str> = card.functions.iter().map(|it| it.function.as_str()).collect();
        for function in functions(&cooked) {
            let entered = Entered::new(audit.effects(), function);
            // Where anyone gets in as surely, it is no matter of the key.
            let by_name = entrants(&entered, false);
            let how = |who: &str| by_name.get(who).copied().unwrap_or(Verdict::No);
            if how(&card.key) > how("anyone") {
                prop_assert!(opened.contains(entered.function.as_str()), "{} not in {opened:?}", entered.function);
            }
            let lets_in_anyone =
                |door: &Door| door.lets_in.iter().any(|it| it.who == "anyone" && it.verdict.0 == Verdict::Yes);
            let open = entered.doors.iter().any(lets_in_anyone);
            let told = card.functions.iter().find(|it| it.function == entered.function);
            let passport = Card::new(&audit, &findings, function, &NoTexts);
            if let Some(it) = passport.keys.iter().find(|it| it.key == card.key) {
                prop_assert_eq!(Some(it.lets_in.0), told.map(|it| it.lets_in.0), "{}", entered.function);
            }
            prop_assert!(told.is_none_or(|it| !it.open_without || open), "{}", entered.function);
        }
    }

    /// A path of control to access or to what is confidential is harm of that sort, and a sure one sure harm.
    #[test]
    fn a_path_of_control_is_harm(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let somebody = |who: &&Principal| {
            matches!(who, Principal::Identity(_) | Principal::User(_) | Principal::Key(_) | Principal::Outside(_))
        };
        for &who in cooked.principals.iter().filter(somebody) {
            let name = cooked.estate.principal_label(who);
            // A path tells too what somebody may who does not say who they are.
            let mut harm = effects.harm(who).or(effects.harm(Principal::Anyone));
            if matches!(who, Principal::Outside(_)) {
                harm = harm.or(effects.harm(Principal::SignedIn));
            }
            let from = vec![From::Node(Node::Who(who))];
            let to = |goal| PathsOut::new(&effects, &Asked { from: from.clone(), to: vec![To::Goal(goal)] });
            let ways = [to(Goal::Access), to(Goal::Confidential)];
            let paths = |out: &PathsOut| out.routes.iter().flat_map(|it| it.paths.clone()).collect::<Vec<_>>();
            let [access, data] = [paths(&ways[0]), paths(&ways[1])];
            for (all, impact) in [(&access, Impact::ControlsAccess), (&data, Impact::ConfidentialData)] {
                let control = all.iter().filter(|it| it.strength == "control");
                // What anyone may from inside is no harm of a key; a path tells it of whoever has the key.
                let names = effects.names(Principal::Anyone);
                let held = names.iter().map(|name| format!("held by {}", cooked.estate.principal_label(*name)));
                let held: Vec<String> = held.collect();
                let anyones = |because: &String| held.iter().any(|it| because.contains(it));
                let of_anyone = |path: &PathOut| path.steps.iter().any(|it| it.because.iter().any(anyones));
                let is_key = matches!(who, Principal::Key(_));
                for path in control.filter(|path| !is_key || !of_anyone(path)) {
                    let surely = path.sureness == "certain";
                    let least = if surely { harm.surely_at_least } else { harm.impact };
                    prop_assert!(least <= impact, "{name}: {harm:?}, but {path:?}");
                }
            }
        }
    }
}

fn functions(cooked: &Cooked) -> Vec<FunctionId> {
    cooked.estate.all::<FunctionId>().map(|(id, _)| id).collect()
}
