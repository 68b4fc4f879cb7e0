//! Documents that entries name: the contracts of gateways and functions, and the key sets of verifiers.
//!
//! A document is seen from the folder of the file that names it, and lies there or below: an estate from elsewhere
//! cannot make the program read what it likes. Each is read once, however often it is named.

use std::collections::{BTreeMap, HashMap};
use std::path::{Component, Path, PathBuf};
use std::rc::Rc;
use std::sync::Arc;

use pasaporte_core::estate as model;
use pasaporte_core::estate::{Builder, ContractId, FileId, Name, Origin, VerifierId};

use super::convert::origin;
use super::faults::mark;
use super::reader::Sides;
use crate::contract::{self, Kind, Unread};
use crate::diagnostic::{Diagnostic, Diagnostics};
use crate::files;
use crate::key_set;
use crate::text::{Form, Opened, Source};

/// The documents that were read because something names them.
#[derive(Default)]
pub(super) struct Attached(Vec<PathBuf>);

/// What names a document.
#[derive(Clone, Copy)]
enum Namer {
    Contract(ContractId),
    Verifier(VerifierId),
}

struct Named {
    declared: bool,
    by: Namer,
    document: String,
    origin: Origin,
}

/// A document that was read.
enum Content {
    Contract(contract::Document),
    KeySet(key_set::KeySet),
}

impl Attached {
    /// Reads all documents that what was read so far names.
    pub(super) fn read(sources: &[Source], sides: &mut Sides, diagnostics: &mut Diagnostics) -> Self {
        let mut all = named(&sides.deployed, false);
        all.extend(sides.declared.as_ref().map(|declared| named(declared, true)).unwrap_or_default());
        let mut attached = Self::default();
        let mut known: BTreeMap<(PathBuf, bool), Option<(FileId, Content)>> = BTreeMap::new();
        let by_name: HashMap<&str, &Source> = sources.iter().map(|source| (source.name(), source)).collect();
        for it in all {
            let builder = sides.side(it.declared);
            let estate = builder.estate_so_far();
            let source = by_name.get(estate.path(it.origin.file)).copied();
            let found =
                source.ok_or_else(wrong_place).and_then(|source| resolved(source, &it.document, &by_name));
            let document = match found {
                Ok(document) => document,
                Err((message, help)) => {
                    diagnostics.push_with(|with_line| {
                        let mark =
                            mark(estate, if with_line { sources } else { &[] }, it.origin, "named here");
                        Diagnostic { mark, message, also: None, help: Some(help) }
                    });
                    continue;
                }
            };
            let place = place(&document);
            let key = (place.clone(), matches!(it.by, Namer::Contract(_)));
            let content = known.entry(key).or_insert_with(|| {
                attached.0.push(place);
                let file = sides.file(document.name());
                content(&document, it.by, diagnostics).map(|content| (file, content))
            });
            let Some((file, content)) = content else { continue };
            let builder = sides.side(it.declared);
            match (it.by, content) {
                (Namer::Contract(id), Content::Contract(document)) => fill(builder, id, *file, document),
                (Namer::Verifier(id), Content::KeySet(set)) => fill_keys(builder, id, *file, set),
                _ => {}
            }
        }
        attached
    }

    /// Whether a source is one of them.
    pub(super) fn contains(&self, source: &Source) -> bool {
        self.0.contains(&place(source))
    }

    /// What is wrong with a contract that nothing names; none for a source that is no contract.
    pub(super) fn loose(source: &Source) -> Option<Box<Diagnostic>> {
        let Ok(Opened::Whole(form, text)) = source.open() else { return None };
        let mut is_contract = false;
        crate::read::whole(source.name(), &text, form, &mut Diagnostics::default(), |root, _| {
            is_contract |= root
                .entries()
                .any(|(key, _)| matches!(crate::read::scalar_text(key.value()), Some("openapi" | "swagger")));
        });
        let name = Path::new(source.name()).file_name().unwrap_or_default().to_string_lossy();
        let help = format!(
            "attach it: contracts: [{{id: ID, gateway: GATEWAY, document: {name}}}]; or move it elsewhere"
        );
        is_contract
            .then(|| Diagnostic::of_file(source.name(), "an API contract that no estate attaches", help))
    }
}

/// What a builder's contracts and verifiers name, in the order read.
fn named(builder: &Builder, declared: bool) -> Vec<Named> {
    let estate = builder.estate_so_far();
    let contracts = estate.all::<ContractId>().map(|(id, contract)| Named {
        declared,
        by: Namer::Contract(id),
        document: estate.text(contract.document).to_owned(),
        origin: contract.origin,
    });
    let verifiers = estate.all::<VerifierId>().filter_map(|(id, verifier)| {
        let document = estate.text(verifier.key_set?).to_owned();
        let is_file = !document.contains("://");
        is_file.then_some(Named { declared, by: Namer::Verifier(id), document, origin: verifier.origin })
    });
    contracts.chain(verifiers).collect()
}

type Refusal = (String, String);

fn wrong_place() -> Refusal {
    ("it names a document that cannot be looked for".to_owned(), "keep both in files".to_owned())
}

/// The document that a source names.
fn resolved(source: &Source, document: &str, by_name: &HashMap<&str, &Source>) -> Result<Source, Refusal> {
    let relative = Path::new(document);
    let stays = relative.components().all(|part| matches!(part, Component::Normal(_) | Component::CurDir));
    if !stays || document.trim().is_empty() {
        return Err((
            "the document is not in the folder of this file, or below it".to_owned(),
            "name it as seen from this file's folder, without `..`".to_owned(),
        ));
    }
    let Some(form) = Form::of(relative).filter(|form| *form != Form::Ndjson) else {
        let help = "name a .yaml, .yml or .json file".to_owned();
        return Err(("the document is of no kind that is read".to_owned(), help));
    };
    let beside = |name: &str| {
        let joined = Path::new(name).parent().unwrap_or(Path::new("")).join(relative);
        crate::text::shown(&joined)
    };
    let missing = |name: &str| {
        (
            format!("the document {name} cannot be read"),
            "check its name, as seen from this file's folder".to_owned(),
        )
    };
    match source {
        Source::File { name, path, .. } => {
            let folder = path.parent().unwrap_or(Path::new("")).to_owned();
            let path = folder.join(relative);
            let name = beside(name);
            if !path.is_file() {
                return Err(missing(&name));
            }
            if !files::is_inside(&folder, &path) {
                return Err((
                    format!("the document {name} lies behind a link that leads out of its folder"),
                    "copy it here".to_owned(),
                ));
            }
            Ok(Source::File { name, path, form })
        }
        Source::Text { name, .. } => {
            let name = beside(name);
            by_name.get(name.as_str()).map(|source| Source::clone(source)).ok_or_else(|| missing(&name))
        }
        Source::Standard => {
            let name = crate::text::shown(relative);
            if !relative.is_file() || !files::is_inside(Path::new(""), relative) {
                return Err(missing(&name));
            }
            Ok(Source::File { name, path: relative.to_owned(), form })
        }
    }
}

/// Where a source is, so that one that is named twice is read once.
fn place(source: &Source) -> PathBuf {
    match source {
        Source::File { path, .. } => crate::text::identity(path),
        Source::Text { name, .. } => PathBuf::from(name),
        Source::Standard => PathBuf::new(),
    }
}

/// Largest document that is read, in bytes.
const LARGEST: u64 = 64 << 20;

fn content(source: &Source, by: Namer, diagnostics: &mut Diagnostics) -> Option<Content> {
    if source.size().is_some_and(|size| size > LARGEST) {
        let message = format!("a document of more than {} MiB", LARGEST >> 20);
        let help = "keep examples and schemas elsewhere: only paths and what they ask for are looked at";
        diagnostics.push(Diagnostic::of_file(source.name(), message, help));
        return None;
    }
    match source.open() {
        Ok(Opened::Whole(form, text)) => match by {
            Namer::Contract(_) => {
                contract::read(source.name(), &text, form, diagnostics).map(Content::Contract)
            }
            Namer::Verifier(_) => key_set::read(source.name(), &text, diagnostics).map(Content::KeySet),
        },
        Ok(Opened::Lines(_)) => None,
        Err(diagnostic) => {
            diagnostics.push(diagnostic);
            None
        }
    }
}

fn fill(builder: &mut Builder, id: ContractId, file: FileId, document: &contract::Document) {
    // What operations share in the document they share in the estate.
    let mut asked: BTreeMap<*const Vec<Vec<contract::Scheme>>, Arc<model::Asked>> = BTreeMap::new();
    let mut served: BTreeMap<*const String, Arc<[Name]>> = BTreeMap::new();
    let unread_asks = Arc::new(model::Asked::Unread);
    let mut operations = Vec::with_capacity(document.operations.len());
    for it in &document.operations {
        let asks = match &it.asks {
            None => Arc::clone(&unread_asks),
            Some(all) => Arc::clone(asked.entry(Rc::as_ptr(all)).or_insert_with(|| {
                let together =
                    |all: &Vec<contract::Scheme>| all.iter().map(|it| scheme(builder, it)).collect();
                Arc::new(model::Asked::OneOf(all.iter().map(together).collect()))
            })),
        };
        let prefixes =
            served.entry(it.prefixes.as_ptr()).or_insert_with(|| names(builder, &it.prefixes).into());
        operations.push(model::Operation {
            method: builder.name(it.method),
            path: builder.name(&it.path),
            prefixes: Arc::clone(prefixes),
            asks,
            origin: origin(file, it.at),
        });
    }
    let unread = unread(builder, file, &document.unread);
    if let Some(contract) = builder.get_mut(id) {
        (contract.operations, contract.unread) = (operations, unread);
    }
}

fn scheme(builder: &mut Builder, scheme: &contract::Scheme) -> model::Scheme {
    let kind = match &scheme.kind {
        Kind::Key(place, name) => model::SchemeKind::Key(*place, builder.name(name)),
        Kind::Http(name) => model::SchemeKind::Http(builder.name(name)),
        Kind::Bearer => model::SchemeKind::Bearer,
        Kind::OAuth2 => model::SchemeKind::OAuth2,
        Kind::OpenIdConnect => model::SchemeKind::OpenIdConnect,
        Kind::MutualTls => model::SchemeKind::MutualTls,
    };
    model::Scheme { kind, scopes: names(builder, &scheme.scopes) }
}

fn fill_keys(builder: &mut Builder, id: VerifierId, file: FileId, set: &key_set::KeySet) {
    let keys = model::KeySet {
        ids: names(builder, &set.ids),
        unnamed: set.unnamed,
        secret: names(builder, &set.secret),
        other_secret: names(builder, &set.other_secret),
        unread: unread(builder, file, &set.unread),
        origin: Origin { file, line: 1, column: 1 },
    };
    if let Some(verifier) = builder.get_mut(id) {
        verifier.keys = Some(keys);
    }
}

fn names(builder: &mut Builder, texts: &[String]) -> Vec<Name> {
    texts.iter().map(|text| builder.name(text)).collect()
}

fn unread(builder: &mut Builder, file: FileId, all: &[Unread]) -> Vec<model::Unread> {
    let mut name = |text: &str| builder.name(text);
    let one = |it: &Unread| {
        let (part, why) = (name(&it.part), name(&it.why));
        model::Unread { part, why, origin: origin(file, it.at) }
    };
    all.iter().map(one).collect()
}
