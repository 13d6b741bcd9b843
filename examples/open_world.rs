//! An open world: eight areas with five thousand boats that drift. Areas load and unload as the player moves on, the game
//! is saved in mid-motion, and everything is as it was when it is opened again.

#![expect(clippy::print_stdout, reason = "a program prints")]

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin::progress::Holder;
use keblin::store::Slot;
use keblin::store::backend::Counted;
use keblin::world::AreaChange;
use keblin::{Area, ObjectId, SaveDir, WorldObject};

keblin::schema!(world, "open_world.toml");
use world::{Game, Keeper, Play, areas, fields};

type Failed = Box<dyn std::error::Error>;

/// How many boats each area has.
const BOATS: u32 = 715;

/// A boat as the game has it. Its members are kept with the area, except the one that is marked.
#[derive(Clone, PartialEq, WorldObject)]
#[world(world::kinds::boat, rebuild = Boat::trim)]
struct Boat {
    #[world(id)]
    id: ObjectId,
    place: [f32; 2],
    drift: [f32; 2],
    turn: [f32; 4],
    load: i64,
    name: String,
    found: bool,
    /// Follows from the load.
    #[world(transient)]
    depth: f32,
}

impl Boat {
    /// Called once after each recall, with all values in place.
    fn trim(&mut self) {
        self.depth = 0.1 + 0.02 * f32::from(i16::try_from(self.load).unwrap_or(0));
    }

    fn frame(&mut self) {
        let [x, y] = self.place;
        self.place = [x + self.drift[0] / 60.0, y + self.drift[1] / 60.0];
    }
}

#[derive(Clone, PartialEq, WorldObject)]
#[world(world::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    speed: f64,
}

#[derive(Clone, PartialEq, WorldObject)]
#[world(world::kinds::reed_bed)]
struct ReedBed {
    #[world(id)]
    id: ObjectId,
}

#[derive(Clone, PartialEq, WorldObject)]
#[world(world::kinds::lamp)]
struct Lamp {
    #[world(id)]
    id: ObjectId,
    left: keblin::Time,
}

/// The objects of one loaded area.
#[derive(Clone, Default, PartialEq)]
struct Objects {
    boats: Vec<Boat>,
    gates: Vec<Gate>,
    beds: Vec<ReedBed>,
    lamps: Vec<Lamp>,
}

impl Objects {
    /// An area as its level file makes it.
    fn of_level(area: Area<Game>) -> Objects {
        if area == areas::MILL {
            let gate = Gate { id: ObjectId::authored(1), opened: 0.0, speed: 0.0 };
            return Objects { gates: vec![gate], ..Objects::default() };
        }
        let boat = |number: u32| {
            let at = f32::from(u16::try_from(number).unwrap_or(u16::MAX));
            let (place, drift) = ([at, at / 3.0], [at / 700.0 - 0.5, 0.25]);
            let (id, turn) = (ObjectId::authored(number), [0.0, 0.0, 0.0, 1.0]);
            Boat { id, place, drift, turn, load: 0, name: "punt".to_string(), found: false, depth: 0.0 }
        };
        let beds = (1..=4).map(|number| ReedBed { id: ObjectId::authored(number) });
        let lamp = Lamp { id: ObjectId::authored(1), left: keblin::Time::from_millis(90_000) };
        Objects {
            boats: (1..=BOATS).map(boat).collect(),
            beds: beds.collect(),
            lamps: vec![lamp],
            gates: Vec::new(),
        }
    }
}

/// The areas in the game's hands.
#[derive(Default)]
struct Loaded(BTreeMap<Area<Game>, Objects>);

impl Loaded {
    /// Loads and unloads what the player's place asks for.
    fn follow(&mut self, game: &mut Play<impl Holder>) -> Result<(), Failed> {
        for change in game.area_changes() {
            match change {
                AreaChange::Load(area) => {
                    let mut objects = Objects::of_level(area);
                    game.recall(area, |area| {
                        area.objects(&mut objects.boats);
                        area.objects(&mut objects.gates);
                        area.objects(&mut objects.beds);
                        area.objects(&mut objects.lamps);
                    })?;
                    self.0.insert(area, objects);
                }
                AreaChange::Unload(area) => {
                    let objects = self.0.remove(&area).unwrap_or_default();
                    game.put_by(area, |area| pass(area, &objects))?;
                }
                _ => {}
            }
        }
        Ok(())
    }

    /// Records what is loaded, so that a save has it as it is now.
    fn record(&self, game: &mut Play<impl Holder>) -> Result<(), Failed> {
        for (area, objects) in &self.0 {
            game.record_area(*area, |area| pass(area, objects))?;
        }
        Ok(())
    }
}

/// Passes the objects of an area, kind by kind.
fn pass(area: &mut keblin::world::AreaOut<'_, Game>, objects: &Objects) {
    area.objects(&objects.boats);
    area.objects(&objects.gates);
    area.objects(&objects.beds);
    area.objects(&objects.lamps);
}

/// Saves, and prints what that has read and written. The first save is its own backup, and the second makes room in the
/// file for those after it.
fn save(game: &mut Keeper, files: &Counted, what: &str) -> Result<(), Failed> {
    let saved = game.save_now()?.map_or(0, |saved| saved.written_bytes);
    let (read, written) = (files.take_read(), files.take_written());
    println!("{what}: {saved} bytes saved; {read} read and {written} written in all");
    Ok(())
}

fn main() -> Result<(), Failed> {
    let folder = tempfile::tempdir()?;
    // Files on the disk that count what is read and written.
    let files = Counted::default();
    let slot = SaveDir::on(Arc::new(files.clone()), folder.path()).slot("punter")?;
    let mut game = Keeper::open(&slot)?;
    game.begin(None)?;
    let mut loaded = Loaded::default();

    // Through all areas: two are needed at a time, so that none is missing at a border.
    let all: Vec<Area<Game>> = Area::all().collect();
    let mut here = Vec::new();
    for area in &all {
        here.push(game.need(*area));
        loaded.follow(&mut game)?;
        for boat in loaded.0.values_mut().flat_map(|objects| &mut objects.boats) {
            (0..30).for_each(|_| boat.frame());
        }
        if here.len() > 1 {
            drop(here.remove(0));
        }
        loaded.follow(&mut game)?;
    }
    loaded.record(&mut game)?;
    save(&mut game, &files, "through eight areas")?;

    // The moor: one boat takes on letters, one is gone, and one is built.
    let built = game.new_object();
    let moor = loaded.0.entry(areas::MOOR).or_default();
    moor.boats.iter_mut().take(1).for_each(|boat| (boat.load, boat.found) = (12, true));
    moor.boats.remove(7);
    let like = moor.boats.iter().take(1).cloned().collect::<Vec<_>>();
    moor.boats.extend(like.into_iter().map(|boat| Boat { id: built, name: "raft".to_string(), ..boat }));
    game.set(fields::LETTERS, 31);
    loaded.record(&mut game)?;
    save(&mut game, &files, "one area changed")?;
    let left = moor_of(&loaded);
    game.close()?;
    // Closing has copied the file for this machine's own last state.
    let _ = files.take_read();

    let (mut game, mut loaded) = reopened(&slot)?;
    println!("opened again: {} bytes read", files.take_read());
    let here = game.need(areas::MOOR);
    loaded.follow(&mut game)?;
    println!("the moor recalled: {} bytes read", files.take_read());
    let again = moor_of(&loaded);
    println!("{} boats on the moor, in mid-motion as they were: {}", again.len(), again == left);
    println!(
        "letters {}, the new boat is still {built}: {}",
        game.get(fields::LETTERS),
        again.last().is_some_and(|boat| boat.id == built)
    );
    drop(here);
    game.close()?;
    Ok(())
}

fn reopened(slot: &Slot) -> Result<(Keeper, Loaded), Failed> {
    let mut game = Keeper::open(slot)?;
    game.resume()?;
    Ok((game, Loaded::default()))
}

/// The boats of the moor with every bit that is kept, in the order of their ids.
fn moor_of(loaded: &Loaded) -> Vec<Boat> {
    let mut boats = loaded.0.get(&areas::MOOR).map_or_else(Vec::new, |objects| objects.boats.clone());
    boats.sort_by_key(|boat| boat.id);
    boats.iter_mut().for_each(Boat::trim);
    boats
}
