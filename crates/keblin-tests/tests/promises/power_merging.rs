//! Power cut after every single call while saves of two machines are merged: at opening, when a file arrives during play, when
//! the slot is closed. What was acknowledged is there, and nothing counts twice, also when the other machine's file comes again.

use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use keblin::progress::Erase;
use keblin::store::Slot;
use keblin::store::backend::{Backend, Memory, PowerCut, Tear};
use keblin::{Keeper, SaveDir, Schema};

use crate::tables::schema;

const GAME: &str = r#"
    game = "ferry"
    version = 1
    autosave = []
    [fields]
    fish = { type = "int", scope = "profile", keep = "sum" }
    coins = { type = "int", scope = "profile", keep = "balance", default = 1000, min = 0 }
    best = { type = "int", scope = "profile", keep = "highest" }
    [[levels]]
    id = "brook"
"#;

const TEARS: [Tear; 6] = [Tear::Lost, Tear::Kept, Tear::Half, Tear::Zeroed, Tear::LastOnly, Tear::Mixed(1)];

fn slot(files: Arc<dyn Backend>) -> Slot {
    SaveDir::on(files, "saves").slot("otter").unwrap()
}

fn machine(number: u64) -> Memory {
    let files = Memory::default();
    files.set_machine(number);
    files
}

fn earn(game: &mut Keeper, fish: i64) {
    let schema = Arc::clone(game.schema());
    game.add(schema.field::<i64>("fish").unwrap(), fish);
    game.spend(schema.field::<i64>("coins").unwrap(), fish).unwrap();
    game.submit(schema.field::<Option<i64>>("best").unwrap(), fish);
}

/// Returns the fish, the coins and the best of a game.
fn held(game: &Keeper) -> (i64, i64, Option<i64>) {
    let schema = game.schema();
    let number = |name: &str| game.get(schema.field::<i64>(name).unwrap());
    (number("fish"), number("coins"), game.get(schema.field::<Option<i64>>("best").unwrap()).option())
}

/// Returns the files of a machine on which somebody has earned, from another one's file on.
fn played(files: &Memory, schema: &Arc<Schema>, from: Option<&[u8]>, fish: i64) -> Vec<u8> {
    let slot = slot(Arc::new(files.clone()));
    from.into_iter().for_each(|from| files.put_file(slot.path(), from.to_vec()));
    let mut game = Keeper::open(&slot, schema).unwrap();
    earn(&mut game, fish);
    game.close().unwrap();
    files.files().remove(&slot.path()).unwrap()
}

/// A sync program on a disk that can lose power: it writes the file of the other machine as a whole.
fn arrives(disk: &PowerCut, file: &[u8]) {
    let path = slot(Arc::new(disk.clone())).path();
    disk.publish(&path, Path::new("saves/.incoming"), &[file]).unwrap();
}

/// What was earned until a number of calls: what is acknowledged by then, and what is on the disk of the other machine's.
struct Known {
    calls: usize,
    fish: i64,
    best: i64,
}

#[test]
fn a_power_cut_while_two_saves_are_merged_loses_nothing_and_counts_nothing_twice() {
    let schema = schema(GAME);
    let (here, far) = (machine(1), machine(2));
    let base = played(&here, &schema, None, 1);
    let theirs = played(&far, &schema, Some(&base), 20);
    let later = played(&far, &schema, None, 40);
    // Ours has earned 5 since, and theirs arrives while the game is closed.
    played(&here, &schema, None, 4);
    here.put_file(slot(Arc::new(here.clone())).path(), theirs);
    let disk = PowerCut::of(&here);
    let known = |calls, fish, best| Known { calls, fish, best };
    let mut acknowledged = vec![known(0, 1 + 4 + 20, 20)];
    let mut game = Keeper::open(&slot(Arc::new(disk.clone())), &schema).unwrap();
    assert_eq!(held(&game), (25, 975, Some(20)));
    earn(&mut game, 7);
    game.save_now().unwrap();
    acknowledged.push(known(disk.calls(), 32, 20));
    // The other machine's next file arrives while the game is open. From now on it is on the disk.
    arrives(&disk, &later);
    acknowledged.push(known(disk.calls(), 72, 40));
    game.tick(Duration::ZERO);
    earn(&mut game, 3);
    game.save_now().unwrap();
    assert_eq!(held(&game).0, 75);
    acknowledged.push(known(disk.calls(), 75, 40));
    game.close().unwrap();
    let calls = disk.calls();
    assert!(calls > 20, "{calls}");
    let mut cuts = 0;
    disk.after_each_call(&TEARS, |calls, tear, left| {
        let last = acknowledged.iter().rposition(|known| known.calls <= calls).unwrap();
        let next = acknowledged.get(last + 1).unwrap_or(&acknowledged[last]);
        let said = |game: &Keeper| {
            format!("after call {calls}, {tear:?}: {:?} from {:?}", held(game), game.origin())
        };
        let on = slot(Arc::new(left.clone()));
        let mut game =
            Keeper::open(&on, &schema).unwrap_or_else(|error| panic!("call {calls}, {tear:?}: {error}"));
        let (fish, coins, best) = held(&game);
        let is = |known: &Known| (fish, best) == (known.fish, Some(known.best));
        assert!(is(&acknowledged[last]) || is(next), "{}", said(&game));
        assert_eq!(coins, 1000 - fish, "{}", said(&game));
        // The game goes on, and the other machine's last file comes once more.
        earn(&mut game, 100);
        game.close().unwrap();
        left.put_file(on.path(), later.clone());
        let game = Keeper::open(&on, &schema).unwrap();
        let without_theirs = if fish < 65 { 40 } else { 0 };
        assert_eq!(held(&game).0, fish + 100 + without_theirs, "{}", said(&game));
        cuts += 1;
    });
    assert!(cuts > 150, "{cuts}");
}

#[test]
fn a_power_cut_while_an_erasure_meets_another_save_brings_nothing_back() {
    let schema = schema(GAME);
    let (here, far) = (machine(1), machine(2));
    let base = played(&here, &schema, None, 30);
    let theirs = played(&far, &schema, Some(&base), 20);
    let disk = PowerCut::of(&here);
    let mut game = Keeper::open(&slot(Arc::new(disk.clone())), &schema).unwrap();
    game.erase(&Erase::Field(schema.field_named("fish").unwrap().0), true).unwrap();
    game.save_now().unwrap();
    let erased = disk.calls();
    arrives(&disk, &theirs);
    earn(&mut game, 2);
    game.save_now().unwrap();
    let saved = disk.calls();
    game.close().unwrap();
    disk.after_each_call(&TEARS, |calls, tear, left| {
        let game = Keeper::open(&slot(Arc::new(left)), &schema).unwrap();
        let fish = held(&game).0;
        let allowed: &[i64] = match calls {
            _ if calls >= saved => &[2],
            _ if calls >= erased => &[0, 2],
            _ => &[0, 30],
        };
        assert!(allowed.contains(&fish), "after call {calls}, {tear:?}: {fish}, not {allowed:?}");
    });
}
