//! The laws by which the values of two saves meet, for every keep rule, over tables with repeats and gaps.

use std::sync::Arc;

use keblin_schema::keep::meet_all;
use keblin_schema::value::ValueSet;
use keblin_schema::{Keep, Value};
use proptest::prelude::*;

use crate::long::tries;

const PLACES: usize = 5;

/// Values that a field with a rule may have: a table of best values, the best first, or one value.
fn held(rule: Keep) -> BoxedStrategy<Vec<Value>> {
    match rule {
        Keep::Highest | Keep::Lowest => prop::collection::vec(0_i64..8, 0..=PLACES)
            .prop_map(move |mut numbers| {
                numbers.sort_unstable();
                if rule == Keep::Highest {
                    numbers.reverse();
                }
                let mut table: Vec<Value> = numbers.into_iter().map(Value::Int).collect();
                table.resize(PLACES, Value::Unset);
                table
            })
            .boxed(),
        Keep::Once => any::<bool>().prop_map(|yes| vec![Value::Bool(yes)]).boxed(),
        Keep::Union => prop::collection::btree_set(0_i64..6, 0..4)
            .prop_map(|set| vec![Value::Set(Arc::new(set.into_iter().map(Value::Int).collect::<ValueSet>()))])
            .boxed(),
        _ => (0_i64..1_000).prop_map(|number| vec![Value::Int(number)]).boxed(),
    }
}

/// A rule that says what is better or more, with values of three saves.
fn three() -> impl Strategy<Value = (Keep, [Vec<Value>; 3])> {
    let rules = [Keep::Highest, Keep::Lowest, Keep::Once, Keep::Sum, Keep::Union, Keep::Balance];
    prop::sample::select(rules.to_vec())
        .prop_flat_map(|rule| (Just(rule), [held(rule), held(rule), held(rule)]))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(tries(2_000, 10_000)))]

    #[test]
    fn it_does_not_matter_which_save_meets_which_how_often_or_in_which_order((rule, [a, b, c]) in three()) {
        let meet = |one: &[Value], other: &[Value]| meet_all(rule, one, other, None);
        prop_assert_eq!(meet(&a, &b), meet(&b, &a));
        prop_assert_eq!(meet(&a, &a), a.clone());
        prop_assert_eq!(meet(&meet(&a, &b), &b), meet(&a, &b));
        prop_assert_eq!(meet(&meet(&a, &b), &c), meet(&a, &meet(&b, &c)));
    }

    #[test]
    fn a_save_that_did_not_change_since_the_common_one_gives_way((rule, [base, gain, _]) in three()) {
        // A gain on top of the common save, as play makes one.
        let other = meet_all(rule, &base, &gain, Some(&first(&base)));
        prop_assert_eq!(meet_all(rule, &base, &other, Some(&base)), other.clone());
        prop_assert_eq!(meet_all(rule, &other, &base, Some(&base)), other);
    }

    #[test]
    fn no_record_gets_worse_and_no_entry_among_the_best_is_lost((rule, [a, b, _]) in three()) {
        let both = meet_all(rule, &a, &b, None);
        if rule.is_record() {
            let mut entries: Vec<Value> = a.iter().chain(&b).filter(|value| **value != Value::Unset).cloned().collect();
            entries.sort_by(|one, other| one.order(other).unwrap());
            entries.dedup();
            if rule == Keep::Highest {
                entries.reverse();
            }
            // The best entry leads, and each entry is there unless better ones fill the table.
            prop_assert_eq!(both.first().filter(|best| **best != Value::Unset), entries.first());
            let is_full = !both.contains(&Value::Unset);
            prop_assert!(is_full || entries.iter().all(|entry| both.contains(entry)));
        }
    }
}

/// The value of a first run.
fn first(held: &[Value]) -> Vec<Value> {
    let first = |value: &Value| match value {
        _ if held.len() > 1 => Value::Unset,
        Value::Bool(_) => Value::Bool(false),
        Value::Set(_) => Value::Set(Arc::default()),
        _ => Value::Int(0),
    };
    held.iter().map(first).collect()
}

#[test]
fn sums_and_tables_count_what_both_sides_gained_since_the_common_save() {
    let int = |numbers: &[i64]| numbers.iter().copied().map(Value::Int).collect::<Vec<_>>();
    let sum = meet_all(Keep::Sum, &int(&[130]), &int(&[150]), Some(&int(&[100])));
    assert_eq!(sum, int(&[180]));
    assert_eq!(
        meet_all(Keep::Sum, &int(&[130]), &int(&[150]), None),
        int(&[150]),
        "nobody knows what is common"
    );
    let table = |numbers: &[i64]| {
        let mut table = int(numbers);
        table.resize(4, Value::Unset);
        table
    };
    let both = |base: Option<&[i64]>| {
        let base = base.map(table);
        meet_all(Keep::Highest, &table(&[9, 7, 7]), &table(&[8, 7, 7]), base.as_deref())
    };
    assert_eq!(both(None), int(&[9, 8, 7, 7]));
    assert_eq!(both(Some(&[7])), int(&[9, 8, 7, 7]), "7 three times, but four places");
    let low = meet_all(Keep::Lowest, &table(&[3, 5]), &table(&[3]), Some(&table(&[])));
    assert_eq!(low, int(&[3, 3, 5]).into_iter().chain([Value::Unset]).collect::<Vec<_>>());
}
