# A node is REACH, REACH/SORT/NAME, or ^NAME for what lies above all reaches.
def name: .node | split("/")[2];
def place:
  if startswith("^") then (ltrimstr("^") | if . == "marivela" then "organization:\(.)" else "folder:\(.)" end)
  else split("/") as $steps
  | if ($steps | length) == 1 then "account:\(.)"
    elif $steps[1] == "task" then "function:\($steps[2])"
    else "\($steps[1]):\($steps[2])" end
  end;

def reach:
  {scope: {id: .node, kind: "account", in: .above, platform: "tramontana", owner: .keeper,
    cross_account: "one-side", runs_as: .stand_in_agent}};
def words: {permission_set: {id: .right, origin: "platform", statements: [{allow: .words}]}};
def thing:
  {resource: {id: (.node | place), in: $parent.reach,
    sensitivity: {chart: "public", log: "internal", sealed: "confidential"}[.openness]}};
def agent:
  {identity: ({id: name, in: $parent.reach, kind: "service-account", default: (.given_to_all // false)}
    + (if .lends_itself_to then {trust: .lends_itself_to} else {} end))};

def holder:
  if . == "anyone" or . == "signed-in" then .
  else split(" ") as [$sort, $name]
  | {agent: "identity", person: "user", circle: "group"}[$sort] + ":" + $name end;
def right:
  {grant: ({to: (.holder | holder), at: (.node | place)}
    + (if .right then {set: .right} else {statements: [{allow: .words}]} end))};

# Tasks answer below the platform's own address.
def url($task): if $source.url then {url: "\($source.url)/call/\($task)\(.path)"} else {} end;
def address($task):
  {check: ({any: "none", marked: {key: "function"}}[.visitor] // "identity"), path}
  + (if .verbs then {methods: .verbs} else {} end) + url($task);
def wakes: if . == "tide-clock" then {kind: "timer"} else {source: sub("/"; ":")} end;
def lets_in: {to: .holders} + (if .if then {when: .if} else {} end);
def task:
  {function: ({id: name, in: $parent.reach}
    + (if .agent then {runs_as: .agent} else {} end)
    + (if .address then name as $task | {endpoints: [.address | address($task)]} else {} end)
    + (if .wakes_on then {triggers: [(.wakes_on | wakes) + (if .asleep then {state: "disabled"} else {} end)]} else {} end)
    + (if .rights then {invoke: [.rights[] | lets_in]} else {} end))};
def mark:
  {key: ({id: .mark, opens: "function:\($parent.task)", reach: "function", created: .made, last_used: .seen}
    + (if .ends then {expires: .ends} else {} end))};

def visit:
  {time: (.second | todate), host, path, method: .verb, status: .gave, client: .from}
  + (if .shown == [] then {showed: "nothing"} else {} end);
def trace:
  {time: (.second | todate), who: "identity:\(.agent)", did: .word, to: (.node | place),
   outcome: (if .held then "allowed" else "refused" end), client: .from};
