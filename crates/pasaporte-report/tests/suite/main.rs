//! One program of all tests, so that they are linked once and run side by side.

#[path = "../../../pasaporte-core/tests/suite/support/mod.rs"]
mod support;

mod asked;
mod audits;
mod fits;
mod news;
mod reasoned;
mod shown;
mod views;
