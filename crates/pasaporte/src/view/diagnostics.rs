//! What is wrong with an input or a call, with the line and a pointer.

use std::collections::BTreeMap;
use std::fmt::Write;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Origin, Renderer, Snippet};
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics, Mark};

use super::safe;

/// How many mistakes are shown; the number of the others is told.
const MOST: usize = 60;
/// How many that say the same: what is wrong on one line is often wrong on all.
const MOST_ALIKE: usize = 10;

/// All mistakes of an input.
/// `end` says what follows from them.
pub(crate) fn diagnostics(diagnostics: Diagnostics, end: &str) -> String {
    let count = diagnostics.count();
    let kept = diagnostics.sorted();
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii);
    let mut out = String::new();
    let mut alike: BTreeMap<&str, usize> = BTreeMap::new();
    let mut shown = 0;
    for diagnostic in &kept {
        let of_kind = alike.entry(&diagnostic.message).or_default();
        *of_kind += 1;
        if *of_kind <= MOST_ALIKE && shown < MOST {
            out.push_str(&placed(renderer.render(&[group(diagnostic)]), diagnostic));
            out.push_str("\n\n");
            shown += 1;
        }
    }
    let more = count - shown;
    if more > 0 {
        let many_alike = alike.values().any(|of_kind| *of_kind > MOST_ALIKE);
        let first = if many_alike {
            format!("; of each kind the first {MOST_ALIKE} are shown")
        } else {
            String::new()
        };
        let _ = writeln!(out, "… and {more} more{first}.\n");
    }
    let mistakes = if count == 1 { "1 mistake".to_owned() } else { format!("{count} mistakes") };
    let _ = writeln!(out, "{mistakes}{end}.");
    out
}

fn group(diagnostic: &Diagnostic) -> Group<'_> {
    let mut group = Group::with_title(Level::ERROR.primary_title(safe(&diagnostic.message)));
    group = mark(group, &diagnostic.mark, STAND_INS[0], AnnotationKind::Primary);
    if let Some(also) = &diagnostic.also {
        group = mark(group, also, STAND_INS[1], AnnotationKind::Context);
    }
    if let Some(help) = &diagnostic.help {
        group = group.element(Level::HELP.message(safe(help)));
    }
    group
}

/// What stands for the file of a mark until its place is known: the renderer shows names of files as they are, and counts
/// columns in what is shown of a line, and that is not all of it.
const STAND_INS: [&str; 2] = ["\u{2}", "\u{3}"];

/// A message with the places in the files.
fn placed(mut text: String, diagnostic: &Diagnostic) -> String {
    for (mark, stand_in) in std::iter::once(&diagnostic.mark).chain(&diagnostic.also).zip(STAND_INS) {
        let Some(line) = mark.line else {
            text = text.replacen(stand_in, &safe(&mark.file), 1);
            continue;
        };
        let start = format!("{stand_in}:{line}:");
        if let Some(at) = text.find(&start) {
            let digits = text[at + start.len()..].bytes().take_while(u8::is_ascii_digit).count();
            let place = format!("{}:{line}:{}", safe(&mark.file), mark.column);
            text.replace_range(at..at + start.len() + digits, &place);
        }
    }
    text
}

fn mark<'d>(group: Group<'d>, mark: &'d Mark, stand_in: &'d str, kind: AnnotationKind) -> Group<'d> {
    let Some(line) = mark.line else { return group.element(Origin::path(stand_in)) };
    let origin = Origin::path(stand_in).line(line as usize).char_column(mark.column as usize);
    let Some(shown) = mark.text.as_ref().filter(|shown| !shown.text.trim().is_empty()) else {
        return group.element(origin);
    };
    if shown.is_part {
        let near: String = shown.text.chars().skip(shown.start.saturating_sub(30)).take(60).collect();
        return group
            .element(origin)
            .element(Level::NOTE.message(format!("near `{}`, on a long line", near.trim())));
    }
    let start = byte_of(&shown.text, shown.start);
    let end = byte_of(&shown.text, shown.start + shown.width).max(start);
    let annotation = kind.span(start..end).label(Some(mark.label.as_str()).filter(|label| !label.is_empty()));
    group
        .element(Snippet::source(&shown.text).line_start(line as usize).path(stand_in).annotation(annotation))
}

/// The byte at which a character begins; the end for one past it.
fn byte_of(text: &str, character: usize) -> usize {
    text.char_indices().nth(character).map_or(text.len(), |(byte, _)| byte)
}

/// A call that is wrong.
pub(crate) fn misuse(message: &str, help: &str) -> String {
    let group =
        Group::with_title(Level::ERROR.primary_title(safe(message))).element(Level::HELP.message(safe(help)));
    let renderer = Renderer::styled().decor_style(DecorStyle::Ascii);
    format!("{}\n", renderer.render(&[group]))
}
