# Everything has a path: /tenancy/T, /tenancy/T/suite/S, and under those KIND/NAME.
def last: .path | split("/") | .[length - 1];
def scope: split("/") | .[length - 1];
def place: split("/") | (if .[-2] == "tenancy" then "account" else "app" end) + ":" + .[-1];
def thing: sub("/"; ":");
def optional($name; value): (value // null) as $value | if $value == null then {} else {($name): $value} end;

def tenancy:
  {scope: {id: last, kind: "account", in: .division, platform: "poniente", owner: .contact,
    action_case: (if .upperLowerMatters then "counts" else "ignored" end)}};
def suite: {scope: {id: last, kind: "app", in: $parent.tenancy}};
def belonging:
  (.path | split("/")) as $steps
  | {resource: {id: "\($steps[-2]):\($steps[-1])", in: $steps[-3],
      sensitivity: ["public", "internal", "confidential"][.privacy]}};

def duty: {allow: .may} + (if .with then {on: [.with[] | thing]} else {} end);
def title($more):
  {permission_set: ({id: .title, statements: [.duties[] | duty]} + $more + optional("includes"; .also))};

def persona:
  {identity: ({id: .persona, in: (.home | scope), kind: "managed-identity",
    life: (if .kept == "withItsSuite" then "bound" else "standalone" end)} + optional("client_id"; .number))};
def circle: {group: {id: .circle, in: $parent.tenancy, members: [.people[] | "user:\(.)"]}};
def holder: split(" ") as [$sort, $name] | {persona: "identity", circle: "group"}[$sort] + ":" + $name;
def appointment:
  {grant: ({to: (.who | holder), at: (.over | place)}
    + (if .title then {set: .title} else {statements: [duty]} end) + optional("expires"; .until))};
def registration:
  {enrolment: {system: .program, client_id: .number, role: .as, wide: .everything, in: $parent.tenancy}};

def level:
  {open: "none", workerKey: {key: "function"}, suiteKey: {key: "app"}, captainKey: {key: "admin"}}[.level];
# Workers answer below the platform's own address.
def address($worker): if $source.url then {url: "\($source.url)/call/\($worker)\(.route)"} else {} end;
def web($worker):
  {check: level, path: .route} + optional("methods"; .verbs) + optional("network"; .onlyFrom) + address($worker);
def worker:
  {function: ({id: .worker, in: ($parent.suite // $parent.tenancy), runs_as: .persona,
      state: (if .running then "enabled" else "disabled" end)}
    + (if .web then .worker as $worker | {endpoints: [.web | web($worker)]} else {} end)
    + (if .startedBy.timer then {triggers: [{kind: "timer"}]}
       elif .startedBy.belonging then {triggers: [{source: (.startedBy.belonging | thing)}]}
       else {} end))};

# A key's value is shown to nobody here, and would be passed over if it were.
def key($opens; $reach):
  {key: ({id: .label, opens: $opens, reach: (if .captain then "admin" else $reach end)}
    + optional("created"; .made) + optional("rotated"; .turned) + optional("expires"; .ends)
    + (if .off then {state: "disabled"} else {} end)
    + (if .lastSeen then {last_used: .lastSeen}
       elif .watchedFrom then {last_used: "never", observed_since: .watchedFrom} else {} end))};

# Moments are milliseconds here.
def moment: (. / 1000 | floor) | todate;
def deed:
  {time: (.when | moment), who: "identity:\(.persona)", did: .deed, to: (.belonging | split("/") | "\(.[-2]):\(.[-1])"),
   outcome: (if .turnedAway then "refused" else "allowed" end), client: .caller};
