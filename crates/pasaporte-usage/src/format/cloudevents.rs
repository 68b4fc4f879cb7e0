//! `CloudEvents` 1.0 in JSON, one by one or in batches. What happened stands in `data`, in the fields of our own lines; or
//! the event made a function run that an extension attribute `function` names: then its source is what it ran on.

use std::borrow::Cow;
use std::collections::BTreeMap;

use serde::Deserialize;

use super::json::Scalar;
use super::said::{FIELDS, Field, Values, event, field};
use super::{Bad, CoversSaid, Take};
use crate::event::Event;

#[derive(Deserialize)]
struct Envelope<'a> {
    #[serde(borrow, default)]
    specversion: Scalar<'a>,
    #[serde(borrow, default)]
    id: Scalar<'a>,
    #[serde(borrow, default)]
    source: Scalar<'a>,
    #[serde(borrow, default)]
    subject: Scalar<'a>,
    #[serde(borrow, default)]
    time: Scalar<'a>,
    #[serde(borrow, default)]
    data: Data<'a>,
    #[serde(borrow, default)]
    function: Scalar<'a>,
    #[serde(borrow, default)]
    who: Scalar<'a>,
}

/// The data of an event, where it is an object.
#[derive(Default)]
struct Data<'a>(BTreeMap<Cow<'a, str>, Scalar<'a>>);

impl<'de: 'a, 'a> Deserialize<'de> for Data<'a> {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Any<'a> {
            #[serde(borrow)]
            Map(BTreeMap<Cow<'a, str>, Scalar<'a>>),
            Other(serde::de::IgnoredAny),
        }
        Ok(match Any::deserialize(deserializer)? {
            Any::Map(map) => Self(map),
            Any::Other(_) => Self::default(),
        })
    }
}

/// Reads an event, or a batch.
pub(super) fn read(text: &str, take: &mut dyn Take) -> Result<(), Bad> {
    if text.trim_start().starts_with('[') {
        let all: Vec<Envelope<'_>> = serde_json::from_str(text).map_err(|_| Bad::NotOfTheFormat)?;
        let mut wrong = Ok(());
        for it in &all {
            wrong = wrong.and(envelope(it, take));
        }
        return wrong;
    }
    envelope(&serde_json::from_str(text).map_err(|_| Bad::NotOfTheFormat)?, take)
}

fn envelope(it: &Envelope<'_>, take: &mut dyn Take) -> Result<(), Bad> {
    if it.specversion.text().is_none_or(|version| !version.starts_with("1.")) {
        return Err(Bad::NotOfTheFormat);
    }
    let mut values: Values<'_> = [None; FIELDS];
    for (name, value) in &it.data.0 {
        if let Some(field) = field(name) {
            values[field as usize] = value.text();
        }
    }
    run(it, values, take)
}

fn run<'a>(it: &'a Envelope<'_>, mut values: Values<'a>, take: &mut dyn Take) -> Result<(), Bad> {
    let mut fill = |field: Field, value: Option<&'a str>| {
        let slot = &mut values[field as usize];
        *slot = slot.or(value);
    };
    fill(Field::Time, it.time.text());
    fill(Field::Function, it.function.text());
    fill(Field::Who, it.who.text());
    let says = |field: Field| values[field as usize].is_some();
    if !says(Field::Did) && !says(Field::Path) && !says(Field::Endpoint) && !says(Field::Text) {
        if !says(Field::Function) {
            return Err(Bad::SaysNothing);
        }
        values[Field::Did as usize] = Some(pasaporte_core::access::INVOKE);
        values[Field::To as usize] = values[Field::Function as usize];
        values[Field::Through as usize] =
            values[Field::Through as usize].or(it.source.text()).or(it.subject.text());
    }
    let id = it.id.text().map(|id| (it.source.text().unwrap_or_default(), id));
    event(&values, &mut WithId { take, id })
}

/// Gives events the id of their envelope.
struct WithId<'t, 'a> {
    take: &'t mut dyn Take,
    id: Option<(&'a str, &'a str)>,
}

impl Take for WithId<'_, '_> {
    fn event(&mut self, event: &Event<'_>) -> Result<(), Bad> {
        self.take.event(&Event { id: self.id.or(event.id), ..event.clone() })
    }

    fn covers(&mut self, said: CoversSaid) -> Result<(), Bad> {
        self.take.covers(said)
    }
}
