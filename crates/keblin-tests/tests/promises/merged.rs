//! Every kind of value and fact, merged: two machines and three, with the game open and closed. Each machine does its own part
//! of a thing without having seen the others; then their files meet. `docs/reconcile.md` has the table.

mod kinds;

use std::sync::Arc;
use std::time::Duration;

use keblin::store::Slot;
use keblin::store::backend::Memory;
use keblin::{Keeper, SaveDir, Schema};

use crate::tables::schema;
use kinds::{Kind, all_kinds};

/// Whether the first machine plays when the files of the others arrive.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Game {
    Open,
    Closed,
}

struct Machine {
    files: Memory,
    slot: Slot,
    schema: Arc<Schema>,
}

impl Machine {
    fn new(number: u64, schema: &Arc<Schema>) -> Machine {
        let files = Memory::default();
        files.set_machine(number);
        let slot = SaveDir::on(Arc::new(files.clone()), "saves").slot("otter").unwrap();
        Machine { files, slot, schema: Arc::clone(schema) }
    }

    fn open(&self) -> Keeper {
        Keeper::open(&self.slot, &self.schema).unwrap()
    }

    fn file(&self) -> Vec<u8> {
        let mut bytes = self.files.files().remove(&self.slot.path()).unwrap();
        let end = keblin::save::read(&bytes).unwrap().end();
        bytes.truncate(end);
        bytes
    }

    fn gets(&self, file: Vec<u8>) {
        self.files.put_file(self.slot.path(), file);
    }
}

/// Merges what machines have done apart, and compares it with what the kind says.
fn merges(name: &str, count: u64, way: Game) {
    let Kind { game, before, does, shows, then, open, .. } =
        all_kinds().find(|kind| kind.name == name).unwrap();
    let schema = schema(game);
    let machines: Vec<Machine> = (0..count).map(|number| Machine::new(number, &schema)).collect();
    let clock = |machine: &Machine, time: u64| machine.files.set_clock(1_000_000 + 1_000 * time);
    clock(&machines[0], 0);
    let mut game = machines[0].open();
    before(&mut game);
    game.close().unwrap();
    let base = machines[0].file();
    // Apart, the last machine latest.
    for (number, machine) in (0..).zip(&machines) {
        if number > 0 {
            machine.gets(base.clone());
        }
        clock(machine, number + 1);
        let mut game = machine.open();
        does(&mut game, i64::try_from(number).unwrap());
        game.close().unwrap();
    }
    let files: Vec<Vec<u8>> = machines.iter().map(Machine::file).collect();
    let (first, others) = (&machines[0], &files[1..]);
    let expected = match (way, open) {
        (Game::Open, Some(open)) => open.to_string(),
        _ => then(i64::try_from(count).unwrap()),
    };
    // Each file twice: what is known adds nothing.
    let arriving = others.iter().chain(others);
    match way {
        Game::Closed => {
            for file in arriving {
                first.gets(file.clone());
                first.open().close().unwrap();
            }
        }
        Game::Open => {
            let mut game = first.open();
            for file in arriving {
                first.gets(file.clone());
                game.tick(Duration::ZERO);
                game.save_now().unwrap();
            }
            assert_eq!(shows(&mut game), expected, "{name}: in the game that is open");
            game.close().unwrap();
        }
    }
    assert_eq!(shows(&mut first.open()), expected, "{name}: on the first machine");
    // The other machines get what the first one has.
    for machine in &machines[1..] {
        machine.gets(first.file());
        assert_eq!(shows(&mut machine.open()), expected, "{name}: on another machine");
    }
}

/// Makes a test of every kind, for a number of machines and a way.
macro_rules! cells {
    ($($module:ident: $count:expr, $way:expr;)*) => { $(
        mod $module {
            use super::*;
            cells! { @ $count, $way,
                plain, highest, lowest, with_entry, table, once, sum, balance, union, by_level, fed, area, erased_field, erased_profile, finished, stars, collected, attempts, deaths, played, furthest, unlock, opened, moment, title, run
            }
        }
    )* };
    (@ $count:expr, $way:expr, $($kind:ident),*) => {
        $(
            #[test]
            fn $kind() {
                merges(stringify!($kind), $count, $way);
            }
        )*

        pub(super) const TESTS: &[&str] = &[$(stringify!($kind)),*];
    };
}

cells! {
    two_closed: 2, Game::Closed;
    two_open: 2, Game::Open;
    three_closed: 3, Game::Closed;
    three_open: 3, Game::Open;
}

/// The table of the docs has every kind, and each cell is a test.
#[test]
fn the_table_of_the_docs_has_every_kind_and_names_the_tests() {
    let text = crate::tables::read("docs/reconcile.md");
    let row = |kind: &Kind| {
        let tests = ["two_closed", "two_open", "three_closed", "three_open"];
        let cells: Vec<String> = tests.iter().map(|of| format!("`{of}::{}`", kind.name)).collect();
        format!("| {} | {} |", kind.means, cells.join(" | "))
    };
    for kind in all_kinds() {
        assert!(
            text.contains(&row(kind)),
            "the table in docs/reconcile.md does not have the row\n{}",
            row(kind)
        );
    }
    let names: Vec<&str> = all_kinds().map(|kind| kind.name).collect();
    for tests in [two_closed::TESTS, two_open::TESTS, three_closed::TESTS, three_open::TESTS] {
        assert_eq!(tests, names);
    }
}
