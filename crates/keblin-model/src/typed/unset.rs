//! What a read of a field returns that may be unset. It is not an `Option`, because "never" is neither more nor less than a
//! number, and an `Option` says that it is less.

use std::cmp::Ordering;
use std::fmt;

use super::{FieldType, Scalar, sealed};
use crate::model::Model;
use crate::value::Value;
use crate::value::kind::Holds;

/// A value, or unset: nobody has a best time before the first finish.
///
/// It cannot be compared with `<` or `>`. Ask what is meant instead:
///
/// ```
/// # use std::sync::Arc;
/// # use keblin_model::typed::MaybeUnset;
/// let never: MaybeUnset<i64> = MaybeUnset::from(None);
/// assert!(!never.is_some_and(|best| best < 90)); // not yet under 90
/// assert!(never.is_none_or(|best| best > 90)); // 90 would be a new best
/// assert_eq!(never.unwrap_or(0), 0);
/// if let Some(best) = never.option() {
///     println!("{best}");
/// }
/// ```
///
/// ```compile_fail
/// # use keblin_model::typed::MaybeUnset;
/// # let never: MaybeUnset<i64> = MaybeUnset::from(None);
/// if never < Some(90) {} // a value that may be unset cannot be compared bare
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
#[must_use]
pub struct MaybeUnset<R>(Option<R>);

impl<R> MaybeUnset<R> {
    /// Returns the value as an `Option`; `None` if it is unset.
    #[must_use]
    #[inline]
    pub fn option(self) -> Option<R> {
        self.0
    }

    /// Returns whether it is set.
    #[must_use]
    pub fn is_some(&self) -> bool {
        self.0.is_some()
    }

    /// Returns whether it is unset.
    #[must_use]
    pub fn is_none(&self) -> bool {
        self.0.is_none()
    }

    /// Returns whether it is set, and the value is as asked.
    #[must_use]
    pub fn is_some_and(self, is: impl FnOnce(R) -> bool) -> bool {
        self.0.is_some_and(is)
    }

    /// Returns whether it is unset, or the value is as asked.
    #[must_use]
    pub fn is_none_or(self, is: impl FnOnce(R) -> bool) -> bool {
        self.0.is_none_or(is)
    }

    /// Converts the value, if it is set, and returns it as an `Option`.
    #[must_use]
    pub fn map<U>(self, convert: impl FnOnce(R) -> U) -> Option<U> {
        self.0.map(convert)
    }

    /// Converts the value, or returns another one if it is unset.
    #[must_use]
    pub fn map_or<U>(self, other: U, convert: impl FnOnce(R) -> U) -> U {
        self.0.map_or(other, convert)
    }

    /// Returns the value, or another one if it is unset.
    #[must_use]
    pub fn unwrap_or(self, other: R) -> R {
        self.0.unwrap_or(other)
    }
}

impl<R> From<Option<R>> for MaybeUnset<R> {
    fn from(value: Option<R>) -> MaybeUnset<R> {
        MaybeUnset(value)
    }
}

impl<R> From<MaybeUnset<R>> for Option<R> {
    fn from(value: MaybeUnset<R>) -> Option<R> {
        value.0
    }
}

impl<R: PartialEq> PartialEq<Option<R>> for MaybeUnset<R> {
    fn eq(&self, other: &Option<R>) -> bool {
        self.0 == *other
    }
}

/// What a value that may be unset can be compared with by `<` and `>`: nothing.
#[doc(hidden)]
#[diagnostic::on_unimplemented(
    message = "a value that may be unset cannot be compared bare: unset is neither more nor less than a value",
    label = "this compares a value that may be unset",
    note = "write `.is_some_and(|best| best < other)` if unset should not count, or `.is_none_or(|best| best < other)` if it should"
)]
pub trait ComparedBare {}

impl<R, O: ComparedBare> PartialOrd<O> for MaybeUnset<R>
where
    MaybeUnset<R>: PartialEq<O>,
{
    fn partial_cmp(&self, _other: &O) -> Option<Ordering> {
        None
    }
}

impl<R: fmt::Debug> fmt::Debug for MaybeUnset<R> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// The value, or `unset`.
impl<R: fmt::Display> fmt::Display for MaybeUnset<R> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.0 {
            Some(value) => value.fmt(f),
            None => f.pad("unset"),
        }
    }
}

impl<T: Scalar> sealed::Sealed for Option<T> {}
impl<T: Scalar> FieldType for Option<T> {
    type Read<'a> = MaybeUnset<T::Read<'a>>;
    type Write = T::Write;
    const MAY_BE_UNSET: Option<bool> = Some(true);
    fn fits(holds: Holds) -> bool {
        T::fits(holds)
    }
    fn declared() -> String {
        T::declared()
    }
    fn read(value: &Value) -> MaybeUnset<T::Read<'_>> {
        MaybeUnset::from(if *value == Value::Unset { None } else { Some(T::read(value.alone())) })
    }
    fn write(value: T::Write, model: &Model) -> Option<Value> {
        T::write(value, model)
    }
    fn taken(value: &Value, model: &Model) -> Option<T::Write> {
        if *value == Value::Unset { None } else { T::taken(value.alone(), model) }
    }
}
