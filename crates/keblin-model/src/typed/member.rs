//! Types of members of a game's own structs.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use super::{Bytes, Declared, Entries, FieldType, Listed, MaybeUnset, Scalar};
use crate::key::{Checkpoint, Compiled, Difficulty, Level, Unlock};
use crate::text::date::{Date, Instant};
use crate::text::time::Time;
use crate::value::ObjectId;

/// A type of struct member that can be tied to a field of type `T`.
///
/// | field | member |
/// |---|---|
/// | `int` | `i64`, or any other whole number of Rust; a value that does not fit is clamped |
/// | `float` | `f64`, `f32` |
/// | `time` | [`Time`], [`Duration`]; a negative time becomes zero |
/// | `date`, `instant` | [`Date`], [`Instant`] |
/// | `bool`, `text`, `bytes` | `bool`, `String`, `Vec<u8>` |
/// | ids, shapes | the types that `schema!` made of them |
/// | `vec2`, `vec3`, `quat` | `[f32; 2]`, `[f32; 3]`, `[f32; 4]` |
/// | `object` | [`ObjectId`] |
/// | `list`, `set`, `map` | `Vec`, `BTreeSet`, `BTreeMap` |
/// | a field that may be unset | `Option` of these; `None` is read, but never written |
#[diagnostic::on_unimplemented(
    message = "a member of type `{Self}` does not fit a field of type `{T}`",
    label = "this member and its field are of different types",
    note = "write `{T}`; for an int any whole number of Rust, for a float `f32`, for a time `Duration`, and `Option` only if the field may be unset",
    note = "a field with one value per level or difficulty cannot be tied to a member: read it with `fields::NAME.at(..)`"
)]
pub trait Member<T: FieldType>: Sized {
    /// Converts from the field's value.
    fn of(read: T::Read<'_>) -> Self;
    /// Returns whether it equals the field's value, so that there is nothing to write.
    fn is(&self, read: T::Read<'_>) -> bool;
    /// Returns the value to write; `None` for a `None`.
    fn to_write(&self) -> Option<T::Write>;
}

macro_rules! whole_number {
    ($($type:ty)*) => {$(
        impl Member<i64> for $type {
            fn of(read: i64) -> $type {
                <$type>::try_from(read).unwrap_or(if read < 0 { <$type>::MIN } else { <$type>::MAX })
            }
            fn is(&self, read: i64) -> bool {
                *self == <Self as Member<i64>>::of(read)
            }
            fn to_write(&self) -> Option<i64> {
                Some(i64::try_from(*self).unwrap_or(i64::MAX))
            }
        }
    )*};
}
whole_number!(i8 i16 i32 i64 isize u8 u16 u32 u64 usize);

macro_rules! itself {
    ($($(@ $game:ident,)? $type:ty;)*) => {$(
        impl$(<$game: Compiled>)? Member<$type> for $type {
            fn of(read: $type) -> $type {
                read
            }
            fn is(&self, read: $type) -> bool {
                *self == read
            }
            fn to_write(&self) -> Option<$type> {
                Some(*self)
            }
        }
    )*};
}
itself!(
    bool;
    f64;
    Time;
    Date;
    Instant;
    ObjectId;
    [f32; 2];
    [f32; 3];
    [f32; 4];
    @ G, Level<G>;
    @ G, Difficulty<G>;
    @ G, Unlock<G>;
    @ G, Checkpoint<G>;
);

impl Member<f64> for f32 {
    #[expect(clippy::cast_possible_truncation, reason = "the member has 32 bits")]
    fn of(read: f64) -> f32 {
        read as f32
    }
    fn is(&self, read: f64) -> bool {
        *self == <f32 as Member<f64>>::of(read)
    }
    fn to_write(&self) -> Option<f64> {
        Some(f64::from(*self))
    }
}

impl Member<Time> for Duration {
    fn of(read: Time) -> Duration {
        Duration::from_nanos(u64::try_from(read.as_nanos()).unwrap_or(0))
    }
    fn is(&self, read: Time) -> bool {
        *self == Duration::of(read)
    }
    fn to_write(&self) -> Option<Time> {
        Some(Time::from(*self))
    }
}

impl Member<String> for String {
    fn of(read: &str) -> String {
        read.to_string()
    }
    fn is(&self, read: &str) -> bool {
        self == read
    }
    fn to_write(&self) -> Option<String> {
        Some(self.clone())
    }
}

impl Member<Bytes> for Vec<u8> {
    fn of(read: &[u8]) -> Vec<u8> {
        read.to_vec()
    }
    fn is(&self, read: &[u8]) -> bool {
        self == read
    }
    fn to_write(&self) -> Option<Vec<u8>> {
        Some(self.clone())
    }
}

impl<T: Declared + Clone + PartialEq> Member<T> for T {
    fn of(read: T) -> T {
        read
    }
    fn is(&self, read: T) -> bool {
        *self == read
    }
    fn to_write(&self) -> Option<T> {
        Some(self.clone())
    }
}

impl<T: Scalar, M: Member<T>> Member<Option<T>> for Option<M> {
    fn of(read: MaybeUnset<T::Read<'_>>) -> Option<M> {
        read.option().map(M::of)
    }
    fn is(&self, read: MaybeUnset<T::Read<'_>>) -> bool {
        match (self, read.option()) {
            (Some(member), Some(read)) => member.is(read),
            (None, None) => true,
            _ => false,
        }
    }
    fn to_write(&self) -> Option<T::Write> {
        self.as_ref()?.to_write()
    }
}

fn all_are<'a, T: Scalar, M: Member<T> + 'a>(
    members: impl ExactSizeIterator<Item = &'a M>,
    read: &Listed<'_, T>,
) -> bool {
    members.len() == read.len() && members.zip(read.iter()).all(|(member, read)| member.is(read))
}

impl<T: Scalar, M: Member<T>> Member<Vec<T>> for Vec<M> {
    fn of(read: Listed<'_, T>) -> Vec<M> {
        read.iter().map(M::of).collect()
    }
    fn is(&self, read: Listed<'_, T>) -> bool {
        all_are(self.iter(), &read)
    }
    fn to_write(&self) -> Option<Vec<T::Write>> {
        self.iter().map(M::to_write).collect()
    }
}

impl<T: Scalar, M: Member<T> + Ord> Member<BTreeSet<T>> for BTreeSet<M> {
    fn of(read: Listed<'_, T>) -> BTreeSet<M> {
        read.iter().map(M::of).collect()
    }
    fn is(&self, read: Listed<'_, T>) -> bool {
        let picked_up: BTreeSet<M> = read.iter().map(M::of).collect();
        *self == picked_up
    }
    fn to_write(&self) -> Option<Vec<T::Write>> {
        self.iter().map(M::to_write).collect()
    }
}

impl<K: Scalar, T: Scalar, L: Member<K> + Ord, M: Member<T>> Member<BTreeMap<K, T>> for BTreeMap<L, M> {
    fn of(read: Entries<'_, K, T>) -> BTreeMap<L, M> {
        read.iter().map(|(key, value)| (L::of(key), M::of(value))).collect()
    }
    fn is(&self, read: Entries<'_, K, T>) -> bool {
        let entries: Vec<_> = read.iter().collect();
        let same = |(key, value)| self.get(&L::of(key)).is_some_and(|member| member.is(value));
        self.len() == entries.len() && entries.into_iter().all(same)
    }
    fn to_write(&self) -> Option<Vec<(K::Write, T::Write)>> {
        self.iter().map(|(key, value)| Some((key.to_write()?, value.to_write()?))).collect()
    }
}
