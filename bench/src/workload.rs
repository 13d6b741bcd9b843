//! Workload A: 60 levels on 3 difficulties, 40 fields, 50 shapes in a list; and the plain structs with names that a
//! game would pass to a serialiser instead. Both have the same values.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin::kind::Kind;
use keblin::{Field, Progress, Schema, Time, Value};
use serde::{Deserialize, Serialize};

/// How many levels there are.
pub const LEVELS: usize = 60;

/// How many shapes are in the list.
pub const SHAPES: i64 = 50;

const DIFFICULTIES: [&str; 3] = ["calm", "brisk", "wild"];

/// The declaration.
///
/// # Panics
/// Never: the declaration is valid.
#[must_use]
pub fn schema() -> Arc<Schema> {
    let mut text = "game = 'workload_a'\nversion = 1\ndifficulties = ['calm', 'brisk', 'wild']\n\
                    level_facts_per = 'difficulty'\n"
        .to_string();
    text += "[shapes.item.members]\nid = { type = 'int' }\nweight = { type = 'int' }\nlit = { type = 'bool' }\n\
             name = { type = 'text', max_len = 20 }\nat = { type = 'vec2' }\n[fields]\n";
    for index in 0..13 {
        text += &format!("run_{index} = {{ type = 'int', scope = 'run', on_death = 'checkpoint' }}\n");
    }
    for index in 0..13 {
        text += &format!("profile_{index} = {{ type = 'int', scope = 'profile' }}\n");
    }
    for index in 0..5 {
        text += &format!("clock_{index} = {{ type = 'time', scope = 'profile' }}\n");
        text += &format!("name_{index} = {{ type = 'text', scope = 'profile', max_len = 20 }}\n");
    }
    for index in 0..3 {
        text += &format!("best_{index} = {{ type = 'int', scope = 'profile', keep = 'highest' }}\n");
    }
    text += "items = { type = 'list', of = 'item', scope = 'profile', max_items = 64 }\n";
    for index in 0..LEVELS {
        text += &format!("[[levels]]\nid = 'level_{index}'\ncheckpoints = ['half_way']\nstars = 3\n");
    }
    Arc::new(Schema::parse("workload.toml", &text).expect("a sound declaration").schema)
}

/// Returns progress in which every level was finished on every difficulty.
///
/// # Panics
/// Never: it plays only what is declared.
#[must_use]
pub fn progress(schema: &Arc<Schema>) -> Progress {
    let plain = ByHand::sample();
    let mut game = Progress::new(Arc::clone(schema));
    for difficulty in DIFFICULTIES {
        game.begin_replacing(Some(schema.difficulty(difficulty).expect("a difficulty")));
        for index in 0..LEVELS {
            let level = schema.level(&format!("level_{index}")).expect("a level");
            game.enter(level).expect("it is open");
            game.finish_with_stars(2).expect("it is being played");
        }
    }
    game.enter(schema.level("level_7").expect("a level")).expect("it is open");
    let set = |game: &mut Progress, name: String, value: Value| {
        let field: Field<Value> = schema.field(&name).expect("a field");
        game.set(field, value);
    };
    for index in 0..13 {
        set(&mut game, format!("run_{index}"), Value::Int(plain.run.fields.run_3));
        set(&mut game, format!("profile_{index}"), Value::Int(plain.profile.fields.profile_3));
    }
    for index in 0..5 {
        set(&mut game, format!("clock_{index}"), Value::Time(Time::from_nanos(plain.profile.fields.clock_0)));
        set(&mut game, format!("name_{index}"), Value::text(&plain.profile.fields.name_0));
    }
    for index in 0..3 {
        set(&mut game, format!("best_{index}"), Value::Int(plain.profile.fields.best_0));
    }
    let item = |item: &Item| {
        let Item { at, id, lit, name, weight } = item;
        let text = format!(
            "{{ at = [{:?}, {:?}], id = {id}, lit = {lit}, name = '{name}', weight = {weight} }}",
            at[0], at[1]
        );
        schema.written(Kind::Shape(0).into(), &text).expect("a sound shape")
    };
    let items = plain.profile.fields.items.iter().map(item).collect();
    set(&mut game, "items".into(), Value::List(items));
    game
}

/// The same values as plain structs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ByHand {
    /// What outlives runs.
    pub profile: Profile,
    /// The run that can be resumed.
    pub run: Run,
}

/// What outlives runs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Profile {
    told: BTreeMap<String, bool>,
    fields: ProfileFields,
    levels: BTreeMap<String, BTreeMap<String, Facts>>,
    played: i64,
    furthest: Option<String>,
    unlocked: BTreeMap<String, bool>,
    difficulty: Option<String>,
}

/// The values that outlive runs.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[expect(missing_docs, reason = "plain values")]
pub struct ProfileFields {
    pub items: Vec<Item>,
    pub best_0: i64,
    pub best_1: i64,
    pub best_2: i64,
    pub clock_0: i64,
    pub clock_1: i64,
    pub clock_2: i64,
    pub clock_3: i64,
    pub clock_4: i64,
    pub name_0: String,
    pub name_1: String,
    pub name_2: String,
    pub name_3: String,
    pub name_4: String,
    pub profile_0: i64,
    pub profile_1: i64,
    pub profile_2: i64,
    pub profile_3: i64,
    pub profile_4: i64,
    pub profile_5: i64,
    pub profile_6: i64,
    pub profile_7: i64,
    pub profile_8: i64,
    pub profile_9: i64,
    pub profile_10: i64,
    pub profile_11: i64,
    pub profile_12: i64,
}

/// A shape.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[expect(missing_docs, reason = "plain values")]
pub struct Item {
    pub at: [f32; 2],
    pub id: i64,
    pub lit: bool,
    pub name: String,
    pub weight: i64,
}

/// The facts of a level on a difficulty.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Facts {
    stars: u8,
    deaths: u64,
    attempts: u64,
    finished: bool,
    collected: u64,
}

/// The run that can be resumed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Run {
    run: Option<Inside>,
    fields: RunFields,
}

/// The contents of a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Inside {
    told: BTreeMap<String, bool>,
    visit: Option<Visit>,
    difficulty: Option<String>,
}

/// One stay in a level.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Visit {
    stay: String,
    entry: Option<RunFields>,
    level: Option<String>,
    checkpoint: Option<String>,
    at_checkpoint: Option<RunFields>,
}

/// The values of a run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[expect(missing_docs, reason = "plain values")]
pub struct RunFields {
    pub run_0: i64,
    pub run_1: i64,
    pub run_2: i64,
    pub run_3: i64,
    pub run_4: i64,
    pub run_5: i64,
    pub run_6: i64,
    pub run_7: i64,
    pub run_8: i64,
    pub run_9: i64,
    pub run_10: i64,
    pub run_11: i64,
    pub run_12: i64,
}

impl RunFields {
    fn of(value: i64) -> RunFields {
        RunFields {
            run_0: value,
            run_1: value,
            run_2: value,
            run_3: value,
            run_4: value,
            run_5: value,
            run_6: value,
            run_7: value,
            run_8: value,
            run_9: value,
            run_10: value,
            run_11: value,
            run_12: value,
        }
    }
}

impl ByHand {
    /// Returns the values of [`progress`].
    #[must_use]
    pub fn sample() -> ByHand {
        let facts = || Facts { stars: 2, deaths: 0, attempts: 1, finished: true, collected: 0 };
        let on = || DIFFICULTIES.iter().map(|difficulty| (difficulty.to_string(), facts())).collect();
        let item = |id: i64| Item {
            at: [1.5, 0.25 + id as f32],
            id,
            lit: id % 2 == 0,
            name: format!("lantern {id}"),
            weight: id * 100,
        };
        let name = || "Ötti the otter".to_string();
        let fields = ProfileFields {
            items: (0..SHAPES).map(item).collect(),
            best_0: 31_000,
            best_1: 31_000,
            best_2: 31_000,
            clock_0: 92_400_000_000,
            clock_1: 92_400_000_000,
            clock_2: 92_400_000_000,
            clock_3: 92_400_000_000,
            clock_4: 92_400_000_000,
            name_0: name(),
            name_1: name(),
            name_2: name(),
            name_3: name(),
            name_4: name(),
            profile_0: 1_234,
            profile_1: 1_234,
            profile_2: 1_234,
            profile_3: 1_234,
            profile_4: 1_234,
            profile_5: 1_234,
            profile_6: 1_234,
            profile_7: 1_234,
            profile_8: 1_234,
            profile_9: 1_234,
            profile_10: 1_234,
            profile_11: 1_234,
            profile_12: 1_234,
        };
        let levels = (0..LEVELS).map(|index| (format!("level_{index}"), on())).collect();
        let profile = Profile {
            told: BTreeMap::new(),
            fields,
            levels,
            played: 0,
            furthest: Some("level_59".into()),
            unlocked: BTreeMap::new(),
            difficulty: Some("wild".into()),
        };
        let visit = Visit {
            stay: "playing".into(),
            entry: Some(RunFields::of(0)),
            level: Some("level_7".into()),
            checkpoint: None,
            at_checkpoint: None,
        };
        let run = Inside { told: BTreeMap::new(), visit: Some(visit), difficulty: Some("wild".into()) };
        ByHand { profile, run: Run { run: Some(run), fields: RunFields::of(77) } }
    }
}
