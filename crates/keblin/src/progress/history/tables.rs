//! Tables of best values: every entry has an id, so it is the same entry however often it comes back, and two entries
//! with the same value are two.

use std::cmp::Ordering;

use keblin_model::order::sort_by;
use keblin_model::{Keep, Value};

use crate::broken::Broken;
use crate::snapshot::history::{EntryId, Written};

/// The number of the entry of a run that was replaced.
const OF_RUN: u64 = u64::MAX;

/// An entry with its value.
pub(super) type Entry = (EntryId, Value);

/// Returns the id of what a run has offered that was replaced on another machine.
pub(super) fn of_run(run: Written) -> EntryId {
    EntryId { written: run, number: OF_RUN }
}

/// Returns the entries of a table. Those that are not listed are from before histories: they are told apart by their
/// values.
pub(super) fn entries(values: &[Value], ids: Option<&[EntryId]>) -> Vec<Entry> {
    let held: Vec<&Value> = values.iter().filter(|value| **value != Value::Unset).collect();
    let entry = |(at, value): (usize, &&Value)| {
        let before = held.iter().take(at).filter(|other| *other == value).count();
        let unknown = EntryId { written: Written::UNKNOWN, number: before as u64 };
        let id = ids.and_then(|ids| ids.get(at)).copied().unwrap_or(unknown);
        (id, Value::clone(value))
    };
    held.iter().enumerate().map(entry).collect()
}

/// Returns the entries of a table after play: those that were there before keep their ids, and new ones get some.
pub(super) fn played(before: &[Entry], now: &[Value], top: Written) -> Vec<Entry> {
    let mut left: Vec<&Entry> = before.iter().collect();
    let held = (0..).zip(now.iter().filter(|value| **value != Value::Unset));
    held.map(|(number, value)| match left.iter().position(|(_, held)| held == value) {
        Some(at) => left.remove(at).clone(),
        None => (EntryId { written: top, number }, value.clone()),
    })
    .collect()
}

/// Returns the best entries of both tables. Of one entry the better value counts.
pub(super) fn join(keep: Keep, ours: &[Entry], theirs: &[Entry], places: usize) -> Vec<Entry> {
    let mut all: Vec<Entry> = Vec::new();
    for entry in ours.iter().chain(theirs) {
        match all.iter_mut().find(|held| is_same(held, entry)) {
            Some(held) if order(keep, entry, held) == Ordering::Less => held.clone_from(entry),
            Some(_) => {}
            None => all.push(entry.clone()),
        }
    }
    sort_by(&mut all, |one, other| order(keep, one, other));
    all.truncate(places);
    all
}

/// Returns whether two entries are the same one.
fn is_same((id, value): &Entry, (other, other_value): &Entry) -> bool {
    let is_one = id == other || Broken::EntriesByValue.is();
    is_one && ((id.written != Written::UNKNOWN && id == other) || value == other_value)
}

/// The better one first; of two with the same value the earlier one, as a game enters them.
fn order(keep: Keep, (id, value): &Entry, (other, other_value): &Entry) -> Ordering {
    let order = value.order(other_value).unwrap_or(Ordering::Equal);
    let order = if keep == Keep::Highest { order.reverse() } else { order };
    order.then_with(|| id.cmp(other)).then_with(|| value.cmp(other_value))
}
