//! `pasaporte explain`: may P do A on R, and by which statements.

use std::collections::BTreeMap;

use clap::Args;
use clap_complete::ArgValueCompleter;
use pasaporte_core::access::{Context, Known, Question};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::{Attribute, Estate, Principal, Thing};
use pasaporte_read::estate::parse_moment;
use pasaporte_report::Explained;

use super::{Done, Format, Input, Sheet, Stop, completions, lookup};
use crate::session::Session;
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte explain sell-ticket table/read table:bookings estate\n  pasaporte explain service:object-store function/invoke scan-passport estate --given source_resource=bucket:passport-scans"
)]
pub(crate) struct Explain {
    /// Who: identity:ID, function:ID (for what it runs as), user:ID, group:ID, service:NAME, anyone, signed-in
    #[arg(add = ArgValueCompleter::new(completions::principals))]
    principal: String,
    /// Does what: table/read, function/invoke, identity/assume …
    #[arg(add = ArgValueCompleter::new(completions::actions))]
    action: String,
    /// To what: table:bookings, function:ID …; ids may be shortened where nothing else is meant
    #[arg(add = ArgValueCompleter::new(completions::resources))]
    resource: String,
    #[command(flatten)]
    input: Input,
    /// Fix a circumstance: ATTRIBUTE=VALUE; `foreign` is one that the estate does not name, `absent` is none
    #[arg(long, value_name = "ATTRIBUTE=VALUE")]
    given: Vec<String>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

impl Explain {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        check_action(&self.action)?;
        self.input.ask(sheet, |session, sheet| self.explain(session, sheet))
    }

    fn explain(&self, session: &Session, sheet: &mut Sheet<'_>) -> Done {
        let estate = session.estate();
        let (principal, function) = lookup::principal(estate, &self.principal)?;
        let on = lookup::thing(estate, &self.resource, &self.action)?;
        let (context, given) = self.context(estate)?;
        let effects = session.effects();
        lookup::action(&effects, &self.action)?;
        self.contradicts(&effects, principal, on, &context)?;
        let action = effects.action(&self.action);
        let question = Question { principal, action: &action, on, given: &context };
        let explained = Explained::new(&effects, &question, given);
        match self.format {
            Format::Text => {
                let function = function.map(|id| estate.id(id).to_owned());
                sheet.text(&view::explained(sheet.page, &explained, function.as_deref()))?;
            }
            Format::Json => sheet.json(&explained)?,
        }
        Ok(0)
    }

    /// Refuses a circumstance that the estate itself fixes otherwise (access-model §5).
    fn contradicts(
        &self,
        effects: &Effects<'_>,
        principal: Principal,
        on: Thing,
        context: &Context,
    ) -> Result<(), Stop> {
        for text in &self.given {
            let name = text.split('=').next().unwrap_or_default().trim();
            let Some(attribute) = attribute(effects.estate(), name)? else { continue };
            let (Some(said), Some(fixed)) =
                (context.get(attribute), effects.fixed(principal, on, attribute, context))
            else {
                continue;
            };
            if *said != fixed {
                let is = match fixed {
                    Known::Text(text) => view::safe(&text),
                    other => format!("{other:?}"),
                };
                return Err(Stop::Misused {
                    message: format!("`{}` contradicts the estate", view::safe(text)),
                    help: format!("the estate says that {name} is {is}; leave it out, or ask about another"),
                });
            }
        }
        Ok(())
    }

    /// What is fixed: what was asked for, and the time of the estate.
    fn context(&self, estate: &Estate) -> Result<(Context, BTreeMap<String, String>), Stop> {
        let mut context = Context::default();
        let mut given = BTreeMap::new();
        for text in &self.given {
            let Some((name, value)) = text.split_once('=').filter(|(_, value)| !value.is_empty()) else {
                return Err(Stop::Misused {
                    message: format!("`{}` fixes nothing", view::safe(text)),
                    help: "write ATTRIBUTE=VALUE: --given source_resource=bucket:tide-tables".to_owned(),
                });
            };
            let (name, value) = (name.trim(), value.trim());
            if let Some(attribute) = attribute(estate, name)? {
                if context.get(attribute).is_some() {
                    return Err(Stop::Misused {
                        message: format!("{name} is given twice"),
                        help: "one question has one value of each attribute".to_owned(),
                    });
                }
                context.fix(attribute, known(attribute, value)?);
            }
            given.insert(name.to_owned(), value.to_owned());
        }
        if let Some(time) = estate.as_of() {
            context.fix(Attribute::Time, Known::At(time));
        }
        Ok((context, given))
    }
}

fn check_action(action: &str) -> Result<(), Stop> {
    let sound =
        matches!(action.split_once('/'), Some((service, rest)) if !service.is_empty() && !rest.is_empty());
    if sound && !action.contains(['*', '?']) {
        return Ok(());
    }
    Err(Stop::Misused {
        message: format!("`{}` is not one action", view::safe(action)),
        help: "write SERVICE/OPERATION: table/read; for all that a principal may do, ask `pasaporte reach`"
            .to_owned(),
    })
}

/// The attribute of a name; none where it is a tag that nothing in the estate bears or asks for.
fn attribute(estate: &Estate, name: &str) -> Result<Option<Attribute>, Stop> {
    let mut is_tag = false;
    let attribute = Attribute::parse(name, |tag| {
        is_tag = true;
        estate.name(tag)
    });
    if attribute.is_some() || is_tag {
        return Ok(attribute);
    }
    let help = match pasaporte_read::nearest(name, &Attribute::WORDS) {
        Some(near) => format!("did you mean {near}?"),
        None => format!("the attributes are {}", Attribute::WORDS.join(", ").replace('/', "/NAME")),
    };
    Err(Stop::Misused { message: format!("`{}` is not an attribute", view::safe(name)), help })
}

fn known(attribute: Attribute, value: &str) -> Result<Known, Stop> {
    let wrong = |expected: &str| Stop::Misused {
        message: format!("`{}` is no value of {}", view::safe(value), attribute.word()),
        help: expected.to_owned(),
    };
    Ok(match (attribute, value) {
        (_, "foreign") => Known::Foreign,
        (_, "absent") => Known::Absent,
        (Attribute::Time, value) => Known::At(
            parse_moment(value).ok_or_else(|| wrong("write a time (2026-11-20T06:00:00Z) or a date"))?,
        ),
        (Attribute::CallerNetwork, value) => {
            let address = value.parse::<std::net::IpAddr>().map(Into::into);
            let network = value.parse().or(address);
            Known::Network(network.map_err(|_| wrong("write an address or a network: 10.40.0.0/16"))?)
        }
        (Attribute::SecureTransport | Attribute::SecondFactor, value) => match value {
            "true" | "false" => Known::Text(value.to_owned()),
            _ => return Err(wrong("write true or false")),
        },
        (_, value) => Known::Text(value.to_owned()),
    })
}
