//! Times and networks.

use std::borrow::Cow;

use ipnet::IpNet;
use jiff::Timestamp;
use jiff::civil::Date;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

use crate::read::{Read, Report, scalar_text};
use crate::text::View;

/// A moment: RFC 3339, or a date, which is its start in UTC.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Moment(pub(crate) Timestamp);

/// A network in CIDR notation, or one address.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Net(pub(crate) IpNet);

/// A moment as written in files and on the command line.
pub fn parse_moment(text: &str) -> Option<Timestamp> {
    // A civil date parses from a longer text too; only a bare date is one here.
    if text.len() == 10 {
        return text.parse::<Date>().ok()?.in_tz("UTC").ok().map(|zoned| zoned.timestamp());
    }
    text.parse().ok()
}

impl<'a> Read<'a> for Moment {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let moment = scalar_text(view.value()).and_then(parse_moment);
        if moment.is_none() {
            report.expected(view, "a time (2026-11-20T06:00:00Z) or a date (2026-11-20)");
        }
        moment.map(Self)
    }
}

impl<'a> Read<'a> for Net {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let net = scalar_text(view.value()).and_then(|text| {
            text.parse().ok().or_else(|| text.parse::<std::net::IpAddr>().ok().map(IpNet::from))
        });
        if net.is_none() {
            report.expected(view, "a network (10.4.0.0/16) or an address");
        }
        net.map(Self)
    }
}

impl Serialize for Moment {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&self.0)
    }
}

impl JsonSchema for Moment {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Moment".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({"type": "string", "anyOf": [{"format": "date-time"}, {"format": "date"}]})
    }
}

impl Serialize for Net {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&self.0)
    }
}

impl JsonSchema for Net {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Net".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({"type": "string", "description": "A network in CIDR notation, or one address."})
    }
}
