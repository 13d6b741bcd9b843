//! Numbers of characters, bytes, items and places.

use super::Placed;
use super::table::Reader;
use crate::text::finding::{Code, Finding};

/// The most characters, bytes or items that a field can be declared with.
const MAX_LENGTH: i64 = 65_536;

/// The most places of a table of best values.
const MAX_PLACES: i64 = 1_000;

/// Reads a number of characters, bytes, items or places.
pub(super) fn length(reader: &Reader<'_, '_>, key: &str, found: &mut Vec<Finding>) -> Option<Placed<usize>> {
    let item = reader.get(key)?;
    let number = reader.integer(item, found)?;
    let most = if key == "places" { MAX_PLACES } else { MAX_LENGTH };
    let length = usize::try_from(number).ok().filter(|_| (1..=most).contains(&number));
    if length.is_none() {
        let message = format!("`{key}` must be from 1 to {most}, but found {number}");
        found.push(Finding::error(Code::OutOfRange, item.span(), message));
    }
    length.map(|value| Placed { value, span: reader.key_span(key) })
}
