//! Arguments, one file a command, and exit codes.

mod audit;
mod card;
mod demo;
mod entry;
mod explain;
mod gather;
mod knock;
mod list;
mod lookup;
mod reach;
mod rules;
mod sample;
mod schema;
mod stand_in;
mod token;

use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use anstream::{AutoStream, ColorChoice};
use clap::{Args, Parser, Subcommand, ValueEnum};
use jiff::Timestamp;
use pasaporte_core::estate::Estate;
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{load, parse_moment};
use pasaporte_read::text::Source;
use pasaporte_report::audit::write_json;

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
    /// Say whether a principal may do an action on a resource, and by which statements
    Explain(explain::Explain),
    /// Try endpoints from outside, with no credential, and hold what comes back against the estate
    Knock(knock::Knock),
    /// Register a token by what it claims and a keyed fingerprint; the token itself is kept nowhere
    Token(token::Token),
    /// Show what the audit looks for
    Rules(rules::Rules),
    /// Print a JSON Schema
    Schema(schema::Schema),
    /// Serve six made-up platforms on this machine, to try gathering on
    StandIn(stand_in::StandIn),
    /// Audit the sample estate of Marivela Ferries
    Demo(demo::Demo),
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
    /// Estate files, folders of them, or `-` for standard input
    #[arg(required = true, value_name = "PATH")]
    paths: Vec<PathBuf>,
    /// Judge ages and expiries by this time instead of the estate's own: a time, a date or `now`
    #[arg(long, value_name = "TIME", value_parser = moment)]
    as_of: Option<Timestamp>,
}

/// What a command writes to, and how wide its text may be.
pub(crate) struct Sheet<'o> {
    pub(crate) page: Page,
    /// Whether text has colours.
    coloured: bool,
    pub(crate) out: &'o mut dyn Write,
}

impl Sheet<'_> {
    /// Writes a text that is ready.
    fn text(&mut self, text: &str) -> Result<(), Stop> {
        if self.coloured {
            return Ok(self.out.write_all(text.as_bytes())?);
        }
        Ok(write!(self.out, "{}", anstream::adapter::strip_str(text))?)
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
    let cli = Cli::parse();
    let choice = match cli.look.color {
        Color::Auto => None,
        Color::Always => Some(ColorChoice::Always),
        Color::Never => Some(ColorChoice::Never),
    };
    let stdout = std::io::stdout();
    // Made for what it does to a terminal that must be told to take colours, and to ask whether it does.
    let colours = choice.unwrap_or_else(|| AutoStream::choice(&stdout));
    let coloured = AutoStream::new(stdout.lock(), colours).current_choice() == ColorChoice::AlwaysAnsi;
    let mut out = BufWriter::with_capacity(1 << 16, stdout.lock());
    let page = Page::new(cli.look.width.map(usize::from));
    let done = cli.command.run(&mut Sheet { page, coloured, out: &mut out });
    let done = done.and_then(|code| out.flush().map(|()| code).map_err(Stop::from));
    match done {
        Ok(code) => ExitCode::from(code),
        Err(Stop::Wrong(diagnostics)) => {
            complain(&view::diagnostics(diagnostics, " in the input; nothing was judged"), choice)
        }
        Err(Stop::Ungathered(diagnostics)) => {
            complain(&view::diagnostics(diagnostics, "; nothing was written for that source"), choice)
        }
        Err(Stop::Misused { message, help }) => complain(&view::misuse(&message, &help), choice),
        // A reader that has seen enough closes the pipe; that is not an error of ours.
        Err(Stop::Unwritten(error)) if error.kind() == std::io::ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(Stop::Unwritten(error)) => {
            complain(&view::misuse(&format!("cannot write the answer: {error}"), "free some space"), choice)
        }
    }
}

impl Command {
    fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        match self {
            Self::Gather(it) => it.run(sheet),
            Self::Audit(it) => it.run(sheet),
            Self::List(it) => it.run(sheet),
            Self::Card(it) => it.run(sheet),
            Self::Entry(it) => it.run(sheet),
            Self::Reach(it) => it.run(sheet),
            Self::Explain(it) => it.run(sheet),
            Self::Knock(it) => it.run(sheet),
            Self::Token(it) => it.run(sheet),
            Self::Rules(it) => it.run(sheet),
            Self::Schema(it) => it.run(sheet),
            Self::StandIn(it) => it.run(sheet),
            Self::Demo(it) => it.run(sheet),
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

impl Input {
    /// Reads the estate, for as long as the program runs: it ends when the question is answered, and taking a
    /// large estate apart before would only take time.
    fn load(&self) -> Result<&'static Estate, Stop> {
        let mut diagnostics = Diagnostics::default();
        let (standard, paths): (Vec<PathBuf>, Vec<PathBuf>) =
            self.paths.iter().cloned().partition(|path| path == Path::new("-"));
        let mut sources = Source::find(&paths, &mut diagnostics);
        if !standard.is_empty() {
            sources.push(Source::Standard);
        }
        let estate = load(&sources, self.as_of, diagnostics).map_err(Stop::Wrong)?;
        Ok(Box::leak(Box::new(estate)))
    }
}

/// A file or folder that cannot be written.
fn unwritable(path: &Path, error: &std::io::Error) -> Stop {
    Stop::Misused {
        message: format!("cannot write {}: {error}", view::safe(&path.to_string_lossy())),
        help: "name a folder that you may write to".to_owned(),
    }
}

fn moment(text: &str) -> Result<Timestamp, String> {
    if text == "now" {
        return Ok(Timestamp::now());
    }
    parse_moment(text)
        .ok_or_else(|| "write a time (2026-11-20T06:00:00Z), a date (2026-11-20) or now".to_owned())
}
