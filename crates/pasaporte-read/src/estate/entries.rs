//! The entries of the estate format, one record a thing (docs/estate-format.md shows each).

use pasaporte_core::estate::{
    ActionClass, Answered, CameFrom, CaseOfActions, CrossAccount, Environment, IdentityKind, KeyReach, Life,
    MadeBy, MemberKind, Outcome, ScopeKind, SeenIn, Sensitivity, State,
};

use super::choices::{Check, LastUsed, Network, Presents, Tags};
use super::conditions::When;
use super::observed::{Clients, Showed};
use super::statements::{Admission, Statement};
use super::url::{Url, UrlPath};
use super::values::{
    ActionPattern, AnyPattern, MadeName, Many, Member, Moment, Name, PrincipalName, SettingName, Text,
    ThingName, Word,
};
use crate::read::record;

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
            /// What people call it.
            "name" name: Option<Text<'a>>,
            /// Names of its settings; never their values.
            "settings" settings: &'a [SettingName<'a>],
            /// Secrets that the platform hands to it or mounts into it, as `kind:id`: it has them, whatever its identity may
            /// read.
            "handed" handed: Many<'a, ThingName<'a>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// Ways in over HTTP.
            "endpoints" endpoints: &'a [Endpoint<'a>],
            /// Event sources that make it run.
            "triggers" triggers: &'a [Trigger<'a>],
            /// Invoke permissions.
            "invoke" invoke: &'a [Admission<'a>],
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
            "network" network: Option<Network<'a>>,
            /// HTTP methods; all if left out.
            "methods" methods: Many<'a, Text<'a>>,
            /// The path.
            "path" path: Option<UrlPath<'a>>,
            /// The address that answers, as an absolute `http` or `https` URL: what `knock` tries.
            "url" url: Option<Url<'a>>,
            /// Names of parameters and headers in which callers show keys, beside the usual ones and those of its contract.
            "keys_in" keys_in: Many<'a, Text<'a>>,
            /// Origins that browsers may call from; `*` is any.
            "allowed_origins" allowed_origins: Many<'a, Text<'a>>,
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
            /// What people call it.
            "name" name: Option<Text<'a>>,
            /// The id under which other systems enrol it.
            "client_id" client_id: Option<Text<'a>>,
            /// Which life it serves; that of its scope if left out.
            "environment" environment: Option<Word<Environment>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// Secrets by which anybody who has them acts as it, without their values.
            "credentials" credentials: &'a [Credential<'a>],
            /// Who may act as it.
            "trust" trust: &'a [Admission<'a>],
            /// What it holds.
            "grants" grants: &'a [Grant<'a>],
        }
    }

    /// A long-lived secret by which anybody who has it acts as an identity.
    Credential: "a credential" {
        must {
            /// Its id; unique among those of its identity.
            "id" id: Name<'a>,
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
            /// Who was given it.
            "held_by" held_by: Many<'a, Text<'a>>,
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
            /// What people call them.
            "name" name: Option<Text<'a>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// What they hold.
            "grants" grants: &'a [Grant<'a>],
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
            /// What people call it.
            "name" name: Option<Text<'a>>,
            /// Members by name; `unknown`, alone or among them, where there may be some that were not seen.
            "members" members: Many<'a, Member<'a>>,
            /// Members by rule.
            "rule" rule: Option<Rule<'a>>,
            /// What they hold.
            "grants" grants: &'a [Grant<'a>],
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
            "origin" origin: Option<Word<MadeBy>>,
            /// Its statements.
            "statements" statements: &'a [Statement<'a>],
            /// Sets whose statements it contains as well.
            "includes" includes: Many<'a, Name<'a>>,
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
            "statements" statements: &'a [Statement<'a>],
            /// The scope or thing it holds at, as `kind:id`; everywhere if left out.
            "at" at_place: Option<ThingName<'a>>,
            /// Conditions that join those of each statement.
            "when" when: When<'a>,
            /// When it ends.
            "expires" expires: Option<Moment>,
            /// Made by the platform itself, or custom (if left out).
            "origin" origin: Option<Word<MadeBy>>,
        }
    }

    /// A bound on what can be given.
    Ceiling: "a ceiling" {
        must {
            /// Identities, users and scopes that it bounds, as `kind:id`.
            "over" over: Many<'a, ThingName<'a>>,
            /// What it lets through.
            "statements" statements: &'a [Statement<'a>],
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
            "held_by" held_by: Many<'a, Text<'a>>,
            /// Places where its value was seen.
            "seen_in" seen_in: Many<'a, Text<'a>>,
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
            "issuers" issuers: Many<'a, Text<'a>>,
            /// Audiences it accepts; any if left out.
            "audiences" audiences: Many<'a, Text<'a>>,
            /// Algorithms it accepts (RFC 7518); any if left out.
            "algorithms" algorithms: Many<'a, Text<'a>>,
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
            "audiences" audiences: Many<'a, Text<'a>>,
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
            /// What people call it.
            "name" name: Option<Text<'a>>,
            /// How much its disclosure would hurt.
            "sensitivity" sensitivity: Option<Word<Sensitivity>>,
            /// Which life it serves; that of its scope if left out.
            "environment" environment: Option<Word<Environment>>,
            /// Who answers for it.
            "owner" owner: Option<Text<'a>>,
            /// Tags.
            "tags" tags: Tags<'a>,
            /// Its access list.
            "access" access: &'a [Admission<'a>],
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
        may {
            /// The platform whose word it is: it counts where a scope of the estate is of that platform; everywhere if left out.
            "platform" platform: Option<Name<'a>>,
        }
    }

    /// What triggers of a kind take on their sources.
    Need: "a need of triggers" {
        must {
            /// The kind of the triggers.
            "kind" kind: Name<'a>,
            /// The actions that they take there.
            "does" does: Many<'a, ActionPattern<'a>>,
        }
        may {
            /// The platform on which it is so; everywhere if left out.
            "platform" platform: Option<Name<'a>>,
        }
    }

    /// Something that somebody was seen to do, or to be refused.
    Used: "an observed use" {
        must {
            /// Who did it.
            "who" who: PrincipalName<'a>,
            /// What.
            "did" did: Name<'a>,
        }
        may {
            /// To what, as `kind:id`.
            "to" to: Option<ThingName<'a>>,
            /// Allowed (if left out) or refused.
            "outcome" outcome: Option<Word<Outcome>>,
            /// For runs of a function: the trigger that made it run.
            "through" through: Option<MadeName<'a>>,
            /// How often; once if left out.
            "count" count: Option<u64>,
            /// First seen.
            "first" first: Option<Moment>,
            /// Last seen.
            "last" last: Option<Moment>,
            /// Distinct clients: how many, or their keyed hashes.
            "clients" clients: Clients<'a>,
        }
    }

    /// Calls of an endpoint that were seen.
    Called: "observed calls" {
        must {
            /// The endpoint.
            "endpoint" endpoint: MadeName<'a>,
            /// The HTTP method.
            "method" method: Text<'a>,
        }
        may {
            /// What kind of answer came; `unsaid` if left out.
            "answer" answer: Option<Word<Answered>>,
            /// What the caller showed; `unsaid` if left out.
            "showed" showed: Showed<'a>,
            /// From where it came; `unsaid` if left out.
            "came_from" came_from: Option<Word<CameFrom>>,
            /// How often; once if left out.
            "count" count: Option<u64>,
            /// First seen.
            "first" first: Option<Moment>,
            /// Last seen.
            "last" last: Option<Moment>,
            /// Distinct clients: how many, or their keyed hashes.
            "clients" clients: Clients<'a>,
        }
    }

    /// A key or token that was seen where it should not be; its value has no place here.
    Seen: "a sighting" {
        must {
            /// Which.
            "showed" showed: Showed<'a>,
            /// In what.
            "place" place: Word<SeenIn>,
        }
        may {
            /// The endpoint called, or the function whose settings or log it was, as `kind:id`.
            "on" on: Option<ThingName<'a>>,
            /// How often; once if left out.
            "count" count: Option<u64>,
            /// First seen.
            "first" first: Option<Moment>,
            /// Last seen.
            "last" last: Option<Moment>,
            /// Distinct clients: how many, or their keyed hashes.
            "clients" clients: Clients<'a>,
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
            "actions" actions: Many<'a, ActionPattern<'a>>,
            /// Of calls, those to these hosts or gateways; to all if left out.
            "hosts" hosts: Many<'a, Text<'a>>,
            /// Lines that were read.
            "lines" lines: Option<u64>,
            /// Lines that were not understood.
            "bad" bad: u64,
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
            "endpoint" endpoint: MadeName<'a>,
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

    /// A fingerprint of a key or token that stands in another entry; the value itself has no place here.
    Fingerprint: "a fingerprint" {
        must {
            /// Whose, as `key:ID` or `token:ID`.
            "of" of: ThingName<'a>,
            /// Keyed hash of its value.
            "is" print: Name<'a>,
        }
        may {}
    }

    /// Something that a collector could not see.
    BlindSpot: "a blind spot" {
        must {
            /// What was not seen.
            "what" what: Text<'a>,
        }
        may {
            /// Why it was not seen: what came back, and how often it was asked for. Not part of what the blind spot is.
            "why" why: Option<Text<'a>>,
            /// What that hides.
            "hides" hides: Option<Text<'a>>,
            /// The scope it is in.
            "in" scope: Option<Name<'a>>,
        }
    }
}
