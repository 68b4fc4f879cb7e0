//! identity: what crosses a border that it should keep to: enrolments elsewhere, environments, secrets beside an identity.

use rustc_hash::FxHashMap;

use crate::facts::{Crossing, IdentityFact, Static};
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Impact, Level, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposed;
use pasaporte_core::estate::{
    Enrolment, EnrolmentId, Environment, Estate, FunctionId, Id, IdentityId, Name, Principal, ResourceId,
    Sensitivity, State, Thing,
};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "identity/crosses-environments",
        title: "Test code runs as, or may act as, a production identity",
        why: "What tests run is changed by many and looked at by few; here it is as good as production.",
        fix: "Give the test an identity of its own, with grants in its own environment.",
        check: "No function outside production runs as, or may act as, an identity of production.",
        references: &["CWE-668", "NIST SP 800-53 AC-4", "NIST SP 800-53 CM-4"],
        apart: &["identity"],
        judge: crosses_environments,
    },
    Rule {
        id: "identity/static-secret-too",
        title: "A function has an identity, and a secret in its settings for the same thing",
        why: "The secret works for whoever has it, from anywhere, and does not change; the identity that it has would do.",
        fix: "Let the code use its identity, and take the secret out of its settings and out of use.",
        check: "The setting is gone, and what it opened accepts it no longer.",
        references: &["CWE-798", "CWE-522", "NIST SP 800-53 IA-5"],
        apart: &["resource"],
        judge: static_secret,
    },
    Rule {
        id: "identity/stale-enrolment",
        title: "Another system lists a client id that no identity has",
        why: "The identity is gone or was made anew, and its place there stands open for whoever gets that id, or hides that \
              the new one has no place.",
        fix: "Take the enrolment out there; enrol the new identity if there is one.",
        check: "Every enrolment's client id is that of an identity.",
        references: &["CWE-672", "NIST SP 800-53 AC-2", "NIST SP 800-53 IA-4"],
        apart: &[],
        judge: stale_enrolment,
    },
    Rule {
        id: "identity/wide-enrolment",
        title: "An identity is enrolled elsewhere with an administrative role",
        why: "What the other system lets it do is in no grant here, and it is everything there.",
        fix: "Enrol it there with the role that the code needs.",
        check: "The role there is none that administers.",
        references: &["CWE-250", "CWE-269", "NIST SP 800-53 AC-6"],
        apart: &[],
        judge: wide_enrolment,
    },
];

fn is_production(environment: Option<Environment>) -> bool {
    environment == Some(Environment::Production)
}

/// Whether something is surely outside production.
fn is_elsewhere(environment: Option<Environment>) -> bool {
    environment.is_some_and(|it| it != Environment::Production)
}

fn crosses_environments(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let own = |who: Principal| match who {
        Principal::Identity(id) => estate.get(id).and_then(|it| estate.environment(it.environment, it.scope)),
        other => {
            let scope = other.thing().and_then(|thing| estate.scope_of(thing));
            estate.environment(None, scope)
        }
    };
    for (id, function) in audit.each::<FunctionId>().filter(|(_, it)| it.state == State::Enabled) {
        let Some(identity) = estate.runs_as(function) else { continue };
        if !is_elsewhere(audit.environment(id)) || !is_production(own(Principal::Identity(identity))) {
            continue;
        }
        // It is as bad as in production, since that is where it acts.
        let exposed = audit.exposure(id).through_code();
        let raised =
            Raised::judged(Thing::Function(id), audit.harm(identity), exposed, Some(Environment::Production))
                .facet(estate.id(identity));
        let fact = Crossing {
            function: Some(id),
            from: identity,
            by: Box::default(),
            to: Principal::Identity(identity),
            verdict: Verdict::Yes,
        };
        raising.raise(&raised, IdentityFact::CrossesEnvironments(Box::new(fact)));
    }
    for (id, _) in audit.each::<IdentityId>() {
        let who = Principal::Identity(id);
        if !is_elsewhere(audit.environment_of(who)) || is_production(own(who)) {
            continue;
        }
        let becoming = audit.effects().becoming(who, audit.effects().given(who));
        for it in &becoming {
            // What everybody may become is told as that.
            if !is_production(own(it.to)) || anybody_becomes(audit, it.to) {
                continue;
            }
            // Whoever has an environment on the way crosses, or has crossed, and it is told of them.
            let by = it.steps_before(who, &becoming);
            if by.iter().any(|step| own(*step).is_some()) {
                continue;
            }
            let exposed = audit.exposure_of(who).through_code();
            let sure = if it.verdict == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional };
            let environment = Some(Environment::Production);
            let raised =
                Raised::judged(Thing::Identity(id), audit.effects().harm(it.to), exposed, environment)
                    .sure(sure)
                    .facet(named(estate, it.to));
            let fact = Crossing { function: None, from: id, by: by.into(), to: it.to, verdict: it.verdict };
            raising.raise(&raised, IdentityFact::CrossesEnvironments(Box::new(fact)));
        }
    }
}

/// What tells one of those as whom somebody may act from others: the id of an identity, the label of who is none.
pub(super) fn named(estate: &Estate, who: Principal) -> String {
    match who {
        Principal::Identity(id) => estate.id(id).to_owned(),
        other => estate.principal_label(other),
    }
}

/// Whether any signed-in caller may act as somebody.
pub(crate) fn anybody_becomes(audit: &Audit<'_>, whom: Principal) -> bool {
    let effects = audit.effects();
    let (Some(action), Some(thing)) = (effects.assuming(whom), whom.thing()) else { return false };
    let given = effects.given(Principal::SignedIn);
    effects.best_of(Principal::SignedIn, action, thing, given) != Verdict::No
}

/// Words in names of settings that say that their value is a secret.
const SECRET_WORDS: [&str; 10] = [
    "password",
    "passwd",
    "pwd",
    "secret",
    "token",
    "apikey",
    "credential",
    "credentials",
    "passphrase",
    "connectionstring",
];

/// Whether a name of a setting, by its words, says that its value is a secret.
fn names_a_secret(words: &[String]) -> bool {
    let pairs = words.windows(2).map(|pair| format!("{}{}", pair[0], pair[1]));
    let all: Vec<String> = words.iter().cloned().chain(pairs).collect();
    all.iter().any(|word| SECRET_WORDS.contains(&word.as_str()))
        || words
            .windows(2)
            .any(|pair| pair[1] == "key" && matches!(pair[0].as_str(), "access" | "account" | "api"))
}

/// The words of a name, in lower case.
fn words(name: &str) -> Vec<String> {
    let mut all: Vec<String> = Vec::new();
    let mut was_lower = false;
    let mut word = String::new();
    for each in name.chars() {
        if !each.is_alphanumeric() || (each.is_uppercase() && was_lower) {
            all.push(std::mem::take(&mut word));
        }
        was_lower = each.is_lowercase();
        word.extend(each.is_alphanumeric().then(|| each.to_lowercase()).into_iter().flatten());
    }
    all.push(word);
    all.retain(|word| !word.is_empty());
    all
}

fn static_secret(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut named: FxHashMap<Vec<String>, Vec<ResourceId>> = FxHashMap::default();
    // Many functions have settings of the same names.
    let mut known: FxHashMap<Name, Option<Vec<String>>> = FxHashMap::default();
    let mut in_words = |setting: Name| {
        let find = || Some(words(estate.text(setting))).filter(|words| names_a_secret(words));
        Some((setting, known.entry(setting).or_insert_with(find).clone()?))
    };
    for (id, function) in audit.each::<FunctionId>().filter(|(_, it)| it.state == State::Enabled) {
        let Some(identity) = estate.runs_as(function) else { continue };
        let settings = estate.list(function.settings).iter().copied();
        let secrets: Vec<(Name, Vec<String>)> = settings.filter_map(&mut in_words).collect();
        if secrets.is_empty() {
            continue;
        }
        if named.is_empty() {
            for (id, _) in estate.all::<ResourceId>() {
                let name = estate.id(id).split_once(':').map_or("", |(_, name)| name);
                named.entry(words(name)).or_default().push(id);
            }
        }
        for (resource, settings) in about(&secrets, &named) {
            let may = reaches(audit, identity, resource);
            if may == Verdict::No {
                continue;
            }
            let confidential =
                estate.get(resource).is_some_and(|it| it.sensitivity == Some(Sensitivity::Confidential));
            let impact = if confidential { Impact::ConfidentialData } else { Impact::DataOrSecrets };
            let raised = Raised::new(Thing::Function(id), Level::Table(impact, Exposed::INSIDE.to))
                .within(audit.environment(id))
                .sure(Sureness::Inferred)
                .facet(estate.label(Thing::Resource(resource)));
            let fact = Static { function: id, identity, resource, settings: settings.into() };
            raising.raise(&raised, IdentityFact::StaticSecretToo(Box::new(fact)));
        }
    }
}

/// The resources that settings name: all the words of a resource's name stand in the setting's.
fn about(
    secrets: &[(Name, Vec<String>)],
    named: &FxHashMap<Vec<String>, Vec<ResourceId>>,
) -> Vec<(ResourceId, Vec<Name>)> {
    let mut found: Vec<(ResourceId, Name)> = Vec::new();
    for (setting, words) in secrets {
        for start in 0..words.len() {
            for end in start + 1..=words.len() {
                let all = named.get(&words[start..end]).map_or(&[][..], Vec::as_slice);
                found.extend(all.iter().map(|id| (*id, *setting)));
            }
        }
    }
    found.sort_by_key(|(id, setting)| (id.index(), *setting));
    found.dedup();
    let mut all: Vec<(ResourceId, Vec<Name>)> = Vec::new();
    for (id, setting) in found {
        match all.last_mut() {
            Some((known, settings)) if *known == id => settings.push(setting),
            _ => all.push((id, vec![setting])),
        }
    }
    all
}

/// The resources that a function's settings name, by the words of their names; secrets left out.
pub fn names_in_settings(audit: &Audit<'_>, id: FunctionId) -> Vec<(Name, ResourceId)> {
    let estate = audit.estate();
    let Some(function) = estate.get(id) else { return Vec::new() };
    let settings = estate.list(function.settings).iter().copied();
    let settings: Vec<(Name, Vec<String>)> = settings
        .map(|setting| (setting, words(estate.text(setting))))
        .filter(|(_, words)| !names_a_secret(words))
        .collect();
    if settings.is_empty() {
        return Vec::new();
    }
    let mut all = Vec::new();
    for (resource, _) in estate.all::<ResourceId>() {
        let label = estate.label(Thing::Resource(resource));
        let (kind, name) = label.split_once(':').unwrap_or_default();
        let (mut of_name, kind) = (words(name), words(kind));
        // `BOOKINGS_TABLE` is table:bookings: a name alone may be of anything.
        of_name.extend(kind);
        let names = |said: &Vec<String>| of_name.iter().all(|word| said.contains(word));
        all.extend(settings.iter().filter(|(_, said)| names(said)).map(|(setting, _)| (*setting, resource)));
    }
    all.sort_by_key(|(setting, resource)| (estate.text(*setting), estate.id(*resource)));
    all
}

/// Whether an identity may do something to a resource.
fn reaches(audit: &Audit<'_>, identity: IdentityId, resource: ResourceId) -> Verdict {
    let (who, on) = (Principal::Identity(identity), Thing::Resource(resource));
    let acts = audit.effects().acts_on(who, on, |_| true);
    acts.iter().map(|act| audit.effects().may_do(who, &act.action, on)).max().unwrap_or(Verdict::No)
}

/// The identity of each client id.
fn by_client_id<'a>(audit: &'a Audit<'_>) -> FxHashMap<&'a str, IdentityId> {
    let estate = audit.estate();
    let all = estate.all::<IdentityId>();
    all.filter_map(|(id, it)| Some((estate.text(it.client_id?), id))).collect()
}

fn enrolments<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (EnrolmentId, &'a Enrolment)> {
    audit.estate().enrolments().iter().enumerate().map(|(at, it)| (EnrolmentId::new(at), it))
}

fn stale_enrolment(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let known = by_client_id(audit);
    for (id, it) in enrolments(audit).filter(|(_, it)| !known.contains_key(estate.text(it.client_id))) {
        // One that has the same role in the same system now is probably the one that was made anew.
        let anew = enrolments(audit)
            .filter(|(_, other)| other.system == it.system && other.role == it.role)
            .filter_map(|(_, other)| known.get(estate.text(other.client_id)).copied())
            .min_by_key(|identity| estate.id(*identity));
        let impact = if it.wide { Impact::DataOrSecrets } else { Impact::Hygiene };
        let raised = Raised::new(Thing::Enrolment(id), Level::Table(impact, Exposed::INSIDE.to))
            .within(estate.environment(None, it.scope))
            .from([Cause::Enrolment(id)]);
        raising.raise(&raised, IdentityFact::StaleEnrolment(id, anew));
    }
}

fn wide_enrolment(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let known = by_client_id(audit);
    for (id, it) in enrolments(audit).filter(|(_, it)| it.wide) {
        let identity = known.get(estate.text(it.client_id)).copied();
        let exposed =
            identity.map_or(Exposed::INSIDE, |id| audit.exposure_of(Principal::Identity(id)).through_code());
        let raised = Raised::new(Thing::Enrolment(id), Level::Table(Impact::DataOrSecrets, exposed.to))
            .within(estate.environment(None, it.scope))
            .sure(if exposed.surely { Sureness::Certain } else { Sureness::Conditional })
            .from([Cause::Enrolment(id)]);
        raising.raise(&raised, IdentityFact::WideEnrolment(id, identity));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_are_read_by_their_words() {
        let is_secret = |name: &str| names_a_secret(&words(name));
        for name in ["BOOKINGS_DATABASE_PASSWORD", "bookingsToken", "API_KEY", "db-connection-string", "Pwd"]
        {
            assert!(is_secret(name), "{name}");
        }
        for name in
            ["LOG_LEVEL", "BOOKINGS_TABLE", "KEY_PREFIX", "TOKENIZER", "ORDERS_QUEUE", "PARTITION_KEY"]
        {
            assert!(!is_secret(name), "{name}");
        }
        assert_eq!(words("bookingsTable_2-x"), ["bookings", "table", "2", "x"]);
    }
}
