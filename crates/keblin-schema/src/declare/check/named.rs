//! Which fields the declaration names outside their own table: in a rule, a bound, a record or the lives.

use crate::condition::{Program, Read};
use crate::declare::parse::Declarations;
use crate::model::Model;
use crate::text::finding::{Code, Finding};
use keblin_model::Severity;

use super::bounds::programs;

/// Returns a hint for every field that nothing names, with the field's position.
pub(crate) fn unnamed(declared: &Declarations, model: &Model) -> Vec<(usize, Finding)> {
    let mut named = vec![false; model.fields.len()];
    let mut name = |field: Option<usize>| {
        field.and_then(|field| named.get_mut(field)).into_iter().for_each(|named| *named = true);
    };
    let levels = model.levels.iter().flat_map(|level| level.lock.iter().chain(&level.star_rules));
    let unlocks = model.unlocks.iter().filter_map(|unlock| unlock.when.as_ref());
    let moments = model.moments.iter().filter_map(|moment| moment.when.as_ref());
    let invariants = model.invariants.iter().filter_map(|invariant| invariant.holds.as_ref());
    let rules = levels.chain(unlocks).chain(moments).chain(invariants).map(|rule| &rule.program);
    let bounds = (0..model.fields.len()).flat_map(|field| programs(model, field));
    for read in rules.chain(bounds).flat_map(Program::reads) {
        if let Read::Cells(cells) = read {
            name(model.owners.get(cells.start).and_then(|owner| usize::try_from(*owner).ok()));
        }
    }
    for (index, field) in model.fields.iter().enumerate() {
        if let Some(feed) = &field.feed {
            name(Some(index));
            name(Some(feed.from));
        }
        for (_, from) in field.with.iter().flat_map(|with| &with.from) {
            name(Some(*from));
        }
    }
    model.summary.iter().for_each(|field| name(Some(*field)));
    name(model.lives.as_ref().map(|lives| lives.field));
    model.unlocks.iter().flat_map(|unlock| &unlock.costs).for_each(|(field, _)| name(Some(*field)));
    let unnamed = named.iter().zip(&declared.fields).enumerate().filter(|(_, (named, _))| !**named);
    let hint = |field: &crate::declare::parse::FieldDecl| {
        let message = format!("no rule, record or rehearsal names `{}`", field.name.value);
        let finding = Finding::error(Code::UnnamedField, field.name.span.clone(), message);
        finding.as_severity(Severity::Hint).instead("test it in a rehearsal, or leave it out")
    };
    unnamed.map(|(index, (_, field))| (index, hint(field))).collect()
}
