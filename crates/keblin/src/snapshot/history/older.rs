//! What an older build has saved in between: it writes values, and carries the history along as it was. It counts as a
//! second copy of the writer that wrote last.

use keblin_model::{Keep, Value};

use super::amount::as_number;
use super::leaves::profile_fields;
use super::{Content, History, Past, Piece, Written};
use crate::grammar::listed::{FactOf, Leaf};
use crate::snapshot::{AREA, Snapshot, area_of};

impl History {
    /// Catches up with a snapshot that an older build has saved at some time: it has written every plain value, and the
    /// difference of each amount is its own.
    pub(crate) fn was_left_behind(
        &mut self,
        snapshot: &Snapshot,
        areas: impl Iterator<Item = impl AsRef<str>>,
        saved_unix_ms: u64,
    ) {
        let writer = self.top.writer;
        self.top = Written { time: saved_unix_ms.max(self.top.time.saturating_add(1)), writer };
        self.writers.insert(writer, self.top.time);
        let state = &snapshot.state;
        for field in profile_fields(&snapshot.schema) {
            for first in field.cells.clone().step_by(field.places) {
                let piece = Piece::of_field(field, first);
                match (field.keep, state.cells.get(first)) {
                    (Keep::Latest, _) => self.written_now(piece),
                    (keep, Some(now)) if keep.is_amount() => self.caught_up(piece, now, &field.default),
                    _ => {}
                }
            }
        }
        for (index, facts) in state.facts.iter().enumerate() {
            for fact in [FactOf::Attempts, FactOf::Deaths] {
                self.caught_up(Piece::of_fact(fact, index), &fact.count(facts), &Value::Int(0));
            }
        }
        self.caught_up(Piece::Leaf(Leaf::Played), &Value::Time(state.played), &Value::Int(0));
        for name in areas {
            if let Some((AREA, id)) = area_of(name.as_ref()) {
                self.written_now(Piece::Area(id.into()));
            }
        }
        self.written_now(Piece::Title);
        self.written_now(Piece::Run);
        self.run = match (&state.run, self.run) {
            (None, _) => Written::UNKNOWN,
            (Some(_), Written::UNKNOWN) => self.top,
            (Some(_), run) => run,
        };
    }

    fn written_now(&mut self, piece: Piece) {
        let erased = self.erased(&piece);
        self.set(piece, Past { erased, content: Content::Plain(self.top) });
    }

    /// Catches up with an amount. One that is not listed is the founder's, whoever it was.
    fn caught_up(&mut self, piece: Piece, now: &Value, default: &Value) {
        let Some(Past { erased, content: Content::Amount(amount) }) = self.pieces.get(&piece) else { return };
        let (erased, mut amount) = (*erased, amount.clone());
        let [now, default] = [now, default].map(as_number);
        let before = amount.total(&default);
        amount.change(self.top.writer, (&before, &now), &default);
        self.set_amount(piece, erased, amount, &now, &default);
    }
}
