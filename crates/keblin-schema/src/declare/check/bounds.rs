//! Bounds that follow other values: compiled, of the field's own type, not circular, and checked against defaults.

use std::cmp::Ordering;

use crate::condition::compile_any;
use crate::condition::{Facts, Program, Read, Type, Word};
use crate::declare::parse::{BoundDecl, Declarations, Placed};
use crate::model::{Bound, Model};
use crate::program::Fact;
use crate::text::finding::{Code, Finding};
use crate::value::Value;

use super::place::{misplaced, place};

/// Compiles every bound that is an expression.
pub(super) fn compile(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    let mut bounds = Vec::new();
    for (index, field) in declared.fields.iter().enumerate() {
        for (is_max, bound) in [(false, &field.min), (true, &field.max)] {
            let Some(Placed { value: BoundDecl::Follows(source), .. }) = bound else { continue };
            let kind = model.fields.get(index).map(|field| Type::from(field.holds()));
            match compile_any(model, &source.text) {
                Ok((program, found_kind)) if Some(found_kind) == kind => {
                    bounds.push((index, is_max, program))
                }
                Ok((_, found_kind)) => {
                    let expected = kind.map_or(String::new(), |kind| kind.to_string());
                    let message = format!("expected {expected} as the field is, but found {found_kind}");
                    found.push(Finding::error(
                        Code::Condition,
                        place(&(0..source.text.len()), source),
                        message,
                    ));
                }
                Err(error) => found.push(misplaced(error, source)),
            }
        }
    }
    for (index, is_max, program) in bounds {
        if let Some(field) = model.fields.get_mut(index) {
            let side = if is_max { &mut field.max } else { &mut field.min };
            *side = Some(Bound::Follows(Box::new(program)));
        }
    }
    model.following =
        (0..model.fields.len()).filter(|field| programs(model, *field).next().is_some()).collect();
    circles(declared, model, found);
    defaults(declared, model, found);
}

/// Returns the programs of a field's bounds.
pub(super) fn programs(model: &Model, field: usize) -> impl Iterator<Item = &Program> {
    let bounds = model.fields.get(field).into_iter().flat_map(|field| [&field.min, &field.max]);
    bounds
        .flatten()
        .filter_map(|bound| if let Bound::Follows(program) = bound { Some(program.as_ref()) } else { None })
}

/// Returns the fields that a field's bounds name.
fn named(model: &Model, field: usize) -> Vec<usize> {
    let reads = programs(model, field).flat_map(Program::reads);
    let owners = reads.filter_map(|read| match read {
        Read::Cells(cells) => model.owners.get(cells.start).and_then(|owner| usize::try_from(*owner).ok()),
        _ => None,
    });
    owners.collect()
}

/// Reports bounds that depend on the field they limit, because they would never settle.
fn circles(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    for index in 0..model.fields.len() {
        let mut seen = Vec::new();
        let mut next = named(model, index);
        while let Some(field) = next.pop() {
            if !seen.contains(&field) {
                seen.push(field);
                next.extend(named(model, field));
            }
        }
        let bounds = declared.fields.get(index).map(|field| [&field.max, &field.min]);
        let follows = |bound: &&Placed<BoundDecl>| matches!(bound.value, BoundDecl::Follows(_));
        let bound = bounds.into_iter().flatten().flatten().find(follows);
        if let (true, Some(bound), Some(field)) = (seen.contains(&index), bound, model.fields.get(index)) {
            let message = format!("the bounds of `{0}` depend on `{0}` itself, in a circle", field.name);
            let finding = Finding::error(Code::CircularBounds, bound.span.clone(), message);
            found.push(finding.instead("use a number for one of them"));
        }
    }
}

/// Reports defaults that are outside their bounds when all values are at their defaults.
fn defaults(declared: &Declarations, model: &Model, found: &mut Vec<Finding>) {
    for (field, decl) in model.fields.iter().zip(&declared.fields) {
        for (bound, side, word) in
            [(&field.min, Ordering::Less, "below min"), (&field.max, Ordering::Greater, "above max")]
        {
            let Some(Bound::Follows(program)) = bound else { continue };
            let Some(limit) = program.outcome(&Declared(model), 0, field.holds().into()) else { continue };
            if field.default.order(&limit) == Some(side) {
                let said = if decl.default.is_some() { "the default" } else { "the implied default" };
                let message = format!(
                    "{said} {} lies {word} {}, which is {limit} on the first launch",
                    field.default,
                    program.source()
                );
                let span =
                    decl.default.as_ref().map_or(decl.name.span.clone(), |default| default.span.clone());
                found.push(Finding::error(Code::DefaultOutsideBounds, span, message));
            }
        }
    }
}

/// All values at their defaults, before anything was played.
struct Declared<'s>(&'s Model);

impl Facts for Declared<'_> {
    fn cell(&self, cell: usize) -> &Value {
        self.0.cell_owner(cell).map_or(&Value::Unset, |(field, _)| &field.default)
    }
    fn fact(&self, _: usize, _: Fact) -> i64 {
        0
    }
    fn word(&self, word: Word) -> Option<&str> {
        match word {
            Word::Phase => Some("title"),
            Word::Difficulty => self.0.difficulties.first().map(AsRef::as_ref),
            _ => None,
        }
    }
    fn unlocked(&self, _: usize) -> bool {
        false
    }
    fn played_nanos(&self) -> i64 {
        0
    }
}
