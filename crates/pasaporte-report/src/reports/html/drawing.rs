//! The drawing on a passport, in place of a photograph: who comes in from the left, the function, where it reaches on the right;
//! a line is as wide as the crowd, or as what it leads to.

use pasaporte_core::entry::Exposure;
use serde::Serialize;

use crate::exhibits::{EntryLine, ExitLine, Passport};

/// Lines, and what they show in words.
#[derive(Debug, Serialize)]
pub(super) struct Drawing {
    told: String,
    lines: Vec<Line>,
}

#[derive(Debug, Serialize)]
struct Line {
    /// How it is drawn: hot, deep, perhaps, or as usual.
    kind: &'static str,
    width: u8,
    path: String,
}

/// Where the function is, and how high the drawing.
const MIDDLE: usize = 30;
const HEIGHT: usize = 60;

pub(super) fn drawing(it: &Passport) -> Drawing {
    let comes_in: Vec<&EntryLine> = it.entries.iter().filter(|way| way.circle.is_some()).collect();
    let mut lines = Vec::new();
    for (at, way) in comes_in.iter().enumerate() {
        let y = height(at, comes_in.len());
        let kind = if way.open {
            "h "
        } else if way.perhaps {
            "p "
        } else {
            ""
        };
        let width = way.circle.as_ref().map_or(1, |circle| width_of(circle.0));
        lines.push(Line { kind, width, path: format!("M4 {y}C80 {y} 90 {MIDDLE} 149 {MIDDLE}") });
    }
    for (at, exit) in it.exits.iter().enumerate() {
        let y = height(at, it.exits.len());
        let kind = if exit.confidential > 0 {
            "d "
        } else if exit.perhaps {
            "p "
        } else {
            ""
        };
        let path = format!("M171 {MIDDLE}C230 {MIDDLE} 240 {y} 316 {y}");
        lines.push(Line { kind, width: depth_of(exit), path });
    }
    let deep = it.exits.iter().filter(|exit| exit.confidential > 0).count();
    let told = format!(
        "{} in, the widest for {}; {} out, {deep} of them to confidential things",
        number(comes_in.len(), "way"),
        it.exposed_to.0.phrase(),
        number(it.exits.len(), "service"),
    );
    Drawing { told, lines }
}

fn number(many: usize, one: &str) -> String {
    format!("{many} {one}{}", if many == 1 { "" } else { "s" })
}

/// Where the lines of one side end: spread around the middle.
fn height(at: usize, of: usize) -> usize {
    if of == 1 { MIDDLE } else { 6 + at * (HEIGHT - 12) / (of - 1) }
}

fn width_of(circle: Exposure) -> u8 {
    match circle {
        Exposure::Anyone => 6,
        Exposure::SignedIn => 5,
        Exposure::Outsider => 4,
        Exposure::KeyHolders => 3,
        Exposure::Insiders => 2,
    }
}

/// As wide as it has places for the number of things.
fn depth_of(exit: &ExitLine) -> u8 {
    match exit.things {
        0 => 1,
        1 => 2,
        2..=9 => 3,
        10..=99 => 4,
        100..=999 => 5,
        _ => 6,
    }
}
