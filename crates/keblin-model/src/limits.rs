//! What fits into a field: its type, the length of texts, the number of items, the bounds of its items. The field's
//! own bounds are not checked here, because writes stop at them instead of being refused.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

use crate::model::{FieldDef, Items, Limits, Model};
use crate::text::name::Name;
use crate::value::kind::{Holds, Ids, Kind};
use crate::value::{Best, Opaque, Part, Value};

/// Why a value does not fit.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Unfit {
    /// It has another type.
    Kind {
        /// The expected type.
        expected: String,
        /// The value.
        found: Value,
    },
    /// It is too long.
    Length {
        /// Its length.
        len: usize,
        /// The largest length.
        max_len: usize,
        /// What is counted: `characters` or `bytes`.
        unit: &'static str,
    },
    /// It has too many items.
    Items {
        /// The number of items.
        count: usize,
        /// The largest number of items.
        max_items: usize,
    },
    /// A number inside it is outside its bounds.
    Bounds {
        /// The number.
        found: Value,
        /// The bound.
        bound: Value,
    },
}

impl fmt::Display for Unfit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Unfit::Kind { expected, found } => write!(f, "expected {expected}, but found {found}"),
            Unfit::Length { len, max_len, unit } => {
                write!(f, "expected at most {max_len} {unit}, but found {len}")
            }
            Unfit::Items { count, max_items } => {
                write!(f, "expected at most {max_items} items, but found {count}")
            }
            Unfit::Bounds { found, bound } => write!(f, "an element, {found}, is outside its bound {bound}"),
        }
    }
}

impl Limits {
    /// Checks a value against these limits.
    ///
    /// # Errors
    /// [`Unfit`], which says what the value exceeds.
    pub fn fit(&self, value: &Value) -> Result<(), Unfit> {
        let outside = |bound: &Option<Value>, side| {
            bound.as_ref().filter(|bound| value.order(bound) == Some(side)).cloned()
        };
        if let Some(bound) = outside(&self.min, Ordering::Less).or(outside(&self.max, Ordering::Greater)) {
            return Err(Unfit::Bounds { found: value.clone(), bound });
        }
        self.max_len.map_or(Ok(()), |max_len| fit_length(value, max_len))
    }
}

/// Checks the length of a text or of bytes.
///
/// # Errors
/// [`Unfit::Length`].
pub fn fit_length(value: &Value, max_len: usize) -> Result<(), Unfit> {
    let unit = match value {
        Value::Text(_) => "characters",
        Value::Bytes(_) | Value::Opaque(_) => "bytes",
        _ => return Ok(()),
    };
    let len = value.len();
    if len > max_len { Err(Unfit::Length { len, max_len, unit }) } else { Ok(()) }
}

/// Returns whether a value is a list, set or map, as its type says.
fn is_of(kind: Kind, value: &Value) -> bool {
    matches!(
        (kind, value),
        (Kind::List, Value::List(_)) | (Kind::Set, Value::Set(_)) | (Kind::Map, Value::Map(_))
    )
}

impl Model {
    /// Checks whether a value fits a field, apart from the field's own bounds. Unset fits a field that starts unset.
    ///
    /// # Errors
    /// [`Unfit`] for the first part of the value that does not fit.
    pub fn fit(&self, field: &FieldDef, value: &Value) -> Result<(), Unfit> {
        if *value == Value::Unset && field.may_be_unset() {
            return Ok(());
        }
        if let (Some(with), Value::Best(best)) = (&field.with, value) {
            self.fit_one(field.kind, &Limits::default(), &best.value)?;
            return self.fit_one(Kind::Shape(with.shape), &Limits::default(), &best.with);
        }
        let of_kind = match (field.kind, value) {
            (Kind::Int, Value::Int(_)) | (Kind::Bool, Value::Bool(_)) | (Kind::Time, Value::Time(_)) => {
                return Ok(());
            }
            (Kind::List, Value::List(_)) | (Kind::Set, Value::Set(_)) | (Kind::Map, Value::Map(_)) => true,
            (kind, value) => {
                self.fit_one(kind, &Limits { max_len: field.max_len, ..Limits::default() }, value)?;
                false
            }
        };
        match field.items.as_ref().filter(|_| of_kind) {
            Some(items) => self.fit_items(items, value),
            None => Ok(()),
        }
    }

    /// Checks the items of a list, set or map.
    ///
    /// # Errors
    /// [`Unfit`], which says what the value exceeds.
    pub fn fit_items(&self, items: &Items, value: &Value) -> Result<(), Unfit> {
        let (count, max_items) = (value.len(), items.max_items);
        if count > max_items {
            return Err(Unfit::Items { count, max_items });
        }
        let fit = |value: &Value| self.fit_one(items.of, &items.limits, value);
        match value {
            Value::List(list) => list.iter().try_for_each(fit),
            Value::Set(set) => set.iter().try_for_each(fit),
            Value::Map(map) => map.iter().try_for_each(|(key, value)| {
                let kind = items.key.unwrap_or(Kind::Text);
                self.fit_one(kind, &Limits { max_len: items.limits.max_len, ..Limits::default() }, key)?;
                fit(value)
            }),
            _ => Ok(()),
        }
    }

    /// Checks one value of a type.
    ///
    /// # Errors
    /// [`Unfit`], which says what the value exceeds.
    pub fn fit_one(&self, kind: Kind, limits: &Limits, value: &Value) -> Result<(), Unfit> {
        let fits = match (kind, value) {
            (Kind::Bool, Value::Bool(_))
            | (Kind::Int, Value::Int(_))
            | (Kind::Float, Value::Float(_))
            | (Kind::Time, Value::Time(_))
            | (Kind::Date, Value::Date(_))
            | (Kind::Instant, Value::Instant(_))
            | (Kind::Text, Value::Text(_))
            | (Kind::Bytes, Value::Bytes(_))
            | (Kind::Vec2, Value::Vec2(_))
            | (Kind::Vec3, Value::Vec3(_))
            | (Kind::Quat, Value::Quat(_))
            | (Kind::Opaque, Value::Opaque(_))
            | (Kind::Object(_), Value::Object(_)) => true,
            (Kind::Id(ids), Value::Id { of, index, name }) => {
                ids == *of && self.id_at(ids, *index).is_some_and(|id| id.as_ref() == name.as_ref())
            }
            (Kind::Shape(shape), Value::Shape(members)) => return self.fit_shape(shape, members, value),
            _ => false,
        };
        if fits { limits.fit(value) } else { Err(self.of_other_kind(kind, value)) }
    }

    fn fit_shape(&self, shape: u16, members: &[(Name, Value)], value: &Value) -> Result<(), Unfit> {
        let declared = self.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
        if !declared.iter().map(|member| &member.name).eq(members.iter().map(|(name, _)| name)) {
            return Err(self.of_other_kind(Kind::Shape(shape), value));
        }
        let mut pairs = declared.iter().zip(members);
        pairs.try_for_each(|(member, (_, value))| match value {
            Value::Unset if member.default == Value::Unset => Ok(()),
            value => match &member.items {
                Some(items) if is_of(member.kind, value) => self.fit_items(items, value),
                Some(_) => Err(self.of_other_kind(member.kind, value)),
                None => self.fit_one(member.kind, &member.limits, value),
            },
        })
    }

    fn of_other_kind(&self, kind: Kind, value: &Value) -> Unfit {
        Unfit::Kind { expected: self.kind_text(kind), found: value.clone() }
    }

    /// Returns a type as people say it, with the list or shape it names: `an id of lamps`, `a text`.
    #[must_use]
    pub fn kind_text(&self, kind: Kind) -> String {
        match self.kind_name(kind) {
            Some(name) => format!("{} of {name}", kind.with_article()),
            None => kind.with_article(),
        }
    }

    /// Returns the type of a field as people say it: `a set of text`, `a map of int by lamps`.
    #[must_use]
    pub fn holds_text(&self, holds: Holds) -> String {
        let word = |kind: Kind| self.kind_name(kind).unwrap_or(kind.as_str()).to_string();
        let of = holds.of.map_or_else(String::new, |of| format!(" of {}", word(of)));
        let by = holds.key.map_or_else(String::new, |key| format!(" by {}", word(key)));
        format!("{}{of}{by}", self.kind_text(holds.kind))
    }

    /// Returns the list or shape that a type names.
    fn kind_name(&self, kind: Kind) -> Option<&str> {
        match kind {
            Kind::Id(Ids::List(list)) => self.lists.get(usize::from(list)).map(|list| list.name.as_str()),
            Kind::Id(ids) => Ids::BUILT_IN.iter().find(|(_, known)| *known == ids).map(|(word, _)| *word),
            Kind::Shape(shape) => self.shapes.get(usize::from(shape)).map(|shape| shape.name.as_str()),
            Kind::Object(kind) => self.object_kinds.get(usize::from(kind)).map(|kind| kind.name.as_str()),
            _ => None,
        }
    }

    /// Returns the value of a type before anything was written: false, zero, empty, the rotation that turns nothing.
    /// An id, an object, a day and an instant are unset.
    #[must_use]
    pub fn own_default(&self, kind: Kind) -> Value {
        let [zero, one] = [0.0, 1.0].map(|number| Part::new(number).unwrap_or_default());
        match kind {
            Kind::Bool => Value::Bool(false),
            Kind::Int => Value::Int(0),
            Kind::Float => Value::Float(crate::value::Float::default()),
            Kind::Time => Value::Time(crate::text::time::Time::ZERO),
            Kind::Text => Value::text(""),
            Kind::Bytes => Value::Bytes(Arc::default()),
            Kind::Id(_) | Kind::Date | Kind::Instant | Kind::Object(_) => Value::Unset,
            Kind::Vec2 => Value::Vec2([zero; 2]),
            Kind::Vec3 => Value::Vec3([zero; 3]),
            Kind::Quat => Value::Quat([zero, zero, zero, one]),
            Kind::Shape(shape) => {
                let members = self.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
                Value::Shape(
                    members.iter().map(|member| (member.name.clone(), member.default.clone())).collect(),
                )
            }
            Kind::List => Value::List(Arc::default()),
            Kind::Set => Value::Set(Arc::default()),
            Kind::Map => Value::Map(Arc::default()),
            Kind::Opaque => Value::Opaque(Arc::new(Opaque::default())),
        }
    }

    /// Returns a value of a field with the defaults of what goes with it, if the field declares that and the value has
    /// nothing yet.
    #[must_use]
    pub fn as_best(&self, field: &FieldDef, value: Value) -> Value {
        match &field.with {
            Some(with) if value != Value::Unset && value.with().is_none() => {
                let with = self.own_default(Kind::Shape(with.shape));
                Value::Best(Arc::new(Best { value, with }))
            }
            _ => value,
        }
    }

    /// Returns the id at a position of a list of ids.
    #[must_use]
    pub fn id_at(&self, ids: Ids, index: u16) -> Option<Arc<str>> {
        let at = usize::from(index);
        let name = match ids {
            Ids::List(list) => self.lists.get(usize::from(list))?.items.get(at)?,
            Ids::Levels => &self.levels.get(at)?.name,
            Ids::Difficulties => self.difficulties.get(at)?,
            Ids::Unlocks => &self.unlocks.get(at)?.name,
            Ids::Checkpoints => return self.checkpoint_ids().nth(at).map(Arc::from),
        };
        Some(name.shared())
    }

    fn checkpoint_ids(&self) -> impl Iterator<Item = String> {
        let levels = self.levels.iter();
        levels.flat_map(|level| {
            level.checkpoints.iter().map(|checkpoint| format!("{}.{checkpoint}", level.name))
        })
    }

    /// Returns an id of a list as a value; `None` if the list does not have it.
    #[must_use]
    pub fn id_value(&self, ids: Ids, id: &str) -> Option<Value> {
        let is = |name: &Name| name.as_str() == id;
        let index = match ids {
            Ids::List(list) => self.lists.get(usize::from(list))?.items.iter().position(is),
            Ids::Levels => self.levels.iter().position(|level| is(&level.name)),
            Ids::Difficulties => self.difficulties.iter().position(is),
            Ids::Unlocks => self.unlocks.iter().position(|unlock| is(&unlock.name)),
            Ids::Checkpoints => self.checkpoint_ids().position(|known| known == id),
        };
        let index = u16::try_from(index?).ok()?;
        Some(Value::Id { of: ids, index, name: self.id_at(ids, index)? })
    }

    /// Returns all ids of a list, in order.
    pub fn id_texts(&self, ids: Ids) -> impl Iterator<Item = String> {
        let known: Vec<String> = match ids {
            Ids::List(list) => {
                let items = self.lists.get(usize::from(list)).map_or(&[][..], |list| &list.items);
                items.iter().map(ToString::to_string).collect()
            }
            Ids::Levels => self.levels.iter().map(|level| level.name.to_string()).collect(),
            Ids::Difficulties => self.difficulties.iter().map(ToString::to_string).collect(),
            Ids::Unlocks => self.unlocks.iter().map(|unlock| unlock.name.to_string()).collect(),
            Ids::Checkpoints => self.checkpoint_ids().collect(),
        };
        known.into_iter()
    }
}
