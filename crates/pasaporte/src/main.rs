//! `pasaporte`: what a team's event-driven functions may do, and who may make them run.
//!
//! The binary is thin: [`cli`] reads arguments and calls the libraries, [`view`] turns their values
//! into text. Nothing here judges.

mod cli;
mod view;

use std::process::ExitCode;

fn main() -> ExitCode {
    cli::run()
}
