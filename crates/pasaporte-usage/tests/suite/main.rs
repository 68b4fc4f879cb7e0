//! One program of all tests, so that they are linked once and run side by side.

mod formats;
mod hostile;
mod laws;
mod secrets;

mod support;
