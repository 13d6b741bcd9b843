//! One sort for all types. Each type that a sort of the standard library is compiled for takes 15 KB of a game's program, so
//! whatever is short or seldom sorted is sorted here, by its positions.

use std::cmp::Ordering;

/// Sorts a list; what compares as equal stays in its order.
pub fn sort_by<T>(items: &mut Vec<T>, compare: impl Fn(&T, &T) -> Ordering) {
    let of = |one: usize, other: usize| match (items.get(one), items.get(other)) {
        (Some(one), Some(other)) => compare(one, other),
        _ => Ordering::Equal,
    };
    let order = positions(items.len(), &of);
    let mut left: Vec<Option<T>> = std::mem::take(items).into_iter().map(Some).collect();
    items.extend(order.into_iter().filter_map(|at| left.get_mut(at)?.take()));
}

/// Returns the items in order, each once.
#[must_use]
pub fn each_once<T: Ord>(items: impl IntoIterator<Item = T>) -> Vec<T> {
    let mut items: Vec<T> = items.into_iter().collect();
    sort_by(&mut items, T::cmp);
    items.dedup();
    items
}

/// Returns the positions of a list in the order of its items.
#[inline(never)]
fn positions(count: usize, compare: &dyn Fn(usize, usize) -> Ordering) -> Vec<usize> {
    let mut order: Vec<usize> = (0..count).collect();
    order.sort_by(|one, other| compare(*one, *other));
    order
}
