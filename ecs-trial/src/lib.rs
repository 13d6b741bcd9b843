//! A trial: a game made of systems, without a window, that keeps its progress with `keblin`. The game is
//! `examples/fen_systems.rs`; this library is empty, so that nothing depends on an engine.
