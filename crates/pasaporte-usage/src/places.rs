//! What of the estate an event is about: an endpoint by host, path and method, a function by its name, somebody by their
//! id or client id, an address as inside or outside.

use std::collections::{HashMap, HashSet};
use std::net::IpAddr;

use ipnet::IpNet;
use pasaporte_core::entry::PathTree;
use pasaporte_core::estate::{
    AccountOf, CameFrom, EndpointId, Estate, FunctionId, GroupId, IdentityId, KeyId, ResourceId, ScopeId,
    Thing, TokenId, TriggerId, UserId, Way,
};
use pasaporte_core::usage::host_of;

/// The estate, to be looked up in.
#[derive(Debug)]
pub struct Places<'e> {
    estate: &'e Estate,
    /// Of each host and gateway its endpoints.
    hosts: HashMap<String, AtHost<'e>>,
    by_client_id: HashMap<&'e str, IdentityId>,
    /// Names of functions without what comes before their last slash, where that is one function's.
    short: HashMap<&'e str, Option<FunctionId>>,
    triggers: HashSet<&'e str>,
}

#[derive(Debug)]
struct AtHost<'e> {
    endpoints: Vec<EndpointId>,
    paths: PathTree<'e>,
}

impl<'e> Places<'e> {
    /// Prepares an estate.
    pub fn new(estate: &'e Estate) -> Self {
        let mut at: HashMap<String, Vec<(EndpointId, Option<&'e str>)>> = HashMap::new();
        for (id, endpoint) in estate.all::<EndpointId>() {
            let url = endpoint.url.map(|url| estate.text(url));
            let path = endpoint.path.map(|path| estate.text(path)).or(url.map(path_of));
            if let Way::Route { gateway, .. } = endpoint.way {
                at.entry(estate.text(gateway).to_ascii_lowercase()).or_default().push((id, path));
            }
            if let Some(url) = url {
                let host = host_of(url).to_ascii_lowercase();
                at.entry(host).or_default().push((id, Some(path_of(url))));
            }
        }
        let hosts = at.into_iter().map(|(host, all)| {
            let paths = PathTree::new(all.iter().map(|(_, path)| *path));
            (host, AtHost { endpoints: all.into_iter().map(|(id, _)| id).collect(), paths })
        });
        let client_ids = estate.all::<IdentityId>();
        let mut short: HashMap<&'e str, Option<FunctionId>> = HashMap::new();
        for (id, _) in estate.all::<FunctionId>() {
            let last = estate.id(id).rsplit('/').next().unwrap_or_default();
            short.entry(last).and_modify(|known| *known = None).or_insert(Some(id));
        }
        Self {
            hosts: hosts.collect(),
            by_client_id: client_ids.filter_map(|(id, it)| Some((estate.text(it.client_id?), id))).collect(),
            short,
            triggers: estate.all::<TriggerId>().map(|(id, _)| estate.id(id)).collect(),
            estate,
        }
    }

    /// The estate.
    pub fn estate(&self) -> &'e Estate {
        self.estate
    }

    /// The endpoint at a host and path that takes a method. One that names the method comes before those that take any;
    /// where several are left, which it was is not known.
    pub(crate) fn endpoint(&self, host: &str, path: &str, method: &str) -> Option<EndpointId> {
        let host = host_of(host);
        let at = match self.hosts.get(host) {
            Some(at) => at,
            None => self.hosts.get(&host.to_ascii_lowercase())?,
        };
        let path = path.split(['?', '#']).next().unwrap_or_default();
        let met = at.paths.meeting(path);
        let methods =
            |id: &EndpointId| self.estate.get(*id).map_or(&[][..], |it| self.estate.list(it.methods));
        let names =
            |id: &EndpointId| methods(id).iter().any(|it| self.estate.text(*it).eq_ignore_ascii_case(method));
        let takes = |id: &EndpointId| methods(id).is_empty() || names(id);
        let mut all: Vec<EndpointId> = met.into_iter().map(|place| at.endpoints[place]).collect();
        all.sort_unstable();
        all.dedup();
        for wanted in [&takes as &dyn Fn(&EndpointId) -> bool, &names] {
            // A method that none takes is still a call of the path.
            if all.len() > 1 && all.iter().any(wanted) {
                all.retain(wanted);
            }
        }
        match all[..] {
            [only] => Some(only),
            _ => None,
        }
    }

    /// Whether a host is one of the estate.
    pub(crate) fn knows_host(&self, host: &str) -> bool {
        self.hosts.contains_key(&host_of(host).to_ascii_lowercase())
    }

    /// An endpoint by its id.
    pub(crate) fn endpoint_named(&self, id: &str) -> Option<EndpointId> {
        let id = id.strip_prefix("endpoint:").unwrap_or(id);
        self.estate.find::<EndpointId>(id).filter(|it| self.estate.get(*it).is_some())
    }

    /// A function by its id, or the part of it after the last slash where that is one function's.
    pub(crate) fn function(&self, name: &str) -> Option<FunctionId> {
        let name = name.strip_prefix("function:").unwrap_or(name);
        let whole = self.estate.find::<FunctionId>(name).filter(|it| self.estate.get(*it).is_some());
        whole.or_else(|| self.short.get(name).copied().flatten())
    }

    /// The endpoint of a function that has just one.
    pub(crate) fn only_endpoint(&self, function: FunctionId) -> Option<EndpointId> {
        match self.estate.endpoints_of(function) {
            [only] => Some(*only),
            _ => None,
        }
    }

    /// Somebody, as the estate writes them; an identity also by its client id, and by its id alone, as people.
    pub(crate) fn who(&self, text: &str) -> Option<String> {
        if matches!(text, "anyone" | "signed-in") {
            return Some(text.to_owned());
        }
        let estate = self.estate;
        if let Some((kind, id)) = text.split_once(':') {
            let is_there = match kind {
                "identity" => estate.find::<IdentityId>(id).is_some_and(|id| estate.get(id).is_some()),
                "user" => estate.find::<UserId>(id).is_some_and(|id| estate.get(id).is_some()),
                "group" => estate.find::<GroupId>(id).is_some_and(|id| estate.get(id).is_some()),
                "key" => estate.find::<KeyId>(id).is_some_and(|id| estate.get(id).is_some()),
                // A service is a name, and nothing that could be missing.
                "service" => is_id(id),
                "outside" => estate.name(id).is_some() && id.contains('/'),
                _ => false,
            };
            if is_there {
                return Some(text.to_owned());
            }
        }
        let by_client = self.by_client_id.get(text).copied();
        let by_id = || estate.find::<IdentityId>(text).filter(|id| estate.get(*id).is_some());
        if let Some(id) = by_client.or_else(by_id) {
            return Some(estate.label(Thing::Identity(id)));
        }
        let user = estate.find::<UserId>(text).filter(|id| estate.get(*id).is_some());
        user.map(|id| estate.label(Thing::User(id)))
    }

    /// A thing that something was done to, if the estate has it.
    pub(crate) fn thing(&self, text: &str) -> Option<Thing> {
        let thing = self.estate.thing(text).filter(|it| self.estate.is_declared(*it));
        thing.or_else(|| {
            let id = self.estate.find::<ResourceId>(text)?;
            self.estate.get(id).map(|_| Thing::Resource(id))
        })
    }

    /// A trigger by its id, or the one of a function on a source.
    pub(crate) fn trigger(&self, text: &str, function: Option<FunctionId>) -> Option<&'e str> {
        let id = text.strip_prefix("trigger:").unwrap_or(text);
        if let Some(known) = self.triggers.get(id) {
            return Some(known);
        }
        let source = self.thing(text)?;
        let triggers = self.estate.triggers_of(function?).iter();
        let mut on = triggers.filter(|it| self.estate.get(**it).is_some_and(|it| it.source == Some(source)));
        match (on.next(), on.next()) {
            (Some(only), None) => Some(self.estate.id(*only)),
            _ => None,
        }
    }

    /// A key or token by its label, if the estate has it.
    pub(crate) fn shown(&self, text: &str) -> bool {
        let Some((kind, id)) = text.split_once(':') else {
            return matches!(text, "nothing" | "unsaid" | "unknown-key");
        };
        match kind {
            "key" => self.estate.find::<KeyId>(id).is_some_and(|id| self.estate.get(id).is_some()),
            "token" => self.estate.find::<TokenId>(id).is_some_and(|id| self.estate.get(id).is_some()),
            "unknown-key" => is_id(id),
            _ => self.who(text).is_some(),
        }
    }

    /// Whether the estate has a scope of that id.
    pub fn has_scope(&self, id: &str) -> bool {
        self.estate.find::<ScopeId>(id).is_some_and(|id| self.estate.get(id).is_some())
    }

    /// The account that something is of.
    pub(crate) fn account(&self, thing: Thing) -> Option<&'e str> {
        match self.estate.account_of(thing) {
            AccountOf::Known(account) => Some(self.estate.id(account)),
            AccountOf::Unnamed | AccountOf::Unknown => None,
        }
    }

    /// From where an address is.
    pub(crate) fn came_from(&self, client: &str) -> CameFrom {
        let bare = client.strip_prefix('[').and_then(|it| it.split(']').next()).unwrap_or(client);
        let address: Option<IpAddr> = bare.parse().ok().or_else(|| bare.rsplit_once(':')?.0.parse().ok());
        match address {
            Some(address) if self.estate.is_inside(&IpNet::from(address)) => CameFrom::Inside,
            Some(_) => CameFrom::Internet,
            None => CameFrom::Unsaid,
        }
    }

    pub(crate) fn endpoint_id(&self, id: EndpointId) -> &'e str {
        self.estate.id(id)
    }
}

fn is_id(text: &str) -> bool {
    pasaporte_read::shown_name(text) == text && !text.is_empty()
}

/// The path of a URL; none is the root.
fn path_of(url: &str) -> &str {
    let rest = url.split_once("://").map_or(url, |(_, rest)| rest);
    rest.find('/').map_or("/", |slash| &rest[slash..])
}
