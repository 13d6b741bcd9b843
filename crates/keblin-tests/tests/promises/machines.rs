//! Two to four machines play one slot, and a sync program copies the slot's file between them, old files too, with the game
//! open and closed. A ledger notes only what each machine did, and which of it went into which file. Whatever is opened must
//! hold what the ledger says: every amount once, nothing lowered, nothing lost but by an erasure.

mod ledger;

use std::collections::HashMap;
use std::sync::Arc;
use std::time::Duration;

use fastrand::Rng;
use keblin::progress::Erase;
use keblin::store::Slot;
use keblin::store::backend::Memory;
use keblin::{Keeper, SaveDir, Schema};

use crate::long::tries;
use crate::tables::schema;
use ledger::{Did, Ledger, Mask, What};

const GAME: &str = r#"
    game = "ferry"
    version = 1
    autosave = ["run_end"]
    [fields]
    fish = { type = "int", scope = "profile", keep = "sum", max = 60 }
    coins = { type = "int", scope = "profile", keep = "balance", default = 10, min = 0, max = 25 }
    best = { type = "int", scope = "profile", keep = "highest" }
    table = { type = "int", scope = "profile", keep = "highest", places = 3 }
    items = { type = "set", of = "int", max_items = 40, scope = "profile", keep = "union" }
    note = { type = "int", scope = "profile" }
    oil = { type = "int", scope = "run", on_death = "stays" }
    [[levels]]
    id = "brook"
"#;

/// A machine: its files, and the game if it is open. Only the file of the slot itself is synced.
struct Machine {
    number: u64,
    files: Memory,
    slot: Slot,
    game: Option<Keeper>,
    skew: u64,
    /// What was saved by this machine and is in its own last state.
    own: Mask,
    /// What the open game has saved.
    saved: Mask,
    /// What the open game did since.
    unsaved: Vec<What>,
}

fn on(files: &Memory) -> Slot {
    SaveDir::on(Arc::new(files.clone()), "saves").slot("otter").unwrap()
}

impl Machine {
    fn new(number: u64, skew: u64) -> Machine {
        let files = Memory::default();
        files.set_machine(number);
        let slot = on(&files);
        let (own, saved, unsaved) = (Mask::default(), Mask::default(), Vec::new());
        Machine { number, files, slot, game: None, skew, own, saved, unsaved }
    }

    /// Returns the bytes of the slot's file, or of its backup, without a reserve.
    fn file(&self, backup: bool) -> Option<Vec<u8>> {
        let path = if backup { self.slot.previous_path() } else { self.slot.path() };
        let mut bytes = self.files.files().remove(&path)?;
        let end = keblin::save::read(&bytes).unwrap().end();
        bytes.truncate(end);
        Some(bytes)
    }

    /// The program ends, or the power fails: what was not saved is gone, and the game is closed.
    fn crash(&mut self) {
        let Some(game) = self.game.take() else { return };
        let files = Memory::of(self.files.files());
        files.set_machine(self.number);
        // It must not write any more.
        drop(game);
        (self.files, self.unsaved) = (files, Vec::new());
        self.slot = on(&self.files);
    }
}

/// All machines, the ledger, and what is in every file that ever was.
struct World {
    schema: Arc<Schema>,
    machines: Vec<Machine>,
    ledger: Ledger,
    masks: HashMap<Vec<u8>, Mask>,
    files: Vec<Vec<u8>>,
    clock: u64,
    /// What has happened, for a message.
    log: Vec<String>,
}

impl World {
    fn new(rng: &mut Rng) -> World {
        let count = *rng.choice([2, 2, 3, 4].iter()).unwrap();
        let skew = |rng: &mut Rng| *rng.choice([0, 0, 7, 400, 90_000].iter()).unwrap();
        World {
            schema: schema(GAME),
            machines: (0..count).map(|number| Machine::new(number, skew(rng))).collect(),
            ledger: Ledger::default(),
            masks: HashMap::new(),
            files: Vec::new(),
            clock: 1_000_000,
            log: Vec::new(),
        }
    }

    fn mask_of(&self, bytes: Option<Vec<u8>>) -> Mask {
        bytes.map_or(Mask::default(), |bytes| self.masks.get(&bytes).cloned().unwrap_or_default())
    }

    fn open(&mut self, at: usize) {
        if self.machines[at].game.is_some() {
            return;
        }
        let machine = &self.machines[at];
        let there = [false, true].map(|backup| self.mask_of(machine.file(backup)));
        let machine = &mut self.machines[at];
        machine.game = Some(Keeper::open(&machine.slot, &self.schema).unwrap());
        machine.saved = machine.own.clone();
        there.iter().for_each(|mask| machine.saved.join(mask));
        self.check(at);
    }

    fn play(&mut self, at: usize, rng: &mut Rng) {
        self.open(at);
        let schema = Arc::clone(&self.schema);
        let machine = &mut self.machines[at];
        let game = machine.game.as_mut().unwrap();
        let value = rng.i64(1..13);
        let number = self.ledger.next();
        let by = |change: &keblin::progress::Change| {
            let (after, before) = change.after.number().zip(change.before.number()).unwrap();
            after - before
        };
        let what = match rng.u8(..18) {
            0..=3 => {
                let gained = game.add(schema.field::<i64>("fish").unwrap(), value);
                What::Did(Did::Fish(by(&gained)))
            }
            14..=17 => {
                let amount = *rng.choice([-12, -9, -5, 3, 9].iter()).unwrap();
                let changed = game.add(schema.field::<i64>("coins").unwrap(), amount);
                What::Did(Did::Coins(by(&changed)))
            }
            4 => {
                game.submit(schema.field::<Option<i64>>("best").unwrap(), value);
                What::Did(Did::Best(value))
            }
            5 | 6 => {
                game.submit(schema.field::<Option<i64>>("table").unwrap(), value);
                What::Did(Did::Entry(value))
            }
            7 => {
                game.insert(schema.field::<std::collections::BTreeSet<i64>>("items").unwrap(), value);
                What::Did(Did::Item(value))
            }
            8 | 9 => {
                game.set(schema.field::<i64>("note").unwrap(), number);
                What::Did(Did::Note(number))
            }
            10 | 11 => {
                game.begin_replacing(None);
                game.enter(schema.level("brook").unwrap()).unwrap();
                game.leave().unwrap();
                What::Did(Did::Attempt)
            }
            12 => {
                let name = *rng.choice(["fish", "coins", "best", "table", "items", "note"].iter()).unwrap();
                game.erase(&Erase::Field(schema.field_named(name).unwrap().0), true).unwrap();
                What::Erased(name)
            }
            _ if rng.u8(..3) == 0 => {
                game.erase(&Erase::Profile, true).unwrap();
                What::ErasedAll
            }
            _ => return,
        };
        self.log.push(format!("{at} {what:?}"));
        let is_erasure = !matches!(what, What::Did(_));
        machine.unsaved.push(what);
        if is_erasure {
            // The keeper saves an erasure at the end of the frame.
            self.save(at);
        }
    }

    fn save(&mut self, at: usize) {
        let there = self.mask_of(self.machines[at].file(false));
        let machine = &mut self.machines[at];
        let Some(game) = machine.game.as_mut() else { return };
        self.clock += 1;
        machine.files.set_clock(self.clock + machine.skew);
        game.save_now().unwrap();
        game.tick(Duration::ZERO);
        self.has_saved(at, &there);
        self.check(at);
    }

    /// Notes what a save has written. `there` is what was in the file that it found.
    fn has_saved(&mut self, at: usize, there: &Mask) {
        let machine = &mut self.machines[at];
        for what in ledger::at_once(std::mem::take(&mut machine.unsaved)) {
            self.ledger.note(what, &mut machine.saved);
        }
        // After an erasure nothing is taken from another file.
        machine.saved.join(there);
        if let Some(bytes) = machine.file(false) {
            self.masks.insert(bytes.clone(), machine.saved.clone());
            self.files.push(bytes);
        }
    }

    fn close(&mut self, at: usize) {
        let there = self.mask_of(self.machines[at].file(false));
        let Some(game) = self.machines[at].game.take() else { return };
        self.clock += 1;
        self.machines[at].files.set_clock(self.clock + self.machines[at].skew);
        game.close().unwrap();
        self.has_saved(at, &there);
        self.machines[at].own = self.machines[at].saved.clone();
    }

    fn put(&mut self, at: usize, bytes: Vec<u8>) {
        let machine = &self.machines[at];
        machine.files.put_file(machine.slot.path(), bytes);
    }

    fn act(&mut self, rng: &mut Rng) {
        let (at, other) = (rng.usize(..self.machines.len()), rng.usize(..self.machines.len()));
        self.clock += rng.u64(1..1_000);
        let act = rng.u8(..32);
        self.log.push(format!("{at} {other} act {act}"));
        match act {
            0..=11 => self.play(at, rng),
            12..=16 => self.save(at),
            17..=19 => self.close(at),
            20..=21 => self.open(at),
            22 => self.machines[at].crash(),
            23 if !self.files.is_empty() => {
                let old = rng.choice(self.files.iter()).unwrap().clone();
                self.put(at, old);
            }
            24 if rng.u8(..4) == 0 => {
                let number = self.machines.len() as u64 + self.clock;
                self.machines[at] = Machine::new(number, self.machines[at].skew);
            }
            _ => {
                if let Some(bytes) = self.machines[other].file(false)
                    && at != other
                {
                    self.put(at, bytes);
                }
            }
        }
    }

    /// Compares what an open game holds with the ledger.
    fn check(&self, at: usize) {
        let machine = &self.machines[at];
        let game = machine.game.as_ref().unwrap();
        let mut ledger = self.ledger.clone();
        let mut mask = machine.saved.clone();
        let unsaved = ledger::at_once(machine.unsaved.clone());
        unsaved.into_iter().for_each(|what| ledger.note(what, &mut mask));
        let number = |name: &str| game.get(self.schema.field::<i64>(name).unwrap());
        let facts = game.facts(self.schema.level("brook").unwrap(), None);
        let items = self.schema.field::<std::collections::BTreeSet<i64>>("items").unwrap();
        let held = ledger::Held {
            fish: number("fish"),
            coins: number("coins"),
            best: game.get(self.schema.field::<Option<i64>>("best").unwrap()).option(),
            table: game.table(self.schema.field::<Option<i64>>("table").unwrap()).collect(),
            items: game.get(items).iter().collect(),
            note: number("note"),
            attempts: facts.attempts,
        };
        if let Err(wrong) = ledger.agrees(&mask, &held) {
            panic!("{wrong}\n{:#?}", self.log);
        }
    }

    /// Everything is saved, and every machine gets the files of all others.
    fn finish(&mut self) {
        (0..self.machines.len()).for_each(|at| self.close(at));
        for _ in 0..2 {
            for from in 0..self.machines.len() {
                for to in 0..self.machines.len() {
                    if let Some(bytes) = self.machines[from].file(false)
                        && from != to
                    {
                        self.open(to);
                        self.put(to, bytes);
                        self.save(to);
                        self.close(to);
                    }
                }
            }
        }
    }
}

/// Plays a history; returns the kinds of what was done in it.
fn played(seed: u64) -> Vec<String> {
    let mut rng = Rng::with_seed(seed);
    let mut world = World::new(&mut rng);
    world.log.push(format!("seed {seed}"));
    (0..rng.usize(8..50)).for_each(|_| world.act(&mut rng));
    world.finish();
    world.ledger.words().collect()
}

#[test]
fn every_amount_counts_once_and_nothing_is_lost_however_machines_are_synced() {
    let half = tries(75, 10_000);
    let mut words = std::thread::scope(|threads| {
        let other = threads.spawn(move || (half..2 * half).flat_map(played).collect::<Vec<String>>());
        let mut words: Vec<String> = (0..half).flat_map(played).collect();
        words.extend(other.join().unwrap());
        words
    });
    words.sort_unstable();
    let count = |kind: &String| words.iter().filter(|word| *word == kind).count();
    let mut kinds = words.clone();
    kinds.dedup();
    assert!(kinds.len() == 9 && kinds.iter().all(|kind| count(kind) > 20), "{kinds:?}");
}
