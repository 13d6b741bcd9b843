//! An older build keeps what a newer build has saved of the world: columns, ids of lists, numbers beyond its bounds, kinds
//! and areas that it does not know. A ledger in the game's own structs says what must be there.

use std::collections::BTreeMap;
use std::sync::Arc;

use fastrand::Rng;
use keblin::diff::{Class, differences};
use keblin::store::Slot;
use keblin::store::backend::Memory;
use keblin::{Area, Date, ObjectId, SaveDir, Schema, WorldObject};

use crate::long::tries;

keblin::schema!(older, "tests/promises/heron/older.toml");
keblin::schema!(newer, "tests/promises/heron/newer.toml");

/// Returns every growth that the histories here go through.
pub(crate) fn tried() -> Vec<(&'static str, &'static str)> {
    let [older, newer] = [older::schema(), newer::schema()];
    let grid = |wide: u8| {
        let kind = "[kinds.raft.fields]\nat = { type = \"vec2\" }\n";
        let text = format!("game = \"heron\"\nversion = 1\n{kind}[areas]\ngrid = [{wide}, 2]\n");
        Schema::parse("progress.toml", &text).unwrap().schema
    };
    let mut found = differences(older, newer);
    found.extend(differences(&grid(2), &grid(3)));
    found.iter().for_each(|difference| assert_ne!(difference.class, Class::Shape, "{difference}"));
    found
        .iter()
        .filter(|difference| difference.class == Class::Growth)
        .map(|difference| difference.of_and_how())
        .collect()
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(newer::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    painted: i64,
    opened: f64,
    times: i64,
    lamp: newer::lists::Lamps,
    hook: Option<newer::lists::Lamps>,
    note: String,
    name: String,
    since: Option<Date>,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(newer::kinds::ghost)]
struct Ghost {
    #[world(id)]
    id: ObjectId,
    seen: bool,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(newer::kinds::raft)]
struct Raft {
    #[world(id)]
    id: ObjectId,
    at: [f32; 2],
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(older::kinds::gate)]
struct OldGate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    times: i64,
    lamp: older::lists::Lamps,
    hook: Option<older::lists::Lamps>,
    name: String,
    since: Date,
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(older::kinds::raft)]
struct OldRaft {
    #[world(id)]
    id: ObjectId,
    at: [f32; 2],
}

fn gate(id: ObjectId, rng: &mut Rng) -> Gate {
    let lamp = |rng: &mut Rng| newer::lists::Lamps::ALL[rng.usize(..4)];
    Gate {
        id,
        painted: rng.i64(..9),
        opened: rng.f64() * 270.0 - 90.0,
        times: rng.i64(-9..99),
        lamp: lamp(rng),
        hook: rng.bool().then(|| lamp(rng)),
        note: ["", "creaks", "a long way from the mill"][rng.usize(..3)].to_string(),
        name: ["old", "the gate at the mill", "weir"][rng.usize(..3)].to_string(),
        since: rng.bool().then(|| Date::from_days(rng.i64(1..20_000)).unwrap()),
    }
}

/// Returns a lamp of the newer build that is the same to the older one.
fn lamp_now(lamp: older::lists::Lamps) -> newer::lists::Lamps {
    match lamp {
        older::lists::Lamps::Wick => newer::lists::Lamps::Wick,
        older::lists::Lamps::Glass => newer::lists::Lamps::Glass,
    }
}

/// The newer build's objects, as they must be.
type Ledger = BTreeMap<ObjectId, Gate>;

/// The older build changes a gate; the ledger is what the newer one must find then.
fn change(seen: &mut OldGate, gate: &mut Gate, rng: &mut Rng) {
    match rng.u8(..6) {
        0 => (seen.opened, gate.opened) = (45.0, 45.0),
        1 => (seen.times, gate.times) = (4, 4),
        2 => {
            let lamp = if seen.lamp == older::lists::Lamps::Wick {
                older::lists::Lamps::Glass
            } else {
                older::lists::Lamps::Wick
            };
            (seen.lamp, gate.lamp) = (lamp, lamp_now(lamp));
        }
        3 => (seen.hook, gate.hook) = (Some(older::lists::Lamps::Glass), Some(newer::lists::Lamps::Glass)),
        4 => (seen.name, gate.name) = ("mine".to_string(), "mine".to_string()),
        _ => {
            let day = Date::from_days(7).unwrap();
            (seen.since, gate.since) = (day, Some(day));
        }
    }
}

fn open_older(slot: &Slot, ledgers: &mut [Ledger; 2], rng: &mut Rng) {
    let mut game = older::Keeper::open(slot).unwrap();
    let areas: [Area<older::Game>; 2] = [older::areas::MILL, older::areas::POND];
    for (area, ledger) in areas.into_iter().zip(ledgers) {
        if rng.u8(..4) == 0 {
            continue;
        }
        let (mut gates, mut rafts): (Vec<OldGate>, Vec<OldRaft>) = (Vec::new(), Vec::new());
        game.recall(area, |area| {
            area.objects(&mut gates);
            area.objects(&mut rafts);
        })
        .unwrap();
        gates.retain(|gate| rng.u8(..6) > 0 || ledger.remove(&gate.id).is_none());
        for seen in &mut gates {
            if rng.bool() {
                change(seen, ledger.get_mut(&seen.id).unwrap(), rng);
            }
        }
        if rng.bool() {
            let (id, day) = (game.new_object(), Date::from_days(9).unwrap());
            let (lamp, name) = (older::lists::Lamps::Glass, "new".to_string());
            gates.push(OldGate {
                id,
                opened: 5.0,
                times: 1,
                lamp,
                hook: None,
                name: name.clone(),
                since: day,
            });
            let (lamp, since, note) = (newer::lists::Lamps::Glass, Some(day), String::new());
            // What the older build does not know has its default.
            ledger.insert(
                id,
                Gate { id, painted: 3, opened: 5.0, times: 1, lamp, hook: None, note, name, since },
            );
        }
        game.put_by(area, |area| {
            area.objects(&gates);
            area.objects(&rafts);
        })
        .unwrap();
    }
    game.close().unwrap();
}

#[test]
fn an_older_build_keeps_what_a_newer_one_has_saved_of_the_world() {
    for seed in 0..tries(100, 20_000) {
        let mut rng = Rng::with_seed(seed);
        let memory = Memory::default();
        let slot = SaveDir::on(Arc::new(memory), "saves").slot("heron").unwrap();
        let mut game = newer::Keeper::open(&slot).unwrap();
        game.begin(None).unwrap();
        let mut ledgers = [Ledger::new(), Ledger::new()];
        let areas = [newer::areas::MILL, newer::areas::POND];
        for ledger in &mut ledgers {
            let ids =
                (0..rng.u32(..6)).map(|id| if rng.bool() { game.new_object() } else { ObjectId::from(id) });
            let ids: Vec<ObjectId> = ids.collect();
            ledger.extend(ids.into_iter().map(|id| (id, gate(id, &mut rng))));
        }
        let ghosts = [Ghost { id: 4.into(), seen: true }];
        for (at, area) in areas.into_iter().chain([newer::areas::MOOR]).enumerate() {
            game.recall(area, |area| {
                area.objects(&mut Vec::<Gate>::new());
                area.objects(&mut Vec::<Ghost>::new());
                area.objects(&mut Vec::<Raft>::new());
            })
            .unwrap();
            let gates: Vec<Gate> =
                ledgers.get(at).into_iter().flat_map(|ledger| ledger.values().cloned()).collect();
            game.put_by(area, |area| {
                area.objects(&gates);
                area.objects(&ghosts);
                area.objects(&[Raft { id: 8.into(), at: [1.0, 2.0] }]);
            })
            .unwrap();
        }
        game.close().unwrap();
        (0..rng.u8(1..4)).for_each(|_| open_older(&slot, &mut ledgers, &mut rng));
        let mut game = newer::Keeper::open(&slot).unwrap();
        for (at, area) in areas.into_iter().chain([newer::areas::MOOR]).enumerate() {
            let (mut gates, mut found, mut rafts) =
                (Vec::<Gate>::new(), Vec::<Ghost>::new(), Vec::<Raft>::new());
            game.recall(area, |area| {
                area.objects(&mut gates);
                area.objects(&mut found);
                area.objects(&mut rafts);
            })
            .unwrap();
            let expected: Vec<Gate> =
                ledgers.get(at).into_iter().flat_map(|ledger| ledger.values().cloned()).collect();
            assert_eq!(gates, expected, "seed {seed}");
            assert_eq!((found.as_slice(), rafts.len()), (ghosts.as_slice(), 1), "seed {seed}");
        }
    }
}
