//! Keep rules, in one place for writes, replays and saves that meet.

use std::cmp::Ordering;
use std::sync::Arc;

use crate::value::Value;

crate::words! {
    /// How a new value meets the stored one.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Default)]
    #[non_exhaustive]
    pub enum Keep {
        /// The new value replaces the old one.
        #[default]
        Latest = "latest",
        /// The larger one is kept. Starts unset.
        Highest = "highest",
        /// The smaller one is kept. Starts unset.
        Lowest = "lowest",
        /// A `true` never turns `false`.
        Once = "once",
        /// A number that only grows: it can be added to, but not reduced.
        Sum = "sum",
        /// A set that only grows.
        Union = "union",
    }
}

impl Keep {
    /// Returns whether a field with this rule is a record: a best value, unset until there is one.
    #[must_use]
    pub fn is_record(self) -> bool {
        matches!(self, Keep::Highest | Keep::Lowest)
    }
}

/// Returns what is stored when `offered` meets `stored`; `None` if nothing changes. An equal value changes nothing.
///
/// Any value replaces unset. Unset replaces a value only under [`Keep::Latest`], if the field may be unset.
#[must_use]
pub fn meet(rule: Keep, stored: &Value, offered: &Value) -> Option<Value> {
    let better = |side| offered.order(stored) == Some(side);
    let takes_place = match (rule, stored, offered) {
        (Keep::Latest, stored, offered) => stored != offered,
        (_, _, Value::Unset) => false,
        (_, Value::Unset, _) => true,
        (Keep::Highest | Keep::Sum, ..) => better(Ordering::Greater),
        (Keep::Lowest, ..) => better(Ordering::Less),
        (Keep::Once, stored, offered) => *stored == Value::Bool(false) && *offered == Value::Bool(true),
        (Keep::Union, Value::Set(held), Value::Set(more)) => {
            let gained = !more.is_subset(held);
            return gained.then(|| Value::Set(Arc::new(held.union(more).cloned().collect())));
        }
        (Keep::Union, ..) => false,
    };
    takes_place.then(|| offered.clone())
}
