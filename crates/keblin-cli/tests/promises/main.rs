//! What the tool promises, driven as a process.

#![expect(
    clippy::unwrap_used,
    clippy::panic,
    clippy::disallowed_methods,
    reason = "a test may fail loudly, and makes and reads the files it is about"
)]

mod browser;
mod check;
#[path = "../../../keblin-tests/tests/promises/compiled.rs"]
mod compiled;
mod demo;
mod edits;
mod explore;
mod first_steps;
mod folders;
mod hostile;
mod levels;
#[path = "../../../keblin-tests/tests/promises/long.rs"]
mod long;
mod process;
mod rehearse;
mod report;
mod saves;
mod two_saves;
mod usage;
mod versions;
mod why;
