//! A look at a save that makes nothing of it: whether its sections are as this schema writes them and every value is of its
//! type and within its limits. For folders of thousands of saves; whatever is not plainly so is left to `decode`, which
//! makes the values and says what is wrong.

use keblin_schema::model::{Bound, FieldDef, Limits};
use keblin_schema::{Kind, Schema, Value};
use minicbor::Decoder;

use super::cursor::Cursor;
use super::file::SaveFile;
use super::follow::id;
use super::layout::{PROFILE, RUN};
use super::plan::Plan;
use super::tape::{Part, Tape};
use super::values;
use super::values::ShapeOrder;
use crate::snapshot::{LevelFacts, Stay};

/// What is known of a save whose values are all as they should be.
pub(crate) struct Glance {
    /// By [`Model::fact_index`](keblin_schema::Model::fact_index).
    pub(crate) facts: Vec<LevelFacts>,
    /// The cells of axes that hold something.
    pub(crate) held: Vec<usize>,
    /// Whether there is a run.
    pub(crate) has_run: bool,
    /// Whether the lives are gone.
    pub(crate) without_lives: bool,
}

/// Looks at a save of this game and version; `None` if only decoding it can tell how it is.
pub(crate) fn glance(file: &SaveFile<'_>, schema: &Schema) -> Option<Glance> {
    // Bounds that follow other values need the values.
    if !schema.following.is_empty() || file.has_unknown() {
        return None;
    }
    file.picture().ok()?;
    file.areas().ok()?;
    let plan = Plan::of(schema);
    let facts = vec![LevelFacts::default(); schema.fact_count()];
    let glance = Glance { facts, held: Vec::new(), has_run: false, without_lives: false };
    let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
    let lives = lives.map(|field| field.cells.start);
    let mut looking = Looking { schema, plan: &plan, lives, level: None, glance };
    for (name, tape) in [(PROFILE, &plan.profile), (RUN, &plan.run)] {
        let section = file.section(name).ok()?;
        let mut cursor = Cursor::new(section.name, section.body_offset, section.body);
        looking.tape(&mut cursor, tape)?;
        cursor.is_at_end().then_some(())?;
    }
    Some(looking.glance)
}

struct Looking<'s> {
    schema: &'s Schema,
    plan: &'s Plan,
    /// The cell of the lives.
    lives: Option<usize>,
    /// The level of the visit.
    level: Option<usize>,
    glance: Glance,
}

impl Looking<'_> {
    fn tape(&mut self, cursor: &mut Cursor<'_>, tape: &Tape) -> Option<()> {
        let mut gap = 0;
        while let Some((before, part)) = tape.stretch(gap) {
            cursor.passes(before).then_some(())?;
            match tape.small_facts(gap, cursor, &mut self.glance.facts) {
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
        let Looking { schema, plan, .. } = *self;
        match part {
            Part::Fact(fact, index) => fact.read(cursor, self.glance.facts.get_mut(index)?),
            Part::Cell(cell) => self.cell(cursor, cell),
            Part::Table { first, places } => {
                let taken = usize::try_from(cursor.array("").ok()?).ok().filter(|taken| *taken <= places)?;
                (first..first + taken).try_for_each(|cell| self.cell(cursor, cell))
            }
            Part::Latched(_) | Part::Told(_) => cursor.bool_if().map(drop),
            Part::Played => cursor.next(|| "", Decoder::i64).ok().map(drop),
            Part::Run => {
                self.glance.has_run = !cursor.null();
                if self.glance.has_run { self.tape(cursor, &plan.inside_run) } else { Some(()) }
            }
            Part::Visit if cursor.null() => Some(()),
            Part::Visit => self.tape(cursor, &plan.visit),
            Part::Entry | Part::AtCheckpoint if cursor.null() => Some(()),
            Part::Entry | Part::AtCheckpoint => self.tape(cursor, &plan.copy),
            Part::Furthest => id(cursor, |id| schema.level_named(id)).map(drop),
            Part::Difficulty | Part::RunDifficulty => id(cursor, |id| schema.difficulty_named(id)).map(drop),
            Part::Level => {
                self.level = id(cursor, |id| schema.level_named(id))?;
                Some(())
            }
            // Its level stands before it.
            Part::Checkpoint => id(cursor, |id| schema.checkpoint_named(self.level?, id)).map(drop),
            Part::Stay => {
                let word = cursor.text("").ok()?;
                Stay::ALL.iter().any(|stay| stay.as_str() == word).then_some(())
            }
        }
    }

    /// A value of a field, or of a copy of it.
    fn cell(&mut self, cursor: &mut Cursor<'_>, cell: usize) -> Option<()> {
        let Looking { schema, plan, glance, .. } = self;
        let field = schema.field_at(cell)?;
        if field.may_be_unset() && cursor.null() {
            return Some(());
        }
        if !field.per.is_empty() {
            glance.held.push(cell);
        }
        // A copy may hold no life while the run has some; then the save is looked at more closely for nothing.
        glance.without_lives |= self.lives == Some(cell) && cursor.clone().passes(&[0x00]);
        value(cursor, schema, field, plan.order(field))
    }
}

/// The least and the most that a number may be.
type Bounds = [Option<i64>; 2];

/// A whole value: plain, or a list with as many items as it may have.
fn value(cursor: &mut Cursor<'_>, schema: &Schema, field: &FieldDef, order: &ShapeOrder) -> Option<()> {
    let bound = |bound: &Option<Bound>| match bound {
        None => Some(None),
        Some(bound) => bound.fixed()?.number().map(Some),
    };
    match (&field.items, field.kind) {
        (Some(items), Kind::List) => {
            let count = usize::try_from(cursor.array("").ok()?).ok()?;
            (count <= items.max_items).then_some(())?;
            (0..count).try_for_each(|_| limited(cursor, schema, items.of, &items.limits, order))
        }
        (None, kind) => {
            one(cursor, schema, kind, [bound(&field.min)?, bound(&field.max)?], field.max_len, order)
        }
        _ => None,
    }
}

/// A value of a kind within limits.
fn limited(
    cursor: &mut Cursor<'_>,
    schema: &Schema,
    kind: Kind,
    limits: &Limits,
    order: &ShapeOrder,
) -> Option<()> {
    let bound = |bound: &Option<Value>| match bound {
        None => Some(None),
        Some(bound) => bound.number().map(Some),
    };
    one(cursor, schema, kind, [bound(&limits.min)?, bound(&limits.max)?], limits.max_len, order)
}

fn one(
    cursor: &mut Cursor<'_>,
    schema: &Schema,
    kind: Kind,
    [min, max]: Bounds,
    max_len: Option<usize>,
    order: &ShapeOrder,
) -> Option<()> {
    match kind {
        Kind::Bool => cursor.bool_if().map(drop),
        Kind::Int | Kind::Time => {
            let number = cursor.int_if()?;
            let fits = min.is_none_or(|min| number >= min) && max.is_none_or(|max| number <= max);
            fits.then_some(())
        }
        Kind::Text => {
            let bytes = cursor.text_bytes_if()?;
            // Fewer bytes than characters may be are fewer characters.
            let is_short = max_len.is_none_or(|most| bytes.len() <= most);
            if is_short && bytes.is_ascii() {
                return Some(());
            }
            let text = str::from_utf8(bytes).ok()?;
            (is_short || max_len.is_none_or(|most| text.chars().count() <= most)).then_some(())
        }
        Kind::Bytes => {
            let bytes = cursor.next(|| "", Decoder::bytes).ok()?;
            max_len.is_none_or(|most| bytes.len() <= most).then_some(())
        }
        Kind::Vec2 => numbers(cursor, 2),
        Kind::Vec3 => numbers(cursor, 3),
        Kind::Quat => numbers(cursor, 4),
        Kind::Shape(shape) => {
            let members = &schema.shapes.get(usize::from(shape))?.members;
            cursor.passes(&order.head).then_some(())?;
            order.members.iter().try_for_each(|(key, index)| {
                cursor.passes(key).then_some(())?;
                let member = members.get(*index)?;
                if matches!(member.default, Value::Unset) && cursor.null() {
                    return Some(());
                }
                limited(cursor, schema, member.kind, &member.limits, order)
            })
        }
        // Fractions with bounds, ids, sets, maps and opaque bytes are rarer, and for the closer look.
        _ => None,
    }
}

/// A vector: so many finite numbers.
fn numbers(cursor: &mut Cursor<'_>, count: u64) -> Option<()> {
    (cursor.array("").ok()? == count).then_some(())?;
    (0..count).try_for_each(|_| {
        if cursor.passes_finite() {
            return Some(());
        }
        let number = cursor.next(|| "", values::number).ok()?;
        #[expect(clippy::cast_possible_truncation, reason = "a number that does not fit becomes infinite")]
        let single = number as f32;
        single.is_finite().then_some(())
    })
}
