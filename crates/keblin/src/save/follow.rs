//! The bodies of sections to a snapshot, where they are as this schema writes them: along the tapes of the plan, comparing
//! bytes and reading values in the gaps. The mirror of `encode`. Anything else, down to a single byte, is left to
//! `keyed`, which copes with any order and says what is wrong.

use std::sync::Arc;

use keblin_schema::kind::Kind;
use keblin_schema::{Schema, Time, Value};
use minicbor::Decoder;

use super::block::Section;
use super::cursor::Cursor;
use super::plan::Plan;
use super::tape::{Part, Tape};
use super::values::{self, Reading};
use crate::snapshot::{Run, State, Stay, Visit};

/// Reads a section into a state; `None` if it is not as the tape says.
pub(super) fn section(
    section: &Section<'_>,
    tape: &Tape,
    schema: &Schema,
    plan: &Plan,
    state: &mut State,
) -> Option<()> {
    let mut cursor = Cursor::new(section.name, section.body_offset, section.body);
    Following { schema, plan, state }.tape(&mut cursor, tape)?;
    cursor.is_at_end().then_some(())
}

struct Following<'s> {
    schema: &'s Schema,
    plan: &'s Plan,
    state: &'s mut State,
}

impl Following<'_> {
    fn tape(&mut self, cursor: &mut Cursor<'_>, tape: &Tape) -> Option<()> {
        let mut gap = 0;
        while let Some((before, part)) = tape.stretch(gap) {
            cursor.passes(before).then_some(())?;
            match tape.small_facts(gap, cursor, &mut self.state.facts) {
                Some(taken) => gap += taken,
                None => {
                    self.gap(cursor, part)?;
                    gap += 1;
                }
            }
        }
        cursor.passes(tape.rest()).then_some(())
    }

    fn gap(&mut self, cursor: &mut Cursor<'_>, part: Part) -> Option<()> {
        let Following { schema, plan, .. } = *self;
        match part {
            Part::Cell(cell) => value(cursor, schema, plan, &mut self.state.cells, cell)?,
            Part::Table { first, places } => {
                table(cursor, schema, plan, &mut self.state.cells, first, places)?;
            }
            Part::Fact(fact, index) => fact.read(cursor, self.state.facts.get_mut(index)?)?,
            Part::Latched(index) => *self.state.latched.get_mut(index)? = cursor.bool_if()?,
            Part::Told(index) => *self.state.told.get_mut(index)? = cursor.bool_if()?,
            Part::Furthest => self.state.furthest = level(cursor, schema)?,
            Part::Difficulty => {
                // A schema with difficulties always has one chosen.
                let chosen = difficulty(cursor, schema)?;
                (chosen.is_some() != schema.difficulties.is_empty()).then_some(())?;
                self.state.difficulty = chosen;
            }
            Part::Played => self.state.played = Time::from_nanos(cursor.next(|| "", Decoder::i64).ok()?),
            Part::Run if cursor.null() => self.state.run = None,
            Part::Run => {
                self.state.run = Some(Run { difficulty: None, visit: None });
                self.tape(cursor, &plan.inside_run)?;
            }
            Part::RunDifficulty => {
                let chosen = difficulty(cursor, schema)?;
                (chosen.is_some() != schema.difficulties.is_empty()).then_some(())?;
                self.state.run.as_mut()?.difficulty = chosen;
            }
            Part::Visit if cursor.null() => self.state.run.as_mut()?.visit = None,
            Part::Visit => {
                let (stay, entry) = (Stay::Playing, Arc::default());
                let visit = Visit { level: None, stay, checkpoint: None, entry, at_checkpoint: None };
                self.state.run.as_mut()?.visit = Some(visit);
                self.tape(cursor, &plan.visit)?;
            }
            Part::Level => self.visit()?.level = level(cursor, schema)?,
            Part::Checkpoint => {
                // Its level stands before it.
                let level = self.visit()?.level;
                let found = id(cursor, |id| schema.checkpoint_named(level?, id))?;
                self.visit()?.checkpoint = found;
            }
            Part::Stay => {
                let word = cursor.text("").ok()?;
                self.visit()?.stay = Stay::ALL.iter().copied().find(|stay| stay.as_str() == word)?;
            }
            Part::Entry => self.visit()?.entry = copy(cursor, schema, plan)?.unwrap_or_default(),
            Part::AtCheckpoint => self.visit()?.at_checkpoint = copy(cursor, schema, plan)?,
        }
        Some(())
    }

    fn visit(&mut self) -> Option<&mut Visit> {
        self.state.run.as_mut()?.visit.as_mut()
    }
}

/// An id of a list, or null; nothing if the list has no such id.
pub(super) fn id(cursor: &mut Cursor<'_>, named: impl Fn(&str) -> Option<usize>) -> Option<Option<usize>> {
    if cursor.null() {
        return Some(None);
    }
    named(cursor.text("").ok()?).map(Some)
}

fn level(cursor: &mut Cursor<'_>, schema: &Schema) -> Option<Option<usize>> {
    id(cursor, |id| schema.level_named(id))
}

fn difficulty(cursor: &mut Cursor<'_>, schema: &Schema) -> Option<Option<usize>> {
    id(cursor, |id| schema.difficulty_named(id))
}

fn value(
    cursor: &mut Cursor<'_>,
    schema: &Schema,
    plan: &Plan,
    cells: &mut [Value],
    cell: usize,
) -> Option<()> {
    let field = schema.field_at(cell)?;
    let held = cells.get_mut(cell)?;
    *held = if field.may_be_unset() && cursor.null() {
        Value::Unset
    } else if field.kind == Kind::Int {
        Value::Int(cursor.next(|| "", Decoder::i64).ok()?)
    } else {
        let with = Reading { schema, order: plan.order(field), what: "", gone: None };
        values::read(cursor, field.holds(), with).ok()?
    };
    Some(())
}

/// A table of best values: no longer than it may be, or the general way takes the best of it.
fn table(
    cursor: &mut Cursor<'_>,
    schema: &Schema,
    plan: &Plan,
    cells: &mut [Value],
    first: usize,
    places: usize,
) -> Option<()> {
    let taken = usize::try_from(cursor.array("").ok()?).ok().filter(|taken| *taken <= places)?;
    (first..first + taken).try_for_each(|cell| value(cursor, schema, plan, cells, cell))
}

/// A copy of the values of level and run scope, or null.
fn copy(cursor: &mut Cursor<'_>, schema: &Schema, plan: &Plan) -> Option<Option<Arc<[Value]>>> {
    if cursor.null() {
        return Some(None);
    }
    let mut cells: Vec<Value> = State::first_cells(schema);
    cells.truncate(schema.copied_cells);
    for (before, part) in plan.copy.stretches() {
        cursor.passes(before).then_some(())?;
        match part {
            Part::Cell(cell) => value(cursor, schema, plan, &mut cells, cell)?,
            Part::Table { first, places } => table(cursor, schema, plan, &mut cells, first, places)?,
            // A copy is of fields alone.
            _ => return None,
        }
    }
    cursor.passes(plan.copy.rest()).then_some(())?;
    Some(Some(cells.into()))
}
