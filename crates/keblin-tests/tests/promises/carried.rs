//! A game's own struct, tied to fields: events use its values, and it has the values that they leave.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use keblin::{Carry, Level, Time};

use crate::names::reed_bed::{self, checkpoints, fields, levels, lists::Lamps, shapes::Lantern};

#[derive(Debug, Default, PartialEq, Carry)]
#[carry(reed_bed)]
struct Otter {
    reeds: u8,
    clock: Duration,
    met_the_heron: bool,
    coppers: u32,
    depth: f32,
    name: String,
    photo: Vec<u8>,
    lamp: Option<Lamps>,
    at: [f32; 2],
    lantern: Lantern,
    hooks: Vec<Lantern>,
    splits: Vec<Time>,
    lit: BTreeSet<Lamps>,
    worn: BTreeMap<String, i16>,
    #[carry(field = best_reeds)]
    most: Option<i64>,
    #[carry(skip)]
    frames: u32,
}

#[derive(Debug, Carry)]
#[carry(reed_bed)]
struct Den {
    home: Level<reed_bed::Game>,
}

#[test]
fn a_struct_that_was_just_made_hands_nothing_over() {
    let mut game = reed_bed::Progress::new();
    game.begin(None).unwrap();
    game.set(fields::COPPERS, 77);
    let mut otter = game.carry(Otter { frames: 3, ..Otter::default() });
    assert_eq!((otter.coppers, otter.depth, otter.lantern.oil, otter.frames), (77, 0.5, 9, 3));
    game.with(&mut otter).enter(levels::BROOK).unwrap();
    assert_eq!(game.get(fields::COPPERS), 77, "a default of Rust is not the player's value");
    // Again in the next level, as games do it.
    let mut again = game.carry(Otter::default());
    game.with(&mut again).leave().unwrap();
    assert_eq!((game.get(fields::COPPERS), again.into_inner().coppers), (77, 77));
}

#[test]
fn a_struct_that_missed_an_event_takes_nothing_back() {
    let mut game = reed_bed::Progress::new();
    let mut otter = game.carry(Otter::default());
    game.begin(None).unwrap();
    game.enter(levels::BROOK).unwrap();
    game.set(fields::REEDS, 30);
    game.set(fields::COPPERS, 9);
    otter.reeds = 12;
    game.with(&mut otter).leave().unwrap();
    assert_eq!((otter.reeds, otter.coppers), (12, 9), "only what it changed is written");
    otter.reeds = 50;
    game.pick_up(&mut otter);
    assert_eq!(otter.reeds, 12, "read, but not written");
}

#[test]
fn an_event_sees_the_struct_and_the_struct_has_what_the_event_left() {
    let mut game = reed_bed::Progress::new();
    let mut otter = game.carry(Otter::default());
    game.with(&mut otter).begin(None).unwrap();
    game.with(&mut otter).enter(levels::BROOK).unwrap();
    otter.reeds = 40;
    game.with(&mut otter).reach(checkpoints::brook::LOG).unwrap();
    otter.reeds = 55;
    otter.coppers -= 20;
    otter.name = "Wen".into();
    otter.lamp = Some(Lamps::Glass);
    otter.hooks.push(Lantern::default());
    otter.lit.extend([Lamps::Tallow, Lamps::Wick]);
    otter.worn.insert("hat".into(), 2);
    otter.splits.push(Time::from_nanos(9));
    game.with(&mut otter).die();
    assert_eq!(
        (otter.reeds, otter.coppers),
        (40, 100),
        "the reeds of the checkpoint, and what was paid is paid"
    );
    assert_eq!((game.get(fields::NAME), game.get(fields::LAMP).option()), ("Wen", Some(Lamps::Glass)));
    assert_eq!((game.get(fields::LIT).len(), game.get(fields::HOOKS).len()), (2, 1));
    // Another struct reads what this one wrote, without writing anything itself.
    assert_eq!(*game.carry(Otter::default()), *otter);
}

#[test]
fn what_a_member_cannot_hold_is_not_lost() {
    let mut game = reed_bed::Progress::new();
    let mut otter = game.carry(Otter::default());
    game.with(&mut otter).begin(None).unwrap();
    game.set(fields::REEDS, 700);
    game.set(fields::DEPTH, 0.1);
    game.set(fields::CLOCK, Time::from_nanos(-5));
    game.pick_up(&mut otter);
    assert_eq!((otter.reeds, otter.depth, otter.clock), (255, 0.1, Duration::ZERO));
    game.with(&mut otter).enter(levels::BROOK).unwrap();
    assert_eq!((game.get(fields::REEDS), game.get(fields::DEPTH)), (700, 0.1), "the struct changed nothing");
    assert_eq!(game.get(fields::CLOCK), Time::from_nanos(-5));
    otter.reeds = 8;
    game.with(&mut otter).leave().unwrap();
    assert_eq!(game.get(fields::REEDS), 8);
}

#[test]
fn bounds_and_records_have_the_last_word() {
    let mut game = reed_bed::Progress::new();
    let mut otter = game.carry(Otter::default());
    game.with(&mut otter).begin(None).unwrap();
    game.submit(fields::BEST_REEDS, 30);
    otter.most = None;
    otter.depth = 99.0;
    otter.met_the_heron = true;
    game.with(&mut otter).enter(levels::BROOK).unwrap();
    assert_eq!((otter.most, otter.depth), (Some(30), 10.0), "none lowers no record, and a bound holds");
    otter.most = Some(12);
    otter.met_the_heron = false;
    game.with(&mut otter).leave().unwrap();
    assert_eq!((otter.most, otter.met_the_heron), (Some(30), true));
    otter.most = Some(31);
    otter.depth = f32::NAN;
    game.with(&mut otter).end_run().unwrap();
    assert_eq!(
        (game.get(fields::BEST_REEDS).option(), otter.depth),
        (Some(31), 10.0),
        "a NaN is not written"
    );
}

#[test]
fn several_events_see_one_handing_over_and_a_phase_takes_what_it_takes() {
    let mut game = reed_bed::Progress::new();
    let mut otter = game.carry(Otter::default());
    game.with(&mut otter).begin(None).unwrap();
    otter.reeds = 5;
    {
        let mut game = game.with(&mut otter);
        game.enter(levels::BROOK).unwrap();
        game.add(fields::REEDS, 2);
        assert_eq!(game.get(fields::REEDS), 7);
    }
    assert_eq!(otter.reeds, 7);
    game.with(&mut otter).end_run().unwrap();
    otter.reeds = 90;
    otter.coppers = 1;
    game.with(&mut otter).pause(true);
    assert_eq!((otter.reeds, game.get(fields::COPPERS)), (7, 1), "after a run its values are only read");
    let mut den = game.carry(Den { home: levels::BROOK });
    den.home = levels::WEIR;
    game.with(&mut den).pause(false);
    assert_eq!(game.get(fields::HOME), levels::WEIR);
}

#[test]
fn coverage_names_what_no_struct_ever_carried() {
    let mut game = reed_bed::Progress::new();
    let mut otter = game.carry(Otter::default());
    game.with(&mut otter).begin(None).unwrap();
    game.watch_coverage();
    game.with(&mut otter).enter(levels::BROOK).unwrap();
    otter.reeds += 1;
    game.with(&mut otter).leave().unwrap();
    let covered = game.coverage();
    assert_eq!(covered[0].level, levels::BROOK);
    assert_eq!(covered[0].never_read.len(), 0, "both fields of run scope are in the struct");
    assert_eq!(covered[0].never_changed.iter().map(|name| name.as_str()).collect::<Vec<_>>(), ["clock"]);
}
