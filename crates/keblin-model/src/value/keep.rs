//! Keep rules, in one place for writes, replays and saves that meet.

use crate::order::sort_by;
use std::cmp::Ordering;
use std::sync::Arc;

use crate::value::Value;

crate::words! {
    /// How a new value meets the stored one.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Default)]
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
        /// A number that is added to and spent, such as coins.
        Balance = "balance",
    }
}

impl Keep {
    /// Returns whether a field with this rule is a record: a best value, unset until there is one.
    #[must_use]
    pub fn is_record(self) -> bool {
        matches!(self, Keep::Highest | Keep::Lowest)
    }

    /// Returns whether the engine can feed a field with this rule from another one: a record, a sum, a
    /// balance or a union.
    #[must_use]
    pub fn takes_feed(self) -> bool {
        self.is_record() || self.is_amount() || self == Keep::Union
    }

    /// Returns whether a field with this rule is an amount: when two saves are merged, what each machine has added and
    /// taken counts once.
    #[must_use]
    pub fn is_amount(self) -> bool {
        matches!(self, Keep::Sum | Keep::Balance)
    }

    /// Returns whether a write may put any value into a field with this rule, also a smaller one.
    #[must_use]
    pub fn is_free(self) -> bool {
        matches!(self, Keep::Latest | Keep::Balance)
    }
}

/// Returns what is stored when `offered` meets `stored`; `None` if nothing changes. An equal value changes nothing.
///
/// Any value replaces unset. Unset replaces a value only under [`Keep::Latest`], if the field may be unset.
#[must_use]
pub fn meet(rule: Keep, stored: &Value, offered: &Value) -> Option<Value> {
    let better = |side| offered.order(stored) == Some(side);
    let takes_place = match (rule, stored, offered) {
        (Keep::Latest | Keep::Balance, stored, offered) => stored != offered,
        (_, _, Value::Unset) => false,
        (_, Value::Unset, _) => true,
        (Keep::Highest | Keep::Sum, ..) => better(Ordering::Greater),
        (Keep::Lowest, ..) => better(Ordering::Less),
        (Keep::Once, stored, offered) => *stored == Value::Bool(false) && *offered == Value::Bool(true),
        (Keep::Union, Value::Set(held), Value::Set(more)) => {
            let gained = !more.is_subset(held);
            return gained.then(|| Value::Set(Arc::new(held.union(more))));
        }
        (Keep::Union, ..) => false,
    };
    takes_place.then(|| offered.clone())
}

/// Returns what two saves hold together in a field that is kept by a rule: all places of a table of best values, or the
/// one value. `base` is what both had before they diverged, if it is known.
///
/// - Of two tables the best values of both are kept. A value in both counts once, but what each gained since `base`
///   counts apart.
/// - A sum or a balance is `base`, and what was added since, less what was taken; without `base` it is the greater one.
/// - [`Keep::Latest`] returns `ours`: the rule does not say which save is later.
///
/// Without `base` it does not matter which save is `ours`, how often they meet, or in which order three of them do.
#[must_use]
pub fn meet_all(rule: Keep, ours: &[Value], theirs: &[Value], base: Option<&[Value]>) -> Vec<Value> {
    match (rule, base) {
        (Keep::Highest | Keep::Lowest, _) => best_of(rule, ours, theirs, base),
        (Keep::Sum | Keep::Balance, Some(base)) => {
            let gained = |theirs: &Value, base: &Value| Some(theirs.plus(&base.negated())?.0);
            let all = ours.iter().zip(theirs).zip(base);
            let sum = |((ours, theirs), base): ((&Value, &Value), &Value)| {
                gained(theirs, base)
                    .and_then(|gained| ours.plus(&gained))
                    .map_or(ours.clone(), |(sum, _)| sum)
            };
            all.map(sum).collect()
        }
        (Keep::Latest, _) => ours.to_vec(),
        _ => {
            let all = ours.iter().zip(theirs);
            // Without `base`, nobody can say what was spent.
            let rule = if rule == Keep::Balance { Keep::Highest } else { rule };
            all.map(|(ours, theirs)| meet(rule, ours, theirs).unwrap_or_else(|| ours.clone())).collect()
        }
    }
}

/// Returns the best values of two tables, the best first, in as many places as `ours` has.
fn best_of(rule: Keep, ours: &[Value], theirs: &[Value], base: Option<&[Value]>) -> Vec<Value> {
    let count = |table: &[Value], value: &Value| table.iter().filter(|other| *other == value).count();
    let mut best: Vec<Value> = Vec::new();
    for value in ours.iter().chain(theirs).filter(|value| **value != Value::Unset) {
        if best.contains(value) {
            continue;
        }
        let [ours, theirs] = [ours, theirs].map(|table| count(table, value));
        let copies = match base.map(|base| count(base, value)) {
            Some(base) => base + ours.saturating_sub(base) + theirs.saturating_sub(base),
            None => ours.max(theirs),
        };
        best.extend(std::iter::repeat_n(value.clone(), copies));
    }
    sort_by(&mut best, |one, other| {
        let order = one.order(other).unwrap_or(Ordering::Equal);
        let order = if rule == Keep::Highest { order.reverse() } else { order };
        // Of two equal ones, the order does not depend on whose they are.
        order.then_with(|| one.cmp(other))
    });
    best.resize(ours.len(), Value::Unset);
    best
}
