//! Power cut after every single call: the slot opens with the last acknowledged save, or with the one being written.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use keblin::progress::Erase;
use keblin::store::backend::{Backend, Faulty, Memory, PowerCut, Tear};
use keblin::store::{Origin, Slot};
use keblin::{Field, Keeper, SaveDir, Schema};

use crate::long::tries;
use crate::tables::schema;

const GAME: &str = r#"
    game = "cut"
    version = 1
    autosave = ["run_end"]
    [fields]
    count = { type = "int", scope = "profile" }
    best = { type = "int", scope = "profile", keep = "highest" }
    notes = { type = "text", scope = "profile", max_len = 40000 }
    [[levels]]
    id = "brook"
"#;

const TEARS: [Tear; 8] = [
    Tear::Lost,
    Tear::Kept,
    Tear::Half,
    Tear::Zeroed,
    Tear::LastOnly,
    Tear::Mixed(1),
    Tear::Mixed(2),
    Tear::Mixed(3),
];

const AREAS: [&str; 2] = ["fens", "west"];

fn slot_on(files: Arc<dyn Backend>) -> Slot {
    SaveDir::on(files, "saves").slot("otter").unwrap()
}

/// The contents of a save that was acknowledged or started.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Held {
    count: i64,
    best: Option<i64>,
    /// The contents of the two areas; one changes rarely and only when a sync fails.
    areas: [u8; 2],
    /// The pins that can be opened, with their best value.
    pins: BTreeMap<String, Option<i64>>,
}

/// A session: for each acknowledged save, after how many calls it was acknowledged, and its contents.
struct Session {
    files: PowerCut,
    acknowledged: Vec<(usize, Held)>,
    /// The saves with an erasure.
    erased: Vec<usize>,
    saves: usize,
    /// How many of the saves were appended instead of published.
    appended: usize,
    failed: usize,
}

/// Plays more than 40 saves in each of several openings, with a text that makes files be published anew, with pins and
/// erasures.
fn session(schema: &Arc<Schema>) -> Session {
    let files = PowerCut::new();
    let (count, best): (Field<i64>, Field<Option<i64>>) =
        (schema.field("count").unwrap(), schema.field("best").unwrap());
    let notes: Field<String> = schema.field("notes").unwrap();
    let mut session = Session {
        files: files.clone(),
        acknowledged: Vec::new(),
        erased: Vec::new(),
        saves: 0,
        appended: 0,
        failed: 0,
    };
    let mut held = Held { count: 0, best: None, areas: [0; 2], pins: BTreeMap::new() };
    session.acknowledged.push((0, held.clone()));
    for opening in 0..tries(2, 5) {
        let slot = slot_on(Arc::new(files.clone()));
        let mut game = Keeper::open(&slot, schema).unwrap();
        game.set(notes, "reed ".repeat([0, 40, 0, 8000, 1][opening]));
        for number in 0..54 {
            game.add(count, 1);
            held.count += 1;
            for (area, every) in [(0, 7), (1, 16)] {
                if number % every == 12 % every {
                    held.areas[area] += 1;
                    game.put_area(AREAS[area], Some(vec![held.areas[area]; 3000])).unwrap();
                }
            }
            match number {
                9 | 29 => {
                    game.submit(best, held.count);
                    held.best = Some(held.count);
                }
                19 => {
                    let name = format!("pin_{opening}");
                    game.save_now().unwrap();
                    session.acknowledge(&held);
                    game.pin(&name).unwrap();
                    held.pins.insert(name, held.best);
                }
                39 => {
                    let erase = Erase::Field(schema.field_named("best").unwrap().0);
                    game.erase(&erase, true).unwrap();
                    held.best = None;
                    held.pins.values_mut().for_each(|best| *best = None);
                    session.erased.push(session.acknowledged.len());
                }
                _ => {}
            }
            game.tick(Duration::from_millis(16));
            // Several frames are saved as one.
            if number % 10 != 5 {
                if number % 16 == 12 {
                    files.fail_next_sync();
                }
                let Ok(saved) = game.save_now() else {
                    session.failed += 1;
                    continue;
                };
                let saved = saved.unwrap();
                session.saves += 1;
                session.appended += usize::from(saved.written_bytes < saved.len_bytes);
                assert!(saved.replaced.is_none());
                session.acknowledge(&held);
            }
        }
        game.close().unwrap();
        session.acknowledge(&held);
    }
    session
}

impl Session {
    fn acknowledge(&mut self, held: &Held) {
        self.acknowledged.push((self.files.calls(), held.clone()));
    }
}

/// Opens the files that are left.
fn opened(left: &Memory, schema: &Arc<Schema>) -> Result<(Held, Origin), String> {
    let slot = slot_on(Arc::new(left.clone()));
    let opened = slot.open(schema).map_err(|error| error.to_string())?;
    let (count, best): (Field<i64>, Field<Option<i64>>) =
        (schema.field("count").unwrap(), schema.field("best").unwrap());
    let mut pins = BTreeMap::new();
    for pin in slot.pins().unwrap() {
        pin.head.map_err(|error| error.to_string())?;
        let mut game = keblin::Progress::new(Arc::clone(schema));
        let name = pin.name.to_string();
        game.load(&slot.pinned(&name, schema).map_err(|error| error.to_string())?, true).unwrap();
        pins.insert(name, game.get(best).option());
    }
    let areas = AREAS.map(|area| opened.progress.area(area).map_or(0, |bytes| bytes[0]));
    let held =
        Held { count: opened.progress.get(count), best: opened.progress.get(best).option(), areas, pins };
    Ok((held, opened.origin))
}

#[test]
fn a_power_cut_after_any_call_leaves_the_last_acknowledged_state_or_the_one_being_written() {
    let schema = schema(GAME);
    let session = session(&schema);
    let (mut cuts, mut outcomes) = (0_u32, BTreeMap::<&str, u32>::new());
    session.files.after_each_call(&TEARS, |calls, tear, left| {
        let last = session.acknowledged.iter().rposition(|(after, _)| *after <= calls).unwrap();
        let (before, next) = (&session.acknowledged[last].1, session.acknowledged.get(last + 1));
        let (held, origin) =
            opened(&left, &schema).unwrap_or_else(|error| panic!("after call {calls}, {tear:?}: {error}"));
        let said = || format!("after call {calls}, {tear:?}: {held:?} from {origin:?}, not {before:?}");
        let is = |one: &Held| (held.count, held.best, held.areas) == (one.count, one.best, one.areas);
        let is_next = next.is_some_and(|(_, next)| is(next));
        // Between two acknowledged states a frame may have been written that nobody waited for.
        let between = next.is_some_and(|(_, next)| (before.count..next.count).contains(&held.count));
        assert!(is(before) || is_next || between, "{}", said());
        // A pin exists once it is acknowledged, and contains nothing that was erased by then.
        for (name, best) in &before.pins {
            let found = held.pins.get(name).unwrap_or_else(|| panic!("no {name} {}", said()));
            assert!(found == best || found.is_none() && next.is_some(), "{name} {}", said());
        }
        let outcome = match origin {
            Origin::FirstRun => "nothing saved yet",
            Origin::File if is_next && held.count != before.count => "the state being written",
            Origin::File => "the last acknowledged state",
            Origin::EarlierState { .. } => "an earlier state, and a torn one after it is reported",
            Origin::Previous { .. } => "the backup",
            _ => "something else",
        };
        *outcomes.entry(outcome).or_default() += 1;
        cuts += 1;
    });
    let (appended, failed) = (session.appended, session.failed);
    println!(
        "{appended} appended, {failed} failed; {} saves, {} calls, {cuts} cuts: {outcomes:?}",
        session.saves,
        session.files.calls()
    );
    let openings = session.erased.len();
    assert!(openings >= 2 && session.saves >= 40 * openings && session.failed == 3 * openings);
    assert!(session.appended > 20 * openings && session.appended < session.saves);
    for outcome in [
        "nothing saved yet",
        "the state being written",
        "the last acknowledged state",
        "an earlier state, and a torn one after it is reported",
        "the backup",
    ] {
        assert!(outcomes.contains_key(outcome), "{outcome} never occurred: {outcomes:?}");
    }
    assert!(!outcomes.contains_key("something else"), "{outcomes:?}");
}

#[test]
fn what_was_erased_is_in_no_file_that_could_be_opened() {
    let schema = schema(GAME);
    let files = Memory::default();
    let slot = slot_on(Arc::new(files.clone()));
    let mut game = Keeper::open(&slot, &schema).unwrap();
    game.submit(schema.field::<Option<i64>>("best").unwrap(), 4_771_077);
    game.pin("bridge").unwrap();
    game.save_now().unwrap();
    game.erase(&Erase::Profile, true).unwrap();
    game.close().unwrap();
    let told = |path: &Path| path.to_string_lossy().into_owned();
    let number = [0x1a, 0x00, 0x48, 0xcd, 0x05];
    let holding: Vec<String> = files
        .files()
        .iter()
        .filter(|(_, bytes)| bytes.windows(number.len()).any(|window| window == number))
        .map(|(path, _)| told(path))
        .collect();
    assert_eq!(holding, ["saves/aside/otter.erased-1.keblin"], "set aside, and never offered");
    let game = Keeper::open(&slot, &schema).unwrap();
    assert_eq!(game.get(schema.field::<Option<i64>>("best").unwrap()), None);
    assert!(game.pins().unwrap().is_empty());
}

/// Otherwise what is later would be an accident, in rehearsals too.
#[test]
fn files_that_wrap_others_have_their_clock() {
    let memory = Memory::default();
    memory.set_clock(1_700_000_000_123);
    assert_eq!(Faulty::new(Arc::new(memory.clone())).now_unix_ms(), 1_700_000_000_123);
    let files = PowerCut::of(&memory);
    files.files().set_clock(1_600_000_000_456);
    assert_eq!(files.now_unix_ms(), 1_600_000_000_456);
}
