//! Adapters: a manifest of what to ask a platform, and jq programs that make entities of its answers
//! (docs/write-an-adapter.md).

use std::path::Path;

use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};
use pasaporte_read::text::{Form, Source};
use pasaporte_read::{estate, files, shown_file, shown_name};

use crate::log::LogAsk;
use crate::manifest::{Manifest, Pace, Paging, SignIn, Written};
use crate::program::{Part, PartId, Program};
use crate::shipped;

/// The version of manifests that this program reads.
const VERSION: u64 = 1;
/// The file in an adapter's folder that says what the words of its platform do.
const CATALOGUE: &str = "catalogue.yaml";

/// What to ask a platform, and what its answers mean.
pub struct Adapter {
    /// Its name.
    pub name: String,
    /// What it reads, in a few words.
    pub about: String,
    pub(crate) sign_in: SignIn,
    pub(crate) pace: Pace,
    pub(crate) asks: Vec<Ask>,
    pub(crate) program: Program,
    /// What the words of its platform do, as an estate file.
    pub(crate) catalogue: Option<String>,
    /// The text of manifest and program, to tell one state of an adapter from another.
    pub(crate) text: String,
}

/// One thing to ask, once or for each item of another answer.
pub(crate) struct Ask {
    pub(crate) name: String,
    /// The ask whose items it is asked for.
    pub(crate) of: Option<usize>,
    /// From what was kept of an item to what is asked about: one value a request.
    pub(crate) each: Option<PartId>,
    pub(crate) at: At,
    /// Headers of its requests, besides those of every request.
    pub(crate) headers: Vec<(String, Template)>,
    /// Statuses that say that there is nothing of it, and no more.
    pub(crate) nothing_here: Vec<u16>,
    /// Statuses that say that what was begun must be begun again.
    pub(crate) begin_again: Vec<u16>,
    pub(crate) paging: Pages,
    pub(crate) gives: Gives,
    pub(crate) entities: Option<PartId>,
    pub(crate) keep: Option<PartId>,
    /// What it has that is of a log, if it asks for one.
    pub(crate) log: Option<LogAsk>,
    /// The account that it is about: the id of a scope.
    pub(crate) account: Option<Template>,
    /// The region that it is about.
    pub(crate) region: Option<Template>,
    /// What it asks for, for people.
    pub(crate) what: Template,
    /// What is not seen where it is not answered.
    pub(crate) hides: String,
    /// The fields that its expressions name, as far as a text tells.
    pub(crate) named: String,
    /// The fields of an answer that are named beside those of its items.
    pub(crate) named_beside: String,
}

/// Where an answer is.
pub(crate) enum At {
    /// Below the address of the source.
    Path(Template),
    /// At an address that the platform named, of the same host.
    Link(PartId),
}

/// What an answer is.
pub(crate) enum Gives {
    /// A list: from the answer to its items.
    Items(PartId),
    /// A document that stands beside the estate, under this name.
    Document(Template),
}

/// [`Paging`] with its expressions compiled.
pub(crate) enum Pages {
    One,
    Link,
    Token { token: PartId, parameter: String },
    Number { pages: PartId, parameter: String },
}

/// A text with expressions in braces.
#[derive(Debug, Clone)]
pub(crate) struct Template(pub(crate) Vec<Piece>);

/// A part of a template.
#[derive(Debug, Clone)]
pub(crate) enum Piece {
    Text(String),
    Value(PartId),
}

impl Adapter {
    /// A shipped adapter by its name, or one in a folder.
    pub fn find(name: &str) -> Result<Self, Diagnostics> {
        if let Some(it) = shipped::adapter(name) {
            let adapter = Self::new(&format!("adapters/{name}"), it.manifest, |_| Ok(it.program.to_owned()))?;
            return Ok(Self { catalogue: Some(it.catalogue.to_owned()), ..adapter });
        }
        let folder = Path::new(name);
        let adapter = Self::in_folder(name, folder)?;
        Ok(Self { catalogue: catalogue_in(folder)?, ..adapter })
    }

    fn in_folder(name: &str, folder: &Path) -> Result<Self, Diagnostics> {
        let path = folder.join("adapter.toml");
        match files::read_text(&path) {
            Ok(manifest) => Self::new(name, &manifest, |program| {
                let path = folder.join(program);
                files::read_text(&path).map_err(|error| {
                    let message = format!("cannot be read: {error}");
                    let place = folder.join(shown_file(program));
                    Diagnostic::of_file(&place.to_string_lossy(), message, "check `program` in adapter.toml")
                })
            }),
            Err(error) => {
                let shipped: Vec<&str> = shipped::names().collect();
                let help = format!(
                    "name a folder with an adapter.toml in it, or a shipped adapter: {}",
                    shipped.join(", ")
                );
                let shown = shown_file(name);
                let message = format!("there is no adapter `{shown}`: {error}");
                Err(one(Diagnostic::of_file(&format!("{shown}/adapter.toml"), message, help)))
            }
        }
    }

    fn new(
        place: &str,
        manifest: &str,
        program: impl FnOnce(&str) -> Result<String, Box<Diagnostic>>,
    ) -> Result<Self, Diagnostics> {
        let file = format!("{place}/adapter.toml");
        let wrong = |message: String, help: &str| one(Diagnostic::of_file(&file, message, help));
        let help = "see docs/write-an-adapter.md for how a manifest is written";
        let mut written: Manifest =
            pasaporte_read::written::read(&file, manifest, "a manifest", help).map_err(one)?;
        if written.adapter != VERSION {
            let message = format!("version {} of manifests is not known", written.adapter);
            return Err(wrong(message, "this program reads version 1; get a newer one"));
        }
        let all = written.take_asks();
        let asks = all.iter().map(|ask| ("an ask", &ask.name));
        for (what, name) in [("the adapter", &written.name)].into_iter().chain(asks) {
            if shown_name(name) != name {
                let help = "names are letters, digits, - _ and ., and are shown";
                return Err(wrong(format!("{what} has a `name` that is none"), help));
            }
        }
        let definitions = program(&written.program).map_err(one)?;
        let mut parts = Parts::default();
        let mut asks: Vec<Ask> = Vec::new();
        for it in &all {
            let of = match &it.of {
                None => None,
                Some(of) => Some(asks.iter().position(|ask| ask.name == *of).ok_or_else(|| {
                    let message = format!("ask {}: there is no ask `{}` before it", it.name, shown_name(of));
                    wrong(message, "an ask comes after the one whose items it is asked for")
                })?),
            };
            if asks.iter().any(|ask| ask.name == it.name) {
                return Err(wrong(format!("two asks are named `{}`", it.name), "rename one"));
            }
            asks.push(parts.ask(it, of).map_err(|message| {
                wrong(
                    format!("ask {}: {message}", it.name),
                    "write an expression in braces: {.name}; see docs/write-an-adapter.md",
                )
            })?);
        }
        let program = Program::compile(&format!("{place}/{}", written.program), &definitions, parts.0)?;
        for ask in &mut asks {
            ask.named.push_str(&definitions);
            // What says nothing is as good as read.
            ask.named_beside.extend(written.beside.iter().map(|field| format!("\n{field}")));
        }
        Ok(Self {
            name: written.name,
            about: written.about,
            sign_in: written.sign_in,
            pace: written.pace,
            asks,
            program,
            catalogue: None,
            text: format!("{manifest}{definitions}"),
        })
    }
}

/// The catalogue beside a manifest, if there is one: it must be an estate file.
fn catalogue_in(folder: &Path) -> Result<Option<String>, Diagnostics> {
    let path = folder.join(CATALOGUE);
    let name = path.to_string_lossy().into_owned();
    let text = match files::read_text(&path) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        Err(error) => {
            let message = format!("cannot be read: {error}");
            return Err(one(Diagnostic::of_file(&name, message, "let it be read, or remove it")));
        }
    };
    estate::check(Source::Text { name, text: text.clone(), form: Form::Yaml })?;
    Ok(Some(text))
}

/// The expressions of a manifest, as they are met.
#[derive(Default)]
struct Parts(Vec<Part>);

impl Parts {
    fn ask(&mut self, it: &Written, of: Option<usize>) -> Result<Ask, String> {
        let place = |what: &str| format!("ask {}, {what}", it.name);
        let template = |text: &Option<String>, what: &str, parts: &mut Self| {
            text.as_deref().map(|text| parts.template(&place(what), text)).transpose()
        };
        let part = |text: &Option<String>, what: &str, parts: &mut Self| {
            text.as_deref().map(|text| parts.add(place(what), text))
        };
        Ok(Ask {
            name: it.name.clone(),
            of,
            each: part(&it.each, "each", self),
            at: match (&it.path, &it.link) {
                (Some(path), None) => At::Path(self.template(&place("path"), path)?),
                (None, Some(link)) => At::Link(self.add(place("link"), link)),
                _ => {
                    return Err(
                        "it needs a `path` below the source, or a `link` that the platform gave; not both"
                            .to_owned(),
                    );
                }
            },
            headers: it
                .headers
                .iter()
                .map(|(name, value)| Ok((name.clone(), self.template(&place("headers"), value)?)))
                .collect::<Result<_, String>>()?,
            nothing_here: it.nothing_here.clone(),
            begin_again: it.begin_again.clone(),
            paging: match &it.paging {
                Paging::None => Pages::One,
                Paging::Link => Pages::Link,
                Paging::Token { token, parameter } => {
                    Pages::Token { token: self.add(place("paging"), token), parameter: parameter.clone() }
                }
                Paging::Number { pages, parameter } => {
                    Pages::Number { pages: self.add(place("paging"), pages), parameter: parameter.clone() }
                }
            },
            gives: match (&it.items, &it.document) {
                (Some(items), None) => Gives::Items(self.add(place("items"), items)),
                (None, Some(name)) => Gives::Document(self.template(&place("document"), name)?),
                _ => return Err("it needs `items`, or the name of a `document`; not both".to_owned()),
            },
            entities: part(&it.entities, "entities", self),
            keep: part(&it.keep, "keep", self),
            log: it.log.as_ref().map(|log| LogAsk {
                range: log.range.clone(),
                events: part(&log.events, "events", self),
                covers: part(&log.covers, "covers", self),
                read_as: log.read_as,
            }),
            account: template(&it.account, "account", self)?,
            region: template(&it.region, "region", self)?,
            what: match template(&it.what, "what", self)? {
                Some(what) => what,
                None => Template(vec![Piece::Text(it.name.clone())]),
            },
            hides: it.hides.clone().unwrap_or_else(|| it.name.clone()),
            named: [&it.keep, &it.entities, &it.each]
                .into_iter()
                .flatten()
                .chain(it.log.as_ref().and_then(|log| log.events.as_ref()))
                .fold(it.items.clone().unwrap_or_default(), |all, text| format!("{all}\n{text}")),
            named_beside: beside(it),
        })
    }

    fn add(&mut self, place: String, text: &str) -> PartId {
        self.0.push(Part { place, text: text.to_owned() });
        Program::part(self.0.len() - 1)
    }

    fn template(&mut self, place: &str, text: &str) -> Result<Template, String> {
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some((before, after)) = rest.split_once('{') {
            let (value, after) =
                after.split_once('}').ok_or_else(|| format!("`{text}` has a brace that nothing closes"))?;
            pieces.push(Piece::Text(before.to_owned()));
            pieces.push(Piece::Value(self.add(place.to_owned(), value)));
            rest = after;
        }
        pieces.push(Piece::Text(rest.to_owned()));
        Ok(Template(pieces))
    }
}

/// What names fields beside the items of an ask: its `items`, how it goes on, what a log covers.
fn beside(it: &Written) -> String {
    let mut named = it.items.clone().unwrap_or_default();
    let covers = it.log.as_ref().and_then(|log| log.covers.as_deref());
    let field = match &it.paging {
        Paging::None | Paging::Link => None,
        Paging::Token { token: field, .. } | Paging::Number { pages: field, .. } => Some(field.as_str()),
    };
    for text in [covers, field].into_iter().flatten() {
        named.push('\n');
        named.push_str(text);
    }
    named
}

/// A list of one mistake.
pub(crate) fn one(diagnostic: Box<Diagnostic>) -> Diagnostics {
    let mut all = Diagnostics::default();
    all.push(diagnostic);
    all
}
