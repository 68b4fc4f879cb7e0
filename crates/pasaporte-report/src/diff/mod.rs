//! What opened and closed between two estates, or two audits that were saved: ways in, rights, keys, settings, findings, each with
//! its place on both sides. Of saved audits only the findings are there to compare, and that is said.

mod findings;
mod markdown;
mod settings;
mod words;

use pasaporte_audit::Audit;
use pasaporte_core::access::Verdict;
use pasaporte_core::diff::{Diff, Right, WayChanged};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{ActionClass, Estate, Origin};
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::Serialize;

use crate::{LookedAt, PlaceOut};

pub use findings::{Brief, Compared, Found};
pub use markdown::markdown;
pub use settings::{ChangedOut, Settings, ThingOut};
pub use words::{Line, Mark, Part, parts};

/// What opened and closed.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte diff, version 1")]
pub struct DiffOut {
    /// The version of this output.
    pub diff: u64,
    /// The old side.
    pub old: SideOut,
    /// The new side.
    pub new: SideOut,
    /// What differs of the estates; null where one of the two is an audit that was saved.
    pub estates: Option<EstatesOut>,
    /// What differs of the findings.
    pub findings: Compared,
}

/// One of the two.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct SideOut {
    /// Its file or folder.
    pub name: String,
    /// When it was true (RFC 3339); null where it does not say.
    pub as_of: Option<String>,
    /// How many functions it has.
    pub functions: usize,
    /// How many things could not be seen or understood.
    pub blind_spots: usize,
}

/// What differs of two estates.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EstatesOut {
    /// Ways in that opened, closed, or are wider or narrower, by function.
    pub ways: Vec<WayOut>,
    /// Rights gained and lost, in effect, by principal: one action of each sort that either side's statements tell apart.
    pub rights: Vec<RightOut>,
    /// Principals whose rights were not compared, since that would take too long.
    pub not_compared: Vec<String>,
    /// Whether all sorts of actions were told apart within the bound on work.
    pub complete: bool,
    /// Things that were made, gone, or set otherwise.
    pub settings: Settings,
}

/// A way in that is not what it was.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct WayOut {
    /// Whether more get in than did.
    pub opened: bool,
    /// Into which function.
    pub function: String,
    /// By what: an endpoint or a trigger, or `invoking`.
    pub through: String,
    /// Who.
    pub who: String,
    /// Before; null where they did not get in.
    pub was: Option<CircleOut>,
    /// After; null where they do not get in.
    pub now: Option<CircleOut>,
    /// Where the way, or the function, stands on the old side.
    pub was_at: Option<PlaceOut>,
    /// The same on the new side.
    pub now_at: Option<PlaceOut>,
}

/// In which circle somebody gets in.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct CircleOut {
    /// The widest.
    pub circle: Word<Exposure>,
    /// Surely, or depending on something.
    pub verdict: Word<Verdict>,
}

/// A right that is not what it was.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct RightOut {
    /// Whose.
    pub principal: String,
    /// On what; of things that may yet be made their kind and place: `table at account:pier`.
    pub on: String,
    /// Whether it is about things that may yet be made.
    pub on_new: bool,
    /// The action; of a wildcard, one that it takes.
    pub action: String,
    /// Its class; null where no line of the catalogue knows it.
    pub class: Option<Word<ActionClass>>,
    /// Whether it stands for others of its class that nobody named.
    pub is_wild: bool,
    /// Whether anyone, or any signed-in caller, has it just so.
    pub as_everybody: bool,
    /// The answer before.
    pub was: Word<Verdict>,
    /// The answer after.
    pub now: Word<Verdict>,
    /// The statement that the answer before rests on.
    pub was_by: Option<PlaceOut>,
    /// The statement that the answer after rests on.
    pub now_by: Option<PlaceOut>,
}

impl DiffOut {
    /// What differs.
    pub fn new([old, new]: [SideOut; 2], estates: Option<EstatesOut>, findings: Compared) -> Self {
        Self { diff: crate::VERSION, old, new, estates, findings }
    }
}

impl SideOut {
    /// A side that was looked at.
    pub fn new(name: String, looked_at: &LookedAt) -> Self {
        Self {
            name,
            as_of: looked_at.as_of.clone(),
            functions: looked_at.things.get("functions").copied().unwrap_or_default(),
            blind_spots: looked_at.blind_spots,
        }
    }
}

impl RightOut {
    /// Whether it is more than it was.
    pub fn is_gained(&self) -> bool {
        self.now.0 > self.was.0
    }
}

impl EstatesOut {
    /// What differs of two estates.
    pub fn new(old: &Audit<'_>, new: &Audit<'_>) -> Self {
        let diff = Diff::new(old.effects(), new.effects());
        let rights = diff.rights();
        let (before, after) = (old.estate(), new.estate());
        Self {
            ways: diff.ways().into_iter().map(|way| WayOut::new(way, before, after)).collect(),
            rights: rights.all.into_iter().map(|right| RightOut::new(right, before, after)).collect(),
            not_compared: rights.not_compared.into_iter().map(String::from).collect(),
            complete: rights.complete,
            settings: Settings::new(old, new),
        }
    }

    /// Whether nothing differs.
    pub fn is_nothing(&self) -> bool {
        self.ways.is_empty() && self.rights.is_empty() && self.settings.is_nothing()
    }
}

impl WayOut {
    fn new(way: WayChanged, old: &Estate, new: &Estate) -> Self {
        let place = |estate: &Estate| {
            let of = |label: &str| estate.thing(label).and_then(|thing| estate.origin(thing));
            of(&way.through).or_else(|| of(&way.function)).map(|origin| PlaceOut::new(estate, origin))
        };
        let circle = |it: (Exposure, Verdict)| CircleOut { circle: Word(it.0), verdict: Word(it.1) };
        Self {
            opened: way.opened(),
            was_at: place(old),
            now_at: place(new),
            was: way.was.map(circle),
            now: way.now.map(circle),
            function: way.function,
            through: way.through,
            who: way.who,
        }
    }
}

impl RightOut {
    fn new(it: Right, old: &Estate, new: &Estate) -> Self {
        let place = |estate: &Estate, origin: Option<Origin>| Some(PlaceOut::new(estate, origin?));
        Self {
            principal: it.principal.into(),
            on: it.on.into(),
            on_new: it.on_new,
            action: it.action.into(),
            class: it.class.map(Word),
            is_wild: it.is_wild,
            as_everybody: it.as_everybody,
            was: Word(it.was),
            now: Word(it.now),
            was_by: place(old, it.was_by),
            now_by: place(new, it.now_by),
        }
    }
}
