//! Bytes to blocks: the mirror of `writer`, both by the table in `layout`. Every digest and length that is stored is
//! compared, and nothing is reserved from a count that was not.

use minicbor::Decoder;
use minicbor::decode::Error;

use super::error::{Fault, ReadError};
use super::layout::{
    BLOCK_TAG, CODEC_STORED, DIGEST_BYTES, FORMAT, HEADER, HEADER_START, MAX_SAVE_BYTES, MAX_SECTIONS,
    ROW_ITEMS, SECTION, SECTION_ITEMS, STATE, STATE_ITEMS, digest,
};
use super::map::Item;

/// A save whose bytes are whole: every digest holds. What its values mean is not looked at yet.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SaveFile<'b> {
    /// The game it is of.
    pub game: &'b str,
    /// When the slot was first saved, in milliseconds since 1970.
    pub created_unix_ms: u64,
    /// Counts the saves of the slot, from 1.
    pub number: u64,
    /// The version of the schema it was written with.
    pub schema_version: u32,
    /// When it was saved, in milliseconds since 1970.
    pub saved_at_unix_ms: u64,
    /// What made the game save, in a word.
    pub cause: &'b str,
    /// The sections, in the order of the file.
    pub sections: Vec<Section<'b>>,
}

/// A section of a save.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Section<'b> {
    /// Its name.
    pub name: &'b str,
    /// Where its body begins, in bytes from the start of the file.
    pub body_offset: usize,
    /// Its body: CBOR.
    pub body: &'b [u8],
}

impl<'b> SaveFile<'b> {
    pub(super) fn section(&self, name: &'b str) -> Result<Item<'b>, ReadError> {
        let section = self.sections.iter().find(|section| section.name == name);
        let missing = || ReadError::new("state", 0, Fault::Cut { expected: "all sections" });
        section.map(|section| Item::new(name, section.body_offset, section.body)).ok_or_else(missing)
    }
}

/// What stands at one place of the file, to be compared with the state's table.
struct Span<'b> {
    name: &'b str,
    offset: usize,
    bytes: &'b [u8],
}

/// Reads a save from bytes.
///
/// # Errors
/// [`ReadError`] for anything but a whole save in a format this library knows: the first place that is not as it must
/// be.
pub fn read(bytes: &[u8]) -> Result<SaveFile<'_>, ReadError> {
    if bytes.is_empty() {
        return Err(ReadError::new("file", 0, Fault::Empty));
    }
    if bytes.len() > MAX_SAVE_BYTES {
        return Err(ReadError::new("file", 0, Fault::TooLarge { bytes: bytes.len() }));
    }
    let mut cursor = Cursor { bytes, decoder: Decoder::new(bytes), section: HEADER };
    let (game, created_unix_ms) = cursor.header()?;
    let header = cursor.since(0);
    let mut spans = vec![Span { name: HEADER, offset: 0, bytes: header }];
    let mut sections = Vec::new();
    loop {
        cursor.section = "file";
        let start = cursor.decoder.position();
        match cursor.block_start()? {
            (SECTION, SECTION_ITEMS) => {
                let section = cursor.section()?;
                spans.push(Span { name: section.name, offset: start, bytes: cursor.since(start) });
                sections.push(section);
            }
            (STATE, STATE_ITEMS) => {
                let (number, schema_version, saved_at_unix_ms, cause) = cursor.state(start, &spans)?;
                let rest = bytes.len() - cursor.decoder.position();
                if rest > 0 {
                    return Err(cursor.fault("file", Fault::Trailing { bytes: rest }));
                }
                return Ok(SaveFile {
                    game,
                    created_unix_ms,
                    number,
                    schema_version,
                    saved_at_unix_ms,
                    cause,
                    sections,
                });
            }
            (word, items) => {
                let (expected, found) = ("a section or a state".into(), format!("{word:?} of {items} items"));
                return Err(cursor.fault("file", Fault::Unexpected { expected, found }));
            }
        }
    }
}

struct Cursor<'b> {
    bytes: &'b [u8],
    decoder: Decoder<'b>,
    section: &'b str,
}

impl<'b> Cursor<'b> {
    fn since(&self, start: usize) -> &'b [u8] {
        self.bytes.get(start..self.decoder.position()).unwrap_or_default()
    }

    fn fault(&self, section: &str, fault: Fault) -> ReadError {
        ReadError::new(section, self.decoder.position(), fault)
    }

    /// The next item; the complaint is at its start.
    fn next<T>(
        &mut self,
        expected: &'static str,
        read: impl FnOnce(&mut Decoder<'b>) -> Result<T, Error>,
    ) -> Result<T, ReadError> {
        let start = self.decoder.position();
        read(&mut self.decoder).map_err(|error| {
            let fault = match error.is_end_of_input() {
                true => Fault::Cut { expected },
                false => Fault::Unexpected { expected: expected.into(), found: "other bytes".into() },
            };
            ReadError::new(self.section, start, fault)
        })
    }

    fn array(&mut self, expected: &'static str) -> Result<u64, ReadError> {
        self.next(expected, |d| d.array()?.ok_or_else(|| Error::message("a known length")))
    }

    fn digest(&mut self, expected: &'static str) -> Result<[u8; DIGEST_BYTES], ReadError> {
        self.next(expected, |d| {
            let bytes = d.bytes()?;
            bytes.try_into().map_err(|_| Error::message("32 bytes"))
        })
    }

    /// A digest that must be that of all bytes of the item before it.
    fn own_digest(&mut self, start: usize) -> Result<(), ReadError> {
        let covered = digest(self.since(start));
        let at = self.decoder.position();
        if self.digest("its own digest")? == covered {
            return Ok(());
        }
        Err(ReadError::new(self.section, at, Fault::Digest))
    }

    fn header(&mut self) -> Result<(&'b str, u64), ReadError> {
        if !self.bytes.starts_with(HEADER_START) {
            let fault = match HEADER_START.starts_with(self.bytes) {
                true => Fault::Cut { expected: "the header" },
                false => Fault::NotASave,
            };
            return Err(ReadError::new(HEADER, 0, fault));
        }
        self.decoder.set_position(HEADER_START.len());
        let format = self.next("the format", |d| d.u32())?;
        let game = self.next("the game", |d| d.str())?;
        let created = self.next("when it was created", |d| d.u64())?;
        self.own_digest(0)?;
        if format == FORMAT {
            return Ok((game, created));
        }
        Err(ReadError::new(HEADER, HEADER_START.len(), Fault::NewerFormat { found: format, known: FORMAT }))
    }

    /// The word of a block and how many items it has.
    fn block_start(&mut self) -> Result<(&'b str, u64), ReadError> {
        let start = self.decoder.position();
        let tag = self.next("a block", |d| d.tag())?;
        if tag.as_u64() != BLOCK_TAG {
            let (expected, found) = ("the mark of a block".into(), format!("tag {}", tag.as_u64()));
            return Err(ReadError::new(self.section, start, Fault::Unexpected { expected, found }));
        }
        let items = self.array("a block's items")?;
        let word = self.next("a block's word", |d| d.str())?;
        self.next("whether it is needed", |d| d.bool())?;
        Ok((word, items))
    }

    fn section(&mut self) -> Result<Section<'b>, ReadError> {
        let name = self.next("a section's name", |d| d.str())?;
        self.section = name;
        let codec_at = self.decoder.position();
        let codec = self.next("a codec", |d| d.u32())?;
        if codec != CODEC_STORED {
            let (expected, found) = (format!("codec {CODEC_STORED}"), format!("codec {codec}"));
            return Err(ReadError::new(name, codec_at, Fault::Unexpected { expected, found }));
        }
        let length_at = self.decoder.position();
        let length = self.next("the body's length", |d| d.u64())?;
        let stored_at = self.decoder.position();
        let stored = self.digest("the body's digest")?;
        let body = self.next("the body", |d| d.bytes())?;
        if body.len() as u64 != length {
            let (expected, found) = (format!("a body of {length} bytes"), format!("{} bytes", body.len()));
            return Err(ReadError::new(name, length_at, Fault::Unexpected { expected, found }));
        }
        if digest(body) != stored {
            return Err(ReadError::new(name, stored_at, Fault::Digest));
        }
        Ok(Section { name, body_offset: self.decoder.position() - body.len(), body })
    }

    /// Number, schema version, time and cause, once the digest of the state and its whole table hold.
    fn state(&mut self, start: usize, spans: &[Span<'b>]) -> Result<(u64, u32, u64, &'b str), ReadError> {
        self.section = STATE;
        let number = self.next("the state's number", |d| d.u64())?;
        let version = self.next("the schema version", |d| d.u32())?;
        let saved_at = self.next("when it was saved", |d| d.u64())?;
        let cause = self.next("the cause", |d| d.str())?;
        let rows_at = self.decoder.position();
        let rows = self.array("the table")?;
        if rows != spans.len() as u64 || rows > MAX_SECTIONS {
            let (expected, found) = (format!("{} rows", spans.len()), format!("{rows} rows"));
            return Err(ReadError::new(STATE, rows_at, Fault::Unexpected { expected, found }));
        }
        for span in spans {
            self.row(span)?;
        }
        self.own_digest(start)?;
        Ok((number, version, saved_at, cause))
    }

    fn row(&mut self, span: &Span<'b>) -> Result<(), ReadError> {
        let at = self.decoder.position();
        let items = self.array("a row of the table")?;
        let name = self.next("an item's name", |d| d.str())?;
        let offset = self.next("an item's offset", |d| d.u64())?;
        let length = self.next("an item's length", |d| d.u64())?;
        let stored = self.digest("an item's digest")?;
        let place = (ROW_ITEMS, span.name, span.offset as u64, span.bytes.len() as u64);
        if (items, name, offset, length) != place {
            let (expected, found) =
                (format!("a row for {}", span.name), format!("one for {name:?} at {offset}"));
            return Err(ReadError::new(STATE, at, Fault::Unexpected { expected, found }));
        }
        if stored != digest(span.bytes) {
            return Err(ReadError::new(span.name, span.offset, Fault::Digest));
        }
        Ok(())
    }
}
