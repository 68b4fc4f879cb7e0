//! Trying doors: one request each, with no credential, at a stated pace.
//!
//! A request goes to the address that the estate names, and where it is sent on within the same origin it follows, a
//! few times and at the same pace; never to another. What may change something is sent once only. Nothing is tried again,
//! and no body is read.

use std::time::{Duration, Instant};

use jiff::Timestamp;
use pasaporte_read::diagnostic::Diagnostic;
use ureq::Agent;
use ureq::http::{Method, Request, header};
use url::Url;

use crate::http::Reaching;

/// What knocking is called, so that whoever reads the logs knows what came by.
const VISITOR: &str =
    concat!("pasaporte-knock/", env!("CARGO_PKG_VERSION"), " (one try, no credential: is this door open?)");
/// How often a request is sent on within its origin.
const MOST_SENT_ON: usize = 3;

/// A door to try.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Door {
    /// Its endpoint.
    pub endpoint: String,
    /// Its address.
    pub url: String,
    /// The method to try it with.
    pub method: String,
}

/// What came of a try.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Knocked {
    /// The endpoint.
    pub endpoint: String,
    /// The method.
    pub method: String,
    /// When.
    pub at: Timestamp,
    /// The status that came back, or why none did.
    pub came: Result<u16, String>,
}

/// Tries doors one after the other, `apart` from each other at least; `each` hears of each.
pub fn knock(
    doors: &[Door],
    reaching: &Reaching,
    apart: Duration,
    mut each: impl FnMut(&Knocked),
) -> Result<Vec<Knocked>, Box<Diagnostic>> {
    let agent = reaching.agent(VISITOR)?;
    let mut all = Vec::with_capacity(doors.len());
    let mut next = Instant::now();
    let mut keep_pace = || {
        std::thread::sleep(next.saturating_duration_since(Instant::now()));
        next = Instant::now() + apart;
    };
    for door in doors {
        keep_pace();
        let knocked = Knocked {
            endpoint: door.endpoint.clone(),
            method: door.method.clone(),
            at: Timestamp::now().round(jiff::Unit::Second).unwrap_or_else(|_| Timestamp::now()),
            came: tried(&agent, door, &mut keep_pace),
        };
        each(&knocked);
        all.push(knocked);
    }
    Ok(all)
}

fn tried(agent: &Agent, door: &Door, keep_pace: &mut dyn FnMut()) -> Result<u16, String> {
    let mut url = Url::parse(&door.url).map_err(|error| format!("not an address: {error}"))?;
    let method = Method::from_bytes(door.method.as_bytes()).map_err(|_| "not a method".to_owned())?;
    // What may change something is sent once only.
    let follows = method.is_safe();
    for _ in 0..=MOST_SENT_ON {
        let request = Request::builder().method(method.clone()).uri(url.as_str()).body(());
        let request = request.map_err(|error| format!("not an address: {error}"))?;
        let response = agent.run(request).map_err(|error| why(&error))?;
        let status = response.status().as_u16();
        let sent_on = response.headers().get(header::LOCATION).and_then(|to| to.to_str().ok());
        if !(100..600).contains(&status) {
            return Err(format!("answered with {status}, which is no status of HTTP"));
        }
        match sent_on.filter(|_| follows && (300..400).contains(&status)).and_then(|to| url.join(to).ok()) {
            Some(to) if to.origin() == url.origin() => {
                url = to;
                keep_pace();
            }
            _ => return Ok(status),
        }
    }
    Err("sent on in a circle".to_owned())
}

/// Why no answer came, in words that do not differ from run to run.
fn why(error: &ureq::Error) -> String {
    use std::io::ErrorKind;
    use ureq::Error;
    let of_io = |io: &std::io::Error| {
        let text = io.to_string();
        match io.kind() {
            ErrorKind::ConnectionRefused => "connection refused".to_owned(),
            ErrorKind::ConnectionReset | ErrorKind::UnexpectedEof | ErrorKind::BrokenPipe => {
                "cut off".to_owned()
            }
            ErrorKind::TimedOut => "no answer in time".to_owned(),
            _ if text.contains("certificate") => format!("its certificate proves nothing: {text}"),
            _ => text.split(" (os error").next().unwrap_or(&text).to_lowercase(),
        }
    };
    match error {
        Error::Io(io) => of_io(io),
        Error::Timeout(_) => "no answer in time".to_owned(),
        Error::HostNotFound => "no such host".to_owned(),
        Error::ConnectionFailed => "no connection".to_owned(),
        Error::Rustls(_) | Error::Tls(_) => format!("its certificate proves nothing: {error}"),
        other => other.to_string(),
    }
}
