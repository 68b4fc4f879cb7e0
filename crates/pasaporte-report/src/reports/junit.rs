//! An audit as `JUnit` XML: a suite a rule, a test a finding, which fails; a rule that finds nothing is a test that passes. What
//! is accepted, or is the same as in a saved audit, is skipped, and says so.

use std::collections::BTreeMap;
use std::io::{self, Write};

use pasaporte_read::visible;
use quick_junit::{NonSuccessKind, TestCase, TestCaseStatus, TestSuite};

use crate::audit::{InWords, Report};
use crate::finding::{FindingOut, Standing};

pub(super) fn write(report: &Report<impl InWords>, out: &mut dyn Write) -> io::Result<()> {
    let mut suites: BTreeMap<String, TestSuite> = BTreeMap::new();
    report.findings.in_words(|all| {
        for it in all {
            let suite = suites.entry(it.rule.to_string()).or_insert_with(|| TestSuite::new(it.rule.as_ref()));
            suite.add_test_case(case(&it));
        }
    });
    let mut told = quick_junit::Report::new("pasaporte");
    for rule in &report.rules {
        let suite = suites.remove(rule.id.as_ref()).unwrap_or_else(|| {
            let mut suite = TestSuite::new(rule.id.as_ref());
            let mut passed = TestCase::new("nothing found in what was looked at", TestCaseStatus::success());
            passed.set_classname(rule.id.as_ref());
            suite.add_test_case(passed);
            suite
        });
        told.add_test_suite(suite);
    }
    told.add_test_suites(suites.into_values());
    let text = told.to_string().map_err(io::Error::other)?;
    // The common schema knows this count of suites, and not of all of them together.
    let skipped = format!(" skipped=\"{}\"", told.skipped);
    out.write_all(text.replacen(&skipped, "", 1).as_bytes())
}

fn case(it: &FindingOut) -> TestCase {
    let skipped = |why: String| {
        let mut status = TestCaseStatus::skipped();
        status.set_message(why);
        status
    };
    let status = match (&it.accepted, it.since) {
        (Some(accepted), _) if accepted.in_force => {
            let why = format!("accepted by {} until {}: {}", accepted.owner, accepted.until, accepted.reason);
            skipped(visible(&why))
        }
        (_, Some(Standing::Same)) => skipped("found before, and the same".to_owned()),
        _ => {
            let mut status = TestCaseStatus::non_success(NonSuccessKind::Failure);
            status.set_type(it.severity.0.to_string());
            status.set_message(visible(&it.situation));
            let seen = it.evidence.iter().map(|seen| format!("{}:{} {}", seen.file, seen.line, seen.what));
            let mut text = format!("{}\nfix: {}\n", it.situation, it.fix);
            for line in seen {
                text.push_str(&format!("seen: {line}\n"));
            }
            status.set_description(visible_lines(&text));
            status
        }
    };
    // Two findings of a rule on one thing are two tests.
    let mut case = TestCase::new(format!("{} ({})", visible(&it.thing), it.fingerprint), status);
    case.set_classname(it.rule.as_ref());
    case
}

fn visible_lines(text: &str) -> String {
    text.lines().map(|line| visible(line) + "\n").collect()
}
