//! Fields of objects that name other objects: a lever and its gate.

use std::fs;

use keblin::rehearse::Rehearsal;
use keblin::save::write;
use keblin::verify::verify;
use keblin::{ObjectId, Schema, WorldObject};

use crate::round_trip::stamp;
use crate::tables::project;

keblin::schema!(old, "tests/promises/levers/frozen/v1.toml");
keblin::schema!(levers, "tests/promises/levers/progress.toml");

#[derive(Clone, WorldObject)]
#[world(old::kinds::lever)]
struct OldLever {
    #[world(id)]
    id: ObjectId,
    gate: Option<ObjectId>,
    next: Option<ObjectId>,
    bell: Option<ObjectId>,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(levers::kinds::lever)]
struct Lever {
    #[world(id)]
    id: ObjectId,
    sluice: Option<ObjectId>,
    next: Option<ObjectId>,
}

#[derive(Clone, WorldObject)]
#[world(old::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: bool,
}

#[derive(Clone, WorldObject)]
#[world(old::kinds::bell)]
struct Bell {
    #[world(id)]
    id: ObjectId,
}

/// The levers, gates and bells of an area.
#[derive(Clone, Default)]
struct Room {
    levers: Vec<OldLever>,
    gates: Vec<Gate>,
    bells: Vec<Bell>,
}

impl Room {
    /// As its level makes it.
    fn new(levers: &[u32], gates: &[u32], bells: &[u32]) -> Room {
        let lever = |id: &u32| OldLever { id: (*id).into(), gate: None, next: None, bell: None };
        Room {
            levers: levers.iter().map(lever).collect(),
            gates: gates.iter().map(|id| Gate { id: (*id).into(), opened: false }).collect(),
            bells: bells.iter().map(|id| Bell { id: (*id).into() }).collect(),
        }
    }

    fn recalled(mut self, game: &mut old::Progress, area: keblin::Area<old::Game>) -> Room {
        game.recall(area, |area| {
            area.objects(&mut self.levers);
            area.objects(&mut self.gates);
            area.objects(&mut self.bells);
        })
        .unwrap();
        self
    }

    fn put_by(&self, game: &mut old::Progress, area: keblin::Area<old::Game>) {
        game.put_by(area, |area| {
            area.objects(&self.levers);
            area.objects(&self.gates);
            area.objects(&self.bells);
        })
        .unwrap();
    }
}

/// Lever 1 in the hall opens gate 7 in the yard, lever 2 one that was built there, and lever 3 names nothing.
fn played() -> (old::Progress, ObjectId) {
    let mut game = old::Progress::new();
    let mut yard = Room::new(&[], &[7, 8], &[5]).recalled(&mut game, old::areas::YARD);
    let mut hall = Room::new(&[1, 2, 3], &[], &[]).recalled(&mut game, old::areas::HALL);
    let built = game.new_object();
    yard.gates.push(Gate { id: built, opened: true });
    hall.levers[0].gate = Some(7.into());
    hall.levers[0].next = Some(2.into());
    hall.levers[1].gate = Some(built);
    hall.levers[1].bell = Some(5.into());
    yard.put_by(&mut game, old::areas::YARD);
    hall.put_by(&mut game, old::areas::HALL);
    (game, built)
}

fn findings(game: &old::Progress) -> Vec<String> {
    let save = verify(&write(&game.snapshot(), &stamp(1)), old::schema()).unwrap();
    save.findings().iter().map(ToString::to_string).collect()
}

#[test]
fn an_object_names_another_one_and_still_does_after_reopening() {
    let (game, built) = played();
    assert_eq!(findings(&game), [""; 0]);
    let save = verify(&write(&game.snapshot(), &stamp(1)), old::schema()).unwrap();
    let mut game = old::Progress::restored(save.into_progress().snapshot());
    let hall = Room::new(&[1, 2, 3], &[], &[]).recalled(&mut game, old::areas::HALL);
    let named: Vec<_> = hall.levers.iter().map(|lever| (lever.gate, lever.next, lever.bell)).collect();
    let expected =
        [(Some(7.into()), Some(2.into()), None), (Some(built), None, Some(5.into())), (None, None, None)];
    assert_eq!(named, expected);
}

#[test]
fn verify_names_each_field_whose_object_is_gone() {
    let (mut game, _) = played();
    let mut yard = Room::new(&[], &[7, 8], &[5]).recalled(&mut game, old::areas::YARD);
    // All gates go: of the level's only those are known to be gone that an area has had.
    yard.gates.clear();
    yard.put_by(&mut game, old::areas::YARD);
    let gone = |lever: u32, gate: &str| {
        format!(
            "area.hall.lever.{lever}.gate: warning: it names gate {gate}, but that object is gone; the game gets its id unchanged [object_gone]"
        )
    };
    assert_eq!(findings(&game), [gone(1, "7"), gone(2, "made 1")]);
    // Bell 5 has moved to the hall: it is there.
    let mut yard = Room::new(&[], &[7, 8], &[5]).recalled(&mut game, old::areas::YARD);
    let mut hall = Room::new(&[1, 2, 3], &[], &[]).recalled(&mut game, old::areas::HALL);
    hall.bells.append(&mut yard.bells);
    yard.put_by(&mut game, old::areas::YARD);
    hall.put_by(&mut game, old::areas::HALL);
    assert_eq!(findings(&game), [gone(1, "7"), gone(2, "made 1")]);
    // If the yard cannot be read, nobody knows what is in it.
    game.put_area("yard", Some(vec![0xFF])).unwrap();
    let found = findings(&game);
    assert!(found.len() == 1 && found[0].starts_with("area.yard: warning"), "{found:?}");
}

#[test]
fn the_names_survive_a_step_that_renames_their_kind() {
    let (game, built) = played();
    let save = verify(&write(&game.snapshot(), &stamp(1)), levers::schema()).unwrap();
    let account = save.account().unwrap().to_string();
    assert!(account.contains("kinds.lever.sluice: carried, was gate"), "{account}");
    let mut game = levers::Progress::restored(save.into_progress().snapshot());
    let lever = |id: u32| Lever { id: id.into(), sluice: None, next: None };
    let mut levers = vec![lever(1), lever(2), lever(3)];
    let mut sluices: Vec<Sluice> = Vec::new();
    game.recall(levers::areas::HALL, |area| {
        area.objects(&mut levers);
        area.objects(&mut sluices);
    })
    .unwrap();
    let now: Vec<_> = levers.iter().map(|lever| (lever.sluice, lever.next)).collect();
    assert_eq!(now, [(Some(7.into()), Some(2.into())), (Some(built), None), (None, None)]);
}

#[derive(Clone, WorldObject)]
#[world(levers::kinds::sluice)]
struct Sluice {
    #[world(id)]
    id: ObjectId,
    opened: bool,
    lever: Option<ObjectId>,
}

#[test]
fn a_rehearsal_names_objects_as_people_do() {
    let text = "request yard\nrecall yard sluice 7 lever 1\nmake yard sluice\n\
                change yard lever 1 sluice = made 1\nchange yard sluice 7 lever = 1\n\
                expect object yard lever 1 sluice == made 1\nchange yard lever 1 sluice = 7\n\
                put_by yard\nrecall yard sluice 7 lever 1\n\
                expect object yard lever 1 sluice == 7\nexpect object yard sluice made 1 lever == null\n\
                expect object yard lever 1 next == null\nexpect object yard sluice 7 lever == 1\n";
    let report = Rehearsal::parse("levers", text, levers::schema()).unwrap().run();
    assert!(report.failure.is_none(), "{:?}", report.failure);
}

#[test]
fn what_a_field_cannot_name_is_said_with_its_place() {
    let path = project("crates/keblin-tests/tests/promises/levers/progress.toml");
    let text = fs::read_to_string(path).unwrap();
    for (from, to, expected) in [
        ("type = \"object\", of = \"lever\"", "type = \"object\"", "an object needs `of`"),
        ("of = \"sluice\"", "of = \"gate\"", "unknown value `gate` for `of`"),
        ("of = \"sluice\" }", "of = \"sluice\", default = 7 }", "because it names no object at first"),
        ("of = \"sluice\" }", "of = \"sluice\", max = 7 }", "an object does not take `max`"),
        (
            "type = \"object\", of = \"sluice\"",
            "type = \"list\", of = \"object\", max_items = 3",
            "unknown value `object`",
        ),
        (
            "type = \"int\"",
            "type = \"object\"\nof = \"lever\"",
            "only a field of a kind of objects can name another",
        ),
    ] {
        let changed = text.replacen(from, to, 1);
        assert_ne!(changed, text, "{from}");
        let findings = Schema::parse("levers.toml", &changed).unwrap_err().to_string();
        assert!(findings.contains(expected), "{expected} is not in\n{findings}");
    }
}
