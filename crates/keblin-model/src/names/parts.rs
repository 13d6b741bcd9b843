//! The parts after a field's name: the difficulty and items for its axes, and a member of its value.

use super::asked::{Asked, difficulty_named, inside_of};
use super::{ConditionError, Part};
use crate::model::{At, Axis, FieldDef, MAX_AXES, Model};
use crate::text::name::{Name, nearest};
use crate::value::Value;
use crate::value::kind::Kind;

/// Returns the names of the members of a type; empty if it has none.
fn members(model: &Model, kind: Kind) -> Vec<&str> {
    match kind {
        Kind::Shape(shape) => {
            let members = model.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
            members.iter().map(|member| member.name.as_str()).collect()
        }
        Kind::Vec2 => vec!["x", "y"],
        Kind::Vec3 => vec!["x", "y", "z"],
        Kind::Quat => vec!["x", "y", "z", "w"],
        _ => Vec::new(),
    }
}

/// Resolves a member by its name.
fn member_named(model: &Model, kind: Kind, of: &str, part: &Part) -> Result<u16, ConditionError> {
    let known = members(model, kind);
    let at = known.iter().position(|known| *known == part.word).and_then(|at| u16::try_from(at).ok());
    at.ok_or_else(|| {
        let message = format!("`{of}` does not have a member `{}`", part.word);
        ConditionError::new(part.span.clone(), message).meant(nearest(&part.word, known.iter().copied()))
    })
}

/// Resolves the member of a field, and the member of that member, if the name has a part for each.
fn member_asked(
    model: &Model,
    def: &FieldDef,
    parts: &[Part],
) -> Result<Option<(u16, Option<u16>)>, ConditionError> {
    let (kind, [member, inner @ ..]) = (inside_of(def), parts) else { return Ok(None) };
    if members(model, kind).is_empty() || inner.len() > 1 {
        return Ok(None);
    }
    let index = member_named(model, kind, def.name.as_str(), member)?;
    let Some(part) = inner.first() else { return Ok(Some((index, None))) };
    let Kind::Shape(shape) = kind else { return Ok(None) };
    let of = model.shapes.get(usize::from(shape)).and_then(|shape| shape.members.get(usize::from(index)));
    match of.map(|of| of.kind).filter(|kind| !members(model, *kind).is_empty()) {
        Some(kind) => Ok(Some((index, Some(member_named(model, kind, &member.word, part)?)))),
        None => Ok(None),
    }
}

/// Resolves a field, or a member or entry if the name has more parts than the field has axes.
pub(super) fn asked_of(
    model: &Model,
    (field, def): (usize, &FieldDef),
    name: &Part,
    level: At,
    parts: &[Part],
) -> Result<Asked, ConditionError> {
    let lists = lists_of(def).count();
    if let Some((items, after)) = parts.split_at_checked(lists)
        && let Some((member, inner)) = member_asked(model, def, after)?
    {
        let at = At { items: items_named(model, def, name, items)?, ..level };
        return Ok(Asked::Member { field, at, member, inner });
    }
    match parts.split_last() {
        Some((key, items)) if def.kind == Kind::Map && parts.len() == lists + 1 => {
            let at = At { items: items_named(model, def, name, items)?, ..level };
            Ok(Asked::Entry { field, at, key: entry_key(model, def, key)? })
        }
        _ => Ok(Asked::Field { field, at: At { items: items_named(model, def, name, parts)?, ..level } }),
    }
}

/// Returns the key that a part names: a text, or an id of a list.
fn entry_key(model: &Model, def: &FieldDef, part: &Part) -> Result<Value, ConditionError> {
    let error = |message: String| ConditionError::new(part.span.clone(), message);
    match def.items.as_ref().and_then(|items| items.key) {
        Some(Kind::Id(ids)) => model.id_value(ids, &part.word).ok_or_else(|| {
            let known: Vec<String> = model.id_texts(ids).collect();
            error(format!("`{}` is not a key of `{}`", part.word, def.name))
                .meant(nearest(&part.word, known.iter().map(String::as_str)))
        }),
        Some(Kind::Text) => Ok(Value::text(&part.word)),
        _ => Err(error(format!("the keys of `{}` are numbers, which a name cannot give", def.name))),
    }
}

/// Returns whether a name is a field whose places are named by the parts after it.
pub(super) fn has_parts(model: &Model, part: &Part) -> bool {
    model.field_named(&part.word).is_some_and(|(_, field)| !field.per.contains(&Axis::Level))
}

/// Resolves `best_draught.neap`, `worn.wick`, `worn.neap.wick`: places of a field without a level.
pub(super) fn of_field(model: &Model, first: &Part, rest: &[Part]) -> Result<Asked, ConditionError> {
    let (field, def) = model.field_named(&first.word).ok_or_else(|| {
        ConditionError::new(first.span.clone(), format!("no field `{}` is declared", first.word))
    })?;
    let has_inside = def.kind == Kind::Map || !members(model, inside_of(def)).is_empty();
    let parts = lists_of(def).count() + usize::from(has_inside);
    let (difficulty, items) = match rest {
        [difficulty, items @ ..]
            if def.per.contains(&Axis::Difficulty)
                && difficulty_is_named(model, def, rest.len(), parts, difficulty) =>
        {
            (Some(difficulty_named(model, difficulty)?), items)
        }
        items => (None, items),
    };
    asked_of(model, (field, def), first, At::level(None, difficulty), items)
}

/// Returns whether the first part after a field's name is a difficulty: by its name, or because there is one part too
/// many for anything else.
fn difficulty_is_named(model: &Model, def: &FieldDef, found: usize, parts: usize, first: &Part) -> bool {
    found > parts || (found > lists_of(def).count() && model.difficulty_named(&first.word).is_some())
}

fn lists_of(def: &FieldDef) -> impl Iterator<Item = u16> {
    def.per.iter().filter_map(|axis| if let Axis::List(list) = axis { Some(*list) } else { None })
}

/// Resolves the items that the parts after a field's name refer to: one for each axis that is a list.
fn items_named(
    model: &Model,
    def: &FieldDef,
    name: &Part,
    parts: &[Part],
) -> Result<[Option<u16>; MAX_AXES], ConditionError> {
    let mut items = [None; MAX_AXES];
    let mut parts = parts.iter();
    for (item, list) in items.iter_mut().zip(lists_of(def)) {
        let axis = Axis::List(list);
        let list = model.axis_name(axis);
        let part = parts.next().ok_or_else(|| {
            let message = format!("`{}` has one value per item of `{list}`", def.name);
            let first = model.axis_id(axis, 0).map_or("ITEM", Name::as_str);
            ConditionError::new(name.span.clone(), message).instead(format!("write `{}.{first}`", def.name))
        })?;
        let found = model.axis_ids(axis).position(|id| id.as_str() == part.word);
        *item = found.and_then(|index| u16::try_from(index).ok());
        if item.is_none() {
            let known = model.axis_ids(axis).map(Name::as_str);
            let message = format!("`{list}` does not have an item `{}`", part.word);
            return Err(ConditionError::new(part.span.clone(), message).meant(nearest(&part.word, known)));
        }
    }
    match parts.next() {
        Some(extra) => {
            Err(ConditionError::new(extra.span.clone(), format!("`{}` is one part too many", extra.word)))
        }
        None => Ok(items),
    }
}
