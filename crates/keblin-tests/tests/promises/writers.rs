//! A save says who wrote what, and `verify` compares that with the values.

use std::fs;
use std::sync::Arc;

use keblin::reconcile::{MachineId, Share, Writers};
use keblin::save::{SaveCode, SaveFile, read};
use keblin::verify::{check, verify};
use keblin::{Keeper, Progress, Severity, Time, Value};

use crate::forged::Forge;
use crate::round_trip::stamp;
use crate::tables::{fen_post, project, schema};

const LAPTOP: MachineId = MachineId(0x6b2f_9d10_44a7_e3c5);
const DESKTOP: MachineId = MachineId(0x1f08_5ce7_90bb_2a64);

/// A save of two machines: of 120 coppers, one has earned 30 and spent 80, and the other has earned 45.
fn of_two_machines() -> Vec<u8> {
    fs::read(project("demo/frozen/saves/v5_coppers_of_two_machines.keblin")).unwrap()
}

/// Returns a save with the same sections, but for the history.
fn with_history(file: &SaveFile<'_>, history: &[u8]) -> Vec<u8> {
    let mut forge = Forge::of("fen_post");
    for section in file.sections.iter().filter(|section| section.name != "history") {
        // What is known of the world came later, so an earlier reader does not need it.
        forge.section(section.name, section.name != "world", 0, section.body);
    }
    forge.section("history", false, 0, history).state(1, 5).bytes.clone()
}

fn history<'f>(file: &SaveFile<'f>) -> &'f [u8] {
    file.sections.iter().find(|section| section.name == "history").unwrap().body
}

#[test]
fn a_save_says_who_wrote_what() {
    let save = verify(&of_two_machines(), &fen_post()).unwrap();
    assert!(
        save.findings().iter().all(|finding| finding.severity == Severity::Hint),
        "{:?}",
        save.findings()
    );
    let Writers { machines, values, .. } = save.snapshot().writers();
    assert_eq!(machines, [(DESKTOP, 1_700_007_200_000), (LAPTOP, 1_700_003_600_000)]);
    assert_eq!(LAPTOP.to_string(), "e3c5");
    let counted =
        |added: i64, taken: i64| Share::Counted { added: Value::Int(added), taken: Value::Int(taken) };
    let of = |what: &str| values.iter().find(|value| value.what == what).unwrap().clone();
    let coppers = of("coppers");
    assert_eq!(coppers.start, Value::Int(120));
    assert_eq!(coppers.shares, [(DESKTOP, counted(45, 0)), (LAPTOP, counted(30, 80))]);
    assert_eq!(of("attempts at long_mere, neap").shares, [(DESKTOP, counted(1, 0))]);
    assert_eq!(of("the run").shares, [(DESKTOP, Share::Wrote(1_700_007_200_000))]);
    // What was never saved does not say.
    assert_eq!(Progress::new(fen_post()).snapshot().writers(), Writers::default());
}

#[test]
fn tables_times_and_titles_have_their_writers_too() {
    let schema = schema(
        "game = 'otter'\nversion = 1\nautosave = []\n[fields]\n\
         best = { type = 'int', scope = 'profile', keep = 'highest', places = 3 }\n\
         walked = { type = 'time', scope = 'profile', keep = 'sum' }\n\
         note = { type = 'text', scope = 'profile', max_len = 9 }\n",
    );
    let mut file: Option<Vec<u8>> = None;
    for machine in [7, 8] {
        let mut game = Keeper::from_bytes(&schema, file.as_deref()).unwrap().on_machine(machine);
        let best = schema.field::<Option<i64>>("best").unwrap();
        (0..machine.cast_signed() - 6).for_each(|value| drop(game.submit(best, value)));
        game.add(schema.field::<Time>("walked").unwrap(), Time::from_millis(i64::from(machine == 8) + 1));
        if machine == 7 {
            game.set(schema.field::<String>("note").unwrap(), "weir".to_string());
            game.set_title("Anke").unwrap();
        }
        game.save_now().unwrap();
        file = Some(game.take_due(1_000 * machine).unwrap().unwrap().bytes);
    }
    let writers = verify(&file.unwrap(), &schema).unwrap().snapshot().writers();
    let shares = |what: &str| {
        let value = writers.values.iter().find(|value| value.what == what).unwrap();
        value.shares.iter().map(|(machine, share)| (machine.0, share.clone())).collect::<Vec<_>>()
    };
    assert_eq!(shares("best"), [(7, Share::Entries(1)), (8, Share::Entries(2))]);
    let time = |secs| Value::Time(Time::from_millis(secs));
    let added = |secs| Share::Counted { added: time(secs), taken: time(0) };
    assert_eq!(shares("walked"), [(7, added(1)), (8, added(2))]);
    assert_eq!(
        (shares("note"), shares("title")),
        (vec![(7, Share::Wrote(7_000))], vec![(7, Share::Wrote(7_000))])
    );
}

#[test]
fn amounts_that_do_not_add_up_are_found() {
    let (bytes, schema) = (of_two_machines(), fen_post());
    let file = read(&bytes).unwrap();
    let mut wrong = history(&file).to_vec();
    // The laptop's numbers: 30 earned, 80 spent.
    let at = wrong.windows(4).position(|four| four == [0x18, 30, 0x18, 80]).unwrap();
    wrong[at + 1] = 31;
    let forged = with_history(&file, &wrong);
    let found = check(&forged, &schema, None).unwrap();
    assert_eq!(found, verify(&forged, &schema).unwrap().findings());
    let told: Vec<String> = found.iter().map(ToString::to_string).collect();
    assert_eq!(
        told,
        [
            "history.coppers: warning: what the machines have added and taken makes 116, but the value is 115; merging this save \
          with another one can lose or double a part of it [history_differs]"
        ]
    );
    // As it was, nothing is wrong.
    assert!(check(&with_history(&file, history(&file)), &schema, None).unwrap().is_empty());
}

#[test]
fn a_save_of_an_older_build_in_between_is_told_and_adds_up() {
    let (bytes, schema) = (of_two_machines(), fen_post());
    let old = read(&bytes).unwrap();
    let mut game = verify(&bytes, &schema).unwrap().into_progress();
    game.add(schema.field::<i64>("coppers").unwrap(), 5);
    game.resume().unwrap();
    game.die().unwrap();
    // An older build writes the values, and carries the history along as it was.
    let values = keblin::save::write(&game.snapshot(), &stamp(2));
    let forged = with_history(&read(&values).unwrap(), history(&old));
    let save = verify(&forged, &schema).unwrap();
    let codes: Vec<SaveCode> = save.findings().iter().map(|finding| finding.code).collect();
    assert_eq!(codes, [SaveCode::HistoryOfAnotherState]);
    assert_eq!(save.findings()[0].severity, Severity::Hint);
    let writers = save.snapshot().writers();
    let coppers = writers.values.iter().find(|value| value.what == "coppers").unwrap();
    let more = Share::Counted { added: Value::Int(50), taken: Value::Int(0) };
    assert_eq!(coppers.shares[0], (DESKTOP, more), "by the machine that wrote last");
    assert!(Arc::ptr_eq(save.snapshot().schema(), &schema));
}
