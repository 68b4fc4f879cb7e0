//! Whom and what nothing changed: all that the decision looks at of them is the same, so that it need not be asked.

use super::{Side, hashed};
use crate::estate::{
    AccountOf, CaseOfActions, Check, Condition, CrossAccount, FunctionId, KeyReach, Network, Presents,
    Principal, Statement, StatementId, Test, Thing, Way, canonical, conditions,
};

impl Side<'_, '_> {
    /// All that the decision looks at of a principal, wherever it acts.
    pub(super) fn sign_principal(&self, who: Principal) -> u64 {
        let (effects, estate) = (self.effects, self.estate());
        let mut lines =
            vec![format!("home {}", effects.home(who).map_or_else(String::new, |it| self.account(it)))];
        lines.extend(effects.names(who).iter().map(|name| format!("name {}", estate.principal_label(*name))));
        lines.push(format!("tags {}", self.tags_of_principal(who)));
        effects.for_each_held(who, |id, name| {
            let grant = estate.grant(id);
            let how = format!(
                "{} at {} if {} {}",
                estate.principal_label(name),
                estate.place_label(grant.at),
                conditions(estate, &grant.conditions),
                self.moment(&grant.conditions)
            );
            lines.extend(
                effects.statements_of(grant).map(|it| format!("held {} {how}", self.line(it.statement))),
            );
        });
        let (_, ceilings) = effects.opposing(who);
        for id in &ceilings {
            let mut all: Vec<String> = estate.ceiling(*id).statements.ids().map(|it| self.line(it)).collect();
            all.sort_unstable();
            lines.push(format!("ceiling {}", all.join(" and ")));
        }
        lines.push(format!("accounts {}", effects.has_accounts()));
        hashed(lines)
    }

    /// All that the decision looks at of a thing, whoever acts on it.
    pub(super) fn sign_thing(&self, thing: Thing) -> u64 {
        let (effects, estate) = (self.effects, self.estate());
        let mut lines = vec![format!("account {}", self.account(effects.account_of(thing)))];
        let within = estate.upwards(estate.scope_of(thing)).map(|(id, _)| estate.label(Thing::Scope(id)));
        lines.push(format!("within {}", within.collect::<Vec<_>>().join(" ")));
        lines.push(format!("tags {}", self.tags_of(thing)));
        for id in effects.admissions_on(thing) {
            let it = estate.admission(*id);
            let statement = self.line(it.statement);
            let to = estate.list(it.to).iter();
            lines.extend(to.map(|who| format!("admits {} {statement}", estate.principal_label(*who))));
        }
        lines.push(format!("accounts {}", effects.has_accounts()));
        hashed(lines)
    }

    /// All that the ways into a function come from, but for who may do what; none where that hangs on tokens, of which
    /// nothing is left out.
    pub(super) fn sign_ways(&self, function: FunctionId) -> Option<u64> {
        let (effects, estate) = (self.effects, self.estate());
        let it = estate.get(function)?;
        let mut lines = vec![format!("{} {}", it.state, self.sign_thing(Thing::Function(function)))];
        for &id in estate.endpoints_of(function) {
            let endpoint = estate.get(id)?;
            let check = match endpoint.check {
                Check::Token(_) => return None,
                Check::None => "nothing".to_owned(),
                Check::Identity => "identity".to_owned(),
                Check::Key(reach) => format!("key {reach}"),
            };
            let way = match &endpoint.way {
                Way::Direct => "direct".to_owned(),
                Way::Route { gateway, presents } => {
                    let presents = match presents {
                        Presents::Nothing => "nothing".to_owned(),
                        Presents::Caller => "the caller's".to_owned(),
                        Presents::Identity(id) => estate.label(Thing::Identity(*id)),
                        Presents::Key(id) => estate.label(Thing::Key(*id)),
                        Presents::Service(name) => format!("service {}", estate.text(*name)),
                    };
                    format!("by {} {presents}", estate.text(*gateway))
                }
            };
            let network = match &endpoint.network {
                Network::Internet => "internet".to_owned(),
                Network::Internal => "internal".to_owned(),
                Network::Listed(all) => all.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "),
            };
            let open = effects.tried_open(id).map(|(_, verdict)| verdict);
            let state = endpoint.state;
            let label = estate.label(Thing::Endpoint(id));
            lines.push(format!("{label} {check} {way} {network} {state} {open:?}"));
        }
        for &id in estate.triggers_of(function) {
            let trigger = estate.get(id)?;
            let source = trigger.source.map(|source| (estate.label(source), self.sign_thing(source)));
            let label = estate.label(Thing::Trigger(id));
            lines.push(format!("{label} {source:?} {} {}", estate.text(trigger.kind), trigger.state));
        }
        let keys = effects.keys_opening(function, KeyReach::Function).into_iter();
        lines.extend(keys.map(|(id, verdict)| {
            let reach = estate.get(id).map(|key| key.reach);
            format!("{} {reach:?} {verdict:?}", estate.label(Thing::Key(id)))
        }));
        Some(hashed(lines))
    }

    fn account(&self, account: AccountOf) -> String {
        let estate = self.estate();
        match account {
            AccountOf::Known(id) => {
                let modes = estate.get(id).map_or((false, false), |it| {
                    (it.cross_account == CrossAccount::OneSide, it.action_case == CaseOfActions::Ignored)
                });
                format!("{} {modes:?}", estate.id(id))
            }
            AccountOf::Unnamed => "unnamed".to_owned(),
            AccountOf::Unknown => "unknown".to_owned(),
        }
    }

    fn line(&self, id: StatementId) -> String {
        let statement: &Statement = self.estate().statement(id);
        format!("{} {}", canonical(self.estate(), statement), self.moment(&statement.conditions))
    }

    /// The moment, where conditions ask for it.
    fn moment(&self, conditions: &[Condition]) -> String {
        let asks = |it: &Condition| matches!(it, Condition::Test(_, Test::Before(_) | Test::After(_)));
        let as_of = self.estate().as_of().filter(|_| conditions.iter().any(asks));
        as_of.map_or_else(String::new, |time| time.to_string())
    }

    fn tags_of_principal(&self, who: Principal) -> String {
        who.thing().map_or_else(String::new, |thing| self.tags_of(thing))
    }

    fn tags_of(&self, thing: Thing) -> String {
        let estate = self.estate();
        let tags = self.effects.tags_of(thing).iter();
        let tags = tags.map(|(name, value)| format!("{}={}", estate.text(*name), estate.text(*value)));
        tags.collect::<Vec<_>>().join(",")
    }
}
