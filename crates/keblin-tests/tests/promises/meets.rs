//! When saves meet, nothing is lost: data that arrives late, a second copy of the game, settings of two slots.

use std::sync::Arc;
use std::time::Duration;

use keblin::rehearse::{FailureKind, Rehearsal};
use keblin::store::backend::{Backend, Memory, PowerCut, Tear};
use keblin::store::{Origin, Slot};
use keblin::{Field, Keeper, Notice, Progress, SaveDir, Schema};

const GAME: &str = "game = 'reeds'\nversion = 1\nautosave = ['change', 'run_end']\n\
    [fields.letters]\ntype = 'int'\nscope = 'run'\nmin = 0\non_death = 'stays'\n\
    [fields.knots]\ntype = 'int'\nscope = 'run'\non_death = 'checkpoint'\non_new_run = 'stays'\n\
    [fields.best]\ntype = 'int'\nscope = 'profile'\nkeep = 'highest'\nplaces = 10\nfrom = 'letters'\nat = ['run_end']\n\
    [fields.coppers]\ntype = 'int'\nscope = 'profile'\ndefault = 120\nmin = 0\nmax = 320\n\
    [fields.walked]\ntype = 'int'\nscope = 'profile'\nkeep = 'sum'\n\
    [fields.volume]\ntype = 'int'\nscope = 'device'\ndefault = 8\n\
    [fields.light]\ntype = 'int'\nscope = 'device'\ndefault = 3\n\
    [[levels]]\nid = 'brook'\n";

fn reeds() -> Arc<Schema> {
    Arc::new(Schema::parse("progress.toml", GAME).unwrap().schema)
}

fn int(schema: &Schema, id: &str) -> Field<i64> {
    schema.field(id).unwrap()
}

fn best(schema: &Schema) -> Field<Option<i64>> {
    schema.field("best").unwrap()
}

/// Returns progress that was saved after some changes.
fn saved(schema: &Arc<Schema>, play: impl FnOnce(&mut Progress)) -> keblin::Snapshot {
    let mut game = Progress::new(Arc::clone(schema));
    play(&mut game);
    game.snapshot()
}

#[test]
fn a_table_of_the_best_keeps_the_best_of_what_was_saved_and_of_what_was_played_before_it_arrived() {
    let schema = reeds();
    let best = best(&schema);
    let before =
        saved(&schema, |game| [100, 90, 80].into_iter().for_each(|value| _ = game.submit(best, value)));
    let mut game = Progress::awaiting(Arc::clone(&schema));
    [120, 110, 90].into_iter().for_each(|value| _ = game.submit(best, value));
    game.arrive(Some(before));
    assert_eq!(game.table(best).collect::<Vec<_>>(), [120, 110, 100, 90, 90, 80], "90 was reached twice");
}

#[test]
fn a_run_that_waited_ends_and_feeds_its_records_when_another_was_begun_before_it_arrived() {
    let schema = reeds();
    let (letters, best) = (int(&schema, "letters"), best(&schema));
    let before = saved(&schema, |game| {
        game.begin(None).unwrap();
        game.set(letters, 60);
    });
    let mut game = Progress::awaiting(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.add(letters, 2);
    game.drain_notices().for_each(drop);
    _ = game.take_due();
    game.arrive(Some(before));
    assert_eq!(
        (game.get(best).option(), game.get(letters)),
        (Some(60), 2),
        "the new run keeps its own letters"
    );
    let told: Vec<&str> = game.drain_notices().map(|notice: Notice| notice.word()).collect();
    assert_eq!(told, ["restored", "new_record", "run_over", "ready"]);
    assert!(game.take_due().is_some(), "the record must be saved");
}

#[test]
fn what_was_added_before_it_arrived_is_added_to_what_arrives_and_what_was_set_stays() {
    let schema = reeds();
    let (coppers, knots, walked) = (int(&schema, "coppers"), int(&schema, "knots"), int(&schema, "walked"));
    let before = saved(&schema, |game| {
        game.set(coppers, 300);
        game.add(walked, 40);
        game.begin(None).unwrap();
        game.set(knots, 7);
        game.end_run().unwrap();
    });
    let mut game = Progress::awaiting(Arc::clone(&schema));
    game.add(coppers, 5);
    game.add(walked, 2);
    game.begin(None).unwrap();
    game.enter(schema.level("brook").unwrap()).unwrap();
    game.add(knots, 1);
    game.arrive(Some(before.clone()));
    assert_eq!((game.get(coppers), game.get(walked), game.get(knots)), (305, 42, 8));
    game.die();
    assert_eq!(game.get(knots), 7, "and a death restores what was there on arrival in the level");
    let mut game = Progress::awaiting(Arc::clone(&schema));
    game.spend(coppers, 20).unwrap();
    game.add(coppers, 50);
    game.arrive(Some(before.clone()));
    assert_eq!(game.get(coppers), 320, "30 more than 300, up to the bound");
    let mut game = Progress::awaiting(Arc::clone(&schema));
    game.add(coppers, 5);
    game.set(coppers, 10);
    game.add(coppers, 5);
    game.arrive(Some(before));
    assert_eq!(game.get(coppers), 15, "set, so the loaded value does not matter");
}

fn slot(memory: &Memory, name: &str) -> Slot {
    SaveDir::on(Arc::new(memory.clone()), "saves").slot(name).unwrap()
}

#[test]
fn a_table_of_the_best_keeps_the_best_of_two_copies_of_the_game() {
    let schema = reeds();
    let best = best(&schema);
    let (memory, far) = (Memory::default(), Memory::default());
    let submit = |slot: &Slot, values: &[i64]| {
        let mut game = Keeper::open(slot, &schema).unwrap();
        values.iter().for_each(|value| _ = game.submit(best, *value));
        game
    };
    submit(&slot(&far, "otter"), &[70, 50, 20]).close().unwrap();
    let mut ours = submit(&slot(&memory, "otter"), &[60, 50]);
    ours.save_now().unwrap();
    let path = slot(&memory, "otter").path();
    let theirs = far.files()[&path].clone();
    memory.publish(&path, std::path::Path::new("saves/temporary"), &[&theirs]).unwrap();
    ours.submit(best, 10);
    ours.save_now().unwrap();
    ours.tick(Duration::from_millis(16));
    let all = [70, 60, 50, 50, 20, 10];
    assert_eq!(ours.table(best).collect::<Vec<_>>(), all, "each machine has entered a 50 of its own");
    ours.close().unwrap();
    assert_eq!(Keeper::view(&slot(&memory, "otter"), &schema).unwrap().table(best).collect::<Vec<_>>(), all);
}

#[test]
fn sums_counts_and_plain_values_are_what_both_copies_made_of_the_save_that_they_have_in_common() {
    let schema = reeds();
    let (coppers, walked, best) = (int(&schema, "coppers"), int(&schema, "walked"), best(&schema));
    let brook = schema.level("brook").unwrap();
    let memory = Memory::default();
    let mut ours = Keeper::open(&slot(&memory, "otter"), &schema).unwrap();
    let play = |game: &mut Keeper, steps: i64, record: i64| {
        game.add(walked, steps);
        game.submit(best, record);
        game.begin_replacing(None);
        game.enter(brook).unwrap();
        game.die();
        game.leave().unwrap();
        game.save_now().unwrap();
        game.tick(Duration::from_millis(16));
    };
    play(&mut ours, 100, 50);
    // Another machine continues this save, and so does ours.
    let far = Memory::of(memory.files());
    let mut theirs = Keeper::open(&slot(&far, "otter"), &schema).unwrap();
    play(&mut theirs, 30, 50);
    theirs.set(coppers, 300);
    theirs.close().unwrap();
    play(&mut ours, 7, 40);
    let path = slot(&memory, "otter").path();
    let (file, alone) = (far.files()[&path].clone(), memory.files()[&path].clone());
    memory.publish(&path, std::path::Path::new("saves/temporary"), &[&file]).unwrap();
    ours.save_now().unwrap();
    ours.tick(Duration::from_millis(16));
    let check = |game: &Keeper| {
        assert_eq!((game.get(walked), game.get(coppers)), (137, 300), "100 in common, 30 there and 7 here");
        let table: Vec<i64> = game.table(best).take(3).collect();
        assert_eq!(table, [50, 50, 40], "the common 50 once, and the other one");
        let facts = game.facts(brook, None);
        assert_eq!((facts.attempts, facts.deaths), (3, 3));
    };
    check(&ours);
    // The sync program puts the same file there again: it is known by now, and counts once.
    memory.publish(&path, std::path::Path::new("saves/temporary"), &[&file]).unwrap();
    ours.save_now().unwrap();
    ours.tick(Duration::from_millis(16));
    check(&ours);
    ours.close().unwrap();
    check(&Keeper::view(&slot(&memory, "otter"), &schema).unwrap());
    // The same when the file was replaced while the game was closed: our save is then the backup.
    let files = [(path.clone(), file.clone()), (slot(&memory, "otter").previous_path(), alone)];
    let memory = Memory::of(files);
    let opened = Keeper::open(&slot(&memory, "otter"), &schema).unwrap();
    assert!(matches!(opened.origin(), Origin::Met { .. }), "{:?}", opened.origin());
    check(&opened);
    opened.close().unwrap();
    memory.publish(&path, std::path::Path::new("saves/temporary"), &[&file]).unwrap();
    check(&Keeper::open(&slot(&memory, "otter"), &schema).unwrap());
}

#[test]
fn the_run_of_another_copy_ends_and_feeds_its_records_and_ours_is_played_on() {
    let schema = reeds();
    let (letters, best) = (int(&schema, "letters"), best(&schema));
    let (memory, far) = (Memory::default(), Memory::default());
    let mut theirs = Keeper::open(&slot(&far, "otter"), &schema).unwrap();
    theirs.begin(None).unwrap();
    theirs.set(letters, 60);
    theirs.close().unwrap();
    let mut ours = Keeper::open(&slot(&memory, "otter"), &schema).unwrap();
    ours.begin(None).unwrap();
    ours.set(letters, 4);
    ours.save_now().unwrap();
    let path = slot(&memory, "otter").path();
    memory.publish(&path, std::path::Path::new("saves/temporary"), &[&far.files()[&path]]).unwrap();
    ours.add(letters, 1);
    ours.save_now().unwrap();
    assert_eq!((ours.get(letters), ours.get(best).option()), (5, Some(60)));
    ours.end_run().unwrap();
    assert_eq!(ours.table(best).collect::<Vec<_>>(), [60, 5]);
    ours.close().unwrap();
    assert_eq!(
        Keeper::view(&slot(&memory, "otter"), &schema).unwrap().table(best).collect::<Vec<_>>(),
        [60, 5]
    );
}

#[test]
fn whenever_the_power_fails_while_two_copies_meet_what_both_had_opens_or_what_was_there_before() {
    let schema = reeds();
    let (walked, best) = (int(&schema, "walked"), best(&schema));
    let files = PowerCut::new();
    let here = SaveDir::on(Arc::new(files.clone()), "saves").slot("otter").unwrap();
    let mut ours = Keeper::open(&here, &schema).unwrap();
    ours.add(walked, 100);
    ours.save_now().unwrap();
    let far = Memory::of(files.files().files());
    let mut theirs = Keeper::open(&slot(&far, "otter"), &schema).unwrap();
    theirs.add(walked, 30);
    theirs.submit(best, 70);
    theirs.close().unwrap();
    ours.add(walked, 7);
    ours.submit(best, 60);
    ours.save_now().unwrap();
    let alone = files.calls();
    files
        .publish(&here.path(), std::path::Path::new("saves/temporary"), &[&far.files()[&here.path()]])
        .unwrap();
    let synced = files.calls();
    ours.save_now().unwrap();
    let met = files.calls();
    ours.save_now().unwrap();
    ours.close().unwrap();
    let tears = [Tear::Lost, Tear::Kept, Tear::Half, Tear::Zeroed, Tear::LastOnly, Tear::Mixed(7)];
    let mut cuts = 0;
    files.after_each_call(&tears, |calls, tear, left| {
        if calls < alone {
            return;
        }
        cuts += 1;
        let place = format!("{calls} of {met} calls, {tear:?}");
        let game =
            Keeper::open(&slot(&left, "otter"), &schema).unwrap_or_else(|error| panic!("{place}: {error}"));
        let (table, walked) = (game.table(best).collect::<Vec<_>>(), game.get(walked));
        if calls >= met {
            assert_eq!((table, walked), (vec![70, 60], 137), "{place}: what both had");
        } else if calls >= synced {
            // The sync program has replaced our last save; until the next one is complete, theirs is there.
            assert!(table.contains(&70) && [130, 137].contains(&walked), "{place}: {table:?}, {walked}");
        } else {
            assert!(table.contains(&60) || table.contains(&70), "{place}: {table:?}");
        }
    });
    assert!(cuts > 60, "{cuts}");
}

#[test]
fn a_slot_that_never_changed_a_setting_leaves_it_as_another_slot_has_set_it() {
    let schema = reeds();
    let (volume, light) = (int(&schema, "volume"), int(&schema, "light"));
    let memory = Memory::default();
    let mut one = Keeper::open(&slot(&memory, "anke"), &schema).unwrap();
    let mut other = Keeper::open(&slot(&memory, "jorid"), &schema).unwrap();
    one.set(volume, 2);
    one.save_now().unwrap();
    other.set(light, 9);
    other.save_now().unwrap();
    other.close().unwrap();
    one.close().unwrap();
    let now = Keeper::view(&slot(&memory, "anke"), &schema).unwrap();
    assert_eq!((now.get(volume), now.get(light)), (2, 9));
}

#[test]
fn an_expectation_elsewhere_is_checked_and_only_steps_that_make_sense_there_are_accepted() {
    let schema = reeds();
    let run = |text: &str| Rehearsal::parse("copies.txt", text, &schema).unwrap().run();
    let text = "set coppers 200\nquit\nelsewhere expect coppers == 200\nelsewhere expect open brook\n";
    assert!(run(text).failure.is_none());
    let failure = run(&text.replace("== 200", "== 201")).failure.unwrap();
    assert_eq!(failure.line, 3);
    assert!(matches!(failure.kind, FailureKind::Expectation { .. }), "{failure:?}");
    for step in
        ["elsewhere quit", "elsewhere expect notice ready once", "elsewhere elsewhere die", "elsewhere hold"]
    {
        let findings = Rehearsal::parse("copies.txt", step, &schema).unwrap_err().to_string();
        assert!(findings.contains("expected an event or an expectation about values"), "{findings}");
    }
}
