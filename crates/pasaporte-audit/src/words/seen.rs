//! What was seen in use, in words: who used a door, and whom closing it would turn away.

use jiff::Timestamp;

use pasaporte_core::estate::{ActionClass, EndpointId, FunctionId, Outcome, Principal, Showed, Thing};
use pasaporte_core::usage::{Callers, Logged, Sum, Window};

use super::phrases::{capitalised, grouped, listed};
use crate::Audit;

/// The day of a time.
pub(super) fn day(time: Timestamp) -> String {
    time.strftime("%Y-%m-%d").to_string()
}

/// "in 90 days of logs to 2026-11-18"
pub(super) fn over(window: &Window) -> String {
    let days = window.days();
    format!("in {days} {} of logs to {}", if days == 1 { "day" } else { "days" }, day(window.to))
}

/// Who was seen to use an endpoint, and whom closing it would turn away, as a sentence.
pub(super) fn at_endpoint(audit: &Audit<'_>, id: EndpointId) -> String {
    let function = audit.estate().get(id).map(|it| it.function);
    told(audit, &audit.estate().callers_seen(id), audit.calls_logged(id), function)
}

/// Who was seen to make a function run, whichever way they came.
pub(super) fn at_function(audit: &Audit<'_>, id: FunctionId) -> String {
    let scope = audit.estate().scope_of(Thing::Function(id));
    let window = audit.estate().logged(scope, Logged::Action(pasaporte_core::access::INVOKE));
    told(audit, &audit.estate().callers_of(id), window, Some(id))
}

/// Who was seen to write to a source, as a sentence; nothing where no log says so.
pub(super) fn at_source(audit: &Audit<'_>, source: Thing) -> String {
    let (estate, effects) = (audit.estate(), audit.effects());
    let writes = estate.uses_on(source).filter(|it| {
        let class = effects.catalogue().class(estate.text(it.did), effects.dialect(source));
        it.outcome == Outcome::Allowed && matches!(class, None | Some(ActionClass::Write))
    });
    let mut who: Vec<String> = writes.map(|it| estate.principal_label(it.who)).collect();
    who.sort_unstable();
    who.dedup();
    if who.is_empty() { String::new() } else { format!(" Seen to write to it: {}.", listed(&who)) }
}

fn told(
    audit: &Audit<'_>,
    callers: &Callers,
    window: Option<Window>,
    function: Option<FunctionId>,
) -> String {
    let environment = function.and_then(|function| audit.environment(function));
    let enough = window.is_some_and(|window| audit.is_enough(&window, environment));
    let turned = match callers.turned_away.count {
        0 => String::new(),
        1 => " One call was turned away.".to_owned(),
        count => format!(" {} calls were turned away.", grouped(count)),
    };
    let sentence = match (window, callers.all.count) {
        (None, 0) if callers.turned_away.count == 0 => {
            return " Nobody looked who calls it.".to_owned();
        }
        (Some(window), 0) if enough => {
            format!(" {} no call got through: closing it turns away nobody seen.", span(Some(window)))
        }
        (Some(window), 0) => {
            format!(" {} no call got through, which is too short to tell.", span(Some(window)))
        }
        (None, 0) => String::new(),
        (window, _) => some(audit, callers, window, enough),
    };
    sentence + &turned
}

/// "In 90 days of logs to 2026-11-18,", to begin a sentence with; "In the logs that were read," where no time is said.
fn span(window: Option<Window>) -> String {
    window
        .map_or_else(|| "In the logs that were read,".to_owned(), |window| capitalised(&over(&window)) + ",")
}

fn some(audit: &Audit<'_>, callers: &Callers, window: Option<Window>, enough: bool) -> String {
    let all = callers.all.count;
    let anyone = callers.by.get(&Showed::Principal(Principal::Anyone));
    let bare = callers.bare().map_or(0, |sum| sum.count) + anyone.map_or(0, |sum| sum.count);
    let unsaid = callers.unsaid();
    let span = span(window);
    if bare > 0 {
        let which = callers.bare().or(anyone).map_or_else(String::new, when_and_whence);
        let others = match all - bare - unsaid {
            0 => String::new(),
            others => format!(" {} more showed {}.", calls(others), credentials(audit, callers)),
        };
        let them = if bare == 1 { "it" } else { "them" };
        return format!(
            " {span} {} showed nothing{which}: closing it turns {them} away.{others}{}",
            calls(bare),
            silent(unsaid),
        );
    }
    if unsaid > 0 {
        let they = if unsaid == 1 { "it" } else { "they" };
        let of_them =
            if unsaid == all { "of which".to_owned() } else { format!("and of {}", grouped(unsaid)) };
        return format!(
            " {span} {} came{}, {of_them} the log does not say what {they} showed.",
            calls(all),
            when_and_whence(&callers.all),
        );
    }
    let subject = if all == 1 { "the one call".to_owned() } else { format!("all {} calls", grouped(all)) };
    let shown = credentials(audit, callers);
    let then = match window {
        Some(_) if enough => ": closing it turns away nobody seen",
        Some(_) => ", but that is too short to tell",
        None => "; which time the logs cover is not said",
    };
    format!(" {span} {subject} showed {shown}{then}.")
}

fn silent(unsaid: u64) -> String {
    if unsaid == 0 {
        String::new()
    } else {
        format!(" Of {} more the log does not say what they showed.", grouped(unsaid))
    }
}

/// ", the last on 2026-11-18, from 3 clients"
pub(super) fn when_and_whence(sum: &Sum) -> String {
    let last = sum.last.map_or_else(String::new, |last| format!(", the last on {}", day(last)));
    last + &clients(sum).map_or_else(String::new, |clients| format!(", from {clients}"))
}

/// "3 clients", "16 clients or more".
pub(super) fn clients(sum: &Sum) -> Option<String> {
    let (clients, more) = sum.clients()?;
    let more = if more { " or more" } else { "" };
    Some(if clients == 1 && more.is_empty() {
        "1 client".to_owned()
    } else {
        format!("{clients} clients{more}")
    })
}

/// What callers showed, but for nothing: "key:sell-key", "a key that the estate does not know and a token".
fn credentials(audit: &Audit<'_>, callers: &Callers) -> String {
    let shown = callers.by.keys().filter_map(|showed| credential(audit, *showed));
    let mut all: Vec<String> = shown.collect();
    all.sort_unstable();
    all.dedup();
    listed(&all)
}

/// What a caller showed, in words; none for nothing, and where that is not said.
pub(super) fn credential(audit: &Audit<'_>, showed: Showed) -> Option<String> {
    let estate = audit.estate();
    Some(match showed {
        Showed::Unsaid | Showed::Nothing | Showed::Principal(Principal::Anyone) => return None,
        Showed::Key(id) => estate.label(Thing::Key(id)),
        Showed::Token(id) => estate.label(Thing::Token(id)),
        Showed::UnknownKey(_) => "a key that the estate does not know".to_owned(),
        Showed::Issued(Some(issuer), _) => format!("a token of {}", estate.text(issuer)),
        Showed::Issued(None, _) => "a token".to_owned(),
        Showed::Principal(who) => estate.principal_label(who),
    })
}

/// "1 call", "9,120 calls".
pub(super) fn calls(count: u64) -> String {
    format!("{} {}", grouped(count), if count == 1 { "call" } else { "calls" })
}
