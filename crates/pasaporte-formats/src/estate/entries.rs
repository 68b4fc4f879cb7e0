//! The entries of the estate format, one record a thing (docs/estate-format.md shows each).

use std::borrow::Cow;

use pasaporte_core::estate::{
    ActionClass, CaseOfActions, CrossAccount, Environment, IdentityKind, KeyReach, Life, MemberKind,
    ScopeKind, Sensitivity, SetOrigin, State,
};
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::ser::{Serialize, Serializer};

use super::statements::{Admission, Statement, When};
use super::values::{
    ActionPattern, AnyPattern, Many, Moment, Name, Net, PrincipalName, SettingName, Text, ThingName, Url,
    Word,
};
use crate::read::{Read, Report, nearest, printable, record, scalar_text};
use crate::text::{Value, View};

record! {
    /// A node of the containment tree.
    Scope: "a scope" {
        must {
            /// Its id; unique among scopes of all kinds.
            "id" id: Name<'a>,
            /// What it is.
            "kind" kind: Word<ScopeKind>,
        }
        may {
            /// The scope it lies in.
            "in" scope: Option<Name<'a>>,
            /// The platform; inherited by all below.
            "platform" platform: Option<Name<'a>>,
            /// The environment of all below that say nothing themselves.
            "environment" environment: Option<Word<Environment>>,
            /// Who answers for it, and for all below that say nothing themselves.
            "owner" owner: Option<Text<'a>>,
            /// The identity that functions below run as when they say nothing themselves.
            "runs_as" runs_as: Option<Name<'a>>,
            /// Accounts only: whose allow is needed across accounts; `both-sides` if left out.
            "cross_account" cross_account: Option<Word<CrossAccount>>,
            /// Accounts only: whether the case of actions counts; it does if left out.
            "action_case" action_case: Option<Word<CaseOfActions>>,
        }
    }

    /// Code that runs on events.
    Function: "a function" {
        must {
            /// Its id; unique among functions.
            "id" id: Name<'a>,
        }
        may {
            /// The scope it lives in.
            "in" scope: Option<Name<'a>>,
            /// Language and version.
            "runtime" runtime: Option<Text<'a>>,
            /// Switched on or off; on if left out.
            "state" state: Option<Word<State>>,
            /// Which life it serves; that of its scope if left out.
            "environment" environment: Option<Word<Environment>>,
            /// Who answers for it.
            "owner" owner: Option<Text<'a>>,
            /// The deployed version.
            "version" version: Option<Text<'a>>,
            /// The identity it runs as; that of its scope if left out.
            "runs_as" runs_as: Option<Name<'a>>,
            /// Names of its settings; never their values.
            "settings" settings: Vec<SettingName<'a>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// Ways in over HTTP.
            "endpoints" endpoints: Vec<Endpoint<'a>>,
            /// Event sources that make it run.
            "triggers" triggers: Vec<Trigger<'a>>,
            /// Invoke permissions.
            "invoke" invoke: Vec<Admission<'a>>,
        }
    }

    /// A way in over HTTP.
    Endpoint: "an endpoint" {
        must {
            /// What a caller must show: `none`, `identity`, `{key: REACH}` or `{token: VERIFIER}`.
            "check" check: Check<'a>,
        }
        may {
            /// Its id; made of function, gateway and path if left out.
            "id" id: Option<Name<'a>>,
            /// The function that answers; only where the endpoint does not stand within its entry.
            "function" function: Option<Name<'a>>,
            /// The gateway of a route; a direct endpoint has none.
            "gateway" gateway: Option<Name<'a>>,
            /// What the gateway presents to the function; nothing if left out.
            "presents" presents: Option<Presents<'a>>,
            /// From where it can be reached: `internet` (if left out), `internal`, or networks.
            "network" network: Option<Network>,
            /// HTTP methods; all if left out.
            "methods" methods: Many<Text<'a>>,
            /// The path.
            "path" path: Option<Text<'a>>,
            /// The address that answers, as an absolute `http` or `https` URL: what `knock` tries.
            "url" url: Option<Url<'a>>,
            /// Origins that browsers may call from; `*` is any.
            "allowed_origins" allowed_origins: Many<Text<'a>>,
            /// Whether such calls may carry credentials.
            "allows_credentials" allows_credentials: bool,
            /// Switched on or off; on if left out.
            "state" state: Option<Word<State>>,
        }
    }

    /// A binding from an event source to a function.
    Trigger: "a trigger" {
        must {}
        may {
            /// Its id; made of function and source if left out.
            "id" id: Option<Name<'a>>,
            /// The function that runs; only where the trigger does not stand within its entry.
            "function" function: Option<Name<'a>>,
            /// What it runs on, as `kind:id`; a timer has none.
            "source" source: Option<ThingName<'a>>,
            /// The kind of source; that of `source` if left out.
            "kind" kind: Option<Name<'a>>,
            /// Which events count, as the platform writes it.
            "filter" filter: Option<Text<'a>>,
            /// Switched on or off; on if left out.
            "state" state: Option<Word<State>>,
            /// For hooks that call over HTTP: the header that carries the credential; never its value.
            "header" header: Option<Text<'a>>,
        }
    }

    /// What code runs as.
    Identity: "an identity" {
        must {
            /// Its id; unique among identities.
            "id" id: Name<'a>,
            /// Which kind it is.
            "kind" kind: Word<IdentityKind>,
        }
        may {
            /// The scope it lives in.
            "in" scope: Option<Name<'a>>,
            /// Bound to one function or app, or standalone (if left out).
            "life" life: Option<Word<Life>>,
            /// Made by the platform for everybody.
            "default" default: bool,
            /// The id under which other systems enrol it.
            "client_id" client_id: Option<Text<'a>>,
            /// Which life it serves; that of its scope if left out.
            "environment" environment: Option<Word<Environment>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// Who may act as it.
            "trust" trust: Vec<Admission<'a>>,
            /// What it holds.
            "grants" grants: Vec<Grant<'a>>,
        }
    }

    /// A person.
    User: "a user" {
        must {
            /// The id; unique among users.
            "id" id: Name<'a>,
        }
        may {
            /// The scope they live in.
            "in" scope: Option<Name<'a>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// What they hold.
            "grants" grants: Vec<Grant<'a>>,
        }
    }

    /// Who is in a group without being listed; all that is given must hold.
    Rule: "a membership rule" {
        must {}
        may {
            /// Identities that functions run as (if left out), all identities, or people.
            "kind" kind: Option<Word<MemberKind>>,
            /// Living in this scope or below.
            "in" scope: Option<Name<'a>>,
            /// Bearing this tag: `NAME` or `NAME=VALUE`.
            "tag" tag: Option<Text<'a>>,
            /// Whose id, or whose function's id, matches this pattern.
            "named" named: Option<AnyPattern<'a>>,
        }
    }

    /// A group of principals.
    Group: "a group" {
        must {
            /// Its id; unique among groups.
            "id" id: Name<'a>,
        }
        may {
            /// The scope it lives in.
            "in" scope: Option<Name<'a>>,
            /// Members by name.
            "members" members: Vec<PrincipalName<'a>>,
            /// Members by rule.
            "rule" rule: Option<Rule<'a>>,
            /// What they hold.
            "grants" grants: Vec<Grant<'a>>,
        }
    }

    /// A named list of statements.
    PermissionSet: "a permission set" {
        must {
            /// Its id; unique among permission sets.
            "id" id: Name<'a>,
        }
        may {
            /// The scope it lives in.
            "in" scope: Option<Name<'a>>,
            /// Ready-made by the platform, or custom (if left out).
            "origin" origin: Option<Word<SetOrigin>>,
            /// Its statements.
            "statements" statements: Vec<Statement<'a>>,
            /// Sets whose statements it contains as well.
            "includes" includes: Many<Name<'a>>,
        }
    }

    /// A principal holds permissions at a place.
    Grant: "a grant" {
        must {}
        may {
            /// The id its platform gave it; unique among grants.
            "id" id: Option<Name<'a>>,
            /// Who holds it; only where the grant does not stand within the holder's entry.
            "to" to: Option<PrincipalName<'a>>,
            /// The permission set held.
            "set" set: Option<Name<'a>>,
            /// Statements held directly.
            "statements" statements: Vec<Statement<'a>>,
            /// The scope or thing it holds at, as `kind:id`; everywhere if left out.
            "at" at_place: Option<ThingName<'a>>,
            /// Conditions that join those of each statement.
            "when" when: When<'a>,
            /// When it ends.
            "expires" expires: Option<Moment>,
        }
    }

    /// A bound on what can be given.
    Ceiling: "a ceiling" {
        must {
            /// Identities and scopes that it bounds, as `kind:id`.
            "over" over: Many<ThingName<'a>>,
            /// What it lets through.
            "statements" statements: Vec<Statement<'a>>,
        }
        may {
            /// Its id; unique among ceilings.
            "id" id: Option<Name<'a>>,
        }
    }

    /// A shared secret that functions accept; its value has no place here.
    Key: "a key" {
        must {
            /// Its id; unique among keys.
            "id" id: Name<'a>,
            /// The function or scope it opens, as `kind:id`.
            "opens" opens: ThingName<'a>,
            /// How much it opens there.
            "reach" reach: Word<KeyReach>,
        }
        may {
            /// Switched on or off; on if left out.
            "state" state: Option<Word<State>>,
            /// When it was made.
            "created" created: Option<Moment>,
            /// When its value was last replaced.
            "rotated" rotated: Option<Moment>,
            /// When it ends.
            "expires" expires: Option<Moment>,
            /// When it was last used, or `never`; left out if nobody looked.
            "last_used" last_used: Option<LastUsed>,
            /// Since when its use was watched.
            "observed_since" observed_since: Option<Moment>,
            /// Keyed hash of its value.
            "fingerprint" fingerprint: Option<Name<'a>>,
            /// Clients that were given it.
            "held_by" held_by: Many<Text<'a>>,
            /// Places where its value was seen.
            "seen_in" seen_in: Many<Text<'a>>,
        }
    }

    /// Checks tokens at endpoints.
    Verifier: "a token verifier" {
        must {
            /// Its id; unique among verifiers.
            "id" id: Name<'a>,
        }
        may {
            /// The scope it lives in.
            "in" scope: Option<Name<'a>>,
            /// Issuers it accepts; any if left out.
            "issuers" issuers: Many<Text<'a>>,
            /// Audiences it accepts; any if left out.
            "audiences" audiences: Many<Text<'a>>,
            /// Algorithms it accepts (RFC 7518); any if left out.
            "algorithms" algorithms: Many<Text<'a>>,
            /// Its key set (RFC 7517): a JSON file, seen from this one's folder; or a URL, which is not read.
            "key_set" key_set: Option<Text<'a>>,
            /// Whether it checks signatures; it does if left out.
            "checks_signature" checks_signature: Option<bool>,
            /// Whether it refuses tokens that have ended or never end; it does if left out.
            "checks_expiry" checks_expiry: Option<bool>,
        }
    }

    /// A token known by its claims; its value has no place here.
    Token: "a token" {
        must {
            /// Its id; unique among tokens.
            "id" id: Name<'a>,
        }
        may {
            /// The verifier it was made for.
            "verifier" verifier: Option<Name<'a>>,
            /// Who issued it.
            "issuer" issuer: Option<Text<'a>>,
            /// For whom.
            "audiences" audiences: Many<Text<'a>>,
            /// How it is signed (RFC 7518).
            "algorithm" algorithm: Option<Text<'a>>,
            /// The key that it says it is signed with (`kid`, RFC 7515).
            "key_id" key_id: Option<Text<'a>>,
            /// Handed to public clients.
            "public" public: bool,
            /// When it was issued.
            "issued" issued: Option<Moment>,
            /// When it ends; never if left out.
            "expires" expires: Option<Moment>,
            /// Keyed hash of its value.
            "fingerprint" fingerprint: Option<Name<'a>>,
        }
    }

    /// A record in another system that gives an identity a role there.
    Enrolment: "an enrolment" {
        must {
            /// The other system.
            "system" system: Name<'a>,
            /// The client id it lists.
            "client_id" client_id: Text<'a>,
            /// The role there.
            "role" role: Text<'a>,
        }
        may {
            /// Whether that role is administrative or catch-all.
            "wide" wide: bool,
            /// The scope the other system belongs to.
            "in" scope: Option<Name<'a>>,
        }
    }

    /// Anything acted on: bucket, queue, table, secret …
    Resource: "a resource" {
        must {
            /// `kind:id`: how statements, triggers and grants name it.
            "id" id: ThingName<'a>,
        }
        may {
            /// The scope it lives in.
            "in" scope: Option<Name<'a>>,
            /// How much its disclosure would hurt.
            "sensitivity" sensitivity: Option<Word<Sensitivity>>,
            /// Which life it serves; that of its scope if left out.
            "environment" environment: Option<Word<Environment>>,
            /// Who answers for it.
            "owner" owner: Option<Text<'a>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// Its access list.
            "access" access: Vec<Admission<'a>>,
        }
    }

    /// A line of the catalogue of actions.
    Action: "an action of the catalogue" {
        must {
            /// Which actions.
            "action" action: ActionPattern<'a>,
            /// What they do.
            "class" class: Word<ActionClass>,
        }
        may {}
    }

    /// Something that was seen to happen.
    Usage: "an observed use" {
        must {
            /// Who did it.
            "who" who: PrincipalName<'a>,
            /// What.
            "did" did: Name<'a>,
        }
        may {
            /// To what, as `kind:id`.
            "to" to: Option<ThingName<'a>>,
            /// How often; once if left out.
            "count" count: Option<u64>,
            /// First seen.
            "first" first: Option<Moment>,
            /// Last seen.
            "last" last: Option<Moment>,
        }
    }

    /// What logs cover.
    Coverage: "a log coverage" {
        must {
            /// Of which scope.
            "in" scope: Name<'a>,
            /// From when.
            "from" from: Moment,
            /// Until when.
            "to" to: Moment,
        }
        may {
            /// Which actions are logged; all if left out.
            "actions" actions: Many<ActionPattern<'a>>,
        }
    }

    /// An API contract (OpenAPI 3.0 or 3.1): what callers of a gateway or a function should have to show.
    Contract: "a contract" {
        must {
            /// Its id; unique among contracts.
            "id" id: Name<'a>,
            /// The document, as a path seen from this file's folder.
            "document" document: Text<'a>,
        }
        may {
            /// The gateway that it is of.
            "gateway" gateway: Option<Name<'a>>,
            /// The function that it is of.
            "function" function: Option<Name<'a>>,
        }
    }

    /// What came back from an endpoint that was tried with no credential.
    Attempt: "a try" {
        must {
            /// The endpoint.
            "endpoint" endpoint: Name<'a>,
            /// The HTTP method.
            "method" method: Text<'a>,
            /// When.
            "at" when: Moment,
        }
        may {
            /// The HTTP status that came back.
            "status" status: Option<u64>,
            /// Why none did.
            "failed" failed: Option<Text<'a>>,
        }
    }

    /// Something that a collector could not see.
    BlindSpot: "a blind spot" {
        must {
            /// What was not seen.
            "what" what: Text<'a>,
        }
        may {
            /// What that hides.
            "hides" hides: Option<Text<'a>>,
            /// The scope it is in.
            "in" scope: Option<Name<'a>>,
        }
    }
}

/// Names and values.
#[derive(Debug, Clone, PartialEq, Default)]
pub(crate) struct Tags<'a>(pub(crate) Vec<(Cow<'a, str>, Text<'a>)>);

impl<'a> Read<'a> for Tags<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if !matches!(view.value(), Value::Map) {
            report.expected(view, "tags, as a map of names and values");
            return None;
        }
        let mut sound = true;
        let mut tags = Vec::new();
        for (key, value) in view.entries() {
            match (Text::read(key, report), Text::read(value, report)) {
                (Some(Text(name)), Some(value)) => tags.push((name, value)),
                _ => sound = false,
            }
        }
        sound.then_some(Self(tags))
    }
}

impl Serialize for Tags<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.0.iter().map(|(name, value)| (name, value)))
    }
}

impl JsonSchema for Tags<'_> {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Tags".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({"type": "object", "additionalProperties": {"type": ["string", "boolean"]}})
    }
}

/// What a caller must show.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Check<'a> {
    None,
    Identity,
    Key(KeyReach),
    Token(Name<'a>),
}

/// Reads a map with exactly one of some fields; gives the field and its value.
fn one_of<'t, 'a>(
    view: View<'t, 'a>,
    report: &mut Report<'_>,
    what: &str,
    fields: &'static [&'static str],
) -> Option<(&'static str, View<'t, 'a>)> {
    let mut entries = view.entries();
    let (Some((key, value)), None) = (entries.next(), entries.next()) else {
        report.wrong(view, format!("{what} has exactly one of the fields {}", fields.join(", ")), "");
        return None;
    };
    let name = scalar_text(key.value()).unwrap_or_default();
    let known = fields.iter().copied().find(|field| *field == name);
    if known.is_none() {
        report.unknown(key, &format!("a field of {what}"), name, fields.iter().copied());
    }
    known.map(|known| (known, value))
}

/// Notes a word that is none of those that stand for themselves.
fn unknown_word(
    view: View<'_, '_>,
    report: &mut Report<'_>,
    what: &str,
    word: &str,
    words: &[&str],
    forms: &str,
) {
    let help = match nearest(word, words.iter().copied()) {
        Some(near) => format!("did you mean `{near}`?"),
        None => format!("write {forms}"),
    };
    report.wrong(view, format!("`{}` is not {what}", printable(word)), help);
}

impl<'a> Read<'a> for Check<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        const FORMS: &str = "none, identity, {key: function}, {key: app}, {key: admin} or {token: VERIFIER}";
        match (view.value(), scalar_text(view.value())) {
            (_, Some("none")) => Some(Self::None),
            (_, Some("identity")) => Some(Self::Identity),
            (_, Some(word)) => {
                unknown_word(view, report, "a check", word, &["none", "identity"], FORMS);
                None
            }
            (Value::Map, _) => match one_of(view, report, "a check", &["key", "token"])? {
                ("key", value) => Word::read(value, report).map(|reach: Word<KeyReach>| Self::Key(reach.0)),
                (_, value) => Name::read(value, report).map(Self::Token),
            },
            _ => {
                report.expected(view, &format!("a check: {FORMS}"));
                None
            }
        }
    }
}

impl Serialize for Check<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::None => serializer.serialize_str("none"),
            Self::Identity => serializer.serialize_str("identity"),
            Self::Key(reach) => serializer.collect_map([("key", Word(*reach))]),
            Self::Token(verifier) => serializer.collect_map([("token", verifier)]),
        }
    }
}

impl JsonSchema for Check<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Check".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let reach = generator.subschema_for::<Word<KeyReach>>();
        let name = generator.subschema_for::<Name<'_>>();
        json_schema!({
            "description": "What a caller must show: nothing, an identity, a key of at least a reach, or a token that a verifier accepts.",
            "anyOf": [
                {"enum": ["none", "identity"]},
                {"type": "object", "properties": {"key": reach}, "required": ["key"], "additionalProperties": false},
                {"type": "object", "properties": {"token": name}, "required": ["token"], "additionalProperties": false}
            ]
        })
    }
}

/// What a gateway presents to the function behind it.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Presents<'a> {
    Nothing,
    Caller,
    Identity(Name<'a>),
    Key(Name<'a>),
}

impl<'a> Read<'a> for Presents<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        const FORMS: &str = "nothing, caller, {identity: ID} or {key: ID}";
        match (view.value(), scalar_text(view.value())) {
            (_, Some("nothing")) => Some(Self::Nothing),
            (_, Some("caller")) => Some(Self::Caller),
            (_, Some(word)) => {
                unknown_word(view, report, "what a gateway can present", word, &["nothing", "caller"], FORMS);
                None
            }
            (Value::Map, _) => match one_of(view, report, "what a gateway presents", &["identity", "key"])? {
                ("identity", value) => Name::read(value, report).map(Self::Identity),
                (_, value) => Name::read(value, report).map(Self::Key),
            },
            _ => {
                report.expected(view, &format!("what the gateway presents: {FORMS}"));
                None
            }
        }
    }
}

impl Serialize for Presents<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Nothing => serializer.serialize_str("nothing"),
            Self::Caller => serializer.serialize_str("caller"),
            Self::Identity(id) => serializer.collect_map([("identity", id)]),
            Self::Key(id) => serializer.collect_map([("key", id)]),
        }
    }
}

impl JsonSchema for Presents<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Presents".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let name = generator.subschema_for::<Name<'_>>();
        json_schema!({
            "description": "What a gateway presents to the function behind a route.",
            "anyOf": [
                {"enum": ["nothing", "caller"]},
                {"type": "object", "properties": {"identity": name}, "required": ["identity"], "additionalProperties": false},
                {"type": "object", "properties": {"key": name}, "required": ["key"], "additionalProperties": false}
            ]
        })
    }
}

/// From where an endpoint can be reached.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Network {
    Internet,
    Internal,
    Listed(Vec<Net>),
}

impl<'a> Read<'a> for Network {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        match (view.value(), scalar_text(view.value())) {
            (_, Some("internet")) => Some(Self::Internet),
            (_, Some("internal")) => Some(Self::Internal),
            (_, Some(word)) if word.parse::<ipnet::IpNet>().is_ok() => {
                Net::read(view, report).map(|net| Self::Listed(vec![net]))
            }
            (_, Some(word)) if !word.starts_with(|first: char| first.is_ascii_hexdigit() || first == ':') => {
                let forms = "internet, internal, or a list of networks";
                unknown_word(view, report, "a network", word, &["internet", "internal"], forms);
                None
            }
            (_, Some(word)) if nearest(word, ["internet", "internal"].into_iter()).is_some() => {
                unknown_word(view, report, "a network", word, &["internet", "internal"], "");
                None
            }
            _ => {
                let networks = Many::<Net>::read(view, report)?.0;
                if networks.is_empty() {
                    report.wrong(view, "an empty list of networks", "write `internal`, or name a network");
                    return None;
                }
                Some(Self::Listed(networks))
            }
        }
    }
}

impl Serialize for Network {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Internet => serializer.serialize_str("internet"),
            Self::Internal => serializer.serialize_str("internal"),
            Self::Listed(networks) => networks.serialize(serializer),
        }
    }
}

impl JsonSchema for Network {
    fn schema_name() -> Cow<'static, str> {
        "Network".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let networks = generator.subschema_for::<Many<Net>>();
        json_schema!({
            "description": "From where an endpoint can be reached.",
            "anyOf": [{"enum": ["internet", "internal"]}, networks]
        })
    }
}

/// When a key was last used, if ever.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum LastUsed {
    Never,
    At(Moment),
}

impl<'a> Read<'a> for LastUsed {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        match scalar_text(view.value()) {
            Some("never") => Some(Self::Never),
            Some(text) if super::values::parse_moment(text).is_some() => {
                Moment::read(view, report).map(Self::At)
            }
            _ => {
                report.expected(view, "a time, a date or `never`");
                None
            }
        }
    }
}

impl Serialize for LastUsed {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Never => serializer.serialize_str("never"),
            Self::At(moment) => moment.serialize(serializer),
        }
    }
}

impl JsonSchema for LastUsed {
    fn schema_name() -> Cow<'static, str> {
        "LastUsed".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let moment = generator.subschema_for::<Moment>();
        json_schema!({"description": "When it was last used, if ever.", "anyOf": [{"const": "never"}, moment]})
    }
}

/// What a token's entry says.
pub(crate) struct TokenEntry<'a> {
    pub(crate) id: Cow<'a, str>,
    pub(crate) verifier: Option<Cow<'a, str>>,
    pub(crate) issuer: Option<Cow<'a, str>>,
    pub(crate) audiences: Vec<Cow<'a, str>>,
    pub(crate) algorithm: Cow<'a, str>,
    pub(crate) key_id: Option<Cow<'a, str>>,
    pub(crate) public: bool,
    pub(crate) issued: Option<jiff::Timestamp>,
    pub(crate) expires: Option<jiff::Timestamp>,
    pub(crate) fingerprint: Cow<'a, str>,
}

/// The entry of a token as JSON.
pub(crate) fn token_entry(it: TokenEntry<'_>) -> String {
    let name = |text| Name { text, at: crate::text::Position::default() };
    let entry = Token {
        at: crate::text::Position::default(),
        text: std::marker::PhantomData,
        id: name(it.id),
        verifier: it.verifier.map(name),
        issuer: it.issuer.map(Text),
        audiences: Many(it.audiences.into_iter().map(Text).collect()),
        algorithm: Some(Text(it.algorithm)),
        key_id: it.key_id.map(Text),
        public: it.public,
        issued: it.issued.map(Moment),
        expires: it.expires.map(Moment),
        fingerprint: Some(name(it.fingerprint)),
    };
    serde_json::to_string(&entry).expect("an entry has only texts as keys")
}
