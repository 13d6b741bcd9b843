//! Names the compiler knows.
//!
//! This crate is the place for what turns a `progress.toml` into Rust names at compile time, so that a misspelt
//! field, level or checkpoint does not build. It offers no macro yet: until it does, a game looks its names up once
//! at start through `keblin::Schema` and gets typed handles, and a wrong name or type is an error that lists the
//! nearest right one.
//!
//! It may depend on `keblin-schema` (the parser and its findings with positions), `syn` and `quote`, and on nothing
//! else of ours: `keblin` re-exports it, so a dependency on `keblin` would be a cycle.
