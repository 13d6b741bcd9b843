//! Objects stay as the player left them, whether or not their area is loaded, and in every save.

use keblin::save::write;
use keblin::verify::verify;
use keblin::world::{AreaChange, AreaGuard, AreaIn, AreaOut, WorldWhy};
use keblin::{Area, ObjectId, Time, WorldObject};

use crate::keepers::in_memory;
use crate::round_trip::stamp;

keblin::schema!(fen, "../../examples/open_world.toml");

use fen::{areas, fields};

/// The numbers of the objects that the levels make.
const GATE: u32 = 3;
const BED: u32 = 9;
const LAMP: u32 = 1;

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(fen::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    speed: f32,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(fen::kinds::reed_bed)]
struct Bed {
    #[world(id)]
    id: ObjectId,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(fen::kinds::lamp, rebuild = Lamp::relight)]
struct Lamp {
    #[world(id)]
    id: ObjectId,
    left: Time,
    /// Follows from what is left.
    #[world(transient)]
    glows: bool,
    /// How often it was set up.
    #[world(transient)]
    relit: u32,
}

impl Lamp {
    fn relight(&mut self) {
        self.glows = self.left > Time::ZERO;
        self.relit += 1;
    }
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(fen::kinds::boat)]
struct Boat {
    #[world(id)]
    id: ObjectId,
    place: [f32; 2],
    drift: [f32; 2],
    turn: [f32; 4],
    load: u16,
    name: String,
    found: bool,
}

fn boat(id: ObjectId, load: u16) -> Boat {
    let (place, drift, turn) = ([1.5, -2.0], [0.25, 0.0], [0.0, 0.0, 0.0, 1.0]);
    Boat { id, place, drift, turn, load, name: "heron".to_string(), found: true }
}

/// A fen as its level makes it.
#[derive(Clone, Debug, PartialEq)]
struct Fen {
    gates: Vec<Gate>,
    beds: Vec<Bed>,
    lamps: Vec<Lamp>,
    boats: Vec<Boat>,
}

impl Fen {
    fn west() -> Fen {
        let gate = Gate { id: GATE.into(), opened: 0.0, speed: 0.0 };
        let beds = [8, BED, 10].map(|number| Bed { id: number.into() });
        let lamp = Lamp { id: LAMP.into(), left: Time::from_millis(30_000), glows: true, relit: 0 };
        Fen { gates: vec![gate], beds: beds.to_vec(), lamps: vec![lamp], boats: Vec::new() }
    }

    fn bare() -> Fen {
        Fen { gates: Vec::new(), beds: Vec::new(), lamps: Vec::new(), boats: Vec::new() }
    }

    fn recalled(mut self, game: &mut fen::Play<impl keblin::progress::Holder>, area: Area<fen::Game>) -> Fen {
        game.recall(area, |area| self.take(area)).unwrap();
        self
    }

    fn take(&mut self, area: &mut AreaIn<'_, fen::Game>) {
        area.objects(&mut self.gates);
        area.objects(&mut self.beds);
        area.objects(&mut self.lamps);
        area.objects(&mut self.boats);
    }

    fn out(&self, area: &mut AreaOut<'_, fen::Game>) {
        area.objects(&self.gates);
        area.objects(&self.beds);
        area.objects(&self.lamps);
        area.objects(&self.boats);
    }

    /// Returns the values that are kept.
    fn kept(&self) -> Fen {
        let mut fen = self.clone();
        fen.boats.sort_by_key(|boat| boat.id);
        fen.lamps.iter_mut().for_each(|lamp| (lamp.glows, lamp.relit) = (false, 0));
        fen
    }
}

/// The west as the player leaves it: gate 3 is 70 % open and moves, bed 9 is cut, the lamp burns for 12 s.
fn left_west(game: &mut fen::Play<impl keblin::progress::Holder>) -> Fen {
    let mut west = Fen::west().recalled(game, areas::WEST);
    (west.gates[0].opened, west.gates[0].speed) = (70.0, 5.0);
    west.beds.retain(|bed| bed.id != ObjectId::from(BED));
    west.lamps[0].left = Time::from_millis(12_000);
    west
}

#[test]
fn an_unloaded_area_comes_back_as_it_was_left() {
    let mut game = fen::Progress::new();
    game.begin(None).unwrap();
    let west = left_west(&mut game);
    game.put_by(areas::WEST, |area| west.out(area)).unwrap();
    // Time goes on elsewhere; it stands still here.
    game.tick(std::time::Duration::from_secs(40));
    let again = Fen::west().recalled(&mut game, areas::WEST);
    assert_eq!(again.kept(), west.kept());
    assert_eq!((again.gates[0].opened, again.gates[0].speed), (70.0, 5.0));
    assert_eq!(again.beds.iter().map(|bed| bed.id).collect::<Vec<_>>(), [8.into(), ObjectId::from(10)]);
    // What is not kept follows from what is, set up once.
    assert_eq!((again.lamps[0].glows, again.lamps[0].relit), (true, 1));
}

#[test]
fn an_area_is_unloaded_only_when_nobody_needs_it() {
    let mut game = fen::Progress::new();
    game.begin(None).unwrap();
    let counts = |game: &fen::Progress| (game.needs_of(areas::WEST), game.needs_of(areas::EAST));
    let changes = |game: &fen::Progress| game.area_changes();
    let (west, east) = (areas::WEST, areas::EAST);
    let in_west = game.need(west);
    assert_eq!((counts(&game), changes(&game)), ((1, 0), vec![AreaChange::Load(west)]));
    // An area that cannot be loaded is asked for again.
    assert_eq!(changes(&game), [AreaChange::Load(west)]);
    let of_west = left_west(&mut game);
    let on_causeway: Vec<AreaGuard<_>> = vec![game.need(west), game.need(east)];
    assert_eq!((counts(&game), changes(&game)), ((2, 1), vec![AreaChange::Load(east)]));
    let of_east = Fen::bare().recalled(&mut game, east);
    drop(in_west);
    assert_eq!((counts(&game), changes(&game)), ((1, 1), Vec::new()));
    let in_east = game.need(east);
    assert_eq!((counts(&game), changes(&game)), ((1, 2), Vec::new()));
    drop(on_causeway);
    assert_eq!((counts(&game), changes(&game)), ((0, 1), vec![AreaChange::Unload(west)]));
    // Somebody needs it again before it was unloaded.
    let back = game.need(west);
    assert_eq!(changes(&game), []);
    drop(back);
    game.put_by(west, |area| of_west.out(area)).unwrap();
    assert_eq!((changes(&game), game.is_loaded(west), game.is_loaded(east)), (Vec::new(), false, true));
    drop(in_east);
    game.put_by(east, |area| of_east.out(area)).unwrap();
    assert_eq!(changes(&game), []);
}

#[test]
fn one_release_too_many_is_an_error_that_changes_nothing() {
    let mut game = fen::Progress::new();
    let guard = game.need(areas::WEST);
    assert_eq!(game.request_area("west").unwrap(), 2);
    assert_eq!(game.release_area("west").unwrap(), 1);
    let error = game.release_area("west").unwrap_err();
    assert_eq!((&error.why, game.needs_of(areas::WEST)), (&WorldWhy::NotRequested, 1));
    assert_eq!(error.to_string(), "area west was released more often than it was requested; nothing changed");
    assert_eq!(game.request_area("desert").unwrap_err().why, WorldWhy::Unknown);
    drop(guard);
    assert_eq!(game.needs_of(areas::WEST), 0);
}

#[test]
fn a_save_in_mid_motion_comes_back_to_the_same_instant() {
    let (_memory, slot) = in_memory();
    let mut game = fen::Keeper::open(&slot).unwrap();
    game.begin(None).unwrap();
    let mut west = left_west(&mut game);
    let made = game.new_object();
    west.boats.push(boat(made, 7));
    game.set(fields::LETTERS, 31);
    game.record_area(areas::WEST, |area| west.out(area)).unwrap();
    game.close().unwrap();

    let mut game = fen::Keeper::open(&slot).unwrap();
    game.resume().unwrap();
    assert_eq!(game.get(fields::LETTERS), 31);
    let mut again = Fen::west().recalled(&mut game, areas::WEST);
    assert_eq!(again.kept(), west.kept());
    // Ids of objects that were made in play clash neither with the level's nor with each other.
    let next = game.new_object();
    assert!(next.is_made() && next > made && again.boats[0].id == made);
    let snapshot = game.snapshot();
    again.gates[0].opened = 100.0;
    game.set(fields::LETTERS, 36);
    game.record_area(areas::WEST, |area| again.out(area)).unwrap();
    game.load(&snapshot, true).unwrap();
    // What is loaded no longer counts: it is unloaded and loaded again.
    let guard = game.need(areas::WEST);
    assert_eq!(game.area_changes(), [AreaChange::Unload(areas::WEST), AreaChange::Load(areas::WEST)]);
    game.put_by(areas::WEST, |area| again.out(area)).unwrap();
    let again = Fen::west().recalled(&mut game, areas::WEST);
    assert_eq!((again.gates[0].opened, game.get(fields::LETTERS)), (70.0, 31));
    drop(guard);
}

/// Recalls the west of a game whose save has these bytes for it.
fn west_of(bytes: &[u8]) -> Result<Fen, WorldWhy> {
    let mut game = fen::Progress::new();
    game.put_area("west", Some(bytes.into())).unwrap();
    let mut west = Fen::west();
    game.recall(areas::WEST, |area| west.take(area)).map_err(|error| error.why)?;
    Ok(west)
}

/// The bytes of a west with one gate and two beds, and where in them the gate's column `opened` starts.
fn bytes_of_west() -> (Vec<u8>, usize) {
    let mut game = fen::Progress::new();
    let west = left_west(&mut game);
    game.put_by(areas::WEST, |area| west.out(area)).unwrap();
    let bytes = game.area("west").unwrap().to_vec();
    let column = bytes.windows(6).position(|part| part == b"opened").unwrap() + 6;
    (bytes, column)
}

#[test]
fn a_damaged_area_is_a_typed_error_and_is_left_as_it_is() {
    let (bytes, column) = bytes_of_west();
    assert!(west_of(&bytes).is_ok());
    // The tag of a typed array, then the head of eight bytes.
    assert_eq!(bytes[column..column + 3], [0xd8, 86, 0x48]);
    let fault = |change: &dyn Fn(&mut Vec<u8>)| {
        let mut changed = bytes.clone();
        change(&mut changed);
        match west_of(&changed) {
            Err(WorldWhy::Fault(fault)) => fault.to_string(),
            other => panic!("{other:?}"),
        }
    };
    let longer = fault(&|bytes| {
        bytes[column + 2] = 0x50;
        bytes.splice(column + 3..column + 3, [0; 8]);
    });
    assert_eq!(longer, format!("gate.opened: 1 objects, but 2 values, at byte {column} of the area"));
    let other_type = fault(&|bytes| bytes[column + 1] = 79);
    assert!(other_type.starts_with("gate.opened: expected 1 values of type float"), "{other_type}");
    let not_finite = fault(&|bytes| bytes[column + 3..column + 11].fill(0xff));
    assert!(not_finite.starts_with("gate.opened: expected finite numbers"), "{not_finite}");
    // The fields before the ids: the columns are too short for the ids that follow.
    let mut turned = vec![0xa1, 0x64];
    turned.extend(b"gate\xa2\x66fields\xa1\x66opened\xd8\x56\x40\x63ids\xd8\x47\x48");
    turned.extend(7_u64.to_le_bytes());
    match west_of(&turned) {
        Err(WorldWhy::Fault(fault)) => {
            assert_eq!(fault.to_string(), "gate: 1 objects, but 0 values, at byte 40 of the area");
        }
        other => panic!("{other:?}"),
    }
    let cut = fault(&|bytes| bytes.truncate(column));
    assert!(cut.contains("gate.opened"), "{cut}");
    // Whatever else happens to a byte is an error or other values, and never a panic.
    for at in 0..bytes.len() {
        let mut changed = bytes.clone();
        changed[at] ^= 0x21;
        let _ = west_of(&changed);
        let _ = west_of(&bytes[..at]);
    }
}

#[test]
fn what_is_wrong_with_an_area_is_found_when_its_save_is_verified() {
    let (bytes, column) = bytes_of_west();
    let verified = |bytes: &[u8]| -> Vec<String> {
        let mut game = fen::Progress::new();
        game.put_area("west", Some(bytes.into())).unwrap();
        let save = write(&game.snapshot(), &stamp(1));
        let save = verify(&save, fen::schema()).unwrap();
        save.findings().iter().map(ToString::to_string).collect()
    };
    assert_eq!(verified(&bytes), [""; 0]);
    let mut beyond = bytes.clone();
    beyond[column + 3..column + 11].copy_from_slice(&170.0_f64.to_le_bytes());
    assert_eq!(
        verified(&beyond),
        [
            "area.west.gate.3.opened: warning: 170.0 is above its bound 100.0; the object gets it unchanged [out_of_bounds]"
        ]
    );
    let unreadable = verified(&bytes[..column]);
    let told = format!(
        "area.west: warning: gate.opened: expected 1 values of type float, at byte {column} of the area; it is kept, but cannot be recalled [area_unreadable]"
    );
    assert_eq!(unreadable, [told]);
}

#[test]
fn a_mistake_in_a_call_changes_nothing() {
    let mut game = fen::Progress::new();
    let put_by = |game: &mut fen::Progress, fen: &Fen| game.put_by(areas::WEST, |area| fen.out(area));
    let west = Fen::west();
    assert_eq!(put_by(&mut game, &west).unwrap_err().why, WorldWhy::NotPresent);
    let west = west.recalled(&mut game, areas::WEST);
    let again = game.recall(areas::WEST, |area| west.clone().take(area)).unwrap_err();
    assert_eq!(again.why, WorldWhy::Present);
    // A kind that was forgotten would be lost.
    let forgotten = game.put_by(areas::WEST, |area| area.objects(&west.gates)).unwrap_err();
    assert_eq!(forgotten.why, WorldWhy::Missing { kind: "reed_bed".to_string() });
    let mut twice = west.clone();
    twice.gates.push(twice.gates[0].clone());
    let repeated = put_by(&mut game, &twice).unwrap_err();
    assert_eq!(repeated.to_string(), "area west: two objects of the kind gate have the id 3");
    let mut endless = west.clone();
    endless.gates[0].opened = f64::NAN;
    let value = put_by(&mut game, &endless).unwrap_err().to_string();
    assert_eq!(
        value,
        "area west: gate.opened of object 3 cannot be kept: it is not a finite number, or a name of another game"
    );
    let mut long = west.clone();
    long.boats
        .push(Boat { name: "a name of more than twenty-four letters".to_string(), ..boat(5.into(), 1) });
    let long = put_by(&mut game, &long).unwrap_err().to_string();
    assert_eq!(
        long,
        "area west: boat.name of object 5 cannot be kept: expected at most 24 characters, but found 39"
    );
    let elsewhere = game.recall(areas::MILL, |area| Fen::west().take(area)).unwrap_err();
    assert_eq!(elsewhere.why, WorldWhy::NotInArea { kind: "reed_bed".to_string() });
    let beyond = game.recall(Area::of_index(99), |area| Fen::west().take(area)).unwrap_err();
    assert_eq!(beyond.why, WorldWhy::Unknown);
    assert!(game.is_loaded(areas::WEST) && !game.is_loaded(areas::MILL) && game.area("west").is_none());
    // A number beyond its bounds stops there, as a write does.
    let mut wide = west;
    wide.gates[0].opened = 180.0;
    put_by(&mut game, &wide).unwrap();
    assert_eq!(Fen::west().recalled(&mut game, areas::WEST).gates[0].opened, 100.0);
}

#[test]
fn an_object_that_an_update_adds_is_there_and_one_that_was_carried_away_comes_along() {
    let mut game = fen::Progress::new();
    let mut west = left_west(&mut game);
    let mut east = Fen::bare().recalled(&mut game, areas::EAST);
    east.gates.append(&mut west.gates);
    game.put_by(areas::WEST, |area| west.out(area)).unwrap();
    game.put_by(areas::EAST, |area| east.out(area)).unwrap();
    let mut updated = Fen::west();
    updated.beds.push(Bed { id: 11.into() });
    let west = updated.recalled(&mut game, areas::WEST);
    let beds: Vec<ObjectId> = west.beds.iter().map(|bed| bed.id).collect();
    assert_eq!((west.gates.len(), beds), (0, vec![8.into(), 10.into(), 11.into()]));
    let east = Fen::bare().recalled(&mut game, areas::EAST);
    assert_eq!((east.gates[0].id, east.gates[0].opened), (GATE.into(), 70.0));
}

#[test]
fn an_object_that_a_level_makes_twice_is_gone_once() {
    let mut game = fen::Progress::new();
    let gate = Fen::west().gates[0].clone();
    let mut gates = vec![gate.clone(), gate.clone()];
    game.recall(areas::MILL, |area| area.objects(&mut gates)).unwrap();
    game.put_by(areas::MILL, |area| area.objects(&Vec::<Gate>::new())).unwrap();
    let mut gates = vec![gate.clone(), gate];
    game.recall(areas::MILL, |area| area.objects(&mut gates)).unwrap();
    assert_eq!(gates, []);
}
