//! `pasaporte knock`: try endpoints from outside, with no credential.

use std::path::PathBuf;
use std::time::Duration;

use clap::Args;
use clap_complete::ArgValueCompleter;
use indicatif::{ProgressBar, ProgressStyle};
use pasaporte_core::estate::{EndpointId, Estate, Thing};
use pasaporte_core::pattern::Pattern;
use pasaporte_gather::{Door, Knocked, Reaching, knock};
use pasaporte_read::files;
use pasaporte_read::text::Form;
use pasaporte_report::{DoorOut, KnockPlan, Knocks, LeftOut};

use super::gather::{authorities, write};
use super::{Done, Format, Input, Sheet, Stop, completions, lookup};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte knock --at 'gate-*' estate\n  pasaporte knock --at 'gate-*' estate --yes --out estate/knocks.ndjson"
)]
pub(crate) struct Knock {
    #[command(flatten)]
    input: Input,
    /// The endpoints to try: an id, or a pattern such as 'gate-*' (repeat, or divide by commas). Without --yes it is only
    /// said what would be tried
    #[arg(long, value_name = "ENDPOINTS", value_delimiter = ',', add = ArgValueCompleter::new(completions::endpoints))]
    at: Vec<String>,
    /// A file with the endpoints to try, an id a line; they are tried at once, but with patterns or methods that may
    /// change something only with --yes
    #[arg(long, value_name = "FILE", conflicts_with = "at")]
    list: Option<PathBuf>,
    /// Try them
    #[arg(long)]
    yes: bool,
    /// Try each with the first method that it is declared with, which may make it do something, instead of HEAD or
    /// OPTIONS
    #[arg(long)]
    declared_method: bool,
    /// Tries a second, at most
    #[arg(long, value_name = "N", default_value_t = 2, value_parser = clap::value_parser!(u32).range(1..=50))]
    pace: u32,
    /// Trust the certificates in this PEM file instead of the system's
    #[arg(long, value_name = "FILE")]
    ca: Option<PathBuf>,
    /// The longest that one try may take, in seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 10, value_parser = clap::value_parser!(u64).range(1..=600))]
    timeout: u64,
    /// Write what came back into this .ndjson file, which `audit` reads beside the estate
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Knock {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        if let Some(out) = self.out.as_ref().filter(|out| Form::of(out) != Some(Form::Ndjson)) {
            return Err(Stop::Misused {
                message: format!("{} is not a name for what came back", view::safe(&out.to_string_lossy())),
                help: "name a file that ends in .ndjson".to_owned(),
            });
        }
        self.input.ask(sheet, |session, sheet| self.knock(session.estate(), sheet))
    }

    fn knock(&self, estate: &Estate, sheet: &mut Sheet<'_>) -> Done {
        let chosen = self.chosen(estate)?;
        let (doors, left_out) = doors(estate, &chosen, self.declared_method);
        if !self.yes && !self.is_as_named(&doors)? {
            let would_try =
                doors.into_iter().map(|it| DoorOut { endpoint: it.endpoint, method: it.method, url: it.url });
            let plan = KnockPlan::new(would_try.collect(), left_out);
            match self.format {
                Format::Text => sheet.text(&view::knock_plan(sheet.page, &plan, self.pace))?,
                Format::Json => sheet.json(&plan)?,
            }
            return Ok(0);
        }
        let reaching = Reaching {
            patience: Duration::from_secs(self.timeout),
            authorities: authorities(self.ca.as_deref())?,
        };
        let tried = tried(&doors, &reaching, Duration::from_secs(1) / self.pace, sheet.quiet)?;
        if let Some(out) = &self.out {
            write(out, &evidence(&tried))?;
        }
        let knocks = held(estate, &tried, left_out);
        match self.format {
            Format::Text => sheet.text(&view::knocked(sheet.page, &knocks, self.out.as_deref()))?,
            Format::Json => sheet.json(&knocks)?,
        }
        Ok(0)
    }

    /// The endpoints that were asked for, by name; each pattern must mean some.
    fn chosen(&self, estate: &Estate) -> Result<Vec<EndpointId>, Stop> {
        let mut all: Vec<EndpointId> = Vec::new();
        for (number, text) in self.asked()?.into_iter().enumerate() {
            let text = text.strip_prefix("endpoint:").unwrap_or(&text);
            let known = estate.find(text).filter(|id| estate.get(*id).is_some());
            // A file may hold anything: what is not like an endpoint is not shown.
            if known.is_none() && self.list.is_some() && !is_like_one(text) {
                return Err(Stop::Misused {
                    message: format!("what --list names as number {} is not like an endpoint", number + 1),
                    help: "write an id or a pattern a line; `pasaporte list endpoints` shows them".to_owned(),
                });
            }
            if !is_pattern(text) {
                all.push(known.map_or_else(|| lookup::endpoint(estate, text), Ok)?);
                continue;
            }
            let pattern = Pattern::parse(text).map_err(|error| Stop::Misused {
                message: format!("`{}`: {error}", view::safe(text)),
                help: "write an id, or a pattern with * and ?".to_owned(),
            })?;
            let before = all.len();
            let matching = estate.all::<EndpointId>().map(|(id, _)| id);
            all.extend(matching.filter(|id| pattern.matches(estate.id(*id))));
            if all.len() == before {
                return Err(Stop::Misused {
                    message: format!("no endpoint is like {}", view::safe(text)),
                    help: "`pasaporte list endpoints` shows them".to_owned(),
                });
            }
        }
        all.sort_by_key(|id| estate.id(*id));
        all.dedup();
        Ok(all)
    }

    /// Whether all that would be tried was named one by one, and no try may change anything: naming is consent enough.
    fn is_as_named(&self, doors: &[Door]) -> Result<bool, Stop> {
        let named = self.list.is_some() && !self.asked()?.iter().any(|text| is_pattern(text));
        Ok(named && doors.iter().all(|door| matches!(door.method.as_str(), "GET" | "HEAD" | "OPTIONS")))
    }

    fn asked(&self) -> Result<Vec<String>, Stop> {
        let Some(path) = &self.list else {
            if self.at.is_empty() {
                return Err(Stop::Misused {
                    message: "nothing is tried unless it is named".to_owned(),
                    help: "name endpoints: --at 'gate-*', or --list FILE".to_owned(),
                });
            }
            return Ok(self.at.clone());
        };
        let name = view::safe(&path.to_string_lossy());
        let text = files::read_text(path).map_err(|error| Stop::Misused {
            message: format!("{name} cannot be read: {error}"),
            help: "give --list a file with an endpoint a line".to_owned(),
        })?;
        let lines = text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
        let all: Vec<String> = lines.map(str::to_owned).collect();
        if all.is_empty() {
            return Err(Stop::Misused {
                message: format!("{name} names no endpoint"),
                help: "write an endpoint a line".to_owned(),
            });
        }
        Ok(all)
    }
}

/// Whether a text is like the id of an endpoint, or a pattern of such.
fn is_like_one(text: &str) -> bool {
    let is_plain = |each: char| each.is_alphanumeric() || "-_./{}:~$*?".contains(each);
    text.chars().all(is_plain) && !text.contains("://") && pasaporte_read::covered(text) == text
}

/// The doors of endpoints, and why others have none that can be tried.
pub(super) fn doors(
    estate: &Estate,
    chosen: &[EndpointId],
    declared_method: bool,
) -> (Vec<Door>, Vec<LeftOut>) {
    let (mut doors, mut left_out) = (Vec::new(), Vec::new());
    for &id in chosen {
        let Some(endpoint) = estate.get(id) else { continue };
        let name = estate.label(Thing::Endpoint(id));
        let Some(url) = endpoint.url.map(|url| estate.text(url)) else {
            left_out.push(LeftOut { endpoint: name, why: "the estate does not say its address".to_owned() });
            continue;
        };
        if url.contains(['{', '*']) {
            let why = "its address has a blank that somebody must fill".to_owned();
            left_out.push(LeftOut { endpoint: name, why });
            continue;
        }
        let methods: Vec<&str> =
            estate.list(endpoint.methods).iter().map(|method| estate.text(*method)).collect();
        let reads = methods.is_empty() || methods.iter().any(|method| matches!(*method, "GET" | "HEAD"));
        let method = match methods.first() {
            Some(first) if declared_method => first,
            None if declared_method => "GET",
            _ if reads => "HEAD",
            _ => "OPTIONS",
        };
        doors.push(Door { endpoint: name, url: url.to_owned(), method: method.to_owned() });
    }
    (doors, left_out)
}

fn is_pattern(text: &str) -> bool {
    text.contains(['*', '?', '\\'])
}

/// Tries doors, with a bar on a terminal.
pub(super) fn tried(
    doors: &[Door],
    reaching: &Reaching,
    apart: Duration,
    quiet: bool,
) -> Result<Vec<Knocked>, Stop> {
    let style = ProgressStyle::with_template("{bar:24} {pos}/{len} doors {msg}")
        .unwrap_or_else(|_| ProgressStyle::default_bar());
    let bar =
        if quiet { ProgressBar::hidden() } else { ProgressBar::new(doors.len() as u64).with_style(style) };
    let tried = knock(doors, reaching, apart, |knocked| {
        bar.inc(1);
        bar.set_message(view::safe(&knocked.endpoint));
    });
    bar.finish_and_clear();
    tried.map_err(|diagnostic| {
        let mut diagnostics = pasaporte_read::diagnostic::Diagnostics::default();
        diagnostics.push(diagnostic);
        Stop::Wrong(diagnostics)
    })
}

/// What came back, held against what the estate says.
pub(super) fn held(estate: &Estate, tried: &[Knocked], left_out: Vec<LeftOut>) -> Knocks {
    let audit = pasaporte_audit::Audit::new(estate, pasaporte_audit::Settings::default());
    let told = tried.iter().map(|it| (it.endpoint.as_str(), it.method.as_str(), it.came.as_ref()));
    Knocks::new(&audit, told, left_out)
}

/// What came back, as a file of an estate.
pub(super) fn evidence(tried: &[Knocked]) -> String {
    let mut text = "{\"estate\":1}\n".to_owned();
    for it in tried {
        let endpoint = it.endpoint.strip_prefix("endpoint:").unwrap_or(&it.endpoint);
        let came = match &it.came {
            Ok(status) => ("status", serde_json::json!(status)),
            Err(why) => ("failed", serde_json::json!(pasaporte_read::plain(why))),
        };
        let attempt = serde_json::json!({
            "endpoint": endpoint, "method": it.method, "at": it.at.to_string(), came.0: came.1
        });
        text.push_str(&serde_json::json!({ "try": attempt }).to_string());
        text.push('\n');
    }
    text
}
