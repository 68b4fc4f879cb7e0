//! `pasaporte.toml`: what a team says once of its estate and of how it wants it judged. Every value knows its line, so that
//! it can be told where what is in force comes from; all that is wrong is told at once.

use std::collections::BTreeMap;

use ipnet::IpNet;
use pasaporte_audit::{Catalogue, RuleSetting, Settings, Severity, Thresholds};
use pasaporte_core::estate::{About, Environment, KeyReach, Sensitivity, Supplement, Vocabulary};
use pasaporte_core::pattern::Pattern;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};
use pasaporte_read::estate::Word;
use pasaporte_read::{nearest, visible, written};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use toml::Spanned;

use crate::reports::kind::Kind;
use crate::threshold::Threshold;

/// A configuration as it is written.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "pasaporte.toml, version 1", rename = "Configuration")]
pub struct Written {
    /// The estate that is meant where none is named: files and folders, from where this file is.
    #[schemars(with = "Option<Vec<String>>")]
    estate: Option<Vec<Spanned<String>>>,
    /// The file of acceptances, from where this file is.
    #[schemars(with = "Option<String>")]
    accepted: Option<Spanned<String>>,
    /// What `audit` does where it is not told otherwise.
    #[serde(default)]
    audit: AuditWritten,
    /// What counts as old.
    #[serde(default)]
    thresholds: ThresholdsWritten,
    /// Rules, by id or pattern: `off`, or the severity that their findings have. An id comes before a pattern, and of
    /// patterns the last.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, String>")]
    rules: BTreeMap<Spanned<String>, Spanned<String>>,
    /// What counts as inside.
    #[serde(default)]
    inside: InsideWritten,
    /// What is so of things, whatever the estate says of them; the last that says something of a thing is heard.
    #[serde(default)]
    things: Vec<ThingsWritten>,
}

/// What `audit` does where it is not told otherwise.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct AuditWritten {
    /// Exit with 1 if there is a finding of this severity or worse: `high`; or, against a saved audit, one that is new:
    /// `new:high`.
    #[schemars(with = "Option<String>")]
    fail_on: Option<Spanned<String>>,
    /// Exit with 3 if there are blind spots.
    #[schemars(with = "Option<bool>")]
    strict: Option<Spanned<bool>>,
    /// The saved audit to hold it against, from where this file is.
    #[schemars(with = "Option<String>")]
    since: Option<Spanned<String>>,
    /// Files to write it to, each as its ending says, from where this file is.
    #[schemars(with = "Option<Vec<String>>")]
    report: Option<Vec<Spanned<String>>>,
}

/// What counts as old, and the same for one environment.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct ThresholdsWritten {
    /// Days after which a key should have been rotated: 180 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    key_max_age: Option<Spanned<i64>>,
    /// Days that a key must have been watched before "never used" is said: 30 unless said otherwise.
    #[schemars(with = "Option<u16>")]
    key_watch: Option<Spanned<i64>>,
    /// The least reach of keys that must have an expiry: `function`, `app` or `admin`; `app` unless said otherwise.
    #[schemars(with = "Option<String>")]
    key_expiry_from: Option<Spanned<String>>,
    /// The same in production, and where the environment is not known.
    production: Option<Box<WithinWritten>>,
    /// The same in staging.
    staging: Option<Box<WithinWritten>>,
    /// The same in test.
    test: Option<Box<WithinWritten>>,
    /// The same in development.
    development: Option<Box<WithinWritten>>,
}

/// What counts as old in one environment; what is not said is as everywhere.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct WithinWritten {
    /// Days after which a key should have been rotated.
    #[schemars(with = "Option<u16>")]
    key_max_age: Option<Spanned<i64>>,
    /// Days that a key must have been watched before "never used" is said.
    #[schemars(with = "Option<u16>")]
    key_watch: Option<Spanned<i64>>,
    /// The least reach of keys that must have an expiry.
    #[schemars(with = "Option<String>")]
    key_expiry_from: Option<Spanned<String>>,
}

/// What counts as inside.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct InsideWritten {
    /// Networks whose callers are insiders, beside those that are private (RFC 1918, RFC 4193): `203.0.113.0/24`.
    #[schemars(with = "Option<Vec<String>>")]
    networks: Option<Vec<Spanned<String>>>,
    /// Accounts that are known, though others may own them: whoever is of one is an insider.
    #[schemars(with = "Option<Vec<String>>")]
    accounts: Option<Vec<Spanned<String>>>,
}

/// What is so of the things that a pattern takes.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct ThingsWritten {
    /// Which: `kind:id`, with `*` and `?`. Functions, identities, resources and scopes are taken.
    #[schemars(with = "String")]
    r#match: Spanned<String>,
    /// Who answers for them; identities have no owner of their own.
    #[schemars(with = "Option<String>")]
    owner: Option<Spanned<String>>,
    /// Where they belong: `production`, `staging`, `test` or `development`.
    #[schemars(with = "Option<String>")]
    environment: Option<Spanned<String>>,
    /// How much harm the contents of resources could do: `public`, `internal` or `confidential`.
    #[schemars(with = "Option<String>")]
    sensitivity: Option<Spanned<String>>,
}

/// What is said of keys: their greatest age, how long one is watched, which must have an expiry.
type OfKeys<'w> = (Option<&'w Spanned<i64>>, Option<&'w Spanned<i64>>, Option<&'w Spanned<String>>);

/// A configuration that was read. Paths are as written, from where the file is.
#[derive(Debug, Default)]
pub struct Config {
    /// The estate that is meant where none is named; empty where that is not said.
    pub estate: Vec<String>,
    /// The file of acceptances.
    pub accepted: Option<String>,
    /// What makes an audit fail.
    pub fail_on: Option<Threshold>,
    /// Whether blind spots do.
    pub strict: Option<bool>,
    /// The saved audit that one is held against.
    pub since: Option<String>,
    /// The files that it is written to.
    pub report: Vec<String>,
    /// How it is judged.
    pub settings: Settings,
    /// What is said of the estate beside it.
    pub supplement: Supplement,
    /// All that was said, in the order of the file.
    pub said: Vec<Said>,
}

/// A value that a configuration has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// Its key.
    pub key: String,
    /// The value, as it is shown.
    pub value: String,
    /// Its line, from 1.
    pub line: u32,
}

const HELP: &str = "see docs/configuration.md";
/// Most days that a threshold may be.
const MOST_DAYS: i64 = 36_500;

/// Reads the text of a configuration; all that is wrong with it.
pub fn read(file: &str, text: &str) -> Result<Config, Diagnostics> {
    let mut reader = Reader { file, text, wrong: Diagnostics::default(), config: Config::default() };
    match written::read::<Written>(file, text, "a configuration", HELP) {
        Ok(written) => reader.take(written),
        Err(wrong) => reader.wrong.push(wrong),
    }
    if !reader.wrong.is_empty() {
        return Err(reader.wrong);
    }
    reader.config.said.sort_by_key(|said| said.line);
    Ok(reader.config)
}

struct Reader<'t> {
    file: &'t str,
    text: &'t str,
    wrong: Diagnostics,
    config: Config,
}

impl Reader<'_> {
    fn take(&mut self, written: Written) {
        let Written { estate, accepted, audit, thresholds, rules, inside, things } = written;
        self.config.estate = self.texts("estate", estate);
        self.config.accepted = accepted.and_then(|it| self.text("accepted", &it));
        self.audit(&audit);
        self.thresholds(&thresholds);
        self.rules(rules);
        for network in self.texts_at("inside.networks", inside.networks) {
            match network.get_ref().parse::<IpNet>() {
                Ok(net) => self.config.supplement.networks.push(net),
                Err(_) => self.note(&network, "a network is wanted here, as in 203.0.113.0/24", HELP),
            }
        }
        self.config.supplement.accounts = self.texts("inside.accounts", inside.accounts);
        for about in things {
            self.about(&about);
        }
    }

    fn audit(&mut self, it: &AuditWritten) {
        if let Some(word) = &it.fail_on {
            self.config.fail_on = Threshold::parse(word.get_ref());
            match self.config.fail_on {
                Some(_) => self.said("audit.fail_on", word.get_ref(), word),
                None => self.no_word(word, "a severity, or `new:` and one", Threshold::WORDS.into_iter()),
            }
        }
        if let Some(strict) = &it.strict {
            self.config.strict = Some(*strict.get_ref());
            self.said("audit.strict", &strict.get_ref().to_string(), strict);
        }
        self.config.since = it.since.as_ref().and_then(|it| self.text("audit.since", it));
        for file in self.texts_at("audit.report", it.report.clone()) {
            match Kind::of(std::path::Path::new(file.get_ref())) {
                Some(_) => self.config.report.push(file.into_inner()),
                None => self.note(&file, "this file has no ending of a report", &Kind::endings()),
            }
        }
    }

    fn thresholds(&mut self, it: &ThresholdsWritten) {
        let everywhere = (it.key_max_age.as_ref(), it.key_watch.as_ref(), it.key_expiry_from.as_ref());
        self.config.settings.everywhere = self.of_keys("thresholds", everywhere, Thresholds::default());
        let within = [
            (Environment::Production, &it.production),
            (Environment::Staging, &it.staging),
            (Environment::Test, &it.test),
            (Environment::Development, &it.development),
        ];
        for (environment, it) in within {
            let Some(it) = it else { continue };
            let said = (it.key_max_age.as_ref(), it.key_watch.as_ref(), it.key_expiry_from.as_ref());
            let otherwise = self.config.settings.everywhere;
            let all = self.of_keys(&format!("thresholds.{environment}"), said, otherwise);
            self.config.settings.within.insert(environment, all);
        }
    }

    fn of_keys(&mut self, of: &str, (age, watch, from): OfKeys<'_>, otherwise: Thresholds) -> Thresholds {
        let key = |name: &str| format!("{of}.{name}");
        let key_max_age = age.and_then(|it| self.days(&key("key_max_age"), it));
        let key_watch = watch.and_then(|it| self.days(&key("key_watch"), it));
        let from = from.and_then(|it| self.word::<KeyReach>(&key("key_expiry_from"), it));
        Thresholds {
            key_max_age: key_max_age.unwrap_or(otherwise.key_max_age),
            key_watch: key_watch.unwrap_or(otherwise.key_watch),
            key_expiry_from: from.unwrap_or(otherwise.key_expiry_from),
        }
    }

    fn rules(&mut self, rules: BTreeMap<Spanned<String>, Spanned<String>>) {
        let catalogue = Catalogue::shipped();
        let all: Vec<&'static str> = catalogue.ids().collect();
        let mut rules: Vec<_> = rules.into_iter().collect();
        // Ids after patterns, since the last is heard.
        rules.sort_by_key(|(rule, _)| (all.contains(&rule.get_ref().as_str()), rule.span().start));
        for (rule, made) in rules {
            let pattern = Pattern::parse(rule.get_ref()).ok();
            let taken: Vec<&'static str> =
                all.iter().copied().filter(|id| pattern.as_ref().is_some_and(|it| it.matches(id))).collect();
            let made_of_it = match made.get_ref().as_str() {
                "off" => Some(RuleSetting::Off),
                word => Severity::parse(word).map(RuleSetting::As),
            };
            if taken.is_empty() {
                let help = match nearest(rule.get_ref(), &all) {
                    Some(near) => format!("did you mean {near}?"),
                    None => "`pasaporte rules` lists them; a pattern is written like 'key/*'".to_owned(),
                };
                self.note(&rule, "no rule matches this", &help);
                continue;
            }
            let Some(made_of_it) = made_of_it else {
                let words = Severity::ALL.iter().map(|(word, _)| *word).chain(["off"]);
                self.no_word(&made, "`off` or a severity", words);
                continue;
            };
            self.said(&format!("rules.{}", rule.get_ref()), made.get_ref(), &made);
            self.config.settings.rules.extend(taken.into_iter().map(|id| (id, made_of_it)));
        }
    }

    fn about(&mut self, it: &ThingsWritten) {
        /// Things that take owner and environment from where they live.
        const OF_OTHERS: [&str; 10] =
            ["endpoint", "trigger", "key", "user", "group", "set", "token", "verifier", "grant", "ceiling"];
        let Some(things) = self.text("", &it.r#match) else { return };
        let Ok(pattern) = Pattern::parse(&things) else {
            return self.note(&it.r#match, "a pattern is wanted here, as in function:ticket-*", HELP);
        };
        let (kind, rest) = things.split_once(':').unwrap_or((&things, ""));
        if rest.is_empty() && !things.contains('*') {
            return self.note(&it.r#match, "a pattern is wanted here, as in function:ticket-*", HELP);
        }
        if OF_OTHERS.contains(&kind) {
            let message = format!("a {kind} has these from where it lives");
            return self.note(&it.r#match, &message, "say it of the function or the account");
        }
        let key = |name: &str| format!("things {things}: {name}");
        let owner = it.owner.as_ref().and_then(|it| self.text(&key("owner"), it));
        let environment = it.environment.as_ref().and_then(|it| self.word(&key("environment"), it));
        let sensitivity =
            it.sensitivity.as_ref().and_then(|it| self.word::<Sensitivity>(&key("sensitivity"), it));
        if it.owner.is_none() && it.environment.is_none() && it.sensitivity.is_none() {
            return self.note(
                &it.r#match,
                "nothing is said of these things",
                "say their owner, environment or sensitivity",
            );
        }
        self.config.supplement.things.push(About { things: pattern, owner, environment, sensitivity });
    }

    fn days(&mut self, key: &str, it: &Spanned<i64>) -> Option<i64> {
        let days = *it.get_ref();
        if !(0..=MOST_DAYS).contains(&days) {
            self.note(it, &format!("a number of days from 0 to {MOST_DAYS} is wanted here"), HELP);
            return None;
        }
        self.said(key, &format!("{days} {}", if days == 1 { "day" } else { "days" }), it);
        Some(days)
    }

    fn word<V: Vocabulary>(&mut self, key: &str, it: &Spanned<String>) -> Option<V> {
        let found = V::parse(it.get_ref());
        match found {
            Some(_) => self.said(key, it.get_ref(), it),
            None => self.no_word(it, V::WHAT, V::ALL.iter().map(|(word, _)| *word)),
        }
        found
    }

    fn no_word<'w>(&mut self, it: &Spanned<String>, what: &str, words: impl Iterator<Item = &'w str>) {
        let words: Vec<&str> = words.collect();
        let help = match nearest(it.get_ref(), &words) {
            Some(near) => format!("did you mean {near}?"),
            None => format!("one of {}", words.join(", ")),
        };
        self.note(it, &format!("{what} is wanted here"), &help);
    }

    /// A text of one line with something in it.
    fn text(&mut self, key: &str, it: &Spanned<String>) -> Option<String> {
        const LONGEST: usize = 1000;
        let text = it.get_ref();
        if text.trim().is_empty() || text.chars().nth(LONGEST).is_some() || visible(text) != **text {
            self.note(it, "a text of one line is wanted here", HELP);
            return None;
        }
        if !key.is_empty() {
            self.said(key, text, it);
        }
        Some(text.clone())
    }

    fn texts_at(&mut self, key: &str, all: Option<Vec<Spanned<String>>>) -> Vec<Spanned<String>> {
        all.into_iter().flatten().filter(|it| self.text(key, it).is_some()).collect()
    }

    fn texts(&mut self, key: &str, all: Option<Vec<Spanned<String>>>) -> Vec<String> {
        self.texts_at(key, all).into_iter().map(Spanned::into_inner).collect()
    }

    fn said<T>(&mut self, key: &str, value: &str, at: &Spanned<T>) {
        let line = written::mark(self.file, self.text, at.span().start).line.unwrap_or_default();
        self.config.said.push(Said { key: key.to_owned(), value: value.to_owned(), line });
    }

    fn note<T>(&mut self, at: &Spanned<T>, message: &str, help: &str) {
        let mark = written::mark(self.file, self.text, at.span().start);
        let help = Some(help.to_owned());
        self.wrong.push(Diagnostic { mark, message: message.to_owned(), also: None, help });
    }
}

/// By which configuration an estate was judged, as far as it changes what is told.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ConfiguredOut {
    /// The file.
    pub file: String,
    /// Rules that are off, by id.
    pub off: Vec<String>,
    /// Rules whose findings are told at another severity than their own.
    pub told_as: BTreeMap<String, Word<Severity>>,
}

impl ConfiguredOut {
    /// What a file makes of rules.
    pub fn new(file: String, settings: &Settings) -> Self {
        let told_as = |(rule, it): (&&str, &RuleSetting)| match it {
            RuleSetting::As(severity) => Some(((*rule).to_owned(), Word(*severity))),
            RuleSetting::Off => None,
        };
        Self {
            file,
            off: settings
                .rules
                .keys()
                .filter(|rule| settings.is_off(rule))
                .map(|it| (*it).to_owned())
                .collect(),
            told_as: settings.rules.iter().filter_map(told_as).collect(),
        }
    }
}

/// What is in force, and where it comes from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[schemars(title = "Pasaporte configuration in force, version 1")]
pub struct InForce {
    /// The version of this output.
    pub in_force: u64,
    /// The file of configuration; null where there is none.
    pub file: Option<String>,
    /// Every value.
    pub values: Vec<ValueOut>,
}

/// A value that is in force.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ValueOut {
    /// Its key.
    pub key: String,
    /// The value.
    pub value: String,
    /// Where it comes from: `default`, `file`, or the name of a variable of the environment.
    pub from: String,
    /// Its line in the file, from 1; null where it comes from elsewhere.
    pub line: Option<u32>,
}

impl InForce {
    /// What a configuration says, and what is so where it says nothing.
    pub fn new(file: Option<String>, config: &Config, others: &[ValueOut]) -> Self {
        let usual = Thresholds::default();
        let defaults = [
            ("audit.fail_on", "never".to_owned()),
            ("audit.strict", "false".to_owned()),
            ("thresholds.key_max_age", format!("{} days", usual.key_max_age)),
            ("thresholds.key_watch", format!("{} days", usual.key_watch)),
            ("thresholds.key_expiry_from", usual.key_expiry_from.to_string()),
            ("inside.networks", "private networks (RFC 1918, RFC 4193)".to_owned()),
        ];
        let said = |it: &Said| ValueOut {
            key: it.key.clone(),
            value: it.value.clone(),
            from: "file".to_owned(),
            line: Some(it.line),
        };
        let overridden = |key: &str| others.iter().any(|it| it.key == key);
        let mut values: Vec<ValueOut> =
            config.said.iter().filter(|it| !overridden(&it.key)).map(said).collect();
        values.extend(others.iter().cloned());
        for (key, value) in defaults {
            if key == "inside.networks" || values.iter().all(|it| it.key != key) {
                let from = "default".to_owned();
                values.push(ValueOut { key: key.to_owned(), value, from, line: None });
            }
        }
        let rank = |it: &ValueOut| {
            const ORDER: [&str; 7] =
                ["estate", "accepted", "audit", "thresholds", "rules", "inside", "things"];
            let first = it.key.split(['.', ' ']).next().unwrap_or_default();
            ORDER.iter().position(|known| *known == first)
        };
        values.sort_by(|one, other| {
            (rank(one), &one.key, one.line).cmp(&(rank(other), &other.key, other.line))
        });
        Self { in_force: crate::VERSION, file, values }
    }
}
