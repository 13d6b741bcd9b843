//! Steps of rehearsals that read other files or are about the world, and the page that lists all steps.

use std::fs;
use std::sync::Arc;

use keblin::Schema;
use keblin::rehearse::{Beside, FailureKind, Rehearsal};

use crate::rehearsals::{build, failure, run, with_past};
use crate::tables::{fen_post, project};

/// The files next to the demo's rehearsals.
struct Demo;

impl Beside for Demo {
    fn schema(&mut self, file: &str) -> Result<Arc<Schema>, String> {
        build(file)
    }

    fn save(&mut self, _file: &str) -> Result<Vec<u8>, String> {
        Ok(fs::read(project("demo/frozen/saves/v5_coppers_of_two_machines.keblin")).unwrap())
    }
}

#[test]
fn another_build_is_installed_only_while_the_game_is_closed_and_from_a_file_that_can_be_read() {
    let (line, kind) = failure("begin neap\nschema ../progress.toml\n");
    assert!(line == 2 && matches!(kind, FailureKind::Running), "{line}: {kind}");
    let (line, kind) = failure("quit\nschema ../progress.toml\nlaunch\nload yes\n");
    assert!(line == 4 && matches!(kind, FailureKind::NotHeld), "{line}: {kind}");
    for (text, expected) in [
        ("quit\nschema lost.toml\n", "x:2:1: error: lost.toml cannot be read"),
        ("far schema ../progress.toml\n", "x:1:5: error: `schema` stands first in its line, on its own"),
        ("suppose reported.lamp_out = true\n", "`lamp_out` is not a moment that is reported once"),
        ("suppose reported.ten_letters = null\n", "expected true or false"),
        ("request wets\n", "`wets` is not a declared area"),
        ("make west lapm\n", "`lapm` is not a declared kind"),
        ("recall west gate 3 4 boat 1\n", "`boat` is not a declared kind"),
        ("change west gate 3 openned = 1.0\n", "did you mean `opened`?"),
        ("change west gate three opened = 1.0\n", "expected the number of an object, but found `three`"),
        ("expect object west gate 3 opened < 1.0\n", "expected `==`, but found `<`"),
        ("expect area west fly\n", "known: load, unload, reload, stay"),
    ] {
        let told = Rehearsal::parse_with("x", text, &fen_post(), build).unwrap_err().to_string();
        assert!(told.contains(expected), "{told}");
    }
    let alone = Rehearsal::parse("x", "schema ../progress.toml\n", &fen_post()).unwrap_err().to_string();
    assert!(alone.contains("cannot read other declarations"), "{alone}");
}

#[test]
fn what_a_step_about_the_world_finds_otherwise_is_said() {
    let loaded = "request west\nrecall west gate 3\n";
    for (text, expected) in [
        ("expect needs west 1\n", "how many need west: expected 1, but found 0"),
        ("request west\nexpect area west stay\n", "what to do with west: expected stay, but found load"),
        (&format!("{loaded}release west\nexpect area west stay\n"), "expected stay, but found unload"),
        ("release west\n", "area west was released more often than it was requested; nothing changed"),
        ("put_by west\n", "area west is not loaded: recall it first, and put it by once"),
        ("make west lamp\n", "area west is not loaded"),
        (&format!("{loaded}recall west gate 3\n"), "area west is loaded already"),
        (&format!("{loaded}destroy west lamp 3\n"), "lamp 3 in west: expected there, but found gone"),
        (&format!("{loaded}expect object west gate 3 gone\n"), "expected gone, but found there"),
        (&format!("{loaded}expect object west gate 3 opened == 1.0\n"), "expected 1.0, but found 0.0"),
        ("recall east reed_bed 3\n", "area east does not take objects of the kind reed_bed"),
    ] {
        let (_, kind) = failure(text);
        assert!(kind.to_string().contains(expected), "{text}: {kind}");
    }
    // Another slot has its own world.
    let text = format!(
        "begin\n{loaded}slot heron\nrefused put_by west\nrefused make west lamp\nrecall west gate 3\n"
    );
    assert!(run("test", &text).failure.is_none());
    // The game is another one after a launch: it has not loaded anything.
    let (line, kind) = failure(&format!("{loaded}quit\nlaunch\nput_by west\n"));
    assert_eq!((line, kind.to_string().contains("is not loaded")), (5, true));
}

#[test]
fn a_save_is_given_while_the_game_is_closed() {
    let schema = with_past();
    let run = |text: &str| Rehearsal::parse_with("given", text, &schema, Demo).unwrap().run();
    let held = run(
        "begin\nkill\ngiven slot.keblin\nlaunch\nexpect levels.reedgate.neap.attempts > 0\nrefused begin\n",
    );
    assert!(held.failure.is_none(), "{:?}", held.failure);
    let open = run("given slot.keblin\n").failure.unwrap();
    assert!(matches!(open.kind, FailureKind::Running), "{open:?}");
    // Without files next to it, and within another step.
    let alone = Rehearsal::parse("given", "kill\ngiven slot.keblin\n", &schema).unwrap_err().to_string();
    assert!(alone.contains("given:2:1") && alone.contains("this rehearsal cannot read saves"), "{alone}");
    let inside = Rehearsal::parse("given", "far given slot.keblin\n", &schema).unwrap_err().to_string();
    assert!(inside.contains("`given` stands first in its line"), "{inside}");
}

#[test]
fn every_step_is_on_the_page_and_every_example_there_is_one() {
    let page = crate::tables::read("docs/rehearsals.md");
    let steps: Vec<&str> =
        page.lines().filter_map(|line| line.strip_prefix("| `")?.split('`').next()).collect();
    let schema = fen_post();
    for step in &steps {
        Rehearsal::parse_with("page", step, &schema, Demo).unwrap_or_else(|findings| panic!("{findings}"));
    }
    let unknown = Rehearsal::parse("page", "zzzzzzzzzzzz\n", &schema).unwrap_err();
    let known = unknown.list()[0].instead.clone().unwrap();
    let known: Vec<&str> = known.strip_prefix("known: ").unwrap().split(", ").collect();
    assert!(known.len() > 25);
    for word in known {
        assert!(steps.iter().any(|step| step.split(' ').next() == Some(word)), "`{word}` is not on the page");
    }
}
