//! `pasaporte`: what a team's event-driven functions may do, and who may make them run.
//!
//! The binary is thin: [`cli`] reads arguments and calls the libraries, [`audited`] holds an audit that was
//! run, [`view`] turns values into text. Nothing here judges.

mod audited;
mod cli;
mod view;

use std::process::ExitCode;

fn main() -> ExitCode {
    cli::run()
}
