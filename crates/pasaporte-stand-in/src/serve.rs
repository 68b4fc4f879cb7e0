//! Answering requests.

use std::collections::BTreeMap;
use std::net::{Ipv4Addr, SocketAddr};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, OnceLock, mpsc};
use std::thread::JoinHandle;
use std::{io, thread};

use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::{Request, State};
use axum::http::{HeaderMap, Response, StatusCode, Uri, header};
use tokio::net::TcpListener;
use tokio::sync::oneshot;

use crate::door::{Asks, Door, Shown};
use crate::faults::{Chance, Fate, Faults};
use crate::logs::{self, Moved, Ranged, Served};
use crate::openapi;
use crate::platform::{self, Platform, SignIn};
use crate::world::{NoPage, Sent as Page, World};

/// What to serve, and how.
#[derive(Debug, Clone, Default)]
pub struct Options {
    /// The port; one that is free where it is 0.
    pub port: u16,
    /// The credential that callers must have.
    pub secret: String,
    /// What goes wrong.
    pub faults: Faults,
    /// How many functions more a large platform has.
    pub functions: usize,
    /// The endpoints of functions.
    pub doors: Vec<Door>,
    /// The last second of logs, since 1970.
    pub logs_until: i64,
}

/// The client that signs in with the credential, where a platform asks for one.
pub const CLIENT: &str = "auditor";

/// Platforms being served, until this is dropped.
pub struct Running {
    address: SocketAddr,
    stop: Option<oneshot::Sender<()>>,
    thread: Option<JoinHandle<()>>,
}

impl Running {
    /// Where they are.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// Serves until the process ends.
    pub fn wait(mut self) {
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        if let Some(stop) = self.stop.take() {
            let _ = stop.send(());
        }
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

/// The names of the platforms.
pub fn names() -> impl Iterator<Item = &'static str> {
    platform::ALL.iter().map(|platform| platform.name)
}

/// Serves the six platforms on this machine, for itself alone.
pub fn start(options: Options) -> io::Result<Running> {
    let (ready, started) = mpsc::channel();
    let (stop, stopped) = oneshot::channel::<()>();
    let thread = thread::spawn(move || {
        let runtime = match tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build()
        {
            Ok(runtime) => runtime,
            Err(error) => {
                let _ = ready.send(Err(error));
                return;
            }
        };
        runtime.block_on(async move {
            let listener = match TcpListener::bind((Ipv4Addr::LOCALHOST, options.port)).await {
                Ok(listener) => listener,
                Err(error) => {
                    let _ = ready.send(Err(error));
                    return;
                }
            };
            let address = match listener.local_addr() {
                Ok(address) => address,
                Err(error) => {
                    let _ = ready.send(Err(error));
                    return;
                }
            };
            let _ = ready.send(Ok(address));
            let app = Router::new().fallback(handle).with_state(Arc::new(Serving::new(options, address)));
            tokio::select! {
                _ = axum::serve(listener, app) => {}
                _ = stopped => {}
            }
        });
        runtime.shutdown_background();
    });
    let address = started.recv().map_err(|_| io::Error::other("the server did not start"))??;
    Ok(Running { address, stop: Some(stop), thread: Some(thread) })
}

struct Serving {
    options: Options,
    address: SocketAddr,
    /// Logs, made once somebody asks for one.
    logs: OnceLock<BTreeMap<(&'static str, &'static str), Served>>,
    worlds: Vec<World>,
    chance: Chance,
    /// How many tokens were given out, and how often the last was used.
    tokens: AtomicU64,
    used: AtomicU64,
}

type Sent = Response<Body>;

impl Serving {
    fn new(options: Options, address: SocketAddr) -> Self {
        let of = |platform| World::new(platform, options.functions, options.faults.shifting);
        Self {
            worlds: platform::ALL.iter().map(of).collect(),
            options,
            address,
            logs: OnceLock::new(),
            chance: Chance::default(),
            tokens: AtomicU64::new(0),
            used: AtomicU64::new(0),
        }
    }

    fn world(&self, name: &str) -> Option<&World> {
        self.worlds.iter().find(|world| world.platform.name == name)
    }

    fn is_out_of_order(&self, uri: &Uri) -> bool {
        let path = uri.path().trim_matches('/');
        let Some((name, list)) = path.split_once('/') else { return false };
        self.world(name).is_some_and(|world| {
            world.is_out_of_order(list, parameter(uri, world.platform.paging.parameter()))
        })
    }

    fn answer(&self, method: &str, uri: &Uri, headers: &HeaderMap, body: &[u8]) -> Sent {
        let path = uri.path().trim_matches('/');
        let (name, rest) = path.split_once('/').unwrap_or((path, ""));
        if name.is_empty() {
            let all: Vec<String> = platform::ALL
                .iter()
                .map(|it| {
                    format!(
                        "{{\"platform\":\"{}\",\"about\":\"{}\",\"contract\":\"/{0}/openapi.json\"}}",
                        it.name, it.about
                    )
                })
                .collect();
            return json(StatusCode::OK, format!("[{}]", all.join(",")));
        }
        let Some(world) = self.world(name) else {
            return problem(404, "there is no such platform");
        };
        if rest == "openapi.json" {
            return json(StatusCode::OK, openapi::document(world.platform));
        }
        if let Some(call) = rest.strip_prefix("call/") {
            return self.call(world.platform, call, method, uri, headers);
        }
        if rest == "token" && world.platform.sign_in == SignIn::ClientCredentials {
            return self.token(method, body);
        }
        if !self.is_signed_in(world.platform.sign_in, headers) {
            let mut refused = problem(401, "sign in first: the credential is missing or not accepted");
            refused
                .headers_mut()
                .insert(header::WWW_AUTHENTICATE, header::HeaderValue::from_static("Bearer"));
            return refused;
        }
        if method != "GET" && method != "HEAD" {
            return problem(405, "everything here is for reading");
        }
        let page = self
            .log(world, rest, uri)
            .unwrap_or_else(|| world.page(rest, parameter(uri, world.platform.paging.parameter())));
        paged(page, headers)
    }

    /// A page of a log, where there is one.
    fn log(&self, world: &World, path: &str, uri: &Uri) -> Option<Result<Page, NoPage>> {
        let Ranged { from, to, written } = world.platform.ranged;
        let logs = self.logs.get_or_init(|| logs::all(self.options.logs_until, self.moved()));
        let (_, log) = logs.iter().find(|((of, at), _)| *of == world.platform.name && *at == path)?;
        let text = |name| parameter(uri, name).map(|text| text.replace("%3A", ":"));
        let Some(range) = written.range(text(from).as_deref(), text(to).as_deref()) else {
            return Some(Err(NoPage::Beyond));
        };
        let asked = |name| parameter(uri, name).map(|text| format!("{name}={text}"));
        let asked: Vec<String> = [from, to].into_iter().filter_map(asked).collect();
        let page = parameter(uri, world.platform.paging.parameter());
        Some(world.log_page(path, log, range, &asked.join("&"), page))
    }

    /// Where the endpoints of the sample world are while they are served.
    fn moved(&self) -> Moved {
        let host = self.address.ip().to_string();
        let each = |door: &Door| {
            let path = format!("/{}/call/{}{}", door.platform, door.function, door.path);
            Some((door.url.clone()?, (host.clone(), path)))
        };
        self.options.doors.iter().filter_map(each).collect()
    }

    fn token(&self, method: &str, body: &[u8]) -> Sent {
        if method != "POST" {
            return problem(405, "a token is asked for with POST");
        }
        let body = String::from_utf8_lossy(body);
        let field = |name: &str| body.split('&').find_map(|each| each.strip_prefix(name)?.strip_prefix('='));
        let is_right = field("grant_type") == Some("client_credentials")
            && field("client_id") == Some(CLIENT)
            && field("client_secret") == Some(self.options.secret.as_str());
        if !is_right {
            return json(StatusCode::UNAUTHORIZED, r#"{"error":"invalid_client"}"#.to_owned());
        }
        let number = self.tokens.fetch_add(1, Ordering::SeqCst) + 1;
        self.used.store(0, Ordering::SeqCst);
        let token = self.token_text(number);
        json(
            StatusCode::OK,
            format!("{{\"access_token\":\"{token}\",\"token_type\":\"Bearer\",\"expires_in\":600}}"),
        )
    }

    fn token_text(&self, number: u64) -> String {
        format!("lease-{number}-{}", self.options.secret)
    }

    fn is_signed_in(&self, sign_in: SignIn, headers: &HeaderMap) -> bool {
        let secret = self.options.secret.as_str();
        match sign_in {
            SignIn::Header(name) => text(headers, name) == Some(secret),
            SignIn::Bearer => bearer(headers) == Some(secret),
            SignIn::ClientCredentials => {
                let shown = bearer(headers).unwrap_or_default();
                let number = shown.strip_prefix("lease-").and_then(|rest| rest.split('-').next());
                let Some(number) = number.and_then(|number| number.parse().ok()) else { return false };
                let is_ours = shown == self.token_text(number);
                let spent = self
                    .options
                    .faults
                    .lease
                    .is_some_and(|lease| self.used.fetch_add(1, Ordering::SeqCst) >= lease);
                is_ours && !spent && number <= self.tokens.load(Ordering::SeqCst)
            }
        }
    }

    /// A call of a function's own endpoint: `call/FUNCTION/PATH`.
    fn call(&self, platform: &Platform, call: &str, method: &str, uri: &Uri, headers: &HeaderMap) -> Sent {
        let (function, path) = call.split_once('/').unwrap_or((call, ""));
        let door = self.options.doors.iter().find(|door| {
            door.platform == platform.name && door.function == function && door.path.trim_matches('/') == path
        });
        let Some(door) = door else { return problem(404, "nothing answers here") };
        let loose = Door { asks: Asks::Nothing, ..door.clone() };
        let door = if platform.loose.contains(&function) { &loose } else { door };
        let shown = Shown {
            key: text(headers, "function-key").or_else(|| parameter(uri, "code")),
            caller: text(headers, "caller"),
            bearer: bearer(headers),
        };
        match door.answer(method, shown, &self.options.secret) {
            200 => json(StatusCode::OK, format!("{{\"function\":\"{function}\",\"ran\":true}}")),
            401 => problem(401, "show who you are"),
            403 => problem(403, "you are not let in"),
            405 => problem(405, "not this method"),
            other => problem(other, "nothing answers here"),
        }
    }
}

/// A page of a list.
fn paged(page: Result<Page, NoPage>, headers: &HeaderMap) -> Sent {
    match page {
        Err(NoPage::Unknown) => problem(404, "there is no such list"),
        Err(NoPage::Beyond) => problem(400, "there is no such page"),
        Err(NoPage::OutOfOrder) => problem(503, "this page is out of order"),
        Ok(sent) => {
            let same = text(headers, "if-none-match").is_some_and(|etag| etag == sent.etag);
            let status = if same { StatusCode::NOT_MODIFIED } else { StatusCode::OK };
            let mut answer = json(status, if same { String::new() } else { sent.body });
            let put = |answer: &mut Sent, name, value: &str| {
                if let Ok(value) = value.parse() {
                    answer.headers_mut().insert(name, value);
                }
            };
            put(&mut answer, header::ETAG, &sent.etag);
            if let Some(link) = &sent.link {
                put(&mut answer, header::LINK, link);
            }
            answer
        }
    }
}

async fn handle(State(served): State<Arc<Serving>>, request: Request) -> Sent {
    let (parts, body) = request.into_parts();
    let body = axum::body::to_bytes(body, 1 << 16).await.unwrap_or_default();
    // Only what is gathered goes wrong by plan: an endpoint answers as it is set, and what is out of order is so in
    // one way.
    let fate = if parts.uri.path().contains("/call/") || served.is_out_of_order(&parts.uri) {
        Fate::Answered
    } else {
        served.chance.of(&served.options.faults, &parts.uri.to_string())
    };
    match fate {
        Fate::Failed(status) => return problem(status, "something went wrong, as planned"),
        Fate::Throttled => {
            let mut slower = problem(429, "too many requests");
            slower.headers_mut().insert(header::RETRY_AFTER, header::HeaderValue::from_static("0"));
            return slower;
        }
        Fate::Late(late) => tokio::time::sleep(late).await,
        Fate::Cut | Fate::Answered => {}
    }
    let sent = served.answer(parts.method.as_str(), &parts.uri, &parts.headers, &body);
    if fate == Fate::Cut { cut(sent).await } else { sent }
}

/// Sends half of an answer, and then nothing more.
async fn cut(sent: Sent) -> Sent {
    let (mut parts, body) = sent.into_parts();
    let whole = axum::body::to_bytes(body, usize::MAX).await.unwrap_or_default();
    parts.headers.remove(header::CONTENT_LENGTH);
    let half: Result<Bytes, io::Error> = Ok(whole.slice(..whole.len() / 2));
    let gone = Err(io::Error::other("cut off, as planned"));
    Response::from_parts(parts, Body::from_stream(tokio_stream::iter([half, gone])))
}

fn json(status: StatusCode, body: String) -> Sent {
    let mut answer = Response::new(Body::from(body));
    *answer.status_mut() = status;
    let kind = header::HeaderValue::from_static("application/json");
    answer.headers_mut().insert(header::CONTENT_TYPE, kind);
    answer
}

/// Problem details (RFC 9457).
fn problem(status: u16, detail: &str) -> Sent {
    let code = StatusCode::from_u16(status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
    let title = code.canonical_reason().unwrap_or("Problem");
    let body = serde_json::json!({"type": "about:blank", "title": title, "status": status, "detail": detail});
    let mut answer = json(code, body.to_string());
    let kind = header::HeaderValue::from_static("application/problem+json");
    answer.headers_mut().insert(header::CONTENT_TYPE, kind);
    answer
}

fn text<'h>(headers: &'h HeaderMap, name: &str) -> Option<&'h str> {
    headers.get(name)?.to_str().ok()
}

fn bearer(headers: &HeaderMap) -> Option<&str> {
    text(headers, "authorization")?.strip_prefix("Bearer ")
}

fn parameter<'u>(uri: &'u Uri, name: &str) -> Option<&'u str> {
    uri.query()?.split('&').find_map(|each| each.strip_prefix(name)?.strip_prefix('='))
}
