# Names are written `sort>name` here, and actions with a dot.
def colon: sub(">"; ":");
def slash: sub("\\."; "/");
def sorts: {yard: "account", badge: "identity"};
def ref: split(">") as [$sort, $name] | "\(sorts[$sort] // $sort):\($name)";
def who: if . == "+" then "signed-in" elif . == "*" then "anyone" else ref end;

def clause:
  (if .forbids then {deny: [.forbids[] | slash]} else {allow: [.permits[] | slash]} end)
  + (if .upon then {on: [.upon[] | colon]} else {} end);

# What must hold: each fact with one test.
def fact:
  {source: "source_resource", "source-yard": "account_of_source", "caller-yard": "caller_account",
   proof: "outside_proof"}[.fact] as $attribute
  | if $attribute == null then {opaque: tojson}
    elif .shaped then {($attribute): {like: (.shaped | colon)}}
    elif .given then {($attribute): {present: true}}
    elif .is then {($attribute): (.is | colon)}
    else {opaque: tojson} end;
def when: if .provided then {when: ([.provided[] | fact] | add)} else {} end;

def yard: {scope: {id: .yard, kind: "account", in: .fleet, platform: "levante", owner: .crew}};
def stall: {resource: {id: (.stall | colon), in: $parent.yard, sensitivity: .label}};
def charter($more):
  {permission_set: ({id: .charter, statements: [.clauses[] | clause]} + $more
    + (if .extends then {includes: .extends} else {} end))};

def at: if .ground then {at: (.ground | ref)} else {} end;
def badge:
  {identity: {id: .badge, in: $parent.yard, kind: "execution-role",
    grants: ([.charters[] | {set: .charter} + at] + [.clauses[] | {statements: [.says[] | clause]} + at])}};
def wearer: {trusted: ({on: "identity:\($parent.badge)", to: [.who[] | who]} + when)};
def lid: {ceiling: {id: .lid, over: [.over[] | ref], statements: [.clauses[] | clause]}};

def craft_id: .craft | split("/")[1];
# Crafts answer below the platform's own address.
def address($craft): if $source.url then {url: "\($source.url)/call/\($craft)\(.path)"} else {} end;
def hatch($craft):
  {check: (if .asks == "nothing" then "none" elif .asks == "badge" then "identity" else .asks end),
   path, network: (if .side == "quay" then "internal" else "internet" end)}
  + (if .verbs then {methods: .verbs} else {} end) + address($craft);
def spark:
  (if .by == "clock" then {kind: "timer"} else {source: (.stall | colon)} end)
  + (if .matching then {filter: .matching} else {} end);
def craft:
  {function: ({id: craft_id, in: $parent.yard, runtime: "\(.engine.language) \(.engine.version)",
    runs_as: .badge, endpoints: [craft_id as $craft | .hatches[] | hatch($craft)], triggers: [.sparks[] | spark]}
    + (if .dials then {settings: .dials} else {} end))};
def caller: {invoke_permission: ({on: "function:\($parent.craft)", to: [.who[] | who]} + when)};

# What is behind a footprint: a badge at a stall, or what made a craft run.
def behind: {queue: "service:queue", bucket: "service:object-store", clock: "service:timer"};
def footprint:
  {time: .at}
  + (if .craft then
      {who: behind[.spark | split(">")[0]], did: "function/invoke", to: "function:\(.craft)",
       through: (if .spark == "clock" then "trigger:\(.craft)/on/timer" else .spark | colon end)}
     else
      {who: "identity:\(.badge)", did: (.did | slash), to: (.stall | colon), client: .from,
       outcome: (if .let then "allowed" else "refused" end)}
     end);
# Nothing that is done in a yard to these leaves no footprint.
def steps:
  {in: $parent.yard, actions: ["table/*", "bucket/*", "queue/*", "topic/*", "function/*", "access/*"],
   from: $range.from, to: $range.to};
