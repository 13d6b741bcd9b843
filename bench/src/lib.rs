//! What the benchmarks share: the demo's declaration, and the plain struct that a game would write by hand instead.

use std::sync::Arc;
use std::time::Duration;

use keblin::{Field, Progress, Schema};

/// Sixty levels on three difficulties, forty fields and fifty shapes, and the same as plain structs.
pub mod workload;

/// Returns the demo's schema.
///
/// # Panics
/// If the demo's declaration has errors; the project's tests rule that out.
pub fn fen_post() -> Arc<Schema> {
    let text = include_str!("../../demo/progress.toml");
    Arc::new(Schema::parse("progress.toml", text).expect("the demo's declaration is sound").schema)
}

/// Returns progress in the middle of a level, with a few levels finished.
///
/// # Panics
/// If the demo's declaration has lost a name that is used here.
pub fn in_play(schema: &Arc<Schema>) -> Progress {
    let mut progress = Progress::new(Arc::clone(schema));
    let names = ["reedgate", "long_mere", "otter_weir", "black_sluice"];
    let letters: Field<i64> = schema.field("letters").expect("a field of the demo");
    progress.begin(None).expect("no run is under way");
    for name in names {
        progress.enter(schema.level(name).expect("a level of the demo")).expect("it is open");
        progress.add(letters, 7);
        progress.tick(Duration::from_millis(92_400));
        progress.finish_with_stars(2).expect("a level is being played");
    }
    progress.enter(schema.level("heron_holm").expect("a level of the demo")).expect("it is open");
    progress
}

/// Returns progress of a large game: 200 levels on 3 difficulties, 300 fields, 400 conditions.
///
/// # Panics
/// Never: the declaration is valid.
#[must_use]
pub fn large_game() -> Arc<Schema> {
    let mut text = "game = 'large'\nversion = 1\ndifficulties = ['calm', 'brisk', 'wild']\n\
                    level_facts_per = 'difficulty'\n[fields]\n"
        .to_string();
    for index in 0..200 {
        let line = "type = 'int', scope = 'run', default = 10, min = 0, max = 1000, on_death = 'checkpoint'";
        text += &format!("plain_{index} = {{ {line} }}\n");
    }
    for index in 0..95 {
        text += &format!(
            "named_{index} = {{ type = 'int', scope = 'profile', default = 10, min = 0, max = 1000 }}\n"
        );
    }
    for index in 0..5 {
        text += &format!(
            "clock_{index} = {{ type = 'time', scope = 'level', counts = 'playing', on_death = 'stays' }}\n"
        );
    }
    for index in 0..200 {
        text += &format!("[[levels]]\nid = 'level_{index}'\ncheckpoints = ['half_way']\nstars = 3\n");
        if index > 0 {
            text +=
                &format!("unlock = 'levels.level_{}.finished && named_{} > 5'\n", index - 1, 1 + index % 94);
        }
    }
    for index in 0..201 {
        let field = if index < 4 { 0 } else { 1 + index % 94 };
        text += &format!("[[unlocks]]\nid = 'unlock_{index}'\nwhen = 'named_{field} > {}'\n", 20 + index);
    }
    Arc::new(Schema::parse("large.toml", &text).expect("a sound declaration").schema)
}
