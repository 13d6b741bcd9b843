//! What a step computes from the old fields of objects: scaled and filled values, and kinds that are split.

use std::fs;

use keblin::save::write;
use keblin::verify::verify;
use keblin::{Files, ObjectId, Schema, TextFile, Time, WorldObject};

use crate::round_trip::stamp;
use crate::tables::project;

keblin::schema!(old, "tests/promises/mere/frozen/v1.toml");
keblin::schema!(mere, "tests/promises/mere/progress.toml");

#[derive(WorldObject)]
#[world(old::kinds::gate)]
struct OldGate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    swing: i64,
    width: i64,
    name: String,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(mere::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    swing: Time,
    width: i64,
    name: String,
    jammed: bool,
    wood: mere::lists::Wood,
    area: i64,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(mere::kinds::weir)]
struct Weir {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    broad: bool,
    title: String,
}

fn old_gate(number: u32, opened: f64, swing: i64, width: i64) -> OldGate {
    OldGate { id: number.into(), opened, swing, width, name: format!("gate {number}") }
}

/// A save of version 1: gate 5 is gone.
fn save_of_version_1() -> Vec<u8> {
    let mut game = old::Progress::new();
    let level = || (1..=6).map(|number| old_gate(number, 0.0, 0, 1)).collect::<Vec<_>>();
    game.recall(old::areas::WEST, |area| area.objects(&mut level())).unwrap();
    let gates = [
        old_gate(1, 100.0, 0, 2),
        old_gate(2, 50.0, 7, 6),
        old_gate(3, 25.0, -3, 5),
        old_gate(4, 100.0, 1, 9),
        old_gate(6, 0.0, 0, 0),
    ];
    game.put_by(old::areas::WEST, |area| area.objects(&gates)).unwrap();
    write(&game.snapshot(), &stamp(1))
}

#[test]
fn fields_of_objects_are_scaled_and_filled_and_a_kind_is_split_by_a_condition() {
    let save = verify(&save_of_version_1(), mere::schema()).unwrap();
    let account = save.account().unwrap().to_string();
    for line in [
        "kinds.gate.opened: carried",
        "kinds.gate.jammed: filled \"opened > 90.0 && swing == 0\"",
        "kinds.weir: carried, was gate",
        "kinds.weir.title: filled \"name\"",
    ] {
        assert!(account.contains(line), "{line} is not in\n{account}");
    }
    let mut game = mere::Progress::restored(save.into_progress().snapshot());
    // The new level has gates 2, 4 and 5 as weirs.
    let gate = |number: u32| Gate {
        id: number.into(),
        opened: 0.0,
        swing: Time::ZERO,
        width: 1,
        name: String::new(),
        jammed: false,
        wood: mere::lists::Wood::Alder,
        area: 0,
    };
    let weir = |number: u32| Weir { id: number.into(), opened: 0.0, broad: false, title: String::new() };
    let mut gates = vec![gate(1), gate(3), gate(6)];
    let mut weirs = vec![weir(2), weir(4), weir(5)];
    game.recall(mere::areas::WEST, |area| {
        area.objects(&mut gates);
        area.objects(&mut weirs);
    })
    .unwrap();
    let now: Vec<_> = gates
        .iter()
        .map(|gate| (gate.id, gate.opened, gate.swing.as_nanos(), gate.jammed, gate.area))
        .collect();
    let expected = [
        (1.into(), 1.0, 0, true, 4),
        // Beyond its bound, a computed number is the bound.
        (3.into(), 0.25, -3_000_000_000, false, 20),
        (6.into(), 0.0, 0, false, 0),
    ];
    assert_eq!(now, expected);
    let woods: Vec<mere::lists::Wood> = gates.iter().map(|gate| gate.wood).collect();
    assert_eq!(woods, [mere::lists::Wood::Birch, mere::lists::Wood::Alder, mere::lists::Wood::Birch]);
    // What was gone is gone, whatever it is now.
    let now: Vec<_> =
        weirs.iter().map(|weir| (weir.id, weir.opened, weir.broad, weir.title.as_str())).collect();
    assert_eq!(now, [(2.into(), 50.0, false, "gate 2"), (4.into(), 100.0, true, "gate 4")]);
}

#[test]
fn what_a_step_cannot_compute_is_said_with_its_place() {
    let read = |name: &str| {
        fs::read_to_string(project("crates/keblin-tests/tests/promises/mere").join(name)).unwrap()
    };
    let file = |name: &str, text: String| TextFile { name: name.to_string(), text };
    let step = read("migrations/v2.toml");
    for (from, to, expected) in [
        ("when = \"width > 5\"\n", "", "does not say which objects of `gate` become `weir`"),
        ("out_of = \"gate\"\n", "", "`when` chooses among the objects of an old kind"),
        ("out_of = \"gate\"", "out_of = \"gaet\"", "version 1 does not have a kind `gaet`"),
        ("when = \"width > 5\"", "when = \"width\"", "`when` is true or false, but this is a whole number"),
        ("when = \"width > 5\"", "when = \"widht > 5\"", "widht"),
        ("when = \"width > 5\"", "when = \"letters > 5\"", "letters"),
        ("when = \"width > 5\"", "when = \"played > duration('1h')\"", "reads only its own fields"),
        ("fill = \"width == 9\"", "fill = \"width\"", "broad is bool, but this is a whole number"),
        ("scale = \"1s\"", "scale = 2", "this scale cannot convert an int to a time"),
        ("fill = \"name\"", "scale = 2", "title does not come from an old field"),
        (
            "[kinds.weir]\nout_of = \"gate\"\nwhen = \"width > 5\"\n",
            "",
            "`weir` is a new kind: it does not come from objects of version 1",
        ),
        ("out_of = \"gate\"\nwhen", "of = \"gate\"\nwhen", "of"),
    ] {
        let changed = step.replacen(from, to, 1);
        assert_ne!(changed, step, "{from}");
        let mut files =
            Files { declaration: file("progress.toml", read("progress.toml")), ..Files::default() };
        files.frozen.insert(1, file("frozen/v1.toml", read("frozen/v1.toml")));
        files.steps.insert(2, file("migrations/v2.toml", changed));
        let findings = match Schema::parse_with_past(&files) {
            Ok(parsed) => parsed.of_past.iter().map(ToString::to_string).collect(),
            Err(findings) => findings.to_string(),
        };
        assert!(findings.contains(expected), "{from}: {expected} is not in\n{findings}");
        assert!(findings.contains("migrations/v2.toml:"), "{findings}");
    }
}
