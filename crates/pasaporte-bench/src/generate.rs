//! A made-up estate of any size that looks like a real one.
//!
//! Skewed, as estates are: a few roles run hundreds of functions and hold hundreds of statements, most run
//! one or two and hold a handful; shared and graded permission sets; wildcards of every shape; groups in
//! groups and groups by rule; accounts on six platforms, each with its own habits. Streams: what it keeps
//! is a few numbers an account. The same arguments give the same bytes.

use std::io::{self, Write};

use fastrand::Rng;
use serde_json::{Map, Value, json};

const PLATFORMS: [&str; 6] = ["levante", "poniente", "tramontana", "siroco", "gregal", "lebeche"];
const WORK: [&str; 24] = [
    "sell-ticket",
    "refund",
    "scan-pass",
    "board",
    "open-gate",
    "berth-notice",
    "tide-read",
    "tide-plot",
    "roster",
    "shift-swap",
    "lost-report",
    "match-claim",
    "seat-map",
    "fare-lookup",
    "voucher",
    "storm-warn",
    "manifest",
    "passport-scan",
    "crew-card",
    "pier-lights",
    "fuel-order",
    "cargo-weigh",
    "queue-drain",
    "partner-sync",
];
const RUNTIMES: [&str; 3] = ["rust 1.95", "lua 5.4", "wasm 3"];
const KINDS: [(&str, [&str; 4]); 6] = [
    ("table", ["read", "write", "delete", "list"]),
    ("bucket", ["read", "write", "delete", "list"]),
    ("queue", ["send", "take", "purge", "list"]),
    ("topic", ["publish", "subscribe", "manage", "list"]),
    ("secret", ["read", "rotate", "delete", "list"]),
    ("database", ["read", "write", "delete", "manage"]),
];
/// Ready-made sets of every platform: what they allow.
const TEMPLATES: [(&str, &[&str]); 6] = [
    ("everything", &["*"]),
    ("tables-full", &["table/*"]),
    ("storage-write", &["bucket/read", "bucket/write", "bucket/list"]),
    ("viewer", &["*/read", "*/list"]),
    ("messages", &["queue/*", "topic/publish"]),
    ("log-writer", &["log/write"]),
];
const FUNCTIONS_IN_AN_ACCOUNT: usize = 500;
const FUNCTIONS_IN_AN_APP: usize = 20;
const FUNCTIONS_OF_AN_IDENTITY: usize = 5;
const FUNCTIONS_OF_A_RESOURCE: usize = 2;
const FUNCTIONS_OF_A_SET: usize = 50;
const FUNCTIONS_OF_A_KEY: usize = 5;

/// Writes an estate of so many functions.
///
/// # Errors
/// Where `out` cannot be written to.
pub fn generate(functions: usize, seed: u64, out: &mut impl Write) -> io::Result<()> {
    let mut maker = Maker { rng: Rng::with_seed(seed), out };
    maker.line(&json!({"estate": 1, "as_of": "2026-11-20T06:00:00Z"}))?;
    maker.company()?;
    let accounts = functions.div_ceil(FUNCTIONS_IN_AN_ACCOUNT);
    for number in 0..accounts {
        let left = functions - number * FUNCTIONS_IN_AN_ACCOUNT;
        maker.account(&Account::new(number, left.min(FUNCTIONS_IN_AN_ACCOUNT)))?;
    }
    Ok(())
}

struct Maker<'o, W> {
    rng: Rng,
    out: &'o mut W,
}

/// How much an account has of everything.
struct Account {
    number: usize,
    id: String,
    platform: &'static str,
    functions: usize,
    apps: usize,
    identities: usize,
    resources: usize,
    sets: usize,
}

impl Account {
    fn new(number: usize, functions: usize) -> Self {
        let share = |of: usize| functions.div_ceil(of);
        Self {
            number,
            id: format!("{}-{number}", ["tickets", "boarding", "tides", "rosters", "notices"][number % 5]),
            platform: PLATFORMS[number % 6],
            functions,
            apps: share(FUNCTIONS_IN_AN_APP),
            identities: share(FUNCTIONS_OF_AN_IDENTITY),
            resources: share(FUNCTIONS_OF_A_RESOURCE),
            sets: share(FUNCTIONS_OF_A_SET),
        }
    }

    fn app(&self, app: usize) -> String {
        format!("{}/app-{app}", self.id)
    }

    fn identity(&self, identity: usize) -> String {
        format!("{}/{}-role-{identity}", self.id, WORK[identity % WORK.len()])
    }

    fn resource(&self, resource: usize) -> String {
        let (kind, _) = KINDS[resource % KINDS.len()];
        format!("{kind}:{}/{}-{resource}", self.id, WORK[resource / KINDS.len() % WORK.len()])
    }

    fn function(&self, function: usize) -> String {
        format!("{}/{}-{function}", self.id, WORK[function % WORK.len()])
    }
}

impl<W: Write> Maker<'_, W> {
    fn line(&mut self, value: &Value) -> io::Result<()> {
        serde_json::to_writer(&mut *self.out, value)?;
        self.out.write_all(b"\n")
    }

    fn entity(&mut self, kind: &str, value: Value) -> io::Result<()> {
        self.line(&Value::Object(Map::from_iter([(kind.to_owned(), value)])))
    }

    fn one_in(&mut self, number: usize) -> bool {
        self.rng.usize(..number) == 0
    }

    /// A number below `end`, the small ones far more often than the large.
    fn skewed(&mut self, end: usize) -> usize {
        let share = u128::from(self.rng.u16(..)).pow(4);
        ((end as u128 * share) >> 64) as usize
    }

    fn pick(&mut self, words: &[&'static str]) -> &'static str {
        words[self.rng.usize(..words.len())]
    }

    fn day(&mut self, years: i32) -> String {
        let (year, month, day) = (2027 - self.rng.i32(1..=years), self.rng.u8(1..=10), self.rng.u8(1..=28));
        format!("{year}-{month:02}-{day:02}")
    }

    fn company(&mut self) -> io::Result<()> {
        self.entity("scope", json!({"id": "marivela", "kind": "organization", "owner": "security"}))?;
        for (id, environment) in [("production", "production"), ("rehearsal", "test")] {
            let folder = json!({"id": id, "kind": "folder", "in": "marivela", "environment": environment});
            self.entity("scope", folder)?;
        }
        for platform in PLATFORMS {
            for (name, actions) in TEMPLATES {
                let set = json!({
                    "id": format!("{platform}-{name}"), "origin": "platform",
                    "statements": [{"allow": actions, "on": ["*"]}],
                });
                self.entity("permission_set", set)?;
            }
        }
        let bound = json!({"over": ["folder:rehearsal"], "statements": [
            {"allow": ["*"], "on": ["*"]}, {"deny": ["access/*", "secret/delete"], "on": ["*"]}]});
        self.entity("ceiling", bound)
    }

    fn account(&mut self, it: &Account) -> io::Result<()> {
        let folder = if it.number % 4 == 3 { "rehearsal" } else { "production" };
        let one_side = if it.platform == "tramontana" { "one-side" } else { "both-sides" };
        let case = if it.platform == "poniente" { "ignored" } else { "counts" };
        self.entity(
            "scope",
            json!({"id": it.id, "kind": "account", "in": folder, "platform": it.platform, "owner": "ferries",
                "cross_account": one_side, "action_case": case}),
        )?;
        for app in 0..it.apps {
            self.entity(
                "scope",
                json!({"id": it.app(app), "kind": "app", "in": it.id, "owner": WORK[app % 24]}),
            )?;
        }
        self.resources(it)?;
        self.sets(it)?;
        self.identities(it)?;
        self.people(it)?;
        self.functions(it)?;
        self.keys(it)?;
        self.tokens(it)
    }

    fn resources(&mut self, it: &Account) -> io::Result<()> {
        for resource in 0..it.resources {
            let sensitivity = self.pick(&["internal", "internal", "public", "confidential"]);
            let mut value = json!({"id": it.resource(resource), "in": it.app(resource % it.apps),
                "sensitivity": sensitivity, "tags": {"team": WORK[resource % 24], "ship": format!("boat-{}", resource % 37)}});
            if self.one_in(25) {
                let other = self.rng.usize(..it.identities);
                value["access"] = json!([{"to": [format!("identity:{}", it.identity(other))],
                    "allow": [format!("{}/*", KINDS[resource % 6].0)]}]);
            }
            self.entity("resource", value)?;
        }
        Ok(())
    }

    /// One statement: most name a resource, some all that begin alike, a few everything of a kind.
    fn statement(&mut self, it: &Account) -> Value {
        let resource = self.rng.usize(..it.resources);
        let (kind, operations) = KINDS[resource % KINDS.len()];
        let actions: Vec<String> = match self.rng.usize(..20) {
            0 => vec![format!("{kind}/*")],
            1 => vec![format!("{kind}/{}*", &operations[0][..1])],
            2 => vec!["*/list".to_owned()],
            _ => operations[..self.rng.usize(1..=3)].iter().map(|each| format!("{kind}/{each}")).collect(),
        };
        let on = match self.rng.usize(..20) {
            0 => format!("{kind}:*"),
            1 | 2 => format!("{kind}:{}/{}*", it.id, WORK[resource / KINDS.len() % WORK.len()]),
            3 => format!("*:{}/*", it.id),
            _ => it.resource(resource),
        };
        let effect = if self.one_in(30) { "deny" } else { "allow" };
        let mut statement = json!({effect: actions, "on": [on]});
        if self.one_in(20) {
            statement["when"] = match self.rng.usize(..3) {
                0 => json!({"caller_network": {"in_network": ["10.40.0.0/16"]}}),
                1 => json!({"secure_transport": {"equals": ["true"]}}),
                _ => json!({"resource_tag/team": {"equals": [WORK[resource % 24]]}}),
            };
        }
        statement
    }

    fn statements(&mut self, it: &Account, number: usize) -> Vec<Value> {
        (0..number).map(|_| self.statement(it)).collect()
    }

    fn sets(&mut self, it: &Account) -> io::Result<()> {
        for set in 0..it.sets {
            let number = self.rng.usize(2..8);
            let mut value = json!({"id": format!("{}/set-{set}", it.id), "in": it.id,
                "statements": self.statements(it, number)});
            // Grades: each third set contains the one before.
            if set % 3 > 0 {
                value["includes"] = json!([format!("{}/set-{}", it.id, set - 1)]);
            } else if self.one_in(2) {
                value["includes"] = json!([format!("{}-log-writer", it.platform)]);
            }
            self.entity("permission_set", value)?;
        }
        Ok(())
    }

    fn grants(&mut self, it: &Account, identity: usize) -> Vec<Value> {
        // The first identities of an account run most of its functions, and gather the most.
        let statements = match identity {
            0 => 120,
            1..=3 => 25,
            _ => self.rng.usize(1..5),
        };
        let mut grants = vec![json!({"statements": self.statements(it, statements)})];
        if self.one_in(2) {
            let set = self.skewed(it.sets);
            let app = self.rng.usize(..it.apps);
            let at =
                if self.one_in(3) { format!("account:{}", it.id) } else { format!("app:{}", it.app(app)) };
            grants.push(json!({"set": format!("{}/set-{set}", it.id), "at": at}));
        }
        if self.one_in(8) {
            let (name, _) = TEMPLATES[1 + self.rng.usize(..5)];
            let mut grant =
                json!({"set": format!("{}-{name}", it.platform), "at": format!("account:{}", it.id)});
            if self.one_in(4) {
                grant["expires"] = json!(self.day(2));
            }
            grants.push(grant);
        }
        if self.one_in(150) {
            grants.push(
                json!({"set": format!("{}-everything", it.platform), "at": format!("account:{}", it.id)}),
            );
        }
        if self.one_in(60) {
            let other = self.rng.usize(..it.identities);
            grants.push(json!({"statements": [
                {"allow": ["identity/assume"], "on": [format!("identity:{}", it.identity(other))]}]}));
        }
        grants
    }

    fn identities(&mut self, it: &Account) -> io::Result<()> {
        for identity in 0..it.identities {
            let kind = ["execution-role", "managed-identity", "service-account"][it.number % 3];
            let mut trust = vec![json!({"to": ["service:functions"]})];
            if self.one_in(40) {
                trust.push(json!({"to": ["service:batch-runner"]}));
            }
            if self.one_in(80) {
                let other = self.rng.usize(..it.identities);
                trust.push(json!({"to": [format!("identity:{}", it.identity(other))]}));
            }
            let value = json!({"id": it.identity(identity), "in": it.app(identity % it.apps), "kind": kind,
                "default": identity == 0, "tags": {"team": WORK[identity % 24]}, "trust": trust,
                "grants": self.grants(it, identity)});
            self.entity("identity", value)?;
        }
        let bounded: Vec<String> = (0..it.identities)
            .filter(|identity| identity % 50 == 49)
            .map(|identity| format!("identity:{}", it.identity(identity)))
            .collect();
        if !bounded.is_empty() {
            let ceiling = json!({"over": bounded, "statements": [
                {"allow": ["table/*", "bucket/*", "queue/*", "log/*"], "on": ["*"]}]});
            self.entity("ceiling", ceiling)?;
        }
        Ok(())
    }

    fn people(&mut self, it: &Account) -> io::Result<()> {
        for user in 0..it.functions.div_ceil(100) {
            let value = json!({"id": format!("{}/crew-{user}", it.id), "in": it.id});
            self.entity("user", value)?;
        }
        let everybody = json!({"id": format!("{}/every-function", it.id), "in": it.id,
            "rule": {"kind": "function", "in": it.id},
            "grants": [{"set": format!("{}-log-writer", it.platform), "at": format!("account:{}", it.id)}]});
        self.entity("group", everybody)?;
        let named = json!({"id": format!("{}/refunds", it.id), "in": it.id,
            "rule": {"kind": "function", "in": it.id, "named": "*/refund-*"},
            "grants": [{"statements": [self.statement(it)]}]});
        self.entity("group", named)?;
        let crew: Vec<String> =
            (0..it.functions.div_ceil(100)).map(|user| format!("user:{}/crew-{user}", it.id)).collect();
        self.entity("group", json!({"id": format!("{}/crew", it.id), "in": it.id, "members": crew}))?;
        let staff = json!({"id": format!("{}/staff", it.id), "in": it.id,
            "members": [format!("group:{}/crew", it.id)],
            "grants": [{"set": format!("{}-viewer", it.platform), "at": format!("account:{}", it.id)}]});
        self.entity("group", staff)
    }

    fn functions(&mut self, it: &Account) -> io::Result<()> {
        for function in 0..it.functions {
            let identity = self.skewed(it.identities);
            let app = function % it.apps;
            let mut value = json!({
                "id": it.function(function), "in": it.app(app), "runtime": RUNTIMES[function % 3],
                "state": if self.one_in(40) { "disabled" } else { "enabled" },
                "owner": WORK[app % 24], "version": format!("{}", self.rng.usize(1..90)),
                "runs_as": it.identity(identity),
                "settings": ["BOOKINGS_TABLE", "TIDE_SOURCE", "LOG_LEVEL", "PIER"],
                "tags": {"team": WORK[app % 24], "ship": format!("boat-{}", function % 37), "cost": format!("c{}", app % 90)},
            });
            if self.rng.usize(..5) < 2 {
                value["endpoints"] = json!([self.endpoint(it, function)]);
            }
            if self.one_in(2) {
                let source = self.rng.usize(..it.resources);
                value["triggers"] =
                    json!([{"source": it.resource(source), "filter": "kind = ferry", "state": "enabled"}]);
                let service = ["object-store", "queue-poller", "notifier"][source % 3];
                let pin = json!({"source_resource": {"equals": [it.resource(source)]},
                    "account_of_source": {"equals": [it.id]}});
                let mut admission = json!({"to": [format!("service:{service}")]});
                if !self.one_in(10) {
                    admission["when"] = pin;
                }
                value["invoke"] = json!([admission]);
            }
            if self.one_in(12) {
                let caller = self.skewed(it.identities);
                value["invoke"] = json!([{"to": [format!("identity:{}", it.identity(caller))]}]);
            } else if self.one_in(300) {
                value["invoke"] = json!([{"to": [self.pick(&["anyone", "signed-in"])]}]);
            }
            self.entity("function", value)?;
        }
        Ok(())
    }

    fn endpoint(&mut self, it: &Account, function: usize) -> Value {
        let check = match self.rng.usize(..20) {
            0 => json!("none"),
            1..=8 => json!("identity"),
            9..=15 => json!({"key": self.pick(&["function", "app"])}),
            _ => json!({"token": format!("{}/site", it.id)}),
        };
        let network = self.pick(&["internet", "internet", "internal", "10.40.0.0/16"]);
        let mut endpoint = json!({"check": check, "network": network, "methods": ["POST"],
            "path": format!("/{}", WORK[function % 24]), "url": format!("https://{}.marivela.example/{}", it.id, WORK[function % 24])});
        if self.one_in(10) {
            endpoint["gateway"] = json!(format!("{}-door", it.id));
            endpoint["presents"] = json!("caller");
        }
        endpoint
    }

    fn keys(&mut self, it: &Account) -> io::Result<()> {
        for key in 0..it.functions.div_ceil(FUNCTIONS_OF_A_KEY) {
            let (opens, reach) = match key % 4 {
                0 => (format!("app:{}", it.app(key % it.apps)), if key % 40 == 0 { "admin" } else { "app" }),
                _ => (format!("function:{}", it.function(self.rng.usize(..it.functions))), "function"),
            };
            let mut value = json!({"id": format!("{}/key-{key}", it.id), "opens": opens, "reach": reach,
                "created": self.day(3), "held_by": [format!("kiosk-{}", key % 70)], "observed_since": "2026-01-01"});
            if self.one_in(3) {
                value["expires"] = json!("2027-06-01");
            }
            value["last_used"] = if self.one_in(6) { json!("never") } else { json!("2026-11-19") };
            self.entity("key", value)?;
        }
        Ok(())
    }

    fn tokens(&mut self, it: &Account) -> io::Result<()> {
        let site = format!("{}/site", it.id);
        let issuer = format!("{}.marivela.example", it.id);
        self.entity(
            "verifier",
            json!({"id": site, "in": it.id, "issuers": [issuer], "algorithms": ["ES256"]}),
        )?;
        let token = json!({"id": format!("{site}-public"), "verifier": site, "issuer": issuer,
            "public": it.number % 9 == 8, "expires": "2031-01-01"});
        self.entity("token", token)
    }
}
