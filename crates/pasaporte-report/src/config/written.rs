//! A configuration as it is written: the fields that there are, and their places.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Deserialize;
use toml::Spanned;

/// A configuration as it is written.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "pasaporte.toml, version 1", rename = "Configuration")]
pub struct Written {
    /// The estate that is meant where none is named: files and folders, from where this file is.
    #[schemars(with = "Option<Vec<String>>")]
    pub(super) estate: Option<Vec<Spanned<String>>>,
    /// The file of acceptances, from where this file is.
    #[schemars(with = "Option<String>")]
    pub(super) accepted: Option<Spanned<String>>,
    /// The file with the key of fingerprints, from where this file is.
    #[schemars(with = "Option<String>")]
    pub(super) seal: Option<Spanned<String>>,
    /// What `audit` does where it is not told otherwise.
    #[serde(default)]
    pub(super) audit: AuditWritten,
    /// What counts as old.
    #[serde(default)]
    pub(super) thresholds: ThresholdsWritten,
    /// Rules, by id or pattern: `off`, or the severity that their findings have. An id comes before a pattern, and of
    /// patterns the last.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, String>")]
    pub(super) rules: BTreeMap<Spanned<String>, Spanned<String>>,
    /// How logs are digested.
    #[serde(default)]
    pub(super) usage: UsageWritten,
    /// What counts as inside.
    #[serde(default)]
    pub(super) inside: InsideWritten,
    /// What is so of things, whatever the estate says of them; the last that says something of a thing is heard.
    #[serde(default)]
    pub(super) things: Vec<ThingsWritten>,
    /// How `tighten` writes its proposals.
    #[serde(default)]
    pub(super) tighten: TightenWritten,
    /// What is needed, whatever logs show: `tighten` keeps it.
    #[serde(default)]
    pub(super) keep: Vec<KeepWritten>,
}

/// How `tighten` writes its proposals.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct TightenWritten {
    /// How things are named that are needed: `exact`, one by one; or `common`, by the longest beginning that their names have
    /// in common, where nothing else that is there begins so and the grant takes whatever will.
    #[schemars(with = "Option<String>")]
    pub(super) naming: Option<Spanned<String>>,
}

/// What `audit` does where it is not told otherwise.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct AuditWritten {
    /// Exit with 1 if there is a finding of this severity or worse: `high`; or, against a saved audit, one that is new:
    /// `new:high`.
    #[schemars(with = "Option<String>")]
    pub(super) fail_on: Option<Spanned<String>>,
    /// Exit with 3 if there are blind spots.
    #[schemars(with = "Option<bool>")]
    pub(super) strict: Option<Spanned<bool>>,
    /// The saved audit to hold it against, from where this file is.
    #[schemars(with = "Option<String>")]
    pub(super) since: Option<Spanned<String>>,
    /// Files to write it to, each as its ending says, from where this file is.
    #[schemars(with = "Option<Vec<String>>")]
    pub(super) report: Option<Vec<Spanned<String>>>,
}

/// What counts as old, as many and as enough, and the same for one environment.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ThresholdsWritten {
    /// Days after which a key should have been rotated: 180 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    pub(super) key_max_age: Option<Spanned<i64>>,
    /// Days that a key must have been watched before "never used" is said: 30 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    pub(super) key_watch: Option<Spanned<i64>>,
    /// Days without use after which a key is idle: 90 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    pub(super) key_idle: Option<Spanned<i64>>,
    /// Clients of one key that are many: 3 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    pub(super) key_clients: Option<Spanned<i64>>,
    /// The least reach of keys that must have an expiry: `function`, `app` or `admin`; `app` unless said otherwise.
    #[schemars(with = "Option<String>")]
    pub(super) key_expiry_from: Option<Spanned<String>>,
    /// Days that a token for public clients may be valid: 366 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    pub(super) public_token_max_age: Option<Spanned<i64>>,
    /// Days that logs must cover before something is called unused: 30 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    pub(super) evidence: Option<Spanned<i64>>,
    /// The same in production, and where the environment is not known.
    pub(super) production: Option<Box<WithinWritten>>,
    /// The same in staging.
    pub(super) staging: Option<Box<WithinWritten>>,
    /// The same in test.
    pub(super) test: Option<Box<WithinWritten>>,
    /// The same in development.
    pub(super) development: Option<Box<WithinWritten>>,
}

/// What counts as old in one environment; what is not said is as everywhere.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct WithinWritten {
    /// Days after which a key should have been rotated.
    #[schemars(with = "Option<u16>")]
    pub(super) key_max_age: Option<Spanned<i64>>,
    /// Days that a key must have been watched before "never used" is said.
    #[schemars(with = "Option<u16>")]
    pub(super) key_watch: Option<Spanned<i64>>,
    /// Days without use after which a key is idle.
    #[schemars(with = "Option<u16>")]
    pub(super) key_idle: Option<Spanned<i64>>,
    /// Clients of one key that are many.
    #[schemars(with = "Option<u16>")]
    pub(super) key_clients: Option<Spanned<i64>>,
    /// The least reach of keys that must have an expiry.
    #[schemars(with = "Option<String>")]
    pub(super) key_expiry_from: Option<Spanned<String>>,
    /// Days that a token for public clients may be valid.
    #[schemars(with = "Option<u16>")]
    pub(super) public_token_max_age: Option<Spanned<i64>>,
    /// Days that logs must cover before something is called unused.
    #[schemars(with = "Option<u16>")]
    pub(super) evidence: Option<Spanned<i64>>,
}

/// How logs are digested.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct UsageWritten {
    /// Parameters and headers that carry keys, beside those that contracts, endpoints and habit name.
    #[schemars(with = "Option<Vec<String>>")]
    pub(super) keys_in: Option<Vec<Spanned<String>>>,
}

/// What counts as inside.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct InsideWritten {
    /// Networks whose callers are insiders, beside those that are private (RFC 1918, RFC 4193): `203.0.113.0/24`.
    #[schemars(with = "Option<Vec<String>>")]
    pub(super) networks: Option<Vec<Spanned<String>>>,
    /// Accounts that are known, though others may own them: whoever is of one is an insider.
    #[schemars(with = "Option<Vec<String>>")]
    pub(super) accounts: Option<Vec<Spanned<String>>>,
}

/// What is so of the things that a pattern takes.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ThingsWritten {
    /// Which: `kind:id`, with `*` and `?`. Functions, identities, resources and scopes are taken.
    #[schemars(with = "String")]
    pub(super) r#match: Spanned<String>,
    /// Who answers for them; identities have no owner of their own.
    #[schemars(with = "Option<String>")]
    pub(super) owner: Option<Spanned<String>>,
    /// Where they belong: `production`, `staging`, `test` or `development`.
    #[schemars(with = "Option<String>")]
    pub(super) environment: Option<Spanned<String>>,
    /// How much harm the contents of resources could do: `public`, `internal` or `confidential`.
    #[schemars(with = "Option<String>")]
    pub(super) sensitivity: Option<Spanned<String>>,
}

/// What somebody needs, whatever logs show.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct KeepWritten {
    /// Who: `identity:ID`, `user:ID` …
    #[schemars(with = "String")]
    pub(super) who: Spanned<String>,
    /// Which actions.
    #[schemars(with = "Vec<String>")]
    pub(super) does: Vec<Spanned<String>>,
    /// On which things: `kind:id`.
    #[schemars(with = "Vec<String>")]
    pub(super) on: Vec<Spanned<String>>,
}
