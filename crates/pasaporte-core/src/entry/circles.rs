//! In which circles those are who bear a name and may do something: a crowd may get in from anywhere, or only from an
//! account, a network or a source that a condition names, which makes it a narrower circle.

use ipnet::IpNet;
use smallvec::SmallVec;

use super::Exposure;
use crate::access::{Access, Action, Answer, Context, Ground, Known, Question, Verdict, Via};
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

impl<'e> Effects<'e> {
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
        self.circles_by(least, (who, action, on), None)
    }

    /// How wide those circles are that are wider than insiders, and what the decision says of each.
    pub(super) fn outer_circles(
        &self,
        who: Principal,
        action: &Action,
        on: Thing,
    ) -> SmallVec<[(Exposure, Verdict); 1]> {
        if !self.may_be_outside(who, on) {
            return SmallVec::new();
        }
        let (is_crowd, widest) = self.crowd(who, on);
        let answer = self.decide(&Question { principal: who, action, on, given: self.now() });
        if is_crowd && self.is_plainly(&answer) {
            let circle = (answer.verdict != Verdict::No).then_some((widest, answer.verdict));
            return circle.into_iter().collect();
        }
        let circles = self.circles_by(Exposure::KeyHolders, (who, action, on), Some(&answer));
        circles.into_iter().map(|it| (it.exposure, it.verdict)).collect()
    }

    /// Whether those who bear a name may be of a wider circle than insiders, seen from a thing.
    pub(super) fn may_be_outside(&self, who: Principal, on: Thing) -> bool {
        let (is_crowd, widest) = self.crowd(who, on);
        is_crowd || widest != Exposure::Insiders
    }

    /// Whether those who bear a name are a crowd seen from a thing, and in which circle they are at the widest.
    fn crowd(&self, who: Principal, on: Thing) -> (bool, Exposure) {
        match who {
            Principal::Anyone | Principal::SignedIn => (true, self.circle(who, on)),
            Principal::Service(_) => (true, Exposure::Outsider),
            Principal::Account(account) => (self.is_foreign(account, on), self.circle(who, on)),
            _ => (false, self.circle(who, on)),
        }
    }

    /// The same where the question may have been answered already, whatever was given then.
    pub(super) fn circles_by(
        &self,
        least: Exposure,
        (who, action, on): (Principal, &Action, Thing),
        known: Option<&Answer<'_>>,
    ) -> Vec<Circle> {
        let now = Context::at(self.estate().as_of());
        let here = |verdict, given| {
            let circle = Circle { exposure: Exposure::Insiders, verdict, given };
            (verdict != Verdict::No && least == Exposure::Insiders).then_some(circle).into_iter().collect()
        };
        if let Principal::Group(_) = who {
            return here(self.best_of(who, action, on, &now), now);
        }
        let (is_crowd, widest) = self.crowd(who, on);
        if !is_crowd && widest == Exposure::Insiders {
            let asked = || self.verdict(&Question { principal: who, action, on, given: &now });
            let plain = known.filter(|answer| self.is_plainly(answer));
            return here(plain.map_or_else(asked, |answer| answer.verdict), now);
        }
        let asked;
        let answer = if let Some(answer) = known {
            answer
        } else {
            asked = self.decide(&Question { principal: who, action, on, given: &now });
            &asked
        };
        if is_crowd {
            return self.circles_of_crowd((least, widest), (who, action, on), answer);
        }
        // Whoever is not of the estate may call from anywhere, or only from where conditions name.
        let anywhere = now
            .with(Attribute::CallerNetwork, Known::Elsewhere)
            .with(Attribute::SourceResource, Known::Foreign)
            .with(Attribute::AccountOfSource, Known::Foreign);
        let networks = self.named_in(answer).networks.into_iter();
        let from = networks.map(|net| {
            let circle = from_network(self.estate(), &net, widest);
            (anywhere.instead(Attribute::CallerNetwork, Known::Network(net)), circle)
        });
        let all = std::iter::once((anywhere.clone(), widest)).chain(from).collect();
        self.of_those((who, action, on), answer, all, least)
    }

    /// The circles of strangers who bear a name and may do an action on a thing, from the least to the widest crowd that
    /// they are; by an answer to that question, whatever was given.
    pub(super) fn circles_of_crowd(
        &self,
        (least, widest): (Exposure, Exposure),
        (who, action, on): (Principal, &Action, Thing),
        answer: &Answer<'_>,
    ) -> Vec<Circle> {
        let base = self.stranger().instead(Attribute::CallerNetwork, Known::Elsewhere);
        let base = match who {
            Principal::Account(id) => {
                base.instead(Attribute::CallerAccount, Known::Text(self.estate().id(id).to_owned()))
            }
            _ => base,
        };
        let all = self.variants(who, on, &self.named_in(answer), (base, widest), least);
        self.of_those((who, action, on), answer, all, least)
    }

    /// Those of some circles that may, of which something is given each.
    fn of_those(
        &self,
        (principal, action, on): (Principal, &Action, Thing),
        answer: &Answer<'_>,
        all: Vec<(Context, Exposure)>,
        least: Exposure,
    ) -> Vec<Circle> {
        let is_plain = self.is_plainly(answer);
        let wide = all.into_iter().filter(|(_, exposure)| *exposure <= least);
        let circles = wide.map(|(given, exposure)| {
            let asked = || self.verdict(&Question { principal, action, on, given: &given });
            let verdict = if is_plain { answer.verdict } else { asked() };
            Circle { exposure, verdict, given }
        });
        circles.filter(|circle| circle.verdict != Verdict::No).collect()
    }

    /// A stranger from nowhere in particular, and those from wherever the conditions at hand name, as far as their circles
    /// are at least so wide.
    fn variants(
        &self,
        who: Principal,
        on: Thing,
        named: &Named,
        widest: (Context, Exposure),
        least: Exposure,
    ) -> Vec<(Context, Exposure)> {
        let mut all = vec![widest];
        if named.is_empty() {
            return all;
        }
        // With each value whatever was varied so far.
        let mut vary = |attribute: Attribute, values: Vec<(Known, Exposure)>| {
            let before = all.len();
            for (known, exposure) in values.into_iter().filter(|(_, exposure)| *exposure <= least) {
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
        for (known, exposure) in sources.filter(|(_, exposure)| *exposure <= least) {
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
        let owners = named.owners.iter().map(|name| (name, of_account(name)));
        for (known, exposure) in owners.filter(|(_, exposure)| *exposure <= least) {
            let known = text(known);
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

    /// Whether no condition bears on an answer, so that it is the same whatever is given.
    fn is_plainly(&self, answer: &Answer<'_>) -> bool {
        answer.grounds.iter().all(|ground| self.conditions_of(ground).next().is_none())
    }

    /// What the conditions of an answer name.
    fn named_in(&self, answer: &Answer<'_>) -> Named {
        let mut named = Named::default();
        answer.grounds.iter().for_each(|ground| named.take(self.conditions_of(ground)));
        named.settle(self);
        named
    }

    /// What has to hold for a statement that an answer rests on.
    fn conditions_of(&self, ground: &Ground<'_>) -> impl Iterator<Item = &'e Condition> {
        let estate = self.estate();
        let of_grant = match ground.via {
            Via::Grant { grant, .. } => &estate.grant(grant).conditions[..],
            Via::Admission { .. } | Via::Ceiling(_) => &[],
        };
        estate.statement(ground.statement).conditions.iter().chain(of_grant)
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

    fn take<'c>(&mut self, conditions: impl Iterator<Item = &'c Condition>) {
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
