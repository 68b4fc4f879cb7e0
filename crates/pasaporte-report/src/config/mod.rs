//! `pasaporte.toml`: what a team says once of its estate and of how it wants it judged. Every value knows its line, so that
//! it can be told where what is in force comes from; all that is wrong is told at once.

mod in_force;
mod written;

use std::collections::BTreeMap;

use ipnet::IpNet;
use pasaporte_audit::tighten::{Keep, Wishes};
use pasaporte_audit::{Catalogue, RuleSetting, Settings, Severity, Thresholds};
use pasaporte_core::estate::{About, Environment, KeyReach, Sensitivity, Supplement, Vocabulary};
use pasaporte_core::pattern::Pattern;
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics};
use pasaporte_read::{nearest, visible, written as toml_written};
use toml::Spanned;

use crate::reports::kind::Kind;
use crate::threshold::Threshold;
use written::{AuditWritten, KeepWritten, ThingsWritten, ThresholdsWritten};

pub use in_force::{ConfiguredOut, InForce, ValueOut};
pub use written::Written;

/// What is said of thresholds, everywhere or in one environment.
struct Limits<'w> {
    days: [(&'static str, &'w Option<Spanned<i64>>); 6],
    expiry_from: &'w Option<Spanned<String>>,
}

macro_rules! limits {
    ($it:expr) => {
        Limits {
            days: [
                ("key_max_age", &$it.key_max_age),
                ("key_watch", &$it.key_watch),
                ("key_idle", &$it.key_idle),
                ("key_clients", &$it.key_clients),
                ("public_token_max_age", &$it.public_token_max_age),
                ("evidence", &$it.evidence),
            ],
            expiry_from: &$it.key_expiry_from,
        }
    };
}

/// A configuration that was read. Paths are as written, from where the file is.
#[derive(Debug, Default)]
pub struct Config {
    /// The estate that is meant where none is named; empty where that is not said.
    pub estate: Vec<String>,
    /// The file of acceptances.
    pub accepted: Option<String>,
    /// The file with the key of fingerprints.
    pub seal: Option<String>,
    /// What makes an audit fail.
    pub fail_on: Option<Threshold>,
    /// Whether blind spots do.
    pub strict: Option<bool>,
    /// The saved audit that one is held against.
    pub since: Option<String>,
    /// The files that it is written to.
    pub report: Vec<String>,
    /// Parameters and headers that carry keys in logs, beside those that are known.
    pub keys_in: Vec<String>,
    /// How it is judged.
    pub settings: Settings,
    /// What is said of the estate beside it.
    pub supplement: Supplement,
    /// What proposals heed besides what logs show.
    pub wishes: Wishes,
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
    match toml_written::read::<Written>(file, text, "a configuration", HELP) {
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
        let Written {
            estate,
            accepted,
            seal,
            audit,
            thresholds,
            rules,
            usage,
            inside,
            things,
            tighten,
            keep,
        } = written;
        self.config.estate = self.texts("estate", estate);
        self.config.accepted = accepted.and_then(|it| self.text("accepted", &it));
        self.config.seal = seal.and_then(|it| self.text("seal", &it));
        self.audit(&audit);
        self.thresholds(&thresholds);
        self.rules(rules);
        self.config.keys_in = self.texts("usage.keys_in", usage.keys_in);
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
        self.config.wishes.naming = tighten.naming.and_then(|it| self.word("tighten.naming", &it));
        for it in keep {
            self.keep(it);
        }
    }

    fn keep(&mut self, it: KeepWritten) {
        let Some(who) = self.text("keep.who", &it.who) else { return };
        let does = self.texts("keep.does", Some(it.does));
        let on = self.texts("keep.on", Some(it.on));
        for action in &does {
            let one = |on: &String| Keep { who: who.clone(), action: action.clone(), on: on.clone() };
            self.config.wishes.keep.extend(on.iter().map(one));
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
        self.config.settings.everywhere = self.limits("thresholds", &limits!(it), Thresholds::default());
        let within = [
            (Environment::Production, &it.production),
            (Environment::Staging, &it.staging),
            (Environment::Test, &it.test),
            (Environment::Development, &it.development),
        ];
        for (environment, it) in within {
            let Some(it) = it else { continue };
            let otherwise = self.config.settings.everywhere;
            let all = self.limits(&format!("thresholds.{environment}"), &limits!(it), otherwise);
            self.config.settings.within.insert(environment, all);
        }
    }

    fn limits(&mut self, of: &str, said: &Limits<'_>, mut all: Thresholds) -> Thresholds {
        for (name, it) in said.days {
            let key = format!("{of}.{name}");
            let Some(number) = it.as_ref().and_then(|it| self.number(&key, it)) else { continue };
            match name {
                "key_max_age" => all.key_max_age = number,
                "key_watch" => all.key_watch = number,
                "key_idle" => all.key_idle = number,
                "key_clients" => all.key_clients = number,
                "public_token_max_age" => all.public_token_max_age = number,
                _ => all.evidence = number,
            }
        }
        let from = said.expiry_from.as_ref();
        let from = from.and_then(|it| self.word::<KeyReach>(&format!("{of}.key_expiry_from"), it));
        Thresholds { key_expiry_from: from.unwrap_or(all.key_expiry_from), ..all }
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

    /// A number of days, or of clients.
    fn number(&mut self, key: &str, it: &Spanned<i64>) -> Option<i64> {
        let number = *it.get_ref();
        let one = if key.ends_with("clients") { "client" } else { "day" };
        if !(0..=MOST_DAYS).contains(&number) {
            self.note(it, &format!("a number of {one}s from 0 to {MOST_DAYS} is wanted here"), HELP);
            return None;
        }
        self.said(key, &format!("{number} {one}{}", if number == 1 { "" } else { "s" }), it);
        Some(number)
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
        let line = toml_written::mark(self.file, self.text, at.span().start).line.unwrap_or_default();
        self.config.said.push(Said { key: key.to_owned(), value: value.to_owned(), line });
    }

    fn note<T>(&mut self, at: &Spanned<T>, message: &str, help: &str) {
        let mark = toml_written::mark(self.file, self.text, at.span().start);
        let help = Some(help.to_owned());
        self.wrong.push(Diagnostic { mark, message: message.to_owned(), also: None, help });
    }
}
