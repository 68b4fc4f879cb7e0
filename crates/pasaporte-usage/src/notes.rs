//! Events as they were read, before anything is looked up: what each says stands in one run of bytes, so that it is
//! hashed at once, and can be read again where nothing like it was met.

use pasaporte_core::estate::CameFrom;

use crate::event::{Credential, Event, In};
use crate::met::Identity;

/// What of an event adds up: when it was, how often, and from whom it came.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Adding {
    pub(crate) first: Option<i64>,
    pub(crate) last: Option<i64>,
    pub(crate) count: u64,
    pub(crate) client: Option<u32>,
}

impl Adding {
    pub(crate) fn of(event: &Event<'_>, client: Option<u32>) -> Self {
        Self { first: event.first, last: event.last, count: event.count.unwrap_or(1), client }
    }
}

/// An event that was read.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Note {
    pub(crate) identity: Identity,
    pub(crate) adding: Adding,
    pub(crate) from: CameFrom,
    /// The number of its line.
    pub(crate) line: u64,
    start: u32,
    end: u32,
}

/// Notes that wait to be added up.
#[derive(Debug, Default)]
pub(crate) struct Notes {
    pub(crate) all: Vec<Note>,
    texts: Vec<u8>,
}

/// Notes that are added up together: as many as what they touch stays near the processor for.
const TOGETHER: usize = 512;
/// Bytes of texts that are kept until then.
const TEXTS: usize = 1 << 20;

/// Behind a text, and before a credential: bytes that UTF-8 does not have.
const END: u8 = 0xff;
const CREDENTIAL: u8 = 0xfe;

/// How many of an event's texts tell it from others.
const FIELDS: usize = 13;

/// Bits beside those of the fields that are there.
const TELLS_ALL: u32 = 1 << 20;
const HAS_STATUS: u32 = 1 << 21;

/// The texts that tell an event from others; [`of_texts`] has them in the same order.
fn texts<'a>(event: &Event<'a>) -> [Option<&'a str>; FIELDS] {
    [
        event.who,
        event.did,
        event.to,
        event.outcome,
        event.through,
        event.endpoint,
        event.host,
        event.path,
        event.method,
        event.function,
        event.showed,
        event.issuer,
        event.user,
    ]
}

fn of_texts(texts: [Option<&str>; FIELDS]) -> Event<'_> {
    let [who, did, to, outcome, through, endpoint, host, path, method, function, showed, issuer, user] =
        texts;
    Event {
        who,
        did,
        to,
        outcome,
        through,
        endpoint,
        host,
        path,
        method,
        function,
        showed,
        issuer,
        user,
        ..Event::default()
    }
}

impl Notes {
    /// Whether they should be added up before there are more.
    pub(crate) fn is_full(&self) -> bool {
        self.all.len() >= TOGETHER || self.texts.len() >= TEXTS
    }

    pub(crate) fn clear(&mut self) {
        self.all.clear();
        self.texts.clear();
    }

    /// Notes an event, told from others by what it says and whence it came, and not by when it was or from whom.
    pub(crate) fn add(
        &mut self,
        keys: (u64, u64),
        event: &Event<'_>,
        (adding, from): (Adding, CameFrom),
        line: u64,
    ) {
        let said = texts(event);
        let credentials = event.credentials.iter().map(|it| it.name.len() + it.value.len() + 4);
        let length = said.iter().map(|text| text.map_or(0, |text| text.len() + 1)).sum::<usize>();
        let bytes = &mut self.texts;
        let start = bytes.len();
        // Room for all at once, and each text put into its place.
        bytes.resize(start + length + credentials.sum::<usize>() + 6, END);
        let mut at = start;
        let mut put = |some: &[u8], behind: usize| {
            bytes[at..at + some.len()].copy_from_slice(some);
            at += some.len() + behind;
        };
        let mut there = if event.tells_all { TELLS_ALL } else { 0 } | ((from as u32) << 24);
        for (place, text) in said.into_iter().enumerate() {
            if let Some(text) = text {
                there |= 1 << place;
                put(text.as_bytes(), 1);
            }
        }
        for credential in &event.credentials {
            put(&[CREDENTIAL, credential.place as u8], 0);
            put(credential.name.as_bytes(), 1);
            put(credential.value.as_bytes(), 1);
        }
        if event.status.is_some() {
            there |= HAS_STATUS;
        }
        put(&there.to_le_bytes(), 0);
        put(&event.status.unwrap_or_default().to_le_bytes(), 0);
        self.all.push(Note {
            identity: Identity::of(keys, &bytes[start..]),
            adding,
            from,
            line,
            start: start as u32,
            end: bytes.len() as u32,
        });
    }

    /// What a note says, as it was read; without when it was and from whom it came.
    pub(crate) fn event(&self, note: &Note) -> Event<'_> {
        let bytes = &self.texts[note.start as usize..note.end as usize];
        let Some((bytes, [a, b, c, d, low, high])) = bytes.split_last_chunk() else {
            return Event::default();
        };
        let there = u32::from_le_bytes([*a, *b, *c, *d]);
        let mut start = 0;
        let mut parts = memchr::memchr_iter(END, bytes).map(|end| {
            let part = &bytes[start..end];
            start = end + 1;
            part
        });
        let text = |part| std::str::from_utf8(part).ok();
        let said = std::array::from_fn(|place| (there & 1 << place != 0).then(|| parts.next()).flatten());
        let mut event = of_texts(said.map(|part| part.and_then(text)));
        while let (Some([CREDENTIAL, place, name @ ..]), Some(value)) = (parts.next(), parts.next()) {
            let place = [In::Header, In::Body, In::Field].into_iter().find(|it| *it as u8 == *place);
            if let (Some(place), Some(name), Some(value)) = (place, text(name), text(value)) {
                event.credentials.push(Credential { place, name, value });
            }
        }
        event.tells_all = there & TELLS_ALL != 0;
        event.status = (there & HAS_STATUS != 0).then(|| u16::from_le_bytes([*low, *high]));
        event
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn an_event_is_read_as_it_was_noted(
            said in prop::array::uniform13(prop::option::of(".{0,6}")),
            credentials in prop::collection::vec((0_usize..3, ".{0,4}", ".{0,4}"), 0..3),
            status in prop::option::of(any::<u16>()),
            tells_all: bool,
        ) {
            let said = said.each_ref().map(|text| text.as_deref());
            let mut event = Event { status, tells_all, ..of_texts(said) };
            prop_assert_eq!(texts(&event), said);
            let place = |number: usize| [In::Header, In::Body, In::Field][number];
            event.credentials.extend(credentials.iter().map(|(number, name, value)| Credential {
                place: place(*number), name, value,
            }));
            let mut notes = Notes::default();
            let before = Event { who: Some("before"), ..Event::default() };
            notes.add((1, 2), &before, (Adding::of(&before, None), CameFrom::Unsaid), 1);
            notes.add((1, 2), &event, (Adding::of(&event, Some(3)), CameFrom::Inside), 2);
            prop_assert_eq!(format!("{:?}", notes.event(&notes.all[1])), format!("{event:?}"));
        }
    }
}
