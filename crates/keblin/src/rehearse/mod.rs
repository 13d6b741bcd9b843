//! Trying it: scripted play-throughs. A rehearsal is a text, one step a line, in the engine's words; it runs on a slot of
//! its own in memory, written and read as on a disk, and holds what it expects against what is there.
//!
//! ```text
//! suppose letters = 8        # a made-up state; what a run or level has is put in place when it begins
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
//! `docs/rehearsals.md` lists every step. Everything behind `#` is a comment. The game is launched when the rehearsal
//! begins. It stops at the first step that is not as it should be.

/// The steps, and the text they are written in.
mod script;

/// The words of a line as a step.
mod parse;

/// From the text of a rehearsal to its steps.
mod lines;

/// Steps that write values.
mod values;

/// Expectations, and what is said of those that do not hold.
mod expectation;

/// A step as an event.
mod step;

/// Running the steps on a slot.
mod run;

/// What that did.
mod report;

/// What changed what, on which line.
mod trace;

pub use expectation::Expectation;
pub use report::{Failure, FailureKind, Report, StepReport};
pub use script::{Line, Rehearsal};
pub use step::{Feed, Step, WriteStep};
pub use trace::Traced;
