//! The bodies of sections by their keys, in any order: what is missing is as declared, what is not known is carried along,
//! and what is of another kind is refused. The keys are those of `plan`.

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::sync::Arc;

use keblin_schema::model::{Again, Axis, FieldDef, Scope};
use keblin_schema::{Kind, Schema, Time, Value};

use super::error::ReadError;
use super::layout::{PROFILE, RUN};
use super::map::Item;
use super::missing::Missing;
use super::plan::Plan;
use super::tape::FactOf;
use super::values;
use crate::snapshot::{Carried, LevelFacts, Run, State, Stay, Visit};

/// A state being read.
pub(super) struct ByKeys<'s> {
    pub(super) schema: &'s Schema,
    pub(super) plan: &'s Plan,
    /// What was found that the schema does not know.
    pub(super) carried: Carried,
    /// What was found that the schema no longer declares.
    pub(super) missing: Vec<Missing>,
}

impl ByKeys<'_> {
    /// The section of what outlives runs.
    pub(super) fn profile(&mut self, body: &Item<'_>, state: &mut State) -> Result<(), ReadError> {
        let map = body.map()?;
        self.carry(
            &[PROFILE],
            &map,
            &["furthest", "difficulty", "played", "fields", "levels", "unlocked", "told"],
        );
        let furthest = id(&body.required(&map, "furthest")?, "furthest")?;
        state.furthest = furthest.and_then(|id| self.schema.level_named(id));
        self.carried.furthest = self.kept("profile.furthest", furthest, state.furthest.is_some());
        let chosen = id(&body.required(&map, "difficulty")?, "difficulty")?;
        let known = chosen.and_then(|id| self.schema.difficulty_named(id));
        self.carried.difficulty = self.kept("profile.difficulty", chosen, known.is_some());
        state.difficulty = known.or(state.difficulty);
        let played =
            body.required(&map, "played")?.whole(|c| c.next(|| "played as time", minicbor::Decoder::i64))?;
        state.played = Time::from_nanos(played);
        let fields = body.required(&map, "fields")?.map()?;
        self.fields(Some(&[PROFILE, "fields"]), &fields, &mut state.cells, &[Scope::Profile])?;
        let unlocked = body.required(&map, "unlocked")?.map()?;
        self.unlocked(&unlocked, state)?;
        let told = body.required(&map, "told")?.map()?;
        self.told(&[PROFILE, "told"], &told, &[Again::Profile], state)?;
        let levels = body.required(&map, "levels")?.map()?;
        self.levels(&levels, state)
    }

    /// The section of the run.
    pub(super) fn run(&mut self, body: &Item<'_>, state: &mut State) -> Result<(), ReadError> {
        let map = body.map()?;
        self.carry(&[RUN], &map, &["fields", "run"]);
        let fields = body.required(&map, "fields")?.map()?;
        self.fields(Some(&[RUN, "fields"]), &fields, &mut state.cells, &[Scope::Level, Scope::Run])?;
        let run = body.required(&map, "run")?;
        if run.is_null() {
            return Ok(());
        }
        let map = run.map()?;
        self.carry(&[RUN, "run"], &map, &["difficulty", "told", "visit"]);
        let told = run.required(&map, "told")?.map()?;
        self.told(&[RUN, "run", "told"], &told, &[Again::Level, Again::Run], state)?;
        let visit = run.required(&map, "visit")?;
        let chosen = id(&run.required(&map, "difficulty")?, "difficulty")?;
        let known = chosen.and_then(|id| self.schema.difficulty_named(id));
        self.carried.run_difficulty = self.kept("run.run.difficulty", chosen, known.is_some());
        let difficulty = known.or(state.difficulty);
        let visit = if visit.is_null() { None } else { self.visit(&visit)? };
        state.run = Some(Run { difficulty, visit });
        Ok(())
    }

    fn visit(&mut self, item: &Item<'_>) -> Result<Option<Visit>, ReadError> {
        let map = item.map()?;
        let level_id = id(&item.required(&map, "level")?, "level")?;
        let checkpoint_id = id(&item.required(&map, "checkpoint")?, "checkpoint")?;
        let level = level_id.and_then(|id| self.schema.level_named(id));
        let checkpoint =
            level.zip(checkpoint_id).and_then(|(level, id)| self.schema.checkpoint_named(level, id));
        let stay_item = item.required(&map, "stay")?;
        let word = stay_item.text("stay")?;
        let stay = Stay::ALL.iter().copied().find(|stay| stay.as_str() == word);
        let stay = stay.ok_or_else(|| stay_item.unexpected("playing, down, left or finished"))?;
        let entry = self.copy(&item.required(&map, "entry")?)?.unwrap_or_default();
        let mut at_checkpoint = self.copy(&item.required(&map, "at_checkpoint")?)?;
        match (level_id, checkpoint_id) {
            (Some(gone), _) if level.is_none() => {
                self.missing.push(Missing::Level(gone.to_string()));
                return Ok(None);
            }
            (Some(level), Some(gone)) if checkpoint.is_none() => {
                let (level, checkpoint) = (level.to_string(), gone.to_string());
                self.missing.push(Missing::Checkpoint { level, checkpoint });
                at_checkpoint = None;
            }
            _ => {}
        }
        Ok(Some(Visit { level, stay, checkpoint, entry, at_checkpoint }))
    }

    fn copy(&mut self, item: &Item<'_>) -> Result<Option<Arc<[Value]>>, ReadError> {
        if item.is_null() {
            return Ok(None);
        }
        let mut cells = State::first_cells(self.schema);
        cells.truncate(self.schema.copied_cells);
        self.fields(None, &item.map()?, &mut cells, &[Scope::Level, Scope::Run])?;
        Ok(Some(cells.into()))
    }

    /// Reads the fields of some scopes; with a path, what is not known there is carried along.
    pub(super) fn fields(
        &mut self,
        path: Option<&[&str]>,
        map: &BTreeMap<&str, Item<'_>>,
        cells: &mut [Value],
        scopes: &[Scope],
    ) -> Result<(), ReadError> {
        let schema = self.schema;
        let of_scopes =
            || schema.fields.iter().filter(|field| field.durable && scopes.contains(&field.scope));
        if let Some(path) = path {
            let known: Vec<&str> = of_scopes().map(|field| field.name.as_str()).collect();
            self.carry(path, map, &known);
        }
        for field in of_scopes() {
            if let Some(item) = map.get(field.name.as_str()) {
                let path = path.map(|path| [path, &[field.name.as_str()]].concat());
                self.nested(path.as_deref(), field, &field.per, item, cells, field.cells.start)?;
            }
        }
        Ok(())
    }

    fn nested(
        &mut self,
        path: Option<&[&str]>,
        field: &FieldDef,
        axes: &[Axis],
        item: &Item<'_>,
        cells: &mut [Value],
        first: usize,
    ) -> Result<(), ReadError> {
        let Some((axis, inner)) = axes.split_first() else {
            return self.one(field, item, cells, first);
        };
        let map = item.map()?;
        let stride = inner.iter().map(|axis| self.schema.axis_len(*axis)).product::<usize>() * field.places;
        let ids: Vec<String> = self.schema.axis_ids(*axis).map(ToString::to_string).collect();
        if let Some(path) = path {
            self.carry(path, &map, &ids.iter().map(String::as_str).collect::<Vec<_>>());
        }
        for (index, id) in ids.iter().enumerate() {
            if let Some(item) = map.get(id.as_str()) {
                let path = path.map(|path| [path, &[id.as_str()]].concat());
                self.nested(path.as_deref(), field, inner, item, cells, first + index * stride)?;
            }
        }
        Ok(())
    }

    /// One value of a field, or its table of best values.
    fn one(
        &mut self,
        field: &FieldDef,
        item: &Item<'_>,
        cells: &mut [Value],
        first: usize,
    ) -> Result<(), ReadError> {
        let name = field.name.as_str();
        let gone = RefCell::default();
        let (schema, order) = (self.schema, self.plan.order(field));
        let value = |item: &Item<'_>| match item.is_null() && field.may_be_unset() {
            true => Ok(Value::Unset),
            false => {
                let with = values::Reading { schema, order, what: name, gone: Some(&gone) };
                item.whole(|cursor| values::read(cursor, field.holds(), with))
            }
        };
        if field.places == 1 {
            let value = value(item)?;
            let is_all_gone = matches!(field.kind, Kind::Id(_)) && !gone.borrow().is_empty();
            // As with a level that is gone: the rest of the save is whole, and the field is as declared.
            if let Some(cell) = cells.get_mut(first).filter(|_| !is_all_gone) {
                *cell = value;
            }
            for id in gone.take() {
                let missing = Missing::Id { field: name.to_string(), id };
                // The copies of a visit name the same ones again.
                if !self.missing.contains(&missing) {
                    self.missing.push(missing);
                }
            }
            return Ok(());
        }
        let table = item.array(&format!("{name} as a table of best values"))?;
        // A table that was longer keeps its best.
        for (cell, item) in cells.get_mut(first..first + field.places).into_iter().flatten().zip(&table) {
            *cell = value(item)?;
        }
        Ok(())
    }

    fn told(
        &mut self,
        path: &[&str],
        map: &BTreeMap<&str, Item<'_>>,
        once_in: &[Again],
        state: &mut State,
    ) -> Result<(), ReadError> {
        let schema = self.schema;
        let of = || schema.moments.iter().enumerate().filter(|(_, moment)| once_in.contains(&moment.again));
        let ids: Vec<&str> = of().map(|(_, moment)| moment.name.as_str()).collect();
        self.carry(path, map, &ids);
        for (index, moment) in of() {
            if let (Some(item), Some(told)) = (map.get(moment.name.as_str()), state.told.get_mut(index)) {
                *told = item.bool(moment.name.as_str())?;
            }
        }
        Ok(())
    }

    fn levels(&mut self, map: &BTreeMap<&str, Item<'_>>, state: &mut State) -> Result<(), ReadError> {
        let schema = self.schema;
        let ids: Vec<&str> = schema.levels.iter().map(|level| level.name.as_str()).collect();
        self.carry(&[PROFILE, "levels"], map, &ids);
        for (index, id) in ids.iter().enumerate() {
            let Some(item) = map.get(id) else { continue };
            let mut put = |difficulty, facts| {
                state
                    .facts
                    .get_mut(schema.fact_index(index, difficulty))
                    .into_iter()
                    .for_each(|held| *held = facts);
            };
            if !schema.level_facts_per_difficulty {
                put(0, self.facts(&[PROFILE, "levels", id], item)?);
                continue;
            }
            let by_difficulty = item.map()?;
            let difficulties: Vec<&str> = schema.difficulties.iter().map(AsRef::as_ref).collect();
            self.carry(&[PROFILE, "levels", id], &by_difficulty, &difficulties);
            for (difficulty, on) in difficulties.iter().enumerate() {
                if let Some(item) = by_difficulty.get(on) {
                    put(difficulty, self.facts(&[PROFILE, "levels", id, on], item)?);
                }
            }
        }
        Ok(())
    }

    /// The facts of a level on a difficulty.
    fn facts(&mut self, path: &[&str], item: &Item<'_>) -> Result<LevelFacts, ReadError> {
        let map = item.map()?;
        self.carry(path, &map, &FactOf::ALL.map(|(name, _)| name));
        let stars = item.required(&map, "stars")?;
        let rating = u8::try_from(stars.count("stars")?).map_err(|_| stars.unexpected("stars up to 255"))?;
        Ok(LevelFacts {
            finished: item.required(&map, "finished")?.bool("finished")?,
            stars: rating,
            collected: item.required(&map, "collected")?.count("collected")?,
            attempts: item.required(&map, "attempts")?.count("attempts")?,
            deaths: item.required(&map, "deaths")?.count("deaths")?,
        })
    }

    fn unlocked(&mut self, map: &BTreeMap<&str, Item<'_>>, state: &mut State) -> Result<(), ReadError> {
        let ids: Vec<&str> = self.schema.unlocks.iter().map(|unlock| unlock.name.as_str()).collect();
        self.carry(&[PROFILE, "unlocked"], map, &ids);
        for (id, latched) in ids.iter().zip(&mut state.latched) {
            if let Some(item) = map.get(id) {
                *latched = item.bool(id)?;
            }
        }
        Ok(())
    }

    /// An id that is not declared here, to be written back; it is told.
    fn kept(&mut self, place: &'static str, id: Option<&str>, is_declared: bool) -> Option<Arc<str>> {
        let id = id.filter(|_| !is_declared)?;
        self.missing.push(Missing::Kept { place, id: id.to_string() });
        Some(id.into())
    }

    /// Carries along what has a key that is not known.
    fn carry(&mut self, path: &[&str], map: &BTreeMap<&str, Item<'_>>, known: &[&str]) {
        for (key, item) in map.iter().filter(|(key, _)| !known.contains(key)) {
            let path = path.iter().chain([key]).map(ToString::to_string).collect();
            self.carried.fields.insert(path, item.bytes().to_vec());
        }
    }
}

/// An id, or nothing.
fn id<'b>(item: &Item<'b>, what: &str) -> Result<Option<&'b str>, ReadError> {
    if item.is_null() { Ok(None) } else { item.text(what).map(Some) }
}
