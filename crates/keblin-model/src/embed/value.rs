//! Values and their types, as the bytes of a declaration.

use minicbor::{Decoder, Encoder};

use super::{Embed, enums, listed, structs};
use crate::text::date::{Date, Instant};
use crate::text::time::Time;
use crate::value::keep::Keep;
use crate::value::kind::{Holds, Ids, Kind};
use crate::value::{Best, Float, ObjectId, Opaque, Part, Value, ValueMap, ValueSet};

listed!(Keep);

structs! {
    Holds { kind, of, key }
    Opaque { version, bytes }
    Best { value, with }
}

enums! {
    Ids { 0 List(list), 1 Levels, 2 Checkpoints, 3 Difficulties, 4 Unlocks }
    Kind {
        0 Bool, 1 Int, 2 Float, 3 Time, 4 Date, 5 Instant, 6 Text, 7 Bytes, 8 Id(ids), 9 Vec2, 10 Vec3, 11 Quat,
        12 Shape(shape), 13 List, 14 Set, 15 Map, 16 Opaque, 17 Object(of),
    }
    Value {
        0 Unset, 1 Bool(yes), 2 Int(number), 3 Float(number), 4 Time(time), 5 Date(date), 6 Instant(instant),
        7 Text(text), 8 Bytes(bytes), 9 Id { of, index, name }, 10 Vec2(parts), 11 Vec3(parts), 12 Quat(parts),
        13 Shape(members), 14 List(items), 15 Set(items), 16 Map(entries), 17 Opaque(opaque), 18 Best(best),
        19 Object(id),
    }
}

/// Numbers of their own kind: as the plain number.
macro_rules! numbers {
    ($($name:ident: $plain:ty, $to:expr, $back:expr;)*) => {$(
        impl Embed for $name {
            fn write(&self, to: &mut Encoder<Vec<u8>>) {
                <$plain as Embed>::write(&$to(*self), to);
            }

            fn read(from: &mut Decoder<'_>) -> Option<$name> {
                <$plain as Embed>::read(from).and_then($back)
            }
        }
    )*};
}

numbers! {
    Time: i64, Time::as_nanos, |nanos| Some(Time::from_nanos(nanos));
    Date: i64, Date::days, Date::from_days;
    Instant: i64, Instant::unix_ms, Instant::from_unix_ms;
    Float: f64, Float::get, Float::new;
    Part: f32, Part::get, Part::new;
    ObjectId: u64, ObjectId::number, |number| Some(ObjectId::of_number(number));
}

impl Embed for ValueSet {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        self.iter().cloned().collect::<Vec<Value>>().write(to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<ValueSet> {
        Vec::<Value>::read(from).map(ValueSet::from_iter)
    }
}

impl Embed for ValueMap {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        let entries = self.iter().map(|(key, value)| (key.clone(), value.clone()));
        entries.collect::<Vec<(Value, Value)>>().write(to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<ValueMap> {
        Vec::<(Value, Value)>::read(from).map(ValueMap::from_iter)
    }
}
