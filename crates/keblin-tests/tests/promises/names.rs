//! Compiled names: every constant means what the declaration says, whatever its type, and calls with a game's own
//! names return the same as progress.

use std::collections::BTreeMap;
use std::time::Duration;

use keblin::progress::{Death, Erase, Fed, Outcome, Place, Signal};
use keblin::store::backend::Memory;
use keblin::typed::Shape;
use keblin::value::Opaque;
use keblin::{Field, FieldPer, Keeper, Level, Phase, Progress, SaveDir, Time, Value};
use proptest::prelude::*;

use crate::round_trip::{events, play_on};

keblin::schema!(fen_post, "../../demo/progress.toml");
keblin::schema!(pub(crate) reed_bed, "../../data/golden/every_type.toml");
use fen_post::{checkpoints, difficulties, fields, levels};
use reed_bed::{fields as reeds, lists::Lamps, shapes::Lantern};

#[test]
fn every_constant_stands_for_what_its_name_says() {
    let schema = fen_post::schema();
    let ints: [(&str, keblin::Field<i64, fen_post::Game>); 5] = [
        ("letters", fields::LETTERS),
        ("oil", fields::OIL),
        ("oil_cap", fields::OIL_CAP),
        ("boats", fields::BOATS),
        ("coppers", fields::COPPERS),
    ];
    for (id, field) in ints {
        assert_eq!(schema.field::<i64>(id).unwrap().cell(), field.cell(), "{id}");
    }
    let crossings: FieldPer<Option<Time>, (Level, keblin::Difficulty)> =
        schema.field_per("best_crossing").unwrap();
    for level in [levels::REEDGATE, levels::OTTER_WEIR, levels::LANTERN_QUAY] {
        for difficulty in [difficulties::NEAP, difficulties::SPRING] {
            let by_name = fields::BEST_CROSSING.at(level, difficulty);
            let place = (schema.level(level.id()).unwrap(), schema.difficulty(difficulty.id()).unwrap());
            assert_eq!(by_name.cell(), crossings.at(place).cell());
        }
    }
    assert_eq!((levels::BLACK_SLUICE.id(), levels::BLACK_SLUICE.index()), ("black_sluice", 3));
    assert_eq!(
        (checkpoints::black_sluice::BIRCH.id(), checkpoints::black_sluice::BIRCH.level()),
        ("birch", levels::BLACK_SLUICE)
    );
    assert_eq!((difficulties::SPRING.id(), fen_post::unlocks::IRON_POLE.id()), ("spring", "iron_pole"));
    assert_eq!(fen_post::moments::LAMP_OUT.id(), "lamp_out");
    assert_eq!(Lamps::ALL, [Lamps::Wick, Lamps::Glass, Lamps::Tallow]);
}

#[test]
fn a_value_of_every_type_is_written_and_read_by_its_name() {
    let mut game = reed_bed::Progress::new();
    game.begin(None).unwrap();
    game.enter(reed_bed::levels::BROOK).unwrap();
    assert_eq!(game.get(reeds::LAMP), None);
    let lantern = Lantern { oil: 3, lamp: Some(Lamps::Glass), lit: true, a_member_with_a_long_name: 0.25 };
    assert_eq!(Lantern::default().oil, 9, "default");
    game.set(reeds::REEDS, 7);
    game.set(reeds::MET_THE_HERON, true);
    game.set(reeds::DEPTH, -2.5);
    game.set(reeds::NAME, "Wen".to_string());
    game.set(reeds::PHOTO, vec![1, 2, 3]);
    game.set(reeds::LAMP, Lamps::Tallow);
    game.set(reeds::HOME, reed_bed::levels::WEIR);
    game.set(reeds::AT, [1.0, -1.5]);
    game.set(reeds::CAMERA, [0.0, 1.0, 2.0]);
    game.set(reeds::TURN, [0.0, 1.0, 0.0, 0.0]);
    game.set(reeds::LANTERN, lantern.clone());
    game.push(reeds::HOOKS, lantern.clone());
    game.push(reeds::SPLITS, Time::from_nanos(5));
    game.insert(reeds::LIT, Lamps::Wick);
    game.put_entry(reeds::WORN, "hat".to_string(), 2);
    game.set(reeds::BLOB, Opaque { version: 3, bytes: [9].into() });
    game.submit(
        reeds::BEST_TIME.at(reed_bed::levels::WEIR, reed_bed::difficulties::WILD),
        Time::from_nanos(42),
    );
    game.submit(reeds::BEST_REEDS, 4);
    game.submit(reeds::BEST_REEDS, 6);
    game.reach(reed_bed::checkpoints::brook::LOG).unwrap();
    // Saved and opened again.
    let game = reed_bed::Progress::restored(game.snapshot());
    assert_eq!(
        (game.get(reeds::REEDS), game.get(reeds::MET_THE_HERON), game.get(reeds::DEPTH)),
        (7, true, -2.5)
    );
    assert_eq!((game.get(reeds::NAME), game.get(reeds::PHOTO)), ("Wen", &[1, 2, 3][..]));
    assert_eq!(
        (game.get(reeds::LAMP).option(), game.get(reeds::HOME)),
        (Some(Lamps::Tallow), reed_bed::levels::WEIR)
    );
    assert_eq!((game.get(reeds::AT), game.get(reeds::CAMERA)), ([1.0, -1.5], [0.0, 1.0, 2.0]));
    assert_eq!((game.get(reeds::TURN), game.get(reeds::LANTERN)), ([0.0, 1.0, 0.0, 0.0], lantern.clone()));
    assert_eq!((game.get(reeds::HOOKS).len(), game.get(reeds::HOOKS).get(0)), (1, Some(lantern.clone())));
    assert_eq!(game.get(reeds::SPLITS).get(0), Some(Time::from_nanos(5)));
    assert_eq!(game.get(reeds::LIT).iter().collect::<Vec<_>>(), [Lamps::Wick]);
    assert_eq!(game.get(reeds::WORN).iter().collect::<Vec<_>>(), [("hat", 2)]);
    for lit in game.get(reeds::LIT) {
        assert_eq!(lit, Lamps::Wick);
    }
    for (worn, count) in game.get(reeds::WORN) {
        assert_eq!((worn, count), ("hat", 2));
    }
    assert_eq!(game.get(reeds::BLOB), (3, &[9][..]));
    assert_eq!(game.table(reeds::BEST_REEDS).collect::<Vec<_>>(), [6, 4]);
    let best = reeds::BEST_TIME.at(reed_bed::levels::WEIR, reed_bed::difficulties::WILD);
    assert_eq!(game.get(best), Some(Time::from_nanos(42)));
    // The same with looked-up handles.
    let looked_up: Field<Shape> = reed_bed::schema().field("lantern").unwrap();
    assert_eq!(game.get(looked_up).get("oil"), Some(&Value::Int(3)));
}

#[test]
fn what_is_asked_and_told_is_in_the_names_of_the_game() {
    let mut game = fen_post::Progress::new();
    game.begin(Some(difficulties::NEAP)).unwrap();
    let refused = game.enter(levels::HERON_HOLM).unwrap_err().to_string();
    assert!(refused.starts_with("heron_holm is locked"), "{refused}");
    game.enter(levels::REEDGATE).unwrap();
    assert_eq!((game.level(), game.furthest()), (Some(levels::REEDGATE), Some(levels::REEDGATE)));
    assert!(matches!(game.feed(Signal::Reach(checkpoints::reedgate::OSIER), true), Ok(Fed::Reached(_))));
    let place = Place { level: Some(levels::REEDGATE), checkpoint: Some(checkpoints::reedgate::OSIER) };
    let Ok(Fed::Died(Some(Death::LifeLost { left, place: back }))) = game.feed(Signal::Death, true) else {
        panic!("no life was lost")
    };
    assert_eq!((left, back, game.place()), (Some(3), place, place));
    game.respawn().unwrap();
    game.tick(Duration::from_secs(90));
    let finished = game.finish_with_stars(2).unwrap().unwrap();
    assert_eq!((finished.level, finished.difficulty), (Some(levels::REEDGATE), Some(difficulties::NEAP)));
    assert_eq!(finished.next.unwrap().level, levels::LONG_MERE);
    assert!(finished.opened.contains(&levels::LONG_MERE) && game.is_open(levels::LONG_MERE, None));
    let locked = game.why_locked(levels::OTTER_WEIR, Some(difficulties::NEAP));
    assert_eq!(locked[0].text(fen_post::schema()), "long_mere is not finished on neap");
    let told: Vec<&str> = game
        .drain_notices()
        .filter_map(|notice| match notice {
            fen_post::Notice::Entered { level: Some(levels::REEDGATE), .. } => Some("entered"),
            fen_post::Notice::CheckpointReached(checkpoints::reedgate::OSIER) => Some("osier"),
            fen_post::Notice::Opened { level: levels::LONG_MERE, difficulty: Some(difficulties::NEAP) } => {
                Some("open")
            }
            fen_post::Notice::Finished { level: Some(levels::LONG_MERE), .. } => Some("another"),
            _ => None,
        })
        .collect();
    assert_eq!(told, ["entered", "osier", "open"]);
    let cards = game.level_cards(None);
    assert_eq!(
        cards.iter().filter(|card| card.open).map(|card| card.level).collect::<Vec<_>>(),
        [levels::REEDGATE, levels::LONG_MERE]
    );
    assert_eq!(game.facts(levels::REEDGATE, None).stars, 2);
    let erased = game.erase(&Erase::field(fields::BEST_CROSSING), true).unwrap();
    assert_eq!(erased[0].name, "best_crossing at reedgate, neap");
    game.set(fields::COPPERS, 5);
    game.erase(&Erase::value(fields::COPPERS), true).unwrap();
    assert_eq!(game.get(fields::COPPERS), 120);
    let outcome = game.apply(&fen_post::Event::Enter(levels::LONG_MERE)).unwrap();
    assert!(matches!(outcome, Outcome::Entered(entered) if entered.level == Some(levels::LONG_MERE)));
    game.apply(&fen_post::Event::Add(fields::LETTERS.as_value(), Value::Int(4))).unwrap();
    assert_eq!(game.get(fields::LETTERS), 4);
}

#[test]
fn a_keeper_of_the_game_saves_what_its_names_stand_for() {
    let files = Memory::default();
    let slot = SaveDir::on(std::sync::Arc::new(files), "saves").slot("otter").unwrap();
    let mut game = fen_post::Keeper::open(&slot).unwrap();
    game.set(fields::COPPERS, 77);
    game.tick(Duration::from_millis(16));
    game.save_now().unwrap();
    assert_eq!(fen_post::Keeper::view(&slot).unwrap().get(fields::COPPERS), 77);
    game.close().unwrap();
    let opened = Keeper::open(&slot, fen_post::schema()).unwrap();
    assert_eq!(fen_post::Keeper::of_keeper(opened).get(fields::COPPERS), 77);
}

#[test]
fn a_keeper_is_installed_once_and_used_by_one_at_a_time() {
    use keblin::game::InstallError;
    assert_eq!(fen_post::with(|_| ()), Err(InstallError::Missing));
    let keeper = || fen_post::Keeper::from_bytes(None).unwrap();
    fen_post::install(keeper()).unwrap();
    let twice = fen_post::install(keeper()).unwrap_err();
    assert_eq!((twice.error, twice.keeper.phase()), (InstallError::Twice, Phase::Title));
    assert_eq!(fen_post::with(|_| fen_post::with(|_| ())), Ok(Err(InstallError::Nested)));
    // A panic while it is used gives it up.
    assert!(std::panic::catch_unwind(|| fen_post::with(|_| panic!("a mistake of the game"))).is_err());
    std::thread::scope(|scope| {
        for _ in 0..4 {
            scope.spawn(|| (0..100).for_each(|_| drop(fen_post::with(|game| game.add(fields::COPPERS, 1)))));
        }
    });
    let game = fen_post::uninstall().unwrap();
    assert_eq!(game.get(fields::COPPERS), 520);
    assert_eq!(fen_post::uninstall().unwrap_err(), InstallError::Missing);
    let told =
        [InstallError::Twice, InstallError::Nested, InstallError::Missing].map(|error| error.to_string());
    assert!(told.iter().all(|told| told.contains("with") || told.contains("install")), "{told:?}");
}

#[test]
fn progress_and_keepers_go_from_thread_to_thread() {
    fn goes<T: Send + Sync>() {}
    goes::<Progress>();
    goes::<Keeper>();
    goes::<fen_post::Progress>();
    goes::<fen_post::Keeper>();
    goes::<fen_post::Event>();
    goes::<fen_post::Notice>();
}

/// Everything that a game draws except its clocks, which it reads in every frame.
fn drawn(game: &Progress) -> (Phase, BTreeMap<usize, Value>, String, bool) {
    let values = game.values().enumerate().filter(|(cell, _)| !game.schema().clock_cells.contains(cell));
    let values = values.map(|(cell, held)| (cell, held.value.clone())).collect();
    let rest = format!(
        "{:?} {:?} {:?} {:?}",
        game.level_cards(None),
        game.place(),
        game.resume_point(),
        game.furthest()
    );
    (game.phase(), values, rest, game.is_paused())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn nothing_changes_without_a_new_revision(events in events()) {
        let mut game = Progress::new(std::sync::Arc::clone(fen_post::schema()));
        let mut seen = (game.revision(), drawn(&game));
        for event in events {
            let was_restored = event.0 % 16 == 15 && event.1 % 3 == 0;
            play_on(&mut game, &[event]);
            let now = (game.revision(), drawn(&game));
            prop_assert!(was_restored || now.0 > seen.0 || now.1 == seen.1, "{event:?}: {:?} then {:?}", seen.1, now.1);
            prop_assert!(was_restored || now.0 >= seen.0);
            seen = now;
        }
        // An event without a change does not change the revision.
        let revision = game.revision();
        drop((game.level_cards(None), game.snapshot(), game.drain_notices().count()));
        prop_assert_eq!(game.revision(), revision);
    }
}

#[test]
fn names_are_walked_and_found_by_their_ids_at_run_time() {
    let ids: Vec<&str> = levels::ALL.iter().map(|level| level.id()).collect();
    let declared: Vec<&str> = fen_post::schema().levels.iter().map(|level| level.name.as_str()).collect();
    assert_eq!(ids, declared);
    for level in levels::ALL {
        assert_eq!(level.id().parse(), Ok(*level));
        assert_eq!(Level::from_id(&level.to_string()), Some(*level));
    }
    assert_eq!(levels::REEDGATE.title(), "Reedgate");
    assert_eq!(fen_post::unlocks::ALL.first().map(|unlock| unlock.to_string()).as_deref(), Some("fog_lamp"));
    assert_eq!(checkpoints::black_sluice::BIRCH.to_string(), "black_sluice.birch");
    assert_eq!("black_sluice.birch".parse(), Ok(checkpoints::black_sluice::BIRCH));
    assert!(checkpoints::black_sluice::ALL.contains(&checkpoints::black_sluice::BIRCH));
    assert_eq!(keblin::Checkpoint::<fen_post::Game>::from_id("birch"), None);
    let error = "reedgat".parse::<Level<fen_post::Game>>().unwrap_err().to_string();
    assert_eq!(error, "`reedgat` is not a declared level; did you mean `reedgate`?");
    assert_eq!(format!("{:>10}", difficulties::NEAP), "      neap");
    // Fields have types of their own, so their ids are walked.
    assert_eq!(fields::ALL.len(), fen_post::schema().fields.len());
    for field in fields::ALL {
        assert_eq!(field.id().parse(), Ok(*field));
        assert_eq!(field.declared().unwrap().name.as_str(), field.to_string());
    }
    assert!("oill".parse::<keblin::FieldId<fen_post::Game>>().unwrap_err().to_string().contains("`oil`"));
    // Items of closed lists are enums.
    assert_eq!((Lamps::Glass.id(), Lamps::from_id("glass")), ("glass", Some(Lamps::Glass)));
    for lamp in Lamps::ALL {
        assert_eq!(lamp.to_string().parse(), Ok(*lamp));
    }
    assert!("glas".parse::<Lamps>().unwrap_err().to_string().contains("did you mean `glass`?"));
}

#[test]
fn shapes_and_names_are_read_and_written_by_serde_as_the_declaration_writes_them() {
    let lantern = Lantern { oil: 3, lamp: Some(Lamps::Glass), lit: true, a_member_with_a_long_name: 0.25 };
    let text = serde_json::to_string(&lantern).unwrap();
    assert_eq!(text, r#"{"oil":3,"lamp":"glass","lit":true,"a_member_with_a_long_name":0.25}"#);
    assert_eq!(serde_json::from_str::<Lantern>(&text).unwrap(), lantern);
    type Names = (
        Level<fen_post::Game>,
        keblin::Checkpoint<fen_post::Game>,
        keblin::Difficulty<fen_post::Game>,
        keblin::Unlock<fen_post::Game>,
        Time,
    );
    let names: Names = (
        levels::OTTER_WEIR,
        checkpoints::black_sluice::BIRCH,
        difficulties::SPRING,
        fen_post::unlocks::FOG_LAMP,
        Time::from_millis(92_400),
    );
    let text = serde_json::to_string(&names).unwrap();
    assert_eq!(text, r#"["otter_weir","black_sluice.birch","spring","fog_lamp","1m32.4s"]"#);
    assert_eq!(serde_json::from_str::<Names>(&text).unwrap(), names);
    for (text, said) in [
        (r#""otter_wier""#, "`otter_wier` is not a declared level; did you mean `otter_weir`?"),
        ("3", "invalid type: integer `3`, expected the id of a level"),
    ] {
        let error = serde_json::from_str::<Level<fen_post::Game>>(text).unwrap_err().to_string();
        assert!(error.contains(said), "{error}");
    }
    let error =
        serde_json::from_str::<keblin::Checkpoint<fen_post::Game>>(r#""birch""#).unwrap_err().to_string();
    assert!(error.contains("`birch` is not a checkpoint, as `LEVEL.CHECKPOINT`"), "{error}");
    assert!(serde_json::from_str::<Lamps>(r#""wicked""#).is_err());
    assert!(serde_json::from_str::<Time>(r#""soon""#).is_err());
}

#[test]
fn an_installed_keeper_is_saved_when_its_guard_goes_also_by_a_panic() {
    static PLACE: keblin::game::Installed<fen_post::Keeper> = keblin::game::Installed::none();
    let folder = tempfile::tempdir().unwrap();
    let slot = keblin::SaveDir::at(folder.path()).slot("otter").unwrap();
    for (coppers, panics) in [(7, false), (8, true)] {
        let ended = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
            let _guard = PLACE.install_guarded(fen_post::Keeper::open(&slot).unwrap()).unwrap();
            PLACE.with(|game| game.set(fen_post::fields::COPPERS, coppers)).unwrap();
            assert!(!panics, "the game falls over");
        }));
        assert_eq!(ended.is_err(), panics);
        // Nobody closed it, but the slot is free.
        let kept = fen_post::Keeper::open(&slot).unwrap();
        assert_eq!(kept.get(fen_post::fields::COPPERS), coppers);
    }
}

#[test]
#[should_panic(expected = "another schema")]
fn an_event_with_a_field_that_was_looked_up_elsewhere_is_a_mistake_in_the_program() {
    let field: Field<i64> = crate::tables::fen_post().field("oil").unwrap();
    drop(reed_bed::Event::set(field, 1));
}

#[test]
#[should_panic(expected = "another schema")]
fn a_name_of_a_game_used_as_one_that_was_looked_up_is_checked() {
    let other = crate::tables::schema(
        "game = 'other'\nversion = 1\n[fields]\nx = { type = 'int', scope = 'profile' }\n",
    );
    let _ = keblin::Progress::new(other).get(fen_post::fields::OIL.looked_up());
}

#[test]
fn a_record_is_of_its_field_and_its_loop_may_write() {
    let mut game = fen_post::Progress::new();
    game.begin(None).unwrap();
    for (seconds, before) in [(95_i64, None), (88, Some(95))] {
        game.enter(levels::REEDGATE).unwrap();
        game.drain_notices();
        game.tick(Duration::from_secs(seconds.unsigned_abs()));
        game.finish_with_stars(1).unwrap();
        let mut coins = 0;
        for notice in game.drain_notices() {
            let fen_post::Notice::NewRecord(record) = notice else { continue };
            // The list is owned, so this write needs no second list.
            game.add(fields::COPPERS, 5);
            coins += 5;
            let of_any = record.of(fields::BEST_CROSSING).unwrap();
            let here = fields::BEST_CROSSING.at(levels::REEDGATE, difficulties::NEAP);
            assert_eq!(record.of(here), Some(of_any));
            assert_eq!(of_any.now, Time::from_millis(seconds * 1000));
            assert_eq!(
                of_any.before,
                before.map(|seconds: i64| Time::from_millis(seconds * 1000)),
                "unset is the first result at all"
            );
            let there = fields::BEST_CROSSING.at(levels::REEDGATE, difficulties::SPRING);
            assert!(record.of(there).is_none() && record.of(fields::BEST_LETTERS).is_none());
        }
        assert_eq!(coins, 5);
    }
    assert_eq!(game.get(fields::COPPERS), 130);
}

#[test]
fn the_debug_text_of_a_name_is_its_id() {
    let _ = fen_post::schema();
    for (shown, text) in [
        (format!("{:?}", levels::REEDGATE), "Level(reedgate)"),
        (format!("{:?}", Some(difficulties::SPRING)), "Some(Difficulty(spring))"),
        (format!("{:?}", checkpoints::reedgate::OSIER), "Checkpoint(reedgate.osier)"),
        (format!("{:?}", fields::OIL), "Field(oil)"),
        (format!("{:?}", fields::BEST_CROSSING), "PerField(best_crossing)"),
        (
            format!("{:?}", fen_post::Notice::Unlocked(fen_post::unlocks::FOG_LAMP)),
            "Unlocked(Unlock(fog_lamp))",
        ),
        // Which game a looked-up name is of, `Debug` cannot know.
        (format!("{:?}", levels::REEDGATE.of_any()), "Level(0)"),
    ] {
        assert_eq!(shown, text);
    }
}
