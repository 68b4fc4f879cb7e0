//! What somebody says of an estate beside it: who owns what, where it belongs, what counts as inside. It comes before
//! what the estate says itself, and changes nothing that the decision looks at.

use std::sync::LazyLock;

use ipnet::IpNet;
use rustc_hash::FxHashSet;

use super::{
    Builder, Environment, Estate, FunctionId, IdentityId, Kept, Name, ResourceId, ScopeId, Sensitivity,
};
use crate::pattern::Pattern;

/// What is said of an estate beside it.
#[derive(Debug, Clone, Default)]
pub struct Supplement {
    /// Of things; the last that says something of a thing is heard.
    pub things: Vec<About>,
    /// Networks that count as inside, beside those that are private.
    pub networks: Vec<IpNet>,
    /// Accounts whose principals count as insiders everywhere, by id.
    pub accounts: Vec<String>,
}

/// What is said of the things that a pattern takes, as `kind:id`.
#[derive(Debug, Clone)]
pub struct About {
    /// Of which.
    pub things: Pattern,
    /// Who answers for them.
    pub owner: Option<String>,
    /// Where they belong.
    pub environment: Option<Environment>,
    /// How much harm their contents could do.
    pub sensitivity: Option<Sensitivity>,
}

/// What counts as inside.
#[derive(Debug, Default)]
pub(super) struct Inside {
    networks: Box<[IpNet]>,
    accounts: FxHashSet<ScopeId>,
}

impl Builder {
    /// Takes in what is said beside the entries, after all of them.
    pub fn supplement(&mut self, it: &Supplement) {
        let accounts = it.accounts.iter().map(|account| self.mention(account)).collect();
        self.estate.inside = Inside { networks: it.networks.clone().into(), accounts };
        for about in &it.things {
            self.say_of_things(about);
        }
    }

    fn say_of_things(&mut self, about: &About) {
        let owner = about.owner.as_deref().map(|owner| self.name(owner));
        let (environment, sensitivity) = (about.environment, about.sensitivity);
        let put = |place: &mut Option<Environment>| *place = environment.or(*place);
        let own = |place: &mut Option<Name>| *place = owner.or(*place);
        self.each_taken::<FunctionId>(about, |it| {
            put(&mut it.environment);
            own(&mut it.owner);
        });
        self.each_taken::<IdentityId>(about, |it| put(&mut it.environment));
        self.each_taken::<ScopeId>(about, |it| {
            put(&mut it.environment);
            own(&mut it.owner);
        });
        self.each_taken::<ResourceId>(about, |it| {
            put(&mut it.environment);
            own(&mut it.owner);
            it.sensitivity = sensitivity.or(it.sensitivity);
        });
    }

    fn each_taken<K: Kept>(&mut self, about: &About, say: impl Fn(&mut K::Value)) {
        for index in 0..self.estate.count::<K>() {
            let id = K::new(index);
            if about.things.matches(&self.estate.label(id.thing()))
                && let Some(it) = self.get_mut(id)
            {
                say(it);
            }
        }
    }
}

impl Estate {
    /// Whether no stranger calls from a network: it is private, or counts as inside.
    pub fn is_inside(&self, net: &IpNet) -> bool {
        is_private(net) || self.inside.networks.iter().any(|inside| inside.contains(net))
    }

    /// Whether the principals of an account count as insiders everywhere.
    pub fn counts_as_ours(&self, account: ScopeId) -> bool {
        self.inside.accounts.contains(&account)
    }
}

/// Whether no address of a network is reached from the internet (RFC 1918, RFC 4193, loopback, link-local).
pub(crate) fn is_private(net: &IpNet) -> bool {
    static PRIVATE: LazyLock<Vec<IpNet>> = LazyLock::new(|| {
        let all = [
            "10.0.0.0/8",
            "172.16.0.0/12",
            "192.168.0.0/16",
            "127.0.0.0/8",
            "169.254.0.0/16",
            "fc00::/7",
            "fe80::/10",
            "::1/128",
        ];
        all.iter().filter_map(|text| text.parse().ok()).collect()
    });
    PRIVATE.iter().any(|private| private.contains(net))
}
