//! Objects of the world: areas, kinds and fields with other names, and values of another type.

use std::sync::Arc;

use keblin_model::model::{Areas as AreasDef, ObjectKindDef};
use keblin_model::program::Fact;
use keblin_model::program::{Facts, Val, Word};
use keblin_model::versions::step::{Carrying, ShapeStep};
use keblin_model::{Kind, Name, Value};

use super::apply::{Applying, too_large};
use super::places::Places;
use super::scalar::Scalars;
use super::{Became, StepFault};
use crate::snapshot::{AREA, Areas, area_of};
use crate::world::{AreaBody, Column, ObjectId, Rows};

impl Applying<'_> {
    /// Converts the areas, and the copies of them. Areas that are not declared belong to the game, and stay.
    pub(super) fn areas(&mut self) -> Result<Arc<Areas>, StepFault> {
        let Places { old, now, .. } = self.places;
        if old.object_kinds.is_empty() && old.areas.is_empty() {
            return Ok(Arc::clone(&self.before.areas));
        }
        self.tell_of_kinds();
        self.tell_of_computed();
        let (mut areas, mut of_game) = (Areas::new(), Vec::new());
        for (section, bytes) in self.before.areas.iter() {
            let declared =
                area_of(section).and_then(|(start, id)| Some((start, id, old.areas.position(id)?)));
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
                Ok(body) => {
                    if start == AREA {
                        self.tell_of_unknown(id, &body);
                    }
                    self.body(&is, body)?.to_bytes(now)
                }
                Err(_) => Some(bytes.to_vec()),
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
                let is_split =
                    step.kinds.iter().any(|of| of.out_of.as_ref().is_some_and(|(from, _)| *from == index));
                let what = if is_split {
                    "every object that another kind does not take"
                } else {
                    "every object of the kind"
                };
                let before = Value::text(what);
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

    /// Reports kinds that are split from old ones, and fields that are scaled or computed.
    fn tell_of_computed(&mut self) {
        let Places { step, old, now } = self.places;
        for (of, kind) in step.kinds.iter().zip(&now.object_kinds) {
            let from = of.out_of.as_ref().and_then(|(from, _)| old.object_kinds.get(*from));
            if let Some(from) = from {
                self.tell(format!("kinds.{}", kind.name), Some(from.name.to_string()), Became::Carried);
            }
            for (field, member) in kind.fields.iter().zip(&of.members) {
                let fate = match &member.fill {
                    Some((program, _)) => Became::Filled { now: Value::text(program.source()) },
                    None if member.scale.is_some() => Became::Carried,
                    None => continue,
                };
                self.tell(format!("kinds.{}.{}", kind.name, field.name), None, fate);
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

    /// Reports values of objects that the version before did not know: no step can carry them.
    fn tell_of_unknown(&mut self, area: &str, body: &AreaBody<'_>) {
        for (kind, rows) in self.places.old.object_kinds.iter().zip(&body.kinds) {
            for (field, values) in &rows.beyond {
                let before = Value::text(&format!("a value that is unknown, of {} objects", values.len()));
                self.tell(format!("area.{area}.{}.{field}", kind.name), None, Became::Dropped { before });
            }
        }
    }

    /// Converts the objects of an area, kind by kind.
    fn body<'b>(&self, area: &str, mut before: AreaBody<'b>) -> Result<AreaBody<'b>, StepFault> {
        let Places { step, old, now } = self.places;
        let mut body = AreaBody::empty(now);
        let split = self.split(&mut before);
        let kinds = body.kinds.iter_mut().zip(&step.kinds).zip(&now.object_kinds).zip(split);
        for (((rows, of), kind), split) in kinds {
            let from = of.out_of.as_ref().map(|(from, _)| *from).or(of.from);
            let Some((from, was)) = from.and_then(|from| Some((from, old.object_kinds.get(from)?))) else {
                continue;
            };
            let whole = before.kinds.get_mut(from).filter(|_| of.out_of.is_none()).map(std::mem::take);
            if let Some(held) = split.or(whole) {
                *rows = self.rows((area, of), (held, was), kind)?;
            }
        }
        body.with_unknown_of(before);
        Ok(body)
    }

    /// Takes the objects out of the old kinds that are of another kind now; returns them by their new kind.
    fn split<'b>(&self, before: &mut AreaBody<'b>) -> Vec<Option<Rows<'b>>> {
        let splits = self.places.step.kinds.iter().map(|of| {
            let (from, when) = of.out_of.as_ref()?;
            let held = before.kinds.get_mut(*from)?;
            let (taken, kept): (Vec<usize>, Vec<usize>) = (0..held.ids.len())
                .partition(|row| matches!(when.value(&Object::of(held, *row), 0), Val::Bool(true)));
            let taken = held.picked(&taken);
            *held = held.picked(&kept);
            Some(taken)
        });
        splits.collect()
    }

    fn rows(
        &self,
        (area, of): (&str, &ShapeStep),
        (before, was): (Rows<'_>, &ObjectKindDef),
        kind: &ObjectKindDef,
    ) -> Result<Rows<'static>, StepFault> {
        let mut rows = Rows::of(kind);
        for ((column, field), step) in rows.columns.iter_mut().zip(&kind.fields).zip(&of.members) {
            let mut carrying = Carrying::plainly(0);
            carrying.scale = step.scale;
            let scalars = Scalars { places: self.places, carrying: &carrying };
            let from = step.from.and_then(|from| Some((before.columns.get(from)?, was.fields.get(from)?)));
            // A computed value has the type of the field; an id is text until it is looked up.
            let mut computed_as = field.clone();
            if matches!(field.kind, Kind::Id(_)) {
                computed_as.kind = Kind::Text;
            }
            for (row, id) in before.ids.iter().enumerate() {
                let place = || {
                    let id = ObjectId::of_number(*id);
                    format!("area.{area}.{}.{id}.{}", kind.name, field.name)
                };
                let to = self.places.now.version;
                let value = match &step.fill {
                    Some((program, of)) => {
                        let computed = program.outcome(&Object::of(&before, row), 0, *of);
                        Some((computed.ok_or_else(|| too_large(to, place()))?, &computed_as))
                    }
                    None => from.and_then(|(held, old)| Some((held.get(row)?, old))),
                };
                let value = match value {
                    None => Ok(field.default.clone()),
                    Some((value, old)) => {
                        scalars.member(&value, old, field, step.misfit).map_err(|unfit| (value, unfit))
                    }
                };
                let value = value.map_err(|(value, unfit)| StepFault {
                    to,
                    place: place(),
                    value,
                    why: unfit.why(),
                    needs_game: false,
                })?;
                Column::push(column, value);
            }
        }
        let left = before.left.filter(|_| kind.time_away);
        Ok(Rows { ids: before.ids, gone: before.gone, left, ..rows })
    }
}

/// The old fields of an object, which expressions read as cells.
struct Object(Vec<Value>);

impl Object {
    fn of(rows: &Rows<'_>, row: usize) -> Object {
        Object(rows.columns.iter().map(|column| column.get(row).unwrap_or(Value::Unset)).collect())
    }
}

impl Facts for Object {
    fn cell(&self, cell: usize) -> &Value {
        self.0.get(cell).unwrap_or(&Value::Unset)
    }

    fn fact(&self, _: usize, _: Fact) -> i64 {
        0
    }

    fn word(&self, _: Word) -> Option<&str> {
        None
    }

    fn unlocked(&self, _: usize) -> bool {
        false
    }

    fn played_nanos(&self) -> i64 {
        0
    }
}
