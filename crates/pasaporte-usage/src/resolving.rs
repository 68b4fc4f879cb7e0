//! What of the estate an event is about, and which rows it counts in.

use pasaporte_core::access::INVOKE;
use pasaporte_core::estate::{Answered, CameFrom, EndpointId, Outcome, SeenIn, Thing, Vocabulary};
use smallvec::SmallVec;

use crate::adding::{Digester, Known, Named};
use crate::event::{Event, In};
use crate::format::Bad;
use crate::ledger::{Row, Showed};
use crate::secrets::{Secrets, Whose};

/// What was seen, and in what.
type Sightings = SmallVec<[(Showed, SeenIn); 1]>;

/// Resolving: what of the estate an event is about.
impl Digester<'_, '_> {
    pub(crate) fn resolve(&mut self, event: &Event<'_>, from: CameFrom) -> Result<Known, Bad> {
        if event.did.is_some() { self.resolve_use(event) } else { self.resolve_call(event, from) }
    }

    fn resolve_use(&mut self, event: &Event<'_>) -> Result<Known, Bad> {
        let places = self.reading.places;
        let did = event.did.ok_or(Bad::NotOfTheFormat)?;
        let action = self.named(Named::Action, did, |_| is_action(did).then(|| did.to_owned()));
        let action = action.ok_or(Bad::NotOfTheFormat)?;
        let outcome = match event.outcome {
            None => Outcome::Allowed,
            Some(word) => Outcome::parse(word).ok_or(Bad::NotOfTheFormat)?,
        };
        let function = event.function.or(event.to.filter(|to| to.starts_with("function:")));
        let function = function.and_then(|name| places.function(name));
        let through = event.through.and_then(|text| places.trigger(text, function));
        let kind = through.and_then(|id| {
            let trigger = places.estate().find::<pasaporte_core::estate::TriggerId>(id)?;
            Some(places.estate().text(places.estate().get(trigger)?.kind))
        });
        let who = match event.who.or(event.user) {
            Some(text) => self.named(Named::Somebody, text, |places| places.who(text)),
            // What made it run is all that is known of who did.
            None => kind.map(|kind| self.part.ledger.name(&format!("service:{kind}"))),
        };
        let Some(who) = who else {
            let what = event
                .who
                .or(event.user)
                .map_or_else(|| "nobody named".to_owned(), |who| format!("who {}", shown_label(who)));
            return Ok(Known { unplaced: Some(what), ..Known::default() });
        };
        let to = match (did == INVOKE, function) {
            (true, Some(function)) => {
                let label = places.estate().label(Thing::Function(function));
                Some(self.part.ledger.name(&label))
            }
            _ => event.to.and_then(|text| {
                self.named(Named::Something, text, |places| Some(places.estate().label(places.thing(text)?)))
            }),
        };
        let ledger = &mut self.part.ledger;
        let through = through.map(|id| ledger.name(id));
        let row = Row::Used { who, did: action, to, outcome, through };
        Ok(Known { rows: SmallVec::from_slice(&[ledger.place(row)]), ..Known::default() })
    }

    fn resolve_call(&mut self, event: &Event<'_>, from: CameFrom) -> Result<Known, Bad> {
        let places = self.reading.places;
        let method = method(event.method);
        let path = event.path.unwrap_or("/");
        let host = event.host.or(self.reading.wanted.host.as_deref());
        let by_host = host.and_then(|host| places.endpoint(host, path, method));
        let by_id = || event.endpoint.and_then(|id| places.endpoint_named(id));
        let by_function = || {
            let function = event.function.and_then(|name| places.function(name))?;
            places.only_endpoint(function)
        };
        let Some(endpoint) = by_id().or(by_host).or_else(by_function) else {
            return Ok(self.unplaced_call(event, host));
        };
        let host = host.filter(|_| by_host == Some(endpoint)).map(|host| self.host(endpoint, host));
        let (showed, sightings) = self.shown(event)?;
        let id = places.endpoint_id(endpoint);
        let ledger = &mut self.part.ledger;
        let row = Row::Called {
            endpoint: ledger.name(id),
            method: ledger.name(method),
            answered: event.status.map_or(Answered::Unsaid, Answered::of),
            showed,
            from,
        };
        let mut rows = SmallVec::from_slice(&[ledger.place(row)]);
        let on = ledger.name(&format!("endpoint:{id}"));
        for (showed, place) in sightings {
            rows.push(ledger.place(Row::Seen { showed, place, on: Some(on) }));
        }
        Ok(Known { rows, host, unplaced: None })
    }

    fn unplaced_call(&self, event: &Event<'_>, host: Option<&str>) -> Known {
        let places = self.reading.places;
        let what = match (host, event.function, event.endpoint) {
            (_, _, Some(endpoint)) => format!("endpoint {}", shown_label(endpoint)),
            (Some(host), _, _) if places.knows_host(host) => {
                format!("path {} at host {}", shown_path(event.path.unwrap_or("/")), shown_host(host))
            }
            (Some(host), _, _) => format!("host {}", shown_host(host)),
            (None, Some(function), _) => format!("function {}", shown_label(function)),
            (None, None, None) => format!("path {} at no host", shown_path(event.path.unwrap_or("/"))),
        };
        Known { unplaced: Some(what), ..Known::default() }
    }

    /// The place of a host among those of the thread.
    fn host(&mut self, endpoint: EndpointId, host: &str) -> u32 {
        let places = self.reading.places;
        let function = places.estate().get(endpoint).map(|it| it.function);
        let account =
            function.and_then(|function| places.account(Thing::Function(function))).unwrap_or_default();
        let host = pasaporte_core::usage::host_of(host).to_ascii_lowercase();
        let key = (account.to_owned(), host);
        let place = self.hosts.iter().position(|(known, _)| *known == key).unwrap_or_else(|| {
            self.hosts.push((key, None));
            self.hosts.len() - 1
        });
        place as u32
    }

    /// What a caller showed, and where what they showed was seen.
    fn shown(&mut self, event: &Event<'_>) -> Result<(Showed, Sightings), Bad> {
        let (places, secrets) = (self.reading.places, self.reading.secrets);
        let mut sightings = Sightings::new();
        let mut best: Option<Showed> = None;
        let query = event
            .path
            .and_then(|path| path.split_once('?'))
            .map(|(_, query)| query.split('#').next().unwrap_or_default());
        for (name, value) in query.into_iter().flat_map(|query| url::form_urlencoded::parse(query.as_bytes()))
        {
            if secrets.carries(&name)
                && let Some(showed) = self.shown_as(secrets.whose(&value))
            {
                best.get_or_insert(showed);
                sightings.push((showed, SeenIn::RequestUrl));
            }
        }
        for credential in &event.credentials {
            if credential.place != In::Field && !secrets.carries(credential.name) {
                continue;
            }
            let Some(showed) = self.shown_as(secrets.whose(credential.value)) else { continue };
            // What is known says more than what is not.
            let is_known = |showed: &Showed| matches!(showed, Showed::Said(name) if !self.part.ledger.text(*name).starts_with("unknown"));
            if best.is_none_or(|known| !is_known(&known) && is_known(&showed)) {
                best = Some(showed);
            }
            match credential.place {
                In::Header => sightings.push((showed, SeenIn::Header)),
                In::Body => sightings.push((showed, SeenIn::Body)),
                In::Field => {}
            }
        }
        if let Some(said) = event.showed {
            if !places.shown(said) {
                return Err(Bad::NotOfTheFormat);
            }
            return Ok((Showed::Said(self.part.ledger.name(said)), sightings));
        }
        if let Some(best) = best {
            return Ok((best, sightings));
        }
        let user = event.user.filter(|user| *user != "-");
        if let Some(who) = user.and_then(|user| places.who(user)) {
            return Ok((Showed::Said(self.part.ledger.name(&who)), sightings));
        }
        if (user.is_some() || event.issuer.is_some())
            && let Some(showed) = self.shown_as(secrets.issued(event.issuer, user))
        {
            return Ok((showed, sightings));
        }
        let showed = Showed::Said(self.part.ledger.name(if event.tells_all { "nothing" } else { "unsaid" }));
        Ok((showed, sightings))
    }

    fn shown_as(&mut self, whose: Whose) -> Option<Showed> {
        let ledger = &mut self.part.ledger;
        Some(match whose {
            Whose::Nobody => return None,
            Whose::Said(said) => Showed::Said(ledger.name(&said)),
            Whose::Issued(issuer, subject) => {
                Showed::Issued(issuer.map(|it| ledger.name(&it)), subject.map(|it| ledger.name(&it)))
            }
        })
    }

    /// Keys and tokens of the estate in what code wrote.
    pub(crate) fn of_text(&mut self, event: &Event<'_>, text: &str) -> Known {
        let places = self.reading.places;
        let function = event.function.and_then(|name| places.function(name));
        let Some(function) = function else {
            let what = event.function.map(|name| format!("function {}", shown_label(name)));
            return Known { unplaced: what, ..Known::default() };
        };
        let mut rows = SmallVec::new();
        for value in values_in(text, self.reading.secrets) {
            let whose = self.reading.secrets.whose(value);
            // Of what is not known it cannot be said that it is a key at all.
            let is_known = matches!(&whose, Whose::Said(said) if !said.starts_with("unknown"));
            if !is_known && !matches!(whose, Whose::Issued(Some(_), _)) {
                continue;
            }
            let Some(showed) = self.shown_as(whose) else { continue };
            let ledger = &mut self.part.ledger;
            let on = ledger.name(&places.estate().label(Thing::Function(function)));
            rows.push(ledger.place(Row::Seen { showed, place: SeenIn::LogText, on: Some(on) }));
        }
        Known { rows, ..Known::default() }
    }
}

/// Values in a text that may be keys: after a name that carries them, or long runs of what keys are made of.
fn values_in<'t>(text: &'t str, secrets: &Secrets) -> Vec<&'t str> {
    const SHORTEST: usize = 8;
    const MOST: usize = 32;
    const LONG: usize = 20;
    let in_value = |each: char| each.is_ascii_alphanumeric() || "._-~+/=".contains(each);
    let mut all = Vec::new();
    let mut name = "";
    for run in text.split(|each: char| !in_value(each)).filter(|run| !run.is_empty()) {
        // `name=value` is one run, and `"name": "value"` two.
        let (before, value) = match run.split_once('=') {
            Some((before, value)) if !value.is_empty() && !value.chars().all(|it| it == '=') => {
                (before, value)
            }
            _ => (name, run),
        };
        if value.len() >= SHORTEST && (secrets.carries(before) || value.len() >= LONG) {
            all.push(value);
            if all.len() == MOST {
                break;
            }
        }
        name = run;
    }
    all
}

/// The methods that are told apart (RFC 9110 §9; RFC 5789): what else callers send is none of the estate's words.
fn method(text: Option<&str>) -> &'static str {
    const METHODS: [&str; 9] =
        ["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE", "CONNECT"];
    let known = text.and_then(|text| METHODS.into_iter().find(|method| text.eq_ignore_ascii_case(method)));
    known.unwrap_or(if text.is_some() { "OTHER" } else { "UNSAID" })
}

fn is_action(text: &str) -> bool {
    pasaporte_read::shown_name(text) == text && text.contains('/')
}

/// An id as it may be shown, perhaps with its kind.
fn shown_label(text: &str) -> String {
    match text.split_once(':') {
        Some((kind, id)) => format!("{}:{}", shown_id(kind), shown_id(id)),
        None => shown_id(text).to_owned(),
    }
}

/// An id as it may be shown: what mixes capitals and digits may be a secret.
fn shown_id(text: &str) -> &str {
    let has = |test: fn(&u8) -> bool| text.as_bytes().iter().any(test);
    let is_mixed = has(u8::is_ascii_uppercase) && has(u8::is_ascii_digit);
    if is_mixed { "•••" } else { pasaporte_read::shown_name(text) }
}

/// A host as it may be shown.
fn shown_host(host: &str) -> String {
    let host = pasaporte_core::usage::host_of(host);
    let is_host = |host: &str| {
        host.len() <= 253 && host.bytes().all(|it| it.is_ascii_alphanumeric() || b".-:[]".contains(&it))
    };
    if is_host(host) { host.to_ascii_lowercase() } else { "•••".to_owned() }
}

/// A path as it may be shown: words, and nothing of what may be an id or a secret.
fn shown_path(path: &str) -> String {
    const MOST: usize = 4;
    let path = path.split(['?', '#']).next().unwrap_or_default();
    let word = |part: &str| {
        part.len() <= 24 && part.bytes().all(|it| it.is_ascii_lowercase() || it == b'-' || it == b'_')
    };
    let parts: Vec<&str> = path.split('/').filter(|part| !part.is_empty()).collect();
    let shown: Vec<&str> =
        parts.iter().take(MOST).map(|part| if word(part) { *part } else { "•••" }).collect();
    let more = if parts.len() > MOST { "/…" } else { "" };
    format!("/{}{more}", shown.join("/"))
}
