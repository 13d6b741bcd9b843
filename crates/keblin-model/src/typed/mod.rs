//! Rust types that fields are read and written as.

use std::sync::Arc;

use crate::key::{Difficulty, Item, Level, Unlock};
use crate::model::Model;
use crate::text::date::{Date, Instant};
use crate::text::time::Time;
use crate::value::kind::{Holds, Ids, Kind};
use crate::value::{Float, Key, ObjectId, Opaque, Part, Value};

use packed::{any, pack_parts, unpack_parts};
pub use packed::{finite_f32, finite_f64};

/// Constants of levels.
mod constant;

/// Lists, sets and maps.
mod items;

/// Checkpoints, whose level only a schema knows.
mod checkpoint;

/// Values of one width, as bytes.
#[macro_use]
mod packed;

/// Values that may be unset.
mod unset;

/// Members of a game's own structs.
mod member;

/// Lists and shapes as a game's own types.
mod declared;

pub use checkpoint::CheckpointRead;
pub use constant::Constant;
pub use declared::{Declared, item_of, item_value, member_of, member_value, shape_value};
pub use items::{Entries, Listed, ListedIter};
pub use member::Member;
pub use unset::MaybeUnset;

/// A Rust type that a field can be read and written as.
///
/// | declared | type |
/// |---|---|
/// | bool, int, float, time, text, bytes | `bool`, `i64`, `f64`, [`Time`], `String`, [`Bytes`] |
/// | date, instant | [`Date`], [`Instant`] |
/// | id | [`Item`] of a list, [`Level`], [`Checkpoint`](crate::key::Checkpoint), [`Difficulty`], [`Unlock`] |
/// | vec2, vec3, quat | `[f32; 2]`, `[f32; 3]`, `[f32; 4]` |
/// | object | [`ObjectId`] |
/// | list, set, map | `Vec<T>`, `BTreeSet<T>`, `BTreeMap<K, T>` of the above |
/// | shape, opaque | [`Shape`], [`Opaque`] |
/// | a field that may be unset: a record, an id without a default | `Option` of one of the above; read as [`MaybeUnset`] |
/// | anything | [`Value`] |
pub trait FieldType: sealed::Sealed + 'static {
    /// The type that a read returns.
    type Read<'a>;
    /// The type that a write takes.
    type Write;
    /// Whether the field may be unset; `None` allows both.
    const MAY_BE_UNSET: Option<bool>;

    /// Returns whether a field of this type can be read and written as the Rust type.
    fn fits(holds: Holds) -> bool;
    /// Returns the declared type that fits, for messages.
    fn declared() -> String;
    /// Converts a stored value to this type. If the types differ, which a looked-up handle rules out, it returns the
    /// type's zero.
    fn read(value: &Value) -> Self::Read<'_>;
    /// Converts to a value to store; `None` for a number that is not finite, or a handle of another schema.
    fn write(value: Self::Write, model: &Model) -> Option<Value>;
    /// Converts to a key to look up in a set or map; `None` as for [`FieldType::write`].
    #[doc(hidden)]
    fn key(value: Self::Write, model: &Model) -> Option<Key> {
        Self::write(value, model).map(Key::Value)
    }
    /// Returns values as the bytes that a column of objects has; `None` if one is unset or not finite, or if its type
    /// does not have a width.
    #[doc(hidden)]
    #[inline]
    fn pack(_values: impl Iterator<Item = Option<Self::Write>>) -> Option<Vec<u8>> {
        None
    }
    /// Reads the value of a row of such a column; `None` if its type does not have a width.
    #[doc(hidden)]
    #[inline]
    fn unpack(_column: &[u8], _row: usize) -> Option<Self::Read<'_>> {
        None
    }
    /// Converts a stored value to one of the game's own, to be changed and written back; `None` if it is unset.
    fn taken(value: &Value, model: &Model) -> Option<Self::Write>;
}

/// A type that can be an item of a list, set or map, or be unset.
pub trait Scalar: FieldType {}

mod sealed {
    pub trait Sealed {}
}

macro_rules! scalar {
    ($(@ $game:ident,)? $type:ty, $word:literal, $kind:pat, $read:ty, $write:ty, |$value:ident| $get:expr, |$new:ident, $model:ident| $put:expr $(, key = |$sought:ident| $key:expr)? $(, packed = $packing:ident)?) => {
        impl$(<$game: 'static>)? sealed::Sealed for $type {}
        impl$(<$game: 'static>)? Scalar for $type {}
        impl$(<$game: 'static>)? FieldType for $type {
            type Read<'a> = $read;
            type Write = $write;
            const MAY_BE_UNSET: Option<bool> = Some(false);
            fn fits(holds: Holds) -> bool {
                matches!(holds.kind, $kind)
            }
            fn declared() -> String {
                $word.to_string()
            }
            #[inline]
            fn read($value: &Value) -> Self::Read<'_> {
                $get
            }
            #[inline]
            fn write($new: $write, $model: &Model) -> Option<Value> {
                $put
            }
            $(#[inline]
            fn key($sought: $write, _model: &Model) -> Option<Key> {
                Some($key)
            })?
            $($packing!();)?
            fn taken(value: &Value, _model: &Model) -> Option<$write> {
                Some(Self::read(value).into())
            }
        }
    };
}

fn index(value: &Value) -> u16 {
    if let Value::Id { index, .. } = value { *index } else { 0 }
}

fn id(of: Ids, index: u16, model: &Model) -> Option<Value> {
    Some(Value::Id { of, index, name: model.id_at(of, index)? })
}

fn parts<const N: usize>(numbers: [f32; N]) -> Option<[Part; N]> {
    let parts = numbers.map(Part::new);
    parts.iter().all(Option::is_some).then(|| parts.map(Option::unwrap_or_default))
}

scalar!(
    bool,
    "bool",
    Kind::Bool,
    bool,
    bool,
    |value| matches!(value, Value::Bool(true)),
    |new, _schema| Some(Value::Bool(new)),
    packed = pack_bool
);
scalar!(
    i64,
    "int",
    Kind::Int,
    i64,
    i64,
    |value| value.number().unwrap_or(0),
    |new, _schema| Some(Value::Int(new)),
    packed = pack_int
);
scalar!(
    f64,
    "float",
    Kind::Float,
    f64,
    f64,
    |value| float(value),
    |new, _schema| Float::new(new).map(Value::Float),
    packed = pack_float
);
scalar!(
    Time,
    "time",
    Kind::Time,
    Time,
    Time,
    |value| Time::from_nanos(value.number().unwrap_or(0)),
    |new, _schema| Some(Value::Time(new)),
    packed = pack_time
);
scalar!(
    Date,
    "date",
    Kind::Date,
    Date,
    Date,
    |value| if let Value::Date(date) = value { *date } else { Date::EPOCH },
    |new, _schema| Some(Value::Date(new))
);
scalar!(
    Instant,
    "instant",
    Kind::Instant,
    Instant,
    Instant,
    |value| if let Value::Instant(instant) = value { *instant } else { Instant::EPOCH },
    |new, _schema| Some(Value::Instant(new))
);
scalar!(
    ObjectId,
    "object",
    Kind::Object(_),
    ObjectId,
    ObjectId,
    |value| if let Value::Object(id) = value { *id } else { ObjectId::authored(0) },
    |new, _schema| Some(Value::Object(new))
);
scalar!(
    String,
    "text",
    Kind::Text,
    &'a str,
    String,
    |value| value.as_text().unwrap_or_default(),
    |new, _schema| Some(Value::text(&new)),
    key = |sought| Key::Text(sought)
);
scalar!(Bytes, "bytes", Kind::Bytes, &'a [u8], Vec<u8>, |value| bytes(value), |new, _schema| Some(
    Value::Bytes(Arc::from(new))
));
scalar!(
    Item,
    "id of a list",
    Kind::Id(Ids::List(_)),
    Item,
    Item,
    |value| match value {
        Value::Id { of: Ids::List(list), index, .. } => Item { list: *list, index: *index },
        _ => Item { list: 0, index: 0 },
    },
    |new, model| id(Ids::List(new.list), new.index, model),
    key = |sought| Key::Id(Ids::List(sought.list), sought.index)
);
scalar!(
    @ G,
    Level<G>,
    "id of levels",
    Kind::Id(Ids::Levels),
    Level<G>,
    Level<G>,
    |value| Level::of_index(index(value)),
    |new, model| id(Ids::Levels, new.0, model),
    key = |sought| Key::Id(Ids::Levels, sought.0)
);
scalar!(
    @ G,
    Difficulty<G>,
    "id of difficulties",
    Kind::Id(Ids::Difficulties),
    Difficulty<G>,
    Difficulty<G>,
    |value| Difficulty::of_index(index(value)),
    |new, model| id(Ids::Difficulties, new.0, model),
    key = |sought| Key::Id(Ids::Difficulties, sought.0)
);
scalar!(
    @ G,
    Unlock<G>,
    "id of unlocks",
    Kind::Id(Ids::Unlocks),
    Unlock<G>,
    Unlock<G>,
    |value| Unlock::of_index(index(value)),
    |new, model| id(Ids::Unlocks, new.0, model),
    key = |sought| Key::Id(Ids::Unlocks, sought.0)
);
scalar!(
    [f32; 2],
    "vec2",
    Kind::Vec2,
    [f32; 2],
    [f32; 2],
    |value| if let Value::Vec2(parts) = value { parts.map(Part::get) } else { [0.0; 2] },
    |new, _schema| parts(new).map(Value::Vec2),
    packed = pack_vec2
);
scalar!(
    [f32; 3],
    "vec3",
    Kind::Vec3,
    [f32; 3],
    [f32; 3],
    |value| if let Value::Vec3(parts) = value { parts.map(Part::get) } else { [0.0; 3] },
    |new, _schema| parts(new).map(Value::Vec3),
    packed = pack_vec3
);
scalar!(
    [f32; 4],
    "quat",
    Kind::Quat,
    [f32; 4],
    [f32; 4],
    |value| if let Value::Quat(parts) = value { parts.map(Part::get) } else { [0.0, 0.0, 0.0, 1.0] },
    |new, _schema| parts(new).map(Value::Quat),
    packed = pack_quat
);

fn float(value: &Value) -> f64 {
    if let Value::Float(number) = value { number.get() } else { 0.0 }
}

fn bytes(value: &Value) -> &[u8] {
    if let Value::Bytes(bytes) = value { bytes } else { &[] }
}

/// Bytes, read as `&[u8]` and written as `Vec<u8>`.
#[derive(Debug)]
pub enum Bytes {}

/// A declared struct, read as its members by name and written as a [`Value::Shape`].
#[derive(Debug)]
pub enum Shape {}

/// The members of a shape.
#[derive(Clone, Copy, Debug)]
pub struct Members<'a>(&'a Value);

impl<'a> Members<'a> {
    /// Returns a member; `None` if the shape does not have one of that name.
    #[must_use]
    pub fn get(self, name: &str) -> Option<&'a Value> {
        let Value::Shape(members) = self.0 else { return None };
        members.iter().find(|(member, _)| member.as_str() == name).map(|(_, value)| value)
    }
}

impl sealed::Sealed for Shape {}
impl FieldType for Shape {
    type Read<'a> = Members<'a>;
    type Write = Value;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        matches!(holds.kind, Kind::Shape(_))
    }
    fn declared() -> String {
        "shape".to_string()
    }
    fn read(value: &Value) -> Members<'_> {
        Members(value)
    }
    fn write(value: Value, _schema: &Model) -> Option<Value> {
        Some(value)
    }
    fn taken(value: &Value, _schema: &Model) -> Option<Value> {
        Some(value.clone())
    }
}
impl Scalar for Shape {}

impl sealed::Sealed for Opaque {}
impl FieldType for Opaque {
    type Read<'a> = (u32, &'a [u8]);
    type Write = Opaque;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        holds.kind == Kind::Opaque
    }
    fn declared() -> String {
        "opaque".to_string()
    }
    fn read(value: &Value) -> (u32, &[u8]) {
        if let Value::Opaque(opaque) = value { (opaque.version, &opaque.bytes) } else { (0, &[]) }
    }
    fn write(value: Opaque, _schema: &Model) -> Option<Value> {
        Some(Value::Opaque(Arc::new(value)))
    }
    fn taken(value: &Value, _schema: &Model) -> Option<Opaque> {
        Some(if let Value::Opaque(opaque) = value { Opaque::clone(opaque) } else { Opaque::default() })
    }
}

impl sealed::Sealed for Value {}
impl FieldType for Value {
    type Read<'a> = &'a Value;
    type Write = Value;
    const MAY_BE_UNSET: Option<bool> = None;
    fn fits(_holds: Holds) -> bool {
        true
    }
    fn declared() -> String {
        "any value".to_string()
    }
    fn read(value: &Value) -> &Value {
        value
    }
    fn write(value: Value, _schema: &Model) -> Option<Value> {
        Some(value)
    }
    fn taken(value: &Value, _schema: &Model) -> Option<Value> {
        Some(value.clone())
    }
}
