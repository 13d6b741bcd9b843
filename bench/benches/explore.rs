//! Exploring the demo: distinct states a second on one core and on two, and bytes a state. Without criterion: the medians of
//! a few runs in turn are enough.

#![expect(clippy::disallowed_methods, reason = "time is what is measured")]

use std::fs;
use std::time::Instant;

use keblin::explore::{Exploration, player_moves};

keblin::schema!(fen_post, "../demo/progress.toml");

const STATES: usize = 100_000;
const RUNS: usize = 3;

/// States, moves and seconds of an exploration.
fn explored(threads: usize) -> (usize, usize, f64) {
    let moves = player_moves("moves.txt", include_str!("../../demo/moves.txt"), fen_post::schema());
    let exploration = Exploration::of(fen_post::schema()).moves(moves.expect("moves without mistakes"));
    let begun = Instant::now();
    let found = exploration.states(STATES).threads(threads).run();
    let seconds = begun.elapsed().as_secs_f64();
    (found.states(), found.questions.iter().map(|question| question.moves).sum(), seconds)
}

/// The most memory that the process has had, in bytes.
fn peak() -> f64 {
    let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let kib: f64 = line.and_then(|line| line.split_whitespace().next()?.parse().ok()).unwrap_or(0.0);
    kib * 1024.0
}

fn main() {
    if std::env::args().any(|arg| arg == "--test") {
        return;
    }
    let before = peak();
    for threads in [1, 2] {
        let mut all: Vec<_> = (0..RUNS).map(|_| explored(threads)).collect();
        all.sort_by(|one, other| one.2.total_cmp(&other.2));
        let (states, moves, seconds) = all[RUNS / 2];
        let (rate, moves_rate) = (states as f64 / seconds, moves as f64 / seconds);
        println!("{threads} threads: {states} states, {rate:.0} a second, {moves_rate:.0} moves a second");
    }
    // The largest question is the most that is in memory at once.
    println!("{:.0} bytes a state at the most", (peak() - before) / STATES as f64);
}
