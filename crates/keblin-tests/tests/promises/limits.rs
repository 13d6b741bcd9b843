//! How large a save may be: every acknowledged save opens again, and a save that could not be read is refused before
//! anything is written.

use std::sync::Arc;

use keblin::fullness::Measure;
use keblin::save::SaveLimits;
use keblin::store::{Origin, SaveError, Slot};
use keblin::{Keeper, Notice, SaveDir, Schema};
use proptest::prelude::*;

use crate::keepers::{Game, game, in_memory};
use crate::tables::schema;

/// Returns a slot in memory with limits for the bytes and sections of its saves.
fn slot_within(max_bytes: usize, max_sections: u64) -> Slot {
    let mut limits = SaveLimits::default();
    (limits.max_save_bytes, limits.max_block_bytes) = (max_bytes, max_bytes);
    limits.max_rows = max_sections + 1;
    let files = Arc::new(keblin::store::backend::Memory::default());
    SaveDir::on(files, "saves").within(limits).slot("otter").unwrap()
}

fn area(name: usize) -> String {
    format!("area_{name}")
}

#[test]
fn a_hundred_megabytes_in_seven_areas_open_again() {
    let (_, slot) = in_memory();
    let Game { ref schema, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    for name in 0..7 {
        kept.put_area(&area(name), Some(vec![7; 10 << 20])).unwrap();
    }
    kept.save_now().unwrap();
    // More than half of the file becomes stale: it grows, is published anew, and still opens.
    for round in 0..3 {
        for name in 0..7 {
            kept.put_area(&area(name), Some(vec![round; 10 << 20])).unwrap();
            kept.save_now().unwrap();
        }
    }
    kept.close().unwrap();
    let opened = slot.open(schema).unwrap();
    assert_eq!(opened.origin, Origin::File);
    assert!((0..7).all(|name| opened.progress.area(&area(name)).unwrap().iter().all(|byte| *byte == 2)));
}

#[test]
fn twenty_thousand_small_areas_open_again() {
    let (_, slot) = in_memory();
    let Game { ref schema, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    for name in 0..20_000 {
        kept.put_area(&area(name), Some(name.to_be_bytes().into())).unwrap();
    }
    kept.save_now().unwrap();
    kept.put_area(&area(5), None).unwrap();
    kept.close().unwrap();
    let opened = slot.open(schema).unwrap();
    assert_eq!(opened.origin, Origin::File);
    assert_eq!(opened.progress.area(&area(19_999)).unwrap()[..], 19_999_usize.to_be_bytes());
    assert!(opened.progress.area(&area(5)).is_none());
}

#[test]
fn what_could_not_be_read_again_is_refused_before_anything_is_written() {
    let Game { ref schema, shells, .. } = game();
    for (slot, of) in
        [(slot_within(40_000, 1000), Measure::Bytes), (slot_within(1 << 20, 20), Measure::Sections)]
    {
        let mut kept = Keeper::open(&slot, schema).unwrap();
        let mut acknowledged = None;
        let refused = (0..1000_usize).find_map(|name| {
            kept.set(shells, i64::try_from(name).unwrap());
            kept.put_area(&area(name), Some(vec![1; 1000])).unwrap();
            match kept.save_now() {
                Ok(_) => {
                    acknowledged = Some(i64::try_from(name).unwrap());
                    None
                }
                Err(SaveError::TooLarge(fullness)) => Some(fullness),
                Err(other) => panic!("{other}"),
            }
        });
        let fullness = refused.unwrap();
        assert!(fullness.of == of && !fullness.fits(), "{fullness}");
        let told: Vec<Notice> = kept.drain_notices().collect();
        let at = |wanted: fn(&Notice) -> bool| told.iter().position(wanted);
        let nearly = at(|notice| matches!(notice, Notice::NearlyFull(_))).unwrap();
        let failed = at(|notice| matches!(notice, Notice::NotWritten { .. })).unwrap();
        assert!(nearly < failed, "the warning comes while there is still time");
        let nearly_full = |notice: &&Notice| matches!(notice, Notice::NearlyFull(_));
        assert_eq!(told.iter().filter(nearly_full).count(), 1, "and once");
        assert_eq!(slot.view(schema).unwrap().progress.get(shells), acknowledged.unwrap());
        // The game keeps less data, and continues.
        (0..10).for_each(|name| kept.put_area(&area(name), None).unwrap());
        kept.set(shells, 77);
        kept.close().unwrap();
        assert_eq!(slot.view(schema).unwrap().progress.get(shells), 77);
    }
}

fn made_up(fields: &[(usize, usize)]) -> Arc<Schema> {
    let fields: Vec<String> = fields
        .iter()
        .enumerate()
        .map(|(number, (items, len))| {
            format!(
                "words_{number} = {{ type = 'list', of = 'text', scope = 'profile', max_items = {items}, max_len = {len} }}\n"
            )
        })
        .collect();
    schema(&format!(
        "game = 'made_up'\nversion = 1\n[fields]\nshells = {{ type = 'int', scope = 'profile' }}\n{}",
        fields.concat()
    ))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Random declarations and sizes around small limits: appended, published, grown, refused.
    #[test]
    fn whatever_a_save_acknowledges_opens_again(
        fields in prop::collection::vec((1_usize..40, 1_usize..200), 0..4),
        max_bytes in 3_000_usize..60_000,
        max_sections in 2_u64..24,
        saves in prop::collection::vec((0_usize..24, 0_usize..9_000, 0_usize..40, 0_usize..200), 1..24),
    ) {
        let schema = made_up(&fields);
        let shells = schema.field::<i64>("shells").unwrap();
        let slot = slot_within(max_bytes, max_sections);
        let mut acknowledged = None;
        let mut kept = Keeper::open(&slot, &schema).unwrap();
        for (number, (name, len, items, letters)) in (1..).zip(saves) {
            kept.set(shells, number);
            let bytes = (len > 0).then(|| vec![u8::try_from(number).unwrap(); len]);
            kept.put_area(&area(name), bytes).unwrap();
            for (at, (most_items, most_letters)) in fields.iter().enumerate() {
                let field = schema.field::<Vec<String>>(&format!("words_{at}")).unwrap();
                kept.set(field, vec!["w".repeat(letters.min(*most_letters)); items.min(*most_items)]);
            }
            match kept.save_now() {
                Ok(saved) => {
                    prop_assert!(saved.unwrap().len_bytes <= max_bytes);
                    acknowledged = Some(kept.snapshot());
                }
                Err(SaveError::TooLarge(fullness)) => prop_assert!(!fullness.fits()),
                Err(other) => prop_assert!(false, "{other}"),
            }
            let seen = slot.view(&schema).unwrap();
            match &acknowledged {
                Some(snapshot) => {
                    prop_assert_eq!(seen.origin, Origin::File);
                    prop_assert_eq!(seen.progress.get(shells), keblin::Progress::restored(snapshot.clone()).get(shells));
                    for name in 0..24 {
                        let held = keblin::Progress::restored(snapshot.clone());
                        prop_assert_eq!(seen.progress.area(&area(name)), held.area(&area(name)));
                    }
                }
                None => prop_assert_eq!(seen.origin, Origin::FirstRun),
            }
        }
    }
}
