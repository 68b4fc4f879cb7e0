//! A manifest as it is written (docs/write-an-adapter.md).

use std::collections::BTreeMap;

use serde::Deserialize;

use crate::log::{RangeIn, ReadAs};

/// A manifest.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Manifest {
    pub(crate) adapter: u64,
    pub(crate) name: String,
    pub(crate) about: String,
    pub(crate) program: String,
    #[serde(default = "nothing")]
    pub(crate) sign_in: SignIn,
    #[serde(default)]
    pub(crate) pace: Pace,
    #[serde(default)]
    pub(crate) beside: Vec<String>,
    #[serde(default, rename = "ask")]
    asks: Vec<Written>,
    #[serde(default, rename = "log")]
    logs: Vec<WrittenLog>,
}

fn nothing() -> SignIn {
    SignIn::None
}

impl Manifest {
    /// What is asked for: first things, then logs.
    pub(crate) fn take_asks(&mut self) -> Vec<Written> {
        let logs = std::mem::take(&mut self.logs).into_iter().map(Written::from);
        std::mem::take(&mut self.asks).into_iter().chain(logs).collect()
    }
}

/// An ask.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Written {
    pub(crate) name: String,
    pub(crate) of: Option<String>,
    pub(crate) each: Option<String>,
    pub(crate) path: Option<String>,
    pub(crate) link: Option<String>,
    #[serde(default)]
    pub(crate) headers: BTreeMap<String, String>,
    #[serde(default)]
    pub(crate) nothing_here: Vec<u16>,
    #[serde(default)]
    pub(crate) begin_again: Vec<u16>,
    pub(crate) document: Option<String>,
    pub(crate) items: Option<String>,
    pub(crate) entities: Option<String>,
    pub(crate) keep: Option<String>,
    #[serde(default)]
    pub(crate) paging: Paging,
    pub(crate) account: Option<String>,
    pub(crate) region: Option<String>,
    pub(crate) what: Option<String>,
    pub(crate) hides: Option<String>,
    /// What it has that is of a log.
    #[serde(skip)]
    pub(crate) log: Option<OfLog>,
}

/// What an ask has that is of a log.
#[derive(Debug)]
pub(crate) struct OfLog {
    pub(crate) range: Option<RangeIn>,
    pub(crate) events: Option<String>,
    pub(crate) covers: Option<String>,
    pub(crate) read_as: ReadAs,
}

/// A log.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenLog {
    name: String,
    of: Option<String>,
    each: Option<String>,
    path: String,
    #[serde(default)]
    headers: BTreeMap<String, String>,
    #[serde(default)]
    nothing_here: Vec<u16>,
    #[serde(default)]
    begin_again: Vec<u16>,
    items: String,
    events: Option<String>,
    covers: Option<String>,
    #[serde(default)]
    read_as: ReadAs,
    range: Option<RangeIn>,
    #[serde(default)]
    paging: Paging,
    account: Option<String>,
    region: Option<String>,
    what: Option<String>,
    hides: Option<String>,
}

impl From<WrittenLog> for Written {
    fn from(it: WrittenLog) -> Self {
        Self {
            name: it.name,
            of: it.of,
            each: it.each,
            path: Some(it.path),
            headers: it.headers,
            nothing_here: it.nothing_here,
            begin_again: it.begin_again,
            items: Some(it.items),
            paging: it.paging,
            account: it.account,
            region: it.region,
            what: it.what,
            hides: Some(it.hides.unwrap_or_else(|| "what was used there".to_owned())),
            log: Some(OfLog { range: it.range, events: it.events, covers: it.covers, read_as: it.read_as }),
            ..Self::default()
        }
    }
}

/// How callers show who they are.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(tag = "by", rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) enum SignIn {
    /// Not at all.
    None,
    /// The credential as a bearer token (RFC 6750).
    Bearer,
    /// The credential in a header of the platform's own.
    Header { header: String },
    /// A token for the credential, at this path (RFC 6749 §4.4).
    ClientCredentials { path: String },
}

/// How hard a platform may be asked.
#[derive(Debug, Clone, Copy, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub(crate) struct Pace {
    /// Requests under way at one time.
    pub(crate) at_once: usize,
    /// Most requests a second; as many as there are answers if left out.
    pub(crate) a_second: Option<u32>,
}

impl Default for Pace {
    fn default() -> Self {
        Self { at_once: 4, a_second: None }
    }
}

/// How a long answer is cut into pages.
#[derive(Debug, Clone, PartialEq, Eq, Default, Deserialize)]
#[serde(tag = "by", rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) enum Paging {
    /// It is not.
    #[default]
    None,
    /// By `Link` headers with `rel="next"` (RFC 8288).
    Link,
    /// By a token in the answer, which goes into a parameter of the next request.
    Token { token: String, parameter: String },
    /// By number, from 1; the answer says how many pages there are.
    Number { pages: String, parameter: String },
}
