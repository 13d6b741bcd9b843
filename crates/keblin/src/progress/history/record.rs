//! What a save adds to the history: whatever has changed since the last save was written now, by this writer.

use std::borrow::Cow;
use std::sync::Arc;

use keblin_model::keep::meet;
use keblin_model::model::Again;
use keblin_model::{Keep, Value};

use super::tables;
use crate::broken::Broken;
use crate::grammar::listed::{FactOf, Leaf};
use crate::progress::Engine;
use crate::progress::erase::Erase;
use crate::snapshot::history::{
    Content, History, MAX_WRITERS, Past, Piece, Written, as_number, profile_fields,
};
use crate::snapshot::{AREA, Snapshot, State, area_of};

/// What was erased since the last save.
#[derive(Clone, Debug, Default)]
pub(crate) struct Erasures {
    /// Whether the whole profile was.
    all: bool,
    pieces: Vec<Piece>,
}

impl Erasures {
    /// Returns what some calls have erased in a save.
    pub(crate) fn of(erased: &[Erase], snapshot: &Snapshot) -> Erasures {
        if erased.is_empty() {
            return Erasures::default();
        }
        let view = Engine::view(snapshot);
        Erasures {
            all: erased.iter().any(|what| matches!(what, Erase::Profile)),
            pieces: erased.iter().flat_map(|what| view.pieces_of(what)).collect(),
        }
    }
}

impl Erasures {
    /// Returns what seems to be erased in a save that continues another one: what has its first value again.
    pub(crate) fn between(before: &Snapshot, now: &Snapshot) -> Erasures {
        let schema = &now.schema;
        let first = State::first(schema);
        let mut erasures = Erasures { all: now.state.run.is_none(), pieces: Vec::new() };
        for leaf in schema.plan().names(schema).leaves() {
            let [was, is, never] = [&before.state, &now.state, &first].map(|state| leaf.only(state, &first));
            erasures.all &= is == never;
            if is == never && was != never {
                erasures.pieces.push(Piece::Leaf(*leaf));
            }
        }
        // Something was erased: if it is not known what, it may be anything.
        erasures.all |= erasures.pieces.is_empty();
        erasures
    }
}

/// Returns a snapshot with its history, if a writer saves it now; `before` is the save that it continues, if there is
/// one. Fields that are fed when a run ends get what a run has offered that was replaced elsewhere.
pub(crate) fn recorded(
    before: Option<&Snapshot>,
    now: &Snapshot,
    writer: u64,
    now_unix_ms: u64,
    erased: &Erasures,
) -> Snapshot {
    let first = || Snapshot::of_state(&now.schema, State::first(&now.schema));
    let is_first = before.is_none();
    let before = before.map_or_else(|| Cow::Owned(first()), Cow::Borrowed);
    let mut history = before.history.as_deref().cloned().unwrap_or_default();
    let is_unchanged = *before == *now && before.title == now.title && before.runs_begun == now.runs_begun;
    if is_unchanged && !erased.all && erased.pieces.is_empty() && before.history.is_some() {
        return Snapshot { history: before.history.clone(), ..now.clone() };
    }
    let is_known = history.writers.contains_key(&writer) || history.writers.len() < MAX_WRITERS;
    let writer = if is_known { writer } else { history.top.writer };
    let top = Written { time: now_unix_ms.max(history.top.time.saturating_add(1)), writer };
    (history.top, history.founder) = (top, if is_first { top } else { history.founder });
    history.writers.insert(writer, top.time);
    let mut recording = Recording { before, now: now.clone(), history, top };
    recording.erase(erased);
    recording.run();
    recording.fields();
    recording.facts();
    recording.plain(Piece::Title, |snapshot| snapshot.title.as_deref().map(Value::text));
    recording.areas();
    recording.offers();
    Snapshot { history: Some(Arc::new(recording.history)), ..recording.now }
}

struct Recording<'r> {
    before: Cow<'r, Snapshot>,
    now: Snapshot,
    history: History,
    top: Written,
}

impl Recording<'_> {
    fn erase(&mut self, erased: &Erasures) {
        if erased.all {
            let History { top, writers, erased, .. } = std::mem::take(&mut self.history);
            self.history = History { top, writers, founder: top, erased: erased + 1, ..History::default() };
            self.before = Cow::Owned(Snapshot::of_state(&self.now.schema, State::first(&self.now.schema)));
        }
        if erased.pieces.is_empty() {
            return;
        }
        let first = State::first(&self.now.schema);
        let before = &mut self.before.to_mut().state;
        for piece in &erased.pieces {
            let erased = self.history.erased(piece) + u64::from(!Broken::ErasureUncounted.is());
            self.history.set(piece.clone(), Past { erased, content: Content::Value });
            match piece {
                Piece::Leaf(leaf) => leaf.copy(&first, before),
                Piece::Run => before.run = None,
                _ => {}
            }
            self.history.offers.retain(|(_, cell), _| !is_of(piece, *cell));
        }
    }

    fn run(&mut self) {
        let Recording { before, now, history, top } = self;
        let was = history.run;
        history.run = match (&before.state.run, &now.state.run) {
            (_, None) => Written::UNKNOWN,
            (Some(_), Some(_)) if before.runs_begun == now.runs_begun && was != Written::UNKNOWN => was,
            _ => *top,
        };
        if !is_same_run(before, now) || history.run != was {
            self.write(Piece::Run);
        }
        // The game itself has offered what a run is worth that has ended here.
        let run = self.history.run;
        self.history.offers.retain(|(of, _), _| *of != was || run == was);
    }

    /// Notes that a plain piece was written now.
    fn write(&mut self, piece: Piece) {
        if Broken::WritesForgotten.is() {
            return;
        }
        let erased = self.history.erased(&piece);
        self.history.set(piece, Past { erased, content: Content::Plain(self.top) });
    }

    fn plain(&mut self, piece: Piece, value: impl Fn(&Snapshot) -> Option<Value>) {
        if value(&self.before) != value(&self.now) {
            self.write(piece);
        }
    }

    fn fields(&mut self) {
        let schema = Arc::clone(&self.now.schema);
        for field in profile_fields(&schema) {
            let all = |state: &State| state.cells.get(field.cells.clone()).map(<[Value]>::to_vec);
            // Few fields have changed since the last save, so the others are not copied.
            if self.before.state.cells.get(field.cells.clone())
                == self.now.state.cells.get(field.cells.clone())
            {
                continue;
            }
            let (Some(before), Some(now)) = (all(&self.before.state), all(&self.now.state)) else { continue };
            let tables = before.chunks(field.places).zip(now.chunks(field.places)).enumerate();
            for (at, (before, now)) in tables.filter(|(_, (before, now))| before != now) {
                let piece = Piece::of_field(field, field.cells.start + at * field.places);
                match (field.keep, before, now) {
                    (Keep::Latest, ..) => self.write(piece),
                    (keep, [before], [now]) if keep.is_amount() => {
                        self.change(&piece, (before, now), &field.default);
                    }
                    (keep, ..) if keep.is_record() && field.places > 1 => {
                        let ids = self.history.table(&piece);
                        let before = tables::entries(before, ids);
                        let entries = tables::played(&before, now, self.top);
                        let content = Content::Table(entries.into_iter().map(|(id, _)| id).collect());
                        let erased = self.history.erased(&piece);
                        self.history.set(piece, Past { erased, content });
                    }
                    _ => {}
                }
            }
        }
    }

    fn facts(&mut self) {
        let zero = Value::Int(0);
        for index in 0..self.now.state.facts.len() {
            let of = |state: &State| state.facts.get(index).copied().unwrap_or_default();
            let (before, now) = (of(&self.before.state), of(&self.now.state));
            if before == now {
                continue;
            }
            for fact in [FactOf::Attempts, FactOf::Deaths] {
                let (before, now) = (fact.count(&before), fact.count(&now));
                if before != now {
                    self.change(&Piece::of_fact(fact, index), (&before, &now), &zero);
                }
            }
        }
        let [before, now] =
            [&self.before, &self.now].map(|snapshot| Value::Int(snapshot.state.played.as_nanos()));
        if before != now {
            self.change(&Piece::Leaf(Leaf::Played), (&before, &now), &zero);
        }
    }

    /// Notes a change of an amount.
    fn change(&mut self, piece: &Piece, (before, now): (&Value, &Value), default: &Value) {
        let [before, now, default] = [before, now, default].map(as_number);
        let mut amount = self.history.amount(piece, &before, &default);
        amount.change(self.top.writer, (&before, &now), &default);
        let erased = self.history.erased(piece);
        self.history.set_amount(piece.clone(), erased, amount, &now, &default);
    }

    fn areas(&mut self) {
        let (before, now) = (Arc::clone(&self.before.areas), Arc::clone(&self.now.areas));
        if Arc::ptr_eq(&before, &now) {
            return;
        }
        for name in before.keys().chain(now.keys()) {
            let Some((AREA, id)) = area_of(name) else { continue };
            if before.get(name) != now.get(name) {
                self.write(Piece::Area(Arc::from(id)));
            }
        }
    }

    /// Notes what the run would give to the fields that are fed when it ends. They get what other runs have offered: those
    /// were replaced on another machine.
    fn offers(&mut self) {
        let run = self.history.run;
        if run != Written::UNKNOWN {
            for (cell, value) in Engine::offers_of_run(&self.now) {
                let offered = self.history.offers.entry((run, cell)).or_insert(Value::Unset);
                let keep = self.now.schema.field_at(cell).map(|field| field.keep);
                if let Some(better) = keep.and_then(|keep| meet(keep, offered, &value)) {
                    *offered = better;
                }
            }
        }
        self.history.take_offers(&mut self.now);
    }
}

impl History {
    /// Gives every field what runs have offered that are over, and forgets what is not better than the field.
    pub(super) fn take_offers(&mut self, snapshot: &mut Snapshot) {
        let (schema, run) = (Arc::clone(&snapshot.schema), self.run);
        for (of, cell) in self.offers.keys().copied().collect::<Vec<_>>() {
            let (Some(field), Some(offered)) = (schema.field_at(cell), self.offers.get(&(of, cell))) else {
                self.offers.remove(&(of, cell));
                continue;
            };
            let (offered, places) = (offered.clone(), cell..cell + field.places);
            let Some(held) = snapshot.state.cells.get_mut(places) else { continue };
            let piece = Piece::of_field(field, cell);
            let better = match held {
                [held] => meet(field.keep, held, &offered).map(|better| (vec![better], None)),
                _ => {
                    let entries = tables::entries(held, self.table(&piece));
                    let more = [(tables::of_run(of), offered)];
                    let all = tables::join(field.keep, &entries, &more, field.places);
                    let (ids, mut values): (Vec<_>, Vec<_>) = all.iter().cloned().unzip();
                    values.resize(field.places, Value::Unset);
                    (all != entries).then_some((values, Some(ids)))
                }
            };
            match better {
                // It counts when the run ends.
                Some(_) if of == run => {}
                Some((values, ids)) => {
                    held.clone_from_slice(&values);
                    if let Some(ids) = ids {
                        let erased = self.erased(&piece);
                        self.set(piece, Past { erased, content: Content::Table(ids) });
                    }
                    self.offers.remove(&(of, cell));
                }
                None => drop(self.offers.remove(&(of, cell))),
            }
        }
    }
}

/// Returns whether a piece is the field of a cell.
fn is_of(piece: &Piece, cell: usize) -> bool {
    matches!(piece, Piece::Leaf(Leaf::Cell(first) | Leaf::Table { first, .. }) if *first == cell)
}

/// Returns whether two saves have the same run, with the same values.
fn is_same_run(one: &Snapshot, other: &Snapshot) -> bool {
    let schema = &one.schema;
    let [cells, others] = [one, other].map(|of| of.state.cells.get(..schema.copied_cells));
    let [a, b] = [one, other].map(|of| &of.state);
    let told = a.told.iter().zip(&b.told).zip(&schema.moments);
    let [copies, other_copies] =
        [one, other].map(|of| of.areas.iter().filter(|(name, _)| !matches!(area_of(name), Some((AREA, _)))));
    a.run == b.run
        && a.difficulty == b.difficulty
        && cells == others
        && (a.entry_at, a.checkpoint_at) == (b.entry_at, b.checkpoint_at)
        && told.into_iter().all(|((a, b), moment)| a == b || moment.again == Again::Profile)
        && copies.eq(other_copies)
}
