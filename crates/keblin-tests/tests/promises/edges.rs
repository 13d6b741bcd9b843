//! Edge cases of steps: values that did not fit their own version, copies, the game's code, device settings.

use std::fs;
use std::sync::Arc;

use keblin::migrate::{CodeError, set_code};
use keblin::progress::Erase;
use keblin::save::{Stamp, read, write};
use keblin::store::OpenError;
use keblin::verify::verify;
use keblin::{Field, Files, Keeper, Notice, Progress, SaveDir, TextFile, Value};

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};
use crate::tables::schema;
use crate::years::{answer, fen_post_of, is_all_there, long_ago, suppose};

/// A save may exceed its own version's limits, because of a tool or a bug: this is reported and clamped, and does not
/// cost the player the save, just as within one version.
#[test]
fn what_did_not_fit_its_own_version_costs_nobody_the_save() {
    let with = |version: u32, oil: i64, name: i64, bag: i64| {
        format!(
            "game = 'reeds'\nversion = {version}\n[shapes.reed]\nmembers = {{ high = {{ type = 'int', max = {oil} }} }}\n\
             [fields]\noil = {{ type = 'int', scope = 'profile', max = {oil} }}\nname = {{ type = 'text', max_len = {name}, \
             scope = 'profile' }}\nbag = {{ type = 'list', of = 'int', max_items = {bag}, scope = 'profile' }}\n\
             reed = {{ type = 'shape', of = 'reed', scope = 'profile' }}\n"
        )
    };
    let loose = Arc::new(parsed(&with(1, 5000, 20, 9)));
    let mut game = Progress::new(Arc::clone(&loose));
    for (name, text) in
        [("oil", "1000"), ("name", "'Old Ruth'"), ("bag", "[1, 2, 3]"), ("reed", "{ high = 900 }")]
    {
        let (_, field) = loose.field_named(name).unwrap();
        suppose(&mut game, name, loose.written(field.holds(), text).unwrap());
    }
    let bytes = write(&game.snapshot(), &Stamp::first(1, "test"));
    let tight = [with(1, 99, 3, 2), with(2, 99, 3, 2)];
    let save = verify(&bytes, &versions(&[&tight[0], &tight[1]], &[]).unwrap()).unwrap();
    let told: Vec<&str> = save.findings().iter().map(|finding| finding.code.as_str()).collect();
    assert_eq!(told, ["earlier_version", "out_of_bounds", "does_not_fit", "does_not_fit", "does_not_fit"]);
    let entries: Vec<String> = save.account().unwrap().entries.iter().map(ToString::to_string).collect();
    assert_eq!(
        entries,
        [
            "oil: clamped 1000 -> 99",
            "name: clamped \"Old Ruth\" -> \"Old\"",
            "bag: clamped [1, 2, 3] -> [1, 2]",
            "reed: changed {high: 900} -> {high: 99}"
        ]
    );
}

/// Values for the copies that a death and a retry restore are computed from the copies.
#[test]
fn a_copy_is_filled_from_the_copy() {
    let one = "game = 'reeds'\nversion = 1\n[fields]\noil = { type = 'int', scope = 'run', default = 60, on_death = 'entry' }\n\
               [[levels]]\nid = 'brook'\ncheckpoints = ['log']\n";
    let two = one.replace("version = 1", "version = 2").replace(
        "[[levels]]",
        "sips = { type = 'int', scope = 'run', default = 6, on_death = 'entry' }\n[[levels]]",
    );
    let schema = versions(&[one, &two], &["[fields.sips]\nfill = 'oil / 10'\n"]).unwrap();
    let before = Arc::new(parsed(one));
    let mut game = Progress::new(Arc::clone(&before));
    let oil: Field<i64> = before.field("oil").unwrap();
    game.begin(None).unwrap();
    game.set(oil, 50);
    game.enter(before.level("brook").unwrap()).unwrap();
    game.set(oil, 20);
    let mut game =
        verify(&write(&game.snapshot(), &Stamp::first(1, "test")), &schema).unwrap().into_progress();
    game.resume().unwrap();
    // Resuming leads to the same place, with the values that a death would restore there.
    assert_eq!(["oil", "sips"].map(|name| answer(&game, name)), [Value::Int(50), Value::Int(5)]);
}

/// Where a step is not enough, the game sets the value in code, once; without that code such a save is left
/// untouched.
#[test]
fn a_game_may_do_a_part_of_a_step_itself() {
    let one = "game = 'reeds'\nversion = 1\n[fields]\nname = { type = 'text', max_len = 20, scope = 'profile', default = 'Old Ruth' }\n\
               fish = { type = 'int', scope = 'profile', default = 7 }\n";
    let two = "game = 'reeds'\nversion = 2\n[fields]\ninitials = { type = 'text', max_len = 4, scope = 'profile' }\n\
               fish = { type = 'int', scope = 'profile' }\n";
    let step = "drop = ['fields.name']\n[fields.initials]\nby = 'code'\n";
    let [one, two] = [one, two].map(|text| format!("{text}[[levels]]\nid = 'brook'\n"));
    let [one, two] = [one.as_str(), two.as_str()];
    let schema = versions(&[one, two], &[step]).unwrap();
    let bytes = write(&Progress::new(parsed(one)).snapshot(), &Stamp::first(1, "test"));
    let error = verify(&bytes, &schema).unwrap_err();
    assert!(
        error.to_string().contains(
            "in the step to version 2, initials needs the game's own code: open the save in the game"
        ),
        "{error}"
    );
    assert_eq!(set_code(&schema, 3, |_, _| Ok(())), Err(CodeError::NoStep { to: 3 }));
    set_code(&schema, 2, |before, now| {
        let Value::Text(name) =
            before.values().find(|held| held.field.name.as_str() == "name").unwrap().value.clone()
        else {
            return Err("no name".to_string());
        };
        if name.starts_with('?') {
            return Err("nobody is called so".to_string());
        }
        let initials: String = name.split(' ').filter_map(|word| word.chars().next()).collect();
        now.put("initials", Value::text("too many letters")).unwrap_err();
        now.put("nothing", Value::Int(1)).unwrap_err();
        now.put("levels.brook.attempts", Value::Int(-1)).unwrap_err();
        now.put("levels.brook.finished", Value::Bool(true))?;
        now.put("levels.brook.attempts", Value::Int(4))?;
        now.put("initials", Value::text(&initials))
    })
    .unwrap();
    assert_eq!(set_code(&schema, 2, |_, _| Ok(())), Err(CodeError::Twice { to: 2 }));
    let save = verify(&bytes, &schema).unwrap();
    let entries: Vec<String> = save.account().unwrap().entries.iter().map(ToString::to_string).collect();
    assert_eq!(
        entries,
        [
            "fish: carried",
            "initials: filled \"OR\"",
            "levels.brook.finished: filled true",
            "levels.brook.attempts: filled 4"
        ],
        "a default is nothing that could be lost"
    );
    let mut game = Progress::new(parsed(one));
    game.set(game.schema().clone().field::<String>("name").unwrap(), "?".to_string());
    let error = verify(&write(&game.snapshot(), &Stamp::first(1, "test")), &schema).unwrap_err();
    assert!(error.to_string().contains("nobody is called so"), "{error}");
}

#[test]
fn settings_of_the_device_come_along() {
    let one = "game = 'reeds'\nversion = 1\n[fields]\nhorn = { type = 'int', scope = 'device', default = 7 }\nfish = { type = 'int', scope = 'profile' }\n";
    let two = "game = 'reeds'\nversion = 2\n[fields]\nhorn_volume = { type = 'float', scope = 'device' }\nfish = { type = 'int', scope = 'profile' }\n";
    let step = "[fields.horn_volume]\nfrom = 'horn'\ntype = 'float'\nscale = 0.1\n";
    let schema = versions(&[one, two], &[step]).unwrap_or_else(|faults| panic!("{faults}"));
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let mut game = Progress::new(parsed(one));
    game.set(game.schema().clone().field::<i64>("horn").unwrap(), 9);
    dir.slot("otter").unwrap().save(&game.snapshot(), "quit").unwrap();
    let mut keeper = Keeper::open(&dir.slot("otter").unwrap(), &schema).unwrap();
    let horn: Field<f64> = schema.field("horn_volume").unwrap();
    assert!((keeper.get(horn) - 0.9).abs() < 1e-12);
    keeper.set(horn, 0.5);
    keeper.close().unwrap();
    let keeper = Keeper::open(&dir.slot("otter").unwrap(), &schema).unwrap();
    assert!((keeper.get(horn) - 0.5).abs() < 1e-12);
}

/// Settings and slots are in separate files: a step that fails on one does not affect the other, and settings that
/// could not be migrated are set aside, not overwritten.
#[test]
fn a_step_that_fails_for_settings_or_for_slots_fails_for_those_alone() {
    let with = |version: u32, horn: &str, oil: &str| {
        format!(
            "game = 'reeds'\nversion = {version}\n[fields]\nhorn = {{ type = 'int', scope = 'device'{horn} }}\n\
             oil = {{ type = 'int', scope = 'profile'{oil} }}\n"
        )
    };
    let one = with(1, ", default = 7", ", default = 70");
    for (two, step, opens) in [
        (with(2, ", max = 5", ", default = 70"), "[fields.horn]\nmax = 5\nmisfit = 'refuse'\n", true),
        (with(2, ", default = 7", ", max = 60"), "[fields.oil]\nmax = 60\nmisfit = 'refuse'\n", false),
    ] {
        let schema = versions(&[&one, &two], &[step]).unwrap_or_else(|faults| panic!("{faults}"));
        let folder = tempfile::tempdir().unwrap();
        let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
        let before = Arc::new(parsed(&one));
        let (horn, oil): (Field<i64>, Field<i64>) =
            (before.field("horn").unwrap(), before.field("oil").unwrap());
        let mut game = Progress::new(Arc::clone(&before));
        game.set(horn, 9);
        game.set(oil, 70);
        slot.save(&game.snapshot(), "quit").unwrap();
        let settings = fs::read(folder.path().join("aside/device.keblin")).unwrap();
        if !opens {
            assert!(matches!(slot.open(&schema), Err(OpenError::Refused { .. })));
            // Another slot of the same folder has the settings.
            let other = SaveDir::at(folder.path()).slot("owl").unwrap().open(&schema).unwrap();
            assert_eq!(answer(&other.progress, "horn"), Value::Int(9));
            continue;
        }
        let opened = slot.open(&schema).unwrap();
        let told =
            opened.findings.iter().find(|finding| finding.code.as_str() == "settings_damaged").unwrap();
        assert!(told.message.contains("horn, 9: it is above 5; settings have their defaults"), "{told}");
        assert_eq!(answer(&opened.progress, "oil"), Value::Int(70));
        slot.save(&opened.progress.snapshot(), "quit").unwrap();
        let aside = folder.path().join("aside/device.not_migrated-1.keblin");
        assert_eq!(fs::read(aside).unwrap(), settings);
    }
}

/// An old pin is migrated by the same steps, and erasures reach it too.
#[test]
fn pins_of_an_earlier_version_are_gone_back_to_and_erased_in() {
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    slot.save(&long_ago(17), "quit").unwrap();
    slot.pin("bridge", &long_ago(17)).unwrap();
    let schema = fen_post_of(3);
    let mut game = Keeper::open(&slot, &schema).unwrap();
    let letters: Field<i64> = schema.field("letters").unwrap();
    game.resume().unwrap();
    game.add(letters, 5);
    game.back_to("bridge", true).unwrap();
    is_all_there(&game, 17);
    let crossings = Erase::Field(schema.field_named("best_crossing").unwrap().0);
    game.erase(&crossings, true).unwrap();
    game.save_now().unwrap();
    let pin = folder.path().join("aside/otter.pin-bridge.keblin");
    let bytes = fs::read(pin).unwrap();
    assert_eq!(read(&bytes).unwrap().head.schema_version, 3);
    let pinned = Progress::restored(slot.pinned("bridge", &schema).unwrap());
    assert_eq!(answer(&pinned, "levels.long_mere.neap.best_crossing"), Value::Unset);
    assert_eq!(answer(&pinned, "letters"), Value::Int(31));
}

/// A game that stores the bytes itself gets the same reports, and gets bytes of this version back.
#[test]
fn bytes_of_an_earlier_version_are_brought_along_where_the_game_keeps_them() {
    let schema = fen_post_of(3);
    let bytes = write(&long_ago(17), &Stamp::first(7, "test"));
    let mut game = Keeper::from_bytes(&schema, Some(&bytes)).unwrap();
    is_all_there(&game, 17);
    assert!(game.drain_notices().any(|notice| matches!(notice, Notice::Migrated(_))));
    game.save_now().unwrap();
    let due = game.take_due(8).unwrap().unwrap();
    assert_eq!((read(&due.bytes).unwrap().head.schema_version, due.number), (3, 2));
    let again = Keeper::from_bytes(&schema, Some(&due.bytes)).unwrap();
    assert!(again.snapshot() == game.snapshot());
}

/// An unlock is not taken back by a version with another condition for it.
#[test]
fn an_unlock_that_was_given_stays_given() {
    let one = "game = 'reeds'\nversion = 1\n[fields]\nfish = { type = 'int', scope = 'profile' }\n\
               [[unlocks]]\nid = 'raft'\nwhen = 'fish >= 5'\nlatch = true\n";
    let grown = one.replace("latch = true\n", "");
    let two = grown.replace("version = 1", "version = 2").replace("'raft'", "'float'");
    let before = Arc::new(parsed(one));
    let mut game = Progress::new(Arc::clone(&before));
    let fish: Field<i64> = before.field("fish").unwrap();
    game.add(fish, 5);
    game.set(fish, 0);
    assert_eq!(answer(&game, "unlocked.raft"), Value::Bool(true));
    let bytes = write(&game.snapshot(), &Stamp::first(1, "test"));
    for (schema, id) in [
        (Arc::new(parsed(&grown)), "unlocked.raft"),
        (versions(&[one, &two], &["[unlocks.float]\nfrom = 'raft'\n"]).unwrap(), "unlocked.float"),
    ] {
        let game = verify(&bytes, &schema).unwrap().into_progress();
        assert_eq!(answer(&game, id), Value::Bool(true), "{id}");
        // Also after it was saved again.
        let again = verify(&write(&game.snapshot(), &Stamp::first(2, "test")), &schema).unwrap();
        assert_eq!(answer(&again.into_progress(), id), Value::Bool(true), "{id}");
    }
}

#[test]
fn a_level_and_a_difficulty_of_another_build_are_told_and_kept_until_others_are_chosen() {
    let text = |levels: &str, tides: &str| {
        format!(
            "game = 'grown'\nversion = 1\ndifficulties = [{tides}]\n[fields]\n\
             shells = {{ type = 'int', scope = 'profile' }}\n{levels}"
        )
    };
    let small = schema(&text("[[levels]]\nid = 'brook'\n", "'neap'"));
    let grown = schema(&text("[[levels]]\nid = 'brook'\n[[levels]]\nid = 'weir'\n", "'neap', 'spring'"));
    let mut game = Progress::new(Arc::clone(&grown));
    game.begin(grown.difficulty("spring").ok()).unwrap();
    game.enter(grown.level("brook").unwrap()).unwrap();
    game.finish().unwrap();
    game.enter(grown.level("weir").unwrap()).unwrap();
    game.leave().unwrap();
    let bytes = write(&game.snapshot(), &stamp(1));
    // The smaller build reports it, plays, and writes it back.
    let seen = verify(&bytes, &small).unwrap();
    let told: Vec<&str> = seen
        .findings()
        .iter()
        .filter(|told| told.code.as_str() == "id_kept")
        .map(|told| told.place.as_str())
        .collect();
    assert_eq!(told, ["profile.furthest", "profile.difficulty", "run.run.difficulty"]);
    let mut played = seen.into_progress();
    played.set(small.field::<i64>("shells").unwrap(), 3);
    let back = write(&played.snapshot(), &stamp(2));
    let again = verify(&back, &grown).unwrap().into_progress();
    assert_eq!(again.furthest(), grown.level("weir").ok());
    assert_eq!(again.difficulty(), grown.difficulty("spring").ok());
    // A difficulty that is chosen there is kept.
    played.begin_replacing(small.difficulty("neap").ok());
    let back = write(&played.snapshot(), &stamp(3));
    let again = verify(&back, &grown).unwrap().into_progress();
    assert_eq!(
        (again.furthest(), again.difficulty()),
        (grown.level("weir").ok(), grown.difficulty("neap").ok())
    );
}

/// Version 1 has a number, version 2 computes others from it.
fn computed(fills: &str, fields: &str) -> (Arc<keblin::Schema>, Arc<keblin::Schema>) {
    let before = "game = 'sum'\nversion = 1\n[fields]\nparcels = { type = 'int', scope = 'profile' }\n[[levels]]\nid = 'brook'\nstars = 3\n";
    let now =
        before.replace("version = 1", "version = 2").replace("[[levels]]", &format!("{fields}[[levels]]"));
    let file = |name: &str, text: &str| TextFile { name: name.to_string(), text: text.to_string() };
    let files = Files {
        declaration: file("progress.toml", &now),
        frozen: [(1, file("frozen/v1.toml", before))].into(),
        steps: [(2, file("migrations/v2.toml", fills))].into(),
    };
    let parsed = keblin::Schema::parse_with_past(&files).unwrap();
    // The possible overflow is reported before anybody plays, once per expression.
    let told: String = parsed.of_past.iter().map(ToString::to_string).collect();
    assert_eq!(told.matches("can exceed 64 bits").count(), 1, "{told}");
    assert!(told.contains("`parcels * 3`") && told.contains("migrations/v2.toml:2:"), "{told}");
    let now = parsed.schema;
    (Arc::clone(&now.past()[0].schema), Arc::new(now))
}

#[test]
fn what_a_step_computes_fits_is_clamped_and_told_or_leaves_the_save_as_it_is() {
    let fields = "tripled = { type = 'int', scope = 'profile', max = 90 }\nzero = { type = 'int', scope = 'profile' }\n";
    let fills = "[fields.tripled]\nfill = 'parcels * 3'\n[fields.zero]\nfill = 'parcels % 1'\n[facts]\nstars = 'parcels'\n";
    let (before, now) = computed(fills, fields);
    let saved = |parcels: i64| {
        let mut game = Progress::new(Arc::clone(&before));
        game.set(before.field::<i64>("parcels").unwrap(), parcels);
        write(&game.snapshot(), &stamp(1))
    };
    let told = |parcels: i64| {
        let save = verify(&saved(parcels), &now).unwrap();
        let entries = &save.account().unwrap().entries;
        entries.iter().map(|entry| format!("{} {}", entry.place, entry.fate.as_str())).collect::<Vec<_>>()
    };
    // Every field has an entry, even if the computed value is the default.
    assert_eq!(told(2), ["levels.brook.stars filled", "parcels carried", "tripled filled", "zero filled"]);
    assert_eq!(told(31), ["levels.brook.stars clamped", "parcels carried", "tripled clamped", "zero filled"]);
    let opened = verify(&saved(31), &now).unwrap().into_progress();
    assert_eq!(opened.get(now.field::<i64>("tripled").unwrap()), 90);
    // A number beyond 64 bits has no place: the save is refused, with the place.
    let error = verify(&saved(i64::MAX), &now).unwrap_err();
    assert!(error.is_refusal());
    assert_eq!(
        error.fault.to_string(),
        "the step to version 2 failed: tripled, unset: the computed number exceeds 64 bits"
    );
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    fs::create_dir_all(folder.path()).unwrap();
    fs::write(slot.path(), saved(i64::MAX)).unwrap();
    assert!(matches!(Keeper::open(&slot, &now), Err(OpenError::Refused { .. })));
    assert_eq!(fs::read(slot.path()).unwrap(), saved(i64::MAX), "untouched");
}
