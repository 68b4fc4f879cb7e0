//! `pasaporte stand-in`: serve the six made-up platforms on this machine.

use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

use clap::Args;
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::{Check, EndpointId, Estate, Network, ScopeId, State, Thing};
use pasaporte_read::files::{self, For};
use pasaporte_stand_in::{Asks, CLIENT, Door, Faults, Options, names, start};

use super::{Done, Sheet, Stop, sample};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte stand-in platforms\n  pasaporte stand-in platforms --errors 10 --throttled 5 --cut 5"
)]
pub(crate) struct StandIn {
    /// The folder to write gather.toml and the credential into: what `pasaporte gather --sources` reads
    #[arg(value_name = "FOLDER")]
    folder: PathBuf,
    /// The port; 0 is one that is free
    #[arg(long, value_name = "N", default_value_t = 0)]
    port: u16,
    /// So many functions more on tramontana
    #[arg(long, value_name = "N", default_value_t = 0, value_parser = clap::value_parser!(u32).range(0..=1_000_000))]
    functions: u32,
    #[command(flatten)]
    plan: Plan,
}

/// What goes wrong, in percent of requests.
#[derive(Debug, Clone, Copy, Default, Args)]
#[command(next_help_heading = "What goes wrong")]
struct Plan {
    /// Requests that fail with 500 or 503, in percent
    #[arg(long, value_name = "PERCENT", default_value_t = 0)]
    errors: u8,
    /// Requests that are turned away with 429, in percent
    #[arg(long, value_name = "PERCENT", default_value_t = 0)]
    throttled: u8,
    /// Answers that are cut off half way, in percent
    #[arg(long, value_name = "PERCENT", default_value_t = 0)]
    cut: u8,
    /// Answers that come late, in percent
    #[arg(long, value_name = "PERCENT", default_value_t = 0)]
    late: u8,
    /// How late, in milliseconds
    #[arg(long, value_name = "MS", default_value_t = 300)]
    late_by: u64,
    /// Change each list while it is read for the first time
    #[arg(long)]
    shifting: bool,
    /// Accept a token for so many requests only
    #[arg(long, value_name = "N")]
    lease: Option<u64>,
    /// What chance begins with
    #[arg(long, value_name = "N", default_value_t = 1)]
    seed: u64,
}

impl Plan {
    fn faults(self) -> Faults {
        Faults {
            errors: self.errors,
            throttled: self.throttled,
            cut: self.cut,
            slow: (self.late > 0).then_some((self.late, self.late_by)),
            shifting: self.shifting,
            lease: self.lease,
            seed: self.seed,
        }
    }
}

impl StandIn {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let failed = |error: &std::io::Error| Stop::Misused {
            message: format!("cannot serve: {error}"),
            help: "name a folder that you may write to, and a port that is free (0 finds one)".to_owned(),
        };
        let secret = secret();
        let options = Options {
            port: self.port,
            secret: secret.clone(),
            faults: self.plan.faults(),
            functions: self.functions as usize,
            doors: doors(sample::session(Path::new("demo"))?.estate()),
            logs_until: super::now().as_second(),
        };
        let running = start(options).map_err(|error| failed(&error))?;
        let address = format!("http://{}", running.address());
        write(&self.folder, &address, &secret).map_err(|error| failed(&error))?;
        let folder = view::safe(&self.folder.to_string_lossy());
        sheet.text(&format!(
            "Six platforms at {address}: {}.\nTheir credential is in {folder}/credential; ask them with\n\n  \
             pasaporte gather --sources {folder}/gather.toml --out ESTATE\n\nThey are served until this ends (Ctrl-C).\n",
            names().collect::<Vec<_>>().join(", "),
        ))?;
        sheet.flush()?;
        running.wait();
        Ok(0)
    }
}

/// A credential that nobody else has. It guards made-up things, on this machine alone.
pub(super) fn secret() -> String {
    use std::hash::{BuildHasher, RandomState};
    let part = || RandomState::new().hash_one(std::process::id());
    format!("{:016x}{:016x}", part(), part())
}

/// The first line of a list of sources that a stand-in wrote.
const FIRST: &str = "# What `pasaporte gather --sources` reads: where to collect from (docs/gather.md).\n";

/// Writes the credential, for its owner's eyes, and a list of sources that refers to it.
fn write(folder: &Path, address: &str, secret: &str) -> std::io::Result<()> {
    fs::create_dir_all(folder)?;
    let (sources, credential) = (folder.join("gather.toml"), folder.join("credential"));
    // What a stand-in wrote before may be written anew; nothing else.
    let is_ours = files::read_text(&sources).is_ok_and(|text| text.starts_with(FIRST));
    if !is_ours && (sources.exists() || credential.exists()) {
        let why = "gather.toml or credential lies there already, and no stand-in wrote it";
        return Err(std::io::Error::other(why));
    }
    files::replace(&credential, For::Owner, |file| writeln!(file, "{secret}"))?;
    let mut text = FIRST.to_owned();
    for name in names() {
        text.push_str(&format!(
            "\n[[source]]\nname = \"{name}\"\nadapter = \"{name}\"\nurl = \"{address}/{name}\"\nclient = \"{CLIENT}\"\n\
             credential = {{ file = \"credential\" }}\n"
        ));
    }
    files::replace_text(&sources, &text)
}

/// The endpoints of an estate's functions, as the platforms that they are on would answer there.
pub(super) fn doors(estate: &Estate) -> Vec<Door> {
    let effects = Effects::new(estate);
    estate.all::<EndpointId>().filter_map(|(id, _)| door(&effects, id)).collect()
}

fn door(access: &Effects<'_>, id: EndpointId) -> Option<Door> {
    let estate = access.estate();
    let endpoint = estate.get(id)?;
    let function = estate.get(endpoint.function)?;
    let platform = |scope: &ScopeId| estate.get(*scope)?.platform;
    let mut scopes =
        estate.upwards(estate.scope_of(Thing::Function(endpoint.function))).map(|(scope, _)| scope);
    let platform = scopes.find_map(|scope| platform(&scope))?;
    let methods = estate.list(endpoint.methods).iter().map(|method| estate.text(*method).to_owned());
    Some(Door {
        platform: estate.text(platform).to_owned(),
        function: estate.id(endpoint.function).to_owned(),
        path: endpoint.path.map_or("/", |path| estate.text(path)).to_owned(),
        methods: methods.collect(),
        asks: match &endpoint.check {
            _ if access.opens_to_nothing(id) == Verdict::Yes => Asks::Nothing,
            Check::None => Asks::Nothing,
            Check::Key(_) => Asks::Key,
            Check::Identity => Asks::Identity,
            Check::Token(_) => Asks::Token,
        },
        url: endpoint.url.map(|url| host_and_path(estate.text(url))),
        enabled: function.state == State::Enabled && endpoint.state == State::Enabled,
        outside: matches!(endpoint.network, Network::Internet),
    })
}

/// The host of an address, and its path.
fn host_and_path(url: &str) -> (String, String) {
    let rest = url.split_once("://").map_or(url, |(_, rest)| rest);
    let (host, path) = rest.split_once('/').unwrap_or((rest, ""));
    (host.to_owned(), format!("/{path}"))
}
