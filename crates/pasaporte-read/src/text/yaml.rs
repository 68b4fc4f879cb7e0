//! YAML onto a tape, through the events of the parser.

use std::borrow::Cow;
use std::collections::HashMap;

use bumpalo::Bump;
use saphyr_parser::{Event, Marker, Parser, ScalarStyle};

use super::{Position, Tape, TapeError, Value, Writer};

/// Why a text is not YAML that is accepted.
pub(crate) struct YamlError {
    pub(crate) message: String,
    pub(crate) at: Position,
}

/// Reads the documents of a text in turn, each onto a tape of its own.
pub(crate) fn documents<'a>(
    text: &'a str,
    arena: &'a Bump,
    mut each: impl FnMut(&Tape<'a>),
) -> Result<(), YamlError> {
    let mut tape = Tape::default();
    let mut parser = Parser::new_from_str(text);
    loop {
        let mut writer = Writer::new(&mut tape, arena);
        let mut anchors = HashMap::new();
        let more = document(&mut parser, &mut writer, &mut anchors)?;
        if writer.is_complete() {
            each(&tape);
        }
        if !more {
            return Ok(());
        }
    }
}

/// Reads up to the end of one document; whether another may follow.
fn document<'a>(
    parser: &mut Parser<'a, saphyr_parser::StrInput<'a>>,
    writer: &mut Writer<'_, 'a>,
    anchors: &mut HashMap<usize, usize>,
) -> Result<bool, YamlError> {
    while let Some(event) = parser.next_event() {
        let (event, span) = event.map_err(|error| {
            // The parser has a bound on flow collections of its own, wider than ours.
            let too_deep = error.info().contains("recursion limit");
            let message = if too_deep { TapeError::TooDeep.to_string() } else { error.info().to_owned() };
            YamlError { message, at: position(error.marker()) }
        })?;
        let at = position(&span.start);
        let refused = |error: TapeError| YamlError { message: error.to_string(), at };
        let (anchor, node) = match event {
            Event::Scalar(text, style, anchor, tag) => {
                if let Some(tag) = tag.filter(|tag| !tag.is_yaml_core_schema()) {
                    let message = format!("the tag {}{} is not known here", tag.handle, tag.suffix);
                    return Err(YamlError { message, at });
                }
                let text = match text {
                    Cow::Borrowed(text) => text,
                    Cow::Owned(text) => &*writer.arena().alloc_str(&text),
                };
                (anchor, writer.leaf(scalar(text, style), at))
            }
            Event::SequenceStart(anchor, _) => (anchor, writer.open(Value::List, at).map_err(refused)?),
            Event::MappingStart(anchor, _) => (anchor, writer.open(Value::Map, at).map_err(refused)?),
            Event::SequenceEnd | Event::MappingEnd => {
                writer.close();
                continue;
            }
            Event::Alias(id) => {
                let target = anchors.get(&id).copied();
                let Some(target) = target else {
                    return Err(YamlError { message: "an alias that repeats nothing".to_owned(), at });
                };
                writer.alias(target, at).map_err(refused)?;
                continue;
            }
            Event::DocumentEnd => return Ok(true),
            Event::StreamEnd => return Ok(false),
            Event::Nothing | Event::StreamStart | Event::DocumentStart(_) => continue,
        };
        if anchor != 0 {
            anchors.insert(anchor, node);
        }
    }
    Ok(false)
}

fn scalar(text: &str, style: ScalarStyle) -> Value<'_> {
    match style {
        ScalarStyle::Plain => match text {
            "" | "~" | "null" => Value::Null,
            "true" => Value::Bool(true),
            "false" => Value::Bool(false),
            _ => Value::Plain(text),
        },
        _ => Value::Text(text),
    }
}

fn position(marker: &Marker) -> Position {
    Position { line: marker.line() as u32, column: marker.col() as u32 + 1 }
}
