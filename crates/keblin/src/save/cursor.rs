//! A position in CBOR bytes, moving forward. Every error has section and byte offset. No memory is reserved from a
//! count in the file, and skipping does not recurse.

use minicbor::Decoder;
use minicbor::data::Type;
use minicbor::decode::Error;

use super::error::{Fault, ReadError};
use super::layout::{DIGEST_BYTES, Digest, SaveLimits};

/// A position in the bytes of a section or of a whole file.
#[derive(Clone)]
pub(super) struct Cursor<'b> {
    /// The section, for messages.
    pub(super) section: &'b str,
    /// Where its bytes start, from the start of the file.
    base: usize,
    decoder: Decoder<'b>,
}

impl<'b> Cursor<'b> {
    pub(super) fn new(section: &'b str, base: usize, bytes: &'b [u8]) -> Cursor<'b> {
        Cursor { section, base, decoder: Decoder::new(bytes) }
    }

    /// Returns a cursor over a whole file, at an offset.
    pub(super) fn in_file(section: &'b str, file: &'b [u8], offset: usize) -> Cursor<'b> {
        let mut cursor = Cursor::new(section, 0, file);
        cursor.decoder.set_position(offset);
        cursor
    }

    /// Returns the position, in bytes from the start of the file.
    pub(super) fn offset(&self) -> usize {
        self.base + self.decoder.position()
    }

    /// Returns the bytes from an offset of the file up to here.
    pub(super) fn since(&self, offset: usize) -> &'b [u8] {
        let start = offset.saturating_sub(self.base);
        self.decoder.input().get(start..self.decoder.position()).unwrap_or_default()
    }

    pub(super) fn is_at_end(&self) -> bool {
        self.decoder.position() >= self.decoder.input().len()
    }

    /// Skips some bytes if they come next.
    #[inline]
    pub(super) fn passes(&mut self, bytes: &[u8]) -> bool {
        let start = self.decoder.position();
        let end = start + bytes.len();
        let same = self.decoder.input().get(start..end) == Some(bytes);
        if same {
            self.decoder.set_position(end);
        }
        same
    }

    /// Returns the next `N` bytes, if there are as many.
    pub(super) fn next_bytes<const N: usize>(&self) -> Option<&'b [u8; N]> {
        self.decoder.input().get(self.decoder.position()..)?.first_chunk()
    }

    /// Returns the next byte, which says what comes.
    pub(super) fn next_byte(&self) -> Option<u8> {
        self.decoder.input().get(self.decoder.position()).copied()
    }

    /// Skips bytes that were examined already.
    pub(super) fn skip_bytes(&mut self, count: usize) {
        self.decoder.set_position(self.decoder.position() + count);
    }

    /// Reads a number below 24, which is one byte; most numbers are.
    #[inline]
    fn small(&mut self) -> Option<u8> {
        let at = self.decoder.position();
        let byte = *self.decoder.input().get(at)?;
        (byte < 24).then(|| {
            self.decoder.set_position(at + 1);
            byte
        })
    }

    /// Reads the bytes of a text, which need not be UTF-8; `None` if something else comes next.
    #[inline]
    pub(super) fn text_bytes_if(&mut self) -> Option<&'b [u8]> {
        let at = self.decoder.position();
        let input = self.decoder.input();
        // Texts below 24 bytes, which most are, have their length in the first byte.
        if let Some(head @ 0x60..0x78) = input.get(at) {
            let end = at + 1 + usize::from(head - 0x60);
            let bytes = input.get(at + 1..end)?;
            self.decoder.set_position(end);
            return Some(bytes);
        }
        self.decoder.str().ok().map(str::as_bytes)
    }

    /// Skips a finite number of 16 or 32 bits; nothing else moves the cursor.
    #[inline]
    pub(super) fn passes_finite(&mut self) -> bool {
        let at = self.decoder.position();
        // Infinities and NaN have all ones in the exponent.
        let (finite, len) = match *self.decoder.input().get(at..).unwrap_or_default() {
            [0xf9, high, ..] => (high & 0x7c != 0x7c, 3),
            [0xfa, first, second, ..] => (u16::from_be_bytes([first, second]) & 0x7f80 != 0x7f80, 5),
            _ => (false, 0),
        };
        let whole = finite && at + len <= self.decoder.input().len();
        if whole {
            self.decoder.set_position(at + len);
        }
        whole
    }

    pub(super) fn fault(&self, offset: usize, fault: Fault) -> ReadError {
        ReadError::new(self.section, offset, fault)
    }

    /// Returns the error for what is at an offset.
    pub(super) fn unexpected(&self, offset: usize, expected: impl Into<String>) -> ReadError {
        let rest = self.decoder.input().get(offset.saturating_sub(self.base)..).unwrap_or_default();
        self.fault(offset, Fault::Unexpected { expected: expected.into(), found: found(rest) })
    }

    /// Reads the next item; an error is at its start.
    pub(super) fn next<T, E: Into<String>>(
        &mut self,
        expected: impl FnOnce() -> E,
        read: impl FnOnce(&mut Decoder<'b>) -> Result<T, Error>,
    ) -> Result<T, ReadError> {
        let start = self.offset();
        read(&mut self.decoder).map_err(|error| match error.is_end_of_input() {
            true => self.fault(start, Fault::Cut { expected: expected().into() }),
            false => self.unexpected(start, expected()),
        })
    }

    /// Reads the head of an array of known length, and returns the number of items.
    pub(super) fn array(&mut self, expected: &str) -> Result<u64, ReadError> {
        self.next(|| expected, |d| d.array()?.ok_or_else(|| Error::message("a known length")))
    }

    /// Reads the head of an array that must have this many items.
    pub(super) fn array_of(&mut self, items: u64, expected: &str) -> Result<(), ReadError> {
        let start = self.offset();
        if self.array(expected)? == items {
            return Ok(());
        }
        Err(self.unexpected(start, format!("{expected} of {items} items")))
    }

    /// Reads the head of a map of known length, and returns the number of entries.
    pub(super) fn map(&mut self, expected: &str) -> Result<u64, ReadError> {
        self.next(|| expected, |d| d.map()?.ok_or_else(|| Error::message("a known length")))
    }

    pub(super) fn text(&mut self, expected: &str) -> Result<&'b str, ReadError> {
        self.next(|| expected, Decoder::str)
    }

    #[inline]
    pub(super) fn count(&mut self, expected: &str) -> Result<u64, ReadError> {
        match self.small() {
            Some(small) => Ok(small.into()),
            None => self.next(|| expected, Decoder::u64),
        }
    }

    /// Reads a whole number.
    #[inline]
    pub(super) fn int<E: Into<String>>(&mut self, expected: impl FnOnce() -> E) -> Result<i64, ReadError> {
        match self.small() {
            Some(small) => Ok(small.into()),
            None => self.next(expected, Decoder::i64),
        }
    }

    pub(super) fn bool(&mut self, expected: &str) -> Result<bool, ReadError> {
        self.next(|| expected, Decoder::bool)
    }

    pub(super) fn digest(&mut self, expected: &str) -> Result<Digest, ReadError> {
        self.next(
            || format!("{expected}, {DIGEST_BYTES} bytes"),
            |d| d.bytes()?.try_into().map_err(|_| Error::message("32 bytes")),
        )
    }

    /// Skips a null, if it comes next.
    pub(super) fn null(&mut self) -> bool {
        self.passes(&[0xf6])
    }

    /// Skips one item of any type.
    ///
    /// # Errors
    /// For bytes that end within it, items of indefinite length, and nesting beyond the limit.
    pub(super) fn skip(&mut self, expected: &str, limits: &SaveLimits) -> Result<(), ReadError> {
        let start = self.offset();
        // How many items are left in each open array or map.
        let mut open: Vec<u64> = Vec::new();
        loop {
            let inside = self.next(|| expected, enter)?;
            match inside {
                Entered::Tag => continue,
                Entered::Items(0) => {}
                Entered::Items(items) => {
                    if open.len() >= limits.max_nesting {
                        return Err(self.fault(start, Fault::TooDeep { most: limits.max_nesting }));
                    }
                    open.push(items);
                    continue;
                }
            }
            loop {
                let Some(left) = open.last_mut() else { return Ok(()) };
                *left -= 1;
                if *left > 0 {
                    break;
                }
                open.pop();
            }
        }
    }
}

/// What comes after the head of an item.
enum Entered {
    /// The tagged item.
    Tag,
    /// This many items; 0 if the item is complete.
    Items(u64),
}

fn enter(decoder: &mut Decoder<'_>) -> Result<Entered, Error> {
    let unknown = || Error::message("a known length");
    match decoder.datatype()? {
        Type::Tag => decoder.tag().map(|_| Entered::Tag),
        Type::Array => decoder.array()?.ok_or_else(unknown).map(Entered::Items),
        Type::Map => {
            let entries = decoder.map()?.ok_or_else(unknown)?;
            entries.checked_mul(2).map(Entered::Items).ok_or_else(unknown)
        }
        Type::Bytes => decoder.bytes().map(|_| Entered::Items(0)),
        Type::String => decoder.str().map(|_| Entered::Items(0)),
        Type::ArrayIndef | Type::MapIndef | Type::BytesIndef | Type::StringIndef | Type::Break => {
            Err(unknown())
        }
        Type::U8 | Type::U16 | Type::U32 | Type::U64 => decoder.u64().map(|_| Entered::Items(0)),
        Type::Bool => decoder.bool().map(|_| Entered::Items(0)),
        Type::Null => decoder.null().map(|()| Entered::Items(0)),
        _ => decoder.skip().map(|()| Entered::Items(0)),
    }
}

/// Describes what is at the start of some bytes.
fn found(bytes: &[u8]) -> String {
    let mut decoder = Decoder::new(bytes);
    match decoder.datatype() {
        Ok(Type::String) => match decoder.str() {
            Ok(text) if text.chars().count() <= 40 => format!("{text:?}"),
            _ => "a text".to_string(),
        },
        Ok(Type::Unknown(byte)) => format!("byte {byte:#04x}"),
        Ok(Type::U8 | Type::U16 | Type::U32 | Type::U64) => {
            decoder.u64().map_or("a whole number".to_string(), |number| number.to_string())
        }
        Ok(Type::I8 | Type::I16 | Type::I32 | Type::I64 | Type::Int) => {
            decoder.i64().map_or("a whole number".to_string(), |number| number.to_string())
        }
        Ok(Type::F16 | Type::F32 | Type::F64) => "a number with a fraction".to_string(),
        Ok(Type::Bool) => decoder.bool().map_or("a bool".to_string(), |yes| yes.to_string()),
        Ok(Type::Array) => "a list".to_string(),
        Ok(Type::Map) => "a map".to_string(),
        Ok(kind) => kind.to_string(),
        Err(_) => "no value".to_string(),
    }
}
