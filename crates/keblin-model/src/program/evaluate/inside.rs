//! What is inside a value, and many values together: members, entries, items, totals of a field.

use super::{Evaluation, equal, val};
use crate::program::{Facts, Load, Op, Val};
use crate::value::{Float, Part, Value};

impl<'a, F: Facts> Evaluation<'a, F> {
    /// A member of a shape, or a part of a vector.
    pub(super) fn member(&self, whole: u32, member: u16) -> Val<'a> {
        let at = usize::from(member);
        // What goes with a record is unset as long as the record is.
        let value = match (self.raw(whole), self.value(whole)) {
            (Some(Value::Unset), _) | (_, Val::Null) => return Val::Null,
            (Some(Value::Best(best)), _) => &best.with,
            (_, Val::Whole(value)) => value,
            _ => return Val::Error,
        };
        let part = |parts: &[Part]| parts.get(at).and_then(|part| Float::new(part.get().into()));
        match value {
            Value::Shape(members) => members.get(at).map_or(Val::Error, |(_, value)| val(value)),
            Value::Vec2(parts) => part(parts).map_or(Val::Error, Val::Float),
            Value::Vec3(parts) => part(parts).map_or(Val::Error, Val::Float),
            Value::Quat(parts) => part(parts).map_or(Val::Error, Val::Float),
            _ => Val::Error,
        }
    }

    /// The value of a cell that an operation reads.
    fn raw(&self, at: u32) -> Option<&'a Value> {
        match *self.op(at) {
            Op::Load(Load::Cell(cell)) => Some(self.facts.cell(cell as usize)),
            Op::Load(Load::CellOn { first, apart }) => {
                Some(self.facts.cell(first as usize + self.difficulty * apart as usize))
            }
            _ => None,
        }
    }

    /// An entry of a map, or what stands for a missing one.
    pub(super) fn entry(&self, whole: u32, key: u32) -> Val<'a> {
        let literal = |at: u32| self.program.wholes.get(at as usize);
        let (Val::Whole(Value::Map(entries)), Some(key), Some(missing)) =
            (self.value(whole), literal(key), literal(key + 1))
        else {
            return Val::Error;
        };
        val(entries.get(key).unwrap_or(missing))
    }

    /// Adds up numbers, and counts bools that are true and items.
    pub(super) fn tally(&self, start: u32, len: u32) -> Option<i64> {
        let loads = self.program.sums.get(start as usize..(start + len) as usize).unwrap_or_default();
        loads.iter().try_fold(0_i64, |sum, load| match self.load(*load) {
            Val::Int(number) => sum.checked_add(number),
            Val::Bool(yes) => sum.checked_add(yes.into()),
            Val::Whole(items) => sum.checked_add(i64::try_from(items.len()).ok()?),
            Val::Null => Some(sum),
            _ => None,
        })
    }

    /// Returns whether a list, set or map has an item or key.
    pub(super) fn has(&self, what: u32, whole: u32) -> Option<bool> {
        let (what, Val::Whole(whole)) = (self.value(what), self.value(whole)) else { return None };
        if what == Val::Error {
            return None;
        }
        let is = |item: &Value| equal(val(item), what) == Some(true);
        Some(match whole {
            Value::List(items) => items.iter().any(is),
            Value::Set(items) => items.iter().any(is),
            Value::Map(entries) => entries.keys().any(is),
            _ => false,
        })
    }

    /// An error anywhere in the list is an error, even if the value was found.
    pub(super) fn is_in(&self, what: u32, start: u32, len: u32) -> Option<bool> {
        let what = self.value(what);
        let list = self.program.lists.get(start as usize..(start + len) as usize).unwrap_or_default();
        let mut found = false;
        for item in list {
            found |= equal(what, self.value(*item))?;
        }
        Some(found)
    }
}
