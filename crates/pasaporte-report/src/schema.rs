//! The JSON Schemas (2020-12) of what is read and written, made from the types that read and write it.

use pasaporte_read::estate::Document;
use schemars::{JsonSchema, generate::SchemaSettings};

use crate::audit::Report;
use crate::compare::{ComparedOut, SharingOut};
use crate::config::{InForce, Written};
use crate::diff::DiffOut;
use crate::list::List;
use crate::paths::PathsOut;
use crate::rehearsal::RehearsedOut;
use crate::tighten::TightenOut;
use crate::{
    Card, Checked, Digested, EndpointCard, Entered, Explained, Gathered, IdentityCard, KeyCard, KnockPlan,
    Knocks, Reached, Rules, SeverityOut,
};

/// A schema that can be asked for.
#[derive(Debug, Clone, Copy)]
pub struct Published {
    /// Its name.
    pub name: &'static str,
    /// Of what it is.
    pub of: &'static str,
    make: fn() -> String,
}

impl Published {
    /// The schema, as JSON with a newline at the end.
    pub fn text(&self) -> String {
        (self.make)()
    }
}

/// The schemas: of what is read, then of each answer.
pub const SCHEMAS: &[Published] = &[
    of::<Document<'static>>("estate", "what is read: functions and all that surrounds them"),
    of::<Written>("config", "what is read: `pasaporte.toml`"),
    of::<Report>("audit", "`pasaporte audit`"),
    of::<List>("list", "`pasaporte list`"),
    of::<Card>("card", "`pasaporte card`"),
    of::<KeyCard>("card-key", "`pasaporte card key:ID`"),
    of::<IdentityCard>("card-identity", "`pasaporte card identity:ID`"),
    of::<EndpointCard>("card-endpoint", "`pasaporte card endpoint:ID`"),
    of::<Explained>("explain", "`pasaporte explain`"),
    of::<Entered>("entry", "`pasaporte entry`"),
    of::<Reached>("reach", "`pasaporte reach`"),
    of::<PathsOut>("paths", "`pasaporte paths`"),
    of::<TightenOut>("tighten", "`pasaporte tighten`"),
    of::<RehearsedOut>("rehearse", "`pasaporte rehearse`"),
    of::<ComparedOut>("compare", "`pasaporte compare`"),
    of::<SharingOut>("compare-sharing", "`pasaporte compare --sharing`"),
    of::<Gathered>("gather", "`pasaporte gather`"),
    of::<Checked>("check", "`pasaporte gather --check`"),
    of::<KnockPlan>("knock-plan", "`pasaporte knock` without --yes"),
    of::<Knocks>("knock", "`pasaporte knock --yes`"),
    of::<Digested>("usage", "`pasaporte usage`"),
    of::<DiffOut>("diff", "`pasaporte diff`"),
    of::<Rules>("rules", "`pasaporte rules`"),
    of::<SeverityOut>("severity", "`pasaporte rules severity`"),
    of::<InForce>("in-force", "`pasaporte config`"),
];

const fn of<T: JsonSchema>(name: &'static str, of: &'static str) -> Published {
    Published { name, of, make: text::<T> }
}

fn text<T: JsonSchema>() -> String {
    let schema = SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>();
    let mut text = serde_json::to_string_pretty(&schema).expect("a schema has only texts as keys");
    text.push('\n');
    text
}
