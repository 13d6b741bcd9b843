//! Whether what a save says of who wrote what fits its values: amounts add up, and every entry of a table has an id.

use keblin_model::Value;
use keblin_model::model::Bound;

use crate::grammar::listed::{FactOf, Leaf};
use crate::snapshot::Snapshot;
use crate::snapshot::history::{Amount, Content, History, Piece, Written, as_number, like};

/// Returns what does not fit, each with its place in the save.
pub(crate) fn unfitting(snapshot: &Snapshot) -> Vec<(String, String)> {
    let Some(history) = &snapshot.history else { return Vec::new() };
    let names = snapshot.schema.plan().names(&snapshot.schema);
    let mut found = Vec::new();
    for (piece, past) in &history.pieces {
        let wrong = match &past.content {
            Content::Value => None,
            Content::Plain(written) => unknown_write(history, *written),
            Content::Amount(amount) => sum(snapshot, piece, amount),
            Content::Table(entries) => count(snapshot, piece, entries.len())
                .or_else(|| entries.iter().find_map(|entry| unknown_write(history, entry.written))),
        };
        let place = || format!("history.{}", piece.name(names).unwrap_or_default().trim_start_matches(':'));
        found.extend(wrong.map(|wrong| {
            (place(), format!("{wrong}; merging this save with another one can lose or double a part of it"))
        }));
    }
    found
}

/// Returns what is wrong with a write that is later than the last one of its writer.
fn unknown_write(history: &History, written: Written) -> Option<String> {
    let Written { time, writer } = written;
    (!history.has_seen(written)).then(|| {
        let last = history.writers.get(&writer).copied().unwrap_or_default();
        format!("it was written at {time}, but its writer wrote last at {last}, in milliseconds since 1970")
    })
}

/// Compares the parts of an amount with its value, within bounds that are fixed.
fn sum(snapshot: &Snapshot, piece: &Piece, amount: &Amount) -> Option<String> {
    let Snapshot { schema, state, carried, .. } = snapshot;
    let zero = Value::Int(0);
    let (value, total) = match piece {
        Piece::Leaf(Leaf::Cell(cell)) => {
            let field = schema.field_at(*cell)?;
            // A bound that follows another value, and a value that another build keeps, say nothing here.
            let is_fixed = |bound: &Option<Bound>| bound.as_ref().is_none_or(|bound| bound.fixed().is_some());
            let is_sure = field.keep.is_amount() && is_fixed(&field.min) && is_fixed(&field.max);
            if !is_sure || carried.values.contains_key(cell) {
                return None;
            }
            let total = amount.total(&as_number(&field.default));
            let total = like(&field.default, &total);
            (state.cells.get(*cell)?.clone(), field.clamped_to_fixed(&total).unwrap_or(total))
        }
        Piece::Leaf(Leaf::Fact(fact @ (FactOf::Attempts | FactOf::Deaths), index)) => {
            (fact.count(state.facts.get(*index)?), amount.total(&zero))
        }
        Piece::Leaf(Leaf::Played) => (Value::Int(state.played.as_nanos()), amount.total(&zero)),
        _ => return None,
    };
    let is_sum = match (&value, &total) {
        // Each part was rounded by itself.
        (Value::Float(value), Value::Float(total)) => {
            (value.get() - total.get()).abs() <= value.get().abs().max(1.0) * 1e-9
        }
        (value, total) => value == total,
    };
    (!is_sum)
        .then(|| format!("what the machines have added and taken makes {total}, but the value is {value}"))
}

fn count(snapshot: &Snapshot, piece: &Piece, entries: usize) -> Option<String> {
    let Piece::Leaf(leaf) = piece else { return None };
    let values = snapshot.state.cells.get(leaf.cells())?;
    let held = values.iter().filter(|value| **value != Value::Unset).count();
    (held != entries).then(|| format!("{entries} entries are known, but the table has {held}"))
}
