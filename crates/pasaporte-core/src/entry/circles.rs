//! In which circles those are who bear a name and may do something: a crowd may get in from anywhere, or only from an
//! account, a network or a source that a condition names, which makes it a narrower circle.

use ipnet::IpNet;

use super::Exposure;
use crate::access::{Access, Action, Context, Known, Question, Verdict};
use crate::effect::Effects;
use crate::estate::{
    AccountOf, Attribute, Condition, Estate, Name, Network, Principal, ScopeId, Test, Thing, Vocabulary,
};

/// A circle of those who bear a name, and what the decision says of them.
#[derive(Debug, Clone)]
pub struct Circle {
    /// Which.
    pub exposure: Exposure,
    /// Surely, or depending on something else.
    pub verdict: Verdict,
    /// What is fixed about them.
    pub given: Context,
}

/// The circle of those of a crowd who call from a network.
fn from_network(estate: &Estate, net: &IpNet, crowd: Exposure) -> Exposure {
    if estate.is_inside(net) { Exposure::Insiders } else { crowd.max(Exposure::Outsider) }
}

/// Values of an attribute that conditions name, beyond which nobody looks.
const MOST_NAMED: usize = 12;

impl Effects<'_> {
    /// The circles of those who bear a name and may do an action on a thing; none of those who may not.
    pub fn circles(&self, who: Principal, action: &Action, on: Thing) -> Vec<Circle> {
        self.circles_as_wide_as(Exposure::Insiders, who, action, on)
    }

    /// Of these the circles that are at least so wide.
    pub fn circles_as_wide_as(
        &self,
        least: Exposure,
        who: Principal,
        action: &Action,
        on: Thing,
    ) -> Vec<Circle> {
        let found = |given: Context, exposure: Exposure| {
            if exposure > least {
                return None;
            }
            let verdict = self.verdict(&Question { principal: who, action, on, given: &given });
            (verdict != Verdict::No).then_some(Circle { exposure, verdict, given })
        };
        if let Principal::Group(_) = who {
            let given = Context::at(self.estate().as_of());
            let verdict = self.best_of(who, action, on, &given);
            let circle = Circle { exposure: Exposure::Insiders, verdict, given };
            return (verdict != Verdict::No).then_some(circle).into_iter().collect();
        }
        let is_crowd = match who {
            Principal::Anyone | Principal::SignedIn | Principal::Service(_) => true,
            Principal::Account(account) => self.is_foreign(account, on),
            _ => false,
        };
        if !is_crowd {
            let given = Context::at(self.estate().as_of());
            let own = self.circle(who, on);
            // Whoever is not of the estate may call from anywhere, or only from where conditions name.
            let anywhere = match own {
                Exposure::Insiders => return found(given, own).into_iter().collect(),
                _ => given
                    .with(Attribute::CallerNetwork, Known::Elsewhere)
                    .with(Attribute::SourceResource, Known::Foreign)
                    .with(Attribute::AccountOfSource, Known::Foreign),
            };
            let named = self.named_in_conditions(who, action, on).networks.into_iter();
            let from = named.map(|net| {
                let circle = from_network(self.estate(), &net, own);
                (anywhere.instead(Attribute::CallerNetwork, Known::Network(net)), circle)
            });
            let all: Vec<(Context, Exposure)> =
                std::iter::once((anywhere.clone(), own)).chain(from).collect();
            return all.into_iter().filter_map(|(given, circle)| found(given, circle)).collect();
        }
        let widest = match who {
            Principal::Service(_) => Exposure::Outsider,
            _ => self.circle(who, on),
        };
        self.circles_of_crowd((least, widest), who, action, on)
    }

    /// The circles of strangers who bear a name and may do an action on a thing, from the least to the widest crowd that
    /// they are.
    pub(super) fn circles_of_crowd(
        &self,
        (least, widest): (Exposure, Exposure),
        who: Principal,
        action: &Action,
        on: Thing,
    ) -> Vec<Circle> {
        let base = self.stranger().instead(Attribute::CallerNetwork, Known::Elsewhere);
        let base = match who {
            Principal::Account(id) => {
                base.instead(Attribute::CallerAccount, Known::Text(self.estate().id(id).to_owned()))
            }
            _ => base,
        };
        let all = self.variants(who, action, on, base, widest).into_iter();
        all.filter(|(_, exposure)| *exposure <= least)
            .filter_map(|(given, exposure)| {
                let verdict = self.verdict(&Question { principal: who, action, on, given: &given });
                (verdict != Verdict::No).then_some(Circle { exposure, verdict, given })
            })
            .collect()
    }

    /// A stranger from nowhere in particular, and those from wherever the conditions at hand name.
    fn variants(
        &self,
        who: Principal,
        action: &Action,
        on: Thing,
        base: Context,
        widest: Exposure,
    ) -> Vec<(Context, Exposure)> {
        let named = self.named_in_conditions(who, action, on);
        let mut all = vec![(base, widest)];
        if named.is_empty() {
            return all;
        }
        // With each value whatever was varied so far.
        let mut vary = |attribute: Attribute, values: Vec<(Known, Exposure)>| {
            let before = all.len();
            for (known, exposure) in values {
                for at in 0..before {
                    let (given, so_far) = &all[at];
                    all.push((given.instead(attribute, known.clone()), exposure.max(*so_far)));
                }
            }
        };
        let networks = named
            .networks
            .iter()
            .map(|net| (Known::Network(*net), from_network(self.estate(), net, Exposure::Outsider)));
        vary(Attribute::CallerNetwork, networks.collect());
        let text = |name: &Name| Known::Text(self.estate().text(*name).to_owned());
        let of_account = |name: &Name| {
            let account = self.estate().find::<ScopeId>(self.estate().text(*name));
            match account {
                Some(account) if !self.is_foreign(account, on) => Exposure::Insiders,
                _ => Exposure::Outsider,
            }
        };
        if !matches!(who, Principal::Account(_)) {
            vary(
                Attribute::CallerAccount,
                named.accounts.iter().map(|name| (text(name), of_account(name))).collect(),
            );
        }
        let sources = named.sources.iter().map(|name| {
            let source = self.estate().thing(self.estate().text(*name));
            let account = source.map_or(AccountOf::Unknown, |source| self.account_of(source));
            let foreign = match account {
                AccountOf::Known(account) => self.is_foreign(account, on),
                AccountOf::Unnamed | AccountOf::Unknown => false,
            };
            (text(name), if foreign { Exposure::Outsider } else { Exposure::Insiders })
        });
        let before = all.len();
        for (known, exposure) in sources {
            let Known::Text(source) = &known else { continue };
            let account = self.account_of_source(source);
            for at in 0..before {
                let (given, so_far) = &all[at];
                let given = given.instead(Attribute::SourceResource, known.clone());
                // The account of a source that the estate has is known; of another it may be any that is named.
                let given = match &account {
                    Some(account) => given.instead(Attribute::AccountOfSource, account.clone()),
                    None => given,
                };
                all.push((given, exposure.max(*so_far)));
            }
        }
        let before = all.len();
        for (known, exposure) in named.owners.iter().map(|name| (text(name), of_account(name))) {
            for at in 0..before {
                let (given, so_far) = &all[at];
                if given.get(Attribute::AccountOfSource) == Some(&Known::Foreign) {
                    let given = given.instead(Attribute::AccountOfSource, known.clone());
                    all.push((given, exposure.max(*so_far)));
                }
            }
        }
        all
    }

    fn named_in_conditions(&self, who: Principal, action: &Action, on: Thing) -> Named {
        let open = Context::default();
        let answer = self.decide(&Question { principal: who, action, on, given: &open });
        let mut named = Named::default();
        for ground in &answer.grounds {
            let estate = self.estate();
            named.take(&estate.statement(ground.statement).conditions);
            if let crate::access::Via::Grant { grant, .. } = ground.via {
                named.take(&estate.grant(grant).conditions);
            }
        }
        named.settle(self);
        named
    }
}

/// What conditions name.
#[derive(Default)]
struct Named {
    networks: Vec<IpNet>,
    accounts: Vec<Name>,
    sources: Vec<Name>,
    owners: Vec<Name>,
}

impl Named {
    fn is_empty(&self) -> bool {
        self.networks.is_empty()
            && [&self.accounts, &self.sources, &self.owners].iter().all(|it| it.is_empty())
    }

    fn take(&mut self, conditions: &[Condition]) {
        for condition in conditions {
            let Condition::Test(attribute, test) = condition else { continue };
            match (attribute, test) {
                (Attribute::CallerNetwork, Test::InNetwork(nets)) => self.networks.extend(nets.iter()),
                (Attribute::CallerAccount, Test::Equals(names) | Test::NotEquals(names)) => {
                    self.accounts.extend(names.iter());
                }
                (Attribute::SourceResource, Test::Equals(names) | Test::NotEquals(names)) => {
                    self.sources.extend(names.iter());
                }
                (Attribute::AccountOfSource, Test::Equals(names) | Test::NotEquals(names)) => {
                    self.owners.extend(names.iter());
                }
                _ => {}
            }
        }
    }

    /// Each once, in an order of their own, and not without end.
    fn settle(&mut self, access: &Access<'_>) {
        self.networks.sort_unstable();
        self.networks.dedup();
        self.networks.truncate(MOST_NAMED);
        for names in [&mut self.accounts, &mut self.sources, &mut self.owners] {
            names.sort_unstable_by_key(|name| access.estate().text(*name).to_owned());
            names.dedup();
            names.truncate(MOST_NAMED);
        }
    }
}

impl Access<'_> {
    /// The circle of those who bear a principal's name, seen from a thing.
    pub fn circle(&self, who: Principal, from: Thing) -> Exposure {
        match who {
            Principal::Anyone => Exposure::Anyone,
            Principal::SignedIn => Exposure::SignedIn,
            Principal::Outside(_) => Exposure::Outsider,
            Principal::Account(account) if self.is_foreign(account, from) => Exposure::Outsider,
            Principal::Key(_) | Principal::Token(_) => Exposure::KeyHolders,
            Principal::Account(_)
            | Principal::User(_)
            | Principal::Identity(_)
            | Principal::Service(_)
            | Principal::Group(_) => Exposure::Insiders,
        }
    }

    /// Whether an account is another one than the thing's, and does not count as ours.
    pub fn is_foreign(&self, account: ScopeId, thing: Thing) -> bool {
        self.estate().account_of(thing) != AccountOf::Known(account) && !self.estate().counts_as_ours(account)
    }
}

/// Whoever is let in from some networks only is a known party: an outsider, or an insider where
/// those networks are private or count as inside.
pub(super) fn narrowed(estate: &Estate, to: Exposure, network: &Network) -> Exposure {
    match network {
        Network::Internet => to,
        Network::Internal => Exposure::Insiders,
        Network::Listed(_) if super::faces_internet(network) => to,
        Network::Listed(networks) if networks.iter().all(|net| estate.is_inside(net)) => Exposure::Insiders,
        Network::Listed(_) => to.max(Exposure::Outsider),
    }
}

impl std::fmt::Display for Circle {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.exposure.word())
    }
}
