//! Whom and what nothing changed: all that the decision looks at of them is the same, so that it need not be asked.

use super::{Side, hashed};
use crate::estate::{
    AccountOf, CaseOfActions, Condition, CrossAccount, Principal, Statement, StatementId, Test, Thing,
    canonical, conditions,
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
