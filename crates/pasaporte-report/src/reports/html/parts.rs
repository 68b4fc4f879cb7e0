//! Parts of the page that are more than a template: the matrix, what is told of the whole, keys, identities, the foot of a
//! passport.

use pasaporte_audit::{Impact, KeyVerdict, severity};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Environment, Vocabulary};
use serde::Serialize;

use super::count;
use crate::audit::Report;
use crate::config::ConfiguredOut;
use crate::exhibits::{Cell, Exhibits, IdentityRow, KeyRow, Passport, Shared};

/// Functions by who gets in and the worst that they may do.
#[derive(Serialize)]
pub(super) struct Matrix<'e> {
    title: String,
    columns: Vec<&'static str>,
    rows: Vec<Row>,
    cells: Vec<Listed<'e>>,
}

#[derive(Serialize)]
struct Row {
    name: &'static str,
    cells: Vec<Shown>,
}

#[derive(Serialize)]
struct Shown {
    id: String,
    functions: usize,
    perhaps: usize,
    severity: String,
}

#[derive(Serialize)]
struct Listed<'e> {
    id: String,
    told: String,
    functions: usize,
    names: Vec<Linked<'e>>,
    more: usize,
}

#[derive(Serialize)]
struct Linked<'e> {
    name: &'e str,
    anchor: Option<String>,
}

pub(super) fn matrix(it: &Exhibits, anchor: impl Fn(&str) -> Option<String>) -> Matrix<'_> {
    let impacts: Vec<Impact> = Impact::ALL
        .iter()
        .map(|(_, impact)| *impact)
        .filter(|impact| *impact != Impact::Hygiene || it.matrix.iter().any(|cell| cell.impact.0 == *impact))
        .collect();
    let of = |exposure: Exposure, impact: Impact| {
        it.matrix.iter().find(|cell| cell.exposure.0 == exposure && cell.impact.0 == impact)
    };
    let shown = |exposure: Exposure, impact: Impact| {
        let cell = of(exposure, impact);
        let functions = cell.map_or(0, |cell| cell.functions);
        Shown {
            id: id(exposure, impact),
            functions,
            perhaps: functions - cell.map_or(0, |cell| cell.surely),
            severity: severity(impact, exposure, Some(Environment::Production)).to_string(),
        }
    };
    let row = |exposure: Exposure| Row {
        name: circle(exposure),
        cells: impacts.iter().map(|impact| shown(exposure, *impact)).collect(),
    };
    let listed = |cell: &'_ Cell| -> (String, String) {
        let (exposure, impact) = (cell.exposure.0, cell.impact.0);
        (id(exposure, impact), format!("{} × {}", circle(exposure), harm(impact)))
    };
    let open: usize =
        it.matrix.iter().filter(|cell| cell.exposure.0 == Exposure::Anyone).map(|cell| cell.functions).sum();
    let worst = it.matrix.iter().filter(|cell| {
        cell.exposure.0 == Exposure::Anyone
            && matches!(cell.impact.0, Impact::ControlsAccess | Impact::ConfidentialData)
    });
    let worst: usize = worst.map(|cell| cell.functions).sum();
    let all: usize = it.matrix.iter().map(|cell| cell.functions).sum();
    let title = match (open, worst) {
        (0, _) => format!("Anyone can make none of {} run", count(all, "function")),
        (open, 0) => format!("Anyone can make {open} of {} run", count(all, "function")),
        (open, worst) if open == worst => format!(
            "Anyone can make {open} of {} run, and all of those may change access or reach confidential data",
            count(all, "function")
        ),
        (open, worst) => format!(
            "Anyone can make {open} of {} run; {worst} of those may change access or reach confidential data",
            count(all, "function")
        ),
    };
    Matrix {
        title,
        columns: impacts.iter().map(|impact| harm(*impact)).collect(),
        rows: Exposure::all().map(row).collect(),
        cells: it
            .matrix
            .iter()
            .map(|cell| {
                let (id, told) = listed(cell);
                let names = cell.names.iter().map(|name| Linked { name, anchor: anchor(name) });
                let more = cell.functions - cell.names.len();
                Listed { id, told, functions: cell.functions, names: names.collect(), more }
            })
            .collect(),
    }
}

fn id(exposure: Exposure, impact: Impact) -> String {
    format!("c-{exposure}-{impact}")
}

fn circle(exposure: Exposure) -> &'static str {
    match exposure {
        Exposure::Anyone => "Anyone",
        Exposure::SignedIn => "Any signed-in caller",
        Exposure::Outsider => "An outsider",
        Exposure::KeyHolders => "Holders of a key",
        Exposure::Insiders => "Insiders only",
    }
}

fn harm(impact: Impact) -> &'static str {
    match impact {
        Impact::ControlsAccess => "changes access",
        Impact::ConfidentialData => "confidential data",
        Impact::DataOrSecrets => "data or secrets",
        Impact::RunsCode => "runs code",
        Impact::Hygiene => "hygiene",
    }
}

/// What is said of the audit as a whole.
pub(super) fn told<F>(report: &Report<F>) -> Vec<String> {
    let mut all = Vec::new();
    if report.exhibits.is_none() {
        let text = "Who gets in, passports, keys and identities are not in this page: the audit that it was made of is not one that \
                    audit --save keeps.";
        all.push(text.to_owned());
    }
    if let Some(since) = &report.since {
        all.push(format!(
            "Since {}: {} new, {} worse, {} the same, {} gone.",
            since.file,
            since.new,
            since.worse,
            since.same,
            since.gone.len()
        ));
        if since.is_another_estate {
            all.push("None of its accounts is looked at now: it may be of another estate.".to_owned());
        }
    }
    if let Some(accepted) = &report.acceptances {
        let mut text =
            format!("{} by {} and not counted", count(accepted.in_force, "finding accepted"), accepted.file);
        if accepted.in_force != 1 {
            text = format!("{} findings accepted by {} and not counted", accepted.in_force, accepted.file);
        }
        if accepted.overdue > 0 {
            text.push_str(&format!(
                "; {} past the day that was promised, which count again",
                accepted.overdue
            ));
        }
        if !accepted.unmatched.is_empty() {
            text.push_str(&format!(
                "; {} of what is not found any more",
                count(accepted.unmatched.len(), "acceptance")
            ));
        }
        all.push(text + ".");
    }
    all
}

/// What a configuration makes of rules.
pub(super) fn configured(it: Option<&ConfiguredOut>) -> Vec<String> {
    let Some(it) = it else { return Vec::new() };
    let mut all = vec![format!("Configured by {}.", it.file)];
    if !it.off.is_empty() {
        all.push(format!("Off: {}.", it.off.join(", ")));
    }
    if !it.told_as.is_empty() {
        let told = it.told_as.iter().map(|(rule, severity)| format!("{rule} as {}", severity.0));
        all.push(format!(
            "Told at another severity than their own: {}.",
            told.collect::<Vec<_>>().join(", ")
        ));
    }
    all
}

/// Who gets in, at the widest, in words.
pub(super) fn widest(it: &Passport) -> String {
    let who = if it.exposed_to.0 == Exposure::Anyone { "ANYONE" } else { circle(it.exposed_to.0) };
    if it.exposed_surely || it.exposed_to.0 == Exposure::Insiders {
        who.to_owned()
    } else {
        format!("{who}, perhaps")
    }
}

/// The worst that it may do, in words.
pub(super) fn worst(it: &Passport) -> String {
    it.may.as_ref().map_or_else(|| "runs its own code".to_owned(), |may| format!("may {may}"))
}

/// A function in a line.
#[derive(Serialize)]
pub(super) struct FunctionRow<'e> {
    anchor: &'e str,
    function: &'e str,
    widest: String,
    worst: &'static str,
    wrong: String,
}

/// Functions in a line each, and where they are on the page.
pub(super) fn rows<'e>(
    all: &'e [Passport],
    anchor: impl Fn(&str) -> Option<&'e str>,
) -> Vec<FunctionRow<'e>> {
    let wrong = |it: &Passport| match it.stamps.first() {
        None => "none".to_owned(),
        Some(worst) => format!("{}, the worst {}", it.stamps.len(), worst.severity.0),
    };
    let row = |it: &'e Passport| FunctionRow {
        anchor: anchor(&it.function).unwrap_or_default(),
        function: it.function.split_once(':').map_or(it.function.as_str(), |(_, name)| name),
        widest: widest(it),
        worst: harm(it.impact.0),
        wrong: wrong(it),
    };
    all.iter().map(row).collect()
}

/// The two lines at the foot, as such documents have them.
pub(super) fn zone(it: &Passport, day: Option<&str>) -> (String, String) {
    let line = |parts: &[&str]| parts.join("<<");
    let name = it.function.split_once(':').map_or(it.function.as_str(), |(_, name)| name);
    let platform = it.platform.as_deref().unwrap_or("");
    let state = it.state.0.to_string();
    (line(&["P", name, platform]), line(&[&it.digest, &state, day.unwrap_or("")]))
}

#[derive(Serialize)]
pub(super) struct Keys<'e> {
    title: String,
    rows: Vec<KeyShown<'e>>,
    more: usize,
}

#[derive(Serialize)]
struct KeyShown<'e> {
    key: &'e KeyRow,
    verdict: String,
    loud: bool,
    past: bool,
    age: String,
    width: i64,
    line: i64,
}

/// How wide a bar is at most.
const WIDEST: i64 = 144;

pub(super) fn keys(it: &Exhibits) -> Option<Keys<'_>> {
    if it.keys.is_empty() {
        return None;
    }
    let most = it.keys.iter().map(|key| key.age_days.unwrap_or_default().max(key.allowed_days)).max();
    let most = most.unwrap_or(1).max(1);
    let rows = it.keys.iter().map(|key| KeyShown {
        key,
        verdict: key.verdict.map_or_else(String::new, |verdict| verdict.0.to_string().replace('-', " ")),
        loud: key.verdict.is_some_and(|verdict| verdict.0 <= KeyVerdict::Narrow),
        past: key.is_past(),
        age: key.age_days.map_or("not known".to_owned(), |days| days.to_string()),
        width: key.age_days.unwrap_or_default().clamp(0, most) * WIDEST / most,
        line: (key.allowed_days * WIDEST / most).clamp(1, WIDEST - 1),
    });
    let past = it.keys.iter().filter(|key| key.is_past()).count();
    let of = count(it.keys.len() + it.more_keys, "key");
    let title = match past {
        0 => format!("None of {of} is past its age"),
        1 => format!("1 of {of} is past its age"),
        past => format!("{past} of {of} are past their age"),
    };
    Some(Keys { title, rows: rows.collect(), more: it.more_keys })
}

#[derive(Serialize)]
pub(super) struct Identities<'e> {
    title: String,
    rows: Vec<IdentityShown<'e>>,
    more: usize,
}

#[derive(Serialize)]
struct IdentityShown<'e> {
    identity: &'e IdentityRow,
    width: usize,
    who: &'static str,
    may: String,
}

/// A shared identity, and whether something was seen that nobody accounts for.
#[derive(Serialize)]
pub(super) struct SharedShown<'e> {
    #[serde(flatten)]
    it: &'e Shared,
    unaccounted: bool,
}

pub(super) fn shared(it: &Exhibits) -> Vec<SharedShown<'_>> {
    let shown = |it| SharedShown { unaccounted: Shared::has_unaccounted(it), it };
    it.shared.iter().map(shown).collect()
}

pub(super) fn identities(it: &Exhibits) -> Option<Identities<'_>> {
    let most = it.identities.iter().map(|row| row.functions).max()?.max(1);
    let rows = it.identities.iter().map(|row| IdentityShown {
        identity: row,
        width: (row.functions * WIDEST as usize / most).max(2),
        who: circle(row.exposed_to.0),
        may: row.may.clone().unwrap_or_else(|| harm(row.impact.0).to_owned()),
    });
    let shared = it.identities.iter().filter(|row| row.functions > 1).count();
    let of = count(it.identities.len() + it.more_identities, "identity").replace("identitys", "identities");
    let title = match shared {
        0 => format!("None of {of} is shared by several functions"),
        1 => format!("1 of {of} is shared by several functions"),
        shared => format!("{shared} of {of} are shared by several functions"),
    };
    Some(Identities { title, rows: rows.collect(), more: it.more_identities })
}
