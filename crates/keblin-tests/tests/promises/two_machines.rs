//! Two machines play one slot, and a sync program copies the slot's file from one to the other, with the game open and
//! closed. A ledger notes what each machine has earned: no amount counts twice.

use std::sync::Arc;
use std::time::Duration;

use fastrand::Rng;
use keblin::save::json::{export, import};
use keblin::save::{Stamp, write};
use keblin::store::Slot;
use keblin::store::backend::Memory;
use keblin::verify::{salvage, verify};
use keblin::{Keeper, SaveDir, Schema, Value};

use crate::long::tries;
use crate::steps::versions;
use crate::tables::schema;

const GAME: &str = r#"
    game = "ferry"
    version = 1
    autosave = ["finish"]
    [fields]
    fish = { type = "int", scope = "profile", keep = "sum" }
    [[levels]]
    id = "brook"
"#;

/// A machine: its files, which are not synced but for the slot's own, and the game if it is open.
struct Machine {
    files: Memory,
    slot: Slot,
    game: Option<Keeper>,
    clock: u64,
}

impl Machine {
    fn new(number: u64, clock: u64) -> Machine {
        let files = Memory::default();
        files.set_machine(number);
        files.set_clock(clock);
        let slot = SaveDir::on(Arc::new(files.clone()), "saves").slot("otter").unwrap();
        Machine { files, slot, game: None, clock }
    }

    fn act(&mut self, schema: &Arc<Schema>, rng: &mut Rng) -> i64 {
        self.clock += rng.u64(1..100_000);
        self.files.set_clock(self.clock);
        let fish = schema.field::<i64>("fish").unwrap();
        match (&mut self.game, rng.u8(..6)) {
            (None, _) => {
                self.game = Keeper::open(&self.slot, schema).ok();
                0
            }
            (game, 0) => {
                game.take().into_iter().for_each(|game| drop(game.close()));
                0
            }
            (Some(game), 1) => {
                game.tick(Duration::from_secs(1));
                game.save_now().unwrap();
                0
            }
            (Some(game), _) => {
                let more = rng.i64(1..9);
                game.add(fish, more);
                more
            }
        }
    }
}

#[test]
fn no_amount_counts_twice_however_two_machines_are_synced() {
    let schema = schema(GAME);
    for seed in 0..tries(300, 20_000) {
        let mut rng = Rng::with_seed(seed);
        let mut machines = [Machine::new(0, 1_000_000), Machine::new(1, 1_000_500)];
        let mut earned = 0;
        for _ in 0..rng.usize(5..40) {
            let at = rng.usize(..2);
            if rng.u8(..5) == 0 {
                let from = machines[at].files.files().get(&machines[at].slot.path()).cloned();
                let to = &machines[1 - at];
                from.into_iter().for_each(|bytes| to.files.put_file(to.slot.path(), bytes));
            } else {
                earned += machines[at].act(&schema, &mut rng);
            }
        }
        // Everything is saved, and meets.
        for machine in &mut machines {
            machine.game.take().into_iter().for_each(|game| drop(game.close()));
        }
        for (from, to) in [(0, 1), (1, 0)] {
            let bytes = machines[from].files.files().get(&machines[from].slot.path()).cloned();
            let to = &mut machines[to];
            let mut game = Keeper::open(&to.slot, &schema).unwrap();
            game.save_now().unwrap();
            bytes.into_iter().for_each(|bytes| to.files.put_file(to.slot.path(), bytes));
            game.tick(Duration::from_secs(1));
            game.save_now().unwrap();
            game.close().unwrap();
        }
        let game = Keeper::open(&machines[0].slot, &schema).unwrap();
        let has = game.get(schema.field::<i64>("fish").unwrap());
        assert_eq!(has, earned, "seed {seed}");
    }
}

/// Two machines have played version 1 apart. Both get version 2, which renames one sum, doubles another, and computes a third;
/// then their files are synced.
#[test]
fn what_two_machines_have_added_is_still_told_apart_after_an_update() {
    let fields = |sum: &str, more: &str| {
        format!(
            "game = 'ferry'\nversion = {}\n[fields]\n{sum} = {{ type = 'int', scope = 'profile', keep = 'sum' }}\n\
             pence = {{ type = 'int', scope = 'profile', keep = 'sum' }}\n\
             {} = {{ type = 'text', scope = 'profile', max_len = 9 }}\n{more}",
            if more.is_empty() { 1 } else { 2 },
            if more.is_empty() { "name" } else { "title" },
        )
    };
    let (old, new) = (
        fields("fish", ""),
        fields("caught", "weight = { type = 'int', scope = 'profile', keep = 'sum' }\n"),
    );
    let step = "[fields.caught]\nfrom = 'fish'\n[fields.pence]\nscale = 2\nmisfit = 'nearest'\n[fields.title]\nfrom = 'name'\n\
        [fields.weight]\nfill = 'fish'\n";
    let schema = versions(&[&old, &new], &[step]).unwrap();
    let before = Arc::clone(&schema.past()[0].schema);
    let (fish, name) = (before.field::<i64>("fish").unwrap(), before.field::<String>("name").unwrap());
    let pence = before.field::<i64>("pence").unwrap();
    let [laptop, desktop] = [Machine::new(0, 1_000), Machine::new(1, 2_000)];
    let file = |machine: &Machine| machine.files.files().get(&machine.slot.path()).cloned().unwrap();
    let mut game = Keeper::open(&laptop.slot, &before).unwrap();
    game.add(fish, 10);
    game.add(pence, 100);
    game.close().unwrap();
    desktop.files.put_file(desktop.slot.path(), file(&laptop));
    for (machine, more) in [(&laptop, 3), (&desktop, 5)] {
        let mut game = Keeper::open(&machine.slot, &before).unwrap();
        game.add(fish, more);
        game.add(pence, more);
        if more == 5 {
            game.set(name, "mill".into());
        }
        game.close().unwrap();
    }
    let of_desktop = file(&desktop);
    let open = |machine: &Machine| Keeper::open(&machine.slot, &schema).unwrap();
    let number = |game: &Keeper, name: &str| game.get(schema.field::<i64>(name).unwrap());
    let check = |game: &Keeper| {
        assert_eq!(number(game, "caught"), 10 + 3 + 5);
        assert_eq!(game.get(schema.field::<String>("title").unwrap()), "mill");
        // What a step has changed or computed is a start value: of two the greater one.
        assert_eq!((number(game, "pence"), number(game, "weight")), (2 * (100 + 5), 10 + 5));
    };
    // The laptop updates first, and the sync program brings the desktop's file, of the version before.
    open(&laptop).close().unwrap();
    laptop.files.put_file(laptop.slot.path(), of_desktop);
    let game = open(&laptop);
    check(&game);
    game.close().unwrap();
    // The desktop updates, and gets the laptop's file.
    open(&desktop).close().unwrap();
    desktop.files.put_file(desktop.slot.path(), file(&laptop));
    check(&open(&desktop));
}

/// A save goes through JSON or is salvaged, and is put back: it says who wrote what as before, so nothing counts twice.
#[test]
fn a_save_that_goes_through_a_tool_still_says_who_wrote_what() {
    let schema = schema(GAME);
    let fish = schema.field::<i64>("fish").unwrap();
    let through_json = |bytes: &[u8]| {
        let save = verify(bytes, &schema).unwrap();
        let json = export(save.snapshot(), save.stamp());
        let (snapshot, stamp) = import(&json, &schema).unwrap();
        assert_eq!(export(&snapshot, &stamp), json);
        write(&snapshot, &stamp)
    };
    let salvaged = |bytes: &[u8]| {
        let mut bytes = bytes.to_vec();
        let last = bytes.len() - 1;
        bytes[last] ^= 1;
        write(&salvage(&bytes, &schema).unwrap().snapshot, &Stamp::first(9, "salvage"))
    };
    let edited = |bytes: &[u8]| {
        let save = verify(bytes, &schema).unwrap();
        let change = (keblin::condition::names::named(&schema, "fish").unwrap(), Value::Int(30));
        write(&save.snapshot().edited(&[change]).unwrap(), save.stamp())
    };
    type Tool<'t> = &'t dyn Fn(&[u8]) -> Vec<u8>;
    let tools: [(Tool<'_>, i64); 3] = [(&through_json, 12), (&salvaged, 12), (&edited, 32)];
    for (tool, expected) in tools {
        let machine = Machine::new(0, 1_000);
        let mut game = Keeper::open(&machine.slot, &schema).unwrap();
        game.add(fish, 10);
        game.close().unwrap();
        let bytes = machine.files.files()[&machine.slot.path()].clone();
        machine.files.put_file(machine.slot.path(), tool(&bytes));
        let mut game = Keeper::open(&machine.slot, &schema).unwrap();
        game.add(fish, 2);
        assert_eq!(game.get(fish), expected);
    }
}
