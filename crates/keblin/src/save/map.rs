//! CBOR maps with text keys: written in the deterministic order of RFC 8949, section 4.2.1 (bytewise by encoded key),
//! read in any order, with every value's offset kept for complaints.

use std::collections::BTreeMap;
use std::convert::Infallible;

use keblin_schema::Value;
use minicbor::data::Type;
use minicbor::decode::Error;
use minicbor::{Decoder, Encoder};

use super::error::{Fault, ReadError};
use super::values;
use crate::snapshot::Carried;

/// The bytes of what is written.
pub(super) fn encoded(write: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>) -> Vec<u8> {
    let mut bytes = Vec::new();
    // Writing to a vector never fails, so there is no error to hand on.
    let _ = write(&mut Encoder::new(&mut bytes));
    bytes
}

pub(super) type Failure = minicbor::encode::Error<Infallible>;

/// A map being written.
pub(super) struct MapOut<'a> {
    path: Vec<String>,
    carried: &'a Carried,
    entries: BTreeMap<Vec<u8>, Vec<u8>>,
}

impl<'a> MapOut<'a> {
    /// A map at a path; what is carried along below that path goes in with it.
    pub(super) fn at(path: &[&str], carried: &'a Carried) -> MapOut<'a> {
        let path: Vec<String> = path.iter().map(ToString::to_string).collect();
        let below = carried.iter().filter(|(key, _)| key.len() == path.len() + 1 && key.starts_with(&path));
        let entries =
            below.filter_map(|(key, bytes)| Some((key_bytes(key.last()?), bytes.clone()))).collect();
        MapOut { path, carried, entries }
    }

    /// A map inside this one.
    pub(super) fn inside(&self, key: &str) -> MapOut<'a> {
        let path: Vec<&str> = self.path.iter().map(String::as_str).chain([key]).collect();
        MapOut::at(&path, self.carried)
    }

    pub(super) fn put(&mut self, key: &str, bytes: Vec<u8>) {
        self.entries.insert(key_bytes(key), bytes);
    }

    pub(super) fn put_value(&mut self, key: &str, value: &Value) {
        self.put(key, encoded(|out| values::write(out, value)));
    }

    pub(super) fn put_id(&mut self, key: &str, id: Option<&str>) {
        self.put_value(key, &id.map_or(Value::Unset, Value::text));
    }

    pub(super) fn bytes(self) -> Vec<u8> {
        let mut bytes = encoded(|out| out.map(self.entries.len() as u64).map(drop));
        for (key, value) in self.entries {
            bytes.extend(key);
            bytes.extend(value);
        }
        bytes
    }
}

fn key_bytes(key: &str) -> Vec<u8> {
    encoded(|out| out.str(key).map(drop))
}

/// A value being read: some bytes of a section, and where they stand in the file.
#[derive(Clone, Debug)]
pub(super) struct Item<'b> {
    section: &'b str,
    offset: usize,
    bytes: &'b [u8],
}

impl<'b> Item<'b> {
    pub(super) fn new(section: &'b str, offset: usize, bytes: &'b [u8]) -> Item<'b> {
        Item { section, offset, bytes }
    }

    pub(super) fn bytes(&self) -> &'b [u8] {
        self.bytes
    }

    /// A complaint about this item.
    pub(super) fn unexpected(&self, expected: impl Into<String>) -> ReadError {
        let found = match Decoder::new(self.bytes).datatype() {
            Ok(Type::String) => {
                Decoder::new(self.bytes).str().map_or("a text".into(), |text| format!("{text:?}"))
            }
            Ok(kind) => format!("{kind}"),
            Err(_) => "no value".to_string(),
        };
        let fault = Fault::Unexpected { expected: expected.into(), found };
        ReadError::new(self.section, self.offset, fault)
    }

    /// The items of an array, of known length.
    pub(super) fn array(&self, expected: &str) -> Result<Vec<Item<'b>>, ReadError> {
        let ranges = self.whole(expected, |decoder| {
            let len = decoder.array()?.ok_or_else(|| Error::message("an array of known length"))?;
            let mut ranges = Vec::new();
            for _ in 0..len {
                let start = decoder.position();
                decoder.skip()?;
                ranges.push(start..decoder.position());
            }
            Ok(ranges)
        })?;
        Ok(ranges.into_iter().map(|range| self.part(range)).collect())
    }

    /// The entries of a map with keys of any kind.
    pub(super) fn pairs(&self, expected: &str) -> Result<Vec<(Item<'b>, Item<'b>)>, ReadError> {
        let ranges = self.whole(expected, |decoder| {
            let len = decoder.map()?.ok_or_else(|| Error::message("a map of known length"))?;
            let mut ranges = Vec::new();
            for _ in 0..len {
                let start = decoder.position();
                decoder.skip()?;
                let middle = decoder.position();
                decoder.skip()?;
                ranges.push((start..middle, middle..decoder.position()));
            }
            Ok(ranges)
        })?;
        Ok(ranges.into_iter().map(|(key, value)| (self.part(key), self.part(value))).collect())
    }

    fn part(&self, range: std::ops::Range<usize>) -> Item<'b> {
        let bytes = self.bytes.get(range.clone()).unwrap_or_default();
        Item { section: self.section, offset: self.offset + range.start, bytes }
    }

    /// Reads with a decoder that must use up all bytes of the item.
    pub(super) fn whole<T>(
        &self,
        expected: &str,
        read: impl FnOnce(&mut Decoder<'b>) -> Result<T, Error>,
    ) -> Result<T, ReadError> {
        let mut decoder = Decoder::new(self.bytes);
        match read(&mut decoder) {
            Ok(value) if decoder.position() == self.bytes.len() => Ok(value),
            _ => Err(self.unexpected(expected)),
        }
    }

    /// The entries of a map by key. A key twice is refused.
    pub(super) fn map(&self) -> Result<BTreeMap<&'b str, Item<'b>>, ReadError> {
        let found = self.whole("a map", |decoder| {
            let len = decoder.map()?.ok_or_else(|| Error::message("a map of known length"))?;
            let mut entries = Vec::new();
            for _ in 0..len {
                let key = decoder.str()?;
                let start = decoder.position();
                decoder.skip()?;
                entries.push((key, start..decoder.position()));
            }
            Ok(entries)
        })?;
        let mut map = BTreeMap::new();
        for (key, range) in found {
            let item = self.part(range);
            if map.insert(key, item.clone()).is_some() {
                return Err(item.unexpected(format!("each key once, and `{key}` is here twice")));
            }
        }
        Ok(map)
    }

    pub(super) fn is_null(&self) -> bool {
        self.bytes == [0xf6]
    }

    pub(super) fn bool(&self, what: &str) -> Result<bool, ReadError> {
        self.whole(&format!("{what} as true or false"), Decoder::bool)
    }

    pub(super) fn count(&self, what: &str) -> Result<u64, ReadError> {
        self.whole(&format!("{what} as a count"), Decoder::u64)
    }

    pub(super) fn text(&self, what: &str) -> Result<&'b str, ReadError> {
        self.whole(&format!("{what} as text"), Decoder::str)
    }

    /// A value that must be there.
    pub(super) fn required(
        &self,
        map: &BTreeMap<&'b str, Item<'b>>,
        key: &str,
    ) -> Result<Item<'b>, ReadError> {
        map.get(key).cloned().ok_or_else(|| self.unexpected(format!("a map with the key `{key}`")))
    }
}
