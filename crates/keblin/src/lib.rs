//! Progress that persists, for games: scores, lives, unlocks, star ratings and checkpoints.
//!
//! You declare once, in a `progress.toml`, what your game keeps and what each event does to it. Everything else follows
//! from that declaration.
//!
//! ```text
//! progress.toml ──► Schema ──► Progress ──► Snapshot ──► save file ──► SaveDir
//!   (declared)     (checked)  (events in,   (values)     (bytes)       (disk)
//!                              results out)
//!                             └──────────── Keeper: all of this, by itself ────────────┘
//! ```
//!
//! Up to the save file nothing uses a clock, a file, a thread or a terminal, so you can test your game's rules without a
//! disk and repeat a run byte for byte.
//!
//! # A first program
//!
//! `quickstart.toml` declares what persists:
//!
//! ```toml
#![doc = include_str!("../../../examples/quickstart.toml")]
//! ```
//!
//! The game uses the names that [`schema!`] makes from it:
//!
//! ```
//! keblin::schema!(otter, "../../examples/quickstart.toml");
//! use otter::{Keeper, checkpoints, fields, levels};
//!
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! # let folder = folder.path();
//! let slot = keblin::SaveDir::at(folder).slot("otter")?;
//! let mut game = Keeper::open(&slot)?; // without a save this is a first run, not an error
//! assert_eq!(game.get(fields::BEST_CATCH), None); // "never" is not 0
//!
//! game.begin(None)?;
//! game.enter(levels::BROOK)?;
//! game.add(fields::FISH, 3);
//! game.reach(checkpoints::brook::LOG)?; // three fish are safe
//! game.add(fields::FISH, 2);
//! game.die(); // the other two are lost
//! assert_eq!(game.get(fields::FISH), 3);
//! game.end_run()?; // however a run ends, the best catch counts
//! game.close()?;
//!
//! assert_eq!(Keeper::open(&slot)?.get(fields::BEST_CATCH), Some(3));
//! # Ok(())
//! # }
//! ```
//!
//! # Where to go
//!
//! | you want to … | go to |
//! |---|---|
//! | declare fields, levels and rules | `docs/schema.md`, and `keblin check` |
//! | use the declared names in code | [`schema!`], `docs/tour.md` |
//! | play and save automatically | [`Keeper`] |
//! | play without a save, as in a test | [`Progress`] |
//! | write a helper that works with both | [`Play`] |
//! | tie your own struct to fields | [`Carry`](derive@Carry) |
//! | react to what happened | [`Notice`] |
//! | know why a call was refused | [`Refused`], [`Why`](progress::refusal::Why) |
//! | draw a level select | [`Play::level_cards`] |
//! | list, copy, rename or remove slots | [`SaveDir`] |
//! | read and write settings before a slot is chosen | [`Settings`](store::Settings) |
//! | handle a slot without an intact save | [`Ruin`](store::Ruin) |
//! | save in your own way, or on the web | [`Slot`](store::Slot), [`Keeper::from_bytes`], [`store::backend`] |
//! | open saves of earlier versions | `docs/compatibility.md`, [`Account`](migrate::Account) |
//! | check saves in a tool | [`verify`] |
//! | test play-throughs | `rehearse`, `rehearsals!` (feature `testing`) |
//! | find what nobody thought to test | `explore` (feature `testing`) |
//! | look up names at run time | [`Model::field`], and `Schema::parse` (feature `parse`) |
//!
//! # Features
//!
//! | feature | what it adds |
//! |---|---|
//! | `serde` | serde's traits for lists, shapes, times and names, for your own files and messages |
//! | `seal` | keys that seal saves, so that the game notices saves that it did not write |
//! | `json` | saves as JSON and back, and the JSON Schema of a game's saves |
//! | `zstd` | areas of the world packed in the save (`SaveDir::packing_areas`); it brings a C library |
//! | `tracing` | spans around opening, saving and migrating, for games that use the `tracing` facade |
//! | `parse` | declarations and conditions as text while the program runs, as tools need them |
//! | `testing` | rehearsals, exploring, made-up states, and files that fail or lose power, for tests and tools |
//!
//! # What it is not
//!
//! It is not an engine plug-in, a game loop or a network service. The objects of the world stay the game's own: it
//! keeps what a player left them as. It does not protect saves from players who edit them. A digest shows
//! damage, not who wrote a file: a save that a stranger wrote with the right digests is intact. A seal with the game's key shows that the
//! game wrote it (feature `seal`). It does not encrypt saves. Migrations only go forward.

/// What a save contains, in order.
mod grammar;

/// The schema, and the plain data between progress and a save.
pub mod snapshot;

/// Objects of the world, area by area.
pub mod world;

/// What became of the values of a save that an earlier version made.
pub(crate) mod account;

/// How full a save is: the writer measures it, and the engine reports it.
pub mod fullness;

/// Spans of `tracing`.
mod spans;

/// Builds that are broken on purpose.
mod broken;

/// How progress changes: events in, results out.
pub mod progress;

/// Writing progress as bytes, and reading it again.
pub mod save;

/// Whether a save can be trusted.
pub mod verify;

/// Where saves are kept: folders, slots, keepers.
pub mod store;

/// Saves of earlier versions of the game.
pub mod migrate;

/// A game's own names, checked by the compiler.
pub mod game;

/// Exploring: plays what nobody thought of, and finds progress that is lost. With the feature `testing`.
#[cfg(feature = "testing")]
pub mod explore;

/// Rehearsals: scripted play-throughs. With the feature `testing`.
#[cfg(feature = "testing")]
pub mod rehearse;

/// One error type for everything.
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

#[cfg(feature = "testing")]
pub use keblin_macros::rehearsals;

pub use keblin_macros::{Carry, WorldObject};
pub use keblin_model::shown as text;
#[cfg(not(feature = "parse"))]
pub use keblin_model::versions::step as steps;
pub use keblin_model::{
    AnyGame, Area, Chapter, Checkpoint, Constant, Date, Difficulty, Field, FieldId, FieldPer, Instant, Item,
    Keep, Kind, Level, LookupError, MaybeUnset, Model, Moment, Name, ObjectKind, PerField, Reset, Severity,
    Time, Unlock, Value, date, kind, limits, model, name, survival, time, typed, value,
};
#[cfg(feature = "parse")]
pub use keblin_schema::{
    Code, Files, Finding, Findings, TextFile, condition, diff, source, steps, version_of_file,
};
pub use progress::reconcile;
pub use progress::{Game, Notice, Phase, Play, Progress, ProgressOf, Refused};
#[cfg(feature = "parse")]
pub use snapshot::Parsed;
pub use snapshot::{MAX_TITLE_CHARS, PastVersion, Schema, Snapshot, TitleFault};
pub use store::{Keeper, KeeperOf, SaveDir};
pub use world::{ObjectId, WorldObject};
