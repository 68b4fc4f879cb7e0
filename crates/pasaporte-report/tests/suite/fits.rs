//! Whatever an estate holds, every answer fits the schema that is published for it, and every report what its format is.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::LazyLock;

use crate::audits::{self, found};
use crate::support::estates;
use crate::support::recipe::{PRINCIPALS, cook, recipe};
use pasaporte_audit::{Audit, Finding, Settings};
use pasaporte_core::access::{Context, Question};
use pasaporte_core::estate::*;
use pasaporte_report::audit::{Findings, InWords, Report};
use pasaporte_report::compare::{Compared, ComparedOut, SharingOut};
use pasaporte_report::exhibits::Exhibits;
use pasaporte_report::finding::NoTexts;
use pasaporte_report::list::KINDS;
use pasaporte_report::paths::{Asked, PathsOut};
use pasaporte_report::reports::Kind as ReportKind;
use pasaporte_report::schema::SCHEMAS;
use pasaporte_report::{Card, EndpointCard, Entered, Explained, IdentityCard, KeyCard, Reached};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use serde::Serialize;
use serde_json::Value;

/// The schemas by their names; made once, since there are many estates.
static SCHEMAS_BY_NAME: LazyLock<BTreeMap<&str, jsonschema::Validator>> = LazyLock::new(|| {
    let made = |text: String| {
        let schema: Value = serde_json::from_str(&text).unwrap();
        jsonschema::validator_for(&schema).unwrap()
    };
    SCHEMAS.iter().map(|it| (it.name, made(it.text()))).collect()
});

fn fits(name: &str, answer: &impl Serialize) -> Result<(), TestCaseError> {
    let value = serde_json::to_value(answer).unwrap();
    let wrong = SCHEMAS_BY_NAME[name].iter_errors(&value);
    let wrong: Vec<String> = wrong.map(|it| format!("{}: {it}", it.instance_path())).collect();
    prop_assert!(wrong.is_empty(), "{}: {:#?}", name, wrong);
    Ok(())
}

/// The report of an audit, with what is shown beside findings.
fn report<'a>(audit: &'a Audit<'a>, findings: &'a [Finding]) -> Report<Findings<'a>> {
    Report { exhibits: Some(Exhibits::new(audit, findings)), ..audits::report(audit, findings) }
}

fn written(kind: ReportKind, report: &Report<impl InWords + Serialize>) -> String {
    let mut out = Vec::new();
    kind.write(report, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

proptest! {
    #![proptest_config(estates(60, RngSeed::Fixed(0xf175)))]

    #[test]
    fn every_answer_fits_its_schema(recipe in recipe(), who in 0..PRINCIPALS, other in 0..PRINCIPALS) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let (findings, effects) = (found(&audit), audit.effects());
        fits("audit", &report(&audit, &findings))?;
        for &kind in KINDS {
            fits("list", &kind.list(&audit))?;
        }
        for (function, _) in cooked.estate.all::<FunctionId>() {
            fits("card", &Card::new(&audit, &findings, function, &NoTexts))?;
            fits("entry", &Entered::new(effects, function))?;
        }
        for identity in cooked.identities {
            fits("card-identity", &IdentityCard::new(&audit, &findings, identity, &NoTexts).unwrap())?;
            fits("compare-sharing", &SharingOut::new(&audit, identity))?;
        }
        fits("card-key", &KeyCard::new(&audit, &findings, cooked.key, &NoTexts).unwrap())?;
        for &door in cooked.estate.endpoints_of(cooked.function) {
            fits("card-endpoint", &EndpointCard::new(&audit, &findings, door, &NoTexts).unwrap())?;
        }
        fits("paths", &PathsOut::new(effects, &Asked { from: Vec::new(), to: Vec::new() }))?;
        let (who, other) = (cooked.principals[who], cooked.principals[other]);
        fits("reach", &Reached::new(effects, who, None))?;
        let side = |who| (&audit, Compared::somebody(who, None), None);
        fits("compare", &ComparedOut::new(side(who), side(other)))?;
        for &on in &cooked.things {
            let (action, given) = (effects.action("table/read"), Context::default());
            let question = Question { principal: who, action: &action, on, given: &given };
            fits("explain", &Explained::new(effects, &question, BTreeMap::new()))?;
        }
    }

    /// Every report has each finding once, under the fingerprint and the severity that it has in the others.
    #[test]
    fn every_report_has_every_finding_once(recipe in recipe()) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let findings = found(&audit);
        let report = report(&audit, &findings);
        let mut wanted: Vec<(String, String)> = findings
            .iter()
            .map(|it| (it.fingerprint.to_string(), it.severity.word().to_owned()))
            .collect();
        wanted.sort();
        let json = |kind| serde_json::from_str::<Value>(&written(kind, &report)).unwrap();
        let of_json = |all: &[Value]| -> Vec<(String, String)> {
            let text = |it: &Value, field: &str| it[field].as_str().unwrap().to_owned();
            let mut all: Vec<_> =
                all.iter().map(|it| (text(it, "fingerprint"), text(it, "severity"))).collect();
            all.sort();
            all
        };
        prop_assert_eq!(&of_json(json(ReportKind::Json)["findings"].as_array().unwrap()), &wanted);
        let lines = written(ReportKind::Lines, &report);
        let lines: Vec<Value> = lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        prop_assert_eq!(&of_json(&lines), &wanted);
        prop_assert_eq!(&of_csv(&written(ReportKind::Csv, &report)), &wanted);
        let sarif = json(ReportKind::Sarif);
        let results = sarif["runs"][0]["results"].as_array().unwrap();
        prop_assert_eq!(results.len(), wanted.len());
        let ocsf = written(ReportKind::Ocsf, &report);
        prop_assert_eq!(ocsf.lines().count(), wanted.len());
        let page = written(ReportKind::Html, &report);
        for (fingerprint, _) in &wanted {
            let as_value = |value: &Value| value.to_string().contains(fingerprint);
            prop_assert_eq!(results.iter().filter(|it| as_value(&it["partialFingerprints"])).count(), 1);
            prop_assert!(ocsf.contains(fingerprint.as_str()) && page.contains(fingerprint.as_str()));
        }
        let saved = pasaporte_report::since::Saved::read(written(ReportKind::Json, &report).as_bytes());
        let saved = saved.map_err(|_| TestCaseError::fail("what was saved is not read"))?;
        let then: BTreeSet<String> = findings.iter().map(|it| format!("{:?}", saved.then(it))).collect();
        prop_assert!(then.iter().all(|it| it == "Same"), "{then:?}");
    }
}

fn of_csv(text: &str) -> Vec<(String, String)> {
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let heads = reader.headers().unwrap().clone();
    let at = |name: &str| {
        heads.iter().position(|head| head == name).unwrap_or_else(|| panic!("no {name}: {heads:?}"))
    };
    let (fingerprint, severity) = (at("fingerprint"), at("severity"));
    let rows = reader.records().map(Result::unwrap);
    let mut all: Vec<_> = rows.map(|row| (row[fingerprint].to_owned(), row[severity].to_owned())).collect();
    all.sort();
    all
}
