//! Closed lists and shapes as a game's own types: the enums and structs that `schema!` makes.

use super::{FieldType, Member, Members, Scalar, id, index, sealed};
use crate::model::Model;
use crate::value::Value;
use crate::value::kind::{Holds, Ids, Kind};

/// A type that `schema!` made from a closed list or a shape: an enum or a struct that is read and written as a whole.
pub trait Declared: Sized + 'static {
    /// Returns whether a field of this type can hold it.
    fn is(kind: Kind) -> bool;
    /// Converts from a stored value.
    fn of_value(value: &Value) -> Self;
    /// Converts to a value to store; `None` for a number that is not finite.
    fn to_value(self, model: &Model) -> Option<Value>;
}

impl<T: Declared> sealed::Sealed for T {}
impl<T: Declared> Scalar for T {}
impl<T: Declared> FieldType for T {
    type Read<'a> = T;
    type Write = T;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        T::is(holds.kind)
    }
    fn declared() -> String {
        std::any::type_name::<T>().to_string()
    }
    fn read(value: &Value) -> T {
        T::of_value(value)
    }
    fn write(value: T, model: &Model) -> Option<Value> {
        value.to_value(model)
    }
    fn taken(value: &Value, _model: &Model) -> Option<T> {
        Some(T::of_value(value))
    }
}

/// Returns the position of an id of a closed list, for `schema!`.
#[doc(hidden)]
#[must_use]
pub fn item_of(value: &Value) -> usize {
    usize::from(index(value))
}

/// Returns an item of a closed list as a value, for `schema!`.
#[doc(hidden)]
#[must_use]
pub fn item_value(list: u16, index: u16, model: &Model) -> Option<Value> {
    id(Ids::List(list), index, model)
}

/// Returns a member of a shape, for `schema!`.
#[doc(hidden)]
#[must_use]
pub fn member_of<T: FieldType, M: Member<T>>(value: &Value, name: &str) -> M {
    M::of(T::read(Members(value).get(name).unwrap_or(&Value::Unset)))
}

/// Returns a member of a shape as a value, for `schema!`.
#[doc(hidden)]
#[must_use]
pub fn member_value<T: FieldType, M: Member<T>>(member: &M, model: &Model) -> Option<Value> {
    match member.to_write() {
        Some(value) => T::write(value, model),
        None => (T::MAY_BE_UNSET == Some(true)).then_some(Value::Unset),
    }
}

/// Returns a shape made from its members, for `schema!`.
#[doc(hidden)]
#[must_use]
pub fn shape_value(
    shape: u16,
    members: impl IntoIterator<Item = Option<Value>>,
    model: &Model,
) -> Option<Value> {
    let names = model.shapes.get(usize::from(shape))?.members.iter().map(|member| member.name.clone());
    let members = names.zip(members).map(|(name, value)| Some((name, value?)));
    Some(Value::Shape(members.collect::<Option<_>>()?))
}
