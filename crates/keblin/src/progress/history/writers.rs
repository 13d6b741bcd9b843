//! Who wrote what, for people: the machines of a save, and what each of them has added, written and scored.

use std::collections::BTreeMap;
use std::fmt;

use keblin_model::Value;
use keblin_model::program::Fact;

use crate::grammar::listed::{FactOf, Leaf};
use crate::progress::parts::Part;
use crate::snapshot::history::{Amount, Content, History, Piece, Written, as_number, like, profile_fields};
use crate::snapshot::{AREA, Snapshot, area_of};

/// A slot on one machine, by the id that it has in saves. It is shown by its last four hexadecimal digits.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct MachineId(pub u64);

impl fmt::Display for MachineId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:04x}", self.0 & 0xffff)
    }
}

/// Who wrote what is in a save.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Writers {
    /// Every machine, and when it wrote last, in milliseconds since 1970, the latest first.
    pub machines: Vec<(MachineId, u64)>,
    /// Values, each with the machines that wrote it. A value that the save says nothing about is not here.
    pub values: Vec<WrittenValue>,
}

/// A value, and the machines that wrote it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WrittenValue {
    /// What it is, as people read it: `coppers`, `attempts at reedgate, neap`, `the run`.
    pub what: String,
    /// What of an amount was there before anybody is known to have changed it; unset for anything else.
    pub start: Value,
    /// What was below the lower bound of an amount after a merge, and was given to the player; unset if nothing was.
    pub forgiven: Value,
    /// What was above the upper bound of an amount after a merge, and was taken; unset if nothing was.
    pub forfeited: Value,
    /// What each machine has to do with it.
    pub shares: Vec<(MachineId, Share)>,
}

/// What a machine has to do with a value.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Share {
    /// It has added to an amount and taken from it.
    Counted {
        /// What it has added.
        added: Value,
        /// What it has taken.
        taken: Value,
    },
    /// It has written the value, at this time in milliseconds since 1970.
    Wrote(u64),
    /// It has scored so many entries of a table.
    Entries(usize),
}

impl Snapshot {
    /// Returns who wrote what is in a save that was opened; nothing of progress that was never saved, and of a save that does
    /// not say.
    #[must_use]
    pub fn writers(&self) -> Writers {
        let Some(history) = self.history.as_deref() else { return Writers::default() };
        let mut machines: Vec<(MachineId, u64)> =
            history.writers.iter().map(|(id, last)| (MachineId(*id), *last)).collect();
        machines.sort_by_key(|(id, last)| (std::cmp::Reverse(*last), *id));
        let listing = Listing { snapshot: self, history };
        Writers { machines, values: listing.values() }
    }
}

struct Listing<'l> {
    snapshot: &'l Snapshot,
    history: &'l History,
}

impl Listing<'_> {
    fn values(&self) -> Vec<WrittenValue> {
        let Snapshot { schema, state, areas, .. } = self.snapshot;
        let mut values = Vec::new();
        for field in profile_fields(schema) {
            for first in field.cells.clone().step_by(field.places) {
                let piece = Piece::of_field(field, first);
                let value = state.cells.get(first).filter(|_| field.keep.is_amount());
                values.extend(match value {
                    Some(value) => self.amount(&Part::Table(first), &piece, value, &field.default),
                    None => self.written(&Part::Table(first), &piece),
                });
            }
        }
        for (index, facts) in state.facts.iter().enumerate() {
            for (fact, of) in [(Fact::Attempts, FactOf::Attempts), (Fact::Deaths, FactOf::Deaths)] {
                let (part, piece) = (Part::Fact(index, fact), Piece::of_fact(of, index));
                values.extend(self.amount(&part, &piece, &of.count(facts), &Value::Int(0)));
            }
        }
        let (played, zero) = (Value::Time(state.played), Value::Time(keblin_model::Time::ZERO));
        values.extend(self.amount(&Part::Played, &Piece::Leaf(Leaf::Played), &played, &zero));
        values.extend(self.written(&Part::Title, &Piece::Title));
        values.extend(self.written(&Part::Run, &Piece::Run));
        for name in areas.keys() {
            if let Some((AREA, id)) = area_of(name) {
                values.extend(self.written(&Part::Area(name.clone()), &Piece::Area(id.into())));
            }
        }
        values
    }

    fn named(&self, part: &Part, shares: Vec<(MachineId, Share)>) -> Option<WrittenValue> {
        let what = match part {
            Part::Run => "the run".to_string(),
            part => part.text(&self.snapshot.schema),
        };
        let [start, forgiven, forfeited] = [const { Value::Unset }; 3];
        let is_said = !shares.is_empty();
        is_said.then_some(WrittenValue { what, start, forgiven, forfeited, shares })
    }

    fn amount(&self, part: &Part, piece: &Piece, value: &Value, default: &Value) -> Option<WrittenValue> {
        let amount: Amount = self.history.amount(piece, &as_number(value), &as_number(default));
        let of = |number: &Value| like(default, number);
        let shares = amount.by.iter().map(|(machine, (added, taken))| {
            (MachineId(*machine), Share::Counted { added: of(added), taken: of(taken) })
        });
        let named = self.named(part, shares.collect())?;
        let maybe = |number: &Option<Value>| number.as_ref().map_or(Value::Unset, &of);
        Some(WrittenValue {
            start: amount.start.as_ref().map_or_else(|| default.clone(), &of),
            forgiven: maybe(&amount.forgiven),
            forfeited: maybe(&amount.forfeited),
            ..named
        })
    }

    fn written(&self, part: &Part, piece: &Piece) -> Option<WrittenValue> {
        let shares = match &self.history.pieces.get(piece)?.content {
            Content::Plain(written) if *written != Written::UNKNOWN => {
                vec![(MachineId(written.writer), Share::Wrote(written.time))]
            }
            Content::Table(entries) => {
                let mut count: BTreeMap<u64, usize> = BTreeMap::new();
                let known = entries.iter().filter(|entry| entry.written != Written::UNKNOWN);
                known.for_each(|entry| *count.entry(entry.written.writer).or_default() += 1);
                count
                    .into_iter()
                    .map(|(machine, count)| (MachineId(machine), Share::Entries(count)))
                    .collect()
            }
            _ => Vec::new(),
        };
        self.named(part, shares)
    }
}
