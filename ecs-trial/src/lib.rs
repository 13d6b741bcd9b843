//! A trial: a game built from systems, without a window, that keeps its progress with `keblin`. The game is
//! `examples/fen_systems.rs`; this library is empty, so that nothing depends on an engine.
