//! Asking a platform over HTTP: signing in, time-outs, pace, and asking again.

use std::sync::Mutex;
use std::time::{Duration, Instant, SystemTime};

use jiff::Timestamp;
use pasaporte_read::diagnostic::Diagnostic;
use ureq::tls::{Certificate, PemItem, RootCerts, TlsConfig, parse_pem};
use ureq::{Agent, Body, http::Response};

use crate::address::shown;
use crate::manifest::{Pace, SignIn};
use crate::program;
use crate::source::Secret;

/// What it is called when it collects.
pub(crate) const COLLECTOR: &str =
    concat!("pasaporte/", env!("CARGO_PKG_VERSION"), " (reads; changes nothing)");
/// How often a request is tried before it counts as failed for good.
pub(crate) const TRIES: u32 = 5;
/// The first wait before asking again; each one after is twice as long.
const FIRST_WAIT: Duration = Duration::from_millis(100);
/// The longest wait, whatever a platform asks for.
const LONGEST_WAIT: Duration = Duration::from_mins(1);
/// How often a new token is asked for, for one request.
const SIGN_INS: u32 = 3;
/// Largest answer that is read.
pub(crate) const LARGEST: u64 = 32 << 20;

/// How something is asked.
#[derive(Debug, Default)]
pub(crate) struct Asking<'a> {
    /// Headers besides those of every request.
    pub(crate) headers: &'a [(String, String)],
    /// Statuses that are told at once, since they mean something to whoever asks.
    pub(crate) telling: &'a [u16],
}

/// What came back.
#[derive(Debug)]
pub(crate) struct Answer {
    pub(crate) body: Vec<u8>,
    /// Which state of the thing it is (RFC 9110 §8.8.3).
    pub(crate) etag: Option<String>,
    /// The target of its `Link` with `rel="next"`.
    pub(crate) next: Option<String>,
    /// How many requests it took.
    pub(crate) tries: u32,
}

/// Why there is no answer.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The platform does not answer this; others it may.
    This { why: String, status: Option<u16>, tries: u32 },
    /// Nothing will be answered.
    Everything(Box<Diagnostic>),
}

/// A platform.
pub(crate) struct Platform<'s> {
    name: &'s str,
    url: &'s str,
    client: &'s str,
    secret: Option<&'s Secret>,
    sign_in: &'s SignIn,
    agent: Agent,
    token: Mutex<Option<String>>,
    /// When the next request may go out, and how far apart they are.
    pace: Option<(Mutex<Instant>, Duration)>,
}

/// How to reach platforms.
#[derive(Debug, Clone)]
pub struct Reaching {
    /// The longest that a request may take.
    pub patience: Duration,
    /// Certificates to trust instead of the system's, as PEM.
    pub authorities: Option<Vec<u8>>,
}

impl Default for Reaching {
    fn default() -> Self {
        Self { patience: Duration::from_secs(30), authorities: None }
    }
}

impl Reaching {
    /// An agent that reaches platforms so, and says what it is.
    pub(crate) fn agent(&self, named: &str) -> Result<Agent, Box<Diagnostic>> {
        let roots = match &self.authorities {
            None => RootCerts::PlatformVerifier,
            Some(pem) => {
                let all: Vec<Certificate<'static>> = parse_pem(pem)
                    .filter_map(|item| match item {
                        Ok(PemItem::Certificate(certificate)) => Some(certificate),
                        _ => None,
                    })
                    .collect();
                if all.is_empty() {
                    let help = "give a PEM file with at least one certificate in it";
                    return Err(Diagnostic::of_file("--ca", "there is no certificate in it", help));
                }
                RootCerts::from(all)
            }
        };
        let config = Agent::config_builder()
            .http_status_as_error(false)
            .max_redirects(0)
            .timeout_global(Some(self.patience))
            .timeout_connect(Some(self.patience.min(Duration::from_secs(10))))
            .max_idle_connections_per_host(64)
            .tls_config(TlsConfig::builder().root_certs(roots).build())
            .user_agent(named);
        Ok(config.build().new_agent())
    }
}

impl<'s> Platform<'s> {
    pub(crate) fn new(
        name: &'s str,
        (url, client, secret): (&'s str, &'s str, Option<&'s Secret>),
        sign_in: &'s SignIn,
        pace: Pace,
        agent: Agent,
    ) -> Result<Self, Box<Diagnostic>> {
        if *sign_in != SignIn::None && secret.is_none() {
            return Err(Diagnostic::of_file(
                name,
                "its adapter signs in, and it has no credential",
                "give the source a `credential`: {env = \"NAME\"}, {file = \"PATH\"} or {stdin = true}",
            ));
        }
        let apart = |a_second: u32| Duration::from_secs(1) / a_second.max(1);
        let pace = pace.a_second.map(|a_second| (Mutex::new(Instant::now()), apart(a_second)));
        Ok(Self { name, url, client, secret, sign_in, agent, token: Mutex::default(), pace })
    }

    /// The address of a path below the platform's.
    pub(crate) fn address(&self, path: &str) -> String {
        format!("{}/{path}", self.url)
    }

    /// The path of an address below the platform's, if it is one.
    pub(crate) fn below(&self, address: &str) -> Option<String> {
        Some(address.strip_prefix(self.url)?.strip_prefix('/')?.to_owned())
    }

    /// The address that a link leads to, if it is one of the same host: a credential goes nowhere else.
    pub(crate) fn follow(&self, from: &str, link: &str) -> Option<String> {
        let scheme = self.url.find("://")? + 3;
        let host = self.url[scheme..].find('/').map_or(self.url.len(), |slash| scheme + slash);
        let origin = &self.url[..host];
        if let Some(rest) = link.strip_prefix(origin) {
            return (rest.starts_with(['/', '?']) || rest.is_empty()).then(|| link.to_owned());
        }
        match link.as_bytes() {
            [b'/', b'/', ..] => None,
            [b'/', ..] => Some(format!("{origin}{link}")),
            [b'?', ..] => Some(format!("{}{link}", from.split('?').next()?)),
            _ => None,
        }
    }

    /// Asks, as often as it takes and is sensible.
    pub(crate) fn get(&self, address: &str, asking: &Asking<'_>) -> Result<Answer, Failure> {
        let mut tries = 0;
        let mut signed_in_again = 0;
        loop {
            tries += 1;
            self.keep_pace();
            let (why, wait) = match self.once(address, asking) {
                Ok(Came::Answer(mut answer)) => {
                    answer.tries = tries;
                    return Ok(answer);
                }
                // A token may have run out; with a new one it is asked again.
                Ok(Came::Unauthorized(Some(token))) if signed_in_again < SIGN_INS => {
                    signed_in_again += 1;
                    tries -= 1;
                    self.forget(&token);
                    continue;
                }
                Ok(Came::Unauthorized(_)) => return Err(Failure::Everything(self.refused(address))),
                Ok(Came::Status(status, wait)) => {
                    let why = format!("HTTP {status}");
                    if !is_passing(status) || asking.telling.contains(&status) {
                        return Err(Failure::This { why, status: Some(status), tries });
                    }
                    (why, wait)
                }
                Err(Trouble::Fatal(diagnostic)) => return Err(Failure::Everything(diagnostic)),
                Err(Trouble::Lasting(why)) => return Err(Failure::This { why, status: None, tries }),
                Err(Trouble::Passing(why)) => (why, None),
            };
            if tries == TRIES {
                return Err(Failure::This { why, status: None, tries });
            }
            rest(tries, wait);
        }
    }

    fn keep_pace(&self) {
        let Some((next, apart)) = &self.pace else { return };
        let wait = {
            let mut next = next.lock().expect("nobody panics while holding it");
            let now = Instant::now();
            let at = (*next).max(now);
            *next = at + *apart;
            at - now
        };
        std::thread::sleep(wait);
    }

    fn once(&self, address: &str, asking: &Asking<'_>) -> Result<Came, Trouble> {
        let mut request = self.agent.get(address);
        if !asking.headers.iter().any(|(name, _)| name.eq_ignore_ascii_case("accept")) {
            request = request.header("accept", "application/json");
        }
        for (name, value) in asking.headers {
            request = request.header(name, value);
        }
        let mut token = None;
        match (self.sign_in, self.secret) {
            (SignIn::Bearer, Some(secret)) => {
                request = request.header("authorization", format!("Bearer {}", secret.reveal()));
            }
            (SignIn::Header { header }, Some(secret)) => request = request.header(header, secret.reveal()),
            (SignIn::ClientCredentials { path }, Some(secret)) => {
                let given = self.token(path, secret)?;
                request = request.header("authorization", format!("Bearer {given}"));
                token = Some(given);
            }
            _ => {}
        }
        let mut response = request.call().map_err(|error| self.trouble(&error))?;
        match response.status().as_u16() {
            200 => {
                let etag = header(&response, "etag");
                let next = response
                    .headers()
                    .get_all("link")
                    .iter()
                    .filter_map(|value| value.to_str().ok())
                    .find_map(next_link);
                let body = self.body(&mut response)?;
                Ok(Came::Answer(Answer { body, etag, next, tries: 0 }))
            }
            401 => Ok(Came::Unauthorized(token)),
            status => Ok(Came::Status(status, wait_asked_for(&response))),
        }
    }

    fn body(&self, response: &mut Response<Body>) -> Result<Vec<u8>, Trouble> {
        response.body_mut().with_config().limit(LARGEST).read_to_vec().map_err(|error| self.trouble(&error))
    }

    /// The token that a client's credentials are good for; asked for once, and as often as it takes, since without
    /// it there is nothing else to ask.
    fn token(&self, path: &str, secret: &Secret) -> Result<String, Trouble> {
        let mut kept = self.token.lock().expect("nobody panics while holding it");
        if let Some(token) = &*kept {
            return Ok(token.clone());
        }
        let mut tries = 0;
        loop {
            tries += 1;
            match self.signed_in(path, secret) {
                Ok(token) => return Ok(kept.insert(token).clone()),
                Err(Trouble::Passing(why) | Trouble::Lasting(why)) if tries == TRIES => {
                    let message = format!(
                        "cannot sign in: {} does not answer: {why}, asked {tries} times",
                        shown(&self.address(path))
                    );
                    let help = "check `url` of the source, and that this machine may reach it";
                    return Err(Trouble::Fatal(self.wrong(message, help)));
                }
                Err(Trouble::Passing(_) | Trouble::Lasting(_)) => rest(tries, None),
                Err(fatal @ Trouble::Fatal(_)) => return Err(fatal),
            }
        }
    }

    /// Asks for a token (RFC 6749 §4.4).
    fn signed_in(&self, path: &str, secret: &Secret) -> Result<String, Trouble> {
        let address = self.address(path);
        let fields = [
            ("grant_type", "client_credentials"),
            ("client_id", self.client),
            ("client_secret", secret.reveal()),
        ];
        let mut response =
            self.agent.post(&address).send_form(fields).map_err(|error| self.trouble(&error))?;
        match response.status().as_u16() {
            200 => {}
            status if is_passing(status) => return Err(Trouble::Passing(format!("HTTP {status}"))),
            status @ 400..=499 => {
                let body = self.body(&mut response).unwrap_or_default();
                return Err(Trouble::Fatal(self.not_signed_in(&address, status, &body)));
            }
            status => return Err(Trouble::Passing(format!("HTTP {status}"))),
        }
        let body = self.body(&mut response)?;
        let token = serde_json::from_slice::<serde_json::Value>(&body).ok();
        let token = token.as_ref().and_then(|body| body.get("access_token")?.as_str());
        let Some(token) = token else {
            let help = "check `path` in the adapter's `sign_in`";
            return Err(Trouble::Fatal(
                self.wrong(format!("{} gave no access_token (RFC 6749 §5.1)", shown(&address)), help),
            ));
        };
        Ok(token.to_owned())
    }

    /// Drops a token, unless there is a newer one by now.
    fn forget(&self, token: &str) {
        let mut kept = self.token.lock().expect("nobody panics while holding it");
        kept.take_if(|kept| kept == token);
    }

    fn wrong(&self, message: impl Into<String>, help: &str) -> Box<Diagnostic> {
        Diagnostic::of_file(self.name, message, help)
    }

    fn refused(&self, address: &str) -> Box<Diagnostic> {
        let message = format!("its credential is not accepted: {} answers 401", shown(address));
        self.wrong(message, CHECK_CREDENTIAL)
    }

    /// Why no token was given: of the answer the code alone, which is of a closed set (RFC 6749 §5.2).
    fn not_signed_in(&self, address: &str, status: u16, body: &[u8]) -> Box<Diagnostic> {
        let body = serde_json::from_slice::<serde_json::Value>(body).unwrap_or_default();
        let said = body.get("error").and_then(serde_json::Value::as_str);
        let code = REFUSALS.iter().find(|(code, _)| Some(*code) == said);
        let help = match (code, status) {
            (Some((_, help)), _) => help,
            (None, 401) => CHECK_CREDENTIAL,
            (None, _) => "check `path` in the adapter's `sign_in`, and `url` of the source",
        };
        let code = code.map_or_else(String::new, |(code, _)| format!(" {code}"));
        self.wrong(format!("cannot sign in: {} answers {status}{code}", shown(address)), help)
    }

    fn trouble(&self, error: &ureq::Error) -> Trouble {
        use ureq::Error;
        match error {
            Error::Rustls(_) | Error::Tls(_) => Trouble::Fatal(self.unproven(error)),
            // Where the handshake fails on its way, the reason stands within.
            Error::Io(io) if io.to_string().contains("certificate") => Trouble::Fatal(self.unproven(error)),
            Error::BadUri(_) | Error::Http(_) | Error::RequireHttpsOnly(_) => Trouble::Fatal(
                self.wrong(format!("not an address: {} ({error})", self.url), "check `url` of the source"),
            ),
            Error::BodyExceedsLimit(most) => {
                Trouble::Lasting(format!("an answer of more than {} MiB", most >> 20))
            }
            Error::Timeout(_) => Trouble::Passing("no answer in time".to_owned()),
            other => Trouble::Passing(other.to_string()),
        }
    }

    fn unproven(&self, error: &ureq::Error) -> Box<Diagnostic> {
        let message = format!("{} does not prove who it is: {error}", self.url);
        self.wrong(message, "have its certificate renewed, or trust its authority with --ca FILE")
    }
}

const CHECK_CREDENTIAL: &str = "check `client` and `credential` of the source; nothing was written for it";

/// Why a token is refused, and what to do (RFC 6749 §5.2).
const REFUSALS: [(&str, &str); 6] = [
    ("invalid_client", CHECK_CREDENTIAL),
    ("unauthorized_client", "have the client allowed to ask for tokens by its credential alone"),
    ("invalid_request", "check `client` of the source, and `path` in the adapter's `sign_in`"),
    ("invalid_scope", "have the client given a default scope"),
    ("unsupported_grant_type", "check `path` in the adapter's `sign_in`: it gives no tokens to clients"),
    ("invalid_grant", CHECK_CREDENTIAL),
];

/// Waits before a request is tried again: as long as the platform asks for, else longer each time.
fn rest(tries: u32, asked: Option<Duration>) {
    let longest = FIRST_WAIT * 2_u32.pow(tries - 1);
    // A part of the wait is chance, so that many that wait do not all come back at once.
    let chance = longest.mul_f64(0.5 + 0.5 * fastrand::f64());
    std::thread::sleep(asked.unwrap_or(chance).min(LONGEST_WAIT));
}

/// What came of one try.
enum Came {
    Answer(Answer),
    /// The credential was not accepted; or the token that it was good for.
    Unauthorized(Option<String>),
    /// Another status, and how long the platform asks to wait.
    Status(u16, Option<Duration>),
}

enum Trouble {
    Passing(String),
    /// Asking again would not help.
    Lasting(String),
    Fatal(Box<Diagnostic>),
}

/// Whether a status may be another one soon.
fn is_passing(status: u16) -> bool {
    matches!(status, 408 | 425 | 429 | 500 | 502 | 503 | 504)
}

fn header(response: &Response<Body>, name: &str) -> Option<String> {
    response.headers().get(name)?.to_str().ok().map(str::to_owned)
}

/// How long a response asks to wait: seconds, or a time (RFC 9110 §10.2.3).
fn wait_asked_for(response: &Response<Body>) -> Option<Duration> {
    let text = header(response, "retry-after")?;
    if let Ok(seconds) = text.trim().parse() {
        return Some(Duration::from_secs(seconds));
    }
    let then = jiff::fmt::rfc2822::parse(text.trim()).ok()?.timestamp();
    let now = Timestamp::try_from(SystemTime::now()).ok()?;
    Duration::try_from(then.duration_since(now)).ok()
}

/// The target of the link with `rel="next"` in a header (RFC 8288 §3).
fn next_link(header: &str) -> Option<String> {
    let mut rest = header;
    while let Some((_, after)) = rest.split_once('<') {
        let (target, parameters) = after.split_once('>')?;
        let (mine, more) = parameters
            .split_once(",<")
            .or_else(|| parameters.split_once(", <"))
            .map_or((parameters, None), |(mine, more)| (mine, Some(more)));
        let is_next = mine.split(';').any(|parameter| {
            let (name, value) = parameter.trim().split_once('=').unwrap_or_default();
            name.eq_ignore_ascii_case("rel")
                && value.trim_matches('"').split(' ').any(|each| each.eq_ignore_ascii_case("next"))
        });
        if is_next {
            return Some(target.to_owned());
        }
        let more = more?;
        rest = &parameters[parameters.len() - more.len() - 1..];
    }
    None
}

/// Why a body is not JSON.
fn not_json(name: &str, address: &str, body: &[u8], error: &str) -> Box<Diagnostic> {
    // What it says is not repeated: it may be anything.
    let like = match body.trim_ascii_start().first() {
        None => "; it is empty",
        Some(b'<') => "; it looks like a page of HTML",
        Some(_) => "",
    };
    let message = format!("{} answers with something that is not JSON ({error}){like}", shown(address));
    Diagnostic::of_file(name, message, "check `url` of the source, and `path` of the adapter's ask")
}

/// A body as a value.
pub(crate) fn parsed(name: &str, address: &str, body: &[u8]) -> Result<jaq_json::Val, Box<Diagnostic>> {
    // jaq reads more than JSON; what begins and ends like JSON and is read by it is what we take.
    match body.trim_ascii_start().first() {
        Some(b'{' | b'[') => program::parse(body).map_err(|error| not_json(name, address, body, &error)),
        _ => Err(not_json(name, address, body, "neither an object nor a list")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn finds_the_next_link_among_others() {
        let next = |text| next_link(text).unwrap_or_default();
        assert_eq!(next("</a?page=2>; rel=\"next\""), "/a?page=2");
        assert_eq!(
            next("</a?page=1>; rel=prev, </a?page=3>; title=\"x, y\"; rel=\"last next\""),
            "/a?page=3"
        );
        assert_eq!(next("</a?x=1,2>;rel=next"), "/a?x=1,2");
        assert_eq!(next("</a>; rel=\"prev\""), "");
        assert_eq!(next("no link"), "");
    }

    #[test]
    fn follows_links_on_its_own_host_only() {
        let platform = Platform::new(
            "x",
            ("https://levante.example/api", "", None),
            &SignIn::None,
            Pace::default(),
            Agent::new_with_defaults(),
        )
        .unwrap();
        let from = "https://levante.example/api/yards?after=1";
        let follow = |link| platform.follow(from, link);
        assert_eq!(follow("?after=2").as_deref(), Some("https://levante.example/api/yards?after=2"));
        assert_eq!(
            follow("/api/yards?after=2").as_deref(),
            Some("https://levante.example/api/yards?after=2")
        );
        assert_eq!(follow("https://levante.example/x").as_deref(), Some("https://levante.example/x"));
        assert_eq!(follow("https://levante.example.evil.example/x"), None);
        assert_eq!(follow("//other.example/x"), None);
        assert_eq!(follow("https://other.example/x"), None);
    }
}
