//! Writes a large made-up estate to standard output, as NDJSON: `pasaporte-bench FUNCTIONS SEED`.

use std::io::{BufWriter, Write};
use std::process::ExitCode;

use clap::Parser;
use pasaporte_bench::generate;

/// Writes a large made-up estate as NDJSON; the same numbers give the same bytes
#[derive(Debug, Parser)]
struct Arguments {
    /// How many functions the estate has
    functions: usize,
    /// What the made-up parts depend on
    seed: u64,
}

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let mut out = BufWriter::with_capacity(1 << 20, std::io::stdout().lock());
    match generate(arguments.functions, arguments.seed, &mut out).and_then(|()| out.flush()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("pasaporte-bench: cannot write: {error}");
            ExitCode::FAILURE
        }
    }
}
