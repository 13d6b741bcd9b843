//! What the game's logger gets: refused calls with their place in the code, and what happens to slots.

use std::cell::RefCell;
use std::fs;
use std::sync::{Arc, Once};

use keblin::{Keeper, Progress, SaveDir, Schema};
use log::{Level, LevelFilter, Log, Metadata, Record};

use crate::steps::{parsed, versions};

thread_local! {
    static HEARD: RefCell<Vec<(Level, String)>> = const { RefCell::new(Vec::new()) };
}

/// Keeps what each thread logs, so that other tests do not disturb.
struct Ears;

impl Log for Ears {
    fn enabled(&self, _: &Metadata<'_>) -> bool {
        true
    }
    fn log(&self, record: &Record<'_>) {
        HEARD.with_borrow_mut(|heard| heard.push((record.level(), record.args().to_string())));
    }
    fn flush(&self) {}
}

/// Returns what this thread has logged since the last call.
fn heard() -> Vec<(Level, String)> {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        log::set_logger(&Ears).unwrap();
        log::set_max_level(LevelFilter::Trace);
    });
    HEARD.take()
}

const BARN: &str = "game = 'barn'\nversion = 1\n[fields]\nowls = { type = 'int', scope = 'run', max = 9, on_death = 'stays' }\n\
    hay = { type = 'list', of = 'text', max_len = 4, max_items = 1, scope = 'profile' }\n";

fn barn() -> Arc<Schema> {
    Arc::new(parsed(BARN))
}

#[test]
fn a_refused_call_is_reported_with_its_place_once_for_each_place() {
    heard();
    let schema = barn();
    let owls = schema.field::<i64>("owls").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    let line = line!() + 2;
    for number in 0..3 {
        game.set(owls, number);
    }
    game.add(owls, 1);
    let warned = heard();
    assert_eq!(warned.len(), 2, "{warned:?}");
    let (level, said) = &warned[0];
    assert_eq!(*level, Level::Warn);
    let here = format!("barn: {}:{line}: nothing was written: ", file!());
    assert!(said.starts_with(&here), "{said}");
    assert!(said.contains("begin"), "it says what is possible: {said}");
    let refused = game.drain_notices().filter(|notice| notice.word() == "refused").count();
    assert_eq!(
        refused,
        if cfg!(debug_assertions) { 2 } else { 0 },
        "a notice for each place in debug builds"
    );
    game.begin(None).unwrap();
    game.set(owls, 4);
    assert!(game.set(owls, 99).clamped);
    assert_eq!(heard(), [], "what was written is not reported");
    let hay = schema.field::<Vec<String>>("hay").unwrap();
    game.push(hay, "dry".to_string());
    game.push(hay, "wet".to_string());
    assert!(heard()[0].1.contains("at most 1 items"));
}

#[test]
fn time_that_passes_before_a_run_is_mentioned_once() {
    heard();
    let mut game = Progress::new(barn());
    (0..5).for_each(|_| game.tick(std::time::Duration::from_millis(16)));
    let said = heard();
    assert_eq!((said.len(), said[0].0), (1, Level::Debug), "{said:?}");
    assert!(said[0].1.contains("`begin`"));
}

#[test]
fn openings_and_saves_are_in_the_log_without_a_path_at_info() {
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    let schema = barn();
    heard();
    let opened = slot.open(&schema).unwrap();
    slot.save(&opened.progress.snapshot(), "quit").unwrap();
    slot.save(&opened.progress.snapshot(), "quit").unwrap();
    slot.open(&schema).unwrap();
    let said = heard();
    let texts: Vec<&str> = said.iter().map(|(_, text)| text.as_str()).collect();
    assert_eq!(texts[0], "keblin: slot otter is new");
    assert!(texts[1].starts_with("keblin: slot otter: save 1 is on the disk, "), "{texts:?}");
    assert_eq!(texts[3], "keblin: slot otter opened");
    assert_eq!(
        said.iter().map(|(level, _)| *level).collect::<Vec<_>>(),
        [Level::Info, Level::Debug, Level::Debug, Level::Info]
    );

    // An update migrates it, and damage falls back to the backup.
    let two = BARN.replace("version = 1", "version = 2");
    slot.open(&versions(&[BARN, &two], &[""]).unwrap()).unwrap();
    assert!(
        heard().iter().any(|(level, text)| *level == Level::Info && text.contains("version 1 of the game"))
    );
    let file = folder.path().join("otter.keblin");
    fs::write(&file, b"noise").unwrap();
    slot.open(&schema).unwrap();
    let said = heard();
    assert!(
        said.iter().any(|(level, text)| *level == Level::Warn && text.contains("from its backup")),
        "{said:?}"
    );
    let _kept = Keeper::open(&slot, &schema).unwrap();
    assert!(slot.save(&opened.progress.snapshot(), "quit").is_err());
    assert_eq!(heard().last().unwrap().0, Level::Error);
    let path = folder.path().display().to_string();
    assert!(texts.iter().all(|text| !text.contains(&path)), "{texts:?}");
}

/// Keeps the names of the spans that a thread enters.
struct Spans(std::sync::Mutex<Vec<String>>);

impl tracing::Subscriber for Spans {
    fn enabled(&self, _: &tracing::Metadata<'_>) -> bool {
        true
    }
    fn new_span(&self, span: &tracing::span::Attributes<'_>) -> tracing::span::Id {
        let mut said = String::new();
        span.record(&mut |field: &tracing::field::Field, value: &dyn std::fmt::Debug| {
            said += &format!("{}={value:?} ", field.name());
        });
        let mut spans = self.0.lock().unwrap();
        spans.push(said.trim_end().to_string());
        tracing::span::Id::from_u64(spans.len() as u64)
    }
    fn record(&self, _: &tracing::span::Id, _: &tracing::span::Record<'_>) {}
    fn record_follows_from(&self, _: &tracing::span::Id, _: &tracing::span::Id) {}
    fn event(&self, _: &tracing::Event<'_>) {}
    fn enter(&self, _: &tracing::span::Id) {}
    fn exit(&self, _: &tracing::span::Id) {}
}

#[test]
fn opening_saving_and_migrating_are_spans() {
    let folder = tempfile::tempdir().unwrap();
    let later = BARN.replace("version = 1", "version = 2") + "hens = { type = 'int', scope = 'profile' }\n";
    let (one, two) = (barn(), versions(&[BARN, &later], &[""]).unwrap());
    let saves = SaveDir::at(folder.path());
    let spans = Arc::new(Spans(std::sync::Mutex::default()));
    tracing::subscriber::with_default(Arc::clone(&spans), || {
        Keeper::open(&saves.slot("owl").unwrap(), &one).unwrap().close().unwrap();
        Keeper::open(&saves.slot("owl").unwrap(), &two).unwrap();
    });
    let entered = spans.0.lock().unwrap().clone();
    assert_eq!(entered[..2], ["what=\"open\" name=owl", "what=\"save\" name=owl"]);
    assert_eq!(entered[2], "what=\"open\" name=owl");
    assert!(entered[3].starts_with("what=\"migrate\" name="), "{entered:?}");
}
