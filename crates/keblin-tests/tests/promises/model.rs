//! The engine compared with a second, naive one: random declarations, a million random events, everything compared
//! after each.

/// Random declarations.
mod declared;

use std::sync::Arc;
use std::time::Duration;

use keblin::condition::names::{Asked, Fact, On};
use keblin::condition::{Facts, Word};
use keblin::kind::Kind;
use keblin::model::FieldDef;
use keblin::progress::{Erase, Fed, Signal};
use keblin::save::{Stamp, write as write_save};
use keblin::value::Part;
use keblin::verify::verify;
use keblin::{Field, Notice, Progress, Schema, Snapshot, Time, Value};

use crate::long::tries;
use crate::naive::Naive;
use crate::tables::schema;
use declared::declaration;

/// What conditions read from the naive engine.
impl Facts for Naive {
    fn cell(&self, cell: usize) -> &Value {
        &self.values[&cell]
    }
    fn fact(&self, index: usize, fact: Fact) -> i64 {
        self.facts.get(&(index / self.apart(), index % self.apart(), fact)).copied().unwrap_or(0)
    }
    fn word(&self, _: Word) -> Option<&str> {
        None
    }
    fn unlocked(&self, unlock: usize) -> bool {
        self.given[unlock]
    }
    fn played_nanos(&self) -> i64 {
        0
    }
}

/// Pseudo-random numbers from a seed, so that a failure can be repeated.
struct Dice(fastrand::Rng);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0.usize(..sides)
    }

    fn one<'w>(&mut self, words: &[&'w str]) -> &'w str {
        self.0.choice(words).copied().unwrap_or_default()
    }

    fn amount(&mut self) -> i64 {
        let small = self.0.i64(-8..17);
        if self.roll(60) == 0 { i64::MAX - small.abs() } else { small }
    }
}

/// Returns a value that fits a field, or a number.
fn value(dice: &mut Dice, schema: &Schema, field: &FieldDef) -> Value {
    let (number, count) = (dice.amount(), dice.roll(4));
    let text = |dice: &mut Dice| Value::text(dice.one(&["", "otter", "ÖTTI", "\"'\\\n"]));
    let part = |dice: &mut Dice| Part::new(f32::from(dice.0.u16(..)) / 3.0).unwrap();
    match field.kind {
        Kind::Bool => Value::Bool(count > 1),
        Kind::Time => Value::Time(Time::from_nanos(number)),
        Kind::Float => Value::float(dice.0.f64() * 1e9).unwrap(),
        Kind::Text => text(dice),
        Kind::List => Value::List((0..count).map(|_| Value::Int(dice.amount())).collect()),
        Kind::Set => Value::Set(Arc::new((0..count).map(|_| text(dice)).collect())),
        Kind::Map => {
            let entries = (0..count).map(|_| (Value::Int(dice.amount()), Value::Bool(dice.roll(2) == 0)));
            Value::Map(Arc::new(entries.collect()))
        }
        Kind::Vec2 => Value::Vec2([part(dice), part(dice)]),
        Kind::Id(ids) => {
            let levels: Vec<String> = schema.id_texts(ids).collect();
            schema.id_value(ids, &levels[dice.roll(levels.len())]).unwrap()
        }
        _ => Value::Int(number),
    }
}

/// A held snapshot of both.
type Held = Option<(Snapshot, Naive)>;

/// Applies one random event to both; returns whether both accept it, and its word.
fn event(
    dice: &mut Dice,
    schema: &Arc<Schema>,
    game: &mut Progress,
    naive: &mut Naive,
    held: &mut Held,
) -> (bool, bool, String) {
    let level = dice.roll(schema.levels.len());
    let handle = schema.level_at(level).unwrap();
    let kind = dice.roll(44);
    let (ours, theirs) = match kind {
        0 => {
            let (chosen, replacing) = (dice.roll(3), dice.roll(3) == 0);
            let difficulty = (chosen < 2).then_some(chosen);
            let on = difficulty.and_then(|index| schema.difficulty_at(index));
            let ours = if replacing {
                drop(game.begin_replacing(on));
                true
            } else {
                game.begin(on).is_ok()
            };
            (ours, naive.begin(difficulty, replacing))
        }
        1 | 2 => (game.resume().is_ok(), naive.resume()),
        3..=5 => (game.enter(handle).is_ok(), naive.enter(level)),
        6..=8 => {
            let here = naive
                .visit
                .as_ref()
                .map_or(level, |visit| if dice.roll(5) > 0 { visit.level } else { level });
            let points = schema.levels[here].checkpoints.len();
            if points == 0 {
                return (true, true, String::new());
            }
            let point = dice.roll(points);
            let checkpoint = schema.checkpoint_at(schema.level_at(here).unwrap(), point).unwrap();
            (game.reach(checkpoint).is_ok(), naive.reach(here, point))
        }
        9 | 10 => {
            game.die();
            naive.die();
            (true, true)
        }
        11..=13 => (game.respawn().is_ok(), naive.respawn()),
        14 => (game.retry().is_ok(), naive.retry()),
        15 | 16 => {
            let stars = i64::try_from(dice.roll(6)).unwrap() - 1;
            (game.finish_with_stars(stars).is_ok(), naive.finish(stars))
        }
        17 => (game.leave().is_ok(), naive.leave()),
        18 if dice.roll(3) == 0 => (game.end_run().is_ok(), naive.end_run()),
        19 if dice.roll(3) == 0 => {
            *game = Progress::restored(game.snapshot());
            naive.reopen();
            (true, true)
        }
        18..=22 => {
            let nanos = i64::try_from(dice.roll(4_000_000)).unwrap() * 1000;
            game.tick(Duration::from_nanos(nanos.unsigned_abs()));
            naive.tick(nanos);
            (true, true)
        }
        40 if dice.roll(4) == 0 => {
            erase(dice, schema, game, naive);
            (true, true)
        }
        40 | 41 => match held.take().filter(|_| dice.roll(2) == 0) {
            Some((snapshot, before)) => {
                assert!(game.load(&snapshot, false).is_err());
                game.load(&snapshot, true).unwrap();
                naive.load(&before);
                (true, true)
            }
            None => {
                *held = Some((game.snapshot(), naive.held()));
                (true, true)
            }
        },
        42 => {
            let on = dice.roll(2) == 0;
            let acts = naive.feed("death", on);
            assert_eq!(game.feed(Signal::Death, on).unwrap() != Fed::Nothing, acts);
            if acts {
                naive.die();
            }
            (true, true)
        }
        43 => {
            let (record, value) = (dice.one(&["best", "fewest"]), dice.amount());
            let field: Field<Option<i64>> = schema.field(record).unwrap();
            (game.submit(field, value).refused.is_none(), naive.set(field.cell(), Value::Int(value)))
        }
        _ => return write(dice, schema, game, naive),
    };
    (ours, theirs, format!("event {kind}, level {level}"))
}

/// Erases something in both, confirmed or not.
fn erase(dice: &mut Dice, schema: &Schema, game: &mut Progress, naive: &mut Naive) {
    let level = dice.roll(schema.levels.len());
    let what = match dice.roll(4) {
        0 => {
            naive.erase_profile();
            Erase::Profile
        }
        1 => {
            let field = dice.roll(schema.fields.len());
            naive.erase_field(field);
            Erase::Field(field)
        }
        2 => {
            let fact = Fact::ALL[dice.roll(Fact::ALL.len())];
            naive.erase_fact(level, fact);
            Erase::Named(Asked::Fact { level, on: On::Any, fact })
        }
        _ => {
            naive.erase_level(level);
            Erase::Level(schema.level_at(level).unwrap(), None)
        }
    };
    let before = game.snapshot();
    assert!(game.erase(&what, false).is_err() && game.snapshot() == before);
    game.erase(&what, true).unwrap();
}

/// Writes a random value.
fn write(
    dice: &mut Dice,
    schema: &Arc<Schema>,
    game: &mut Progress,
    naive: &mut Naive,
) -> (bool, bool, String) {
    let plain: Vec<usize> =
        (0..schema.fields.len()).filter(|field| schema.fields[*field].per.is_empty()).collect();
    let def = &schema.fields[plain[dice.roll(plain.len())]];
    let value = value(dice, schema, def);
    let cell = def.cells.start;
    let field: Field<Value> = schema.field(def.name.as_str()).unwrap();
    // A value that is not a number can only be set.
    let kind = if value.number().is_some() || def.kind == Kind::Float { dice.roll(4) } else { 0 };
    let event = match kind {
        0 => keblin::progress::Event::Set(field, value.clone()),
        1 => keblin::progress::Event::Spend(field, value.clone()),
        _ => keblin::progress::Event::Add(field, value.clone()),
    };
    let ours = match game.apply(&event) {
        Ok(keblin::progress::Outcome::Changed(change)) => change.refused.is_none(),
        Ok(_) => true,
        Err(_) => false,
    };
    let theirs = match kind {
        0 => naive.set(cell, value.clone()),
        1 => naive.spend(cell, &value),
        _ => naive.add(cell, &value),
    };
    (ours, theirs, format!("write {kind} of {value} to {}", def.name))
}

#[track_caller]
fn compare(schema: &Schema, game: &mut Progress, naive: &mut Naive, did: &str) {
    assert_eq!(game.phase().as_str(), naive.phase(), "{did}");
    for cell in 0..schema.cell_count {
        let name = || format!("{} after {did}", schema.cell_owner(cell).unwrap().0.name);
        assert_eq!(game.value_at(cell), &naive.values[&cell], "{}", name());
    }
    for index in 0..schema.fact_count() {
        for &fact in Fact::ALL {
            assert_eq!(game.fact(index, fact), naive.fact(index, fact), "{fact:?} {index} after {did}");
        }
    }
    assert_eq!(game.furthest().map(|level| level.index()), naive.furthest, "{did}");
    assert_eq!(game.difficulty().map(|difficulty| difficulty.index()), Some(naive.difficulty()), "{did}");
    assert_eq!(
        game.level().map(|level| level.index()),
        naive.visit.as_ref().map(|visit| visit.level),
        "{did}"
    );
    let checkpoint = naive.visit.as_ref().and_then(|visit| visit.checkpoint);
    assert_eq!(game.checkpoint().map(|point| point.index()), checkpoint, "{did}");
    for level in 0..schema.levels.len() {
        assert_eq!(game.is_open(schema.level_at(level).unwrap(), None), naive.is_open(level), "{did}");
    }
    for unlock in 0..schema.unlocks.len() {
        assert_eq!(game.is_unlocked(schema.unlock_at(unlock).unwrap()), naive.given[unlock], "{did}");
    }
    let told: Vec<usize> = game
        .drain_notices()
        .filter_map(|notice| if let Notice::Moment(moment) = notice { Some(moment.index()) } else { None })
        .collect();
    assert_eq!(told, std::mem::take(&mut naive.moments), "moments after {did}");
}

/// A saved state opens unchanged, byte for byte.
#[track_caller]
fn comes_back(schema: &Arc<Schema>, game: &Progress, did: &str) {
    let stamp = Stamp::first(1, "model");
    let bytes = write_save(&game.snapshot(), &stamp);
    let save = verify(&bytes, schema).unwrap_or_else(|error| panic!("{error} after {did}"));
    assert_eq!(write_save(save.snapshot(), &stamp), bytes, "{did}");
    // Settings are stored next to the slot, and bounds that follow them apply only after they are loaded.
    if schema.saved_cells < schema.cell_count {
        return;
    }
    let opened = save.into_progress().snapshot();
    let restored = Progress::restored(game.snapshot()).snapshot();
    assert_eq!(write_save(&opened, &stamp), write_save(&restored, &stamp), "{did}");
}

#[test]
fn a_second_naive_engine_agrees_on_random_events() {
    let (games, events) = (tries(20, 100), tries(2_500, 10_000));
    let (mut refused, mut phases) = (0_u32, std::collections::BTreeMap::<&str, u32>::new());
    for number in 0..games {
        let mut dice = Dice(fastrand::Rng::with_seed(number));
        let text = declaration(&mut dice);
        let schema = schema(&text);
        // In every second game the data takes a while to arrive, and then it is a first launch.
        let late = number % 2 == 1;
        let mut game =
            if late { Progress::awaiting(Arc::clone(&schema)) } else { Progress::new(Arc::clone(&schema)) };
        let mut naive = Naive::new(&schema, late);
        let mut held = None;
        for count in 0..events {
            let before = (count % 16 == 0).then(|| game.snapshot());
            let (ours, theirs, did) = event(&mut dice, &schema, &mut game, &mut naive, &mut held);
            let did = format!("game {number}, event {count}: {did}\n{text}");
            assert_eq!(ours, theirs, "{did}");
            if let Some(before) = before.filter(|_| !ours) {
                assert!(before == game.snapshot(), "a refused event has changed something: {did}");
            }
            if count == 100 {
                game.arrive(None);
                naive.arrive();
                assert!(game.is_ready(), "{did}");
            }
            compare(&schema, &mut game, &mut naive, &did);
            if count % 64 == 0 {
                comes_back(&schema, &game, &did);
            }
            refused += u32::from(!ours);
            *phases.entry(naive.phase()).or_default() += 1;
        }
    }
    let all = u32::try_from(games * events).unwrap();
    println!("{all} events, {refused} refused; phases: {phases:?}");
    assert!(
        refused > all / 10 && phases.len() == 5 && phases.values().all(|count| *count > all / 100),
        "{phases:?}"
    );
}
