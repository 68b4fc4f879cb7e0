//! What a line of a log says, whichever format it is of; texts are borrowed from the line.

/// Something that happened.
#[derive(Debug, Clone, Default)]
pub struct Event<'a> {
    /// When, in seconds since 1970; for what was counted before, when first.
    pub first: Option<i64>,
    /// For what was counted before: when last.
    pub last: Option<i64>,
    /// How often.
    pub count: Option<u64>,
    /// What tells it from another event, where the format has such a thing.
    pub id: Option<(&'a str, &'a str)>,
    /// The address that it came from.
    pub client: Option<&'a str>,

    /// Who did something.
    pub who: Option<&'a str>,
    /// What they did.
    pub did: Option<&'a str>,
    /// To what.
    pub to: Option<&'a str>,
    /// What became of it: a word of the estate format.
    pub outcome: Option<&'a str>,
    /// The trigger, or the source, that made a function run.
    pub through: Option<&'a str>,

    /// The endpoint called, where the log knows it.
    pub endpoint: Option<&'a str>,
    /// The host called, or the gateway.
    pub host: Option<&'a str>,
    /// The path called, with its query.
    pub path: Option<&'a str>,
    /// The HTTP method.
    pub method: Option<&'a str>,
    /// The HTTP status.
    pub status: Option<u16>,
    /// The function that ran.
    pub function: Option<&'a str>,
    /// What the caller showed, in the words of the estate format.
    pub showed: Option<&'a str>,
    /// Who issued the token that was shown.
    pub issuer: Option<&'a str>,
    /// Whom the caller said to be.
    pub user: Option<&'a str>,
    /// Headers and other places that may hold credentials.
    pub credentials: Vec<Credential<'a>>,
    /// Whether the log holds whatever a caller shows, so that what is not there was not shown.
    pub tells_all: bool,

    /// What code wrote into its log.
    pub text: Option<&'a str>,
}

/// A value that may be a secret.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Credential<'a> {
    /// Where it stands.
    pub place: In,
    /// The name of the parameter or header.
    pub name: &'a str,
    /// The value.
    pub value: &'a str,
}

/// Where a value stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum In {
    /// In a header of a request.
    Header,
    /// In its body.
    Body,
    /// In a field of the log that says so: nowhere that others read.
    Field,
}

impl Event<'_> {
    /// Whether it says anything that could be attributed.
    pub fn is_empty(&self) -> bool {
        let texts = [self.who, self.did, self.endpoint, self.host, self.path, self.function, self.text];
        texts.iter().all(Option::is_none)
    }
}
