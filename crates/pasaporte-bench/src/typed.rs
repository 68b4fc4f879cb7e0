//! The entries of a generated estate as plain owned types: the yardstick. Reading a file into these and
//! nothing else is what all other times are compared with.

use std::collections::BTreeMap;
use std::io::BufRead;

use serde::Deserialize;

macro_rules! entries {
    ($($(#[$doc:meta])* $name:ident { $($field:ident $(as $written:literal)?: $type:ty),* $(,)? })*) => {$(
        $(#[$doc])*
        #[derive(Debug, Deserialize)]
        #[expect(missing_docs, reason = "the fields of the estate format, as docs/estate-format.md has them")]
        pub struct $name { $($(#[serde(rename = $written)])? #[serde(default)] pub $field: $type,)* }
    )*};
}

entries! {
    /// A scope.
    Scope { id: String, kind: String, scope as "in": Option<String>, platform: Option<String>,
        environment: Option<String>, owner: Option<String>, runs_as: Option<String>,
        cross_account: Option<String>, action_case: Option<String> }
    /// A function.
    Function { id: String, scope as "in": Option<String>, runtime: Option<String>, state: Option<String>,
        environment: Option<String>, owner: Option<String>, version: Option<String>, runs_as: Option<String>,
        settings: Vec<String>, tags: BTreeMap<String, String>, endpoints: Vec<Endpoint>,
        triggers: Vec<Trigger>, invoke: Vec<Admission> }
    /// An endpoint.
    Endpoint { check: Check, gateway: Option<String>, presents: Option<Presents>, network: Option<String>,
        methods: Vec<String>, path: Option<String>, url: Option<String>, state: Option<String> }
    /// A trigger.
    Trigger { source: Option<String>, kind: Option<String>, filter: Option<String>, state: Option<String> }
    /// A statement on a thing.
    Admission { to: Vec<String>, allow: Vec<String>, deny: Vec<String>, when: BTreeMap<String, Operators> }
    /// An identity.
    Identity { id: String, kind: String, scope as "in": Option<String>, default: bool,
        environment: Option<String>, tags: BTreeMap<String, String>, trust: Vec<Admission>,
        grants: Vec<Grant> }
    /// A user.
    User { id: String, scope as "in": Option<String>, grants: Vec<Grant> }
    /// A group.
    Group { id: String, scope as "in": Option<String>, members: Vec<String>, rule: Option<Rule>,
        grants: Vec<Grant> }
    /// A membership rule.
    Rule { kind: Option<String>, scope as "in": Option<String>, tag: Option<String>, named: Option<String> }
    /// A permission set.
    PermissionSet { id: String, scope as "in": Option<String>, origin: Option<String>,
        statements: Vec<Statement>, includes: Vec<String> }
    /// A statement.
    Statement { allow: Vec<String>, deny: Vec<String>, on: Vec<String>, when: BTreeMap<String, Operators> }
    /// Tests of an attribute.
    Operators { equals: Vec<String>, not_equals: Vec<String>, like: Vec<String>, in_network: Vec<String>,
        present: Option<bool> }
    /// A grant.
    Grant { set: Option<String>, statements: Vec<Statement>, at: Option<String>,
        when: BTreeMap<String, Operators>, expires: Option<String> }
    /// A ceiling.
    Ceiling { over: Vec<String>, statements: Vec<Statement> }
    /// A key.
    Key { id: String, opens: String, reach: String, state: Option<String>, created: Option<String>,
        rotated: Option<String>, expires: Option<String>, last_used: Option<String>,
        observed_since: Option<String>, held_by: Vec<String> }
    /// A verifier.
    Verifier { id: String, scope as "in": Option<String>, issuers: Vec<String>, audiences: Vec<String>,
        algorithms: Vec<String> }
    /// A token.
    Token { id: String, verifier: Option<String>, issuer: Option<String>, audiences: Vec<String>, public: bool,
        expires: Option<String> }
    /// A resource.
    Resource { id: String, scope as "in": Option<String>, sensitivity: Option<String>,
        tags: BTreeMap<String, String>, access: Vec<Admission> }
}

/// What a caller must show.
#[derive(Debug, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "the checks of the estate format")]
pub enum Check {
    #[default]
    None,
    Identity,
    Key(String),
    Token(String),
}

/// What a gateway presents.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "what the estate format lets a gateway present")]
pub enum Presents {
    Nothing,
    Caller,
    Identity(String),
    Key(String),
}

/// A line of a generated estate after the first.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "snake_case")]
#[expect(missing_docs, reason = "the kinds of the estate format")]
pub enum Line {
    Scope(Scope),
    Function(Function),
    Identity(Identity),
    User(User),
    Group(Group),
    PermissionSet(PermissionSet),
    Ceiling(Ceiling),
    Key(Key),
    Verifier(Verifier),
    Token(Token),
    Resource(Resource),
}

/// Reads all lines after the first and keeps them; how many there are.
///
/// # Errors
/// Where a line cannot be read, or is none of the format.
pub fn parse(mut lines: impl BufRead) -> std::io::Result<Vec<Line>> {
    let mut all = Vec::new();
    let mut line = String::new();
    lines.read_line(&mut line)?;
    loop {
        line.clear();
        if lines.read_line(&mut line)? == 0 {
            return Ok(all);
        }
        all.push(serde_json::from_str(&line)?);
    }
}
