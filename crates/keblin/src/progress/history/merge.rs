//! Merges two saves by their histories. The result depends on the two saves alone: not on the clock, not on the machine that
//! merges, and not on which save comes first.

use std::cmp::Ordering;
use std::sync::Arc;

use keblin_model::keep::{meet, meet_all};
use keblin_model::model::{FieldDef, OnReset, Scope};
use keblin_model::{Keep, Model, Value};

use super::tables;
use crate::grammar::listed::{FactOf, Leaf};
use crate::progress::reconcile::Side;
use crate::snapshot::history::{Content, History, Past, Piece, Written, as_number, like, profile_fields};
use crate::snapshot::{AREA, AreaBytes, Areas, Snapshot, State, area_of};

/// What two saves hold together.
pub(crate) struct Joined {
    pub(crate) snapshot: Snapshot,
    /// Whose run it is.
    pub(crate) run: Side,
    /// Whether one of them was taken as a whole, because the profile was erased more often there.
    pub(crate) is_one_alone: bool,
}

/// Returns what two saves hold together. `later` decides what nobody is known to have written.
pub(crate) fn joined(ours: &Snapshot, theirs: &Snapshot, later: Side) -> Joined {
    let none = History::default();
    let [a, b] = [ours, theirs].map(|of| of.history.as_deref().unwrap_or(&none));
    let mut history = History {
        top: a.top.max(b.top),
        writers: a.writers.clone(),
        founder: a.founder.min(b.founder),
        erased: a.erased.max(b.erased),
        ..History::default()
    };
    for (writer, last) in &b.writers {
        let held = history.writers.entry(*writer).or_default();
        *held = (*held).max(*last);
    }
    if a.erased != b.erased {
        // The save with fewer erasures gives way as a whole.
        let (side, snapshot, of) = match a.erased > b.erased {
            true => (Side::Ours, ours, a),
            false => (Side::Theirs, theirs, b),
        };
        let History { top, writers, .. } = history;
        let history = Some(Arc::new(History { top, writers, ..of.clone() }));
        return Joined { snapshot: Snapshot { history, ..snapshot.clone() }, run: side, is_one_alone: true };
    }
    let whose = |piece: &Piece| {
        let of = |history: &History| (history.erased(piece), history.written(piece));
        match of(a).cmp(&of(b)) {
            Ordering::Greater => Side::Ours,
            Ordering::Less => Side::Theirs,
            Ordering::Equal => later,
        }
    };
    let run = whose(&Piece::Run);
    let of = |side: Side| if side == Side::Ours { ours } else { theirs };
    history.run = if run == Side::Ours { a.run } else { b.run };
    let mut joining = Joining {
        schema: &ours.schema,
        ours: &ours.state,
        theirs: &theirs.state,
        later,
        state: of(run).state.clone(),
        listed: Listed::of(&ours.state, [a, b]),
        a,
        b,
        history,
    };
    joining.keep_plain(Piece::Run, run);
    joining.fields();
    joining.facts();
    joining.rest();
    let title = whose(&Piece::Title);
    joining.keep_plain(Piece::Title, title);
    let areas = joining.areas(ours, theirs, of(run), &whose);
    joining.unknown();
    let Joining { state, mut history, .. } = joining;
    // A run that the other save has seen, and that is over there, has offered there what it was worth.
    let is_open = |of: &History, other: &History| {
        let was_seen = other.run != of.run && other.has_seen(of.written(&Piece::Run));
        let run = of.run;
        of.offers
            .iter()
            .filter(move |((offered, _), _)| !(was_seen && *offered == run))
            .map(|offer| (*offer.0, offer.1.clone()))
            .collect::<Vec<_>>()
    };
    for (offer, value) in is_open(a, b).into_iter().chain(is_open(b, a)) {
        let keep = ours.schema.field_at(offer.1).map_or(Keep::Latest, |field| field.keep);
        let held = history.offers.entry(offer).or_insert(Value::Unset);
        *held = meet(keep, held, &value).unwrap_or_else(|| held.clone());
    }
    let mut snapshot = Snapshot {
        schema: Arc::clone(&ours.schema),
        state,
        carried: Arc::clone(&of(later).carried),
        picture: of(run).picture.clone(),
        title: of(title).title.clone(),
        areas,
        saved: of(later).saved,
        history: None,
        runs_begun: of(later).runs_begun,
    };
    history.take_offers(&mut snapshot);
    let snapshot = Snapshot { history: Some(Arc::new(history)), ..snapshot };
    Joined { snapshot, run, is_one_alone: false }
}

pub(super) struct Joining<'j> {
    pub(super) schema: &'j Model,
    pub(super) ours: &'j State,
    pub(super) theirs: &'j State,
    later: Side,
    /// The result so far; it begins with the state whose run it is.
    pub(super) state: State,
    /// What either history lists: all else is the same in both, if its value is.
    pub(super) listed: Listed,
    pub(super) a: &'j History,
    pub(super) b: &'j History,
    pub(super) history: History,
}

/// The values and facts that histories list.
pub(super) struct Listed {
    /// By the first cell of each.
    cells: Vec<bool>,
    /// By their position among the facts.
    pub(super) facts: Vec<bool>,
    /// What is neither.
    pub(super) others: Vec<Leaf>,
}

impl Listed {
    fn of(state: &State, histories: [&History; 2]) -> Listed {
        let (cells, facts) = (vec![false; state.cells.len()], vec![false; state.facts.len()]);
        let mut listed = Listed { cells, facts, others: Vec::new() };
        let mark =
            |flags: &mut Vec<bool>, at: usize| flags.get_mut(at).into_iter().for_each(|flag| *flag = true);
        for piece in histories.iter().flat_map(|history| history.pieces.keys()) {
            match piece {
                Piece::Leaf(Leaf::Cell(first) | Leaf::Table { first, .. }) => mark(&mut listed.cells, *first),
                Piece::Leaf(Leaf::Fact(_, index)) => mark(&mut listed.facts, *index),
                Piece::Leaf(leaf) => listed.others.push(*leaf),
                _ => {}
            }
        }
        listed
    }
}

impl Joining<'_> {
    fn of(&self, side: Side) -> (&State, &History) {
        if side == Side::Ours { (self.ours, self.a) } else { (self.theirs, self.b) }
    }

    /// Returns the side that has erased a piece more often.
    pub(super) fn erased_by(&self, piece: &Piece) -> Option<Side> {
        let (a, b) = (self.a.erased(piece), self.b.erased(piece));
        (a != b).then_some(if a > b { Side::Ours } else { Side::Theirs })
    }

    /// Takes what is known of the past of a piece from one side.
    fn keep_plain(&mut self, piece: Piece, side: Side) {
        let past = self.of(side).1.pieces.get(&piece).cloned();
        self.history.set(piece, past.unwrap_or_default());
    }

    /// Takes a piece from one side, with its past.
    fn take(&mut self, leaf: Leaf, side: Side) {
        let from = if side == Side::Ours { self.ours } else { self.theirs };
        leaf.copy(from, &mut self.state);
        self.keep_plain(Piece::Leaf(leaf), side);
    }

    fn fields(&mut self) {
        let schema = self.schema;
        for field in &schema.fields {
            // Settings are not part of a slot, and what is not durable is nobody's: those of the first save stay.
            if !field.durable || field.scope == Scope::Device {
                let (cells, from) = (field.cells.clone(), self.ours);
                if let (Some(to), Some(from)) =
                    (self.state.cells.get_mut(cells.clone()), from.cells.get(cells))
                {
                    to.clone_from_slice(from);
                }
            }
        }
        let (ours, theirs, listed) = (self.ours, self.theirs, std::mem::take(&mut self.listed.cells));
        let has_one_founder = self.a.founder == self.b.founder;
        for field in profile_fields(schema) {
            let cells = field.cells.clone();
            let (Some(ours), Some(theirs), Some(listed)) =
                (ours.cells.get(cells.clone()), theirs.cells.get(cells.clone()), listed.get(cells.clone()))
            else {
                continue;
            };
            let tables = ours.chunks(field.places).zip(theirs.chunks(field.places));
            let firsts = cells.step_by(field.places).zip(listed.iter().step_by(field.places));
            for ((ours, theirs), (first, is_listed)) in tables.zip(firsts) {
                if *is_listed || !has_one_founder || ours != theirs {
                    self.field(field, first);
                }
            }
        }
    }

    fn field(&mut self, field: &FieldDef, first: usize) {
        let piece = Piece::of_field(field, first);
        let Piece::Leaf(leaf) = piece else { return };
        if let Some(side) = self.erased_by(&piece) {
            return self.take_amount(leaf, side, &field.default);
        }
        let table = first..first + field.places;
        let (ours, theirs) = (self.ours, self.theirs);
        let [Some(ours), Some(theirs)] = [ours, theirs].map(|of| of.cells.get(table.clone())) else { return };
        match (field.keep, ours, theirs) {
            (Keep::Latest, ..) => {
                let side = match self.a.written(&piece).cmp(&self.b.written(&piece)) {
                    Ordering::Greater => Side::Ours,
                    Ordering::Less => Side::Theirs,
                    Ordering::Equal => self.later,
                };
                self.take(leaf, side);
            }
            (keep, [one], [other]) if keep.is_amount() => {
                let total = self.amount(piece, one, other, &field.default);
                let total = like(&field.default, &total);
                let value = field.clamped_to_fixed(&total).unwrap_or(total);
                self.put(first, &[value]);
            }
            (keep, ..) if keep.is_record() && field.places > 1 => {
                let [one, other] = [(ours, self.a), (theirs, self.b)]
                    .map(|(values, of)| tables::entries(values, of.table(&piece)));
                let all = tables::join(keep, &one, &other, field.places);
                let (ids, mut values): (Vec<_>, Vec<_>) = all.into_iter().unzip();
                let is_listed = [self.a, self.b].iter().any(|of| of.table(&piece).is_some());
                let content = if is_listed { Content::Table(ids) } else { Content::Value };
                values.resize(field.places, Value::Unset);
                self.put(first, &values);
                self.history.set(piece.clone(), Past { erased: self.a.erased(&piece), content });
            }
            (keep, ..) => {
                self.put(first, &meet_all(keep, ours, theirs, None));
                self.keep_plain(piece, Side::Ours);
            }
        }
    }

    fn put(&mut self, first: usize, values: &[Value]) {
        if let Some(held) = self.state.cells.get_mut(first..first + values.len()) {
            held.clone_from_slice(values);
        }
    }

    /// Joins an amount, and returns its total.
    pub(super) fn amount(&mut self, piece: Piece, ours: &Value, theirs: &Value, default: &Value) -> Value {
        let [one, other, default] = [ours, theirs, default].map(as_number);
        let amount = self.a.amount(&piece, &one, &default).join(&self.b.amount(&piece, &other, &default));
        let (total, erased) = (amount.total(&default), self.a.erased(&piece));
        self.history.set_amount(piece, erased, amount, &total, &default);
        total
    }

    /// Takes a piece from one side; what is not listed of an amount is listed, if the founder is not the same.
    pub(super) fn take_amount(&mut self, leaf: Leaf, side: Side, default: &Value) {
        self.take(leaf, side);
        let piece = Piece::Leaf(leaf);
        let (state, of) = self.of(side);
        let value = match leaf {
            Leaf::Cell(first) => {
                let is_amount = self.schema.field_at(first).is_some_and(|field| field.keep.is_amount());
                state.cells.get(first).filter(|_| is_amount).map(as_number)
            }
            Leaf::Fact(fact @ (FactOf::Attempts | FactOf::Deaths), index) => {
                state.facts.get(index).map(|facts| fact.count(facts))
            }
            Leaf::Played => Some(Value::Int(state.played.as_nanos())),
            _ => None,
        };
        if let Some(value) = value {
            let default = as_number(default);
            let (amount, erased) = (of.amount(&piece, &value, &default), of.erased(&piece));
            self.history.set_amount(piece, erased, amount, &value, &default);
        }
    }

    /// Joins the areas of the world: each is a plain value. Those of two runs are not mixed, unless something in them
    /// outlives runs.
    fn areas(
        &mut self,
        ours: &Snapshot,
        theirs: &Snapshot,
        run: &Snapshot,
        whose: &dyn Fn(&Piece) -> Side,
    ) -> Arc<Areas> {
        let outlives = self.schema.object_kinds.iter().any(|kind| kind.on_new_run == OnReset::Stays);
        let is_mixed = self.a.run == self.b.run || outlives;
        let mut areas = Areas::clone(&run.areas);
        let names = ours.areas.keys().chain(theirs.areas.keys());
        for name in names {
            let Some((AREA, id)) = area_of(name) else { continue };
            let piece = Piece::Area(Arc::from(id));
            let side = if is_mixed { whose(&piece) } else { side_of(run, ours) };
            let from: Option<&AreaBytes> =
                if side == Side::Ours { &ours.areas } else { &theirs.areas }.get(name);
            match from {
                Some(bytes) => areas.insert(Arc::clone(name), bytes.clone()),
                None => areas.remove(name),
            };
            self.keep_plain(piece, side);
        }
        Arc::new(areas)
    }

    /// Keeps what is known of pieces that this build does not know.
    fn unknown(&mut self) {
        for (piece, past) in self.a.pieces.iter().chain(&self.b.pieces) {
            let Piece::Unknown(_) = piece else { continue };
            let both = self.history.pieces.get(piece).map_or_else(|| past.clone(), |held| held.join(past));
            self.history.set(piece.clone(), both);
        }
    }
}

fn side_of(one: &Snapshot, ours: &Snapshot) -> Side {
    if std::ptr::eq(one, ours) { Side::Ours } else { Side::Theirs }
}

impl Past {
    /// Returns what two saves know of a piece together, without its value.
    fn join(&self, other: &Past) -> Past {
        let content = match (&self.content, &other.content) {
            _ if self.erased > other.erased => return self.clone(),
            _ if self.erased < other.erased => return other.clone(),
            (Content::Plain(one), Content::Plain(other)) => Content::Plain(Written::max(*one, *other)),
            (Content::Amount(one), Content::Amount(other)) => Content::Amount(one.join(other)),
            (Content::Table(one), Content::Table(other)) => Content::Table(one.max(other).clone()),
            (Content::Value, other) => other.clone(),
            (one, _) => one.clone(),
        };
        Past { erased: self.erased, content }
    }
}
