//! What is said of two things, beside each other.

use pasaporte_audit::Audit;
use pasaporte_core::diff::Holder;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{
    Check, Environment, Estate, FunctionId, IdentityId, Key, KeyId, LastUse, Principal, ScopeId, Thing,
    Vocabulary,
};
use schemars::JsonSchema;
use serde::Serialize;

use super::Compared;
use crate::dates::date;

/// Something that is said of both.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct FactOut {
    /// What.
    pub what: String,
    /// Of the first; null where it is not said.
    pub left: Option<String>,
    /// Of the second.
    pub right: Option<String>,
}

/// What is said of either, in the order of the first.
pub(super) fn facts(left: (&Audit<'_>, Compared), right: (&Audit<'_>, Compared)) -> Vec<FactOut> {
    let mut all: Vec<FactOut> = Vec::new();
    for (what, value) in of(left.0, left.1) {
        all.push(FactOut { what, left: value, right: None });
    }
    for (what, value) in of(right.0, right.1) {
        match all.iter_mut().find(|it| it.what == what) {
            Some(known) => known.right = value,
            None => all.push(FactOut { what, left: None, right: value }),
        }
    }
    all.retain(|it| it.left.is_some() || it.right.is_some());
    all
}

type Said = Vec<(String, Option<String>)>;

fn of(audit: &Audit<'_>, it: Compared) -> Said {
    let estate = audit.estate();
    let said = |what: &str, value: Option<String>| (what.to_owned(), value);
    let mut all: Said = match it.thing {
        Some(Thing::Function(id)) => function(audit, id),
        Some(Thing::Identity(id)) => identity(audit, id),
        Some(Thing::Key(id)) => estate.get(id).map_or_else(Vec::new, |key| of_key(audit, id, key)),
        Some(Thing::Group(id)) => {
            vec![said("members", Some(audit.effects().everybody_in(id).len().to_string()))]
        }
        Some(Thing::Set(id)) => estate.get(id).map_or_else(Vec::new, |set| {
            vec![
                said("lives in", set.scope.map(|scope| estate.label(Thing::Scope(scope)))),
                said("made by", Some(set.made_by.to_string())),
            ]
        }),
        _ => Vec::new(),
    };
    let worst = match it.holder {
        Holder::Somebody(Principal::Identity(id)) => audit.may(id).map(str::to_owned),
        Holder::Somebody(who) => audit.effects().tell(who),
        Holder::Set(_) => None,
    };
    all.push(said("at worst may", worst));
    all
}

fn place(estate: &Estate, scope: Option<ScopeId>) -> Option<String> {
    scope.map(|scope| estate.label(Thing::Scope(scope)))
}

fn environment(it: Option<Environment>) -> Option<String> {
    it.map(|it| it.to_string())
}

fn function(audit: &Audit<'_>, id: FunctionId) -> Said {
    let estate = audit.estate();
    let Some(it) = estate.get(id) else { return Vec::new() };
    let mut all: Said = vec![
        ("lives in".to_owned(), place(estate, it.scope)),
        ("environment".to_owned(), environment(audit.environment(id))),
        ("owner".to_owned(), estate.owner(it.owner, it.scope).map(|name| estate.text(name).to_owned())),
        ("state".to_owned(), Some(it.state.to_string())),
        ("runtime".to_owned(), it.runtime.map(|name| estate.text(name).to_owned())),
        ("runs as".to_owned(), estate.runs_as(it).map(|identity| estate.label(Thing::Identity(identity)))),
        ("gets in".to_owned(), Some(Exposure::word(audit.exposure(id).to).to_owned())),
    ];
    let doors = estate.endpoints_of(id).iter().filter_map(|id| estate.get(*id)).map(|it| {
        let asks = match it.check {
            Check::None => "nothing".to_owned(),
            Check::Identity => "identity".to_owned(),
            Check::Key(reach) => format!("key of {reach} reach"),
            Check::Token(verifier) => format!("token of {}", estate.id(verifier)),
        };
        let path = it.path.map_or("/", |path| estate.text(path));
        format!("{path} asks for {asks}")
    });
    let doors: Vec<String> = doors.collect();
    all.push(("ways in over HTTP".to_owned(), (!doors.is_empty()).then(|| doors.join("; "))));
    let triggers = estate.triggers_of(id).iter().filter_map(|id| estate.get(*id)).map(|it| match it.source {
        Some(source) => estate.label(source),
        None => estate.text(it.kind).to_owned(),
    });
    let triggers: Vec<String> = triggers.collect();
    all.push(("runs on".to_owned(), (!triggers.is_empty()).then(|| triggers.join("; "))));
    all
}

fn identity(audit: &Audit<'_>, id: IdentityId) -> Said {
    let estate = audit.estate();
    let Some(it) = estate.get(id) else { return Vec::new() };
    let runs = names(estate, estate.functions_as(id).to_vec());
    vec![
        ("lives in".to_owned(), place(estate, it.scope)),
        ("kind".to_owned(), Some(it.kind.to_string())),
        ("environment".to_owned(), environment(audit.environment_of(Principal::Identity(id)))),
        ("runs".to_owned(), Some(runs)),
        (
            "gets in".to_owned(),
            Some(Exposure::word(audit.exposure_of(Principal::Identity(id)).to).to_owned()),
        ),
    ]
}

/// Functions by name, or how many.
fn names(estate: &Estate, mut all: Vec<FunctionId>) -> String {
    all.sort_unstable_by_key(|id| estate.id(*id));
    match all.len() {
        0 => "none".to_owned(),
        1..=4 => all.iter().map(|id| estate.id(*id)).collect::<Vec<_>>().join(", "),
        some => format!("{some} functions"),
    }
}

fn of_key(audit: &Audit<'_>, id: KeyId, it: &Key) -> Said {
    let estate = audit.estate();
    let last = match (audit.last_use_of(id), &it.last_used) {
        (Some(time), _) => Some(date(time)),
        (None, LastUse::Never) => Some("never".to_owned()),
        (None, _) => None,
    };
    let opened = audit.effects().opened_by(id).into_iter();
    vec![
        ("opens".to_owned(), Some(estate.label(it.opens()))),
        ("lets into".to_owned(), Some(names(estate, opened.map(|(id, _)| id).collect()))),
        ("reach".to_owned(), Some(it.reach.to_string())),
        ("state".to_owned(), Some(it.state.to_string())),
        ("made".to_owned(), it.created.map(date)),
        ("rotated".to_owned(), it.rotated.map(date)),
        ("ends".to_owned(), it.expires.map(date)),
        ("last used".to_owned(), last),
    ]
}
