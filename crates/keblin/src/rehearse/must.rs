//! Rehearsals as tests of a game.

use std::path::Path;
use std::sync::Arc;

use super::Rehearsal;
use crate::snapshot::Schema;

/// Runs a rehearsal in a test. `read` returns the text of the declaration that a step `schema FILE` names; the game's own
/// needs no text.
///
/// [`rehearsals!`](crate::rehearsals) makes a test of each file of a folder with it.
///
/// # Panics
/// If a line is not a step, or a step does not hold: the message has the place and the reason.
#[track_caller]
#[expect(clippy::panic, reason = "a test fails so")]
pub fn must_hold(
    name: &str,
    text: &str,
    schema: &Arc<Schema>,
    mut read: impl FnMut(&str) -> Result<String, String>,
) {
    let other = |file: &str| {
        let parsed = Schema::parse(file, &read(file)?).map_err(|findings| findings.to_string())?.schema;
        // The game's own declaration knows the steps to it.
        let is_ours = parsed.version == schema.version && parsed.normal_text() == schema.normal_text();
        Ok(if is_ours { Arc::clone(schema) } else { Arc::new(parsed) })
    };
    let rehearsal = match Rehearsal::parse_with(name, text, schema, other) {
        Ok(rehearsal) => rehearsal,
        Err(findings) => panic!("{findings}"),
    };
    if let Some(failure) = rehearsal.run().failure {
        let name = Path::new(name).display();
        panic!("{name}:{}: `{}` does not hold: {}", failure.line, failure.text, failure.kind);
    }
}
