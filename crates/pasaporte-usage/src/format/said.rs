//! What a line of our own says, value by value: its fields by their names, and the event that they make together. CSV and the
//! data of `CloudEvents` have the same fields.

use super::{Bad, Take};
use crate::event::{Credential, Event, In};
use crate::time::rfc3339;

macro_rules! fields {
    ($($field:ident = $name:literal,)*) => {
        /// A field of a line.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        #[repr(u8)]
        pub(crate) enum Field { $($field,)* }
        /// All fields, in order.
        const ALL: &[Field] = &[$(Field::$field),*];
        /// How many fields there are.
        pub(crate) const FIELDS: usize = ALL.len();

        /// The field of a name.
        pub(crate) fn field(name: &str) -> Option<Field> {
            match name {
                $($name => Some(Field::$field),)*
                _ => None,
            }
        }
    };
}

fields! {
    Time = "time",
    First = "first",
    Last = "last",
    Count = "count",
    Client = "client",
    Id = "id",
    Who = "who",
    Did = "did",
    To = "to",
    Outcome = "outcome",
    Through = "through",
    Endpoint = "endpoint",
    Host = "host",
    Path = "path",
    Method = "method",
    Status = "status",
    Function = "function",
    Showed = "showed",
    Issuer = "issuer",
    User = "user",
    Key = "key",
    Text = "text",
}

/// The values of a line by their fields.
pub(crate) type Values<'a> = [Option<&'a str>; FIELDS];

/// What the values of a line say.
pub(crate) fn event(values: &Values<'_>, take: &mut dyn Take) -> Result<(), Bad> {
    let mut said = Said::default();
    for (field, value) in ALL.iter().zip(values) {
        said.say(*field, value.unwrap_or_default());
    }
    take.event(&said.event()?)
}

/// What a line says, value by value.
#[derive(Debug, Default)]
pub(super) struct Said<'a> {
    event: Event<'a>,
    at: Option<i64>,
    /// Whether a time, or a number, is none.
    no_time: bool,
    no_number: bool,
}

impl<'a> Said<'a> {
    pub(super) fn say(&mut self, field: Field, value: &'a str) {
        if value.is_empty() {
            return;
        }
        let event = &mut self.event;
        let said = Some(value);
        let slot = match field {
            Field::Time => return self.at = self.time(value),
            Field::First => return self.event.first = self.time(value),
            Field::Last => return self.event.last = self.time(value),
            Field::Count => return self.event.count = self.number(value),
            Field::Status => {
                let status = self.number(value);
                return self.event.status = status.map(|status| u16::try_from(status).unwrap_or_default());
            }
            Field::Id => return event.id = Some(("", value)),
            Field::Key => {
                return event.credentials.push(Credential { place: In::Field, name: "key", value });
            }
            Field::Client => &mut event.client,
            Field::Who => &mut event.who,
            Field::Did => &mut event.did,
            Field::To => &mut event.to,
            Field::Outcome => &mut event.outcome,
            Field::Through => &mut event.through,
            Field::Endpoint => &mut event.endpoint,
            Field::Host => &mut event.host,
            Field::Path => &mut event.path,
            Field::Method => &mut event.method,
            Field::Function => &mut event.function,
            Field::Showed => &mut event.showed,
            Field::Issuer => &mut event.issuer,
            Field::User => &mut event.user,
            Field::Text => &mut event.text,
        };
        *slot = said;
    }

    fn time(&mut self, text: &str) -> Option<i64> {
        let time = rfc3339(text);
        self.no_time |= time.is_none();
        time
    }

    fn number(&mut self, text: &str) -> Option<u64> {
        let number = text.parse().ok();
        self.no_number |= number.is_none();
        number
    }

    /// The event, once all is said.
    pub(super) fn event(mut self) -> Result<Event<'a>, Bad> {
        let event = &mut self.event;
        (event.first, event.last) = (event.first.or(self.at), event.last.or(self.at));
        if self.no_time || event.first.is_none() || event.last.is_none() || event.first > event.last {
            return Err(Bad::NoTime);
        }
        if self.no_number { Err(Bad::NotOfTheFormat) } else { Ok(self.event) }
    }
}
