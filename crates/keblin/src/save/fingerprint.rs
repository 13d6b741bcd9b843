//! The fingerprint of a schema: a digest over everything that the bytes of a save depend on, so that a reader knows
//! whether a save was written with its own declaration.

use std::fmt;

use keblin_model::model::{Areas, Axis, Bound, FieldDef, StarsBy};
use keblin_model::{Kind, Model, Name, Value};
use minicbor::{Decoder, Encoder};

use super::cursor::Cursor;
use super::error::ReadError;
use super::layout::{Digest, digest};
use super::values;
use crate::grammar::{Failure, encoded};
use crate::snapshot::Schema;

/// The fingerprint of a schema. Two schemas with the same fingerprint have the same names, types, scopes, axes, keep
/// rules, bounds and orders, of fields and of objects; conditions, titles, defaults and survival words may differ.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Fingerprint {
    /// Which parts of a schema the digest covers, and how: 1, or 2 for a schema with kinds of objects or areas.
    pub scheme: u32,
    /// The digest.
    pub digest: Digest,
}

/// The scheme that covers everything but the world.
const FIELDS: u32 = 1;

/// The scheme that also covers kinds of objects and areas.
const FIELDS_AND_WORLD: u32 = 2;

type Out<'o> = Encoder<&'o mut Vec<u8>>;

fn has_world(model: &Model) -> bool {
    !model.object_kinds.is_empty() || !model.areas.is_empty()
}

fn of_fields(model: &Model) -> Digest {
    digest(&encoded(|out| shape(out, model)))
}

fn of_all(model: &Model) -> Digest {
    digest(&encoded(|out| {
        shape(out, model)?;
        world(out, model)
    }))
}

impl Fingerprint {
    /// Returns the fingerprint of a schema.
    #[must_use]
    pub fn of(schema: &Schema) -> Fingerprint {
        match has_world(schema) {
            false => Fingerprint { scheme: FIELDS, digest: schema.digest(of_fields) },
            true => Fingerprint { scheme: FIELDS_AND_WORLD, digest: schema.digest(of_all) },
        }
    }

    /// Returns whether it is the fingerprint of a schema, also under a scheme of older builds of this library.
    #[must_use]
    pub fn is_of(&self, schema: &Schema) -> bool {
        let is_older = self.scheme == FIELDS && has_world(schema);
        *self == Fingerprint::of(schema) || is_older && self.digest == of_fields(schema)
    }

    pub(super) fn write(&self, out: &mut Out<'_>) -> Result<(), Failure> {
        out.array(2)?.u32(self.scheme)?.bytes(&self.digest)?;
        Ok(())
    }

    pub(super) fn read(cursor: &mut Cursor<'_>) -> Result<Fingerprint, ReadError> {
        cursor.array_of(2, "a fingerprint")?;
        let scheme = cursor.next(|| "the fingerprint's scheme", Decoder::u32)?;
        Ok(Fingerprint { scheme, digest: cursor.digest("the fingerprint")? })
    }
}

/// The scheme and the start of the digest, enough to tell two declarations apart.
impl fmt::Display for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:", self.scheme)?;
        self.digest.iter().take(6).try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Fingerprint({self})")
    }
}

/// Writes the kinds of objects and the areas, in declared order, as CBOR.
fn world(out: &mut Out<'_>, model: &Model) -> Result<(), Failure> {
    out.array(2)?.array(model.object_kinds.len() as u64)?;
    for kind in &model.object_kinds {
        out.array(2)?.str(kind.name.as_str())?.array(kind.fields.len() as u64)?;
        for field in &kind.fields {
            out.array(5)?.str(field.name.as_str())?.str(&model.holds_text(field.holds()))?;
            bounds(out, [field.limits.min.as_ref(), field.limits.max.as_ref()])?;
            count(out, field.limits.max_len)?;
        }
    }
    match &model.areas {
        Areas::Grid(size) => out.encode(size).map(drop),
        Areas::Named(areas) => {
            out.array(areas.len() as u64)?;
            areas.iter().try_for_each(|area| out.str(area.name.as_str()).map(drop))
        }
    }
}

/// Writes everything that is covered but the world, in declared order, as CBOR.
fn shape(out: &mut Out<'_>, schema: &Model) -> Result<(), Failure> {
    out.array(8)?.str(schema.game.as_str())?;
    names(out, &schema.difficulties)?;
    out.bool(schema.level_facts_per_difficulty)?.bool(schema.stars_by == StarsBy::Each)?;
    out.array(schema.lists.len() as u64)?;
    for list in &schema.lists {
        out.array(2)?.str(list.name.as_str())?;
        names(out, &list.items)?;
    }
    out.array(schema.shapes.len() as u64)?;
    for shape in &schema.shapes {
        out.array(2)?.str(shape.name.as_str())?.array(shape.members.len() as u64)?;
        for member in &shape.members {
            let limits = &member.limits;
            out.array(if member.items.is_some() { 6 } else { 5 })?.str(member.name.as_str())?;
            let limits = member.items.as_ref().map_or(limits, |items| &items.limits);
            out.str(&schema.holds_text(member.holds()))?;
            bounds(out, [limits.min.as_ref(), limits.max.as_ref()])?;
            count(out, limits.max_len)?;
            if let Some(items) = &member.items {
                out.u64(items.max_items as u64)?;
            }
        }
    }
    out.array(schema.fields.len() as u64)?;
    for def in &schema.fields {
        field(out, schema, def)?;
    }
    out.array(3)?.array(schema.levels.len() as u64)?;
    for (index, level) in schema.levels.iter().enumerate() {
        let by_id = schema.collects_by_id(index);
        out.array(if by_id { 3 } else { 2 })?.str(level.name.as_str())?;
        names(out, &level.checkpoints)?;
        if by_id {
            names(out, &level.star_ids)?;
        }
    }
    out.array(schema.unlocks.len() as u64)?;
    for unlock in &schema.unlocks {
        out.str(unlock.name.as_str())?;
    }
    out.array(schema.moments.len() as u64)?;
    for moment in &schema.moments {
        out.str(moment.name.as_str())?;
    }
    Ok(())
}

fn field(out: &mut Out<'_>, schema: &Model, def: &FieldDef) -> Result<(), Failure> {
    // What later versions of this library added is there only if it is declared, so that no fingerprint changes.
    let (with, group) = (schema.with_name(def), schema.group_of(def));
    out.array(13 + u64::from(with.is_some()) + 2 * u64::from(group.is_some()))?
        .str(def.name.as_str())?
        .str(&schema.kind_text(def.kind))?;
    out.str(def.scope.as_str())?.str(def.keep.as_str())?.bool(def.durable)?;
    let per: Vec<&str> = def.per.iter().map(|axis: &Axis| schema.axis_name(*axis)).collect();
    out.encode(&per)?.u64(def.places as u64)?;
    for bound in [&def.min, &def.max] {
        match bound {
            None => out.null().map(drop)?,
            Some(Bound::Fixed(value)) => values::write(out, value)?,
            Some(following) => out.str(&following.to_string()).map(drop)?,
        }
    }
    count(out, def.max_len)?;
    let kind = |out: &mut Out<'_>, kind: Option<Kind>| match kind {
        Some(kind) => out.str(&schema.kind_text(kind)).map(drop),
        None => out.null().map(drop),
    };
    kind(out, def.items.as_ref().and_then(|items| items.key))?;
    kind(out, def.items.as_ref().map(|items| items.of))?;
    match &def.items {
        None => out.null().map(drop)?,
        Some(items) => {
            out.array(4)?.u64(items.max_items as u64)?;
            bounds(out, [items.limits.min.as_ref(), items.limits.max.as_ref()])?;
            count(out, items.limits.max_len)?;
        }
    }
    with.map_or(Ok(()), |with| out.str(with).map(drop))?;
    group.map_or(Ok(()), |group| out.str("group")?.str(group.name.as_str()).map(drop))
}

fn names(out: &mut Out<'_>, names: &[Name]) -> Result<(), Failure> {
    out.array(names.len() as u64)?;
    names.iter().try_for_each(|name| out.str(name.as_str()).map(drop))
}

fn bounds(out: &mut Out<'_>, bounds: [Option<&Value>; 2]) -> Result<(), Failure> {
    bounds.into_iter().try_for_each(|bound| values::write(out, bound.unwrap_or(&Value::Unset)))
}

fn count(out: &mut Out<'_>, count: Option<usize>) -> Result<(), Failure> {
    match count {
        Some(count) => out.u64(count as u64).map(drop),
        None => out.null().map(drop),
    }
}
