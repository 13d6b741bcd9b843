//! Objects of a save from before an update: kinds, fields and areas with other names, and values of another type.

use std::fs;
use std::sync::Arc;

use keblin::save::json::{export, import, json_schema};
use keblin::save::write;
use keblin::verify::verify;
use keblin::{Files, ObjectId, Schema, TextFile, WorldObject};

use crate::round_trip::stamp;
use crate::tables::project;

keblin::schema!(old, "tests/promises/marsh/frozen/v1.toml");
keblin::schema!(marsh, "tests/promises/marsh/progress.toml");

/// The declarations of version 1 and of this version.
pub(crate) fn schemas() -> [&'static Arc<Schema>; 2] {
    [old::schema(), marsh::schema()]
}

#[derive(WorldObject)]
#[world(old::kinds::sluice)]
struct Sluice {
    #[world(id)]
    id: ObjectId,
    open: i64,
    speed: f64,
    name: String,
}

#[derive(WorldObject)]
#[world(old::kinds::ghost)]
struct Ghost {
    #[world(id)]
    id: ObjectId,
    seen: bool,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(marsh::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    name: String,
    lit: bool,
}

fn sluice(number: u32, open: i64) -> Sluice {
    Sluice { id: number.into(), open, speed: 5.0, name: format!("sluice {number}") }
}

/// A save of version 1: sluice 2 was open when the level was entered; since then 1 is gone, 3 is open wide, and one was
/// built. The moor has a sluice too.
pub(crate) fn save_of_version_1() -> (Vec<u8>, ObjectId) {
    let mut game = old::Progress::new();
    game.begin(None).unwrap();
    let mut sluices = vec![sluice(1, 0), sluice(2, 0), sluice(3, 0)];
    let mut ghosts = vec![Ghost { id: 1.into(), seen: true }];
    for area in [old::areas::WEST, old::areas::MOOR] {
        game.recall(area, |area| {
            area.objects(&mut sluices);
            area.objects(&mut ghosts);
        })
        .unwrap();
    }
    let record = |game: &mut old::Progress, area, sluices: &[Sluice]| {
        game.record_area(area, |area| {
            area.objects(sluices);
            area.objects(&ghosts);
        })
        .unwrap();
    };
    sluices[1].open = 70;
    record(&mut game, old::areas::WEST, &sluices);
    game.enter(old::levels::MARSH).unwrap();
    sluices.remove(0);
    sluices[1].open = 170;
    let built = game.new_object();
    sluices.push(Sluice { id: built, ..sluice(4, 30) });
    record(&mut game, old::areas::WEST, &sluices);
    record(&mut game, old::areas::MOOR, &[sluice(9, 1)]);
    (write(&game.snapshot(), &stamp(1)), built)
}

#[test]
fn objects_of_an_earlier_version_are_renamed_converted_and_dropped_as_the_step_says() {
    let (bytes, built) = save_of_version_1();
    let save = verify(&bytes, marsh::schema()).unwrap();
    let account = save.account().unwrap().to_string();
    for line in [
        "kinds.gate: carried, was sluice",
        "kinds.gate.opened: carried, was open",
        "kinds.sluice.speed: dropped \"its value in every object\"",
        "kinds.ghost: dropped \"every object of the kind\"",
        "area.fen: carried, was west",
        "area.moor: dropped",
    ] {
        assert!(account.contains(line), "{line} is not in\n{account}");
    }
    let mut game = marsh::Progress::restored(save.into_progress().snapshot());
    let gate = |number: u32| Gate { id: number.into(), opened: 0.0, name: "new".to_string(), lit: false };
    let mut gates = vec![gate(1), gate(2), gate(3)];
    game.recall(marsh::areas::FEN, |area| area.objects(&mut gates)).unwrap();
    let now: Vec<_> = gates.iter().map(|gate| (gate.id, gate.opened, gate.name.as_str(), gate.lit)).collect();
    let expected = [
        (ObjectId::from(2), 70.0, "sluice 2", true),
        // Beyond the new bound: the nearest value, as the step says.
        (ObjectId::from(3), 100.0, "sluice 3", true),
        (built, 30.0, "sluice 4", true),
    ];
    assert_eq!(now, expected);
    assert!(game.new_object() > built);
    // A death leads to the objects as they were on entering the level: that copy is converted too.
    game.put_by(marsh::areas::FEN, |area| area.objects(&gates)).unwrap();
    game.resume().unwrap();
    game.die().unwrap();
    let mut gates = vec![gate(1), gate(2), gate(3)];
    game.recall(marsh::areas::FEN, |area| area.objects(&mut gates)).unwrap();
    let now: Vec<_> = gates.iter().map(|gate| (gate.id, gate.opened)).collect();
    assert_eq!(now, [(1.into(), 0.0), (2.into(), 70.0), (3.into(), 0.0)]);
}

#[test]
fn bytes_of_the_game_under_the_id_of_a_declared_area_are_accounted_for() {
    let (bytes, _) = save_of_version_1();
    let before = verify(&bytes, old::schema()).unwrap().into_progress();
    let mut before = old::Progress::restored(before.snapshot());
    for id in ["fen", "sky"] {
        before.put_area(id, Some([1, 2, 3].as_slice().into())).unwrap();
    }
    let save = verify(&write(&before.snapshot(), &stamp(2)), marsh::schema()).unwrap();
    let account = save.account().unwrap().to_string();
    assert!(account.contains("area.fen: dropped \"3 bytes of the game\""), "{account}");
    let now = save.into_progress().snapshot();
    let held: Vec<(&str, bool)> = now.areas().map(|(id, bytes)| (id, bytes.len() == 3)).collect();
    assert_eq!(held, [("fen", false), ("sky", true)]);
}

#[test]
fn two_saves_that_differ_only_in_copies_say_so() {
    let (bytes, _) = save_of_version_1();
    let exported = |snapshot: &keblin::Snapshot| export(snapshot, &stamp(1));
    let snapshot = verify(&bytes, old::schema()).unwrap().into_progress().snapshot();
    let mut json = exported(&snapshot);
    json["areas"].as_object_mut().unwrap().remove("entry.west");
    let (other, _) = import(&json, old::schema()).unwrap();
    let told: Vec<String> = snapshot.differences(&other).iter().map(ToString::to_string).collect();
    assert!(told.iter().any(|told| told.starts_with("area west, on arrival in the level")), "{told:?}");
}

#[test]
fn an_export_has_the_areas_and_their_copies_and_comes_back() {
    let (bytes, _) = save_of_version_1();
    let save = verify(&bytes, old::schema()).unwrap();
    let stamp = save.stamp().clone();
    let snapshot = save.into_progress().snapshot();
    let exported = export(&snapshot, &stamp);
    let areas: Vec<&String> = exported["areas"].as_object().unwrap().keys().collect();
    assert_eq!(areas, ["entry.moor", "entry.west", "moor", "west"]);
    assert_eq!(exported["world"]["made"], 1);
    let (again, _) = import(&exported, old::schema()).unwrap();
    assert!(again == snapshot);
    assert!(json_schema(old::schema())["properties"]["areas"]["propertyNames"]["pattern"].is_string());
}

#[test]
fn a_step_must_say_what_becomes_of_kinds_fields_and_areas() {
    let text = |path: &str| {
        let path = project(&format!("crates/keblin-tests/tests/promises/marsh/{path}"));
        TextFile { name: path.display().to_string(), text: fs::read_to_string(path).unwrap() }
    };
    let findings = |step: &str| -> String {
        let steps = [(2, TextFile { name: "migrations/v2.toml".to_string(), text: step.to_string() })];
        let frozen = [(1, text("frozen/v1.toml"))];
        let files = Files { declaration: text("progress.toml"), frozen: frozen.into(), steps: steps.into() };
        let parsed = Schema::parse_with_past(&files).unwrap();
        parsed.of_past.iter().map(ToString::to_string).collect()
    };
    let step = text("migrations/v2.toml").text;
    assert_eq!(findings(&step), "");
    for (without, expected) in [
        (
            "\"kinds.ghost\", ",
            "kind ghost of version 1 was removed, but the step neither renames nor drops it",
        ),
        ("\"kinds.sluice.fields.speed\", ", "field speed of sluice of version 1 was removed"),
        (", \"areas.moor\"", "area moor of version 1 was removed"),
        ("from = \"west\"", "area west of version 1 was removed"),
        ("type = \"float\"\n", "field opened of gate changed: type is now \"float\""),
        ("misfit = \"nearest\"\n", "field opened of gate changed: some values do not fit"),
    ] {
        assert!(step.contains(without), "{without}");
        let found = findings(&step.replace(without, ""));
        assert!(found.contains(expected), "{without}:\n{found}");
    }
    let misspelt = findings(&step.replace("[kinds.gate.fields.opened]", "[kinds.gate.fields.opend]"));
    assert!(misspelt.contains("did you mean `opened`?"), "{misspelt}");
    let _: &Arc<Schema> = marsh::schema();
}
