//! The game's part in steps about the world: a rehearsal holds the objects of the areas that are loaded.

use std::fmt::Display;

use keblin_model::{AnyGame, Value};

use super::machine::Machine;
use super::report::FailureKind;
use super::world::{AreaDue, WorldStep};
use crate::world::{AreaChange, AreaIn, AreaOut, ObjectId, PlainObject, WorldError, WorldWhy};

impl Machine {
    pub(super) fn world(&mut self, step: &WorldStep) -> Result<(), FailureKind> {
        let engine = self.progress_mut()?;
        match step {
            WorldStep::Request(area) => _ = engine.request_area(*area),
            WorldStep::Release(area) => _ = engine.release_area(*area).map_err(FailureKind::World)?,
            WorldStep::Recall(area, made) => self.recall(*area, made)?,
            WorldStep::PutBy(area) => {
                let objects = self.objects.get(area).cloned().unwrap_or_default();
                let put_by = self.progress_mut()?.put_by(*area, |out| pass(out, &objects));
                put_by.map_err(FailureKind::World)?;
                self.objects.remove(area);
            }
            WorldStep::Record(area) => {
                let objects = self.objects.get(area).cloned().unwrap_or_default();
                let recorded = self.progress_mut()?.record_area(*area, |out| pass(out, &objects));
                recorded.map_err(FailureKind::World)?;
            }
            WorldStep::Make(area, kind) => {
                self.loaded(*area, *kind)?;
                let id = self.progress_mut()?.new_object();
                let object = PlainObject::new(self.schema(), *kind, id);
                self.loaded(*area, *kind)?.push(object);
            }
            WorldStep::Change(area, kind, id, field, value) => {
                let object = self.object(*area, *kind, *id)?;
                object.values.get_mut(*field).into_iter().for_each(|held| held.clone_from(value));
            }
            WorldStep::Destroy(area, kind, id) => {
                self.object(*area, *kind, *id)?;
                self.loaded(*area, *kind)?.retain(|object| object.id != *id);
            }
            WorldStep::ExpectNeeds(area, expected) => {
                let actual = engine.needs_of(*area);
                let what = format!("how many need {}", self.area_id(*area));
                return shows(what, expected, &actual);
            }
            WorldStep::ExpectArea(area, expected) => {
                let actual = self.due(*area)?;
                let what = format!("what to do with {}", self.area_id(*area));
                return shows(what, expected.as_str(), &actual.as_str());
            }
            WorldStep::ExpectObject(area, kind, id, field, expected) => {
                let actual = self.object(*area, *kind, *id)?.values.get(*field).cloned();
                let field = self.schema().object_kinds.get(*kind).and_then(|kind| kind.fields.get(*field));
                let field = field.map_or("?", |field| field.name.as_str());
                let what = format!("{field} of {}", self.named(*area, *kind, *id));
                return shows(what, expected, &actual.unwrap_or(Value::Unset));
            }
            WorldStep::ExpectThere(area, kind, id, expected) => {
                let is_there = self.loaded(*area, *kind)?.iter().any(|object| object.id == *id);
                let word = |there| if there { "there" } else { "gone" };
                return shows(self.named(*area, *kind, *id), word(*expected), &word(is_there));
            }
        }
        Ok(())
    }

    /// Makes the objects of a level, and recalls its area.
    fn recall(&mut self, area: usize, made: &[(usize, ObjectId)]) -> Result<(), FailureKind> {
        let mut objects = vec![Vec::new(); self.schema().object_kinds.len()];
        for (kind, id) in made {
            let object = PlainObject::new(self.schema(), *kind, *id);
            objects.get_mut(*kind).into_iter().for_each(|objects| objects.push(object.clone()));
        }
        let into = |into: &mut AreaIn<'_, AnyGame>| {
            objects.iter_mut().enumerate().for_each(|(kind, objects)| into.plain_objects(kind, objects));
        };
        self.progress_mut()?.recall(area, into).map_err(FailureKind::World)?;
        self.objects.insert(area, objects);
        Ok(())
    }

    fn due(&mut self, area: usize) -> Result<AreaDue, FailureKind> {
        let changes = self.progress_mut()?.area_changes();
        let has = |change: fn(&AreaChange) -> Option<usize>| {
            changes.iter().filter_map(change).any(|changed| changed == area)
        };
        let loads = has(|change| if let AreaChange::Load(area) = change { Some(area.index()) } else { None });
        let unloads =
            has(|change| if let AreaChange::Unload(area) = change { Some(area.index()) } else { None });
        Ok(match (unloads, loads) {
            (true, true) => AreaDue::Reload,
            (true, false) => AreaDue::Unload,
            (false, true) => AreaDue::Load,
            (false, false) => AreaDue::Stay,
        })
    }

    /// Returns the objects of a kind in a loaded area.
    fn loaded(&mut self, area: usize, kind: usize) -> Result<&mut Vec<PlainObject>, FailureKind> {
        let id = self.area_id(area);
        let objects = self.objects.get_mut(&area).and_then(|objects| objects.get_mut(kind));
        objects.ok_or(FailureKind::World(WorldError { area: id, why: WorldWhy::NotPresent }))
    }

    fn object(&mut self, area: usize, kind: usize, id: ObjectId) -> Result<&mut PlainObject, FailureKind> {
        let what = self.named(area, kind, id);
        let found = self.loaded(area, kind)?.iter_mut().find(|object| object.id == id);
        let (expected, actual) = ("there".to_string(), "gone".to_string());
        found.ok_or(FailureKind::Shown { what, expected, actual })
    }

    fn area_id(&self, area: usize) -> String {
        self.schema().areas.id(area).unwrap_or_default()
    }

    /// Returns the name of an object for people: `gate 3 in west`.
    fn named(&self, area: usize, kind: usize, id: ObjectId) -> String {
        let kind = self.schema().object_kinds.get(kind).map_or("?", |kind| kind.name.as_str());
        format!("{kind} {id} in {}", self.area_id(area))
    }
}

/// Passes the objects of a loaded area, kind by kind.
fn pass(out: &mut AreaOut<'_, AnyGame>, objects: &[Vec<PlainObject>]) {
    objects.iter().enumerate().for_each(|(kind, objects)| out.plain_objects(kind, objects));
}

fn shows<T: Display + ?Sized>(what: String, expected: &T, actual: &impl Display) -> Result<(), FailureKind> {
    let (expected, actual) = (expected.to_string(), actual.to_string());
    if expected == actual { Ok(()) } else { Err(FailureKind::Shown { what, expected, actual }) }
}
