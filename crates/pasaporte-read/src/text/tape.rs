//! A parsed value as one flat list of nodes, children after their parent.
//!
//! The tape of a record is written once, read, cleared and written again, so that reading a large
//! file costs no allocation a record. What it holds is borrowed from the text, or, where the text has escapes, from an
//! arena beside it; what is read from a tape is kept in an arena too, and given back all at once. Depth is bounded,
//! and so is what aliases expand to.

use bumpalo::Bump;

/// Deepest nesting that is accepted; an estate needs less than ten.
pub(crate) const DEEPEST: usize = 64;
/// Most values that aliases of one file may expand to.
const MOST_EXPANDED: usize = 1_000_000;

/// A place in a text, both from 1. Columns are characters in YAML and bytes in JSON.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Position {
    pub(crate) line: u32,
    pub(crate) column: u32,
}

/// What a node is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Value<'a> {
    Null,
    Bool(bool),
    /// A number as written.
    Number(&'a str),
    /// Text in quotes.
    Text(&'a str),
    /// A YAML scalar without quotes: text, number, boolean or null, as the reader wishes.
    Plain(&'a str),
    List,
    /// Keys and values in turn.
    Map,
    /// The value at this node again.
    Alias(u32),
}

#[derive(Debug)]
struct Node<'a> {
    value: Value<'a>,
    at: Position,
    /// The node after this one and all that is in it.
    end: u32,
}

/// Why a value does not fit on a tape.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum TapeError {
    TooDeep,
    TooManyAliases,
    CircularAlias,
}

impl std::fmt::Display for TapeError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::TooDeep => write!(f, "nested deeper than {DEEPEST} levels"),
            Self::TooManyAliases => write!(f, "its aliases expand to more than {MOST_EXPANDED} values"),
            Self::CircularAlias => write!(f, "an alias stands inside the value that it repeats"),
        }
    }
}

#[derive(Debug, Default)]
pub(crate) struct Tape<'a> {
    nodes: Vec<Node<'a>>,
    /// The aliases, in order, each with how many nodes all of them up to it stand for beyond themselves.
    aliases: Vec<(u32, usize)>,
    /// The lists and maps that are being written.
    open: Vec<usize>,
}

impl<'a> Tape<'a> {
    /// The outermost value; what is read from it is kept in the arena.
    pub(crate) fn root(&self, arena: &'a Bump) -> View<'_, 'a> {
        View { tape: self, arena, index: 0 }
    }

    pub(crate) fn clear(&mut self) {
        self.nodes.clear();
        self.aliases.clear();
        self.open.clear();
    }

    /// How many nodes a value comes to with the aliases in it written out.
    fn size(&self, index: usize) -> usize {
        let end = self.nodes[index].end as usize;
        let before = |node: usize| {
            let count = self.aliases.partition_point(|(alias, _)| (*alias as usize) < node);
            count.checked_sub(1).map_or(0, |last| self.aliases[last].1)
        };
        end - index + (before(end) - before(index))
    }
}

/// Writes a tape from the outside in.
pub(crate) struct Writer<'t, 'a> {
    tape: &'t mut Tape<'a>,
    arena: &'a Bump,
}

impl<'t, 'a> Writer<'t, 'a> {
    pub(crate) fn new(tape: &'t mut Tape<'a>, arena: &'a Bump) -> Self {
        tape.clear();
        Self { tape, arena }
    }

    /// The arena for what is not borrowed from the text.
    pub(crate) fn arena(&self) -> &'a Bump {
        self.arena
    }

    /// Adds a value that has nothing in it; returns its node.
    pub(crate) fn leaf(&mut self, value: Value<'a>, at: Position) -> usize {
        self.push(value, at)
    }

    /// Begins a list or map.
    pub(crate) fn open(&mut self, value: Value<'a>, at: Position) -> Result<usize, TapeError> {
        if self.tape.open.len() == DEEPEST {
            return Err(TapeError::TooDeep);
        }
        let index = self.push(value, at);
        self.tape.open.push(index);
        Ok(index)
    }

    /// Ends the innermost list or map.
    pub(crate) fn close(&mut self) {
        let Some(index) = self.tape.open.pop() else { return };
        self.tape.nodes[index].end = self.tape.nodes.len() as u32;
    }

    /// Repeats an earlier value.
    pub(crate) fn alias(&mut self, target: usize, at: Position) -> Result<(), TapeError> {
        if self.tape.open.contains(&target) {
            return Err(TapeError::CircularAlias);
        }
        let before = self.tape.aliases.last().map_or(0, |(_, all)| *all);
        let expanded = before + self.tape.size(target);
        if expanded > MOST_EXPANDED {
            return Err(TapeError::TooManyAliases);
        }
        let index = self.push(Value::Alias(target as u32), at);
        self.tape.aliases.push((index as u32, expanded));
        Ok(())
    }

    pub(crate) fn is_complete(&self) -> bool {
        self.tape.open.is_empty() && !self.tape.nodes.is_empty()
    }

    fn push(&mut self, value: Value<'a>, at: Position) -> usize {
        let index = self.tape.nodes.len();
        self.tape.nodes.push(Node { value, at, end: index as u32 + 1 });
        index
    }
}

/// A value on a tape.
#[derive(Clone, Copy)]
pub(crate) struct View<'t, 'a> {
    tape: &'t Tape<'a>,
    arena: &'a Bump,
    index: usize,
}

impl<'t, 'a> View<'t, 'a> {
    /// The value, with an alias followed to what it repeats.
    pub(crate) fn value(self) -> Value<'a> {
        self.tape.nodes[self.target()].value
    }

    /// The arena that what is read is kept in.
    pub(crate) fn arena(self) -> &'a Bump {
        self.arena
    }

    /// The same value, but what is read from it is kept in another arena.
    pub(crate) fn kept_in<'b>(self, arena: &'b Bump) -> View<'t, 'b>
    where
        'a: 'b,
    {
        View { tape: self.tape, arena, index: self.index }
    }

    /// Which value of its tape it is, whatever way led there.
    pub(crate) fn place(self) -> usize {
        self.target()
    }

    /// Where it is written: for an alias, where the alias is.
    pub(crate) fn at(self) -> Position {
        self.tape.nodes[self.index].at
    }

    /// What is in a list, or the keys and values of a map in turn; nothing in others.
    pub(crate) fn inside(self) -> impl Iterator<Item = View<'t, 'a>> {
        let Self { tape, arena, .. } = self;
        let node = self.target();
        let end = match tape.nodes[node].value {
            Value::List | Value::Map => tape.nodes[node].end as usize,
            _ => node,
        };
        let mut next = node + 1;
        std::iter::from_fn(move || {
            (next < end).then(|| {
                let view = View { tape, arena, index: next };
                next = tape.nodes[next].end as usize;
                view
            })
        })
    }

    /// The keys and values of a map.
    pub(crate) fn entries(self) -> impl Iterator<Item = (View<'t, 'a>, View<'t, 'a>)> {
        let mut inside = self.inside();
        std::iter::from_fn(move || Some((inside.next()?, inside.next()?)))
    }

    /// How many characters to underline in messages.
    pub(crate) fn width(self) -> u32 {
        match &self.tape.nodes[self.index].value {
            Value::Text(text) => text.chars().count() as u32 + 2,
            Value::Number(text) | Value::Plain(text) => (text.chars().count() as u32).max(1),
            Value::Null | Value::Bool(true) => 4,
            Value::Bool(false) => 5,
            Value::List | Value::Map | Value::Alias(_) => 1,
        }
    }

    fn target(self) -> usize {
        let mut index = self.index;
        while let Value::Alias(target) = self.tape.nodes[index].value {
            index = target as usize;
        }
        index
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_count_what_aliases_repeat() {
        let (mut tape, arena) = (Tape::default(), Bump::new());
        let mut writer = Writer::new(&mut tape, &arena);
        let at = Position::default();
        writer.open(Value::List, at).unwrap();
        let mut repeated = writer.leaf(Value::Null, at);
        let mut refused = None;
        for _ in 0..40 {
            let list = writer.open(Value::List, at).unwrap();
            let both = writer.alias(repeated, at).and_then(|()| writer.alias(repeated, at));
            writer.close();
            repeated = list;
            if let Err(error) = both {
                refused = Some(error);
                break;
            }
        }
        assert_eq!(refused, Some(TapeError::TooManyAliases));
    }

    #[test]
    fn an_alias_inside_its_own_value_is_refused() {
        let (mut tape, arena) = (Tape::default(), Bump::new());
        let mut writer = Writer::new(&mut tape, &arena);
        let list = writer.open(Value::List, Position::default()).unwrap();
        assert_eq!(writer.alias(list, Position::default()), Err(TapeError::CircularAlias));
    }
}
