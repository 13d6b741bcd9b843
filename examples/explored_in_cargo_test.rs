//! What a game puts into its tests: each rehearsal of a folder as a test, and an exploration that finds nothing.
//!
//! `cargo run --example explored_in_cargo_test` explores and prints how far it got;
//! `cargo test --example explored_in_cargo_test` runs the tests.

#![expect(clippy::print_stdout, reason = "a program prints")]

use keblin::Findings;
use keblin::explore::{Exploration, Explored, player_moves};

keblin::schema!(fen_post, "../../demo/progress.toml");

/// Explores the Fen Post as its players can play it.
fn explored(states: usize) -> Result<Explored, Findings> {
    let moves = player_moves("moves.txt", include_str!("../demo/moves.txt"), fen_post::schema())?;
    Ok(Exploration::of(fen_post::schema()).moves(moves).states(states).run())
}

fn main() -> Result<(), Findings> {
    let explored = explored(3000)?;
    for question in &explored.questions {
        let how_far = if question.exhausted { "all" } else { "not all" };
        println!("{}: {} states, {how_far}", question.name, question.states);
    }
    for breach in &explored.breaches {
        println!("{breach}");
    }
    println!("{} promises not kept", explored.breaches.len());
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::{explored, fen_post};

    keblin::rehearsals!(fen_post, "../../demo/rehearsals");

    #[test]
    fn nothing_is_lost() {
        explored(2000).expect("moves without mistakes").must_find_nothing();
    }
}
