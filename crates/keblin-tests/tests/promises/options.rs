//! Settings before a slot is chosen, and renaming a slot.

use std::fs;
use std::sync::Arc;

use keblin::store::{Settings, SlotError};
use keblin::{Field, Keeper, SaveDir, Schema};

use crate::tables::schema;

fn game() -> Arc<Schema> {
    schema(
        "game = 'otter'\nversion = 1\n[fields]\nvolume = { type = 'int', scope = 'device', default = 80, min = 0, max = 100 }\n\
         subtitles = { type = 'bool', scope = 'device' }\nshells = { type = 'int', scope = 'profile' }\n",
    )
}

fn fields(schema: &Schema) -> (Field<i64>, Field<bool>, Field<i64>) {
    (schema.field("volume").unwrap(), schema.field("subtitles").unwrap(), schema.field("shells").unwrap())
}

#[test]
fn settings_are_there_before_a_slot_and_in_every_slot() {
    let (schema, folder) = (game(), tempfile::tempdir().unwrap());
    let (volume, subtitles, shells) = fields(&schema);
    let saves = SaveDir::at(folder.path().join("saves"));
    let mut settings = Settings::open(&saves, &schema);
    assert_eq!((settings.get(volume), settings.get(subtitles)), (80, false));
    assert!(settings.findings().is_empty());
    settings.save().unwrap();
    assert!(!saves.folder().exists(), "nothing has changed, so nothing is written");
    assert!(settings.set(volume, 400).clamped);
    settings.add(volume, -30);
    let refused = settings.set(shells, 3).refused.unwrap().to_string();
    assert_eq!(refused, "shells: refused: it belongs to a slot, and only settings are open; open the slot");
    assert!(settings.add(shells, 3).refused.is_some());
    let refused = settings.begin(None).unwrap_err().to_string();
    assert_eq!(refused, "begin: refused: it belongs to a slot, and only settings are open; open the slot");
    drop(settings);

    let mut game = Keeper::open(&saves.slot("anke").unwrap(), &schema).unwrap();
    assert_eq!((game.get(volume), game.get(shells)), (70, 0));
    // The title screen of another copy of the game changes one setting while this one plays and changes the other.
    let mut settings = Settings::open(&saves, &schema);
    settings.set(volume, 10);
    settings.save().unwrap();
    game.set(subtitles, true);
    game.set(shells, 5);
    game.close().unwrap();
    let settings = Settings::open(&saves, &schema);
    assert_eq!((settings.get(volume), settings.get(subtitles)), (10, true));
    let other = Keeper::open(&saves.slot("jorid").unwrap(), &schema).unwrap();
    assert_eq!((other.get(volume), other.get(subtitles), other.get(shells)), (10, true, 0));
}

#[test]
fn damaged_settings_have_their_defaults_and_say_so() {
    let (schema, folder) = (game(), tempfile::tempdir().unwrap());
    let (volume, ..) = fields(&schema);
    let saves = SaveDir::at(folder.path());
    fs::create_dir_all(saves.device_path().parent().unwrap()).unwrap();
    fs::write(saves.device_path(), b"not a save").unwrap();
    let mut settings = Settings::open(&saves, &schema);
    assert_eq!(settings.get(volume), 80);
    assert_eq!(settings.findings()[0].code, keblin::save::SaveCode::SettingsDamaged);
    settings.set(volume, 20);
    settings.save().unwrap();
    let settings = Settings::open(&saves, &schema);
    assert_eq!((settings.get(volume), settings.findings().len()), (20, 0));
    assert!(folder.path().join("aside/device.damaged-1.keblin").exists(), "the damaged file is kept");
}

#[test]
fn a_renamed_slot_has_its_progress_its_title_and_its_pins() {
    let (schema, folder) = (game(), tempfile::tempdir().unwrap());
    let (_, _, shells) = fields(&schema);
    let saves = SaveDir::at(folder.path());
    let mut game = Keeper::open(&saves.slot("anke").unwrap(), &schema).unwrap();
    game.set_title("Anke's first").unwrap();
    for count in [3, 4] {
        game.set(shells, count);
        game.save_now().unwrap();
    }
    game.pin("before_the_weir").unwrap();
    let in_use = saves.rename("anke", "jorid").unwrap_err();
    assert!(matches!(in_use, SlotError::InUse { .. }), "{in_use}");
    game.close().unwrap();

    let renamed = saves.rename("anke", "jorid").unwrap();
    assert_eq!(saves.slots().unwrap().iter().map(ToString::to_string).collect::<Vec<_>>(), ["jorid"]);
    drop(renamed);
    let game = Keeper::open(&saves.slot("jorid").unwrap(), &schema).unwrap();
    assert_eq!((game.get(shells), game.title()), (4, Some("Anke's first")));
    assert_eq!(game.pins().unwrap()[0].name.as_str(), "before_the_weir");
    drop(game);
    assert_eq!(Keeper::open(&saves.slot("anke").unwrap(), &schema).unwrap().get(shells), 0, "a new slot");
}

#[test]
fn a_name_that_is_taken_or_missing_is_refused_and_nothing_is_lost() {
    let (schema, folder) = (game(), tempfile::tempdir().unwrap());
    let (_, _, shells) = fields(&schema);
    let saves = SaveDir::at(folder.path());
    for (name, count) in [("anke", 1), ("jorid", 2)] {
        let mut game = Keeper::open(&saves.slot(name).unwrap(), &schema).unwrap();
        game.set(shells, count);
        game.close().unwrap();
    }
    assert!(matches!(saves.rename("anke", "jorid"), Err(SlotError::Taken { .. })));
    assert!(matches!(saves.rename("nobody", "somebody"), Err(SlotError::Missing { .. })));
    assert!(matches!(saves.rename("anke", "../anke"), Err(SlotError::Name(_))));
    assert!(saves.rename("anke", "anke").is_ok(), "its own name changes nothing");
    for (name, count) in [("anke", 1), ("jorid", 2)] {
        assert_eq!(Keeper::open(&saves.slot(name).unwrap(), &schema).unwrap().get(shells), count, "{name}");
    }
}

#[test]
fn an_interrupted_rename_is_finished_by_another_call_and_no_pin_is_overwritten() {
    let (schema, folder) = (game(), tempfile::tempdir().unwrap());
    let (_, _, shells) = fields(&schema);
    let saves = SaveDir::at(folder.path());
    let play = |name: &str, count: i64, pin: &str| {
        let mut game = Keeper::open(&saves.slot(name).unwrap(), &schema).unwrap();
        game.set(shells, count);
        game.pin(pin).unwrap();
        game.close().unwrap();
    };
    let pins = |name: &str| -> Vec<String> {
        let pins = saves.slot(name).unwrap().pins().unwrap();
        pins.iter().map(|pin| pin.name.to_string()).collect()
    };
    // Cut off after the file has its new name.
    play("anke", 3, "weir");
    let aside = saves.slot("anke").unwrap().previous_path();
    fs::rename(saves.slot("anke").unwrap().path(), saves.slot("kit").unwrap().path()).unwrap();
    fs::write(&aside, b"a backup").unwrap();
    assert!(
        matches!(saves.rename("anke", "kit"), Err(SlotError::Missing { .. })),
        "a slot that can be repaired"
    );
    assert_eq!(pins("anke"), ["weir"], "and its pins stay with it");
    fs::remove_file(&aside).unwrap();
    saves.rename("anke", "kit").unwrap();
    assert_eq!((pins("anke").len(), pins("kit")), (0, vec!["weir".to_string()]));

    // Pins of the same name in both: neither is lost.
    play("anke", 5, "weir");
    fs::remove_file(saves.slot("anke").unwrap().path()).unwrap();
    let _ = fs::remove_file(&aside);
    assert!(matches!(saves.rename("anke", "kit"), Err(SlotError::Taken { .. })));
    assert_eq!((pins("anke"), pins("kit")), (vec!["weir".to_string()], vec!["weir".to_string()]));
    let kept = saves.slot("kit").unwrap().pinned("weir", &schema).unwrap();
    assert_eq!(keblin::Progress::restored(kept).get(shells), 3);
}
