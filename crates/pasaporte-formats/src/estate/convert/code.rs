//! Functions, their endpoints and triggers, and what is said of those: contracts and tries.

use pasaporte_core::estate::{
    self as model, Attempt, Came, Contract, ContractId, ContractOf, FunctionId, Name, State, Thing, Way,
};

use super::{Converter, Short, Side, entries};
use crate::estate::choices::{Check, Network, Presents};
use crate::estate::values::{Name as Written, kind_and_id};
use crate::text::Position;

impl Converter<'_, '_> {
    pub(super) fn function(&mut self, it: &entries::Function<'_>) {
        let id: FunctionId = self.builder.mention(it.id.text);
        let settings: Short<Name> = it.settings.iter().map(|setting| self.builder.name(setting.0)).collect();
        let settings = self.builder.list(&settings);
        let function = model::Function {
            scope: self.mention(it.scope.as_ref()),
            runtime: self.name(it.runtime.as_ref()),
            state: it.state.map_or(State::Enabled, |word| word.0),
            environment: it.environment.map(|word| word.0),
            owner: self.name(it.owner.as_ref()),
            version: self.name(it.version.as_ref()),
            runs_as: self.mention(it.runs_as.as_ref()),
            settings,
            tags: self.tags(&it.tags),
            origin: self.origin(it.at),
        };
        let origin = function.origin;
        self.builder.declare(id, function, origin);
        for endpoint in it.endpoints {
            self.endpoint(endpoint, Some(&it.id));
        }
        for trigger in it.triggers {
            self.trigger(trigger, Some(&it.id));
        }
        for admission in it.invoke {
            self.admission(admission, Some(Thing::Function(id)), Side::Invoke);
        }
    }

    /// The owner of an entry that may stand within another: the one it stands in, or the one it names.
    fn within<'n, 'a>(
        &mut self,
        outer: Option<&'n Written<'a>>,
        named: Option<&'n Written<'a>>,
        field: &str,
        at: Position,
    ) -> Option<&'n Written<'a>> {
        match (outer, named) {
            (Some(_), Some(named)) => {
                let message = format!("`{field}` does not belong here: it stands within that entry");
                self.report.wrong_at(named.at, 1, message, "take it out");
                None
            }
            (None, None) => {
                self.report.wrong_at(at, 1, format!("it needs the field `{field}`"), "say whose it is");
                None
            }
            (outer, named) => outer.or(named),
        }
    }

    pub(super) fn endpoint(&mut self, it: &entries::Endpoint<'_>, outer: Option<&Written<'_>>) {
        let Some(function) = self.within(outer, it.function.as_ref(), "function", it.at) else { return };
        let path = it.path.as_ref().map(|path| path.0.trim_start_matches('/'));
        let id = match (&it.id, &it.gateway) {
            (Some(id), _) => id.text.to_string(),
            (None, Some(gateway)) => {
                let place = path.filter(|path| !path.is_empty()).unwrap_or("root");
                format!("{}/{}/{place}", function.text, gateway.text)
            }
            (None, None) => format!("{}/direct", function.text),
        };
        if it.gateway.is_none() && it.presents.is_some() {
            let help = "name the `gateway`; a direct endpoint has nothing in front of it";
            self.report.wrong_at(it.at, 1, "`presents` without a gateway", help);
            return;
        }
        let function: FunctionId = self.builder.mention(function.text);
        let presents = match &it.presents {
            None | Some(Presents::Nothing) => model::Presents::Nothing,
            Some(Presents::Caller) => model::Presents::Caller,
            Some(Presents::Identity(id)) => model::Presents::Identity(self.builder.mention(id.text)),
            Some(Presents::Key(id)) => model::Presents::Key(self.builder.mention(id.text)),
        };
        let methods: Short<Name> =
            it.methods.0.iter().map(|method| self.builder.name(&method.0.to_uppercase())).collect();
        let methods = self.builder.list(&methods);
        let endpoint = model::Endpoint {
            function,
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
            path: self.name(it.path.as_ref()),
            url: self.name(it.url.as_ref().map(|url| &url.0)),
            allowed_origins: self.list(it.allowed_origins.0),
            allows_credentials: it.allows_credentials,
            state: it.state.map_or(State::Enabled, |word| word.0),
            origin: self.origin(it.at),
        };
        let id: model::EndpointId = self.builder.mention(&id);
        let origin = endpoint.origin;
        self.builder.declare(id, endpoint, origin);
    }

    pub(super) fn trigger(&mut self, it: &entries::Trigger<'_>, outer: Option<&Written<'_>>) {
        let Some(function) = self.within(outer, it.function.as_ref(), "function", it.at) else { return };
        let source = it.source.as_ref();
        let kind = match (&it.kind, source) {
            (Some(kind), _) => kind.text.to_string(),
            (None, Some(source)) => kind_and_id(source.text).0.to_owned(),
            (None, None) => {
                let help = "say what it runs on: `source: queue:ID`, or `kind: timer`";
                self.report.wrong_at(it.at, 1, "a trigger needs `source` or `kind`", help);
                return;
            }
        };
        let id = it.id.as_ref().map_or_else(
            || format!("{}/on/{}", function.text, source.map_or(kind.as_str(), |source| source.text)),
            |id| id.text.to_string(),
        );
        let function: FunctionId = self.builder.mention(function.text);
        let source = source.map(|source| self.thing(source));
        let trigger = model::Trigger {
            function,
            source,
            kind: self.builder.name(&kind),
            filter: self.name(it.filter.as_ref()),
            state: it.state.map_or(State::Enabled, |word| word.0),
            header: self.name(it.header.as_ref()),
            origin: self.origin(it.at),
        };
        let id: model::TriggerId = self.builder.mention(&id);
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
            endpoint: self.builder.mention(it.endpoint.text),
            method: self.builder.name(&it.method.0.to_uppercase()),
            at: it.when.0,
            came,
            origin: self.origin(it.at),
        };
        self.builder.attempt(attempt);
    }
}
