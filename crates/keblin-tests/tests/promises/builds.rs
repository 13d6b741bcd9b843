//! Two builds of one game on one device: what only the larger one declares comes back from the smaller one, and
//! settings of a newer version are left as they are.

use std::sync::Arc;

use keblin::store::backend::Memory;
use keblin::store::{SaveError, Slot};
use keblin::{Field, Keeper, SaveDir, Schema};

/// A declaration, and what a later build of the same version adds to it.
const SMALL: &str = "game = 'reeds'\nversion = 1\nautosave = []\n\
    [fields.letters]\ntype = 'int'\nscope = 'run'\non_death = 'stays'\n\
    [fields.volume]\ntype = 'int'\nscope = 'device'\ndefault = 8\n\
    [[levels]]\nid = 'brook'\n";
const ADDED: &str = "[[levels]]\nid = 'weir'\n[fields.torches]\ntype = 'int'\nscope = 'run'\non_death = 'stays'\n\
    [fields.subtitles]\ntype = 'bool'\nscope = 'device'\n";

fn schema(text: &str) -> Arc<Schema> {
    Arc::new(Schema::parse("progress.toml", text).unwrap().schema)
}

fn builds() -> [Arc<Schema>; 2] {
    let large = SMALL.replace("[[levels]]\nid = 'brook'\n", &format!("[[levels]]\nid = 'brook'\n{ADDED}"));
    [schema(SMALL), schema(&large)]
}

fn slot(memory: &Memory) -> Slot {
    SaveDir::on(Arc::new(memory.clone()), "saves").slot("otter").unwrap()
}

#[test]
fn a_setting_that_a_smaller_build_does_not_know_is_reported_and_kept() {
    let ([small, large], memory) = (builds(), Memory::default());
    let mut game = Keeper::open(&slot(&memory), &large).unwrap();
    game.set(large.field::<bool>("subtitles").unwrap(), true);
    game.close().unwrap();
    let mut game = Keeper::open(&slot(&memory), &small).unwrap();
    let told: Vec<String> = game.findings().iter().map(ToString::to_string).collect();
    let expected =
        "device.subtitles: hint: unknown to this schema; preserved when settings are saved [carried_along]";
    assert!(told.iter().any(|told| told == expected), "{told:?}");
    game.set(small.field::<i64>("volume").unwrap(), 3);
    game.close().unwrap();
    let game = Keeper::open(&slot(&memory), &large).unwrap();
    assert!(game.get(large.field::<bool>("subtitles").unwrap()));
    assert_eq!(game.get(large.field::<i64>("volume").unwrap()), 3);
}

#[test]
fn a_run_value_that_a_smaller_build_does_not_know_stays_in_its_run() {
    let ([small, large], memory) = (builds(), Memory::default());
    let torches: Field<i64> = large.field("torches").unwrap();
    let lit = |game: &mut Keeper| {
        game.begin_replacing(None);
        game.set(torches, 9);
        game.save_now().unwrap();
    };
    let mut game = Keeper::open(&slot(&memory), &large).unwrap();
    lit(&mut game);
    game.close().unwrap();
    let mut game = Keeper::open(&slot(&memory), &small).unwrap();
    game.set(small.field::<i64>("volume").unwrap(), 3);
    game.close().unwrap();
    let game = Keeper::open(&slot(&memory), &large).unwrap();
    assert_eq!(game.get(torches), 9, "the same run");
    game.close().unwrap();
    let mut game = Keeper::open(&slot(&memory), &small).unwrap();
    game.begin_replacing(None);
    game.close().unwrap();
    assert_eq!(Keeper::open(&slot(&memory), &large).unwrap().get(torches), 0, "another run");
}

#[test]
fn a_furthest_level_that_a_smaller_build_does_not_know_is_reported_and_comes_back() {
    let ([small, large], memory) = (builds(), Memory::default());
    let mut game = Keeper::open(&slot(&memory), &large).unwrap();
    game.begin(None).unwrap();
    game.enter(large.level("weir").unwrap()).unwrap();
    game.leave().unwrap();
    game.end_run().unwrap();
    game.close().unwrap();
    let mut game = Keeper::open(&slot(&memory), &small).unwrap();
    let told = game.findings().iter().find(|finding| finding.code.as_str() == "id_kept").unwrap().to_string();
    assert!(told.contains("weir"), "{told}");
    game.begin(None).unwrap();
    game.enter(small.level("brook").unwrap()).unwrap();
    game.close().unwrap();
    let game = Keeper::open(&slot(&memory), &large).unwrap();
    assert_eq!(game.furthest(), Some(large.level("weir").unwrap()));
}

#[test]
fn settings_of_a_newer_version_are_refused_as_newer_and_a_change_to_them_is_an_error_of_the_save() {
    let memory = Memory::default();
    let newer = schema(&SMALL.replace("version = 1", "version = 2"));
    let far = SaveDir::on(Arc::new(memory.clone()), "saves").slot("heron").unwrap();
    let mut game = Keeper::open(&far, &newer).unwrap();
    game.set(newer.field::<i64>("volume").unwrap(), 1);
    game.close().unwrap();
    let device = SaveDir::on(Arc::new(memory.clone()), "saves").device_path();
    let before = memory.files()[&device].clone();

    let older = schema(SMALL);
    let (volume, letters): (Field<i64>, Field<i64>) =
        (older.field("volume").unwrap(), older.field("letters").unwrap());
    let mut game = Keeper::open(&slot(&memory), &older).unwrap();
    assert_eq!(game.findings()[0].code.as_str(), "settings_refused");
    let told = game.findings()[0].to_string();
    assert!(told.contains("version 2") && !told.contains("damaged"), "{told}");
    game.begin(None).unwrap();
    game.set(letters, 31);
    game.save_now().unwrap();
    game.set(letters, 32);
    game.set(volume, 5);
    let error = game.save_now().unwrap_err();
    assert!(matches!(error, SaveError::Refused { .. }), "{error}");
    assert!(error.to_string().contains("device.keblin"), "{error}");
    assert_eq!(memory.files()[&device], before, "the newer settings are as they were");
    assert_eq!(
        Keeper::view(&slot(&memory), &older).unwrap().get(letters),
        32,
        "progress is saved all the same"
    );
    game.save_now().unwrap();
    assert_eq!(game.get(volume), 5, "in this session, the player has what was chosen");
    game.close().unwrap();
}
