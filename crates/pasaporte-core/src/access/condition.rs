//! What a condition comes to in a question (access-model §5), and how it reads as a sentence.

use std::borrow::Cow;

use ipnet::IpNet;
use jiff::Timestamp;

use super::Truth;
use crate::estate::{Attribute, Condition, Estate, Name, Test, is_private};
use crate::pattern::Pattern;

/// What a question fixes about an attribute. What it does not fix is unknown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Known {
    /// There is no such attribute: a caller without that tag.
    Absent,
    /// This text.
    Text(String),
    /// Something that the estate does not name: a stranger's account, a stranger's bucket.
    Foreign,
    /// An address that lies in no network which anything names.
    Elsewhere,
    /// This moment.
    At(Timestamp),
    /// An address, or all addresses of a network.
    Network(IpNet),
}

/// The attributes that a question fixes.
#[derive(Debug, Clone, Default)]
pub struct Context {
    known: Vec<(Attribute, Known)>,
}

impl Context {
    /// Nothing fixed but the moment.
    pub fn at(time: Option<Timestamp>) -> Self {
        let mut context = Self::default();
        if let Some(time) = time {
            context.fix(Attribute::Time, Known::At(time));
        }
        context
    }

    /// What is true of a call by somebody who has nothing to do with the estate: no account, source or proof of
    /// theirs is one that the estate names.
    pub fn of_a_stranger(time: Option<Timestamp>) -> Self {
        Self::at(time)
            .with(Attribute::CallerAccount, Known::Foreign)
            .with(Attribute::AccountOfSource, Known::Foreign)
            .with(Attribute::SourceResource, Known::Foreign)
            .with(Attribute::CallerNetwork, Known::Foreign)
            .with(Attribute::TokenIssuer, Known::Foreign)
            .with(Attribute::OutsideProof, Known::Absent)
    }

    /// Fixes an attribute; an attribute that is fixed already stays as it is.
    pub fn fix(&mut self, attribute: Attribute, known: Known) {
        if self.get(attribute).is_none() {
            self.known.push((attribute, known));
        }
    }

    /// The same with one more attribute fixed.
    pub fn with(mut self, attribute: Attribute, known: Known) -> Self {
        self.fix(attribute, known);
        self
    }

    /// The same with an attribute fixed otherwise.
    pub fn instead(&self, attribute: Attribute, known: Known) -> Self {
        let mut all = Vec::with_capacity(self.known.len() + 1);
        all.extend(self.known.iter().filter(|(each, _)| *each != attribute).cloned());
        all.push((attribute, known));
        Self { known: all }
    }

    /// The same without what is fixed of an attribute.
    pub fn without(&self, attribute: Attribute) -> Self {
        Self { known: self.known.iter().filter(|(each, _)| *each != attribute).cloned().collect() }
    }

    /// What is known of an attribute.
    pub fn get(&self, attribute: Attribute) -> Option<&Known> {
        self.known.iter().find(|(each, _)| *each == attribute).map(|(_, known)| known)
    }
}

/// What is known of a question's circumstances.
pub trait Facts {
    /// What is known of an attribute; none is unknown.
    fn known(&self, attribute: Attribute) -> Option<Cow<'_, Known>>;
}

impl Facts for Context {
    fn known(&self, attribute: Attribute) -> Option<Cow<'_, Known>> {
        self.get(attribute).map(Cow::Borrowed)
    }
}

impl Condition {
    /// Whether the condition holds, as far as the facts tell.
    pub fn holds(&self, facts: &impl Facts, estate: &Estate) -> Truth {
        match self {
            Self::Opaque(_) => Truth::Unknown,
            Self::Test(attribute, test) => match facts.known(*attribute) {
                Some(known) => test.holds(&known, estate),
                None => Truth::Unknown,
            },
        }
    }

    /// The condition as part of a sentence: "source resource is bucket:tide-tables".
    pub fn sentence(&self, estate: &Estate) -> String {
        match self {
            Self::Opaque(text) => format!("“{}”, which was not understood", estate.text(*text)),
            Self::Test(attribute, test) => {
                let subject = attribute.sentence(estate);
                let names = |names: &[Name]| one_of(names.iter().map(|name| estate.text(*name).to_owned()));
                match test {
                    Test::Equals(values) => format!("{subject} is {}", names(values)),
                    Test::NotEquals(values) => format!("{subject} is not {}", names(values)),
                    Test::Like(patterns) => {
                        format!("{subject} is like {}", one_of(patterns.iter().map(ToString::to_string)))
                    }
                    Test::InNetwork(nets) => {
                        format!("{subject} is in {}", one_of(nets.iter().map(ToString::to_string)))
                    }
                    Test::Before(time) => format!("{subject} is before {time}"),
                    Test::After(time) => format!("{subject} is {time} or later"),
                    Test::Present(true) => format!("{subject} is given"),
                    Test::Present(false) => format!("{subject} is not given"),
                }
            }
        }
    }
}

fn one_of(values: impl Iterator<Item = String>) -> String {
    values.collect::<Vec<_>>().join(" or ")
}

impl Attribute {
    /// The attributes as files spell them; those that end in a slash are followed by the name of a tag.
    pub const WORDS: [&'static str; 12] = [
        "caller_account",
        "caller_network",
        "source_resource",
        "account_of_source",
        "secure_transport",
        "time",
        "second_factor",
        "caller_tag/",
        "resource_tag/",
        "token_audience",
        "token_issuer",
        "outside_proof",
    ];

    /// The attribute of a written name; `tag` gives the name of a tag.
    pub fn parse(text: &str, mut tag: impl FnMut(&str) -> Option<Name>) -> Option<Self> {
        Some(match text {
            "caller_account" => Self::CallerAccount,
            "caller_network" => Self::CallerNetwork,
            "source_resource" => Self::SourceResource,
            "account_of_source" => Self::AccountOfSource,
            "secure_transport" => Self::SecureTransport,
            "time" => Self::Time,
            "second_factor" => Self::SecondFactor,
            "token_audience" => Self::TokenAudience,
            "token_issuer" => Self::TokenIssuer,
            "outside_proof" => Self::OutsideProof,
            _ => match text.split_once('/')? {
                ("caller_tag", name) => Self::CallerTag(tag(name)?),
                ("resource_tag", name) => Self::ResourceTag(tag(name)?),
                _ => return None,
            },
        })
    }

    /// The attribute as files spell it, without the name of a tag.
    pub fn word(self) -> &'static str {
        match self {
            Self::CallerAccount => "caller_account",
            Self::CallerNetwork => "caller_network",
            Self::SourceResource => "source_resource",
            Self::AccountOfSource => "account_of_source",
            Self::SecureTransport => "secure_transport",
            Self::Time => "time",
            Self::SecondFactor => "second_factor",
            Self::CallerTag(_) => "caller_tag",
            Self::ResourceTag(_) => "resource_tag",
            Self::TokenAudience => "token_audience",
            Self::TokenIssuer => "token_issuer",
            Self::OutsideProof => "outside_proof",
        }
    }

    fn sentence(self, estate: &Estate) -> String {
        let words = self.word().replace('_', " ");
        match self {
            Self::CallerTag(name) | Self::ResourceTag(name) => format!("{words} {}", estate.text(name)),
            Self::OutsideProof => "the agreed outside proof".to_owned(),
            _ => words,
        }
    }
}

impl Test {
    fn holds(&self, known: &Known, estate: &Estate) -> Truth {
        match self {
            Self::Present(wanted) => Truth::from((*known != Known::Absent) == *wanted),
            Self::Equals(values) => is_one_of(values, known, estate),
            Self::NotEquals(values) => !is_one_of(values, known, estate),
            Self::Like(patterns) => is_like(patterns, known),
            Self::InNetwork(networks) => is_in(networks, known),
            Self::Before(limit) => compare(known, |time| time < *limit),
            Self::After(limit) => compare(known, |time| time >= *limit),
        }
    }
}

fn is_one_of(values: &[Name], known: &Known, estate: &Estate) -> Truth {
    let text = match known {
        // A stranger's value is none that the statement names.
        Known::Absent | Known::Foreign | Known::Elsewhere => return Truth::False,
        Known::Text(text) => text.clone(),
        Known::At(time) => time.to_string(),
        Known::Network(net) => net.to_string(),
    };
    Truth::from(values.iter().any(|value| estate.text(*value) == text))
}

fn is_like(patterns: &[Pattern], known: &Known) -> Truth {
    match known {
        Known::Absent => Truth::False,
        Known::Text(text) => Truth::from(patterns.iter().any(|pattern| pattern.matches(text))),
        // A stranger may choose names that fit a wildcard, but not one that is already taken.
        Known::Foreign => Truth::any(patterns.iter().map(|pattern| {
            match (pattern.is_everything(), pattern.as_literal().is_some()) {
                (true, _) => Truth::True,
                (false, true) => Truth::False,
                (false, false) => Truth::Unknown,
            }
        })),
        Known::At(_) | Known::Network(_) | Known::Elsewhere => Truth::Unknown,
    }
}

/// Whether an address lies in one of some networks.
pub(crate) fn is_in(networks: &[IpNet], known: &Known) -> Truth {
    // Networks that lie side by side count together.
    let together = match networks {
        [_] => Cow::Borrowed(networks),
        _ => Cow::Owned(IpNet::aggregate(&networks.to_vec())),
    };
    let in_some = |inside: &dyn Fn(&IpNet) -> Truth| Truth::any(together.iter().map(inside));
    match known {
        Known::Absent => Truth::False,
        Known::Network(from) => in_some(&|net| {
            if net.contains(from) {
                Truth::True
            } else if from.contains(net) {
                Truth::Unknown
            } else {
                Truth::False
            }
        }),
        Known::Text(text) => match text.parse() {
            Ok(address) => {
                Truth::from(together.iter().any(|net| net.contains::<&std::net::IpAddr>(&address)))
            }
            Err(_) => Truth::Unknown,
        },
        // A stranger's address is not one of a private network.
        Known::Foreign => in_some(&|net| match (net.prefix_len(), is_private(net)) {
            (0, _) => Truth::True,
            (_, true) => Truth::False,
            (_, false) => Truth::Unknown,
        }),
        Known::Elsewhere => in_some(&|net| Truth::from(net.prefix_len() == 0)),
        Known::At(_) => Truth::Unknown,
    }
}

/// Whether networks are, together, the whole internet.
pub(crate) fn is_internet(networks: &[IpNet]) -> bool {
    is_in(networks, &Known::Elsewhere) == Truth::True
}

fn compare(known: &Known, holds: impl Fn(Timestamp) -> bool) -> Truth {
    match known {
        Known::Absent => Truth::False,
        Known::At(time) => Truth::from(holds(*time)),
        Known::Text(text) => text.parse().map_or(Truth::Unknown, |time| Truth::from(holds(time))),
        Known::Foreign | Known::Elsewhere | Known::Network(_) => Truth::Unknown,
    }
}
