//! A declaration that changed under the same version: an error of its own that says what changed, and nothing lost.

use std::fs;
use std::sync::Arc;

use keblin::save::{Fault, MAX_CHANGES, write};
use keblin::store::{OpenError, Origin};
use keblin::verify::{examine, verify};
use keblin::{Field, Keeper, Progress, SaveDir, Schema};

use crate::round_trip::stamp;
use crate::steps::parsed;

const POND: &str = "game = 'pond'\nversion = 1\n[lists]\nreeds = ['tall', 'short']\n[fields]\n\
    frogs = { type = 'int', scope = 'profile' }\nlily = { type = 'text', max_len = 9, scope = 'profile' }\n\
    deep = { type = 'int', scope = 'run', on_death = 'stays' }\n";

fn schema(was: &str, is: &str) -> Arc<Schema> {
    Arc::new(parsed(&POND.replace(was, is)))
}

fn saved(schema: &Arc<Schema>) -> Vec<u8> {
    let mut game = Progress::new(Arc::clone(schema));
    game.begin_replacing(None);
    game.set(schema.field::<i64>("frogs").unwrap(), 41);
    write(&game.snapshot(), &stamp(1))
}

#[test]
fn what_changed_is_named_and_the_save_is_refused_not_damaged() {
    let bytes = saved(&schema("", ""));
    for (was, is, expected) in [
        ("frogs = { type = 'int'", "frogs = { type = 'bool'", vec!["expected frogs as bool, but found 41"]),
        (
            "lily = { type = 'text', max_len = 9",
            "lily = { type = 'int'",
            vec!["expected lily as int, but found \"\""],
        ),
        (
            "type = 'int', scope = 'profile'",
            "type = 'int', scope = 'profile', per = ['reeds']",
            vec!["frogs: expected a map, but found 41"],
        ),
    ] {
        let now = schema(was, is);
        let error = verify(&bytes, &now).unwrap_err();
        let Fault::Redeclared { version: 1, changes, more: 0 } = &error.fault else { panic!("{error}") };
        assert_eq!(*changes, expected);
        assert!(error.is_refusal());
        let examined = examine(&bytes, &now);
        assert_eq!(examined.findings.len(), 1, "{:?}", examined.findings);
        assert!(error.to_string().contains("but its version is still 1"), "{error}");
    }
    // What only grew, and what was renamed, opens as before.
    for (was, is) in [
        ("'tall', 'short'", "'tall', 'short', 'broken'"),
        ("lily =", "lotus ="),
        ("max_len = 9", "max_len = 3"),
    ] {
        assert!(verify(&bytes, &schema(was, is)).is_ok(), "{is}");
    }
}

#[test]
fn a_long_list_is_cut_short() {
    let fields = |kind: &str| {
        let fields: String =
            (0..20).map(|at| format!("f_{at} = {{ type = '{kind}', scope = 'profile' }}\n")).collect();
        Arc::new(parsed(&format!("game = 'pond'\nversion = 1\n[fields]\n{fields}")))
    };
    let bytes = write(&Progress::new(fields("int")).snapshot(), &stamp(1));
    let error = verify(&bytes, &fields("bool")).unwrap_err();
    let Fault::Redeclared { changes, more, .. } = &error.fault else { panic!("{error}") };
    assert_eq!((changes.len(), *more), (MAX_CHANGES, 20 - MAX_CHANGES));
    assert!(error.to_string().contains("; and 12 more"), "{error}");
}

#[test]
fn bytes_of_this_declaration_that_do_not_fit_are_damage() {
    // The same fingerprint, and other bytes under matching digests.
    let now = schema("", "");
    let mut bytes = saved(&now);
    let at = keblin::save::read(&bytes).unwrap().sections[0].body_offset;
    bytes[at] = 0x01;
    assert!(!verify(&bytes, &now).unwrap_err().is_refusal());
}

#[test]
fn while_developing_the_old_save_is_set_aside_and_without_it_nothing_is_touched() {
    let (old, now) = (schema("", ""), schema("frogs = { type = 'int'", "frogs = { type = 'bool'"));
    let folder = tempfile::tempdir().unwrap();
    let saves = SaveDir::at(folder.path());
    let frogs: Field<i64> = old.field("frogs").unwrap();
    for number in [41, 42] {
        let mut game = Keeper::open(&saves.slot("otter").unwrap(), &old).unwrap();
        game.set(frogs, number);
        game.close().unwrap();
    }
    let file = folder.path().join("otter.keblin");
    let before = fs::read(&file).unwrap();
    let error = saves.slot("otter").unwrap().open(&now).unwrap_err();
    let OpenError::Refused { error, .. } = error else { panic!("{error}") };
    assert!(matches!(error.fault, Fault::Redeclared { .. }));
    assert_eq!(fs::read(&file).unwrap(), before);
    assert!(saves.slot("otter").unwrap().view(&now).is_err(), "a look changes nothing either");
    let developing = saves.clone().while_developing();
    assert!(developing.slot("otter").unwrap().view(&now).is_err());

    let mut game = Keeper::open(&developing.slot("otter").unwrap(), &now).unwrap();
    assert_eq!(*game.origin(), Origin::FirstRun);
    game.set(now.field::<bool>("frogs").unwrap(), true);
    game.close().unwrap();
    let aside = folder.path().join("aside");
    assert_eq!(fs::read(aside.join("otter.redeclared-1.keblin")).unwrap(), before, "whole, with its backup");
    assert!(aside.join("otter.redeclared-2.keblin").exists());
    // What fits is opened as ever, and set aside by nobody.
    let slot = saves.slot("otter").unwrap();
    assert_eq!(slot.set_misfit_aside(&now).unwrap(), Vec::<std::path::PathBuf>::new());
    assert!(slot.view(&now).unwrap().progress.get(now.field::<bool>("frogs").unwrap()));
    let kept = Keeper::open(&slot, &now).unwrap();
    for slot in [slot.clone(), saves.slot("otter").unwrap()] {
        assert!(
            matches!(slot.set_misfit_aside(&old), Err(OpenError::InUse { .. })),
            "not under a running game"
        );
    }
    drop(kept);
    assert_eq!(slot.set_misfit_aside(&old).unwrap().len(), 3, "one call sets every file aside");
    // A newer version, another game and damage are left alone.
    let newer = Arc::new(parsed(&POND.replace("version = 1", "version = 2")));
    fs::write(&file, saved(&newer)).unwrap();
    assert!(developing.slot("otter").unwrap().open(&now).is_err());
    assert!(developing.slot("otter").unwrap().set_misfit_aside(&now).unwrap().is_empty());
    assert!(file.exists());
}
