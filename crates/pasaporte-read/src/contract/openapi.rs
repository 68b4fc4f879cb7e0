//! A document and its operations.

use std::collections::{HashMap, HashSet};
use std::rc::Rc;

use super::reference::{LONGEST_CHAIN, Tree};
use super::security::Schemes;
use super::servers::prefixes;
use super::{Asks, Document, Operation, Unread};
use crate::diagnostic::Diagnostics;
use crate::read::{Report, field, merged, scalar_text, whole};
use crate::shown;
use crate::text::{Form, Position, Value, View};

/// The methods that a path can have operations for (OpenAPI 3.1, Path Item Object).
const METHODS: [(&str, &str); 8] = [
    ("get", "GET"),
    ("put", "PUT"),
    ("post", "POST"),
    ("delete", "DELETE"),
    ("options", "OPTIONS"),
    ("head", "HEAD"),
    ("patch", "PATCH"),
    ("trace", "TRACE"),
];
/// Longest path of an operation that is kept.
const LONGEST_PATH: usize = 2048;

/// Reads a contract; what is wrong with it as a whole goes to the diagnostics.
pub(crate) fn read(name: &str, text: &str, form: Form, diagnostics: &mut Diagnostics) -> Option<Document> {
    let mut document = None;
    whole(name, text, form, diagnostics, |root, report| {
        if document.is_none() {
            document = Some(contract(root, report));
        } else {
            report.wrong(root, "a second document in one file", "give each contract a file of its own");
        }
    });
    document.flatten()
}

fn contract(root: View<'_, '_>, report: &mut Report<'_>) -> Option<Document> {
    if !matches!(root.value(), Value::Map) {
        report.expected(root, "an OpenAPI document: a map that begins with `openapi: 3.1.0`");
        return None;
    }
    let tree = Tree::new(root);
    if let Some(version) = field(root, "swagger") {
        report.wrong(
            version,
            "Swagger is not supported",
            "convert the document to OpenAPI 3.0 or 3.1, and name the result here",
        );
        return None;
    }
    let Some(version) = field(root, "openapi") else {
        report.wrong(
            root,
            "not an OpenAPI document: it has no field `openapi`",
            "name an OpenAPI 3.0 or 3.1 document",
        );
        return None;
    };
    let said = scalar_of(version).unwrap_or_default();
    if !["3.0", "3.1"].iter().any(|known| said == *known || said.starts_with(&format!("{known}."))) {
        let message = "this version of OpenAPI is not supported";
        report.wrong(version, message, "this program reads OpenAPI 3.0 and 3.1");
        return None;
    }
    let schemes = Schemes::read(&tree);
    let (document, asked, served) = (Document::default(), HashMap::new(), HashMap::new());
    let mut reading = Reading { tree, document, schemes, asked, served };
    reading.paths(root);
    Some(reading.document)
}

/// A scalar as written, also where it looks like a number.
fn scalar_of<'v>(view: View<'v, '_>) -> Option<&'v str> {
    match view.value() {
        Value::Number(text) => Some(text),
        other => scalar_text(other),
    }
}

/// Members of a document that are read, and so must not be given twice; beside the methods.
const MEANT: [&str; 5] = ["paths", "security", "servers", "components", "$ref"];

/// What the document as a whole is called.
const WHOLE: &str = "the document";

struct Reading<'t, 'a> {
    tree: Tree<'t, 'a>,
    document: Document,
    schemes: Schemes,
    /// What was read at each place, since many references may lead there.
    asked: HashMap<usize, Option<Asks>>,
    served: HashMap<usize, Rc<[String]>>,
}

/// What the places above an operation say for it.
#[derive(Clone)]
struct Above {
    asks: Option<Asks>,
    prefixes: Rc<[String]>,
}

impl<'t, 'a> Reading<'t, 'a> {
    fn unread(&mut self, part: &str, why: impl Into<String>, at: Position) {
        self.document.unread.push(Unread { part: part.to_owned(), why: why.into(), at });
    }

    fn paths(&mut self, root: View<'t, 'a>) {
        let doubled = self.twice(root, WHOLE);
        let nothing = Above { asks: Some(Asks::default()), prefixes: Rc::default() };
        let above = Above {
            asks: if doubled { None } else { self.asks(root, WHOLE, &nothing) },
            prefixes: self.servers(root, WHOLE, &nothing),
        };
        let Some(paths) = field(root, "paths") else {
            if field(root, "webhooks").is_none() {
                self.unread(WHOLE, "it has no `paths`", root.at());
            }
            return;
        };
        if !matches!(paths.value(), Value::Map) {
            return self.unread(WHOLE, "its `paths` are not a map of paths", paths.at());
        }
        let mut known: HashSet<&str> = HashSet::new();
        for (key, item) in paths.entries() {
            let path = scalar_of(key).unwrap_or_default();
            if !known.insert(path) {
                self.unread(&format!("`{}`", shown::path(path)), "given twice", key.at());
                continue;
            }
            if path.starts_with("x-") {
                continue;
            }
            let is_path = path.starts_with('/')
                && path.len() <= LONGEST_PATH
                && !path.contains(['?', '#'])
                && !path.chars().any(crate::redact::is_unprintable);
            if is_path {
                self.item(path, key.at(), item, &above);
            } else {
                self.unread(&format!("`{}`", shown::path(path)), "not a path", key.at());
            }
        }
    }

    /// The operations of a path. Where it refers to another or merges one in, those of both: what stands here comes
    /// first.
    fn item(&mut self, path: &str, at: Position, item: View<'t, 'a>, above: &Above) {
        let mut found: Vec<(&'static str, View<'t, 'a>, View<'t, 'a>, Above)> = Vec::new();
        let mut waiting = vec![item];
        let mut seen = 0;
        while let Some(item) = waiting.pop() {
            seen += 1;
            if seen > LONGEST_CHAIN {
                self.unread(path, "its `$ref` leads round in a circle", at);
                break;
            }
            if !matches!(item.value(), Value::Map) {
                return self.unread(path, "not a map of operations", item.at());
            }
            if let Err(why) = self.tree.look_at(item) {
                return self.unread(path, why, at);
            }
            self.twice(item, path);
            let above = Above { prefixes: self.servers(item, path, above), ..above.clone() };
            waiting.extend(merged(item));
            for (key, value) in item.entries() {
                let name = scalar_text(key.value()).unwrap_or_default();
                if let Some((_, method)) = METHODS.iter().find(|(word, _)| *word == name)
                    && !found.iter().any(|(known, ..)| known == method)
                {
                    found.push((method, key, value, above.clone()));
                }
                if name == "$ref" {
                    match self.tree.target(value) {
                        Ok(target) => waiting.push(target),
                        Err(why) => self.unread(path, why, value.at()),
                    }
                }
            }
        }
        for (method, key, operation, above) in found {
            self.operation(method, path, key.at(), operation, &above);
        }
    }

    fn operation(
        &mut self,
        method: &'static str,
        path: &str,
        at: Position,
        operation: View<'t, 'a>,
        above: &Above,
    ) {
        let name = format!("{method} {path}");
        let operation = match self.tree.followed(operation) {
            Ok(operation) => operation,
            Err(why) => return self.unread(&name, why, at),
        };
        if !matches!(operation.value(), Value::Map) {
            return self.unread(&name, "not a map of fields", at);
        }
        // Which of two is meant is not known, so neither is what it asks.
        let asks = if self.twice(operation, &name) { None } else { self.asks(operation, &name, above) };
        let prefixes = self.servers(operation, &name, above);
        self.document.operations.push(Operation { method, path: path.to_owned(), prefixes, asks, at });
    }

    /// Notes members of a map that are given twice; whether there are such.
    fn twice(&mut self, map: View<'t, 'a>, part: &str) -> bool {
        let mut seen: Vec<&str> = Vec::new();
        let mut any = false;
        for (key, _) in map.entries() {
            let Some(name) = scalar_text(key.value()) else { continue };
            if seen.contains(&name) {
                self.unread(part, format!("{} is given twice", shown::name(name)), key.at());
                any = true;
            } else if MEANT.contains(&name) || METHODS.iter().any(|(method, _)| *method == name) {
                seen.push(name);
            }
        }
        any
    }

    /// What a place asks of callers: what it says itself, else what is said above it.
    fn asks(&mut self, place: View<'t, 'a>, name: &str, above: &Above) -> Option<Asks> {
        let Some(security) = field(place, "security") else { return above.asks.clone() };
        if let Some(known) = self.asked.get(&security.place()) {
            return known.clone();
        }
        let asks = match self.schemes.requirements(security) {
            Ok(asks) => Some(Rc::new(asks)),
            Err((why, at)) => {
                self.unread(name, why, at);
                None
            }
        };
        self.asked.insert(security.place(), asks.clone());
        asks
    }

    fn servers(&mut self, place: View<'t, 'a>, name: &str, above: &Above) -> Rc<[String]> {
        let Some(servers) = field(place, "servers") else { return Rc::clone(&above.prefixes) };
        if let Some(known) = self.served.get(&servers.place()) {
            return Rc::clone(known);
        }
        let served = match prefixes(servers) {
            Ok(prefixes) => prefixes.into(),
            Err((why, at)) => {
                self.unread(name, why, at);
                Rc::clone(&above.prefixes)
            }
        };
        self.served.insert(servers.place(), Rc::clone(&served));
        served
    }
}
