//! An estate that was loaded, and what is asked of it. It is owned, so that two can be held at once.

use std::collections::{BTreeSet, HashMap};
use std::io::{self, Write};
use std::sync::{Arc, Mutex, PoisonError};

use pasaporte_audit::start::{label, start_here};
use pasaporte_audit::{Audit, Catalogue, Finding, Rule, Settings, Severity, judge};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::{EndpointId, Estate, FunctionId, IdentityId, KeyId, Thing};
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::edit::Lines;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::text::{Form, Source};
use pasaporte_report::accepted::{AcceptancesOut, Accepted, AcceptedOut};
use pasaporte_report::audit::{Findings, Report, write_json};
use pasaporte_report::config::ConfiguredOut;
use pasaporte_report::exhibits::Exhibits;
use pasaporte_report::finding::Texts;
use pasaporte_report::list::{Kind, List};
use pasaporte_report::since::{Now, Saved, SinceOut, Then};
use pasaporte_report::start::StartOut;
use pasaporte_report::{
    Card, EndpointCard, IdentityCard, KeyCard, LookedAt, looked_at, looked_at_for_identity, looked_at_for_key,
};

/// An estate to ask about.
#[derive(Debug)]
pub(crate) struct Session {
    estate: Estate,
    texts: Read,
    settings: Settings,
    /// The file of configuration by which it is judged.
    configured: Option<String>,
    /// What was said of it beside its files.
    beside: Beside,
}

impl Session {
    /// On an estate that was loaded, from these texts.
    pub(crate) fn new(estate: Estate, sources: Vec<Source>, beside: Beside) -> Self {
        let texts = Read { sources, known: Mutex::default() };
        Self { estate, texts, settings: Settings::default(), configured: None, beside }
    }

    /// The same estate with a text laid over it, read again; none where it cannot be, as standard input cannot.
    pub(crate) fn with_laid_over(&self, text: String) -> Option<Result<Self, Diagnostics>> {
        let mut beside = self.beside.clone();
        let sources: Vec<Source> = self
            .texts
            .sources
            .iter()
            .filter(|it| !beside.overlays.iter().any(|over| over.name() == it.name()))
            .cloned()
            .collect();
        if sources.iter().any(|source| matches!(source, Source::Standard)) {
            return None;
        }
        beside.overlays.push(Source::Text { name: "(proposal)".to_owned(), text, form: Form::Yaml });
        let estate = load(&sources, &beside, Diagnostics::default());
        let session = |estate| {
            Self::new(estate, sources, beside).judged(self.settings.clone(), self.configured.clone())
        };
        Some(estate.map(session))
    }

    /// The few changes that close most of the critical findings of an audit; none where there are none, or where looking would
    /// take long.
    pub(crate) fn start_here(&self, audited: &Audited<'_>) -> Option<StartOut> {
        const MOST_FUNCTIONS: usize = 5_000;
        if self.estate.count::<FunctionId>() > MOST_FUNCTIONS {
            return None;
        }
        let elements = start_here(&audited.audit, &audited.findings);
        if elements.is_empty() {
            return None;
        }
        let removed = elements
            .iter()
            .map(|it| format!("  - {}\n", serde_json::Value::String(label(&audited.audit, *it))));
        let text = format!("estate: 1\noverlay: true\nremoved:\n{}", removed.collect::<String>());
        let there = self.with_laid_over(text)?.ok()?;
        let then = there.audit(audited.ran.clone());
        Some(StartOut::new((&audited.audit, &audited.findings), (&then.audit, &then.findings), &elements))
    }

    /// The same, judged as a configuration says.
    pub(crate) fn judged(self, settings: Settings, configured: Option<String>) -> Self {
        Self { settings, configured, ..self }
    }

    /// The estate.
    pub(crate) fn estate(&self) -> &Estate {
        &self.estate
    }

    /// The estate prepared for questions about what is left in effect.
    pub(crate) fn effects(&self) -> Effects<'_> {
        Effects::new(&self.estate)
    }

    /// What some rules find; the blind ones always run, since what was not seen belongs to every answer.
    pub(crate) fn audit(&self, mut chosen: BTreeSet<&'static str>) -> Audited<'_> {
        chosen.retain(|rule| !self.settings.is_off(rule));
        let mut audited = Audited::of(self.prepared(), chosen, &self.texts);
        audited.configured = self.configured.clone().map(|file| ConfiguredOut::new(file, &self.settings));
        audited
    }

    /// A function's passport, with what all rules find on what it rests on, and on nothing else.
    pub(crate) fn card(&self, function: FunctionId) -> Card {
        let audited = self.audit_only(|effects| looked_at(effects, function));
        Card::new(&audited.audit, &audited.findings, function, &self.texts)
    }

    /// A key's passport, likewise; none where it is only mentioned.
    pub(crate) fn card_of_key(&self, key: KeyId) -> Option<KeyCard> {
        let audited = self.audit_only(|effects| looked_at_for_key(effects, key));
        KeyCard::new(&audited.audit, &audited.findings, key, &self.texts)
    }

    /// An identity's passport, likewise.
    pub(crate) fn card_of_identity(&self, identity: IdentityId) -> Option<IdentityCard> {
        let audited = self.audit_only(|effects| looked_at_for_identity(effects, identity));
        IdentityCard::new(&audited.audit, &audited.findings, identity, &self.texts)
    }

    /// An endpoint's passport, likewise.
    pub(crate) fn card_of_endpoint(&self, endpoint: EndpointId) -> Option<EndpointCard> {
        let function = self.estate.get(endpoint)?.function;
        let audited = self.audit_only(|effects| looked_at(effects, function));
        EndpointCard::new(&audited.audit, &audited.findings, endpoint, &self.texts)
    }

    /// What all rules find on some things.
    fn audit_only(&self, things: impl FnOnce(&Effects<'_>) -> Vec<Thing>) -> Audited<'_> {
        let mut audit = self.prepared();
        let things = things(audit.effects());
        audit.look_at_only(things);
        let run = Catalogue::shipped().ids().filter(|rule| !self.settings.is_off(rule)).collect();
        Audited::of(audit, run, &self.texts)
    }

    /// What is there of a kind.
    pub(crate) fn list(&self, kind: Kind) -> List {
        kind.list(&self.prepared())
    }

    /// The estate prepared for its audit.
    pub(crate) fn prepared(&self) -> Audit<'_> {
        Audit::new(&self.estate, self.settings.clone())
    }
}

/// The texts that an estate was read from, read again when a line of theirs is asked for.
#[derive(Debug)]
struct Read {
    sources: Vec<Source>,
    known: Mutex<HashMap<String, Option<Arc<Lines>>>>,
}

impl Texts for Read {
    fn lines(&self, file: &str) -> Option<Arc<Lines>> {
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        let find = || self.sources.iter().find(|source| source.name() == file)?.lines().map(Arc::new);
        known.entry(file.to_owned()).or_insert_with(find).clone()
    }
}

/// The findings of an audit, and what they were looked for in.
pub(crate) struct Audited<'e> {
    pub(crate) audit: Audit<'e>,
    pub(crate) texts: &'e dyn Texts,
    pub(crate) findings: Vec<Finding>,
    pub(crate) looked_at: LookedAt,
    pub(crate) ran: BTreeSet<&'static str>,
    pub(crate) since: Option<Since>,
    pub(crate) accepted: Option<Heeded>,
    pub(crate) configured: Option<ConfiguredOut>,
    pub(crate) start_here: Option<StartOut>,
    exhibits: Option<Exhibits>,
}

/// What somebody answers for, and how it stands to what was found.
pub(crate) struct Heeded {
    accepted: Accepted,
    pub(crate) told: AcceptancesOut,
}

/// An audit that was saved, and how this one stands to it.
pub(crate) struct Since {
    pub(crate) saved: Saved,
    pub(crate) told: SinceOut,
}

impl<'e> Audited<'e> {
    fn of(audit: Audit<'e>, chosen: BTreeSet<&'static str>, texts: &'e dyn Texts) -> Self {
        let wanted = |rule: &&Rule| chosen.contains(rule.id) || is_blind(rule);
        let run: BTreeSet<&str> = audit.catalogue().all().filter(wanted).map(|rule| rule.id).collect();
        let mut findings = judge(&audit, &run);
        // Blind spots are told each by itself; none leads or lies beneath. What is only good to know hides nothing of what
        // is judged.
        let hides = |it: &&Finding| is_blind(audit.rule(it)) && it.severity > Severity::Info;
        let blind_spots = findings.iter().filter(hides).count();
        findings.retain(|finding| chosen.contains(audit.rule(finding).id));
        let looked_at = LookedAt::new(audit.estate(), blind_spots);
        Self {
            audit,
            texts,
            findings,
            looked_at,
            ran: chosen,
            since: None,
            accepted: None,
            configured: None,
            start_here: None,
            exhibits: None,
        }
    }

    /// Holds it against an audit that was saved in a file.
    pub(crate) fn hold_against(&mut self, saved: Saved, file: &str) {
        let accounts = self.looked_at.accounts.iter().filter_map(|it| it.account.clone()).collect();
        let rule = |finding: &Finding| self.audit.rule(finding).id;
        let now = Now { file, findings: &self.findings, rule: &rule, ran: &self.ran, accounts };
        let told = saved.tally(&now);
        self.since = Some(Since { saved, told });
    }

    /// Heeds what somebody answers for.
    pub(crate) fn heed(&mut self, accepted: Accepted) {
        let told = accepted.tally(&self.findings, &self.ran);
        self.accepted = Some(Heeded { accepted, told });
    }

    /// Who answers for a finding, also where the date is past.
    pub(crate) fn acceptance(&self, finding: &Finding) -> Option<AcceptedOut> {
        self.accepted.as_ref().and_then(|heeded| heeded.accepted.of(finding))
    }

    /// Whether a finding counts: nobody answers for it, or not any more.
    pub(crate) fn counts(&self, finding: &Finding) -> bool {
        self.accepted.as_ref().is_none_or(|heeded| !heeded.accepted.is_in_force(finding))
    }

    /// How a finding stands to the audit that was saved, if this one is held against one.
    pub(crate) fn then(&self, finding: &Finding) -> Option<Then> {
        self.since.as_ref().map(|since| since.saved.then(finding))
    }

    /// Works out what reports show beside findings.
    pub(crate) fn exhibit(&mut self) {
        self.exhibits = Some(Exhibits::new(&self.audit, &self.findings));
    }

    /// The audit with what reports show beside findings, where that was worked out.
    pub(crate) fn whole(&self) -> Report<Findings<'_>> {
        Report { exhibits: self.exhibits.clone(), ..self.report() }
    }

    /// Writes the audit as its JSON report.
    pub(crate) fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        write_json(&self.report(), out)
    }

    /// The audit as a value that is written.
    pub(crate) fn report(&self) -> Report<Findings<'_>> {
        let ran = self.audit.catalogue().all().filter(|rule| self.ran.contains(rule.id));
        let looked_at = self.looked_at.clone();
        let version = env!("CARGO_PKG_VERSION");
        let mut report = Report::new(&self.audit, &self.findings, self.texts, ran, looked_at, version);
        report.configured.clone_from(&self.configured);
        report.start_here.clone_from(&self.start_here);
        let report = match &self.since {
            Some(since) => report.held_against(&since.saved, since.told.clone()),
            None => report,
        };
        match &self.accepted {
            Some(heeded) => report.heeding(&heeded.accepted, heeded.told.clone()),
            None => report,
        }
    }
}

fn is_blind(rule: &Rule) -> bool {
    rule.family() == "blind"
}

#[cfg(test)]
mod tests {
    use std::path::Path;

    use super::*;

    fn session(text: &str) -> Session {
        let form = Form::of(Path::new("a.yaml")).unwrap();
        let source = Source::Text { name: "a.yaml".to_owned(), text: text.to_owned(), form };
        let estate = load(std::slice::from_ref(&source), &Beside::default(), Diagnostics::default());
        Session::new(estate.unwrap_or_else(|_| panic!("an estate")), vec![source], Beside::default())
    }

    fn found(session: &Session) -> usize {
        session.audit(BTreeSet::from(["entry/anonymous-endpoint"])).findings.len()
    }

    #[test]
    fn two_estates_are_held_at_once_and_one_goes_before_the_other() {
        let open = session("estate: 1\nfunctions: [{id: horn, endpoints: [{check: none}]}]\n");
        let shut = session("estate: 1\nfunctions: [{id: horn, endpoints: [{check: identity}]}]\n");
        assert_eq!((found(&open), found(&shut)), (1, 0));
        drop(open);
        assert_eq!(found(&shut), 0);
    }
}
