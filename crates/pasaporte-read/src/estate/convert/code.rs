//! Functions, their endpoints and triggers, and what is said of those: contracts and tries.

use pasaporte_core::estate::{
    self as model, Attempt, Came, Contract, ContractId, ContractOf, FunctionId, List, Name, ResourceId,
    State, Thing, Way,
};

use super::permissions::Side;
use super::{Converter, Short, entries};
use crate::estate::choices::{Check, Network, Presents};
use crate::estate::values::{Name as Written, Text, ThingName};
use crate::text::Position;

/// The function that an entry is of.
#[derive(Clone, Copy)]
pub(super) struct Owner<'n> {
    name: &'n str,
    id: FunctionId,
}

impl Converter<'_, '_> {
    pub(super) fn function(&mut self, it: &entries::Function<'_>) {
        let id: FunctionId = self.builder.mention(it.id.text);
        let settings: Short<Name> = it.settings.iter().map(|setting| self.builder.name(setting.0)).collect();
        let settings = self.builder.list(&settings);
        let handed = self.handed(it.handed.0);
        let function = model::Function {
            scope: self.mention(it.scope.as_ref()),
            runtime: self.name(it.runtime.as_ref()),
            state: it.state.map_or(State::Enabled, |word| word.0),
            environment: it.environment.map(|word| word.0),
            owner: self.name(it.owner.as_ref()),
            version: self.name(it.version.as_ref()),
            runs_as: self.mention(it.runs_as.as_ref()),
            settings,
            handed,
            name: self.name(it.name.as_ref()),
            tags: self.tags(&it.tags),
            origin: self.origin(it.at),
        };
        let origin = function.origin;
        self.builder.declare(id, function, origin);
        let owner = Owner { name: it.id.text, id };
        for endpoint in it.endpoints {
            self.endpoint(endpoint, Some(owner));
        }
        for trigger in it.triggers {
            self.trigger(trigger, Some(owner));
        }
        for admission in it.invoke {
            self.admission(admission, Some(Thing::Function(id)), Side::Invoke);
        }
    }

    /// The secrets that a function is handed.
    fn handed(&mut self, all: &[ThingName<'_>]) -> List<ResourceId> {
        let mut handed: Short<ResourceId> = Short::new();
        for named in all {
            if let Thing::Resource(id) = self.thing(named) {
                handed.push(id);
            } else {
                let message = format!("`{}` is not a secret that can be handed over", named.text);
                self.report.wrong_at(named.at, 1, message, "name a resource: secret:ID");
            }
        }
        handed.sort_unstable();
        self.builder.list(&handed)
    }

    /// The function of an entry that may stand within another: the one it stands in, or the one it names.
    fn owner<'n>(
        &mut self,
        outer: Option<Owner<'n>>,
        named: Option<&'n Written<'_>>,
        at: Position,
    ) -> Option<Owner<'n>> {
        match (outer, named) {
            (Some(_), Some(named)) => {
                let message = "`function` does not belong here: it stands within that entry";
                self.report.wrong_at(named.at, 1, message, "take it out");
                None
            }
            (None, None) => {
                self.report.wrong_at(at, 1, "it needs the field `function`", "say whose it is");
                None
            }
            (None, Some(named)) => Some(Owner { name: named.text, id: self.builder.mention(named.text) }),
            (outer, None) => outer,
        }
    }

    pub(super) fn endpoint(&mut self, it: &entries::Endpoint<'_>, outer: Option<Owner<'_>>) {
        let Some(function) = self.owner(outer, it.function.as_ref(), it.at) else { return };
        if it.gateway.is_none() && it.presents.is_some() {
            let help = "name the `gateway`; a direct endpoint has nothing in front of it";
            self.report.wrong_at(it.at, 1, "`presents` without a gateway", help);
            return;
        }
        let id: model::EndpointId = match (&it.id, &it.gateway) {
            (Some(id), _) => self.builder.mention(id.text),
            (None, Some(gateway)) => {
                let path = it.path.map_or("", |path| path.0.strip_prefix('/').unwrap_or(path.0));
                let place = if path.is_empty() { "root" } else { path };
                self.builder.mention(&[function.name, "/", gateway.text, "/", place].concat())
            }
            (None, None) => self.builder.mention(&[function.name, "/direct"].concat()),
        };
        let presents = match &it.presents {
            None | Some(Presents::Nothing) => model::Presents::Nothing,
            Some(Presents::Caller) => model::Presents::Caller,
            Some(Presents::Identity(id)) => model::Presents::Identity(self.builder.mention(id.text)),
            Some(Presents::Key(id)) => model::Presents::Key(self.builder.mention(id.text)),
            Some(Presents::Service(name)) => model::Presents::Service(self.builder.name(name.text)),
        };
        let methods: Short<Name> = it.methods.0.iter().map(|method| self.method(*method)).collect();
        let methods = self.builder.list(&methods);
        let endpoint = model::Endpoint {
            function: function.id,
            way: match &it.gateway {
                None => Way::Direct,
                Some(gateway) => Way::Route { gateway: self.builder.name(gateway.text), presents },
            },
            check: match &it.check {
                Check::None => model::Check::None,
                Check::Identity => model::Check::Identity,
                Check::Key(reach) => model::Check::Key(*reach),
                Check::Token(verifier) => model::Check::Token(self.builder.mention(verifier.text)),
            },
            network: match &it.network {
                None | Some(Network::Internet) => model::Network::Internet,
                Some(Network::Internal) => model::Network::Internal,
                Some(Network::Listed(nets)) => model::Network::Listed(nets.iter().map(|net| net.0).collect()),
            },
            methods,
            path: self.name(it.path.map(|path| Text(path.0)).as_ref()),
            url: self.name(it.url.as_ref().map(|url| &url.0)),
            keys_in: self.list(it.keys_in.0),
            allowed_origins: self.list(it.allowed_origins.0),
            allows_credentials: it.allows_credentials,
            state: it.state.map_or(State::Enabled, |word| word.0),
            origin: self.origin(it.at),
        };
        let origin = endpoint.origin;
        self.builder.declare(id, endpoint, origin);
    }

    /// An HTTP method, in upper case however it is written.
    pub(super) fn method(&mut self, method: Text<'_>) -> Name {
        if method.0.bytes().all(|byte| byte.is_ascii_uppercase()) {
            return self.builder.name(method.0);
        }
        self.builder.name(&method.0.to_uppercase())
    }

    pub(super) fn trigger(&mut self, it: &entries::Trigger<'_>, outer: Option<Owner<'_>>) {
        let Some(function) = self.owner(outer, it.function.as_ref(), it.at) else { return };
        let source = it.source.as_ref();
        let kind = match (&it.kind, source) {
            (Some(kind), _) => kind.text,
            (None, Some(source)) => source.kind,
            (None, None) => {
                let help = "say what it runs on: `source: queue:ID`, or `kind: timer`";
                self.report.wrong_at(it.at, 1, "a trigger needs `source` or `kind`", help);
                return;
            }
        };
        let id: model::TriggerId = if let Some(id) = &it.id {
            self.builder.mention(id.text)
        } else {
            let on = source.map_or(kind, |source| source.text);
            self.builder.mention(&[function.name, "/on/", on].concat())
        };
        let source = source.map(|source| self.thing(source));
        let trigger = model::Trigger {
            function: function.id,
            source,
            kind: self.builder.name(kind),
            filter: self.name(it.filter.as_ref()),
            state: it.state.map_or(State::Enabled, |word| word.0),
            header: self.name(it.header.as_ref()),
            origin: self.origin(it.at),
        };
        let origin = trigger.origin;
        self.builder.declare(id, trigger, origin);
    }

    pub(super) fn contract(&mut self, it: &entries::Contract<'_>) {
        let of = match (&it.gateway, &it.function) {
            (Some(gateway), None) => ContractOf::Gateway(self.builder.name(gateway.text)),
            (None, Some(function)) => ContractOf::Function(self.builder.mention(function.text)),
            _ => {
                let message = "a contract is of one `gateway` or of one `function`";
                self.report.wrong_at(it.at, 1, message, "name one of them");
                return;
            }
        };
        let contract = Contract {
            of,
            document: self.builder.name(it.document.0),
            operations: Vec::new(),
            unread: Vec::new(),
            origin: self.origin(it.at),
        };
        let id: ContractId = self.builder.mention(it.id.text);
        let origin = contract.origin;
        self.builder.declare(id, contract, origin);
    }

    pub(super) fn attempt(&mut self, it: &entries::Attempt<'_>) {
        let came = match (it.status, &it.failed) {
            (Some(status), None) if (100..=599).contains(&status) => Came::Status(status as u16),
            (None, Some(why)) => Came::Nothing(self.builder.name(why.0)),
            _ => {
                let help = "write the HTTP `status`, from 100 to 599, or why the try `failed`";
                self.report.wrong_at(it.at, 1, "a try has one outcome", help);
                return;
            }
        };
        let attempt = Attempt {
            endpoint: self.builder.mention(it.endpoint.0),
            method: self.method(it.method),
            at: it.when.0,
            came,
            origin: self.origin(it.at),
        };
        self.builder.attempt(attempt);
    }
}
