//! Reads the bodies of sections to a state. Bytes that this schema wrote are followed along the templates of the plan:
//! names are compared, and values read in the holes. Anything else, down to a single byte, is read by its keys, in any
//! order: missing values get their defaults, unknown ones are preserved, and values of another type are refused.

use std::sync::Arc;

use keblin_model::{Model, Value};

use super::block::Section;
use super::cursor::Cursor;
use super::error::{Fault, ReadError};
use super::facts;
use super::glance::Glance;
use super::map::Item;
use super::missing::Missing;
use crate::grammar::listed::{Branch, Leaf, Map, Node};
use crate::grammar::plan::{Body, Plan};
use crate::grammar::template::{Hole, Template};
use crate::snapshot::{Carried, Original, Run, State, Stay, Visit, VisitBefore};

/// A state being read.
pub(super) struct Reading<'s> {
    pub(super) model: &'s Model,
    pub(super) plan: &'s Plan,
    pub(super) state: State,
    /// Unknown values that are preserved.
    pub(super) carried: Carried,
    /// Names that the model no longer declares.
    pub(super) missing: Vec<Missing>,
    /// Whether everything was as this model writes it.
    pub(super) as_written: bool,
    /// Whether another declaration of the same version wrote the save: it may have wider bounds.
    pub(super) is_of_another: bool,
    /// How many parts were not read, because this model does not know them.
    beyond: usize,
    /// Whether the save point of the run is being read, in place of its visit.
    pub(super) in_save_point: bool,
    /// The values of the state, while a copy is read in their place.
    outside: Option<Vec<Value>>,
    /// Only set for a quick check, which makes no values.
    pub(super) glance: Option<Glance>,
    /// Only set to collect what does not fit, instead of stopping at the first of it.
    pub(super) misfits: Option<Vec<String>>,
}

/// Returns what does not fit, in words; what names its field needs no place.
fn misfit(path: &[String], fault: &Fault) -> String {
    match path {
        [_, fields, field] if fields == "fields" && fault.to_string().contains(field) => fault.to_string(),
        [_, fields, rest @ ..] if fields == "fields" => format!("{}: {fault}", rest.join(".")),
        path => format!("{}: {fault}", path.join(".")),
    }
}

impl<'s> Reading<'s> {
    pub(super) fn new(model: &'s Model, plan: &'s Plan) -> Reading<'s> {
        Reading::into(State::first(model), model, plan)
    }

    /// Says whether another declaration of the same version wrote the save.
    pub(super) fn of_another(self, is_of_another: bool) -> Reading<'s> {
        Reading { is_of_another, ..self }
    }

    /// Only checks the values.
    pub(super) fn glancing(model: &'s Model, plan: &'s Plan, glance: Glance) -> Reading<'s> {
        Reading { glance: Some(glance), ..Reading::into(State::without_cells(model), model, plan) }
    }

    fn into(state: State, model: &'s Model, plan: &'s Plan) -> Reading<'s> {
        Reading {
            model,
            plan,
            state,
            carried: Carried::default(),
            missing: Vec::new(),
            as_written: true,
            is_of_another: false,
            beyond: 0,
            in_save_point: false,
            outside: None,
            glance: None,
            misfits: None,
        }
    }

    /// Only collects what does not fit.
    pub(super) fn collecting(model: &'s Model, plan: &'s Plan) -> Reading<'s> {
        Reading { misfits: Some(Vec::new()), ..Reading::new(model, plan) }
    }

    /// Returns the result of the quick check, and the state without values.
    pub(super) fn into_glance(self) -> Option<(Glance, State)> {
        Some((self.glance?, self.state))
    }

    /// Reads a section as this model writes it; `None` if it differs, and then the state is useless.
    pub(super) fn follow(&mut self, section: &Section<'_>, body: &Body) -> Option<()> {
        let mut cursor = Cursor::new(section.name, section.body_offset, section.body);
        self.template(&mut cursor, &body.template)?;
        (cursor.is_at_end() && self.as_written).then_some(())
    }

    fn template(&mut self, cursor: &mut Cursor<'_>, template: &Template) -> Option<()> {
        for (before, hole) in template.holes() {
            cursor.passes(before).then_some(())?;
            match hole {
                Hole::Leaf(leaf) => self.leaf(cursor, *leaf).ok()?,
                Hole::Facts(index, inside) => {
                    if !facts::read_small(cursor, self.state.facts.get_mut(*index)?) {
                        self.template(cursor, inside)?;
                    }
                }
                Hole::Branch(branch, _) if cursor.null() => self.absent(*branch),
                Hole::Branch(branch, inside) => {
                    self.begin(*branch);
                    self.template(cursor, inside)?;
                    self.end(*branch);
                }
            }
        }
        cursor.passes(template.rest()).then_some(())
    }

    /// Reads a section by its keys.
    pub(super) fn by_keys(&mut self, section: &Section<'_>, body: &Body) -> Result<(), ReadError> {
        self.by_keys_in(section.name, &section.item(), &body.map)
    }

    /// Called after all sections were read by their keys. If every value is known, what the copies had is known too.
    pub(super) fn finish(&mut self) {
        if self.carried.values.is_empty() {
            self.carried.visits.retain(|_, before| before.has_more);
        }
    }

    /// Reads the contents of a section by its keys.
    pub(super) fn by_keys_in(&mut self, name: &str, item: &Item<'_>, map: &Map) -> Result<(), ReadError> {
        self.map(item, map, &mut vec![name.to_string()])
    }

    fn map(&mut self, item: &Item<'_>, map: &Map, path: &mut Vec<String>) -> Result<(), ReadError> {
        let mut found = item.map()?;
        for (index, (key, node)) in map.entries.iter().enumerate() {
            let Some(inside) = found.remove(key.as_str()) else {
                if index < map.needed {
                    return Err(item.without(key));
                }
                continue;
            };
            path.push(key.clone());
            let before = self.beyond;
            let read = match node {
                Node::Leaf(leaf) => inside.whole(|cursor| self.leaf(cursor, *leaf)),
                Node::Map(map) => self.map(&inside, map, path),
                Node::Branch(branch, _) if inside.is_null() => {
                    self.absent(*branch);
                    Ok(())
                }
                Node::Branch(branch, map) => {
                    self.begin(*branch);
                    let read = self.map(&inside, map, path);
                    self.end(*branch);
                    read
                }
            };
            self.keep_original(node, inside.bytes(), self.beyond > before);
            match (read, &mut self.misfits) {
                (Err(error), Some(misfits)) => misfits.push(misfit(path, &error.fault)),
                (read, _) => read?,
            }
            path.pop();
        }
        if !map.keeps_unknown {
            // The part of the run around this map is kept as a whole.
            (0..found.len()).for_each(|_| self.has_more());
            return Ok(());
        }
        for (key, unknown) in found {
            let path = path.iter().map(String::as_str).chain([key]).map(ToString::to_string).collect();
            self.carried.fields.insert(path, unknown.bytes().to_vec());
        }
        Ok(())
    }

    /// Notes that a part was not read, because this model does not know it.
    pub(super) fn has_more(&mut self) {
        self.as_written = false;
        self.beyond += 1;
    }

    /// Keeps a part as it is, if not all of it was read; the parts of a visit also to know what it had then.
    fn keep_original(&mut self, node: &Node, bytes: &[u8], has_more: bool) {
        let places = match *node {
            Node::Leaf(Leaf::Cell(cell)) if has_more => cell..cell + 1,
            Node::Leaf(Leaf::Table { first, places }) if has_more => first..first + places,
            Node::Branch(branch, _) if branch != Branch::Run => {
                let part = (self.in_save_point || branch == Branch::SavePoint, branch);
                let read = self.visit_place_of(part.0).and_then(|visit| visit.clone());
                self.carried.visits.insert(part, VisitBefore { read, bytes: bytes.into(), has_more });
                return;
            }
            _ => return,
        };
        // The original of a copy is kept with the copy.
        let read = self.state.cells.get(places.clone()).filter(|_| self.outside.is_none());
        if let Some(read) = read.map(<[Value]>::to_vec) {
            self.carried.values.insert(places.start, vec![Original { read, bytes: bytes.into() }]);
        }
    }

    /// Called before the contents of a branch.
    fn begin(&mut self, branch: Branch) {
        match branch {
            Branch::Run => {
                self.state.run = Some(Run { difficulty: None, visit: None, save_point: None });
            }
            Branch::Visit | Branch::SavePoint => {
                let (stay, entry) = (Stay::Playing, Arc::default());
                let visit = Visit { level: None, stay, checkpoint: None, entry, at_checkpoint: None };
                self.in_save_point = branch == Branch::SavePoint;
                self.visit_place().into_iter().for_each(|place| *place = Some(visit.clone()));
            }
            Branch::Entry | Branch::AtCheckpoint => {
                // What a build does not know, it neither copies nor changes: so the copy has it as it is now.
                let copy = self.state.copy(self.model).to_vec();
                self.outside = Some(std::mem::replace(&mut self.state.cells, copy));
            }
        }
    }

    /// Called after the contents of a branch.
    fn end(&mut self, branch: Branch) {
        if branch == Branch::Run {
            return;
        }
        match branch {
            Branch::Visit => return self.leave_what_is_gone(),
            Branch::SavePoint => return self.end_save_point(),
            _ => {}
        }
        let outside = self.outside.take().unwrap_or_default();
        let copy: Arc<[Value]> = std::mem::replace(&mut self.state.cells, outside).into();
        let Some(visit) = self.visit() else { return };
        match branch {
            Branch::Entry => visit.entry = copy,
            _ => visit.at_checkpoint = Some(copy),
        }
    }

    /// Called for a branch that is null.
    fn absent(&mut self, branch: Branch) {
        match branch {
            Branch::Run => self.state.run = None,
            Branch::Visit => self.state.run.iter_mut().for_each(|run| run.visit = None),
            Branch::Entry | Branch::AtCheckpoint | Branch::SavePoint => {}
        }
    }

    /// Without its level the player is on the map; without the checkpoint at the start of the level.
    fn leave_what_is_gone(&mut self) {
        let is_gone = |what: fn(&Missing) -> bool| self.missing.iter().any(what);
        let level = is_gone(|missing| matches!(missing, Missing::Level(_)));
        let checkpoint = is_gone(|missing| matches!(missing, Missing::Checkpoint { .. }));
        match &mut self.state.run {
            Some(run) if level => run.visit = None,
            Some(Run { visit: Some(visit), .. }) if checkpoint => visit.at_checkpoint = None,
            _ => {}
        }
    }

    /// Without its level, checkpoint or values there is nothing to come back to.
    fn end_save_point(&mut self) {
        let is_whole = |visit: &Visit| {
            visit.level.is_some() && visit.checkpoint.is_some() && visit.at_checkpoint.is_some()
        };
        let place = self.visit_place();
        place.into_iter().for_each(|place| *place = place.take().filter(is_whole));
        self.in_save_point = false;
    }

    /// Returns the place of the visit that is being read.
    fn visit_place(&mut self) -> Option<&mut Option<Visit>> {
        self.visit_place_of(self.in_save_point)
    }

    fn visit_place_of(&mut self, save_point: bool) -> Option<&mut Option<Visit>> {
        let run = self.state.run.as_mut()?;
        Some(if save_point { &mut run.save_point } else { &mut run.visit })
    }

    pub(super) fn visit(&mut self) -> Option<&mut Visit> {
        self.visit_place()?.as_mut()
    }
}
