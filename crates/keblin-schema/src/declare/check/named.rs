//! Which fields the declaration itself names outside of their own table: in a rule, a bound, a record or the lives.

use crate::condition::{Program, Read};
use crate::finding::{Code, Finding, Severity};
use crate::model::Schema;
use crate::parse::Declarations;

use super::bounds::programs;

/// A hint for every field that nothing names, with the field's position.
pub(crate) fn unnamed(declared: &Declarations, schema: &Schema) -> Vec<(usize, Finding)> {
    let mut named = vec![false; schema.fields.len()];
    let mut name = |field: Option<usize>| {
        field.and_then(|field| named.get_mut(field)).into_iter().for_each(|named| *named = true);
    };
    let levels = schema.levels.iter().flat_map(|level| level.unlock.iter().chain(&level.star_rules));
    let unlocks = schema.unlocks.iter().filter_map(|unlock| unlock.when.as_ref());
    let moments = schema.moments.iter().filter_map(|moment| moment.when.as_ref());
    let rules = levels.chain(unlocks).chain(moments).map(|rule| &rule.program);
    let bounds = (0..schema.fields.len()).flat_map(|field| programs(schema, field));
    for read in rules.chain(bounds).flat_map(Program::reads) {
        if let Read::Cells(cells) = read {
            name(schema.owners.get(cells.start).and_then(|owner| usize::try_from(*owner).ok()));
        }
    }
    for (index, field) in schema.fields.iter().enumerate() {
        if let Some(feed) = &field.feed {
            name(Some(index));
            name(Some(feed.from));
        }
    }
    name(schema.lives.as_ref().map(|lives| lives.field));
    let unnamed = named.iter().zip(&declared.fields).enumerate().filter(|(_, (named, _))| !**named);
    let hint = |field: &crate::parse::FieldDecl| {
        let message = format!("no rule, record or rehearsal names `{}`", field.name.value);
        let finding = Finding::error(Code::UnnamedField, field.name.span.clone(), message);
        finding.as_severity(Severity::Hint).instead("rehearse what becomes of it, or leave it out")
    };
    unnamed.map(|(index, (_, field))| (index, hint(field))).collect()
}
