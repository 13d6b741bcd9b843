//! Other processes: one is killed while it saves, one has the slot, one has a full disk. They are this test program
//! itself; its environment names the part to play.

use std::fs;
use std::io::{BufRead, BufReader, Read, Write};
use std::path::Path;
use std::process::{Child, ChildStdout, Command, Stdio};
use std::sync::Arc;
use std::time::Duration;

use keblin::store::{OpenError, SaveError, Slot};
use keblin::{Field, Keeper, SaveDir, Schema};
use tempfile::TempDir;

use crate::keepers::GAME;
use crate::tables::schema;

const FOLDER: &str = "KEBLIN_TEST_FOLDER";
const PART: &str = "KEBLIN_TEST_PART";

/// How often the child is killed, unless `KEBLIN_TEST_KILLS` is set.
const KILLS: u32 = 100;

/// The other process. Without a part to play, it checks that an unknown part fails, which shows that the tests below
/// really play theirs.
#[test]
fn the_other_process() {
    let (Ok(folder), Ok(part)) = (std::env::var(FOLDER), std::env::var(PART)) else {
        let folder = tempfile::tempdir().unwrap();
        let ended = other("no such part", folder.path(), None).output().unwrap();
        assert!(!ended.status.success() && fs::read_dir(folder.path()).unwrap().next().is_none());
        return;
    };
    let schema = schema(GAME);
    let (shells, best): (Field<i64>, Field<Option<i64>>) =
        (schema.field("shells").unwrap(), schema.field("best").unwrap());
    let slot = SaveDir::at(folder).slot("otter").unwrap();
    match part.as_str() {
        // Saves as fast as it can and prints what is on the disk, until it is killed.
        "save" => {
            let mut game = Keeper::open(&slot, &schema).unwrap();
            let first = game.get(shells);
            for number in first + 1.. {
                game.set(shells, number);
                let area = vec![u8::try_from(number % 251).unwrap(); 3000];
                game.put_area("fens", Some(area)).unwrap();
                if number % 50 == 0 {
                    game.pin("here").unwrap();
                }
                game.save_now().unwrap();
                println!("\nsaved {number}");
            }
        }
        "look" => match Keeper::open(&slot, &schema) {
            Err(OpenError::InUse { .. }) => {
                let seen = Keeper::view(&slot, &schema).unwrap();
                println!("\nin use, and there are {} shells", seen.get(shells));
            }
            other => println!("\n{other:?}"),
        },
        "record" => {
            let mut game = Keeper::open(&slot, &schema).unwrap();
            game.submit(best, 50);
            game.close().unwrap();
            println!("\nsaved");
        }
        // With a limit on the length of files: grows until it fails, and continues to play.
        "fill" => {
            let mut game = Keeper::open(&slot, &schema).unwrap();
            for number in 1.. {
                game.set(shells, number);
                game.put_area("fens", Some([7_u8; 1000].repeat(usize::try_from(number).unwrap()))).unwrap();
                match game.save_now() {
                    Ok(_) => println!("\nsaved {number}"),
                    Err(SaveError::Disk(error)) => {
                        println!("\nrefused {error}");
                        game.add(shells, 1);
                        game.put_area("fens", None).unwrap();
                        game.save_now().unwrap();
                        println!("\nsaved {}", game.get(shells));
                        break;
                    }
                    Err(other) => panic!("{other}"),
                }
            }
        }
        // In a read-only folder, until it becomes writable: continues to play, and loses nothing.
        "forbidden" => {
            let mut game = Keeper::open(&slot, &schema).unwrap();
            let there = game.get(shells);
            game.add(shells, 5);
            let Err(SaveError::Disk(error)) = game.save_now() else { panic!("it was not refused") };
            game.add(shells, 5);
            println!("\nfound {there}, refused {:?}", error.source.kind());
            std::io::stdin().read_line(&mut String::new()).unwrap();
            game.save_now().unwrap();
            println!("\nsaved {}", game.get(shells));
        }
        other => panic!("no part {other}"),
    }
}

fn other(part: &str, folder: &Path, before: Option<&str>) -> Command {
    let program = std::env::current_exe().unwrap();
    let mut command = match before {
        None => Command::new(program),
        Some(before) => {
            let mut shell = Command::new("sh");
            shell.args(["-c", &format!("{before}; exec \"$0\" \"$@\"")]).arg(program);
            shell
        }
    };
    command.args(["--exact", "processes::the_other_process", "--nocapture", "--test-threads=1"]);
    command.env(FOLDER, folder).env(PART, part).stdout(Stdio::piped()).stderr(Stdio::null());
    command
}

/// Returns what the other process has printed so far, up to its last complete line.
fn last_saved(said: &str) -> Option<i64> {
    let whole = &said[..said.rfind('\n').unwrap_or(0)];
    whole.lines().rev().find_map(|line| line.strip_prefix("saved ")?.parse().ok())
}

/// Returns a slot of the game in its own folder, and the field that counts.
fn in_a_folder() -> (TempDir, Arc<Schema>, Field<i64>, Slot) {
    let folder = tempfile::tempdir().unwrap();
    let schema = schema(GAME);
    let shells = schema.field("shells").unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    (folder, schema, shells, slot)
}

struct Playing(Child, BufReader<ChildStdout>);

impl Playing {
    fn begin(command: &mut Command) -> Playing {
        let mut child = command.spawn().unwrap();
        let said = BufReader::new(child.stdout.take().unwrap());
        Playing(child, said)
    }

    fn wait_for_first_save(&mut self) -> String {
        let mut said = String::new();
        while last_saved(&said).is_none() {
            assert!(self.1.read_line(&mut said).unwrap() > 0, "it ended: {said}");
        }
        said
    }
}

#[test]
fn a_program_killed_at_any_moment_opens_with_what_it_said_was_saved() {
    let (folder, schema, shells, slot) = in_a_folder();
    let kills = std::env::var("KEBLIN_TEST_KILLS").map_or(KILLS, |kills| kills.parse().unwrap());
    let mut random = fastrand::Rng::with_seed(6);
    let (mut saves, mut ahead) = (0, 0);
    for kill in 0..kills {
        let mut child = Playing::begin(&mut other("save", folder.path(), None));
        let mut said = child.wait_for_first_save();
        std::thread::sleep(Duration::from_micros(random.u64(0..12_000)));
        child.0.kill().unwrap();
        child.1.read_to_string(&mut said).unwrap();
        child.0.wait().unwrap();
        let saved = last_saved(&said).unwrap();
        let opened = slot.view(&schema).unwrap_or_else(|error| panic!("kill {kill}: {error}")).progress;
        let held = opened.get(shells);
        assert!((saved..=saved + 1).contains(&held), "kill {kill}: {held} is there, and {saved} was said");
        let area = opened.area("fens").unwrap();
        assert!(area.iter().all(|byte| i64::from(*byte) == held % 251), "kill {kill}: a mixture");
        (saves, ahead) = (saved, ahead + u32::from(held > saved));
    }
    println!("{kills} kills, {saves} saves, {ahead} times killed between saving and saying so");
    assert!(saves > i64::from(kills) * 2, "it was killed before it did anything");
}

#[test]
fn another_program_finds_the_slot_in_use_and_can_look() {
    let (folder, schema, shells, slot) = in_a_folder();
    let mut game = Keeper::open(&slot, &schema).unwrap();
    game.set(shells, 11);
    game.save_now().unwrap();
    let said = || {
        let output = other("look", folder.path(), None).output().unwrap();
        String::from_utf8(output.stdout).unwrap()
    };
    assert!(said().contains("\nin use, and there are 11 shells\n"), "{}", said());
    game.close().unwrap();
    drop(slot);
    assert!(said().contains("\nOk(Keeper"), "{}", said());
}

#[test]
fn a_record_of_another_program_is_not_lowered() {
    let folder = tempfile::tempdir().unwrap();
    let schema = schema(GAME);
    let best: Field<Option<i64>> = schema.field("best").unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    // Both start without a save, and so without a lock.
    let mut game = Keeper::open(&slot, &schema).unwrap();
    game.submit(best, 30);
    let output = other("record", folder.path(), None).output().unwrap();
    assert!(String::from_utf8(output.stdout).unwrap().contains("\nsaved\n"));
    game.close().unwrap();
    assert_eq!(slot.view(&schema).unwrap().progress.get(best), Some(50));
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_disk_is_told_and_what_was_saved_is_there() {
    let folder = tempfile::tempdir().unwrap();
    let schema = schema(GAME);
    let shells: Field<i64> = schema.field("shells").unwrap();
    // In blocks of 512 bytes; the program ignores the signal for this limit and looks at its errors.
    let output = other("fill", folder.path(), Some("trap '' XFSZ; ulimit -f 100")).output().unwrap();
    let said = String::from_utf8(output.stdout).unwrap();
    assert!(output.status.success(), "{said}");
    let refused = said.lines().find_map(|line| line.strip_prefix("refused ")).unwrap();
    assert!(refused.contains("otter.keblin: ") && refused.contains("too large"), "{refused}");
    let saved = last_saved(&said).unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    assert_eq!(slot.view(&schema).unwrap().progress.get(shells), saved, "it went on after the failure");
}

/// The permissions of a folder that belongs to another user.
#[cfg(unix)]
#[test]
fn a_folder_that_may_not_be_written_to_is_told_and_play_goes_on() {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};
    use std::os::unix::process::CommandExt;
    let (folder, schema, shells, slot) = in_a_folder();
    let mut game = Keeper::open(&slot, &schema).unwrap();
    game.set(shells, 11);
    game.close().unwrap();
    drop(slot);
    let allow = |of_folders: u32, of_files: u32| {
        for inside in [folder.path().join("aside"), folder.path().to_path_buf()] {
            for entry in std::fs::read_dir(&inside).unwrap().map(Result::unwrap) {
                let mode = if entry.path().is_dir() { of_folders } else { of_files };
                std::fs::set_permissions(entry.path(), PermissionsExt::from_mode(mode)).unwrap();
            }
            std::fs::set_permissions(inside, PermissionsExt::from_mode(of_folders)).unwrap();
        }
    };
    allow(0o555, 0o444);
    let mut command = other("forbidden", folder.path(), None);
    if std::fs::metadata(folder.path()).unwrap().uid() == 0 {
        // The superuser may do everything.
        command.uid(65534).gid(65534);
    }
    let mut child = Playing::begin(command.stdin(Stdio::piped()));
    let mut said = String::new();
    while !said.contains("refused") {
        assert!(child.1.read_line(&mut said).unwrap() > 0, "it ended: {said}");
    }
    assert!(said.ends_with("found 11, refused PermissionDenied\n"), "{said}");
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    assert_eq!(slot.view(&schema).unwrap().progress.get(shells), 11);
    allow(0o777, 0o666);
    child.0.stdin.take().unwrap().write_all(b"\n").unwrap();
    child.1.read_to_string(&mut said).unwrap();
    assert!(child.0.wait().unwrap().success() && last_saved(&said) == Some(21), "{said}");
    assert_eq!(slot.view(&schema).unwrap().progress.get(shells), 21);
}

#[test]
fn a_folder_that_is_removed_is_made_again() {
    let folder = tempfile::tempdir().unwrap();
    let schema = schema(GAME);
    let shells: Field<i64> = schema.field("shells").unwrap();
    let slot = SaveDir::at(folder.path().join("saves")).slot("otter").unwrap();
    let mut game = Keeper::open(&slot, &schema).unwrap();
    game.set(shells, 1);
    game.save_now().unwrap();
    std::fs::remove_dir_all(folder.path().join("saves")).unwrap();
    game.set(shells, 2);
    let saved = game.save_now().unwrap().unwrap();
    assert_eq!(saved.number, 2, "it is the same slot");
    assert_eq!(slot.view(&schema).unwrap().progress.get(shells), 2);
    // The lock was removed with the folder, and was taken again.
    let second = SaveDir::at(folder.path().join("saves")).slot("otter").unwrap();
    assert!(matches!(Keeper::open(&second, &schema), Err(OpenError::InUse { .. })));
}
