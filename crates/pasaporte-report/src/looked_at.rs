//! What an audit looked at.

use std::borrow::Cow;
use std::collections::BTreeMap;

use pasaporte_core::estate::{
    AccountOf, EndpointId, Estate, FunctionId, GroupId, IdentityId, Kept, KeyId, ResourceId, ScopeId,
    ScopeKind, SetId, Thing, TriggerId,
};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What was looked at: no findings means nothing without it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct LookedAt {
    /// When the estate was true (RFC 3339); null where it does not say.
    pub as_of: Option<String>,
    /// The files it was read from.
    pub files: Vec<String>,
    /// How many things of each kind.
    pub things: BTreeMap<Cow<'static, str>, usize>,
    /// By platform and account; things without an account stand under null.
    pub accounts: Vec<AccountOut>,
    /// How many things could not be seen or understood.
    pub blind_spots: usize,
}

/// What one account holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct AccountOut {
    /// The platform it is on, where that is known.
    pub platform: Option<String>,
    /// Its id.
    pub account: Option<String>,
    /// How many functions it has.
    pub functions: usize,
    /// How many endpoints those have.
    pub endpoints: usize,
    /// How many identities live in it.
    pub identities: usize,
    /// How many keys open something in it.
    pub keys: usize,
}

impl LookedAt {
    /// Counts what an estate holds.
    pub fn new(estate: &Estate, blind_spots: usize) -> Self {
        fn declared<K: Kept>(estate: &Estate) -> usize {
            estate.all::<K>().count()
        }
        type Place = (Option<String>, Option<String>);
        let place = |thing: Thing| -> Place {
            let account = match estate.account_of(thing) {
                AccountOf::Known(account) => Some(estate.id(account).to_owned()),
                AccountOf::Unnamed | AccountOf::Unknown => None,
            };
            let platform = estate.platform(estate.scope_of(thing)).map(|name| estate.text(name).to_owned());
            (platform, account)
        };
        let mut accounts: BTreeMap<Place, [usize; 4]> = BTreeMap::new();
        for (id, scope) in estate.all::<ScopeId>() {
            if scope.kind == ScopeKind::Account {
                accounts.entry(place(Thing::Scope(id))).or_default();
            }
        }
        let things = estate
            .all::<FunctionId>()
            .map(|(id, _)| (Thing::Function(id), 0))
            .chain(estate.all::<EndpointId>().map(|(id, _)| (Thing::Endpoint(id), 1)))
            .chain(estate.all::<IdentityId>().map(|(id, _)| (Thing::Identity(id), 2)))
            .chain(estate.all::<KeyId>().map(|(id, _)| (Thing::Key(id), 3)));
        for (thing, column) in things {
            accounts.entry(place(thing)).or_default()[column] += 1;
        }
        Self {
            as_of: estate.as_of().map(|time| time.to_string()),
            files: estate.files().map(str::to_owned).collect(),
            things: [
                ("accounts", estate.all::<ScopeId>().filter(|(_, it)| it.kind == ScopeKind::Account).count()),
                ("functions", declared::<FunctionId>(estate)),
                ("endpoints", declared::<EndpointId>(estate)),
                ("triggers", declared::<TriggerId>(estate)),
                ("identities", declared::<IdentityId>(estate)),
                ("groups", declared::<GroupId>(estate)),
                ("permission_sets", declared::<SetId>(estate)),
                ("grants", estate.grants().count()),
                ("keys", declared::<KeyId>(estate)),
                ("resources", declared::<ResourceId>(estate)),
            ]
            .map(|(kind, count)| (kind.into(), count))
            .into(),
            accounts: accounts
                .into_iter()
                .map(|((platform, account), [functions, endpoints, identities, keys])| AccountOut {
                    platform,
                    account,
                    functions,
                    endpoints,
                    identities,
                    keys,
                })
                .collect(),
            blind_spots,
        }
    }
}
