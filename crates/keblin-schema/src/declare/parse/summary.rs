//! `[summary]`: what a list of slots shows without opening one.

use super::Placed;
use super::table::Reader;
use crate::text::finding::Finding;

/// Reads the names of the fields; what they are is checked later.
pub(super) fn fields(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<Placed<String>> {
    let Some((table, span)) = top.table("summary", found) else { return Vec::new() };
    let reader = Reader::new("the summary", table, span, &["fields"], text, found);
    reader.required("fields", found, "fields = [\"hero_name\"]");
    reader.texts("fields", found)
}
