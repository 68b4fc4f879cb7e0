# A grade is a number on a ladder of its kind; each includes those below it.
def set($kind; $called):
  if $kind == "function" then "siroco-invoke" else "siroco-\($kind)-\($called)" end;
def ladder: {berth: ["look", "assign", "rule"], roster: ["look", "change", "rule"], function: ["invoke"]};
def held: set(.kind; ladder[.kind][.grade - 1]);
# Each grade with the one below it.
def in_order: . as $all | .[] | . as $it
  | $it + {below: ([$all[] | select(.kind == $it.kind and .grade == $it.grade - 1)][0].called)};

def grade:
  {permission_set: ({id: set(.kind; .called), origin: "platform",
      statements: [{allow: [.kind as $kind | .adds[] | "\($kind)/\(.)"]}
        + (if .kind == "function" then {on: ["function:*"]} else {} end)]}
    + (if .below then {includes: [set(.kind; .below)]} else {} end))};
def basin: {scope: {id: .basin, kind: "account", in: .division, platform: "siroco", owner: .led_by}};
def area:
  {scope: ({id: .area, kind: "app", in: $parent.basin} + (if .led_by then {owner: .led_by} else {} end))};
def thing:
  {resource: {id: "\(.kind):\(.name)", in: $parent.area,
    sensitivity: {inside: "internal", close: "confidential"}[.guarded]}};

def rule:
  {in: (if .area == "*" then $parent.basin else .area end)}
  + (if .wearing then {tag: (.wearing | to_entries[0] | "\(.key)=\(.value)")} else {} end)
  + (if .called then {named: .called} else {} end);
def within: if .within == "*" then "account:\($parent.basin)" else "app:\(.within)" end;
def crew:
  {group: {id: .crew, in: $parent.basin, rule: (.matches | rule), grants: [.holds[] | {set: held, at: within}]}};

# Hands answer below the platform's own address.
def address($hand): if $source.url then {url: "\($source.url)/call/\($hand)\(.path)"} else {} end;
def window($hand):
  {check: (if .shown_to == "passers-by" then "none" else "identity" end), path}
  + (if .pages then {allowed_origins: .pages, allows_credentials: (.with_cookies // false)} else {} end)
  + (if .verbs then {methods: .verbs} else {} end) + address($hand);
def hears: if .bell then {kind: "timer"} else {source: "\(.kind):\(.name)"} end;
def lets_in:
  {to: (if .members == "all" then "signed-in" else .members end)}
  + (if .when_rule then {when: {opaque: .when_rule}} else {} end);
# A hand acts as itself: it is a function and an identity of the same name.
def hand:
  {identity: {id: .hand, in: $parent.area, kind: "managed-identity", life: "bound"}},
  {function: ({id: .hand, in: $parent.area, runs_as: .hand}
    + (if .wears then {tags: .wears} else {} end)
    + (if .window then .hand as $hand | {endpoints: [.window | window($hand)]} else {} end)
    + (if .hears then {triggers: [.hears | hears]} else {} end)
    + (if .also_lets_in then {invoke: [.also_lets_in[] | lets_in]} else {} end))};

# Whoever comes to a window shows nothing, or is written down by name.
def entry:
  if .hand then {time: .on, who: "identity:\(.hand)", did}
  else (.window | capture("^(?<host>[^/]*)(?<path>.*)$")) as $at
  | {time: .on, host: $at.host, path: $at.path, method: .verb, status: .answered, showed: "nothing", client: .passer_by}
  end;
