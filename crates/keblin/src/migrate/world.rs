//! Objects of the world: areas, kinds and fields with other names, and values of another type.

use std::sync::Arc;

use keblin_schema::model::{Areas as AreasDef, ObjectKindDef};
use keblin_schema::steps::{Carrying, ShapeStep};
use keblin_schema::{Name, Value};

use super::apply::Applying;
use super::places::Places;
use super::scalar::Scalars;
use super::{Became, StepFault};
use crate::snapshot::{AREA, AT_CHECKPOINT, AT_ENTRY, Areas};
use crate::world::{AreaBody, Column, ObjectId, Rows};

impl Applying<'_> {
    /// Converts the areas, and the copies of them. Areas that are not declared belong to the game, and stay.
    pub(super) fn areas(&mut self) -> Result<Arc<Areas>, StepFault> {
        let Places { old, now, .. } = self.places;
        if old.object_kinds.is_empty() && old.areas.is_empty() {
            return Ok(Arc::clone(&self.before.areas));
        }
        self.tell_of_kinds();
        let (mut areas, mut of_game) = (Areas::new(), Vec::new());
        for (section, bytes) in self.before.areas.iter() {
            let start = [AREA, AT_ENTRY, AT_CHECKPOINT].iter().find(|start| section.starts_with(**start));
            let named = start.and_then(|start| Some((*start, section.strip_prefix(start)?)));
            let declared = named.and_then(|(start, id)| Some((start, id, old.areas.position(id)?)));
            let Some((start, id, was)) = declared else {
                of_game.push((section, bytes));
                continue;
            };
            let is = self.area_now(was, id);
            // A save of an earlier version is read as a whole.
            let Ok(bytes) = bytes.get() else { continue };
            if start == AREA {
                self.tell_of_area(id, is.as_deref(), bytes);
            }
            let Some(is) = is else { continue };
            // Bytes that cannot be read stay as they are, as when they are recalled.
            let converted = match AreaBody::read(old, bytes) {
                Ok(body) => self.body(&is, body)?.to_bytes(now),
                Err(_) => Some(Arc::clone(bytes)),
            };
            // A copy without bytes says that nothing was known then.
            let converted = if start == AREA { converted } else { Some(converted.unwrap_or_default()) };
            converted.and_then(|bytes| areas.insert(format!("{start}{is}").into(), bytes.into()));
        }
        for (section, bytes) in of_game {
            // An area that the declaration now has under this id takes the place of the game's own bytes.
            if areas.contains_key(section) {
                let before =
                    Value::text(&format!("{} bytes of the game", bytes.get().map_or(0, |bytes| bytes.len())));
                self.tell(section.to_string(), None, Became::Dropped { before });
            } else {
                areas.insert(Arc::clone(section), bytes.clone());
            }
        }
        Ok(Arc::new(areas))
    }

    /// Returns the new id of an area; `None` if it was dropped.
    fn area_now(&self, was: usize, id: &str) -> Option<String> {
        let Places { step, now, .. } = self.places;
        match &now.areas {
            AreasDef::Named(_) => now.areas.id(step.areas.iter().position(|from| *from == Some(was))?),
            _ => now.areas.position(id).map(|_| id.to_string()),
        }
    }

    /// Reports kinds and fields that were renamed or dropped.
    fn tell_of_kinds(&mut self) {
        let Places { step, old, now } = self.places;
        for (index, kind) in old.object_kinds.iter().enumerate() {
            let is = step.kinds.iter().position(|step| step.from == Some(index));
            let Some((step, is)) = is.and_then(|is| Some((step.kinds.get(is)?, now.object_kinds.get(is)?)))
            else {
                let before = Value::text("every object of the kind");
                self.tell(format!("kinds.{}", kind.name), None, Became::Dropped { before });
                continue;
            };
            self.tell_of_name(format!("kinds.{}", is.name), &kind.name, &is.name);
            for (at, field) in kind.fields.iter().enumerate() {
                let to = step.members.iter().position(|member| member.from == Some(at));
                match to.and_then(|to| is.fields.get(to)) {
                    Some(to) => {
                        self.tell_of_name(format!("kinds.{}.{}", is.name, to.name), &field.name, &to.name);
                    }
                    None => {
                        let before = Value::text("its value in every object");
                        let place = format!("kinds.{}.{}", kind.name, field.name);
                        self.tell(place, None, Became::Dropped { before });
                    }
                }
            }
        }
    }

    fn tell_of_name(&mut self, place: String, was: &Name, is: &Name) {
        if let Some(was) = Applying::was(was.as_str(), is.as_str()) {
            self.tell(place, Some(was), Became::Carried);
        }
    }

    fn tell_of_area(&mut self, was: &str, is: Option<&str>, bytes: &[u8]) {
        match is {
            Some(is) => self.tell(format!("area.{is}"), Applying::was(was, is), Became::Carried),
            None => {
                let before = Value::text(&format!("{} bytes", bytes.len()));
                self.tell(format!("area.{was}"), None, Became::Dropped { before });
            }
        }
    }

    /// Converts the objects of an area, kind by kind.
    fn body(&self, area: &str, mut before: AreaBody) -> Result<AreaBody, StepFault> {
        let Places { step, old, now } = self.places;
        let mut body = AreaBody::empty(now);
        for ((rows, of), kind) in body.kinds.iter_mut().zip(&step.kinds).zip(&now.object_kinds) {
            let from =
                of.from.and_then(|from| Some((before.kinds.get_mut(from)?, old.object_kinds.get(from)?)));
            if let Some((held, was)) = from {
                *rows = self.rows((area, of), (std::mem::take(held), was), kind)?;
            }
        }
        body.with_unknown_of(before);
        Ok(body)
    }

    fn rows(
        &self,
        (area, of): (&str, &ShapeStep),
        (before, was): (Rows, &ObjectKindDef),
        kind: &ObjectKindDef,
    ) -> Result<Rows, StepFault> {
        let plainly = Carrying::plainly(0);
        let scalars = Scalars { places: self.places, carrying: &plainly };
        let mut rows = Rows::of(kind);
        for ((column, field), step) in rows.columns.iter_mut().zip(&kind.fields).zip(&of.members) {
            let from = step.from.and_then(|from| Some((before.columns.get(from)?, was.fields.get(from)?)));
            for (row, id) in before.ids.iter().enumerate() {
                let value = from.and_then(|(held, old)| Some((held.get(row)?, old)));
                let value = match value {
                    None => Ok(field.default.clone()),
                    Some((value, old)) => {
                        scalars.member(&value, old, field, step.misfit).map_err(|unfit| (value, unfit))
                    }
                };
                let value = value.map_err(|(value, unfit)| {
                    let id = ObjectId::of_number(*id);
                    let place = format!("area.{area}.{}.{id}.{}", kind.name, field.name);
                    let to = self.places.now.version;
                    StepFault { to, place, value, why: unfit.why(), needs_game: false }
                })?;
                Column::push(column, value);
            }
        }
        let left = before.left.filter(|_| kind.time_away);
        Ok(Rows { ids: before.ids, gone: before.gone, left, ..rows })
    }
}
