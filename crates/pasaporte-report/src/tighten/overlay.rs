//! A proposal as an overlay: an estate file that is laid over the estate. A line an entry, in the flow style that YAML and JSON share.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_audit::tighten::{Change, Narrowed, On, Proposal, Share};
use pasaporte_core::estate::{
    At, Attribute, Check, Condition, Effect, Endpoint, EndpointId, Estate, GrantId, IdentityId, Key, KeyId,
    LastUse, List, Name, Network, PatternId, Presents, Principal, Selection, State, StatementId, Test, Thing,
    Vocabulary, Way,
};
use pasaporte_core::pattern::Pattern;
use serde_json::{Map, Value, json};

/// The sections of an overlay, each with its lines.
#[derive(Default)]
struct Sections {
    removed: Vec<String>,
    entries: BTreeMap<&'static str, Vec<Value>>,
}

/// The overlay of a proposal; `about` says what it is a proposal for.
pub(super) fn overlay(estate: &Estate, proposal: &Proposal, about: &str) -> String {
    let mut sections = Sections::default();
    for change in &proposal.changes {
        sections.add(estate, change);
    }
    sections.written(about)
}

impl Sections {
    fn add(&mut self, estate: &Estate, change: &Change) {
        match change {
            Change::Drop { grant, .. } => self.removed.push(estate.label(Thing::Grant(*grant))),
            Change::Narrow { grant, needed, denies, .. } => {
                self.removed.push(estate.label(Thing::Grant(*grant)));
                self.entry("grants", narrowed(estate, *grant, None, needed, denies));
            }
            Change::Pin { function, admission, service, sources } => {
                self.removed.push(estate.admission_label(*admission, *service));
                let it = estate.admission(*admission);
                let statement = estate.statement(it.statement);
                let mut when = conditions(estate, &statement.conditions);
                let sources: Vec<String> = sources.iter().map(|source| estate.label(*source)).collect();
                when.insert("source_resource".to_owned(), json!({ "equals": sources }));
                let mut entry = Map::new();
                entry.insert("on".to_owned(), json!(estate.label(Thing::Function(*function))));
                entry.insert("to".to_owned(), json!(estate.principal_label(*service)));
                entry.insert("when".to_owned(), Value::Object(when));
                self.entry("invoke_permissions", Value::Object(entry));
            }
            Change::Ask { endpoint: id, check, .. } => {
                if let Some(it) = estate.get(*id) {
                    self.entry("endpoints", endpoint(estate, *id, it, check));
                }
            }
            Change::Confine { key: id, of, reach, .. } => {
                let confined = estate.get(*id).map(|it| Key { of: *of, reach: *reach, ..it.clone() });
                self.entries_of("keys", confined.map(|it| key(estate, *id, &it)));
            }
            Change::Split { identity, shares, .. } => {
                for share in shares {
                    self.entries_of("identities", identity_like(estate, *identity, &share.identity));
                    self.entries_of("functions", function(estate, share));
                    let heir = Some(share.identity.as_str());
                    let grants = share
                        .grants
                        .iter()
                        .map(|it| narrowed(estate, it.grant, heir, &it.needed, &it.denies));
                    self.entries_of("grants", grants);
                }
            }
            Change::Retire { key: id, .. } => {
                let retired = estate.get(*id).map(|it| Key { state: State::Disabled, ..it.clone() });
                self.entries_of("keys", retired.map(|it| key(estate, *id, &it)));
            }
        }
    }

    fn entries_of(&mut self, section: &'static str, entries: impl IntoIterator<Item = Value>) {
        entries.into_iter().for_each(|entry| self.entry(section, entry));
    }

    fn entry(&mut self, section: &'static str, entry: Value) {
        self.entries.entry(section).or_default().push(entry);
    }

    fn written(&self, about: &str) -> String {
        let mut out = format!(
            "# Proposed for {about}: lay it over the estate with --with, or rehearse it.\nestate: 1\noverlay: true\n"
        );
        if !self.removed.is_empty() {
            out.push_str("removed:\n");
            for label in &self.removed {
                out.push_str(&format!("  - {}\n", Value::String(label.clone())));
            }
        }
        for (section, entries) in &self.entries {
            out.push_str(&format!("{section}:\n"));
            for entry in entries {
                out.push_str(&format!("  - {}\n", line(entry)));
            }
        }
        out
    }
}

/// The fields that come first in a line, in their order.
const FIRST: [&str; 9] = ["id", "to", "on", "function", "check", "statements", "allow", "deny", "at"];

/// An entry in one line, with what it is before what it says.
fn line(value: &Value) -> String {
    match value {
        Value::Object(fields) => {
            let rank = |key: &str| FIRST.iter().position(|first| *first == key).unwrap_or(FIRST.len());
            let mut keys: Vec<&String> = fields.keys().collect();
            keys.sort_by_key(|key| (rank(key), key.as_str()));
            // The actions of a statement come before what they are done to.
            if fields.contains_key("allow") || fields.contains_key("deny") {
                keys.sort_by_key(|key| (key.as_str() == "when", key.as_str() == "on"));
            }
            let told: Vec<String> = keys
                .into_iter()
                .map(|key| format!("{}: {}", Value::String(key.clone()), line(&fields[key])))
                .collect();
            format!("{{{}}}", told.join(", "))
        }
        Value::Array(all) => format!("[{}]", all.iter().map(line).collect::<Vec<_>>().join(", ")),
        other => other.to_string(),
    }
}

/// A grant that gives what is needed; to an identity that takes its holder's place, as a grant of its own.
fn narrowed(
    estate: &Estate,
    id: GrantId,
    heir: Option<&str>,
    needed: &[Narrowed],
    denies: &[StatementId],
) -> Value {
    let grant = estate.grant(id);
    let mut entry = Map::new();
    if let (Some(name), None) = (grant.id, heir) {
        entry.insert("id".to_owned(), json!(estate.text(name)));
    }
    let to = heir.map_or_else(|| estate.principal_label(grant.principal), |heir| format!("identity:{heir}"));
    entry.insert("to".to_owned(), json!(to));
    let mut statements: Vec<Value> = needed.iter().flat_map(|it| of_needs(estate, it)).collect();
    statements.extend(denies.iter().map(|id| whole(estate, *id)));
    entry.insert("statements".to_owned(), Value::Array(statements));
    if let At::Thing(place) = grant.at {
        entry.insert("at".to_owned(), json!(estate.label(place)));
    }
    let when = conditions(estate, &grant.conditions);
    if !when.is_empty() {
        entry.insert("when".to_owned(), Value::Object(when));
    }
    if let Some(expires) = grant.expires {
        entry.insert("expires".to_owned(), json!(expires.to_string()));
    }
    Value::Object(entry)
}

/// What is needed of a statement: actions that are needed on the same things together.
fn of_needs(estate: &Estate, it: &Narrowed) -> Vec<Value> {
    let statement = estate.statement(it.statement);
    let when = conditions(estate, &statement.conditions);
    let mut by_things: BTreeMap<Option<BTreeSet<String>>, Vec<&str>> = BTreeMap::new();
    for (action, on) in &it.needs {
        let things = match on {
            On::These(things) => Some(things.iter().map(|thing| estate.label(*thing)).collect()),
            On::Like(pattern, _) => Some([pattern.clone()].into()),
            On::Unsaid => None,
        };
        by_things.entry(things).or_default().push(action);
    }
    let one = |(things, actions): (Option<BTreeSet<String>>, Vec<&str>)| {
        let mut entry = Map::new();
        entry.insert("allow".to_owned(), json!(actions));
        let on = match things {
            Some(things) => Some(json!(things)),
            None => picked(estate, estate.resources_picked(statement.resources)),
        };
        entry.extend(on.map(|on| ("on".to_owned(), on)));
        if !when.is_empty() {
            entry.insert("when".to_owned(), Value::Object(when.clone()));
        }
        Value::Object(entry)
    };
    by_things.into_iter().map(one).collect()
}

/// A statement as it is.
fn whole(estate: &Estate, id: StatementId) -> Value {
    let statement = estate.statement(id);
    let mut entry = Map::new();
    let effect = if statement.effect == Effect::Allow { "allow" } else { "deny" };
    let actions = picked(estate, estate.actions_picked(statement.actions));
    entry.insert(effect.to_owned(), actions.unwrap_or_else(|| json!("*")));
    entry
        .extend(picked(estate, estate.resources_picked(statement.resources)).map(|on| ("on".to_owned(), on)));
    let when = conditions(estate, &statement.conditions);
    if !when.is_empty() {
        entry.insert("when".to_owned(), Value::Object(when));
    }
    Value::Object(entry)
}

/// A choice of patterns; none where it is everything.
fn picked(estate: &Estate, selection: &Selection) -> Option<Value> {
    let texts = |ids: &[PatternId]| ids.iter().map(|id| estate.pattern(*id).text()).collect::<Vec<_>>();
    match (texts(selection.any()), texts(selection.except())) {
        (any, except) if except.is_empty() && any == ["*"] => None,
        (any, except) if except.is_empty() => Some(json!(any)),
        (_, except) => Some(json!({ "all_except": except })),
    }
}

/// Conditions as a map of attributes.
fn conditions(estate: &Estate, all: &[Condition]) -> Map<String, Value> {
    let mut when = Map::new();
    let names = |names: &[Name]| names.iter().map(|name| estate.text(*name)).collect::<Vec<_>>();
    let mut opaque: Vec<&str> = Vec::new();
    for condition in all {
        let (attribute, test) = match condition {
            Condition::Test(attribute, test) => (attribute, test),
            Condition::Opaque(text) => {
                opaque.push(estate.text(*text));
                continue;
            }
        };
        let tag = match attribute {
            Attribute::CallerTag(name) | Attribute::ResourceTag(name) => estate.text(*name),
            _ => "",
        };
        let (operator, value) = match test {
            Test::Equals(values) => ("equals", json!(names(values))),
            Test::NotEquals(values) => ("not_equals", json!(names(values))),
            Test::Like(patterns) => ("like", json!(patterns.iter().map(Pattern::text).collect::<Vec<_>>())),
            Test::InNetwork(nets) => {
                ("in_network", json!(nets.iter().map(ToString::to_string).collect::<Vec<_>>()))
            }
            Test::Before(time) => ("before", json!(time.to_string())),
            Test::After(time) => ("after", json!(time.to_string())),
            Test::Present(present) => ("present", json!(present)),
        };
        let of_attribute =
            when.entry(format!("{}{tag}", attribute.word())).or_insert_with(|| Value::Object(Map::new()));
        if let Value::Object(operators) = of_attribute {
            operators.insert(operator.to_owned(), value);
        }
    }
    if !opaque.is_empty() {
        when.insert("opaque".to_owned(), json!(opaque));
    }
    when
}

/// An endpoint as it is, with another check.
fn endpoint(estate: &Estate, id: EndpointId, it: &Endpoint, check: &Check) -> Value {
    let mut entry = Map::new();
    let mut put = |field: &str, value: Value| entry.insert(field.to_owned(), value);
    put("id", json!(estate.id(id)));
    put("function", json!(estate.id(it.function)));
    put(
        "check",
        match check {
            Check::None => json!("none"),
            Check::Identity => json!("identity"),
            Check::Key(reach) => json!({ "key": reach.word() }),
            Check::Token(verifier) => json!({ "token": estate.id(*verifier) }),
        },
    );
    if let Way::Route { gateway, presents } = &it.way {
        put("gateway", json!(estate.text(*gateway)));
        put(
            "presents",
            match presents {
                Presents::Nothing => json!("nothing"),
                Presents::Caller => json!("caller"),
                Presents::Identity(id) => json!({ "identity": estate.id(*id) }),
                Presents::Key(id) => json!({ "key": estate.id(*id) }),
                Presents::Service(name) => json!({ "service": estate.text(*name) }),
            },
        );
    }
    match &it.network {
        Network::Internet => {}
        Network::Internal => {
            put("network", json!("internal"));
        }
        Network::Listed(nets) => {
            put("network", json!(nets.iter().map(ToString::to_string).collect::<Vec<_>>()));
        }
    }
    let texts =
        |list: List<Name>| estate.list(list).iter().map(|name| estate.text(*name)).collect::<Vec<_>>();
    for (field, list) in
        [("methods", it.methods), ("keys_in", it.keys_in), ("allowed_origins", it.allowed_origins)]
    {
        if !list.is_empty() {
            put(field, json!(texts(list)));
        }
    }
    for (field, name) in [("path", it.path), ("url", it.url)] {
        if let Some(name) = name {
            put(field, json!(estate.text(name)));
        }
    }
    if it.allows_credentials {
        put("allows_credentials", json!(true));
    }
    if it.state == State::Disabled {
        put("state", json!(it.state.word()));
    }
    Value::Object(entry)
}

/// An identity of another name that is like one: of its kind and tags, in its place, and run by the same services.
fn identity_like(estate: &Estate, id: IdentityId, name: &str) -> Option<Value> {
    let it = estate.get(id)?;
    let mut entry = Map::new();
    let mut put = |field: &str, value: Value| entry.insert(field.to_owned(), value);
    put("id", json!(name));
    put("kind", json!(it.kind.word()));
    put("life", json!(it.life.word()));
    if let Some(scope) = it.scope {
        put("in", json!(estate.id(scope)));
    }
    if let Some(environment) = it.environment {
        put("environment", json!(environment.word()));
    }
    put_tags(estate, it.tags, &mut put);
    let mut trust: Vec<Value> = Vec::new();
    for admission in estate.admissions().iter().filter(|it| it.on == Thing::Identity(id)) {
        let statement = estate.statement(admission.statement);
        let to = estate.list(admission.to).iter();
        for service in to.filter(|who| matches!(who, Principal::Service(_))) {
            let when = conditions(estate, &statement.conditions);
            let mut allowed = Map::new();
            allowed.insert("to".to_owned(), json!(estate.principal_label(*service)));
            if !when.is_empty() {
                allowed.insert("when".to_owned(), Value::Object(when));
            }
            if statement.effect == Effect::Allow {
                trust.push(Value::Object(allowed));
            }
        }
    }
    if !trust.is_empty() {
        put("trust", Value::Array(trust));
    }
    Some(Value::Object(entry))
}

/// A function as it is, but for what it runs as.
fn function(estate: &Estate, share: &Share) -> Option<Value> {
    let it = estate.get(share.function)?;
    let mut entry = Map::new();
    let mut put = |field: &str, value: Value| entry.insert(field.to_owned(), value);
    put("id", json!(estate.id(share.function)));
    put("runs_as", json!(share.identity));
    if let Some(scope) = it.scope {
        put("in", json!(estate.id(scope)));
    }
    if it.state == State::Disabled {
        put("state", json!(it.state.word()));
    }
    if let Some(environment) = it.environment {
        put("environment", json!(environment.word()));
    }
    let texts = [("runtime", it.runtime), ("owner", it.owner), ("version", it.version), ("name", it.name)];
    for (field, text) in texts {
        if let Some(text) = text {
            put(field, json!(estate.text(text)));
        }
    }
    let settings: Vec<&str> = estate.list(it.settings).iter().map(|name| estate.text(*name)).collect();
    if !settings.is_empty() {
        put("settings", json!(settings));
    }
    let handed = estate.list(it.handed).iter().map(|id| estate.label(Thing::Resource(*id)));
    let handed: Vec<String> = handed.collect();
    if !handed.is_empty() {
        put("handed", json!(handed));
    }
    put_tags(estate, it.tags, &mut put);
    Some(Value::Object(entry))
}

fn put_tags(estate: &Estate, tags: List<(Name, Name)>, put: &mut impl FnMut(&str, Value) -> Option<Value>) {
    let all: Map<String, Value> = estate
        .list(tags)
        .iter()
        .map(|(name, value)| (estate.text(*name).to_owned(), json!(estate.text(*value))))
        .collect();
    if !all.is_empty() {
        put("tags", Value::Object(all));
    }
}

/// A key.
fn key(estate: &Estate, id: KeyId, it: &Key) -> Value {
    let mut entry = Map::new();
    let mut put = |field: &str, value: Value| entry.insert(field.to_owned(), value);
    put("id", json!(estate.id(id)));
    put("opens", json!(estate.label(it.opens())));
    put("reach", json!(it.reach.word()));
    put("state", json!(it.state.word()));
    let times = [
        ("created", it.created),
        ("rotated", it.rotated),
        ("expires", it.expires),
        ("observed_since", it.observed_since),
    ];
    for (field, time) in times {
        if let Some(time) = time {
            put(field, json!(time.to_string()));
        }
    }
    match it.last_used {
        LastUse::Unknown => {}
        LastUse::Never => {
            put("last_used", json!("never"));
        }
        LastUse::At(time) => {
            put("last_used", json!(time.to_string()));
        }
    }
    if let Some(print) = it.fingerprint {
        put("fingerprint", json!(estate.text(print)));
    }
    let texts =
        |list: List<Name>| estate.list(list).iter().map(|name| estate.text(*name)).collect::<Vec<_>>();
    for (field, list) in [("held_by", it.held_by), ("seen_in", it.seen_in)] {
        if !list.is_empty() {
            put(field, json!(texts(list)));
        }
    }
    Value::Object(entry)
}
