//! The areas of files without an intact state: packed ones, those of an earlier version, and those whose run is lost.

use std::fs;

use keblin::save::read;
use keblin::verify::{Salvaged, salvage, verify};
use keblin::{Progress, Snapshot};

use crate::tables::project;
use crate::{golden_world, world_steps};

/// The areas of a snapshot: the id and the bytes of each.
fn areas(snapshot: &Snapshot) -> Vec<(String, Vec<u8>)> {
    snapshot.areas().map(|(id, bytes)| (id.to_string(), bytes.to_vec())).collect()
}

/// Returns the bytes with one of the last state changed, or one of a section.
fn damaged(bytes: &[u8], section: Option<&str>) -> Vec<u8> {
    let file = read(bytes).unwrap();
    let of = |name: &str| file.sections.iter().find(|section| section.name == name).unwrap().body_offset;
    let place = section.map_or(file.head.offset + 12, of);
    let mut damaged = bytes.to_vec();
    damaged[place] ^= 0xff;
    damaged
}

fn taken(salvaged: &Salvaged) -> Vec<&str> {
    let parts = salvaged.areas.iter().filter(|part| part.offset.is_some());
    parts.map(|part| part.section.as_str()).collect()
}

#[test]
fn packed_areas_are_salvaged_like_others() {
    let schema = golden_world::schema();
    let bytes = fs::read(project("data/golden/world/format_1_world_packed.keblin")).unwrap();
    let held = areas(verify(&bytes, schema).unwrap().snapshot());
    let bytes = damaged(&bytes, None);
    assert!(verify(&bytes, schema).is_err());
    let salvaged = salvage(&bytes, schema).unwrap();
    assert!(!held.is_empty());
    assert_eq!(areas(&salvaged.snapshot), held);
    assert!(salvaged.areas.iter().all(|part| part.offset.is_some() && part.fault.is_none()));
}

#[test]
fn the_areas_of_an_earlier_version_are_salvaged_and_go_by_its_step() {
    let (bytes, built) = world_steps::save_of_version_1();
    let [_, schema] = world_steps::schemas();
    let held = areas(verify(&bytes, schema).unwrap().snapshot());
    let bytes = damaged(&bytes, None);
    assert!(verify(&bytes, schema).is_err());
    let salvaged = salvage(&bytes, schema).unwrap();
    let account = salvaged.account.as_ref().unwrap();
    assert_eq!((account.from, account.to), (1, 2));
    assert!(!held.is_empty());
    assert_eq!(areas(&salvaged.snapshot), held);
    // The copies from the entry came along, with the run that they belong to.
    assert!(taken(&salvaged).iter().any(|section| !section.starts_with("area.")));
    assert_ne!(Progress::restored(salvaged.snapshot).new_object(), built);
}

#[test]
fn without_its_run_the_areas_are_salvaged_and_the_copies_are_not() {
    let (bytes, _) = world_steps::save_of_version_1();
    let [schema, _] = world_steps::schemas();
    let held = areas(verify(&bytes, schema).unwrap().snapshot());
    let bytes = damaged(&bytes, Some("run"));
    assert!(verify(&bytes, schema).is_err());
    let salvaged = salvage(&bytes, schema).unwrap();
    assert_eq!(areas(&salvaged.snapshot), held);
    assert_eq!(taken(&salvaged), ["area.moor", "area.west"]);
    let run = salvaged.parts.iter().find(|part| part.section == "run").unwrap();
    assert_eq!((run.offset, run.whole), (None, 0));
    assert!(!Progress::restored(salvaged.snapshot).has_run());
}
