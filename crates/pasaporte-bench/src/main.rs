//! Writes a large made-up estate to standard output, as NDJSON: `pasaporte-bench FUNCTIONS SEED`, or with
//! `--catalogue` a small one full of wildcards.

use std::io::{BufWriter, Write};
use std::process::ExitCode;

use clap::Parser;
use pasaporte_bench::{Lines, generate, wildcards};

/// Writes a made-up estate as NDJSON; the same numbers give the same bytes
#[derive(Debug, Parser)]
struct Arguments {
    /// How many functions the estate has
    functions: usize,
    /// What the made-up parts depend on
    seed: u64,
    /// Instead, 90 permission sets of 400 statements with wildcards, with a catalogue of actions like this
    #[arg(long)]
    catalogue: Option<Lines>,
}

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let mut out = BufWriter::with_capacity(1 << 20, std::io::stdout().lock());
    let written = match arguments.catalogue {
        Some(lines) => wildcards(lines, arguments.seed, &mut out),
        None => generate(arguments.functions, arguments.seed, &mut out),
    };
    match written.and_then(|()| out.flush()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("pasaporte-bench: cannot write: {error}");
            ExitCode::FAILURE
        }
    }
}
