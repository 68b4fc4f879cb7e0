//! Arguments, one file a command, and exit codes.

mod audit;
mod card;
mod compare;
mod completions;
pub(crate) mod config;
mod demo;
mod diff;
mod digesting;
mod entry;
mod explain;
#[cfg(feature = "network")]
mod gather;
mod key;
#[cfg(feature = "network")]
mod knock;
mod list;
#[cfg(all(feature = "network", feature = "stand-ins"))]
mod live;
#[cfg(feature = "network")]
mod logs;
mod lookup;
mod paths;
mod reach;
mod rehearse;
mod report;
mod rules;
mod sample;
mod schema;
mod seal;
#[cfg(feature = "stand-ins")]
mod stand_in;
mod tighten;
mod token;
mod usage;
mod waive;

use std::borrow::Cow;
use std::cell::OnceCell;
use std::io::{BufWriter, IsTerminal, Write};
use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::rc::Rc;

use anstream::{AutoStream, ColorChoice};
use clap::{Args, Parser, Subcommand, ValueEnum};
use jiff::Timestamp;
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load, parse_moment};
use pasaporte_read::text::Source;
use pasaporte_report::audit::write_json;

use config::Heeded;

use crate::session::Session;
use crate::terminal;
use crate::view::{self, Page};

/// Reads what event-driven functions may do and who may make them run, and says what is too wide,
/// what is open to anyone, which keys are stale, and what the smallest safe fix is.
#[derive(Debug, Parser)]
#[command(name = "pasaporte", version, max_term_width = 100, propagate_version = true)]
#[command(after_help = "Exit codes: 0 nothing at or over the threshold · 1 findings at or over it · \
                        2 the call or the input is wrong · 3 (with --strict) blind spots\n\n\
                        Begin with: pasaporte demo")]
struct Cli {
    #[command(subcommand)]
    command: Command,
    #[command(flatten)]
    look: Look,
    #[command(flatten)]
    config: config::Which,
}

/// How text output looks.
#[derive(Debug, Args)]
struct Look {
    /// When to colour (`NO_COLOR` is honoured)
    #[arg(
        long,
        global = true,
        value_enum,
        value_name = "WHEN",
        default_value = "auto",
        help_heading = "Look"
    )]
    color: Color,
    /// Columns of text output [default: the terminal's, else 80]
    #[arg(long, global = true, value_name = "N", value_parser = clap::value_parser!(u16).range(40..=400), help_heading = "Look")]
    width: Option<u16>,
    /// Print the answer and nothing around it: no progress, no hints
    #[arg(long, short, global = true, help_heading = "Look")]
    quiet: bool,
    /// Show text longer than the terminal at once, instead of in `PAGER`
    #[arg(long, global = true, help_heading = "Look")]
    no_pager: bool,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum Color {
    Auto,
    Always,
    Never,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Collect an estate from platforms, through adapters
    #[cfg(feature = "network")]
    Gather(gather::Gather),
    /// Judge an estate: findings, worst first, with evidence and fix
    Audit(audit::Audit),
    /// Show what is there, as a table
    List(list::List),
    /// Show a function's passport: who may enter, where it may go, its keys, what is wrong with it
    Card(card::Card),
    /// Show who may make a function run, in effect
    Entry(entry::Entry),
    /// Show what a principal or function may do, in effect, and what it can become
    Reach(reach::Reach),
    /// Show how far somebody gets, step by step, and what cuts it
    Paths(paths::PathsOf),
    /// Propose the smallest change that keeps what is needed, and prove it
    Tighten(tighten::Tighten),
    /// Ask of the estate as it would be whatever was seen to happen: what would break, which findings go and come
    Rehearse(rehearse::Rehearse),
    /// Hold two side by side: what both may do, and what only one may, in effect
    Compare(compare::Compare),
    /// Say whether a principal may do an action on a resource, and by which statements
    Explain(explain::Explain),
    /// Try endpoints from outside, with no credential, and hold what comes back against the estate
    #[cfg(feature = "network")]
    Knock(knock::Knock),
    /// Register a token by what it claims and a keyed fingerprint; the token itself is kept nowhere
    Token(token::Token),
    /// Give a key its fingerprint, so that its value is known where logs have it; the value itself is kept nowhere
    Key(key::Key),
    /// Digest logs into what was used and by whom, beside the estate
    Usage(usage::Usage),
    /// Show what the audit looks for
    Rules(rules::Rules),
    /// Accept findings until a date, with who answers for them and why; show and take back what is accepted
    Waive(waive::Waive),
    /// Show what opened and closed between two estates, or two saved audits
    Diff(diff::Diff),
    /// Write an audit that was saved to files for others: HTML, Markdown, SARIF, OCSF, `JUnit`, CSV, JSON
    Report(report::Reported),
    /// Show what is in force, and which file and line it comes from
    Config(config::Show),
    /// Print a JSON Schema
    Schema(schema::Schema),
    /// Serve six made-up platforms on this machine, to try gathering on
    #[cfg(feature = "stand-ins")]
    StandIn(stand_in::StandIn),
    /// Audit the sample estate of Marivela Ferries
    Demo(demo::Demo),
    /// Print what a shell needs to complete commands, options and ids
    Completions(completions::Completions),
    /// Write manual pages
    Man(completions::Man),
}

/// How an answer is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Format {
    /// For people.
    Text,
    /// For programs.
    Json,
}

/// The estate to look at.
#[derive(Debug, Args)]
struct Input {
    /// Estate files, folders of them, or `-` for standard input [default: `PASAPORTE_ESTATE`, else what the configuration
    /// names, else this folder if it holds an estate]
    #[arg(value_name = "PATH", value_hint = clap::ValueHint::AnyPath)]
    paths: Vec<PathBuf>,
    /// Judge ages and expiries by this time instead of the estate's own: a time, a date or `now`
    #[arg(long, value_name = "TIME", value_parser = moment)]
    as_of: Option<Timestamp>,
    /// Lay a file over the estate, and ask of it as it would be: what `tighten` writes, or one like it
    #[arg(long = "with", value_name = "OVERLAY", value_hint = clap::ValueHint::FilePath)]
    overlays: Vec<PathBuf>,
}

/// What a command writes to, and how wide its text may be.
pub(crate) struct Sheet<'o> {
    pub(crate) page: Page,
    /// Whether text has colours.
    coloured: bool,
    /// Whether places in files are links.
    linked: bool,
    /// Whether nothing is told but the answer.
    pub(crate) quiet: bool,
    /// Text that waits for its end, where it may be shown in a pager.
    held: Option<String>,
    /// Which configuration is heeded, and what it says once it was asked for.
    which: config::Which,
    configured: OnceCell<Rc<Heeded>>,
    pub(crate) out: &'o mut dyn Write,
}

impl Sheet<'_> {
    /// Writes a text that is ready.
    fn text(&mut self, text: &str) -> Result<(), Stop> {
        let text = match (self.coloured, self.linked) {
            (true, true) => Cow::Owned(terminal::linked(text)),
            (true, false) => Cow::Borrowed(text),
            (false, _) => Cow::Owned(anstream::adapter::strip_str(text).to_string()),
        };
        match &mut self.held {
            Some(held) => held.push_str(&text),
            None => self.out.write_all(text.as_bytes())?,
        }
        Ok(())
    }

    /// Writes what was held back, at once.
    fn flush(&mut self) -> Result<(), Stop> {
        if let Some(held) = self.held.take() {
            self.out.write_all(held.as_bytes())?;
        }
        Ok(self.out.flush()?)
    }

    /// The end of the text: in a pager if it is longer than the terminal.
    fn end(&mut self) -> Result<(), Stop> {
        if let Some(held) = self.held.take_if(|held| terminal::is_longer_than_the_terminal(held))
            && !terminal::pager().is_some_and(|pager| terminal::page(&pager, &held))
        {
            self.out.write_all(held.as_bytes())?;
        }
        self.flush()
    }

    /// The configuration that is heeded.
    fn configured(&self) -> Result<Rc<Heeded>, Stop> {
        if let Some(known) = self.configured.get() {
            return Ok(Rc::clone(known));
        }
        let read = Rc::new(self.which.read()?);
        Ok(Rc::clone(self.configured.get_or_init(|| read)))
    }

    /// Does some work, and says that it goes on where it takes long.
    fn while_waiting<T>(&self, what: &'static str, work: impl FnOnce() -> T) -> T {
        terminal::while_waiting(self.quiet, what, work)
    }

    /// Writes a value as JSON.
    fn json(&mut self, value: &impl serde::Serialize) -> Result<(), Stop> {
        Ok(write_json(value, self.out)?)
    }
}

/// Why a command could not answer.
enum Stop {
    /// The input is wrong, in these ways.
    Wrong(Diagnostics),
    /// Collecting failed, in these ways.
    #[cfg(feature = "network")]
    Ungathered(Diagnostics),
    /// The call is wrong.
    Misused {
        /// What is wrong.
        message: String,
        /// What to do.
        help: String,
    },
    /// The answer cannot be written.
    Unwritten(std::io::Error),
}

impl From<std::io::Error> for Stop {
    fn from(error: std::io::Error) -> Self {
        Self::Unwritten(error)
    }
}

/// The exit code of a command that answered.
type Done = Result<u8, Stop>;

/// Exit code for findings at or over the threshold.
const FOUND: u8 = 1;
/// Exit code for a wrong call or wrong input.
const WRONG: u8 = 2;
/// Exit code for blind spots, with `--strict`.
const BLIND: u8 = 3;

/// Runs the program.
pub(crate) fn run() -> ExitCode {
    completions::answer();
    let cli = match Cli::try_parse() {
        Ok(cli) => cli,
        // Help and version are answers: that they could not be written is not kept to ourselves.
        Err(told) if !told.use_stderr() => {
            return match told.print().and_then(|()| std::io::stdout().flush()) {
                Ok(()) => ExitCode::SUCCESS,
                Err(error) => unwritten(&error, None),
            };
        }
        Err(wrong) => wrong.exit(),
    };
    let choice = match cli.look.color {
        Color::Auto => None,
        Color::Always => Some(ColorChoice::Always),
        Color::Never => Some(ColorChoice::Never),
    };
    let stdout = std::io::stdout();
    // Made for what it does to a terminal that must be told to take colours, and to ask whether it does.
    let colours = choice.unwrap_or_else(|| AutoStream::choice(&stdout));
    let coloured = AutoStream::new(stdout.lock(), colours).current_choice() == ColorChoice::AlwaysAnsi;
    let out = UntilClosed { out: stdout.lock(), closed: false };
    let mut out = BufWriter::with_capacity(1 << 16, out);
    let page = Page::new(cli.look.width.map(usize::from));
    let is_read = std::io::stdout().is_terminal();
    let mut sheet = Sheet {
        page,
        coloured,
        linked: is_read && terminal::takes_links(),
        quiet: cli.look.quiet,
        held: (is_read && !cli.look.no_pager).then(String::new),
        which: cli.config,
        configured: OnceCell::new(),
        out: &mut out,
    };
    let done = cli.command.run(&mut sheet);
    let done = match done {
        Ok(code) => sheet.end().map(|()| code),
        // What was said before comes before the mistake.
        Err(stop) => sheet.flush().and(Err(stop)),
    };
    match done {
        Ok(code) => ExitCode::from(code),
        Err(Stop::Wrong(diagnostics)) => {
            complain(&view::diagnostics(diagnostics, " in the input; nothing was judged"), choice)
        }
        #[cfg(feature = "network")]
        Err(Stop::Ungathered(diagnostics)) => {
            complain(&view::diagnostics(diagnostics, "; nothing was written for that source"), choice)
        }
        Err(Stop::Misused { message, help }) => complain(&view::misuse(&message, &help), choice),
        Err(Stop::Unwritten(error)) => unwritten(&error, choice),
    }
}

/// Says that the answer could not be written. A reader that has seen enough closes the pipe; that is not an error of ours.
fn unwritten(error: &std::io::Error, choice: Option<ColorChoice>) -> ExitCode {
    if error.kind() == std::io::ErrorKind::BrokenPipe {
        return ExitCode::SUCCESS;
    }
    complain(&view::misuse(&format!("cannot write the answer: {error}"), "free some space"), choice)
}

/// What an answer is written to, until its reader has seen enough: then the rest is written to nobody, and the code of the
/// answer stays what it is.
struct UntilClosed<W> {
    out: W,
    closed: bool,
}

impl<W: Write> UntilClosed<W> {
    fn passed<T>(&mut self, done: std::io::Result<T>, closed: T) -> std::io::Result<T> {
        match done {
            Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => {
                self.closed = true;
                Ok(closed)
            }
            other => other,
        }
    }
}

impl<W: Write> Write for UntilClosed<W> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        if self.closed {
            return Ok(bytes.len());
        }
        let done = self.out.write(bytes);
        self.passed(done, bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        if self.closed {
            return Ok(());
        }
        let done = self.out.flush();
        self.passed(done, ())
    }
}

impl Command {
    fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        match self {
            #[cfg(feature = "network")]
            Self::Gather(it) => it.run(sheet),
            Self::Audit(it) => it.run(sheet),
            Self::List(it) => it.run(sheet),
            Self::Card(it) => it.run(sheet),
            Self::Entry(it) => it.run(sheet),
            Self::Reach(it) => it.run(sheet),
            Self::Paths(it) => it.run(sheet),
            Self::Tighten(it) => it.run(sheet),
            Self::Rehearse(it) => it.run(sheet),
            Self::Compare(it) => it.run(sheet),
            Self::Explain(it) => it.run(sheet),
            #[cfg(feature = "network")]
            Self::Knock(it) => it.run(sheet),
            Self::Token(it) => it.run(sheet),
            Self::Key(it) => it.run(sheet),
            Self::Usage(it) => it.run(sheet),
            Self::Rules(it) => it.run(sheet),
            Self::Waive(it) => it.run(sheet),
            Self::Diff(it) => it.run(sheet),
            Self::Report(it) => it.run(sheet),
            Self::Config(it) => it.run(sheet),
            Self::Schema(it) => it.run(sheet),
            #[cfg(feature = "stand-ins")]
            Self::StandIn(it) => it.run(sheet),
            Self::Demo(it) => it.run(sheet),
            Self::Completions(it) => it.run(sheet),
            Self::Man(it) => it.run(sheet),
        }
    }
}

fn complain(text: &str, choice: Option<ColorChoice>) -> ExitCode {
    let stderr = std::io::stderr();
    let mut out =
        AutoStream::new(stderr.lock(), choice.unwrap_or_else(|| AutoStream::choice(&std::io::stderr())));
    // Nobody is left to tell if this fails.
    let _ = out.write_all(text.as_bytes());
    ExitCode::from(WRONG)
}

/// Where an estate is looked for if none is named.
const ESTATE: &str = "PASAPORTE_ESTATE";

impl Input {
    /// An estate by its paths, with nothing laid over it.
    fn new(paths: Vec<PathBuf>, as_of: Option<Timestamp>) -> Self {
        Self { paths, as_of, overlays: Vec::new() }
    }

    /// Reads the estate and asks about it. It is not taken apart at the end: the program ends when the question is
    /// answered, and with a large estate that would only take time.
    fn ask<'o, T>(
        &self,
        sheet: &mut Sheet<'o>,
        question: impl FnOnce(&Session, &mut Sheet<'o>) -> Result<T, Stop>,
    ) -> Result<T, Stop> {
        let configured = sheet.configured()?;
        let session = ManuallyDrop::new(sheet.while_waiting("reading", || self.load(&configured))?);
        question(&session, sheet)
    }

    fn load(&self, configured: &Heeded) -> Result<Session, Stop> {
        self.load_with(configured, Vec::new())
    }

    /// The same with more laid over it.
    fn load_with(&self, configured: &Heeded, more: Vec<Source>) -> Result<Session, Stop> {
        let mut diagnostics = Diagnostics::default();
        let paths = if self.paths.is_empty() { Self::default_paths(configured)? } else { self.paths.clone() };
        let (standard, paths): (Vec<PathBuf>, Vec<PathBuf>) =
            paths.into_iter().partition(|path| path == Path::new("-"));
        let mut sources = Source::find(&paths, &mut diagnostics);
        if !standard.is_empty() {
            sources.push(Source::Standard);
        }
        let mut overlays = Source::find(&self.overlays, &mut diagnostics);
        overlays.extend(more);
        let supplement = configured.config.supplement.clone();
        let beside = Beside { as_of: self.as_of, supplement, overlays };
        let estate = load(&sources, &beside, diagnostics).map_err(Stop::Wrong)?;
        sources.extend(beside.overlays.iter().cloned());
        Ok(Session::new(estate, sources, beside)
            .judged(configured.config.settings.clone(), configured.file()))
    }

    /// The estate that is meant where none is named.
    fn default_paths(configured: &Heeded) -> Result<Vec<PathBuf>, Stop> {
        let paths = std::env::var_os(ESTATE).filter(|paths| !paths.is_empty());
        if let Some(paths) = paths {
            return Ok(std::env::split_paths(&paths).collect());
        }
        let named = configured.estate();
        if !named.is_empty() {
            return Ok(named);
        }
        let here = vec![PathBuf::from(".")];
        if Source::find(&here, &mut Diagnostics::default()).iter().any(Source::claims_an_estate) {
            return Ok(here);
        }
        Err(Stop::Misused {
            message: "no estate is named, and this folder holds none".to_owned(),
            help: format!(
                "name its files or folders, or set {ESTATE}; `pasaporte demo FOLDER` writes one to try"
            ),
        })
    }
}

/// A file in the working folder, or the next above that has one.
fn upward(name: &str) -> Option<PathBuf> {
    let here = std::env::current_dir().ok()?;
    let found = here.ancestors().map(|folder| folder.join(name)).find(|path| path.exists())?;
    // As seen from here where it is here.
    Some(found.strip_prefix(&here).map(Path::to_owned).unwrap_or(found))
}

/// A file or folder that cannot be written.
fn unwritable(path: &Path, error: &std::io::Error) -> Stop {
    Stop::Misused {
        message: format!("cannot write {}: {error}", view::safe(&path.to_string_lossy())),
        help: "name a folder that you may write to".to_owned(),
    }
}

/// The time, to the second.
fn now() -> Timestamp {
    Timestamp::from_second(Timestamp::now().as_second()).unwrap_or_default()
}

fn moment(text: &str) -> Result<Timestamp, String> {
    if text == "now" {
        return Ok(now());
    }
    parse_moment(text)
        .ok_or_else(|| "write a time (2026-11-20T06:00:00Z), a date (2026-11-20) or now".to_owned())
}
