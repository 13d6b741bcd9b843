//! A quick check of a save without making its values: whether each has its type and is within its limits. For folders
//! of thousands of saves. Anything unusual is left to `decode`, which makes the values and reports what is wrong.

use keblin_model::model::{Bound, FieldDef, Limits};
use keblin_model::{Kind, Model, Value};
use minicbor::Decoder;

use super::cursor::Cursor;
use super::file::SaveFile;
use super::reading::Reading;
use super::values;
use crate::grammar::plan::{MemberOrder, ShapeOrder};
use crate::snapshot::{Schema, State};

/// What is known about a save whose values are all valid.
#[derive(Default)]
pub(crate) struct Glance {
    /// The cells with axes that are set.
    pub(crate) held: Vec<usize>,
    /// Whether no lives are left.
    pub(crate) without_lives: bool,
    /// The cell of the lives.
    lives: Option<usize>,
}

/// Checks a save of this game and version, and returns its state without values; `None` if it must be decoded to
/// know.
pub(crate) fn glance(file: &SaveFile<'_>, schema: &Schema) -> Option<(Glance, State)> {
    // Bounds that follow other values need those values.
    let plan = schema.plan();
    if !schema.following.is_empty() || file.has_unknown(plan) {
        return None;
    }
    file.picture().ok()?;
    file.areas().ok()?;
    let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
    let glance = Glance { lives: lives.map(|field| field.cells.start), ..Glance::default() };
    let mut reading = Reading::glancing(schema, plan, glance);
    for (section, body) in file.of_slot(plan).ok()? {
        reading.follow(section, body)?;
    }
    reading.into_glance()
}

impl Glance {
    /// Checks a value of a field, or of a copy of it.
    pub(super) fn cell(
        &mut self,
        cursor: &mut Cursor<'_>,
        model: &Model,
        field: &FieldDef,
        order: &ShapeOrder,
        cell: usize,
    ) -> Option<()> {
        if field.may_be_unset() && cursor.null() {
            return Some(());
        }
        if !field.per.is_empty() {
            self.held.push(cell);
        }
        // A copy may have no lives although the run has some; then the save is decoded in vain.
        self.without_lives |= self.lives == Some(cell) && cursor.clone().passes(&[0x00]);
        // What goes with records is rare; it is decoded.
        if field.with.is_some() { None } else { value(cursor, model, field, order) }
    }
}

/// The lower and upper bound of a number.
type Bounds = [Option<i64>; 2];

/// Checks a whole value: plain, or a list with its number of items.
fn value(cursor: &mut Cursor<'_>, schema: &Model, field: &FieldDef, order: &ShapeOrder) -> Option<()> {
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

/// Checks a value of a type within limits.
fn limited(
    cursor: &mut Cursor<'_>,
    schema: &Model,
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
    schema: &Model,
    kind: Kind,
    [min, max]: Bounds,
    max_len: Option<usize>,
    order: &ShapeOrder,
) -> Option<()> {
    match kind {
        Kind::Bool => cursor.bool("").ok().map(drop),
        Kind::Int | Kind::Time => {
            let number = cursor.int(|| "").ok()?;
            let fits = min.is_none_or(|min| number >= min) && max.is_none_or(|max| number <= max);
            fits.then_some(())
        }
        Kind::Text => {
            let bytes = cursor.text_bytes_if()?;
            // A text with fewer bytes than the limit also has fewer characters.
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
            order.members.iter().try_for_each(|MemberOrder { key, index, inside }| {
                cursor.passes(key).then_some(())?;
                // A list, set or map in a shape is rare; it is decoded.
                let member = members.get(*index).filter(|member| member.items.is_none())?;
                if matches!(member.default, Value::Unset) && cursor.null() {
                    return Some(());
                }
                limited(cursor, schema, member.kind, &member.limits, inside)
            })
        }
        // Fractions with bounds, ids, sets, maps and opaque bytes are rarer; they are decoded.
        _ => None,
    }
}

/// Checks a vector: this many finite numbers.
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
