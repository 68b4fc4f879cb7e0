def optional($name; value): (value // null) as $value | if $value == null then {} else {($name): $value} end;
# A bundle is an app; the desk itself is the account.
def place: if . == $parent.desk then "account:\(.)" else "app:\(.)" end;

def desk: {scope: {id: .desk, kind: "account", in: .division, platform: "gregal", owner: .responsible}};
def bundle: {scope: {id: .bundle, kind: "app", in: $parent.desk, runs_as: .role}};
def store: {resource: {id: .store, in: $parent.bundle, sensitivity: .marking}};
def line: {allow: .can} + optional("on"; .on);
def skill($more): {permission_set: ({id: .skill, statements: [.lines[] | line]} + $more)};

def opens:
  {statements: [{allow: ["function/invoke"], on: [.parts[] | "function:\(.)"]}], at: (.inside | place)};
def role:
  {identity: ({id: .role, in: .housed_in,
      kind: (if .for_the_gate then "service-account" else "execution-role" end),
      grants: ([.skills[] | {set: .skill, at: (.inside | place)}] + [.opens // empty | opens])}
    # Parts wear the role of their bundle; the gate's role is the gate's alone.
    + (((if .for_the_gate then [] else ["service:functions"] end) + [.also_worn_by // [] | .[] | "identity:\(.)"])
       | if . == [] then {} else {trust: .} end)
    + (if .passwords then {credentials: [.passwords[] | {id: .called, created: .since, last_used: .used, held_by: .kept_at}]}
       else {} end))};

def wants:
  if startswith("code:") then {key: {part: "function", bundle: "app", desk: "admin"}[ltrimstr("code:")]} else . end;
# Parts and routes answer below the platform's own address.
def address($part):
  if $source.url and .path then {url: "\($source.url)/call/\($part)\(.path)"} else {} end;
def front($part):
  {check: (.wants | wants), network: (if .reach == "inside" then "internal" else "internet" end)}
  + optional("path"; .path) + address($part);
def lets_in:
  if .role then {to: "identity:\(.role)"}
  else {to: "service:\(.machine)"} + (if .of_desk then {when: {account_of_source: .of_desk}} else {} end) end;
def part:
  {function: ({id: .part, in: $parent.bundle} + optional("owner"; .responsible)
    + (if .fronts == [] then {} else {endpoints: [.part as $part | .fronts[] | front($part)]} end)
    + (if .fed_by == "calendar" then {triggers: [{kind: "timer"}]}
       elif .fed_by then {triggers: [{source: .fed_by}]} else {} end)
    + (if .lets_in then {invoke: [.lets_in[] | lets_in]} else {} end))};
def route($gate):
  (.to | split("/")[1]) as $part
  | {endpoint: ({function: $part, gateway: $gate, path, check: (.wants | wants),
      presents: (if .brings.role then {identity: .brings.role} else {key: .brings.code} end)} + address($part))};

def code:
  {key: ({id: .code, opens: (if .for.part then "function:\(.for.part)" else "app:\(.for.bundle)" end),
      reach: ["function", "app", "admin"][.rank - 1], created: .since}
    + optional("expires"; .till) + optional("held_by"; .kept_at)
    + (if .revoked then {state: "disabled"} else {} end)
    + (if .used == "not once" then {last_used: "never"} + optional("observed_since"; .watched_since)
       else optional("last_used"; .used) end))};
