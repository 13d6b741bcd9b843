//! Old saves: the demo's three versions, with the numbers that a player of that time would look for.

use std::fs;
use std::sync::Arc;

use keblin::condition::names::resolve;
use keblin::condition::{Node, parse};
use keblin::migrate::{Account, Became};
use keblin::progress::Holder;
use keblin::save::{Stamp, read as read_save, write};
use keblin::store::{OpenError, Origin};
use keblin::verify::{salvage, verify};
use keblin::{AnyGame, Field, Files, Notice, Play, Progress, SaveDir, Schema, Snapshot, TextFile, Value};

use crate::steps::{parsed, versions};
use crate::tables::read;

keblin::schema!(fen_post, "../../demo/progress.toml");

/// Returns The Fen Post as it was in a version, with its past versions.
pub(crate) fn fen_post_of(version: u32) -> Arc<Schema> {
    let text = |version: u32| match version {
        5 => read("demo/progress.toml"),
        past => read(&format!("demo/frozen/v{past}.toml")),
    };
    let texts: Vec<String> = (1..=version).map(text).collect();
    let steps: Vec<String> = (2..=version).map(|to| read(&format!("demo/migrations/v{to}.toml"))).collect();
    let texts: Vec<&str> = texts.iter().map(String::as_str).collect();
    versions(&texts, &steps.iter().map(String::as_str).collect::<Vec<_>>()).unwrap()
}

/// Supposes a value by its name.
pub(crate) fn suppose(game: &mut Progress, name: &str, value: Value) {
    let Node::Path(path) = parse(name).unwrap().node else { panic!("{name}") };
    let asked = resolve(game.schema(), &path).unwrap();
    game.suppose_asked(&asked, value).unwrap();
}

pub(crate) fn answer<P: Holder>(game: &Play<AnyGame, P>, name: &str) -> Value {
    let Node::Path(path) = parse(name).unwrap().node else { panic!("{name}") };
    game.answer(&resolve(game.schema(), &path).unwrap())
}

/// A run of version 1: parcels 31, oil 17, four routes done, route 2 crossed in 92.4 seconds.
pub(crate) fn long_ago(oil: i64) -> Snapshot {
    let mut game = Progress::new(fen_post_of(1));
    game.begin(None).unwrap();
    suppose(&mut game, "parcels", Value::Int(31));
    suppose(&mut game, "oil", Value::Int(oil));
    suppose(&mut game, "routes_done", Value::Int(4));
    suppose(&mut game, "levels.long_mere.crossing", Value::float(92.4).unwrap());
    game.snapshot()
}

/// What that player finds in version 3.
#[track_caller]
pub(crate) fn is_all_there<P: Holder>(game: &Play<AnyGame, P>, oil: i64) {
    let number = |name| answer(game, name).number();
    assert_eq!(number("letters"), Some(31));
    assert_eq!(number("oil"), Some(oil));
    assert_eq!(number("boats"), Some(4));
    assert!(answer(game, "satchel").is_empty());
    for (index, level) in game.schema().levels.iter().enumerate() {
        let finished =
            |on| answer(game, &format!("levels.{}.{on}.finished", level.name)) == Value::Bool(true);
        assert_eq!((finished("neap"), finished("spring")), (index < 4, false), "{}", level.name);
    }
    assert_eq!(number("levels.long_mere.neap.best_crossing"), Some(92_400_000_000));
    assert_eq!(answer(game, "levels.long_mere.spring.best_crossing"), Value::Unset);
    let neap = game.schema().difficulty("neap").unwrap();
    let cards = game.level_cards(Some(neap));
    assert!(cards[3].open && !cards[4].open, "eight stamps are needed for route 5, and there are none");
    assert_eq!(cards[4].lock.iter().filter(|part| !part.met).count(), 1);
}

#[test]
fn a_save_of_version_1_opens_in_version_3_by_both_steps() {
    let schema = fen_post_of(3);
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    slot.save(&long_ago(17), "quit").unwrap();
    let original = fs::read(slot.path()).unwrap();
    let mut opened = slot.open(&schema).unwrap();
    assert_eq!((&opened.origin, opened.findings.len()), (&Origin::File, 1));
    let told =
        "state: hint: saved by version 1 of the game; opening migrates it to version 3 [earlier_version]";
    assert_eq!(opened.findings[0].to_string(), told);
    let notices: Vec<Notice> = opened.progress.drain_notices().collect();
    let [Notice::Restored, Notice::Migrated(account)] = notices.as_slice() else { panic!("{notices:?}") };
    assert_eq!((account.from, account.to), (1, 3));
    let mut steps: Vec<u32> = account.entries.iter().map(|entry| entry.to).collect();
    steps.dedup();
    assert_eq!(steps, [2, 3], "the steps 1 -> 2 and 2 -> 3");
    is_all_there(&opened.progress, 17);
    assert_eq!(fs::read(slot.path()).unwrap(), original, "opening changes nothing");
    // The first good save replaces it, and the original becomes the backup.
    slot.save(&opened.progress.snapshot(), "quit").unwrap();
    assert_eq!(fs::read(folder.path().join("aside/otter.previous.keblin")).unwrap(), original);
    assert_eq!(read_save(&fs::read(slot.path()).unwrap()).unwrap().head.schema_version, 3);
    let again = slot.open(&schema).unwrap();
    assert!(
        again.progress.clone().drain_notices().all(|notice| notice == Notice::Restored),
        "no step is left"
    );
    is_all_there(&again.progress, 17);
    assert!(again.progress.snapshot() == opened.progress.snapshot());
    // If the last save is lost, the old save opens once more.
    fs::write(slot.path(), b"").unwrap();
    is_all_there(&slot.open(&schema).unwrap().progress, 17);
}

#[test]
fn one_step_after_the_other_is_the_same_as_both_at_once() {
    let save = |snapshot: &Snapshot| write(snapshot, &Stamp::first(1, "test"));
    let of_v1 = save(&long_ago(17));
    let by_2 = verify(&of_v1, &fen_post_of(2)).unwrap();
    assert_eq!(by_2.account().unwrap().to, 2);
    let of_v2 = save(by_2.snapshot());
    assert_eq!(read_save(&of_v2).unwrap().head.schema_version, 2);
    let (from_2, from_1) =
        (verify(&of_v2, &fen_post_of(3)).unwrap(), verify(&of_v1, &fen_post_of(3)).unwrap());
    assert!(from_2.snapshot() == from_1.snapshot());
    is_all_there(&from_2.into_progress(), 17);
}

#[test]
fn more_oil_than_there_may_be_becomes_as_much_as_there_may_be_and_is_told() {
    let save = verify(&write(&long_ago(80), &Stamp::first(1, "test")), &fen_post_of(3)).unwrap();
    let account: &Account = save.account().unwrap();
    let oil: Vec<&Became> =
        account.entries.iter().filter(|entry| entry.place == "oil").map(|entry| &entry.fate).collect();
    let clamped = Became::Clamped { before: Value::Int(80), now: Value::Int(60) };
    assert_eq!(oil, [&Became::Carried, &clamped]);
    is_all_there(&save.into_progress(), 60);
}

/// Compiled names know the past versions, without any code in the game.
#[test]
fn a_game_with_names_opens_saves_of_every_version() {
    assert_eq!(fen_post::schema().past().len(), 4);
    for (version, snapshot) in [(1, long_ago(17)), (5, Progress::new(fen_post_of(5)).snapshot())] {
        let folder = tempfile::tempdir().unwrap();
        SaveDir::at(folder.path()).slot("otter").unwrap().save(&snapshot, "quit").unwrap();
        let mut keeper = fen_post::Keeper::open(&SaveDir::at(folder.path()).slot("otter").unwrap()).unwrap();
        let told = keeper.drain_notices().any(|notice| matches!(notice, fen_post::Notice::Migrated(_)));
        assert_eq!(told, version == 1);
        assert_eq!(keeper.get(fen_post::fields::LETTERS), if version == 1 { 31 } else { 0 });
        let slot = folder.path().join("otter.keblin");
        let original = fs::read(&slot).unwrap();
        keeper.save_now().unwrap();
        assert_eq!(read_save(&fs::read(&slot).unwrap()).unwrap().head.schema_version, 5);
        assert_eq!(fs::read(folder.path().join("aside/otter.previous.keblin")).unwrap(), original);
        keeper.close().unwrap();
    }
}

/// If the saved checkpoint was dropped, the player is at the start of the level, as after a death.
#[test]
fn a_checkpoint_that_is_gone_puts_the_player_at_the_start_of_the_level() {
    let schema = fen_post_of(2);
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    suppose(&mut game, "routes_done", Value::Int(3));
    let sluice = schema.level("black_sluice").unwrap();
    game.enter(sluice).unwrap();
    let (oil, letters): (Field<i64>, Field<i64>) =
        (schema.field("oil").unwrap(), schema.field("letters").unwrap());
    game.add(oil, -10);
    game.reach(schema.checkpoint(sluice, "stake").unwrap()).unwrap();
    game.add(oil, -5);
    game.add(letters, 2);
    let save = verify(&write(&game.snapshot(), &Stamp::first(1, "test")), &fen_post_of(3)).unwrap();
    let dropped = Became::Dropped { before: Value::text("stake") };
    let entries = &save.account().unwrap().entries;
    assert!(entries.iter().any(|entry| entry.place == "run.checkpoint" && entry.fate == dropped));
    assert_eq!(save.findings().len(), 1, "that it is of an earlier version");
    let mut game = save.into_progress();
    assert_eq!(answer(&game, "oil"), Value::Int(60), "as on arrival: a death puts oil back");
    assert_eq!(answer(&game, "letters"), Value::Int(2), "letters stay with the player");
    game.resume().unwrap();
    assert_eq!(
        (answer(&game, "level"), answer(&game, "checkpoint")),
        (Value::text("black_sluice"), Value::Unset)
    );
}

#[test]
fn what_leads_nowhere_is_refused_and_left_alone() {
    let one =
        "game = 'reeds'\nversion = 1\n[fields]\noil = { type = 'int', scope = 'profile', default = 70 }\n";
    let two = "game = 'reeds'\nversion = 2\n[fields]\noil = { type = 'int', scope = 'profile', max = 60 }\n";
    let step = "[fields.oil]\nmax = 60\nmisfit = 'refuse'\n";
    let refusing = versions(&[one, two], &[step]).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    slot.save(&Progress::new(parsed(one)).snapshot(), "quit").unwrap();
    let before = fs::read(slot.path()).unwrap();
    for (schema, code, told) in [
        (refusing, "step_failed", "the step to version 2 failed: oil, 70: it is above 60"),
        (Arc::new(parsed(two)), "older_version", "which cannot be migrated to version 2"),
    ] {
        let Err(OpenError::Refused { error, .. }) = slot.open(&schema) else { panic!("{code} was opened") };
        assert_eq!(error.fault.code().as_str(), code);
        assert!(error.to_string().contains(told), "{error}");
        assert_eq!(fs::read(slot.path()).unwrap(), before);
    }
    let older = versions(&[&one.replace("70", "50"), two], &[step]).unwrap();
    SaveDir::at(folder.path()).slot("owl").unwrap().save(&Progress::new(older).snapshot(), "quit").unwrap();
    let newer = SaveDir::at(folder.path()).slot("owl").unwrap().open(&Arc::new(parsed(one))).unwrap_err();
    assert!(newer.to_string().contains("saved by version 2 of the game, but this is version 1"), "{newer}");
}

/// Only a state names its version. Without an intact state, the keys of the sections show it.
#[test]
fn what_is_salvaged_of_an_earlier_version_goes_by_its_steps() {
    let mut bytes = write(&long_ago(17), &Stamp::first(1, "test"));
    let state = read_save(&bytes).unwrap().head.offset;
    bytes[state + 12] ^= 0xff;
    let schema = fen_post_of(3);
    assert!(verify(&bytes, &schema).is_err());
    let salvaged = salvage(&bytes, &schema).unwrap();
    let account = salvaged.account.unwrap();
    assert_eq!((account.from, account.to), (1, 3));
    is_all_there(&Progress::restored(salvaged.snapshot), 17);
    assert!(
        salvage(&write(&Progress::new(schema.clone()).snapshot(), &Stamp::first(1, "test")), &schema)
            .unwrap()
            .account
            .is_none()
    );
}

/// Thresholds, stars, defaults and titles can be changed freely.
#[test]
fn balance_changes_no_save_and_needs_no_version() {
    let text = read("demo/progress.toml");
    let save = write(&Progress::new(fen_post_of(5)).snapshot(), &Stamp::first(1, "test"));
    let held = verify(&save, &fen_post_of(5)).unwrap().snapshot().clone();
    for (from, to) in [
        ("totals.all.stars >= 8", "totals.all.stars >= 9"),
        ("stars = 3", "stars = 2"),
        ("default = 120", "default = 90"),
        ("title = \"Reedgate\"", "title = \"The Gate\""),
    ] {
        let file = |name: &str, text: &str| TextFile { name: name.to_string(), text: text.to_string() };
        let edited = text.replace(from, to);
        assert_ne!(edited, text);
        let mut files = Files { declaration: file("progress.toml", &edited), ..Files::default() };
        files.frozen.insert(5, file("frozen/v5.toml", &read("demo/frozen/v5.toml")));
        let balanced = Schema::parse_with_past(&files).unwrap();
        let told: Vec<String> = balanced.of_past.iter().map(ToString::to_string).collect();
        // A rule that asks for more is pointed out, without an error.
        assert_eq!(told.len(), usize::from(to.ends_with("stars >= 9")), "{told:?}");
        assert!(
            told.iter().all(|told| told.contains("hint: since version 5 was frozen: unlock fog_lamp")),
            "{told:?}"
        );
        let schema = Arc::new(balanced.schema);
        let opened = verify(&save, &schema).unwrap();
        assert!(opened.account().is_none() && opened.snapshot() == &held, "{from}");
        assert_eq!(write(opened.snapshot(), &Stamp::first(1, "test")).len(), save.len());
    }
}
