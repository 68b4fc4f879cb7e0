//! What was observed, and what was not seen.

use pasaporte_core::estate as model;
use pasaporte_core::pattern::Pattern;

use super::{Converter, moment};
use crate::estate::entries;

impl Converter<'_, '_> {
    pub(super) fn usage(&mut self, it: &entries::Usage<'_>) {
        let usage = model::Usage {
            principal: self.principal(&it.who),
            action: self.builder.name(it.did.text),
            on: it.to.as_ref().map(|thing| self.thing(thing)),
            count: it.count.unwrap_or(1),
            first: moment(it.first),
            last: moment(it.last),
            origin: self.origin(it.at),
        };
        self.builder.usage(usage);
    }

    pub(super) fn coverage(&mut self, it: &entries::Coverage<'_>) {
        if it.from.0 >= it.to.0 {
            self.report.wrong_at(it.at, 1, "the logs end before they begin", "`from` is earlier than `to`");
        }
        let actions = it.actions.0.iter().filter_map(|action| Pattern::parse(action.0).ok()).collect();
        let coverage = model::LogCoverage {
            scope: self.builder.mention(it.scope.text),
            actions,
            from: it.from.0,
            to: it.to.0,
            origin: self.origin(it.at),
        };
        self.builder.coverage(coverage);
    }

    pub(super) fn blind_spot(&mut self, it: &entries::BlindSpot<'_>) {
        let spot = model::BlindSpot {
            what: self.builder.name(it.what.0),
            why: self.name(it.why.as_ref()),
            hides: self.name(it.hides.as_ref()),
            scope: self.mention(it.scope.as_ref()),
            origin: self.origin(it.at),
        };
        self.builder.blind_spot(spot);
    }
}
