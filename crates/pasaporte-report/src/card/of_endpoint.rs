//! An endpoint's passport: whom it lets in, who came, and what is behind it.

use std::collections::BTreeSet;

use pasaporte_audit::{Audit, Finding, door_use};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Check, EndpointId, Environment, Thing};
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::Serialize;

use super::{WayIn, findings_about, ways_in};
use crate::finding::{FindingOut, Texts};
use crate::{Entered, PlaceOut, VERSION, account};

/// An endpoint's passport.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte card of an endpoint, version 1")]
pub struct EndpointCard {
    /// The version of this output.
    pub card_of_endpoint: u64,
    /// The endpoint.
    pub endpoint: String,
    /// The function behind it.
    pub function: String,
    /// What that runs as.
    pub runs_as: Option<String>,
    /// The platform it is on.
    pub platform: Option<String>,
    /// The account it is of.
    pub account: Option<String>,
    /// The environment it is judged by.
    pub environment: Option<Word<Environment>>,
    /// Its address, where that is known.
    pub url: Option<String>,
    /// The widest circle of strangers who get in by it.
    pub exposed_to: Word<Exposure>,
    /// The way in: what it asks, whom it lets in, who came.
    pub way: WayIn,
    /// Who was seen to use it, and whom closing it would turn away, in a sentence or a few.
    pub used: String,
    /// The worst that what is behind it may do, in words; null where that is no more than running code.
    pub may: Option<String>,
    /// What the audit finds about it.
    pub findings: Vec<FindingOut>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

impl EndpointCard {
    /// An endpoint's passport, with those of an audit's findings that are about it; none where it is not in the estate.
    pub fn new(audit: &Audit<'_>, findings: &[Finding], id: EndpointId, texts: &dyn Texts) -> Option<Self> {
        let (estate, effects) = (audit.estate(), audit.effects());
        let it = estate.get(id)?;
        let (thing, function) = (Thing::Endpoint(id), Thing::Function(it.function));
        let identity = estate.get(it.function).and_then(|it| estate.runs_as(it));
        let label = estate.label(thing);
        let entered = Entered::new(effects, it.function);
        let way = ways_in(audit, it.function, &entered)
            .into_iter()
            .find(|way| way.thing.as_ref() == Some(&label))?;
        let mut about = BTreeSet::from([thing]);
        if let Check::Token(verifier) = it.check {
            about.insert(Thing::Verifier(verifier));
        }
        let found = findings_about(findings, &about);
        Some(Self {
            card_of_endpoint: VERSION,
            endpoint: label,
            function: estate.label(function),
            runs_as: identity.map(|id| estate.label(Thing::Identity(id))),
            platform: estate.platform(estate.scope_of(function)).map(|name| estate.text(name).to_owned()),
            account: account(estate, function),
            environment: audit.environment(it.function).map(Word),
            url: it.url.map(|url| estate.text(url).to_owned()),
            exposed_to: Word(effects.exposure_at(id).to),
            way,
            used: door_use(audit, id),
            may: identity.and_then(|id| audit.may(id)).map(str::to_owned),
            findings: found.map(|(it, leading)| FindingOut::of(it, leading, audit, texts)).collect(),
            read_from: Some(PlaceOut::new(estate, it.origin)),
        })
    }
}
