//! `pasaporte paths`: how far somebody gets, step by step, and what cuts it.

use clap::{Args, ValueEnum};
use clap_complete::ArgValueCompleter;
use pasaporte_core::estate::{Estate, Principal, Thing, Vocabulary};
use pasaporte_core::paths::{Class, Goal, Node};
use pasaporte_report::paths::{Asked, From, PathsOut, To, dot, mermaid};

use super::{Done, Input, Sheet, Stop, completions, lookup};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte paths estate\n  pasaporte paths --from anyone --to confidential estate\n  pasaporte paths \
                        --from sell-ticket --to table:bookings estate\n  pasaporte paths --from tests --format mermaid estate\n\nInfluence \
                        is no control: whoever makes code run on input of their choice gets what the code makes of it."
)]
pub(crate) struct PathsOf {
    /// Who begins: anyone, signed-in, outsiders, key-holders, tests; or a principal, a function, a key [default: all five]
    #[arg(long, value_name = "WHO", add = ArgValueCompleter::new(completions::principals))]
    from: Vec<String>,
    /// What is led to: confidential, access, production, other-accounts; or a resource, an identity, a function, a scope (for
    /// its access) [default: all four]
    #[arg(long, value_name = "WHAT")]
    to: Vec<String>,
    #[command(flatten)]
    input: Input,
    /// Tell the best path to each of what is reached, and not only the best of all
    #[arg(long)]
    all: bool,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: PathFormat,
}

/// How paths are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum PathFormat {
    /// For people.
    Text,
    /// For programs.
    Json,
    /// A graph in the DOT language.
    Dot,
    /// A flow chart in the Mermaid language.
    Mermaid,
}

impl PathsOf {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        self.input.ask(sheet, |session, sheet| {
            let estate = session.estate();
            let asked = Asked {
                from: self.from.iter().map(|text| from(estate, text)).collect::<Result<_, _>>()?,
                to: self.to.iter().map(|text| to(estate, text)).collect::<Result<_, _>>()?,
            };
            let told = sheet.while_waiting("looking", || PathsOut::new(&session.effects(), &asked));
            match self.format {
                PathFormat::Text => {
                    sheet.text(&view::paths(sheet.page, &told, self.all || !self.to.is_empty()))?;
                }
                PathFormat::Json => sheet.json(&told)?,
                PathFormat::Dot => sheet.text(&dot(&told, self.all))?,
                PathFormat::Mermaid => sheet.text(&mermaid(&told, self.all))?,
            }
            Ok(0)
        })
    }
}

fn from(estate: &Estate, text: &str) -> Result<From, Stop> {
    if let Some(class) = Class::parse(text) {
        return Ok(From::Class(class));
    }
    let (who, function) = lookup::principal(estate, text)?;
    Ok(From::Node(function.map_or(Node::Who(who), Node::Code)))
}

fn to(estate: &Estate, text: &str) -> Result<To, Stop> {
    if let Some(goal) = Goal::parse(text) {
        return Ok(To::Goal(goal));
    }
    let node = match lookup::thing(estate, text, "")? {
        Thing::Resource(id) => Node::Data(id),
        Thing::Scope(id) => Node::Access(id),
        Thing::Function(id) => Node::Code(id),
        Thing::Identity(id) => Node::Who(Principal::Identity(id)),
        Thing::Key(id) => Node::Who(Principal::Key(id)),
        other => {
            return Err(Stop::Misused {
                message: format!("no path leads to {}", view::safe(&estate.label(other))),
                help: "name a resource, an identity, a function, a key, or a scope for its access".to_owned(),
            });
        }
    };
    Ok(To::Node(node))
}
