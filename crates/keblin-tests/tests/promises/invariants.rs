//! Invariants: what must always be true is checked in play, in saves and in rehearsals, and nothing is refused for it.

use std::sync::Arc;

use keblin::rehearse::{FailureKind, Rehearsal};
use keblin::save::write;
use keblin::verify::{check, verify};
use keblin::{Progress, Schema};

use crate::round_trip::stamp;
use crate::steps::parsed;

const POST: &str = "game = 'post'\nversion = 1\n[fields]\nsent = { type = 'int', scope = 'profile' }\n\
    received = { type = 'int', scope = 'profile' }\noil = { type = 'int', scope = 'run', on_death = 'stays' }\n\
    [[invariants]]\nid = 'nothing_from_nowhere'\nholds = 'received <= sent'\n\
    [[invariants]]\nid = 'never_full'\nholds = 'oil < 9'\n";

fn schema() -> Arc<Schema> {
    Arc::new(parsed(POST))
}

fn broken(game: &Progress) -> Vec<String> {
    game.broken_invariants().map(ToString::to_string).collect()
}

#[test]
fn a_broken_invariant_is_named_until_it_holds_again_and_refuses_nothing() {
    let schema = schema();
    let (sent, received) = (schema.field::<i64>("sent").unwrap(), schema.field::<i64>("received").unwrap());
    let oil = schema.field::<i64>("oil").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    assert_eq!(broken(&game), [] as [&str; 0]);
    assert!(game.add(received, 1).refused.is_none());
    assert_eq!(broken(&game), ["nothing_from_nowhere"]);
    game.begin(None).unwrap();
    game.set(oil, 9);
    assert_eq!(broken(&game), ["nothing_from_nowhere", "never_full"]);
    game.add(sent, 1);
    assert_eq!(broken(&game), ["never_full"]);
    game.begin_replacing(None);
    assert_eq!(broken(&game), [] as [&str; 0], "a new run starts without oil");
}

#[test]
fn a_save_that_breaks_one_is_a_finding_also_in_a_quick_check() {
    let schema = schema();
    let mut game = Progress::new(Arc::clone(&schema));
    let good = write(&game.snapshot(), &stamp(1));
    assert!(check(&good, &schema, None).unwrap().is_empty());
    game.add(schema.field::<i64>("received").unwrap(), 2);
    let bytes = write(&game.snapshot(), &stamp(2));
    let told = "invariants.nothing_from_nowhere: warning: the invariant is broken: `received <= sent` is not true \
        [invariant_broken]";
    let save = verify(&bytes, &schema).unwrap();
    assert_eq!(save.findings().iter().map(ToString::to_string).collect::<Vec<_>>(), [told]);
    assert_eq!(check(&bytes, &schema, None).unwrap(), save.findings());
    assert_eq!(broken(&save.into_progress()), ["nothing_from_nowhere"], "it opens all the same");
}

#[test]
fn a_rehearsal_fails_at_the_step_that_breaks_one() {
    let run = |text: &str| Rehearsal::parse("post", text, &schema()).unwrap().run().failure;
    assert!(run("add sent 2\nadd received 2\n").is_none());
    let failure = run("add sent 1\nadd received 1\nadd received 1\nadd sent 1\n").unwrap();
    assert_eq!(failure.line, 3);
    assert!(matches!(&failure.kind, FailureKind::Broken { .. }), "{}", failure.kind);
    assert_eq!(
        failure.kind.to_string(),
        "the invariant nothing_from_nowhere is broken: expected `received <= sent`"
    );
    // One that was broken before is not broken by what follows.
    let of_before = run("suppose received = 3\n").unwrap();
    assert_eq!(of_before.line, 1);
}

#[test]
fn an_invariant_is_checked_like_every_rule() {
    let text = |holds: &str| {
        let facts = "difficulties = ['calm', 'wild']\nlevel_facts_per = 'difficulty'\n";
        let text = POST.replace("[fields]", &format!("{facts}[fields]")).replace("received <= sent", holds);
        match Schema::parse("progress.toml", &format!("{text}[[levels]]\nid = 'brook'\nstars = 3\n")) {
            Ok(parsed) => parsed.findings.to_string(),
            Err(findings) => findings.to_string(),
        }
    };
    for (holds, expected) in [
        ("recieved <= sent", "did you mean `received`?"),
        (
            "totals.stars < 4",
            "`totals.stars` needs a difficulty, because an invariant does not have a current one",
        ),
        ("levels.brook.any.stars < 9", "this rule is always true"),
        ("sent", "expected a condition, which is true or false"),
    ] {
        let found = text(holds);
        assert!(found.contains(expected), "{holds}:\n{found}");
    }
}
