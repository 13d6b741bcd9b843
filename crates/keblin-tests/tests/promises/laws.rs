//! Laws of migration, over made-up declarations, edits of them and saves. An edit is one that a developer makes, with
//! the step it needs; a history is three versions with two such edits.

use std::collections::BTreeSet;
use std::sync::Arc;

use keblin::migrate::{Account, Became, sample};
use keblin::save::{Stamp, read, write};
use keblin::verify::verify;
use keblin::{Progress, Schema, Snapshot, Value};
use proptest::prelude::*;
use proptest::strategy::ValueTree;

use crate::long::tries;
use crate::made_up::{Edit, edited, growth, history, made};
use crate::steps::{parsed, versions};

fn save_of(text: &str, is_sample: bool) -> Vec<u8> {
    let schema = Arc::new(parsed(text));
    let snapshot = if is_sample { sample(&schema) } else { Progress::new(schema).snapshot() };
    saved(&snapshot)
}

fn saved(snapshot: &Snapshot) -> Vec<u8> {
    write(snapshot, &Stamp::first(1, "test"))
}

fn opened(bytes: &[u8], schema: &Arc<Schema>) -> (Snapshot, Account) {
    let save = verify(bytes, schema).unwrap_or_else(|error| panic!("{error}"));
    (save.snapshot().clone(), save.account().unwrap().as_ref().clone())
}

/// Returns every value of a snapshot that is not the default: the field, and the value as text, whatever the order of
/// its items.
fn held(snapshot: &Snapshot) -> Vec<(String, String)> {
    let progress = Progress::restored(snapshot.clone());
    let all = progress.values().filter(|held| *held.value != held.field.default);
    let text = |value: &Value| {
        let mut items: Vec<String> =
            value.to_string().trim_matches(['{', '}']).split(", ").map(ToString::to_string).collect();
        items.sort();
        items.join(", ")
    };
    all.map(|held| (held.field.name.to_string(), text(held.value))).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: tries(40, 192), failure_persistence: None, ..ProptestConfig::default() })]

    /// Migrating two versions at once equals migrating one by one; a migrated save needs nothing more.
    #[test]
    fn two_steps_at_once_are_one_after_the_other((texts, steps, is_sample) in history()) {
        let [one, two, three] = texts.each_ref().map(String::as_str);
        let [to_2, to_3] = steps.each_ref().map(String::as_str);
        let now = versions(&[one, two, three], &[to_2, to_3]).unwrap_or_else(|faults| panic!("{faults}\n{one}\n{two}\n{three}"));
        let middle = versions(&[one, two], &[to_2]).unwrap();
        let bytes = save_of(one, is_sample);
        let (at_once, _) = opened(&bytes, &now);
        let (half_way, _) = opened(&bytes, &middle);
        let (step_by_step, _) = opened(&saved(&half_way), &now);
        prop_assert!(at_once == step_by_step);
        let again = verify(&saved(&at_once), &now).unwrap();
        prop_assert!(again.account().is_none() && *again.snapshot() == at_once);
        prop_assert_eq!(read(&saved(&at_once)).unwrap().head.schema_version, 3);
    }

    /// A name that is changed and changed back has its old value.
    #[test]
    fn there_and_back_is_nothing(one in made(), what in 0..5_usize, at in 0..9_usize) {
        let edit = [
            Edit::RenameField(at), Edit::RenameLevel(at), Edit::RenameUnlock(at), Edit::RenameItem(at), Edit::RenameDifficulty(at),
        ][what];
        let (two, there) = edited(&one, edit, "dawn");
        // The way back: each table is about the old name.
        let mut back = String::new();
        let mut heading = String::new();
        for line in there.lines() {
            if let Some(from) = line.strip_prefix("from = ") {
                let (path, new) = heading.rsplit_once('.').unwrap();
                let old = from.trim_matches('\'');
                let path = path.replace(&format!("levels.dawn_{}.", old.split('_').next().unwrap()), &format!("levels.{}.", old.split('_').next().unwrap()));
                back += &format!("[{path}.{old}]\nfrom = '{new}'\n");
            }
            heading = line.trim_matches(['[', ']']).to_string();
        }
        let texts = [one.text(1), two.text(2), one.text(3)];
        let schema = versions(&texts.each_ref().map(String::as_str), &[&there, &back])
            .unwrap_or_else(|faults| panic!("{faults}\n{there}\n{back}"));
        let bytes = save_of(&texts[0], true);
        let before = sample(&Arc::new(parsed(&texts[0])));
        let (after, account) = opened(&bytes, &schema);
        prop_assert_eq!(held(&before), held(&after));
        prop_assert!(account.entries.iter().all(|entry| !matches!(entry.fate, Became::Dropped { .. } | Became::Clamped { .. })), "{}", account);
        let numbered = saved(&after).len();
        prop_assert_eq!(numbered, bytes.len(), "all of it, facts, copies and the run, is as long as it was");
    }

    /// No value is lost unless the step says so, and every value is reported.
    #[test]
    fn no_value_vanishes_unsaid((texts, steps, _) in history()) {
        let schema = versions(&[&texts[0], &texts[1]], &[&steps[0]]).unwrap();
        let bytes = save_of(&texts[0], true);
        let before = sample(&Arc::new(parsed(&texts[0])));
        let (after, account) = opened(&bytes, &schema);
        let dropped: Vec<&str> = account
            .entries
            .iter()
            .filter(|entry| matches!(entry.fate, Became::Dropped { .. }))
            .map(|entry| entry.place.as_str())
            .collect();
        if !steps[0].contains("drop") {
            prop_assert!(dropped.is_empty(), "{:?}", dropped);
            prop_assert_eq!(held(&before).len(), held(&after).len());
        }
        // The account has every field that had a value, by its new or its old name.
        let told: BTreeSet<&str> = account
            .entries
            .iter()
            .flat_map(|entry| [Some(entry.place.as_str()), entry.was.as_deref()])
            .flatten()
            .map(|place| place.split('.').next().unwrap_or_default())
            .collect();
        for (field, _) in held(&before) {
            prop_assert!(told.contains(field.as_str()), "{} is not reported:\n{}", field, account);
        }
    }

    /// Growth needs no step, and changes no existing value.
    #[test]
    fn growth_alone_never_needs_a_step(one in made(), first in growth(), second in growth()) {
        let (two, _) = edited(&one, first, "dawn");
        let (three, _) = edited(&two, second, "dusk");
        let texts = [one.text(1), three.text(2)];
        let schema = versions(&[&texts[0], &texts[1]], &[]).unwrap_or_else(|faults| panic!("{faults}"));
        let bytes = save_of(&texts[0], true);
        let before = sample(&Arc::new(parsed(&texts[0])));
        let (after, account) = opened(&bytes, &schema);
        let sorted = |snapshot: &Snapshot| {
            let mut held = held(snapshot);
            held.sort();
            held
        };
        prop_assert_eq!(sorted(&before), sorted(&after));
        prop_assert!(account.entries.iter().all(|entry| matches!(entry.fate, Became::Carried | Became::Filled { .. })), "{}", account);
        // Within one version number too: an earlier save opens unchanged.
        let same = Arc::new(parsed(&three.text(1)));
        let save = verify(&bytes, &same).unwrap();
        prop_assert_eq!(sorted(save.snapshot()), sorted(&after));
    }

    /// Without the step, or without any table of it, something is reported.
    #[test]
    fn a_step_that_is_left_out_is_asked_for((texts, steps, _) in history()) {
        let [before, now] = [&texts[0], &texts[1]].map(|text| parsed(text));
        let tables: Vec<&str> = steps[0].split_inclusive('\n').collect();
        // A scale leaves no trace in the declarations: only the game knows about another unit of the same type.
        if steps[0].is_empty() || steps[0].contains("scale") {
            return Ok(());
        }
        prop_assert!(keblin::steps::resolve(&before, &now, "v2.toml", &steps[0]).step.is_some());
        let resolved = keblin::steps::resolve(&before, &now, "v2.toml", "");
        prop_assert!(resolved.findings.has_errors() && !resolved.lacks.is_empty());
        for left_out in 0..tables.len() {
            let rest: String = tables.iter().enumerate().filter(|(at, _)| *at != left_out).map(|(_, line)| *line).collect();
            prop_assert!(keblin::steps::resolve(&before, &now, "v2.toml", &rest).findings.has_errors(), "without {}", tables[left_out]);
        }
    }
}

/// The laws are not empty: every fate occurs in them.
#[test]
fn every_fate_occurs() {
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    let mut fates = BTreeSet::new();
    for _ in 0..tries(60, 200) {
        let (texts, steps, _) = history().new_tree(&mut runner).unwrap().current();
        let schema = versions(&[&texts[0], &texts[1]], &[&steps[0]]).unwrap();
        let (_, account) = opened(&save_of(&texts[0], true), &schema);
        fates.extend(account.entries.iter().map(|entry| entry.fate.as_str()));
    }
    assert_eq!(fates, BTreeSet::from(["carried", "changed", "clamped", "dropped", "filled"]));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: tries(100, 400), failure_persistence: None, ..ProptestConfig::default() })]

    /// Any text is a step or gets findings; nothing panics.
    #[test]
    fn any_text_is_a_step_or_a_finding(cut in 0..900_usize, len in 0..60_usize, put in "[a-z\\[\\]={}\", .'{0-9]{0,12}") {
        let text = crate::tables::read("demo/migrations/v3.toml");
        let cut = text.floor_char_boundary(cut.min(text.len()));
        let end = text.floor_char_boundary((cut + len).min(text.len()));
        let mutated = format!("{}{put}{}", &text[..cut], &text[end..]);
        let before = parsed(&crate::tables::read("demo/frozen/v2.toml"));
        let now = parsed(&crate::tables::read("demo/progress.toml"));
        let resolved = keblin::steps::resolve(&before, &now, "migrations/v3.toml", &mutated);
        prop_assert_eq!(resolved.step.is_none(), resolved.findings.has_errors());
        prop_assert!(resolved.findings.list().iter().all(|finding| finding.span.end <= mutated.len()));
        prop_assert!(!resolved.findings.has_errors() || !resolved.findings.to_string().is_empty());
    }
}
