//! CBOR maps with text keys, read in any order, with the offset of every value for messages: for saves that another
//! schema wrote.

use std::collections::BTreeMap;

use super::cursor::Cursor;
use super::error::{Fault, ReadError};
use super::layout::SaveLimits;

/// A value being read: some bytes of a section, and their place in the file.
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

    /// Returns a cursor at its start.
    pub(super) fn cursor(&self) -> Cursor<'b> {
        Cursor::new(self.section, self.offset, self.bytes)
    }

    /// Reads with a cursor that must use all bytes of the item.
    pub(super) fn whole<T>(
        &self,
        read: impl FnOnce(&mut Cursor<'b>) -> Result<T, ReadError>,
    ) -> Result<T, ReadError> {
        let mut cursor = self.cursor();
        let value = read(&mut cursor)?;
        if cursor.is_at_end() {
            return Ok(value);
        }
        Err(cursor.unexpected(cursor.offset(), "the end of the value"))
    }

    /// Reads the entries of a map by key. A repeated key is refused.
    pub(super) fn map(&self) -> Result<BTreeMap<&'b str, Item<'b>>, ReadError> {
        self.whole(|cursor| {
            let mut map = BTreeMap::new();
            for _ in 0..cursor.map("a map")? {
                let key = cursor.text("a key")?;
                let item = self.next(cursor)?;
                if map.insert(key, item.clone()).is_some() {
                    let expected = format!("each key once, but `{key}` is repeated");
                    return Err(item.cursor().unexpected(item.offset, expected));
                }
            }
            Ok(map)
        })
    }

    fn next(&self, cursor: &mut Cursor<'b>) -> Result<Item<'b>, ReadError> {
        let offset = cursor.offset();
        cursor.skip("a value", &SaveLimits::default())?;
        Ok(Item { section: self.section, offset, bytes: cursor.since(offset) })
    }

    pub(super) fn is_null(&self) -> bool {
        self.bytes == [0xf6]
    }

    /// Returns the error for a map without a required key.
    pub(super) fn without(&self, key: &str) -> ReadError {
        let fault =
            Fault::Unexpected { expected: format!("the key `{key}`"), found: "a map without it".into() };
        ReadError::new(self.section, self.offset, fault)
    }
}
