//! An audit as one self-contained HTML file: the worst first, who gets in by what they may then do, findings, a passport of each
//! function, keys, identities, rules. Nothing is loaded, the policy in it allows nothing else, and the little script that
//! filters is not needed for reading. What an estate says is made visible and escaped at one place, the formatter.

mod compare;
mod drawing;
mod parts;

use std::collections::HashMap;
use std::io::{self, Write};

use base64::Engine as _;
use minijinja::syntax::SyntaxConfig;
use minijinja::value::{Serde, ValueKind};
use minijinja::{Environment, Error, Output, State, Value, context};
use pasaporte_audit::{Severity, grouped};
use pasaporte_core::estate::Vocabulary;
use pasaporte_read::visible;
use serde::Serialize;
use sha2::{Digest, Sha256};

use crate::audit::{InWords, Report};
use crate::exhibits::{Exhibits, Passport, Stamp};
use crate::finding::{FindingOut, Standing};

const STYLE: &str = include_str!("style.css");
const SCRIPT: &str = include_str!("script.js");
pub use compare::write_compared;

const TEMPLATES: [(&str, &str); 6] = [
    ("compare.html", include_str!("compare.html")),
    ("rows.html", include_str!("rows.html")),
    ("head.html", include_str!("head.html")),
    ("finding.html", include_str!("finding.html")),
    ("passport.html", include_str!("passport.html")),
    ("foot.html", include_str!("foot.html")),
];

/// How many bytes of findings and of passports a page has; what is beyond is counted, and stands in the JSON.
const MOST_FINDINGS: usize = 4_300_000;
const MOST_PASSPORTS: usize = 4_300_000;

pub(super) fn write(report: &Report<impl InWords>, out: &mut dyn Write) -> io::Result<()> {
    let page = Page::new(report)?;
    page.head(out)?;
    let accepted = page.findings(out)?;
    if !accepted.is_empty() {
        writeln!(
            out,
            "<section id=\"accepted\" aria-labelledby=\"accepted-h\"><h2 id=\"accepted-h\">{}</h2>",
            count(accepted.len(), "accepted finding")
        )?;
        writeln!(
            out,
            "<p class=\"quiet\">Somebody answers for these until a date; they do not count until then.</p>"
        )?;
        for told in accepted {
            out.write_all(told.as_bytes())?;
        }
        writeln!(out, "</section>")?;
    }
    page.passports(out)?;
    page.foot(out)
}

/// What a page is made of.
struct Page<'r, F> {
    report: &'r Report<F>,
    templates: Environment<'static>,
    /// Where the passport of a function is, by its name.
    anchors: HashMap<&'r str, String>,
}

/// A name, and where it leads.
#[derive(Serialize)]
struct Named<'n> {
    name: &'n str,
    anchor: Option<&'n str>,
}

impl<'r, F: InWords> Page<'r, F> {
    fn new(report: &'r Report<F>) -> io::Result<Self> {
        let passports = report.exhibits.iter().flat_map(|it| &it.passports).enumerate();
        let anchors = passports.map(|(at, it)| (it.function.as_str(), format!("p{at}"))).collect();
        Ok(Self { report, templates: templates()?, anchors })
    }

    fn render(&self, name: &str, told: Value) -> io::Result<String> {
        let template = self.templates.get_template(name).map_err(io::Error::other)?;
        template.render(told).map_err(io::Error::other)
    }

    fn named<'n>(&'n self, name: &'n str) -> Named<'n> {
        Named { name, anchor: self.anchors.get(name).map(String::as_str) }
    }

    fn exhibits(&self) -> Option<&'r Exhibits> {
        self.report.exhibits.as_ref()
    }

    fn head(&self, out: &mut dyn Write) -> io::Result<()> {
        let report = self.report;
        let looked_at = &report.looked_at;
        let number = |kind: &str| looked_at.things.get(kind).copied().unwrap_or_default();
        let counts = &report.counts;
        let numbers = [counts.critical, counts.high, counts.medium, counts.low, counts.info];
        let counts = Severity::ALL.iter().rev().zip(numbers).map(|((word, severity), count)| {
            context! { word => *word, count, mark => mark(*severity) }
        });
        let as_of = looked_at.as_of.as_ref().map_or("at a time it does not say".to_owned(), |time| {
            format!("as of {}", time.split('T').next().unwrap_or(time))
        });
        let things: Vec<String> = ["functions", "endpoints", "identities", "keys", "grants", "resources"]
            .map(|kind| format!("{} {kind}", number(kind)))
            .into();
        let all = self.report.findings.number();
        let findings_title = match all {
            0 => "No findings in what was looked at".to_owned(),
            all => count(all, "finding"),
        };
        let told = context! {
            title => format!("{} and who gets in", count(number("functions"), "function")),
            under => format!("An estate {as_of}, audited by {} {}", report.tool.name, report.tool.version),
            style_hash => hash(STYLE), script_hash => hash(SCRIPT), style => STYLE,
            parts => of(&self.parts()),
            counts => counts.collect::<Vec<_>>(),
            told => parts::told(report),
            start_here => of(&report.start_here),
            blind_spots => looked_at.blind_spots,
            things => things.join(", "),
            accounts => of(&looked_at.accounts),
            files => of(&looked_at.files),
            matrix => of(&self.exhibits().map(|it| parts::matrix(it, |name| self.anchors.get(name).cloned()))),
            findings_title,
        };
        out.write_all(self.render("head.html", told)?.as_bytes())
    }

    fn parts(&self) -> Vec<(&'static str, &'static str)> {
        let exhibits = self.exhibits();
        let mut parts = vec![("overview", "Overview")];
        if exhibits.is_some() {
            parts.push(("matrix", "Who gets in"));
        }
        parts.push(("findings", "Findings"));
        if self.report.acceptances.as_ref().is_some_and(|it| it.in_force > 0) {
            parts.push(("accepted", "Accepted"));
        }
        if let Some(exhibits) = exhibits {
            parts.push(("passports", "Passports"));
            if !exhibits.keys.is_empty() {
                parts.push(("keys", "Keys"));
            }
            if !exhibits.identities.is_empty() {
                parts.push(("identities", "Identities"));
            }
            if exhibits.paths.as_ref().is_some_and(|it| !it.is_empty()) {
                parts.push(("paths", "Paths"));
            }
            if !exhibits.shared.is_empty() {
                parts.push(("shared", "Side by side"));
            }
        }
        parts.push(("rules", "Rules"));
        parts
    }

    /// Writes the findings that count, and gives back those that are accepted.
    fn findings(&self, out: &mut dyn Write) -> io::Result<Vec<String>> {
        let (mut written, mut beyond, mut accepted) = (0, 0, Vec::new());
        self.report.findings.in_words(|all| -> io::Result<()> {
            for (n, finding) in all.enumerate() {
                if written > MOST_FINDINGS {
                    beyond += 1;
                    continue;
                }
                let told = self.finding(n, &finding)?;
                written += told.len();
                if finding.accepted.as_ref().is_some_and(|it| it.in_force) {
                    accepted.push(told);
                } else {
                    out.write_all(told.as_bytes())?;
                }
            }
            Ok(())
        })?;
        writeln!(out, "</div>")?;
        if beyond > 0 {
            writeln!(
                out,
                "<p class=\"quiet\">{} more, none worse than these, would make this page too large to use: write the audit as \
                 .json, .csv or .sarif to have them all.</p>",
                count(beyond, "finding")
            )?;
        }
        writeln!(out, "</section>")?;
        Ok(accepted)
    }

    fn finding(&self, n: usize, it: &FindingOut) -> io::Result<String> {
        const MOST: usize = 8;
        let word = |it: Option<&str>| it.map(str::to_owned);
        let owner = it.owner.as_ref().map(|owner| format!("owner {owner}"));
        let sureness = Some(it.sureness.0.to_string()).filter(|it| it != "certain");
        let environment = it.environment.map(|it| it.0.to_string());
        let place = [sureness, environment, word(it.account.as_deref()), word(it.platform.as_deref()), owner];
        let standing = match (it.since, it.was) {
            (Some(Standing::New), _) => Some("new".to_owned()),
            (Some(Standing::Worse), Some(was)) => Some(format!("was {}", was.0)),
            _ => None,
        };
        let accepted = it.accepted.as_ref();
        let held = accepted.filter(|it| it.in_force).map(|it| {
            format!(
                "{} answers for it until {} ({} left): {}",
                it.owner,
                it.until,
                days(it.days_left),
                it.reason
            )
        });
        let late = accepted.filter(|it| !it.in_force).map(|it| {
            format!(
                "{} answered for it until {}, {} ago: {}",
                it.owner,
                it.until,
                days(-it.days_left),
                it.reason
            )
        });
        let mut also: Vec<String> = it
            .beneath
            .iter()
            .map(|other| {
                let is_same = other.thing == it.thing;
                if is_same { other.rule.to_string() } else { format!("{} on {}", other.rule, other.thing) }
            })
            .collect();
        also.dedup();
        let more = also.len().saturating_sub(MOST);
        also.truncate(MOST);
        if more > 0 {
            also.push(format!("{more} more"));
        }
        let told = context! {
            it => of(it), n, rank => it.severity.0 as u8 + 1, standing, late, held,
            places => place.into_iter().flatten().collect::<Vec<_>>(),
            paste => it.paste.as_ref().map(|paste| paste.reads.trim().to_owned()),
            also => also.join(", "),
            own => self.anchors.get(it.thing.as_str()).filter(|_| it.function_count == 1).cloned(),
            functions => of(&it.functions.iter().take(MOST).map(|name| self.named(name)).collect::<Vec<_>>()),
            more_functions => it.function_count.saturating_sub(MOST),
        };
        self.render("finding.html", told)
    }

    fn passports(&self, out: &mut dyn Write) -> io::Result<()> {
        let Some(exhibits) = self.exhibits() else { return Ok(()) };
        let number = exhibits.passports.len() + exhibits.without_passport;
        writeln!(
            out,
            "<section id=\"passports\" aria-labelledby=\"passports-h\"><h2 id=\"passports-h\">{}</h2>\n\
             <p class=\"quiet\">One a function: who may enter, where it may go, and what is wrong with it, stamped on. A full dot is \
             sure, a hollow one depends on something. Two printouts with the same digest say the same.</p>\n\
             <div id=\"passport-filters\" class=\"filters\" role=\"group\" aria-label=\"Which passports are shown\" hidden></div>\n\
             <div class=\"passports\">",
            count(number, "passport")
        )?;
        let (mut written, mut at) = (0, 0);
        while at < exhibits.passports.len() && written < MOST_PASSPORTS {
            let told = self.passport(&exhibits.passports[at])?;
            written += told.len();
            out.write_all(told.as_bytes())?;
            at += 1;
        }
        writeln!(out, "</div>")?;
        let others = &exhibits.passports[at..];
        if !others.is_empty() {
            let rows = parts::rows(others, |name| self.anchors.get(name).map(String::as_str));
            let told = context! { title => count(others.len(), "more function"), rows => of(&rows) };
            out.write_all(self.render("rows.html", told)?.as_bytes())?;
        }
        if exhibits.without_passport > 0 {
            writeln!(
                out,
                "<p class=\"quiet\">{} with less that is wrong would make this page too large to use: <code>pasaporte list \
                 functions</code> has them, and <code>pasaporte card</code> makes the passport of one.</p>",
                count(exhibits.without_passport, "more function")
            )?;
        }
        writeln!(out, "</section>")
    }

    fn passport(&self, it: &Passport) -> io::Result<String> {
        let day = self.report.looked_at.as_of.as_deref().and_then(|time| time.split('T').next());
        let mut stamps: Vec<(&Stamp, usize)> = Vec::new();
        for stamp in &it.stamps {
            match stamps
                .iter_mut()
                .find(|(known, _)| known.rule == stamp.rule && known.severity == stamp.severity)
            {
                Some((_, times)) => *times += 1,
                None => stamps.push((stamp, 1)),
            }
        }
        let stamps = stamps.into_iter().map(|(stamp, times)| context! { times, ..of(stamp) });
        let told = context! {
            it => of(it),
            anchor => self.anchors.get(it.function.as_str()).cloned(),
            name => it.function.split_once(':').map_or(it.function.as_str(), |(_, name)| name),
            drawing => of(&drawing::drawing(it)),
            widest => parts::widest(it),
            worst => parts::worst(it),
            stamps => stamps.collect::<Vec<_>>(),
            rules => self.report.rules.len(),
            zone => of(&parts::zone(it, day)),
        };
        self.render("passport.html", told)
    }

    fn foot(&self, out: &mut dyn Write) -> io::Result<()> {
        let report = self.report;
        let told = context! {
            keys => of(&self.exhibits().and_then(parts::keys)),
            identities => of(&self.exhibits().and_then(parts::identities)),
            paths => of(&self.exhibits().and_then(|it| it.paths.as_ref())),
            shared => of(&self.exhibits().map(parts::shared)),
            more_shared => self.exhibits().map_or(0, |it| it.more_shared),
            rules => of(&report.rules),
            rules_title => format!("Judged by {}", count(report.rules.len(), "rule")),
            configured => parts::configured(report.configured.as_ref()),
            tool => of(&report.tool),
            script => SCRIPT,
        };
        out.write_all(self.render("foot.html", told)?.as_bytes())
    }
}

/// The templates, with what they are filled by.
fn templates() -> io::Result<Environment<'static>> {
    let mut templates = Environment::new();
    templates.set_formatter(format);
    let syntax = SyntaxConfig::builder().trim_blocks(true).build().map_err(io::Error::other)?;
    templates.set_syntax(syntax);
    templates.add_filter("named", named);
    templates.add_filter("grouped", grouped);
    for (name, text) in TEMPLATES {
        templates.add_template(name, text).map_err(io::Error::other)?;
    }
    Ok(templates)
}

/// A value as templates see it.
fn of(it: &impl Serialize) -> Value {
    Value::from(Serde(it))
}

/// What is written of a value: escaped for HTML, and with nothing in it that cannot be seen.
fn format(out: &mut Output<'_>, state: &mut State<'_, '_>, value: &Value) -> Result<(), Error> {
    if value.kind() == ValueKind::String && !value.is_safe() {
        let mut text = String::new();
        escape(&mut text, value.as_str().unwrap_or_default());
        return out.write_str(&text).map_err(Error::from);
    }
    minijinja::escape_formatter(out, state, value)
}

/// A text in which the names of things stand out; they and dates are broken only where they are too long for a line.
fn named(text: &str) -> Value {
    const LONGEST: usize = 44;
    let mut out = String::with_capacity(text.len() * 2);
    for (at, word) in text.split(' ').enumerate() {
        if at > 0 {
            out.push(' ');
        }
        let bare = word.trim_matches(['(', ')', ',', '.', ';', ':', '\'']);
        let bare = bare.strip_suffix("'s").unwrap_or(bare);
        let is_name = bare.split_once(':').is_some_and(|(kind, id)| {
            let is_kind = |each: char| each.is_ascii_lowercase() || each == '-';
            !kind.is_empty() && !id.is_empty() && kind.chars().all(is_kind) && !id.starts_with('/')
        });
        let is_date = bare.parse::<jiff::civil::Date>().is_ok();
        let is_whole = (is_name && bare.chars().count() <= LONGEST) || is_date;
        match word.split_once(bare).filter(|_| is_whole) {
            Some((before, after)) => {
                escape(&mut out, before);
                out.push_str(if is_date { "<i class=\"d\">" } else { "<i>" });
                escape(&mut out, bare);
                out.push_str("</i>");
                escape(&mut out, after);
            }
            None => escape(&mut out, word),
        }
    }
    Value::from_safe_string(out)
}

/// A text as HTML, with nothing in it that cannot be seen.
fn escape(out: &mut String, text: &str) {
    for each in visible(text).chars() {
        match each {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            each => out.push(each),
        }
    }
}

/// The shape that tells a severity without colour.
fn mark(severity: Severity) -> &'static str {
    match severity {
        Severity::Critical => "◆",
        Severity::High => "▲",
        Severity::Medium => "■",
        Severity::Low => "●",
        Severity::Info => "○",
    }
}

/// A hash as content security policies name what they allow.
fn hash(text: &str) -> String {
    let digest = Sha256::digest(text.as_bytes());
    format!("sha256-{}", base64::engine::general_purpose::STANDARD.encode(digest))
}

fn count(number: usize, one: &str) -> String {
    format!("{number} {one}{}", if number == 1 { "" } else { "s" })
}

fn days(number: i64) -> String {
    format!("{number} day{}", if number == 1 { "" } else { "s" })
}
