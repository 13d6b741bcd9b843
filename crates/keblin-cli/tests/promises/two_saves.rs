//! `compare`, `reconcile` and `set`: two saves, or two states of one.

use std::fs;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::Duration;

use keblin::progress::Erase;
use keblin::store::{OpenError, Slot};
use keblin::{Field, Keeper, Progress, SaveDir, Schema};
use tempfile::TempDir;

use crate::process::{Ran, assert_fits, keblin_in, project};

struct Fixture {
    folder: TempDir,
    schema: Arc<Schema>,
}

impl Fixture {
    fn new() -> Fixture {
        let folder = tempfile::tempdir().unwrap();
        let text = fs::read_to_string(project("demo/progress.toml")).unwrap();
        fs::write(folder.path().join("progress.toml"), &text).unwrap();
        let schema = Arc::new(Schema::parse("progress.toml", &text).unwrap().schema);
        Fixture { folder, schema }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn slot(&self, name: &str) -> Slot {
        SaveDir::at(self.folder.path()).slot(name).unwrap()
    }

    fn int(&self, id: &str) -> Field<i64> {
        self.schema.field(id).unwrap()
    }

    /// Another test may be starting a process, which has the lock until it runs.
    fn open(&self, name: &str) -> Keeper {
        let opened = |_| match Keeper::open(&self.slot(name), &self.schema) {
            Err(OpenError::InUse { .. }) => {
                std::thread::sleep(Duration::from_millis(20));
                None
            }
            opened => Some(opened.unwrap()),
        };
        (0..100).find_map(opened).unwrap()
    }

    /// A save of the demo, and two that continue it: on two machines.
    fn diverged() -> Fixture {
        let fixture = Fixture::new();
        let mut game = fixture.open("anke");
        game.begin(None).unwrap();
        game.enter(fixture.schema.level("reedgate").unwrap()).unwrap();
        game.close().unwrap();
        fs::copy(fixture.path("anke.keblin"), fixture.path("before.keblin")).unwrap();
        for (name, letters, coppers) in [("anke", 31, 130), ("far", 44, 90)] {
            if name == "far" {
                fs::copy(fixture.path("before.keblin"), fixture.path("far.keblin")).unwrap();
            }
            let mut game = fixture.open(name);
            game.resume().unwrap();
            game.save_now().unwrap();
            game.set(fixture.int("letters"), letters);
            game.set(fixture.int("coppers"), coppers);
            game.set_title(name).unwrap();
            game.finish_with_stars(2).unwrap();
            game.close().unwrap();
        }
        fixture
    }

    fn run(&self, args: &[&str]) -> Ran {
        let ran = keblin_in(self.folder.path(), args);
        // JSON is for programs.
        if !["--json", "export", "schema"].iter().any(|word| args.contains(word)) {
            assert_fits(&ran.out);
        }
        ran
    }

    fn opened(&self, name: &str) -> Progress {
        keblin::verify::verify(&fs::read(self.path(name)).unwrap(), &self.schema).unwrap().into_progress()
    }
}

/// Returns the lines of an output with single spaces.
fn flat(text: &str) -> Vec<String> {
    text.lines().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

#[track_caller]
fn has(ran: &Ran, lines: &[&str]) {
    for line in lines {
        assert!(
            flat(&ran.out).iter().any(|found| found == line),
            "{line:?} is not in\n{}{}",
            ran.out,
            ran.err
        );
    }
}

#[test]
fn compare_prints_what_differs_between_two_saves_and_between_two_states_of_one() {
    let fixture = Fixture::diverged();
    let ran = fixture.run(&["compare", "anke.keblin", "far.keblin"]);
    assert_eq!(ran.code, 1);
    has(&ran, &["letters 31 -> 44", "coppers 130 -> 90"]);
    assert!(!ran.out.contains("boats"), "only what differs");
    let same = fixture.run(&["compare", "anke.keblin", "anke.keblin"]);
    assert_eq!((same.code, same.out.lines().last()), (0, Some("no difference")));
    // The file holds its earlier saves.
    let first = fixture.run(&["compare", "anke.keblin", "--state", "2"]);
    has(&first, &["letters 0 -> 31", "stars at reedgate, neap 0 -> 2"]);
    let json = fixture.run(&["compare", "anke.keblin", "far.keblin", "--json"]).json();
    let letters =
        json["differences"].as_array().unwrap().iter().find(|entry| entry["what"] == "letters").unwrap();
    assert_eq!((&letters["one"], &letters["other"]), (&31.into(), &44.into()));
    let missing = fixture.run(&["compare", "anke.keblin", "--state", "77"]);
    assert_eq!(missing.code, 2);
    assert!(missing.err.contains("save 77 is not in this file; it has 2, 3"), "{}", missing.err);
    let one = fixture.run(&["compare", "anke.keblin"]);
    assert!(one.code == 2 && one.err.contains("--state N"), "{}", one.err);
}

#[test]
fn show_prints_an_earlier_state_of_a_file() {
    let fixture = Fixture::diverged();
    let letters =
        |args: &[&str]| fixture.run(&[args, &["--json"]].concat()).json()["fields"]["letters"].clone();
    assert_eq!(letters(&["show", "anke.keblin"]), 31);
    assert_eq!(letters(&["show", "anke.keblin", "--state", "2"]), 0);
}

#[test]
fn show_watch_prints_a_save_again_when_its_file_changes() {
    let fixture = Fixture::diverged();
    let mut watching = Command::new(env!("CARGO_BIN_EXE_keblin"));
    let watching =
        watching.current_dir(fixture.folder.path()).args(["show", "anke.keblin", "--watch", "--json"]);
    let mut watching = watching.stdout(Stdio::piped()).spawn().unwrap();
    let mut lines = BufReader::new(watching.stdout.take().unwrap()).lines().map(Result::unwrap);
    let mut letters = || lines.by_ref().find(|line| line.contains("\"letters\"")).unwrap();
    assert!(letters().contains("31"));
    fs::copy(fixture.path("far.keblin"), fixture.path("anke.keblin")).unwrap();
    let seen = letters();
    watching.kill().unwrap();
    watching.wait().unwrap();
    assert!(seen.contains("44"), "{seen}");
}

#[test]
fn reconcile_writes_a_new_save_with_what_both_have_and_says_what_became_of_each_value() {
    let fixture = Fixture::diverged();
    let [ours, theirs] = ["anke.keblin", "far.keblin"].map(|name| fs::read(fixture.path(name)).unwrap());
    let ran = fixture.run(&["reconcile", "anke.keblin", "far.keblin", "--to", "both.keblin"]);
    assert_eq!(ran.code, 1, "something was lost: {}{}", ran.out, ran.err);
    has(
        &ran,
        &[
            "letters 31 44 44 theirs",
            "coppers 130 90 100 of both",
            "title \"anke\" \"far\" \"far\" ours is lost",
        ],
    );
    let met = fixture.opened("both.keblin");
    let best: Field<Option<i64>> = fixture.schema.field("best_letters").unwrap();
    // Both have resumed the same run: it has not ended.
    assert_eq!((met.get(best), met.get(fixture.int("letters"))), (None.into(), 44));
    assert_eq!(fs::read(fixture.path("anke.keblin")).unwrap(), ours, "the two are only read");
    assert_eq!(fs::read(fixture.path("far.keblin")).unwrap(), theirs);
    let again = fixture.run(&["reconcile", "anke.keblin", "far.keblin", "--to", "both.keblin"]);
    assert!(again.code == 2 && again.err.contains("nothing was overwritten"), "{}", again.err);
    let json =
        fixture.run(&["reconcile", "anke.keblin", "far.keblin", "--to", "third.keblin", "--json"]).json();
    assert_eq!((&json["later"], &json["run_ended"]), (&"theirs".into(), &false.into()));
    // Both continue it, so a keeper that knows one of them takes it as a later save, not as a stranger.
    let verified = fixture.run(&["verify", "both.keblin"]);
    assert!(verified.code == 0 && verified.out.contains("made by a tool"), "{}", verified.out);
}

#[test]
fn show_and_the_report_say_who_wrote_what() {
    let fixture = Fixture::diverged();
    let alone = fixture.run(&["show", "anke.keblin"]);
    assert!(!alone.out.contains("written by"), "one machine: {}", alone.out);
    // The other machine's file arrives while the game is closed.
    fs::copy(fixture.path("far.keblin"), fixture.path("anke.keblin")).unwrap();
    fixture.open("anke").close().unwrap();
    let json = fixture.run(&["show", "anke.keblin", "--json"]).json();
    let machines = json["written_by"]["machines"].as_array().unwrap();
    assert_eq!(machines.len(), 2);
    let [here, far] = [true, false].map(|here| {
        let machine = machines.iter().find(|machine| machine["is_this_one"] == here).unwrap();
        machine["id"].as_str().unwrap()[12..].to_string()
    });
    let ran = fixture.run(&["show", "anke.keblin"]);
    let told = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(told.contains(&format!("this one ({here}) wrote last")), "{told}");
    assert!(told.contains(&format!("another ({far}) wrote last")), "{told}");
    // Of 120 coppers, 10 were earned here, and 30 were spent there.
    let coppers = ["this one +10".to_string(), format!("{far} -30")];
    let coppers = |first: usize| format!("120 at the start, {}, {}", coppers[first], coppers[1 - first]);
    assert!([0, 1].iter().any(|first| told.contains(&coppers(*first))), "{told}");
    let page = fixture.path("report.html");
    let reported = fixture.run(&["report", "anke.keblin", "--to", page.to_str().unwrap()]);
    assert_eq!(reported.code, 0, "{}", reported.err);
    let page = fs::read_to_string(page).unwrap();
    assert!(page.contains("this one +10") && page.contains(&format!("another ({far})")), "{page}");
}

#[test]
fn reconcile_takes_nothing_from_a_save_of_before_an_erasure() {
    let fixture = Fixture::diverged();
    let mut game = fixture.open("anke");
    game.erase(&Erase::Profile, true).unwrap();
    game.close().unwrap();
    for files in [["anke.keblin", "far.keblin"], ["far.keblin", "anke.keblin"]] {
        let ran = fixture.run(&[&["reconcile"], &files[..], &["--to", "both.keblin"]].concat());
        let told = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(ran.code == 2 && told.contains("far.keblin: it is from before an erasure"), "{told}");
        assert!(!fixture.path("both.keblin").exists());
    }
}

#[test]
fn set_changes_values_of_a_save_and_keeps_the_old_file() {
    let fixture = Fixture::diverged();
    let old = fs::read(fixture.path("anke.keblin")).unwrap();
    let values = [
        "letters=40",
        "levels.otter_weir.stars=3",
        "furthest=mill_race",
        "played=2h",
        "best_crossing.neap=1s",
    ];
    let wrong = fixture.run(&[&["set", "anke.keblin"], &values[..]].concat());
    assert_eq!(
        (wrong.code, fs::read(fixture.path("anke.keblin")).unwrap()),
        (2, old.clone()),
        "all or nothing"
    );
    let ran = fixture.run(&[&["set", "anke.keblin"], &values[..4]].concat());
    assert_eq!(ran.code, 1, "three stars in a level that was never finished: {}{}", ran.out, ran.err);
    assert!(ran.out.contains("stars_unfinished"), "{}", ran.out);
    has(&ran, &["letters 31 -> 40", "furthest level long_mere -> mill_race", "time played 0s -> 2h"]);
    assert_eq!(fs::read(fixture.path("aside/anke.set-1.keblin")).unwrap(), old);
    let mut game = fixture.open("anke");
    game.resume().unwrap();
    assert_eq!(game.get(fixture.int("letters")), 40, "also after what opening restores");
    assert!(game.findings().iter().any(|finding| finding.code.as_str() == "edited"));
    game.close().unwrap();
    for (text, expected) in [
        ("letters", "expected NAME=VALUE such as oil=30, but found `letters`"),
        ("leters=3", "`leters` is not a declared field; did you mean `letters`?"),
        ("oil=61", "expected 0 to 60"),
        ("oil=much", "expected a whole number, but found `much`"),
        ("furthest=nowhere", "expected an id of levels, but found `nowhere`"),
    ] {
        let ran = fixture.run(&["set", "far.keblin", text]);
        let told = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(ran.code == 2 && told.contains(expected), "{expected:?} is not in {told:?}");
    }
    let json = fixture.run(&["set", "far.keblin", "oil=12", "--json"]).json();
    assert_eq!((&json["changed"][0]["one"], &json["changed"][0]["other"]), (&60.into(), &12.into()));
    assert!(Path::new(json["aside"].as_str().unwrap()).ends_with("aside/far.set-1.keblin"));
}

#[test]
fn a_save_is_exported_as_json_and_imported_again_without_a_difference() {
    let fixture = Fixture::diverged();
    let printed = fixture.run(&["export", "anke.keblin"]);
    assert_eq!((printed.code, &printed.json()["run"]["fields"]["letters"]), (0, &31.into()));
    assert_eq!(fixture.run(&["export", "anke.keblin", "--to", "anke.json"]).code, 0);
    let imported = fixture.run(&["import", "anke.json", "--to", "again.keblin"]);
    assert_eq!(imported.code, 0, "{}{}", imported.out, imported.err);
    let compared = fixture.run(&["compare", "anke.keblin", "again.keblin"]);
    assert_eq!((compared.code, compared.out.lines().last()), (0, Some("no difference")));
    let again = fixture.run(&["import", "anke.json", "--to", "again.keblin"]);
    assert!(again.code == 2 && again.err.contains("nothing was overwritten"), "{}", again.err);
    // Edited by hand.
    let text = fs::read_to_string(fixture.path("anke.json")).unwrap();
    let edit = |from: &str, to: &str| {
        assert!(text.contains(from), "{from}");
        fs::write(fixture.path("edited.json"), text.replacen(from, to, 1)).unwrap();
        fixture.run(&["import", "edited.json", "--to", "edited.keblin"])
    };
    let misspelt = edit("\"coppers\"", "\"copers\"");
    assert_eq!(misspelt.code, 2);
    let told = misspelt.err.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        told.contains("profile.fields.copers: this key is not declared; did you mean `coppers`?"),
        "{told}"
    );
    let broken = edit("{", "");
    assert!(broken.code == 2 && broken.err.contains("edited.json:"), "{}", broken.err);
    let beyond = edit("\"coppers\": 130", "\"coppers\": -5");
    assert_eq!(beyond.code, 1, "imported, and reported: {}{}", beyond.out, beyond.err);
    assert!(beyond.out.contains("out_of_bounds"), "{}", beyond.out);
    let rules = fixture.run(&["schema", "--json-schema"]).json();
    assert_eq!(rules["properties"]["game"]["const"], "fen_post");
}
