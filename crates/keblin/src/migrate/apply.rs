//! Applies one step to one snapshot: first the names, then the fields, then computed values, then the run. It records
//! what became of each value; an old value that nothing has read at the end was dropped.

use std::cell::OnceCell;
use std::sync::Arc;

use keblin_model::keep::meet;
use keblin_model::model::{FieldDef, Scope};
use keblin_model::versions::step::{Carrying, FieldStep};
use keblin_model::{Keep, Kind, Name, Value};

use super::convert::{Converted, Converting};
use super::places::{Kept, Places};
use super::scalar::Scalars;
use super::{AccountEntry, Became, StepFault, after};
use crate::progress::Engine;
use crate::snapshot::{Carried, Original, PastVersion, Schema, Snapshot, State};

/// Applies one step to one snapshot of a slot.
pub(super) fn slot(
    past: &PastVersion,
    before: Snapshot,
    now: &Arc<Schema>,
    entries: &mut Vec<AccountEntry>,
) -> Result<Snapshot, StepFault> {
    let mut applying = Applying::new(past, &before, now, Kept::InSlots, entries);
    let mut state = State::first(now);
    applying.named(&mut state);
    applying.facts(&mut state)?;
    state.cells = applying.cells(&before.state.cells, true)?;
    applying.run(&mut state)?;
    applying.dropped();
    let areas = applying.areas()?;
    let carried = Carried { blocks: before.carried.blocks.clone(), ..Carried::default() };
    let mut snapshot = Snapshot {
        carried: Arc::new(carried),
        picture: before.picture.clone(),
        title: before.title.clone(),
        areas,
        ..Snapshot::of_state(now, state)
    };
    after::by_code(past, &before, &mut snapshot, Kept::InSlots, entries)?;
    after::hold_bounds(&mut snapshot, entries);
    after::fits(&snapshot)?;
    let applying = Applying::new(past, &before, now, Kept::InSlots, entries);
    snapshot.history = applying.history(&snapshot).map(Arc::new);
    Ok(snapshot)
}

/// Applies one step to the settings of a device.
pub(super) fn settings(
    past: &PastVersion,
    before: Snapshot,
    now: &Arc<Schema>,
) -> Result<Snapshot, StepFault> {
    // Settings are not progress, so they are not reported.
    let mut entries = Vec::new();
    let mut state = State::first(now);
    let mut applying = Applying::new(past, &before, now, Kept::OnDevice, &mut entries);
    state.cells = applying.cells(&before.state.cells, true)?;
    let mut snapshot = Snapshot::of_state(now, state);
    after::by_code(past, &before, &mut snapshot, Kept::OnDevice, &mut entries)?;
    after::fits(&snapshot)?;
    Ok(snapshot)
}

/// A step that is being applied.
pub(super) struct Applying<'s> {
    pub(super) places: Places<'s>,
    pub(super) before: &'s Snapshot,
    view: OnceCell<Engine>,
    /// Whether each old cell was used.
    used: Vec<bool>,
    kept: Kept,
    entries: &'s mut Vec<AccountEntry>,
}

impl<'s> Applying<'s> {
    fn new(
        past: &'s PastVersion,
        before: &'s Snapshot,
        now: &'s Schema,
        kept: Kept,
        entries: &'s mut Vec<AccountEntry>,
    ) -> Applying<'s> {
        let places = Places { step: &past.step, old: &past.schema, now };
        let used = vec![false; before.state.cells.len()];
        Applying { places, before, view: OnceCell::new(), used, kept, entries }
    }
}

/// Returns the error for an expression without a result. `check` warns about it; nothing else can go wrong in a
/// checked expression.
pub(super) fn too_large(to: u32, place: String) -> StepFault {
    let why = "the computed number exceeds 64 bits".to_string();
    StepFault { to, place, value: Value::Unset, why, needs_game: false }
}

impl Applying<'_> {
    pub(super) fn tell(&mut self, place: String, was: Option<String>, fate: Became) {
        self.entries.push(AccountEntry { to: self.places.now.version, place, was, fate });
    }

    /// Returns the old name, if it was another.
    pub(super) fn was(old: &str, now: &str) -> Option<String> {
        (old != now).then(|| old.to_string())
    }

    /// Returns the old values for computing, with the current difficulty.
    pub(super) fn asked(&self) -> (&Engine, usize) {
        let view = self.view.get_or_init(|| Engine::view(self.before));
        let state = &self.before.state;
        let run = state.run.as_ref().and_then(|run| run.difficulty);
        (view, run.or(state.difficulty).unwrap_or_default())
    }

    /// Returns the same with the values of a copy in their place: values of a copy are computed from the copy.
    fn asked_of_copy(&self, copy: &[Value]) -> Engine {
        let mut then = self.before.clone();
        for (cell, value) in then.state.cells.iter_mut().zip(copy) {
            cell.clone_from(value);
        }
        Engine::view(&then)
    }

    /// Converts the values of all fields; for a copy nothing is reported, because the values themselves are.
    pub(super) fn cells(&mut self, before: &[Value], is_told: bool) -> Result<Vec<Value>, StepFault> {
        let Places { step, old, now } = self.places;
        let mut cells = State::first_cells(now);
        let of_copy = OnceCell::new();
        let kept = self.kept;
        for (field, of) in now.fields.iter().zip(&step.fields).filter(|(field, _)| kept.has(field)) {
            let is_of_copy = !is_told;
            let is_told = is_told && field.durable;
            match of {
                FieldStep::Carried(carrying) => {
                    let Some(from) = old.fields.get(carrying.from) else { continue };
                    let converting = Converting {
                        scalars: Scalars { places: self.places, carrying },
                        old: from,
                        now: field,
                    };
                    self.carry(&converting, before, &mut cells, is_told)?;
                }
                FieldStep::Filled(programs) => {
                    let firsts = field.cells.clone().step_by(field.places);
                    let mut is_as_declared = true;
                    for (cell, (program, kind)) in firsts.zip(programs) {
                        let (live, difficulty) = self.asked();
                        let view = match is_of_copy {
                            true => of_copy.get_or_init(|| self.asked_of_copy(before)),
                            false => live,
                        };
                        let place = || Places::text(now, field, cell);
                        let Some(computed) = program.outcome(view, difficulty, *kind) else {
                            return Err(too_large(now.version, place()));
                        };
                        let (value, fate) = match self.filled(field, now.as_best(field, computed.clone())) {
                            Converted::Whole(value) => (value.clone(), Became::Filled { now: value }),
                            Converted::Fitted(value) => {
                                (value.clone(), Became::Clamped { before: computed, now: value })
                            }
                            _ => (field.default.clone(), Became::Dropped { before: computed }),
                        };
                        let is_worth_a_line =
                            value != field.default || !matches!(fate, Became::Filled { .. });
                        cells.get_mut(cell).into_iter().for_each(|cell| cell.clone_from(&value));
                        if is_told && is_worth_a_line {
                            is_as_declared = false;
                            self.tell(place(), None, fate);
                        }
                    }
                    if is_told && is_as_declared {
                        let fate = Became::Filled { now: field.default.clone() };
                        self.tell(field.name.to_string(), None, fate);
                    }
                }
                FieldStep::AsDeclared if is_told => {
                    let fate = Became::Filled { now: field.default.clone() };
                    self.tell(field.name.to_string(), None, fate);
                }
                _ => {}
            }
        }
        Ok(cells)
    }

    /// Converts a computed value to one that fits the field.
    fn filled(&self, field: &FieldDef, value: Value) -> Converted {
        let carrying = Carrying::plainly(0);
        // A computed value belongs to the old version, and so does its shape.
        let kind = match field.kind {
            Kind::Shape(shape) => {
                let from = self.places.step.shapes.get(usize::from(shape)).and_then(|shape| shape.from);
                from.and_then(|from| u16::try_from(from).ok()).map_or(field.kind, Kind::Shape)
            }
            same => same,
        };
        let mut old = field.clone();
        old.kind = kind;
        (Converting { scalars: Scalars { places: self.places, carrying: &carrying }, old: &old, now: field })
            .value(&value)
    }

    /// Converts the values of a field.
    fn carry(
        &mut self,
        converting: &Converting<'_>,
        before: &[Value],
        cells: &mut [Value],
        is_told: bool,
    ) -> Result<(), StepFault> {
        let Converting { scalars: Scalars { places, carrying }, old, now: field } = *converting;
        let live = &self.before.state.cells;
        let mut is_plain = true;
        let count = field.cells.len() / field.places;
        for place in 0..count {
            let first = field.cells.start + place * field.places;
            for seat in 0..field.places.min(old.places) {
                let cell = first + seat;
                // Values that a copy does not have, such as profile values, are taken from the current ones.
                let read = |source: usize| before.get(source).or_else(|| live.get(source));
                let mut value = None;
                for source in places.sources(field, place, carrying) {
                    let Some(held) = read(source + seat) else { continue };
                    self.used.get_mut(source + seat).into_iter().for_each(|used| *used = true);
                    value = Some((source + seat, brought_together(old.keep, value, held)));
                }
                let Some((source, value)) = value else { continue };
                let fault = |why: String| StepFault {
                    to: places.now.version,
                    place: Places::text(places.old, old, source),
                    value: value.clone(),
                    why,
                    needs_game: false,
                };
                let (before, default) = (value.clone(), field.default.clone());
                let (made, fate) = match converting.value(&value) {
                    Converted::Refused(why) => return Err(fault(why)),
                    Converted::Gone => (default, Some(Became::Dropped { before })),
                    Converted::Fitted(now) => (now.clone(), Some(Became::Clamped { before, now })),
                    Converted::Whole(now) if alike(&now, &before) => (now, None),
                    Converted::Whole(now) => (now.clone(), Some(Became::Changed { before, now })),
                };
                if let Some(fate) = fate.filter(|_| is_told) {
                    is_plain = false;
                    let place = Places::text(places.now, field, cell);
                    let was = Self::was(&Places::text(places.old, old, source), &place);
                    self.tell(place, was, fate);
                }
                cells.get_mut(cell).into_iter().for_each(|cell| cell.clone_from(&made));
            }
            in_order(cells.get_mut(first..first + field.places).unwrap_or_default(), field.keep);
        }
        if is_told && is_plain {
            let was = Self::was(old.name.as_str(), field.name.as_str());
            self.tell(field.name.to_string(), was, Became::Carried);
        }
        Ok(())
    }

    /// Reports old values that nothing has read.
    fn dropped(&mut self) {
        let (old, before) = (self.places.old, self.before);
        let slots = old.fields.iter().filter(|field| field.durable && field.scope != Scope::Device);
        for field in slots {
            for cell in field.cells.clone() {
                let Some(value) = before.state.cells.get(cell) else { continue };
                if self.used.get(cell) == Some(&false) && *value != field.default {
                    let place = Places::text(old, field, cell);
                    self.tell(place, None, Became::Dropped { before: value.clone() });
                }
            }
        }
        for (cell, original) in &before.carried.values {
            // A number beyond a bound was read in full.
            let is_in_full = |field: &FieldDef, of: &Original| {
                of.read.first().is_some_and(|read| field.clamped_to_fixed(read).is_some())
            };
            let original =
                original.first().filter(|of| !old.field_at(*cell).is_some_and(|field| is_in_full(field, of)));
            let Some((field, bytes)) = old.field_at(*cell).zip(original.map(|of| &of.bytes)) else {
                continue;
            };
            let place = format!("{}, as another build saved it", Places::text(old, field, *cell));
            self.tell(place, None, Became::Dropped { before: Value::Bytes(Arc::clone(bytes)) });
        }
        for (path, bytes) in &before.carried.fields {
            let fate = Became::Dropped { before: Value::Bytes(bytes.as_slice().into()) };
            self.tell(path.join("."), None, fate);
        }
    }
}

/// Combines values along a removed axis.
fn brought_together(keep: Keep, held: Option<(usize, Value)>, more: &Value) -> Value {
    let Some((_, held)) = held else { return more.clone() };
    match keep {
        keep if keep.is_amount() => held.plus(more).map_or(held, |(sum, _)| sum),
        keep => meet(keep, &held, more).unwrap_or(held),
    }
}

/// Returns whether two values are the same to people: ids by their names, whatever their positions.
fn alike(one: &Value, other: &Value) -> bool {
    match (one, other) {
        (Value::List(one), Value::List(other)) => {
            one.len() == other.len() && one.iter().zip(other.iter()).all(|(one, other)| alike(one, other))
        }
        (Value::Set(one), Value::Set(other)) => {
            one.len() == other.len() && one.iter().all(|item| other.iter().any(|held| alike(item, held)))
        }
        (Value::Map(one), Value::Map(other)) => {
            let has =
                |key: &Value, value: &Value| other.iter().any(|(k, v)| alike(key, k) && alike(value, v));
            one.len() == other.len() && one.iter().all(|(key, value)| has(key, value))
        }
        (Value::Shape(one), Value::Shape(other)) => {
            let same = |((name, one), (other_name, other)): (&(Name, Value), &(Name, Value))| {
                name == other_name && alike(one, other)
            };
            one.len() == other.len() && one.iter().zip(other.iter()).all(same)
        }
        (one, other) => one.same(other),
    }
}

/// Sorts a table of best values, whatever the step made of them.
fn in_order(table: &mut [Value], keep: Keep) {
    if table.len() < 2 {
        return;
    }
    table.sort_by(|one, other| match (one, other) {
        (Value::Unset, Value::Unset) => std::cmp::Ordering::Equal,
        (Value::Unset, _) => std::cmp::Ordering::Greater,
        (_, Value::Unset) => std::cmp::Ordering::Less,
        (one, other) if keep == Keep::Lowest => one.cmp(other),
        (one, other) => other.cmp(one),
    });
}
