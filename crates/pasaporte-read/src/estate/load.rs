//! Reading sources into an estate: every source, the documents that they name, every mistake, then the estate as a
//! whole.

use jiff::Timestamp;
use pasaporte_core::estate::{BlindSpot, Builder, Estate, FileId, Origin, Supplement};

use super::attached::Attached;
use super::faults::{mark, whole};
use super::reader::{Found, Reader, Sides};
use crate::diagnostic::{Diagnostic, Diagnostics};
use crate::text::Source;

/// What is said of an estate beside its files.
#[derive(Debug, Clone, Default)]
pub struct Beside {
    /// When it was true, whatever they say.
    pub as_of: Option<Timestamp>,
    /// Of its things, and of what counts as inside.
    pub supplement: Supplement,
    /// Files that are laid over the others, one after the other.
    pub overlays: Vec<Source>,
}

/// Reads all sources into one estate, with what is said beside them. On failure, all that is
/// wrong, and how many mistakes there are beyond those kept.
pub fn load(sources: &[Source], beside: &Beside, diagnostics: Diagnostics) -> Result<Estate, Diagnostics> {
    loaded(sources, beside, diagnostics, true)
}

/// Whether a source is an estate; documents that it names are not looked for.
pub fn check(source: Source) -> Result<(), Diagnostics> {
    loaded(&[source], &Beside::default(), Diagnostics::default(), false).map(|_| ())
}

fn loaded(
    sources: &[Source],
    beside: &Beside,
    mut diagnostics: Diagnostics,
    attach: bool,
) -> Result<Estate, Diagnostics> {
    let mut sides = Sides::default();
    sides.deployed.make_room(sources.iter().filter_map(Source::size).sum());
    let mut others: Vec<(&Source, FileId)> = Vec::new();
    for source in sources {
        let file = sides.file(source.name());
        // Standard input can be read once only, so it is what it is taken for.
        let insist = matches!(source, Source::Standard);
        if read(source, file, &mut sides, &mut diagnostics, insist) == Found::Other {
            others.push((source, file));
        }
        if std::mem::take(&mut sides.says_overlay) {
            let message = "this file is made to be laid over an estate, and was given as a part of one";
            diagnostics.push(Diagnostic::of_file(
                source.name(),
                message,
                "lay it over with `--with FILE`, with `overlay: true` at its top",
            ));
        }
    }
    for source in &beside.overlays {
        lay_over(source, &mut sides, &mut diagnostics);
    }
    let attached =
        if attach { Attached::read(sources, &mut sides, &mut diagnostics) } else { Attached::default() };
    for (source, file) in others {
        if attached.contains(source) {
            continue;
        }
        if let Some(diagnostic) = Attached::loose(source) {
            diagnostics.push(diagnostic);
        } else {
            read(source, file, &mut sides, &mut diagnostics, true);
        }
    }
    let estate = finished(sides, sources, beside, &mut diagnostics);
    if diagnostics.is_empty() { estate.ok_or(diagnostics) } else { Err(diagnostics) }
}

/// Reads a file that is laid over what was read so far.
fn lay_over(source: &Source, sides: &mut Sides, diagnostics: &mut Diagnostics) {
    let file = sides.file(source.name());
    sides.deployed.lay_over();
    read(source, file, sides, diagnostics, true);
    if !std::mem::take(&mut sides.says_overlay) && diagnostics.is_empty() {
        let message = "this file does not say that it is laid over others";
        diagnostics.push(Diagnostic::of_file(source.name(), message, "add `overlay: true` at the top"));
    }
    for origin in sides.deployed.laid() {
        let estate = sides.deployed.estate_so_far();
        let mark = mark(estate, std::slice::from_ref(source), origin, "what is removed");
        let message = "nothing of the estate is called so".to_owned();
        let help =
            "write it as `list` and findings name it: grant:…, key:ID, invoke:function:ID/WHO".to_owned();
        diagnostics.push(Box::new(Diagnostic { mark, message, also: None, help: Some(help) }));
    }
}

fn read(
    source: &Source,
    file: FileId,
    sides: &mut Sides,
    diagnostics: &mut Diagnostics,
    insist: bool,
) -> Found {
    Reader { sides, file, name: source.name(), diagnostics, declared: false }.read(source, insist)
}

/// Both sides as one estate.
fn finished(
    sides: Sides,
    sources: &[Source],
    beside: &Beside,
    diagnostics: &mut Diagnostics,
) -> Option<Estate> {
    let mut finish = |mut builder: Builder| {
        if let Some(time) = beside.as_of {
            builder.overrule_as_of(time);
        }
        builder.supplement(&beside.supplement);
        builder
            .finish()
            .map_err(|refused| {
                let (estate, faults) = *refused;
                for fault in &faults {
                    diagnostics.push_with(|with_lines| whole(&estate, sources, fault, with_lines));
                }
            })
            .ok()
    };
    let Sides { deployed, declared, has_deployed, declared_in, .. } = sides;
    match declared {
        None => finish(deployed),
        Some(declared) if has_deployed => {
            let (deployed, declared) = (finish(deployed), finish(declared));
            let mut estate = deployed?;
            estate.set_declared(declared?);
            Some(estate)
        }
        // Definitions alone are judged as if they were deployed, and that nobody looked is not forgotten.
        Some(mut declared) => {
            let what = declared.name("what is deployed: only declared files were given");
            let hides = Some(declared.name("how things really are"));
            if let Some(file) = declared_in {
                let origin = Origin { file, line: 1, column: 1 };
                declared.blind_spot(BlindSpot { what, why: None, hides, scope: None, origin });
            }
            finish(declared)
        }
    }
}
