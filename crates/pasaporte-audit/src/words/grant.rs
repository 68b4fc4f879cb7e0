//! What is told of what is given.

use std::collections::BTreeSet;

use pasaporte_core::access::Via;
use pasaporte_core::effect::{Breadth, Given, Harm, Impact, Road, ServiceId, Wide, action_in_words};
use pasaporte_core::estate::{Grant, Principal, Statement};

use super::Told;
use super::phrases::{
    but, capitalised, crowd, exposed, holder, listed, narrow, place, selection, set_of, source, times,
};
use super::seen::over;
use crate::Audit;
use crate::facts::{Broad, GrantFact, Reached, ToEverybody, Unused};
use crate::rules::grant::known_services;

pub(super) fn tell(audit: &Audit<'_>, fact: &GrantFact) -> Told {
    match fact {
        GrantFact::AnyAction(it) => {
            let (broad, breadth) = &**it;
            broad.told(audit, &broad.every_action(audit, breadth), "the actions that the code uses")
        }
        GrantFact::WholeService(it) => {
            let (broad, whole) = &**it;
            let names = whole.iter().map(|(service, breadth)| (&**service, breadth));
            broad.told(audit, &broad.every_action_of(audit, names), "the actions that the code uses")
        }
        GrantFact::AnyResource(it) => {
            let (broad, reached) = &**it;
            broad.told(audit, &broad.every_thing(audit, reached), "the resources that the code uses")
        }
        GrantFact::ToEverybody(it) => to_everybody(audit, **it),
        GrantFact::Unused(it) => unused(audit, it),
        _ => super::surplus::tell(audit, fact),
    }
}

/// A grant of which something was never used.
fn unused(audit: &Audit<'_>, it: &Unused) -> Told {
    let estate = audit.estate();
    let grant = estate.grant(it.grant);
    let named: Vec<String> = it.unused.iter().map(|id| estate.pattern(*id).text().to_owned()).collect();
    let used: Vec<String> = it
        .used
        .iter()
        .map(|name| estate.text(*name).to_owned())
        .collect::<BTreeSet<_>>()
        .into_iter()
        .collect();
    let set = set_of(audit, grant);
    let (given, place, over) = (listed(&named), place(estate, grant), over(&it.window));
    let told = if used.is_empty() {
        Told::new(format!("It holds {set} {place}, which gives {given}, and used none of it {over}."))
            .fix("Take the grant away; if nothing misses it within a month, it was not needed.")
    } else {
        Told::new(format!(
            "Of what {set} gives it {place}, it used {} ({}) {over}; it did not use {given}.",
            listed(&used),
            times(it.count),
        ))
        .fix(format!("Take {given} out of what this grant gives."))
    };
    told.at(grant.origin, "the grant")
}

impl Broad {
    /// As too wide: `situation` says how, `narrow_to` to what it should be narrowed.
    fn told(&self, audit: &Audit<'_>, situation: &str, narrow_to: &str) -> Told {
        let (statement, grant) = (self.statement(audit), self.grant(audit));
        let callers = exposed(audit, audit.exposure_of(grant.principal));
        let worst = at_worst(audit, &self.road, self.worst);
        Told::new(format!("{situation}{worst}{callers}"))
            .fix(narrow(audit, &self.road, narrow_to))
            .at(statement.origin, "the statement")
            .at((grant.origin != statement.origin).then_some(grant.origin), "the grant")
    }

    fn every_action(&self, audit: &Audit<'_>, breadth: &Breadth) -> String {
        let effects = audit.effects();
        let actions = but("every action".to_owned(), &effects.taken_out(&self.road, breadth, None));
        let (holder, resources) = (self.holder(audit), self.resources(audit));
        let services = known_services(audit).map(|service| (effects.service(service), breadth));
        let short = self.falls_short(audit, services);
        format!("{holder} may do {actions} on {resources} {}.{short}", source(audit, &self.road))
    }

    fn every_action_of<'b>(
        &self,
        audit: &Audit<'_>,
        whole: impl Iterator<Item = (&'b str, &'b Breadth)> + Clone,
    ) -> String {
        let effects = audit.effects();
        let all_but = |(service, breadth): (&str, &Breadth)| {
            but(service.to_owned(), &effects.taken_out(&self.road, breadth, Some(service)))
        };
        let services: Vec<String> = whole.clone().map(all_but).collect();
        let short =
            self.falls_short(audit, whole.map(|(service, breadth)| (effects.service(service), breadth)));
        format!(
            "{} may do every action of {} on {} {}.{short}",
            self.holder(audit),
            listed(&services),
            self.resources(audit),
            source(audit, &self.road),
        )
    }

    fn every_thing(&self, audit: &Audit<'_>, reached: &[Reached]) -> String {
        let effects = audit.effects();
        let (mut count, mut confidential) = (0, 0);
        let (mut exceptions, mut actions) = (Vec::new(), BTreeSet::new());
        for it in reached {
            let new = Wide::New(effects.fresh_thing(&effects.service_name(it.service), it.within));
            let counted = effects.counted(it.holder, &self.road, it.service, Given::AllOn(&new));
            count += counted.count;
            confidential += counted.confidential;
            exceptions.extend(counted.but);
            actions.extend(counted.acts.iter().map(action_in_words));
        }
        let names: Vec<String> =
            reached.iter().map(|it| effects.service_name(it.service).to_string()).collect();
        let confidential =
            if confidential == 0 { String::new() } else { format!(" ({confidential} confidential)") };
        let at = place(audit.estate(), self.grant(audit));
        let every = but(format!("every {} {at}", listed(&names)), &exceptions);
        let actions: Vec<String> = actions.into_iter().collect();
        format!(
            "{} may do {} on {every}: {count} in the estate today{confidential}. It holds this {}.",
            self.holder(audit),
            listed(&actions),
            source(audit, &self.road),
        )
    }

    fn grant<'e>(&self, audit: &Audit<'e>) -> &'e Grant {
        audit.estate().grant(self.grant)
    }

    fn statement<'e>(&self, audit: &Audit<'e>) -> &'e Statement {
        audit.estate().statement(self.road.statement)
    }

    fn holder(&self, audit: &Audit<'_>) -> String {
        holder(audit, self.road.name(), self.holders)
    }

    fn resources(&self, audit: &Audit<'_>) -> String {
        let estate = audit.estate();
        let resources = selection(estate, estate.resources_picked(self.statement(audit).resources));
        let resources = if resources == "*" { "everything".to_owned() } else { resources };
        format!("{resources} {}", place(estate, self.grant(audit)))
    }

    /// " Not all of it on table:bookings.", where something there stands against it.
    fn falls_short<'b>(
        &self,
        audit: &Audit<'_>,
        services: impl Iterator<Item = (ServiceId, &'b Breadth)>,
    ) -> String {
        let short = services.flat_map(|(service, breadth)| {
            audit.effects().falls_short_on(breadth.holder, &self.road, service, &breadth.on)
        });
        let short: Vec<String> = short.collect::<BTreeSet<String>>().into_iter().collect();
        if short.is_empty() { String::new() } else { format!(" Not all of it on {}.", listed(&short)) }
    }
}

/// " At worst: …", where that is worse than touching data that is not confidential.
fn at_worst(audit: &Audit<'_>, road: &Road, (harm, who): (Harm, Principal)) -> String {
    match harm.impact {
        Impact::ControlsAccess | Impact::ConfidentialData => {
            audit.effects().tell_by(who, *road).map_or_else(String::new, |may| format!(" At worst: {may}."))
        }
        Impact::DataOrSecrets | Impact::RunsCode | Impact::Hygiene => String::new(),
    }
}

fn to_everybody(audit: &Audit<'_>, ToEverybody { who, road }: ToEverybody) -> Told {
    let estate = audit.estate();
    let may = audit.effects().tell_by(who, road).unwrap_or_default();
    let name = estate.principal_label(road.name());
    let as_whom = if road.name() == who { String::new() } else { format!(", as a member of {name}") };
    let crowd = capitalised(&crowd(audit, who));
    let (how, fix, grant) = match road.via {
        Via::Grant { grant, .. } => {
            let to = "what those need whom you can name";
            let fix = format!("Give it to those who need it instead of {name}. {}", narrow(audit, &road, to));
            let how = format!(" They hold this {}{as_whom}.", source(audit, &road));
            (how, fix, Some(estate.grant(grant).origin))
        }
        Via::Admission { .. } | Via::Ceiling(_) => {
            let how = format!(" Its access list says so{as_whom}.");
            (how, format!("Replace `{name}` in its access list by those who need it."), None)
        }
    };
    let origin = estate.statement(road.statement).origin;
    Told::new(format!("{crowd} may {may}.{how}"))
        .fix(fix)
        .at(origin, "the statement")
        .at(grant.filter(|at| *at != origin), "the grant")
}
