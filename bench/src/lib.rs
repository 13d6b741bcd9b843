//! What the benchmarks share: the demo's declaration, and the plain struct a game would write by hand instead.

use std::sync::Arc;
use std::time::Duration;

use keblin::{Field, Progress, Schema};

/// The demo's schema.
///
/// # Panics
/// If the demo's declaration is faulty; the project's tests exclude that.
pub fn fen_post() -> Arc<Schema> {
    let text = include_str!("../../demo/progress.toml");
    Arc::new(Schema::parse("progress.toml", text).expect("the demo's declaration is sound").schema)
}

/// Progress in the middle of a level, with a few levels finished.
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
