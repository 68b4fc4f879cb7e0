//! One program of all tests, so that they are linked once and run side by side.

mod becoming;
mod catalogue;
mod conditions;
mod contracts;
mod decide;
mod diff;
mod entry;
mod estate;
mod fed;
mod keys;
mod paths;
mod patterns;
mod reach;
mod residual;
mod routes;
mod second_opinion;
mod told;
mod turned_around;
mod usage;
mod worst;

mod support;
