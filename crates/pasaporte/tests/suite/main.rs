//! One program of all tests, so that they are linked once and run side by side.

mod adapters;
mod answers;
mod audit;
mod card;
mod commands;
mod compare;
mod config;
mod corpus;
mod declared;
mod diff;
mod documents;
mod exit_codes;
mod findings;
mod fingerprints;
mod gather;
mod gather_logs;
mod gather_sources;
mod hostile;
mod keys;
mod knock;
mod ndjson;
mod order;
mod pastes;
mod paths;
#[cfg(unix)]
mod people;
mod pipelines;
mod planted;
mod questions;
mod reading;
mod reports;
mod rules;
mod secrets;
mod shell;
mod since;
mod standards;
mod tighten;
mod token;
mod usage;
mod waive;
mod words_of_platforms;
mod written;

mod support;
