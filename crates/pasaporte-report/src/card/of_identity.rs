//! An identity's passport: who may act as it, what runs as it, what it holds and what it used of that.

use pasaporte_audit::{Audit, Finding};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::{
    Credential, Enrolment, Environment, Estate, IdentityId, IdentityKind, LastUse, Life, Principal, State,
    Thing,
};
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::Serialize;

use super::CARD_VERSION;
use super::used::{DoneOut, done_by};
use super::{Exit, exits, findings_about, looked_at};
use crate::dates::date;
use crate::finding::{FindingOut, Texts};
use crate::{BecomingOut, PlaceOut, Reached, account};

/// An identity's passport.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte card of an identity, version 2")]
pub struct IdentityCard {
    /// The version of this output.
    pub card_of_identity: u64,
    /// The identity.
    pub identity: String,
    /// What people call it.
    pub name: Option<String>,
    /// Its kind.
    pub kind: Word<IdentityKind>,
    /// Bound to one function or app, or standalone.
    pub life: Word<Life>,
    /// Whether the platform made it for everybody.
    pub default: bool,
    /// The id under which other systems enrol it.
    pub client_id: Option<String>,
    /// The platform it is on.
    pub platform: Option<String>,
    /// The account it is of.
    pub account: Option<String>,
    /// The environment it is judged by.
    pub environment: Option<Word<Environment>>,
    /// The functions that run as it.
    pub runs: Vec<String>,
    /// Who may act as it: by a name that the trust or a grant gives it to.
    pub acted_as_by: Vec<ActsOut>,
    /// The worst that it may do, in words; null where that is no more than running code.
    pub may: Option<String>,
    /// What it may do in effect, by service.
    pub exits: Vec<Exit>,
    /// What it may do besides because any signed-in caller may, or anyone.
    pub exits_as_anyone: Vec<Exit>,
    /// Identities that it can act as.
    pub can_become: Vec<BecomingOut>,
    /// What it was seen to do, or to be refused.
    pub done: Vec<DoneOut>,
    /// Roles that other systems give it.
    pub enrolments: Vec<EnrolmentOut>,
    /// Secrets by which anybody who has them acts as it.
    pub credentials: Vec<CredentialOut>,
    /// What the audit finds about it.
    pub findings: Vec<FindingOut>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

/// Somebody who may act as an identity.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ActsOut {
    /// Who.
    pub who: String,
    /// Surely (yes) or depending on something.
    pub verdict: Word<Verdict>,
    /// Whether it may since what it has takes every identity that is made there, and not this one or a part.
    pub as_of_all: bool,
}

/// A secret by which anybody who has it acts as an identity.
#[derive(Debug, Serialize, JsonSchema)]
pub struct CredentialOut {
    /// Its id.
    pub credential: String,
    /// Whether it is switched on.
    pub state: Word<State>,
    /// When it was made or last replaced: a date.
    pub since: Option<String>,
    /// When it ends: a date.
    pub expires: Option<String>,
    /// When it was last used: a date, or `never`; null where nobody looked.
    pub last_used: Option<String>,
    /// Who was given it.
    pub held_by: Vec<String>,
}

/// A role in another system.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EnrolmentOut {
    /// The system.
    pub system: String,
    /// The role there.
    pub role: String,
    /// Whether it is administrative or catch-all.
    pub wide: bool,
}

/// The things whose findings a card of an identity rests on.
pub fn looked_at_for_identity(effects: &Effects<'_>, id: IdentityId) -> Vec<Thing> {
    let functions = effects.estate().functions_as(id).iter();
    let mut all: Vec<Thing> = functions.flat_map(|function| looked_at(effects, *function)).collect();
    all.push(Thing::Identity(id));
    all
}

impl IdentityCard {
    /// An identity's passport, with those of an audit's findings that are about it; none where it is not in the estate.
    pub fn new(audit: &Audit<'_>, findings: &[Finding], id: IdentityId, texts: &dyn Texts) -> Option<Self> {
        let (estate, effects) = (audit.estate(), audit.effects());
        let it = estate.get(id)?;
        let thing = Thing::Identity(id);
        let text = |name: pasaporte_core::estate::Name| estate.text(name).to_owned();
        let rights = Reached::new(effects, Principal::Identity(id), None);
        let mut runs: Vec<String> =
            estate.functions_as(id).iter().map(|function| estate.label(Thing::Function(*function))).collect();
        runs.sort_unstable();
        let is_its = |enrolment: &&Enrolment| it.client_id == Some(enrolment.client_id);
        let enrolments = estate.enrolments().iter().filter(is_its);
        let about = std::iter::once(thing).collect();
        let found = findings_about(findings, &about);
        Some(Self {
            card_of_identity: CARD_VERSION,
            identity: estate.label(thing),
            name: it.name.map(text),
            kind: Word(it.kind),
            life: Word(it.life),
            default: it.default,
            client_id: it.client_id.map(text),
            platform: estate.platform(estate.scope_of(thing)).map(text),
            account: account(estate, thing),
            environment: audit.environment_of(Principal::Identity(id)).map(Word),
            runs,
            acted_as_by: acting_as(audit, id),
            may: audit.may(id).map(str::to_owned),
            exits: exits(audit, Some(id), &rights.rights),
            exits_as_anyone: exits(audit, None, &rights.as_anyone),
            can_become: rights.can_become,
            done: done_by(estate, Principal::Identity(id)),
            enrolments: enrolments
                .map(|it| EnrolmentOut { system: text(it.system), role: text(it.role), wide: it.wide })
                .collect(),
            credentials: it.credentials.iter().map(|it| credential(estate, it)).collect(),
            findings: found.map(|(it, leading)| FindingOut::of(it, leading, audit, texts)).collect(),
            read_from: Some(PlaceOut::new(estate, it.origin)),
        })
    }
}

fn credential(estate: &Estate, it: &Credential) -> CredentialOut {
    let held = estate.list(it.held_by).iter();
    CredentialOut {
        credential: estate.text(it.id).to_owned(),
        state: Word(it.state),
        since: it.rotated.max(it.created).map(date),
        expires: it.expires.map(date),
        last_used: match it.last_used {
            LastUse::At(time) => Some(date(time)),
            LastUse::Never => Some("never".to_owned()),
            LastUse::Unknown => None,
        },
        held_by: held.map(|name| estate.text(*name).to_owned()).collect(),
    }
}

/// Who may act as an identity, by which name: first those whom something gives it that is about this identity, then those
/// by rights that do not name it.
fn acting_as(audit: &Audit<'_>, id: IdentityId) -> Vec<ActsOut> {
    let (effects, estate, on) = (audit.effects(), audit.estate(), Thing::Identity(id));
    let named = effects.named_to_assume(on);
    let others = effects.who_may_assume(on, &audit.now()).into_iter();
    let others = others.filter(|(who, _)| *who != Principal::Identity(id));
    let acts = |(who, verdict): (Principal, Verdict)| ActsOut {
        who: estate.principal_label(who),
        verdict: Word(verdict),
        as_of_all: !named.contains(&who),
    };
    let mut all: Vec<ActsOut> = others.map(acts).collect();
    all.sort_by(|one, other| (one.as_of_all, &one.who).cmp(&(other.as_of_all, &other.who)));
    all
}
