//! One step on one snapshot: everything that has a name, then the fields, then what is computed, then the run. What
//! became of each value is written down as it happens; what of before nothing has read at the end was dropped.

use std::cell::OnceCell;
use std::sync::Arc;

use keblin_schema::condition::names::Fact;
use keblin_schema::keep::meet;
use keblin_schema::model::{FieldDef, Scope};
use keblin_schema::steps::{Carrying, FieldStep, PastVersion};
use keblin_schema::survival::OnDeath;
use keblin_schema::{Keep, Kind, Name, Schema, Value};

use super::code;
use super::convert::{Became, Converting};
use super::places::{Places, now_of};
use super::{Entry, Fate, Rewriting, StepFault};
use crate::progress::Progress;
use crate::snapshot::{LevelFacts, Run, Snapshot, State, Visit};

/// One step on one snapshot.
pub(super) fn apply(
    past: &PastVersion,
    before: Snapshot,
    now: &Arc<Schema>,
    entries: &mut Vec<Entry>,
) -> Result<Snapshot, StepFault> {
    let places = Places { step: &past.step, old: &past.schema, now };
    let mut applying = Applying {
        places,
        before: &before,
        view: OnceCell::new(),
        used: vec![false; before.state.cells.len()],
        entries,
    };
    let mut state = State::first(now);
    applying.named(&mut state);
    applying.facts(&mut state);
    state.cells = applying.cells(&before.state.cells, true)?;
    applying.run(&mut state)?;
    applying.dropped();
    let carried = crate::snapshot::Carried { blocks: before.carried.blocks.clone(), ..Default::default() };
    let mut snapshot = Snapshot {
        schema: Arc::clone(now),
        state,
        carried: Arc::new(carried),
        picture: before.picture.clone(),
        areas: Arc::clone(&before.areas),
    };
    by_code(past, &before, &mut snapshot, entries)?;
    hold_bounds(&mut snapshot, entries);
    fits(&snapshot)?;
    Ok(snapshot)
}

/// A step being done.
struct Applying<'s> {
    places: Places<'s>,
    before: &'s Snapshot,
    view: OnceCell<Progress>,
    /// By cell of before: whether something was made of it.
    used: Vec<bool>,
    entries: &'s mut Vec<Entry>,
}

impl Applying<'_> {
    fn tell(&mut self, place: String, was: Option<String>, fate: Fate) {
        self.entries.push(Entry { to: self.places.now.version, place, was, fate });
    }

    /// What was called something else.
    fn was(old: &str, now: &str) -> Option<String> {
        (old != now).then(|| old.to_string())
    }

    /// The values of before, to compute from, with the difficulty in question there.
    fn asked(&self) -> (&Progress, usize) {
        let view = self.view.get_or_init(|| Progress::view(self.before));
        let state = &self.before.state;
        let run = state.run.as_ref().and_then(|run| run.difficulty);
        (view, run.or(state.difficulty).unwrap_or_default())
    }

    /// What is kept by name and is no field: difficulty, furthest, time in play, unlocks, moments.
    fn named(&mut self, state: &mut State) {
        let (Places { step, old, now }, before) = (self.places, &self.before.state);
        state.played = before.played;
        state.difficulty = self.difficulty(before.difficulty, "difficulty").or(state.difficulty);
        state.furthest = before.furthest.and_then(|furthest| {
            // Of a level that is gone, the one before it was reached as well.
            (0..=furthest).rev().find_map(|level| now_of(&step.levels, level))
        });
        for (index, (unlock, of)) in now.unlocks.iter().zip(&step.unlocks).enumerate() {
            let held = of.from.is_some_and(|from| before.latched.get(from) == Some(&true));
            let filled = !held
                && of.fill.as_ref().is_some_and(|fill| {
                    let (view, difficulty) = self.asked();
                    fill.holds(view, difficulty)
                });
            if let Some(latched) = state.latched.get_mut(index) {
                *latched = unlock.latch && (held || filled);
            }
            let place = format!("unlocked.{}", unlock.name);
            if filled {
                self.tell(place, None, Fate::Filled { now: Value::Bool(true) });
            } else if held {
                let was = of.from.and_then(|from| old.unlocks.get(from));
                let was = was.and_then(|was| Self::was(was.name.as_str(), unlock.name.as_str()));
                self.tell(place, was, Fate::Carried);
            }
        }
        for (index, unlock) in old.unlocks.iter().enumerate() {
            let is_gone = step.unlocks.iter().all(|of| of.from != Some(index));
            if is_gone && before.latched.get(index) == Some(&true) {
                let fate = Fate::Dropped { before: Value::Bool(true) };
                self.tell(format!("unlocked.{}", unlock.name), None, fate);
            }
        }
        for (told, from) in state.told.iter_mut().zip(&step.moments) {
            *told = from.is_some_and(|from| before.told.get(from) == Some(&true));
        }
        for (index, moment) in old.moments.iter().enumerate() {
            if now_of(&step.moments, index).is_none() && before.told.get(index) == Some(&true) {
                let fate = Fate::Dropped { before: Value::Bool(true) };
                self.tell(format!("told.{}", moment.name), None, fate);
            }
        }
    }

    /// A difficulty of before as one of now: where it is gone, the first one.
    fn difficulty(&mut self, before: Option<usize>, place: &str) -> Option<usize> {
        let Places { step, old, now } = self.places;
        let first = (!now.difficulties.is_empty()).then(|| step.facts.at.unwrap_or_default());
        let Some(held) = before else { return first };
        let found = now_of(&step.difficulties, held);
        if let (None, Some(id)) = (found, old.difficulties.get(held)) {
            let before = Value::text(id.as_str());
            let chosen = first.and_then(|first| now.difficulties.get(first));
            let fate = match chosen {
                Some(now) => Fate::Changed { before, now: Value::text(now.as_str()) },
                None => Fate::Dropped { before },
            };
            self.tell(place.to_string(), None, fate);
        }
        found.or(first)
    }

    fn facts(&mut self, state: &mut State) {
        let (Places { step, old, now }, before) = (self.places, &self.before.state);
        let difficulties = if now.level_facts_per_difficulty { now.difficulties.len().max(1) } else { 1 };
        let mut used = vec![false; before.facts.len()];
        for level in 0..now.levels.len() {
            for difficulty in 0..difficulties {
                let index = now.fact_index(level, difficulty);
                let mut made = LevelFacts::default();
                let mut was = None;
                for source in self.places.facts(level, difficulty) {
                    let Some(facts) = before.facts.get(source) else { continue };
                    used.get_mut(source).into_iter().for_each(|used| *used = true);
                    together(&mut made, facts);
                    was = Some(Places::facts_text(old, source));
                }
                if made != LevelFacts::default() {
                    let place = Places::facts_text(now, index);
                    let was = was.and_then(|was| Self::was(&was, &place));
                    self.tell(place, was, Fate::Carried);
                }
                state.facts.get_mut(index).into_iter().for_each(|facts| *facts = made);
            }
        }
        for (index, facts) in before.facts.iter().enumerate() {
            if used.get(index) == Some(&false) && *facts != LevelFacts::default() {
                let place = Places::facts_text(old, index);
                for (name, value) in said(facts) {
                    self.tell(format!("{place}.{name}"), None, Fate::Dropped { before: value });
                }
            }
        }
        for (fact, index, program) in &step.facts.fills {
            let (view, difficulty) = self.asked();
            let value = program.outcome(view, difficulty, fact_type(*fact));
            let Some(facts) = state.facts.get_mut(*index) else { continue };
            if let Some(now) = value.filter(|value| raise(facts, *fact, value)) {
                let place = format!("{}.{}", Places::facts_text(self.places.now, *index), fact.as_str());
                self.tell(place, None, Fate::Filled { now });
            }
        }
        // A level that was finished was reached.
        let finished = (0..now.levels.len()).rev().find(|level| {
            (0..difficulties)
                .any(|on| state.facts.get(now.fact_index(*level, on)).is_some_and(|facts| facts.finished))
        });
        state.furthest = state.furthest.max(finished);
    }

    /// The values of all fields, from those of before; of a copy the account is that of the values themselves.
    fn cells(&mut self, before: &[Value], is_told: bool) -> Result<Vec<Value>, StepFault> {
        let Places { step, old, now } = self.places;
        let mut cells = State::first_cells(now);
        for (field, of) in now.fields.iter().zip(&step.fields) {
            let is_told = is_told && field.durable && field.scope != Scope::Device;
            match of {
                FieldStep::Carried(carrying) => {
                    let Some(from) = old.fields.get(carrying.from) else { continue };
                    let converting = Converting { places: self.places, carrying, old: from, now: field };
                    self.carry(&converting, before, &mut cells, is_told)?;
                }
                FieldStep::Filled(programs) => {
                    let firsts = field.cells.clone().step_by(field.places);
                    for (cell, (program, kind)) in firsts.zip(programs) {
                        let (view, difficulty) = self.asked();
                        let value = program.outcome(view, difficulty, *kind);
                        let value = value.and_then(|value| self.filled(field, value));
                        let Some(value) = value.filter(|value| *value != field.default) else { continue };
                        cells.get_mut(cell).into_iter().for_each(|cell| cell.clone_from(&value));
                        if is_told {
                            let place = Places::text(now, field, cell);
                            self.tell(place, None, Fate::Filled { now: value });
                        }
                    }
                }
                FieldStep::AsDeclared if is_told => {
                    let fate = Fate::Filled { now: field.default.clone() };
                    self.tell(field.name.to_string(), None, fate);
                }
                _ => {}
            }
        }
        Ok(cells)
    }

    /// What was computed, as a value that the field can hold.
    fn filled(&self, field: &FieldDef, value: Value) -> Option<Value> {
        let carrying = Carrying::plainly(0);
        // What is computed is of the version before, and so is the shape it may be of.
        let kind = match field.kind {
            Kind::Shape(shape) => {
                let from = self.places.step.shapes.get(usize::from(shape)).and_then(|shape| shape.from);
                from.and_then(|from| u16::try_from(from).ok()).map_or(field.kind, Kind::Shape)
            }
            same => same,
        };
        let mut old = field.clone();
        old.kind = kind;
        match (Converting { places: self.places, carrying: &carrying, old: &old, now: field }).value(&value) {
            Became::Whole(value) | Became::Fitted(value) => Some(value),
            _ => None,
        }
    }

    /// The values of a field.
    fn carry(
        &mut self,
        converting: &Converting<'_>,
        before: &[Value],
        cells: &mut [Value],
        is_told: bool,
    ) -> Result<(), StepFault> {
        let Converting { places, carrying, old, now: field } = *converting;
        let live = &self.before.state.cells;
        let (mut is_plain, mut has_any) = (true, false);
        let count = field.cells.len() / field.places;
        for place in 0..count {
            let first = field.cells.start + place * field.places;
            for seat in 0..field.places.min(old.places) {
                let cell = first + seat;
                // What a copy does not hold, such as what was of profile scope, is as it is.
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
                };
                let (made, is_fitted) = match converting.value(&value) {
                    Became::Whole(made) => (made, false),
                    Became::Fitted(made) => (made, true),
                    Became::Gone => (field.default.clone(), false),
                    Became::Refused(why) => return Err(fault(why)),
                };
                has_any |= value != Value::Unset;
                if is_told && !alike(&made, &value) {
                    let (now, before) = (made.clone(), value.clone());
                    let is_gone = matches!(converting.value(&value), Became::Gone);
                    let fate = match (is_fitted, is_gone) {
                        (true, _) => Fate::Clamped { before, now },
                        (false, true) => Fate::Dropped { before },
                        (false, false) => Fate::Changed { before, now },
                    };
                    is_plain = false;
                    let was = Places::text(places.old, old, source);
                    let place = Places::text(places.now, field, cell);
                    let was = Self::was(&was, &place);
                    self.tell(place, was, fate);
                }
                cells.get_mut(cell).into_iter().for_each(|cell| cell.clone_from(&made));
            }
            in_order(cells.get_mut(first..first + field.places).unwrap_or_default(), field.keep);
        }
        if is_told && is_plain && has_any {
            let was = Self::was(old.name.as_str(), field.name.as_str());
            self.tell(field.name.to_string(), was, Fate::Carried);
        }
        Ok(())
    }

    /// The run, with its place and its copies.
    fn run(&mut self, state: &mut State) -> Result<(), StepFault> {
        let before = self.before;
        let Some(run) = &before.state.run else { return Ok(()) };
        let difficulty = self.difficulty(run.difficulty, "run.difficulty");
        let visit = match &run.visit {
            Some(visit) => self.visit(visit, &mut state.cells)?,
            None => None,
        };
        state.run = Some(Run { difficulty, visit });
        Ok(())
    }

    fn visit(&mut self, visit: &Visit, cells: &mut [Value]) -> Result<Option<Visit>, StepFault> {
        let Places { step, old, now } = self.places;
        let level = visit.level.map(|level| (level, now_of(&step.levels, level)));
        if let Some((gone, None)) = level {
            let id = old.levels.get(gone).map_or("", |level| level.name.as_str());
            self.tell("run.visit".to_string(), None, Fate::Dropped { before: Value::text(id) });
            return Ok(None);
        }
        let level = level.and_then(|(_, level)| level);
        let froms = level.and_then(|level| step.checkpoints.get(level)).map_or(&[][..], Vec::as_slice);
        let checkpoint = visit.checkpoint.and_then(|checkpoint| now_of(froms, checkpoint));
        let mut copy = |copy: &Arc<[Value]>| -> Result<Arc<[Value]>, StepFault> {
            if copy.is_empty() {
                return Ok(Arc::default());
            }
            let mut cells = self.cells(copy, false)?;
            cells.truncate(now.copied_cells);
            Ok(cells.into())
        };
        let entry = copy(&visit.entry)?;
        let mut at_checkpoint = visit.at_checkpoint.as_ref().map(&mut copy).transpose()?;
        if let (Some(gone), None) = (visit.checkpoint, checkpoint) {
            let of = visit.level.and_then(|level| old.levels.get(level));
            let id = of.and_then(|level| level.checkpoints.get(gone)).map_or("", |id| id.as_str());
            let fate = Fate::Dropped { before: Value::text(id) };
            self.tell("run.checkpoint".to_string(), None, fate);
            at_checkpoint = None;
            to_level_start(now, &entry, cells);
        }
        Ok(Some(Visit { level, stay: visit.stay, checkpoint, entry, at_checkpoint }))
    }

    /// Whatever held something and was not read is gone.
    fn dropped(&mut self) {
        let (old, before) = (self.places.old, self.before);
        let slots = old.fields.iter().filter(|field| field.durable && field.scope != Scope::Device);
        for field in slots {
            for cell in field.cells.clone() {
                let Some(value) = before.state.cells.get(cell) else { continue };
                if self.used.get(cell) == Some(&false) && *value != field.default {
                    let place = Places::text(old, field, cell);
                    self.tell(place, None, Fate::Dropped { before: value.clone() });
                }
            }
        }
        for (path, bytes) in &before.carried.fields {
            let fate = Fate::Dropped { before: Value::Bytes(bytes.as_slice().into()) };
            self.tell(path.join("."), None, fate);
        }
    }
}

/// Values along an axis that is gone.
fn brought_together(keep: Keep, held: Option<(usize, Value)>, more: &Value) -> Value {
    let Some((_, held)) = held else { return more.clone() };
    match keep {
        Keep::Sum => held.plus(more).map_or(held, |(sum, _)| sum),
        keep => meet(keep, &held, more).unwrap_or(held),
    }
}

/// Whether people would say that two values are the same: ids by their names, wherever those stand in their lists.
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

/// Facts of several difficulties as those of one.
fn together(made: &mut LevelFacts, facts: &LevelFacts) {
    made.finished |= facts.finished;
    made.stars = made.stars.max(facts.stars);
    made.collected |= facts.collected;
    made.attempts = made.attempts.saturating_add(facts.attempts);
    made.deaths = made.deaths.saturating_add(facts.deaths);
}

/// The facts that are not as on the first day, by name.
fn said(facts: &LevelFacts) -> Vec<(&'static str, Value)> {
    let count = |number: u64| Value::Int(i64::try_from(number).unwrap_or(i64::MAX));
    let all = [
        ("finished", Value::Bool(facts.finished)),
        ("stars", Value::Int(facts.stars.into())),
        ("attempts", count(facts.attempts)),
        ("deaths", count(facts.deaths)),
    ];
    all.into_iter().filter(|(_, value)| ![Value::Bool(false), Value::Int(0)].contains(value)).collect()
}

fn fact_type(fact: Fact) -> keblin_schema::condition::Type {
    use keblin_schema::condition::Type;
    if fact == Fact::Finished { Type::Bool } else { Type::Int }
}

/// Puts a fact in place where it says more than what is there; whether it did.
fn raise(facts: &mut LevelFacts, fact: Fact, value: &Value) -> bool {
    let number = value.number().and_then(|number| u64::try_from(number).ok());
    let before = *facts;
    match (fact, value, number) {
        (Fact::Finished, Value::Bool(yes), _) => facts.finished |= yes,
        (Fact::Stars, _, Some(stars)) => {
            facts.stars = facts.stars.max(u8::try_from(stars).unwrap_or(u8::MAX));
        }
        (Fact::Attempts, _, Some(count)) => facts.attempts = facts.attempts.max(count),
        (Fact::Deaths, _, Some(count)) => facts.deaths = facts.deaths.max(count),
        _ => {}
    }
    *facts != before
}

/// A table of best values is in order, whatever the step made of them.
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

/// Where the checkpoint is gone the player stands at the start of the level, with the values a death would put back there.
fn to_level_start(schema: &Schema, entry: &[Value], cells: &mut [Value]) {
    for field in schema.fields.iter().filter(|field| field.scope.is_of_run()) {
        for cell in field.cells.clone() {
            let value = match field.survival.on_death {
                OnDeath::Stays => continue,
                OnDeath::Default => Some(&field.default),
                OnDeath::Checkpoint | OnDeath::Entry => entry.get(cell),
            };
            if let (Some(value), Some(held)) = (value, cells.get_mut(cell)) {
                held.clone_from(value);
            }
        }
    }
}

/// What the game does itself.
fn by_code(
    past: &PastVersion,
    before: &Snapshot,
    snapshot: &mut Snapshot,
    entries: &mut Vec<Entry>,
) -> Result<(), StepFault> {
    let now = Arc::clone(&snapshot.schema);
    let left = now.fields.iter().zip(&past.step.fields).find(|(_, step)| **step == FieldStep::ByCode);
    let fault = |why: String| StepFault {
        to: now.version,
        place: left.map_or_else(|| now.game.to_string(), |(field, _)| field.name.to_string()),
        value: Value::Unset,
        why,
    };
    let Some(code) = code::of(past) else {
        return match left {
            Some(_) => Err(fault("the game puts it in place itself; open the save in the game".to_string())),
            None => Ok(()),
        };
    };
    let held = snapshot.state.clone();
    let mut rewriting = Rewriting::of(snapshot.clone());
    code(&Progress::view(before), &mut rewriting).map_err(fault)?;
    *snapshot = rewriting.into_snapshot();
    for field in now.fields.iter().filter(|field| field.scope != Scope::Device) {
        for cell in field.cells.clone() {
            let (Some(was), Some(is)) = (held.cells.get(cell), snapshot.state.cells.get(cell)) else {
                continue;
            };
            if was != is {
                let (place, now_is) = (Places::text(&now, field, cell), is.clone());
                let fate = match *was == field.default {
                    true => Fate::Filled { now: now_is },
                    false => Fate::Changed { before: was.clone(), now: now_is },
                };
                entries.push(Entry { to: now.version, place, was: None, fate });
            }
        }
    }
    Ok(())
}

/// Puts every value back to its bounds, as opening does, so that the account tells of it.
fn hold_bounds(snapshot: &mut Snapshot, entries: &mut Vec<Entry>) {
    let schema = Arc::clone(&snapshot.schema);
    if schema.following.is_empty() {
        return;
    }
    let mut view = Progress::view(snapshot);
    view.clamp_all();
    let held = view.snapshot().state.cells;
    for field in schema.fields.iter().filter(|field| field.durable && field.scope != Scope::Device) {
        for cell in field.cells.clone() {
            let (Some(was), Some(is)) = (snapshot.state.cells.get_mut(cell), held.get(cell)) else {
                continue;
            };
            if was == is {
                continue;
            }
            let place = Places::text(&schema, field, cell);
            let fate = Fate::Clamped { before: was.clone(), now: is.clone() };
            was.clone_from(is);
            let told = entries.iter_mut().find(|entry| entry.to == schema.version && entry.place == place);
            match told {
                Some(entry) => entry.fate = fate,
                None => entries.push(Entry { to: schema.version, place, was: None, fate }),
            }
        }
    }
}

/// Every value is one that its field can hold.
fn fits(snapshot: &Snapshot) -> Result<(), StepFault> {
    let schema = &snapshot.schema;
    for field in &schema.fields {
        for cell in field.cells.clone() {
            let Some(value) = snapshot.state.cells.get(cell) else { continue };
            schema.fit(field, value).map_err(|unfit| StepFault {
                to: schema.version,
                place: Places::text(schema, field, cell),
                value: value.clone(),
                why: unfit.to_string(),
            })?;
        }
    }
    Ok(())
}
