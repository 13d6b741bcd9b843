//! Progress that persists.
//!
//! A game declares once, in a `progress.toml`, which scores, lives, unlocks, star ratings and checkpoints it keeps and
//! what each event does to them. Everything else follows from that declaration.
//!
//! ```text
//! progress.toml ──► Schema ──► Progress (pure state machine) ──► Snapshot ──► save file ──► SaveDir
//!   (declared)     (checked)     events in, outcomes out          (values)      (bytes)      (disk)
//! ```
//!
//! Left of the last arrow nothing touches a clock, a file, a thread or a terminal, so a game's rules can be tested
//! without a disk and repeated byte for byte.
//!
//! ```
//! use keblin::{Field, Progress, Schema};
//!
//! let text = r#"
//!     game = "otter"
//!     version = 1
//!     [fields.fish]
//!     type = "int"
//!     scope = "run"
//!     min = 0
//!     on_death = "checkpoint"
//!     [[levels]]
//!     id = "brook"
//!     checkpoints = ["log"]
//! "#;
//! let schema = Schema::parse("progress.toml", text)?.schema;
//! let (brook, fish): (_, Field<i64>) = (schema.level("brook")?, schema.field("fish")?);
//! let log = schema.checkpoint(brook, "log")?;
//!
//! let mut progress = Progress::new(schema);
//! progress.begin(None)?;
//! progress.enter(brook)?;
//! progress.add(fish, 3);
//! progress.reach(log)?; // three fish are safe
//! progress.add(fish, 2);
//! progress.die(); // the other two are not
//! assert_eq!(progress.get(fish), 3);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # What it is not
//! It draws nothing, runs no game loop and needs no network. It keeps no game objects, and it does not hide saves from
//! players who want to change them: it makes sure that a change, like any damage, is noticed.

/// What a save holds of a schema, in order.
mod grammar;

/// The schema, and the plain data that progress gives and a save takes.
pub mod snapshot;

/// What became of the values of a save that an earlier version made.
pub(crate) mod account;

/// How much of what a save may hold is taken: the engine reports it, the writer measures it.
pub mod fullness;

/// How progress changes: events in, outcomes out.
pub mod progress;

/// How progress is written as bytes, and read again.
pub mod save;

/// Whether a save is to be trusted.
pub mod verify;

/// Where saves rest.
pub mod store;

/// Saves of earlier versions of the game.
pub mod migrate;

/// A game's own names, known to the compiler.
pub mod game;

/// Trying it: scripted play-throughs. With the feature `testing`.
#[cfg(feature = "testing")]
pub mod rehearse;

/// One error for all of them.
mod error;

pub use error::Error;
pub use game::{Carried, Carry};
/// ```
/// keblin::schema!(fen_post, "../../demo/progress.toml");
/// use fen_post::{Progress, checkpoints, fields, levels};
///
/// let mut game = Progress::new();
/// game.begin(None)?;
/// game.enter(levels::REEDGATE)?;
/// game.add(fields::LETTERS, 3);
/// game.reach(checkpoints::reedgate::OSIER)?;
/// assert_eq!(game.get(fields::LETTERS), 3);
/// # Ok::<(), keblin::Refused>(())
/// ```
pub use keblin_macros::schema;

pub use keblin_macros::Carry;
pub use keblin_schema::shown as text;
pub use keblin_schema::{
    AnyGame, Checkpoint, Code, Difficulty, Field, FieldPer, Files, Finding, Findings, Item, Keep, Kind,
    Level, LookupError, Model, Moment, Name, PerField, Severity, TextFile, Time, Unlock, Value, condition,
    diff, kind, limits, model, name, source, steps, survival, time, typed, value, version_of_file,
};
pub use progress::{Game, Notice, Phase, Play, Progress, ProgressOf, Refused};
pub use snapshot::{Parsed, PastVersion, Schema, Snapshot};
pub use store::{Keeper, KeeperOf, SaveDir};
