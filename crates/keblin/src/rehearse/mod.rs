//! Rehearsals: scripted play-throughs. A rehearsal is a text with one step per line, in the engine's words. It runs
//! on an in-memory slot of its own, written and read as on a disk, and checks what it expects.
//!
//! ```text
//! suppose letters = 8        # a made-up state; values of a run or level are set when it begins
//! begin neap
//! enter long_mere
//! add oil -10
//! die
//! expect boats == 3          # a condition: a name, a comparison, a value
//! refused finish             # the step must be refused
//! quit                       # saved, closed
//! launch
//! ```
//!
//! `docs/rehearsals.md` lists every step. Text after `#` is a comment. The game is launched when the rehearsal
//! starts. It stops at the first step that does not hold.

/// The steps, and the text they are written in.
mod script;

/// Parsing the words of a line.
mod parse;

/// Parsing the steps that are events.
mod events;

/// Parsing the text of a rehearsal.
mod lines;

/// Parsing what is expected.
mod expects;

/// Steps that write values.
mod values;

/// Expectations, and why they are not met.
mod expectation;

/// Steps about the world.
mod world;

/// The game's part in steps about the world.
mod objects;

/// A step as an event.
mod step;

/// A keeper on files in memory.
mod machine;

/// Running the steps.
mod run;

/// The result of a run.
mod report;

/// Rehearsals as tests.
mod must;

/// Which line changed which value.
mod trace;

pub use expectation::Expectation;
pub use lines::Beside;
pub(crate) use lines::without_comment;
pub use must::must_hold;
pub(crate) use parse::{bad, step as parsed};
pub use report::{Failure, FailureKind, Report, StepReport};
pub use script::{Line, Rehearsal};
pub(crate) use step::play;
pub use step::{Feed, Shown, Step, WriteStep};
pub use trace::Traced;
pub use world::{AreaDue, WorldStep};
