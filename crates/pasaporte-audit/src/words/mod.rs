//! Facts in words: what a finding says, made when somebody asks for it. Nothing is judged here.

mod blind;
mod entry;
pub(crate) mod grant;
mod identity;
mod key;
pub(crate) mod level;
mod path;
pub(crate) mod phrases;
mod seen;
mod surplus;
mod trust;

use pasaporte_core::estate::{Origin, Setting};

use crate::facts::Fact;
use crate::{Audit, Finding};

/// A place that shows what a finding says.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Evidence {
    /// What stands there: "runs as identity:x".
    pub what: String,
    /// Where.
    pub origin: Origin,
}

/// What a finding says, in words.
#[derive(Debug, Clone, Default)]
pub struct Told {
    /// The effective situation, in a few plain sentences.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// Places that show it.
    pub evidence: Vec<Evidence>,
    /// The same change in an entry of the estate, where one field of one entry is all there is to it.
    pub change: Option<Change>,
}

/// A field of an entry set to something: the smallest change of a file that ends a finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The entry.
    pub at: Origin,
    /// The field that the entry stands for where it is written as one word.
    pub stands_for: Option<&'static str>,
    /// The field to set.
    pub field: &'static str,
    /// What to set it to.
    pub to: Setting,
}

impl Told {
    /// A situation, in plain words.
    pub(crate) fn new(situation: impl Into<String>) -> Self {
        Self { situation: situation.into(), ..Self::default() }
    }

    /// The smallest change that ends it.
    pub(crate) fn fix(mut self, fix: impl Into<String>) -> Self {
        self.fix = fix.into();
        self
    }

    /// The same change as a field of an entry.
    pub(crate) fn by_setting(self, at: Origin, field: &'static str, to: Setting) -> Self {
        Self { change: Some(Change { at, stands_for: None, field, to }), ..self }
    }

    /// A place that shows it.
    pub(crate) fn at(mut self, origin: impl Into<Option<Origin>>, what: impl Into<String>) -> Self {
        if let Some(origin) = origin.into() {
            self.evidence.push(Evidence { what: what.into(), origin });
        }
        self
    }
}

/// Who was seen to use an endpoint, and whom closing it would turn away, in a sentence or a few.
pub fn door_use(audit: &Audit<'_>, endpoint: pasaporte_core::estate::EndpointId) -> String {
    seen::at_endpoint(audit, endpoint).trim_start().to_owned()
}

/// What a finding says, worded now.
pub fn told(audit: &Audit<'_>, finding: &Finding) -> Told {
    let mut all: Vec<Told> = finding.facts().map(|fact| tell(audit, fact)).collect();
    // Whichever was seen first: of several that are the same weakness, the first by its words is told, with the places of all.
    all.sort_by(|one, other| (&one.situation, &one.fix).cmp(&(&other.situation, &other.fix)));
    let mut all = all.into_iter();
    let mut told = all.next().unwrap_or_default();
    for more in all {
        told.evidence.extend(more.evidence);
        told.evidence.sort();
        told.evidence.dedup();
    }
    told
}

fn tell(audit: &Audit<'_>, fact: &Fact) -> Told {
    let told = match fact {
        Fact::Entry(fact) => entry::tell(audit, fact),
        Fact::Grant(fact) => Some(grant::tell(audit, fact)),
        Fact::Identity(fact) => identity::tell(audit, fact),
        Fact::Trust(fact) => Some(trust::tell(audit, fact)),
        Fact::Path(fact) => Some(path::tell(audit, fact)),
        Fact::Key(fact) => key::tell(audit, fact),
        Fact::Blind(fact) => blind::tell(audit, fact),
    };
    // What a fact speaks of is in the estate that it was seen in.
    told.unwrap_or_default()
}
