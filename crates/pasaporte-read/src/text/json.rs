//! JSON onto tapes, one value at a time, so that a large file is never in memory as values.

use bumpalo::Bump;
use jiter::{Jiter, JiterError, Peek};

use super::{Position, TapeError, Value, Writer};

/// Why a text is not JSON.
pub(crate) struct JsonError {
    pub(crate) message: String,
    pub(crate) at: Position,
}

/// A cursor over a JSON text that knows its line.
pub(crate) struct Cursor<'a> {
    text: &'a str,
    json: Jiter<'a>,
    /// Where the last asked line begins, and its number.
    line_start: usize,
    line: u32,
    seen: usize,
    /// Whether the text has one line only.
    is_line: bool,
}

impl<'a> Cursor<'a> {
    /// A cursor at the start of a text whose first line is the given one.
    pub(crate) fn new(text: &'a str, first_line: u32) -> Self {
        Self {
            text,
            json: Jiter::new(text.as_bytes()),
            line_start: 0,
            line: first_line,
            seen: 0,
            is_line: false,
        }
    }

    /// A cursor at the start of a line.
    pub(crate) fn of_line(line: &'a str, number: u32) -> Self {
        Self { is_line: true, ..Self::new(line, number) }
    }

    /// What comes next.
    fn peek(&mut self) -> Result<Peek, JsonError> {
        self.json.peek().map_err(|error| self.error(&error))
    }

    /// Whether a map comes next.
    pub(crate) fn is_map(&mut self) -> Result<bool, JsonError> {
        self.peek().map(|peek| peek == Peek::Object)
    }

    /// Whether a list comes next.
    pub(crate) fn is_list(&mut self) -> Result<bool, JsonError> {
        self.peek().map(|peek| peek == Peek::Array)
    }

    /// Where the cursor is.
    pub(crate) fn at(&mut self) -> Position {
        let index = self.json.current_index();
        self.position(index)
    }

    /// Enters a map that is next; the first key, if there is one.
    pub(crate) fn enter_map(&mut self) -> Result<Option<(Piece, Position)>, JsonError> {
        let key = self.json.next_object().map(|key| key.map(|key| Piece::of(self.text, key)));
        self.key(key)
    }

    /// The next key of the map that the cursor is in; none at its end.
    pub(crate) fn next_key(&mut self) -> Result<Option<(Piece, Position)>, JsonError> {
        let key = self.json.next_key().map(|key| key.map(|key| Piece::of(self.text, key)));
        self.key(key)
    }

    /// Enters a list that is next; whether there is an item.
    pub(crate) fn enter_list(&mut self) -> Result<bool, JsonError> {
        self.json.known_array().map(|item| item.is_some()).map_err(|error| self.error(&error))
    }

    /// Whether another item follows in the list that the cursor is in.
    pub(crate) fn next_item(&mut self) -> Result<bool, JsonError> {
        self.json.array_step().map(|item| item.is_some()).map_err(|error| self.error(&error))
    }

    /// Passes over the value that is next.
    pub(crate) fn skip(&mut self) -> Result<(), JsonError> {
        self.json.next_skip().map_err(|error| self.error(&error))
    }

    /// That nothing but white space follows.
    pub(crate) fn finish(&mut self) -> Result<(), JsonError> {
        self.json.finish().map_err(|error| self.error(&error))
    }

    /// Writes the next value. Recursion is bounded by the depth of the tape.
    pub(crate) fn value<'b>(&mut self, writer: &mut Writer<'_, 'b>) -> Result<(), JsonError>
    where
        'a: 'b,
    {
        let peek = self.peek()?;
        let at = self.at();
        match peek {
            Peek::Null => {
                self.json.known_null().map_err(|error| self.error(&error))?;
                writer.leaf(Value::Null, at);
            }
            Peek::True | Peek::False => {
                let value = self.json.known_bool(peek).map_err(|error| self.error(&error))?;
                writer.leaf(Value::Bool(value), at);
            }
            Peek::String => {
                let piece = self.json.known_str().map(|text| Piece::of(self.text, text));
                let piece = piece.map_err(|error| self.error(&error))?;
                writer.leaf(Value::Text(self.string(piece, writer.arena())), at);
            }
            Peek::Array => {
                writer.open(Value::List, at).map_err(|error| too_much(error, at))?;
                let mut more = self.enter_list()?;
                while more {
                    self.value(writer)?;
                    more = self.next_item()?;
                }
                writer.close();
            }
            Peek::Object => {
                writer.open(Value::Map, at).map_err(|error| too_much(error, at))?;
                let mut key = self.enter_map()?;
                while let Some((name, key_at)) = key {
                    writer.leaf(Value::Text(self.string(name, writer.arena())), key_at);
                    self.value(writer)?;
                    key = self.next_key()?;
                }
                writer.close();
            }
            _ => {
                let start = self.json.current_index();
                self.json.known_number_bytes(peek).map(|_| ()).map_err(|error| self.error(&error))?;
                let number = self.text.get(start..self.json.current_index()).unwrap_or_default();
                writer.leaf(Value::Number(number), at);
            }
        }
        Ok(())
    }

    /// The string that a piece is; one that is no part of the text is kept in the arena.
    pub(crate) fn string<'b>(&self, piece: Piece, arena: &'b Bump) -> &'b str
    where
        'a: 'b,
    {
        match piece {
            Piece::Here(range) => self.text.get(range).unwrap_or_default(),
            Piece::Unescaped(string) => arena.alloc_str(&string),
        }
    }

    /// A key and where it stands: its opening quote.
    fn key(
        &mut self,
        key: Result<Option<Piece>, JiterError>,
    ) -> Result<Option<(Piece, Position)>, JsonError> {
        let Some(piece) = key.map_err(|error| self.error(&error))? else { return Ok(None) };
        let start = match &piece {
            Piece::Here(range) => range.start.saturating_sub(1),
            // After a key with escapes the cursor is behind its colon; that is near enough.
            Piece::Unescaped(_) => self.json.current_index(),
        };
        let at = self.position(start);
        Ok(Some((piece, at)))
    }

    fn error(&mut self, error: &JiterError) -> JsonError {
        JsonError { message: error.error_type.to_string(), at: self.position(error.index) }
    }

    /// Line and column of an offset. Offsets come in rising order but for errors, so that lines are
    /// counted once.
    fn position(&mut self, offset: usize) -> Position {
        let bytes = self.text.as_bytes();
        let offset = offset.min(bytes.len());
        if !self.is_line && offset >= self.seen {
            for newline in memchr::memchr_iter(b'\n', &bytes[self.seen..offset]) {
                self.line += 1;
                self.line_start = self.seen + newline + 1;
            }
            self.seen = offset;
        }
        Position { line: self.line, column: (offset.saturating_sub(self.line_start)) as u32 + 1 }
    }
}

/// A string of a JSON text: a part of the text, unless it has escapes.
pub(crate) enum Piece {
    Here(std::ops::Range<usize>),
    Unescaped(String),
}

impl Piece {
    /// The piece that a string is, by whether it lies within the text.
    fn of(text: &str, string: &str) -> Self {
        let start = (string.as_ptr() as usize).wrapping_sub(text.as_ptr() as usize);
        match start.checked_add(string.len()) {
            Some(end) if end <= text.len() => Self::Here(start..end),
            _ => Self::Unescaped(string.to_owned()),
        }
    }
}

fn too_much(error: TapeError, at: Position) -> JsonError {
    JsonError { message: error.to_string(), at }
}
