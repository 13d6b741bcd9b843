//! Two machines play one slot, and a sync program copies the slot's file from one to the other, with the game open and
//! closed. A ledger notes what each machine has earned: no amount counts twice.

use std::sync::Arc;
use std::time::Duration;

use fastrand::Rng;
use keblin::store::Slot;
use keblin::store::backend::Memory;
use keblin::{Keeper, SaveDir, Schema};

use crate::long::tries;
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
