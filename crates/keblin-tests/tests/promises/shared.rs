//! Areas of the world that states of a file share, in games that create, change and remove them at random.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin::save::read;
use keblin::store::backend::{Backend, Disk, Memory};
use keblin::verify::{examine, verify};
use keblin::{Keeper, SaveDir};

use crate::keepers::game;

/// A change of the areas between two saves.
fn change(dice: &mut fastrand::Rng, areas: &mut BTreeMap<String, Vec<u8>>) {
    let name = format!("area_{}", dice.u8(0..14));
    match dice.u8(0..5) {
        0 => drop(areas.remove(&name)),
        // The same bytes again, from another allocation.
        1 => areas.entry(name).and_modify(|bytes| *bytes = bytes.clone()).or_default().push(7),
        2 => drop(areas.insert(name, Vec::new())),
        _ => drop(areas.insert(name, vec![dice.u8(..); dice.usize(0..40_000)])),
    }
}

/// After every save the file opens with exactly the areas of the game, every state in it is intact, and an unchanged
/// area is not written.
#[test]
fn whatever_becomes_of_areas_each_state_has_its_own() {
    let (mut written, mut held) = (0, 0);
    let folder = tempfile::tempdir().unwrap();
    let places: [(Arc<dyn Backend>, _); 2] = [
        (Arc::new(Memory::default()), folder.path().join("in_memory")),
        (Arc::new(Disk::default()), folder.path().join("on_disk")),
    ];
    for (seed, (files, path)) in places.into_iter().enumerate() {
        let mut dice = fastrand::Rng::with_seed(seed as u64);
        let slot = SaveDir::on(Arc::clone(&files), path).slot("otter").unwrap();
        let game = game();
        let mut kept = Keeper::open(&slot, &game.schema).unwrap();
        let mut areas: BTreeMap<String, Vec<u8>> = BTreeMap::new();
        for _ in 0..250 {
            let before = areas.clone();
            for _ in 0..dice.u8(0..3) {
                change(&mut dice, &mut areas);
            }
            for name in before.keys().chain(areas.keys()) {
                let bytes = areas.get(name).filter(|bytes| before.get(name) != Some(bytes) || dice.bool());
                if bytes.is_some() || !areas.contains_key(name) {
                    kept.put_area(name, bytes.map(|bytes| bytes.as_slice().into())).unwrap();
                }
            }
            let saved = kept.save_now().unwrap().unwrap();
            let bytes = files.read(&slot.path(), 0, u64::MAX).unwrap().unwrap();
            let save = verify(&bytes, &game.schema).unwrap();
            assert!(save.findings().is_empty() && save.fault().is_none(), "{:?}", save.findings());
            let found: BTreeMap<String, Vec<u8>> =
                save.snapshot().areas().map(|(name, bytes)| (name.to_string(), bytes.to_vec())).collect();
            assert!(found == areas, "save {} of {seed}", saved.number);
            let examined = examine(&bytes, &game.schema);
            assert!(examined.findings.is_empty(), "{:?}", examined.findings);
            if saved.written_bytes < saved.len_bytes {
                let fresh = areas.iter().filter(|(name, bytes)| before.get(*name) != Some(bytes));
                let fresh: usize = fresh.map(|(_, bytes)| bytes.len()).sum();
                assert!(saved.written_bytes <= fresh + 4096, "{} for {fresh}", saved.written_bytes);
                (written, held) = (written + fresh, held + areas.values().map(Vec::len).sum::<usize>());
            }
        }
    }
    assert!(written > 1_000_000 && held > 4 * written, "{written} of {held}");
}

/// One damaged byte in an area costs the states that share it and no others, however many and however large they are.
#[test]
fn a_damaged_area_costs_only_the_states_that_share_it() {
    let memory = Memory::default();
    let slot = SaveDir::on(Arc::new(memory.clone()), "saves").slot("otter").unwrap();
    let game = game();
    let mut kept = Keeper::open(&slot, &game.schema).unwrap();
    for area in 0..10 {
        kept.put_area(&format!("area_{area}"), Some(vec![area; 60_000])).unwrap();
    }
    let mut changed_in = 0;
    for number in 1..=60 {
        if number == 31 {
            kept.put_area("area_9", Some(vec![99; 60_000])).unwrap();
        }
        kept.add(game.shells, 1);
        let saved = kept.save_now().unwrap().unwrap().number;
        changed_in = if number == 31 { saved } else { changed_in };
    }
    let mut bytes = memory.files()[&slot.path()].clone();
    let area = read(&bytes)
        .unwrap()
        .sections
        .iter()
        .find(|section| section.name == "area.area_9")
        .unwrap()
        .body_offset;
    bytes[area + 30_000] ^= 1;
    let save = verify(&bytes, &game.schema).unwrap();
    assert_eq!(save.head().number, changed_in - 1);
    let fault = save.fault().unwrap();
    assert_eq!((fault.section.as_ref(), fault.fault.code().as_str()), ("area.area_9", "digest"));
    let examined = examine(&bytes, &game.schema);
    let whole = examined.states.iter().filter(|state| state.whole).count();
    assert_eq!((examined.states.len(), whole), (60, 30));
}
