//! Documents: the sections of an estate, and how each form of text holds them.
//!
//! A YAML or JSON document is a map with `estate: 1` and a list a section. NDJSON has a line
//! `{"estate": 1}` first and then one entity a line, under the name of its kind:
//! `{"function": {"id": "sell-ticket"}}`.

use schemars::JsonSchema;
use serde::Serialize;

use super::entries::{
    Action, Attempt, BlindSpot, Called, Ceiling, Contract, Coverage, Endpoint, Enrolment, Fingerprint,
    Function, Grant, Group, Identity, Key, Need, PermissionSet, Resource, Scope, Seen, Token, Trigger, Used,
    User, Verifier,
};
use super::statements::Admission;
use super::values::{Many, Moment, Name, Text};
use crate::read::{Read, Report};
use crate::text::View;

macro_rules! sections {
    ($($(#[$doc:meta])* $plural:literal $singular:literal $field:ident: $variant:ident($type:ident),)*) => {
        /// A whole document; the shape that the JSON Schema is made of.
        #[derive(Debug, Serialize, JsonSchema)]
        #[schemars(title = "Pasaporte estate, version 1", deny_unknown_fields)]
        pub struct Document<'a> {
            /// The version of the format.
            #[schemars(range(min = 1, max = 1))]
            pub(crate) estate: u64,
            /// When the estate was true; the time that all ages and expiries are judged by.
            #[serde(default, skip_serializing_if = "Option::is_none")]
            pub(crate) as_of: Option<Moment>,
            /// Whether this is how things should be, as source control has them, rather than how they are.
            #[serde(default, skip_serializing_if = "std::ops::Not::not")]
            pub(crate) declared: bool,
            /// Whether it is laid over other files: what it declares takes the place of what they declare under the same name.
            #[serde(default, skip_serializing_if = "std::ops::Not::not")]
            pub(crate) overlay: bool,
            /// Of a file that is laid over others: what is gone, by its label, as reports name it.
            #[serde(default, skip_serializing_if = "crate::read::is_default")]
            pub(crate) removed: Many<'a, Text<'a>>,
            /// The logs that what was seen is a digest of, by what they held: each counts once. It comes before what was seen.
            #[serde(default, skip_serializing_if = "crate::read::is_default")]
            pub(crate) digest: Many<'a, Name<'a>>,
            /// The seal under which fingerprints were made, by a fingerprint of its own.
            #[serde(default, skip_serializing_if = "Option::is_none")]
            pub(crate) seal: Option<Name<'a>>,
            $($(#[$doc])* #[serde(default, skip_serializing_if = "Vec::is_empty")] pub(crate) $field: Vec<$type<'a>>,)*
        }

        /// The sections of a document, by their names there.
        pub(crate) const SECTIONS: &[&str] = &[$($plural),*];
        /// The kinds of entities, by their names in NDJSON, in the order of the sections.
        pub const KINDS: &[&str] = &[$($singular),*];

        /// One entity as written.
        pub(crate) enum Entity<'a> { $($variant($type<'a>),)* }

        impl<'a> Entity<'a> {
            /// Reads an entity of a section, by the section's name or the kind's.
            pub(crate) fn read(kind: &str, view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
                match kind {
                    $($plural | $singular => $type::read(view, report).map(Self::$variant),)*
                    _ => None,
                }
            }
        }
    };
}

sections! {
    /// The containment tree.
    "scopes" "scope" scopes: Scope(Scope),
    /// Functions.
    "functions" "function" functions: Function(Function),
    /// Endpoints that do not stand within their function's entry.
    "endpoints" "endpoint" endpoints: Endpoint(Endpoint),
    /// Triggers that do not stand within their function's entry.
    "triggers" "trigger" triggers: Trigger(Trigger),
    /// Identities.
    "identities" "identity" identities: Identity(Identity),
    /// People.
    "users" "user" users: User(User),
    /// Groups.
    "groups" "group" groups: Group(Group),
    /// Permission sets.
    "permission_sets" "permission_set" permission_sets: PermissionSet(PermissionSet),
    /// Grants that do not stand within their holder's entry.
    "grants" "grant" grants: Grant(Grant),
    /// Invoke permissions that do not stand within their function's entry; `on` is the function.
    "invoke_permissions" "invoke_permission" invoke_permissions: InvokePermission(Admission),
    /// Trust that does not stand within its identity's entry; `on` is the identity.
    "trust" "trusted" trust: Trust(Admission),
    /// Access lists that do not stand within their resource's entry; `on` is the resource.
    "access" "access_entry" access: Access(Admission),
    /// Ceilings.
    "ceilings" "ceiling" ceilings: Ceiling(Ceiling),
    /// Keys; never their values.
    "keys" "key" keys: Key(Key),
    /// Token verifiers.
    "verifiers" "verifier" verifiers: Verifier(Verifier),
    /// Tokens by their claims; never their values.
    "tokens" "token" tokens: Token(Token),
    /// Fingerprints of keys and tokens that stand in other entries.
    "fingerprints" "fingerprint" fingerprints: Fingerprint(Fingerprint),
    /// Enrolments in other systems.
    "enrolments" "enrolment" enrolments: Enrolment(Enrolment),
    /// Resources.
    "resources" "resource" resources: Resource(Resource),
    /// The catalogue of actions.
    "actions" "action" actions: Action(Action),
    /// What triggers take on their sources.
    "needs" "need" needs: Need(Need),
    /// What somebody was seen to do, or to be refused.
    "usage" "used" usage: Used(Used),
    /// Calls of endpoints that were seen.
    "calls" "called" calls: Called(Called),
    /// Keys and tokens that were seen where they should not be; never their values.
    "sightings" "seen" sightings: Seen(Seen),
    /// What logs cover.
    "logs" "log" logs: Coverage(Coverage),
    /// API contracts.
    "contracts" "contract" contracts: Contract(Contract),
    /// What came back from endpoints that were tried with no credential.
    "tries" "try" tries: Attempt(Attempt),
    /// What collectors could not see.
    "blind_spots" "blind_spot" blind_spots: BlindSpot(BlindSpot),
}
