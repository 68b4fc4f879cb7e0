//! Findings as OCSF 1.8 events, one a line: class Compliance Finding (2003). What the class has no place for stands in
//! `unmapped`, as the standard has it.

use std::collections::HashMap;
use std::io::{self, Write};

use jiff::Timestamp;
use pasaporte_audit::{Severity, Sureness};
use pasaporte_read::visible;
use serde_json::{Value, json};

use crate::audit::{InWords, Report};
use crate::finding::{FindingOut, Standing};
use crate::rules::RuleOut;

const VERSION: &str = "1.8.0";
const CLASS: u32 = 2003;

pub(super) fn write(report: &Report<impl InWords>, out: &mut dyn Write) -> io::Result<()> {
    let rules: HashMap<&str, &RuleOut> = report.rules.iter().map(|rule| (rule.id.as_ref(), rule)).collect();
    let time = report.looked_at.as_of.as_ref().and_then(|time| time.parse::<Timestamp>().ok());
    let mut metadata = json!({
        "version": VERSION,
        "product": {"name": report.tool.name, "vendor_name": report.tool.name, "version": report.tool.version},
    });
    if time.is_none() {
        metadata["labels"] = json!(["the estate does not say when it was true"]);
    }
    let time = time.map_or(0, Timestamp::as_millisecond);
    let line = |it: &FindingOut| {
        let rule = rules.get(it.rule.as_ref()).copied();
        serde_json::to_vec(&event(it, rule, (time, &metadata)))
    };
    report.findings.made(line, |all| {
        for line in all {
            out.write_all(&line?)?;
            out.write_all(b"\n")?;
        }
        Ok(())
    })
}

fn event(it: &FindingOut, rule: Option<&RuleOut>, (time, metadata): (i64, &Value)) -> Value {
    let accepted = it.accepted.as_ref().filter(|it| it.in_force);
    let (activity, activity_name) = match it.since {
        Some(Standing::Worse | Standing::Same) => (2, "Update"),
        Some(Standing::New) | None => (1, "Create"),
    };
    let (status, status_name) = if accepted.is_some() { (3, "Suppressed") } else { (1, "New") };
    let (severity, severity_name) = severity(it.severity.0);
    let (confidence, confidence_name) = match it.sureness.0 {
        Sureness::Certain => (3, "High"),
        Sureness::Conditional => (2, "Medium"),
        Sureness::Inferred => (1, "Low"),
    };
    let (kind, name) = it.thing.split_once(':').unwrap_or(("estate", &it.thing));
    let mut resource = json!({"uid": visible(&it.thing), "type": visible(kind), "name": visible(name)});
    if let Some(owner) = &it.owner {
        resource["owner"] = json!({"name": visible(owner)});
    }
    let mut event = json!({
        "category_uid": 2, "category_name": "Findings",
        "class_uid": CLASS, "class_name": "Compliance Finding",
        "activity_id": activity, "activity_name": activity_name,
        "type_uid": CLASS * 100 + activity, "type_name": format!("Compliance Finding: {activity_name}"),
        "time": time,
        "severity_id": severity, "severity": severity_name,
        "status_id": status, "status": status_name,
        "confidence_id": confidence, "confidence": confidence_name,
        "message": visible(&it.situation),
        "metadata": metadata,
        "finding_info": {
            "uid": it.fingerprint,
            "title": rule.map_or(it.rule.as_ref(), |rule| &rule.title),
            "desc": visible(&it.situation),
            "types": [it.rule.split('/').next().unwrap_or_default()],
        },
        "compliance": {
            "control": it.rule,
            "desc": rule.map_or("", |rule| &rule.why),
            "requirements": rule.map_or(&[][..], |rule| &rule.references),
            "status_id": 3, "status": "Fail",
        },
        "remediation": {"desc": visible(&it.fix)},
        "resources": [resource],
        "unmapped": {
            "platform": it.platform,
            "account": it.account,
            "environment": it.environment,
            "impact": it.impact,
            "exposure": it.exposure,
            "functions": it.functions,
            "evidence": it.evidence,
        },
    });
    if let Some(accepted) = accepted {
        let why = format!("{}, until {}: {}", accepted.owner, accepted.until, accepted.reason);
        event["comment"] = visible(&why).into();
    }
    event
}

fn severity(it: Severity) -> (u8, &'static str) {
    match it {
        Severity::Info => (1, "Informational"),
        Severity::Low => (2, "Low"),
        Severity::Medium => (3, "Medium"),
        Severity::High => (4, "High"),
        Severity::Critical => (5, "Critical"),
    }
}
