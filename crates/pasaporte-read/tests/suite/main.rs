//! One program of all tests, so that they are linked once and run side by side.

mod contracts;
mod edit;
mod secrets;
