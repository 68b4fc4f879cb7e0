//! What was observed, and what was not seen.

use pasaporte_core::estate::{self as model, Answered, CameFrom, Client, Outcome, least_clients};
use pasaporte_core::pattern::Pattern;

use super::{Converter, Short, moment};
use crate::estate::entries;
use crate::estate::observed::{Clients, Showed};
use crate::estate::values::Moment;
use crate::text::Position;

impl Converter<'_, '_> {
    pub(super) fn used(&mut self, it: &entries::Used<'_>) {
        let used = model::Use {
            who: self.principal(&it.who),
            did: self.builder.name(it.did.text),
            to: it.to.as_ref().map(|thing| self.thing(thing)),
            outcome: it.outcome.map_or(Outcome::Allowed, |word| word.0),
            through: it.through.map(|through| self.builder.mention(through.0)),
            tally: self.tally(it.count, it.first, it.last, it.clients, it.at),
            origin: self.origin(it.at),
        };
        self.builder.used(used);
    }

    pub(super) fn called(&mut self, it: &entries::Called<'_>) {
        let called = model::Call {
            endpoint: self.builder.mention(it.endpoint.0),
            method: self.method(it.method),
            answered: it.answer.map_or(Answered::Unsaid, |word| word.0),
            showed: self.showed(&it.showed),
            from: it.came_from.map_or(CameFrom::Unsaid, |word| word.0),
            tally: self.tally(it.count, it.first, it.last, it.clients, it.at),
            origin: self.origin(it.at),
        };
        self.builder.called(called);
    }

    pub(super) fn seen(&mut self, it: &entries::Seen<'_>) {
        let what = self.showed(&it.showed);
        if matches!(what, model::Showed::Unsaid | model::Showed::Nothing | model::Showed::Principal(_)) {
            let help = "write key:ID, unknown-key:FINGERPRINT, token:ID, or {issuer: …, subject: …}";
            self.report.wrong_at(it.at, 1, "a sighting is of a key or a token", help);
            return;
        }
        let seen = model::Sighting {
            what,
            place: it.place.0,
            on: it.on.as_ref().map(|thing| self.thing(thing)),
            tally: self.tally(it.count, it.first, it.last, it.clients, it.at),
            origin: self.origin(it.at),
        };
        self.builder.seen(seen);
    }

    fn showed(&mut self, it: &Showed<'_>) -> model::Showed {
        match it {
            Showed::Unsaid => model::Showed::Unsaid,
            Showed::Nothing => model::Showed::Nothing,
            Showed::Key(id) => model::Showed::Key(self.builder.mention(id)),
            Showed::UnknownKey(print) => {
                model::Showed::UnknownKey(print.map(|print| self.builder.name(print)))
            }
            Showed::Token(id) => model::Showed::Token(self.builder.mention(id)),
            Showed::Issued(it) => {
                model::Showed::Issued(self.name(it.issuer.as_ref()), self.name(it.subject.as_ref()))
            }
            Showed::Principal(who) => model::Showed::Principal(self.principal(who)),
        }
    }

    fn tally(
        &mut self,
        count: Option<u64>,
        first: Option<Moment>,
        last: Option<Moment>,
        clients: Clients<'_>,
        at: Position,
    ) -> model::Tally {
        // A row with one time is one of that time.
        let (first, last) = (moment(first.or(last)), moment(last.or(first)));
        if matches!((first, last), (Some(first), Some(last)) if first > last) {
            self.report.wrong_at(
                at,
                1,
                "it was last seen before it was first seen",
                "`first` is not after `last`",
            );
        }
        let hashes: Short<Client> = clients.hashes.iter().map(|hash| Client(hash.0)).collect();
        let kept = least_clients(&hashes, &[]);
        model::Tally {
            count: count.unwrap_or(1),
            first,
            last,
            clients: self.builder.list(&kept),
            at_least: clients.at_least,
        }
    }

    pub(super) fn coverage(&mut self, it: &entries::Coverage<'_>) {
        if it.from.0 >= it.to.0 {
            self.report.wrong_at(it.at, 1, "the logs end before they begin", "`from` is earlier than `to`");
        }
        let actions = it.actions.0.iter().filter_map(|action| Pattern::parse(action.0).ok()).collect();
        let coverage = model::LogCoverage {
            scope: self.builder.mention(it.scope.text),
            actions,
            hosts: self.list(it.hosts.0),
            from: it.from.0,
            to: it.to.0,
            lines: it.lines,
            bad: it.bad,
            origin: self.origin(it.at),
        };
        self.builder.log(coverage);
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
