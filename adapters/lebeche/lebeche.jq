# Stores are written KIND.NAME.
def colon: sub("\\."; ":");
def optional($name; value): (value // null) as $value | if $value == null then {} else {($name): $value} end;

def site: {scope: {id: .site, kind: "account", in: .division, platform: "lebeche", owner: .owner}};
def store:
  {resource: {id: (.store | colon), in: $parent.site,
    sensitivity: {all: "public", staff: "internal", few: "confidential"}[.seen_by]}};
def gatekeeper:
  {verifier: ({id: .gatekeeper, in: $parent.site, issuers: .accepts.iss, checks_signature: .verifies}
    + optional("audiences"; .accepts.aud) + optional("algorithms"; .accepts.alg))};
def pass:
  {token: {id: .pass, issuer: .claims.iss, audiences: .claims.aud, algorithm: .alg, public: .in_every_page,
    issued: .claims.iat, expires: .claims.exp}};

def tool: {allow: .does} + (if .on then {on: [.on[] | colon]} else {} end);
def kit($more): {permission_set: ({id: .kit, statements: [.tools[] | tool]} + $more)};
def worker: {identity: {id: .worker, in: $parent.site, kind: "service-account"}};
def holding:
  {grant: ({to: "identity:\(.worker)", at: (if .on == "site" then "account:\($parent.site)" else .on | colon end)}
    + (if .kit then {set: .kit} else {statements: [{allow: .tools}]} end))};

def guard: if .guard then {token: .guard} elif .site_key then {key: "app"} else "none" end;
# Edges answer below the platform's own address.
def address($edge): if $source.url then {url: "\($source.url)/call/\($edge)\(.path)"} else {} end;
def url($edge): {check: guard, path} + optional("methods"; .verbs) + address($edge);
def hook:
  {source: (.on | colon)}
  + (if .event == "row-change" then {kind: "database-change"} else {} end) + optional("header"; .sends);
def machine: {to: "service:\(.machine)"} + (if .of_site then {when: {account_of_source: .of_site}} else {} end);
def edge:
  {function: ({id: .edge, in: $parent.site, runs_as: .worker}
    + (if .url then .edge as $edge | {endpoints: [.url | url($edge)]} else {} end)
    + (if .hook then {triggers: [.hook | hook]} else {} end)
    + (if .machines then {invoke: [.machines[] | machine]} else {} end))};
def key:
  {key: ({id: .key, created: .born,
      opens: (if .unlocks == "site" then "account:\($parent.site)" else "function:" + (.unlocks | ltrimstr("edge ")) end),
      reach: (if .all_powerful then "admin" elif .unlocks == "site" then "app" else "function" end)}
    + optional("expires"; .dies)
    + (if .seen == "never" then {last_used: "never"} + optional("observed_since"; .watched)
       else optional("last_used"; .seen) end))};
