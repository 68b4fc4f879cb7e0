//! What the lists share: columns, closed words, and cells that several have.

use pasaporte_audit::{Audit, Harm};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{AccountOf, Environment, Name, Origin, ScopeKind, State, Thing};

use super::{Cell, Holds, Said};

pub(super) use super::column;
pub(super) use crate::dates::date;

/// The words of a closed set.
pub(super) const fn words<T: Copy, const N: usize>(all: &'static [(&'static str, T)]) -> [&'static str; N] {
    let mut words = [""; N];
    let mut at = 0;
    while at < N {
        words[at] = all[at].0;
        at += 1;
    }
    words
}

/// The words of a closed set, as what a column holds.
macro_rules! words_of {
    ($set:ty) => {
        Holds::Words({
            const ALL: &[(&str, $set)] = <$set as pasaporte_core::estate::Vocabulary>::ALL;
            const WORDS: [&str; ALL.len()] = $crate::list::shared::words(ALL);
            &WORDS
        })
    };
}
pub(super) use words_of;

pub(super) const YES: Holds = Holds::Words(&["yes", "no"]);
pub(super) const ENVIRONMENTS: Holds = words_of!(Environment);
pub(super) const STATES: Holds = words_of!(State);
pub(super) const SCOPES: Holds = words_of!(ScopeKind);

/// The circles of callers, and nobody.
pub(super) const CIRCLES: Holds = Holds::Words({
    const ALL: &[(&str, Exposure)] = <Exposure as pasaporte_core::estate::Vocabulary>::ALL;
    const COUNT: usize = ALL.len();
    const WORDS: [&str; COUNT + 1] = {
        let known: [&str; COUNT] = words(ALL);
        let mut all = ["nobody"; COUNT + 1];
        let mut at = 0;
        while at < COUNT {
            all[at] = known[at];
            at += 1;
        }
        all
    };
    &WORDS
});

/// The worst that can be done, as sure as that is.
pub(super) fn impact(harm: Harm) -> Cell {
    let perhaps = harm.impact != harm.surely_at_least;
    Cell::Text(Said { perhaps, ..Said::plain(harm.impact.to_string()) })
}

/// The platform and account that a thing is of.
pub(super) fn place(audit: &Audit<'_>, thing: Thing) -> [Cell; 2] {
    let estate = audit.estate();
    let account = match estate.account_of(thing) {
        AccountOf::Known(account) => Cell::text(estate.id(account)),
        AccountOf::Unnamed | AccountOf::Unknown => Cell::Nothing,
    };
    let platform = estate.platform(estate.scope_of(thing));
    [Cell::maybe(platform.map(|name| estate.text(name))), account]
}

/// A name, if there is one.
pub(super) fn named(audit: &Audit<'_>, name: Option<Name>) -> Cell {
    Cell::maybe(name.map(|name| audit.estate().text(name)))
}

/// A file and a line of it.
pub(super) fn read_from(audit: &Audit<'_>, origin: Origin) -> Cell {
    Cell::text(format!("{}:{}", audit.estate().path(origin.file), origin.line))
}
