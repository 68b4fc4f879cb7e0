//! `pasaporte`: what a team's event-driven functions may do, and who may make them run.
//!
//! The binary is thin: [`cli`] reads arguments and calls the libraries, [`session`] holds an estate and what is asked of
//! it, [`view`] turns values into text, [`terminal`] puts text where somebody reads it. Nothing here judges.

mod cli;
mod session;
mod terminal;
mod view;

use std::process::ExitCode;

fn main() -> ExitCode {
    cli::run()
}
