//! What the fuzzer does with texts, and a bounded test with mutated ones: a declaration, the steps of a version, a
//! condition, a rehearsal. Any text is valid or gets findings, and a valid one works.

use std::sync::{Arc, LazyLock};

use keblin::rehearse::Rehearsal;
use keblin::save::{Stamp, write};
use keblin::verify::verify;
use keblin::{Files, TextFile};
use keblin::{Progress, Schema};

/// The demo with all its versions.
static FILES: LazyLock<Files> = LazyLock::new(|| {
    let file = |name: &str, text: &str| TextFile { name: name.to_string(), text: text.to_string() };
    Files {
        declaration: file("progress.toml", include_str!("../demo/progress.toml")),
        frozen: [
            (1, file("frozen/v1.toml", include_str!("../demo/frozen/v1.toml"))),
            (2, file("frozen/v2.toml", include_str!("../demo/frozen/v2.toml"))),
            (3, file("frozen/v3.toml", include_str!("../demo/frozen/v3.toml"))),
            (4, file("frozen/v4.toml", include_str!("../demo/frozen/v4.toml"))),
        ]
        .into(),
        steps: [
            (2, file("migrations/v2.toml", include_str!("../demo/migrations/v2.toml"))),
            (3, file("migrations/v3.toml", include_str!("../demo/migrations/v3.toml"))),
            (4, file("migrations/v4.toml", include_str!("../demo/migrations/v4.toml"))),
            (5, file("migrations/v5.toml", include_str!("../demo/migrations/v5.toml"))),
        ]
        .into(),
    }
});

/// A save of the demo's second version.
static OLD: &[u8] = include_bytes!("../demo/frozen/saves/v2_at_the_stake.keblin");

static SCHEMA: LazyLock<Arc<Schema>> = LazyLock::new(|| match Schema::parse_with_past(&FILES) {
    Ok(parsed) => Arc::new(parsed.schema),
    Err(findings) => panic!("{findings}"),
});

/// What a text can be taken for.
#[derive(Clone, Copy, Debug)]
pub(crate) enum As {
    Declaration,
    Steps,
    Condition,
    Rehearsal,
}

/// Takes a text for something. Whether it is that.
pub(crate) fn look(text: &str, taken_as: As) -> bool {
    match taken_as {
        As::Declaration => declaration(text),
        As::Steps => steps(text),
        As::Condition => condition(text),
        As::Rehearsal => rehearsal(text),
    }
}

/// A schema comes of it that can be played, saved, opened and written down.
fn declaration(text: &str) -> bool {
    let parsed = match Schema::parse("progress.toml", text) {
        Ok(parsed) => parsed,
        Err(findings) => {
            assert!(!findings.list().is_empty() && !findings.to_string().is_empty());
            return false;
        }
    };
    let schema = Arc::new(parsed.schema);
    let mut game = Progress::new(Arc::clone(&schema));
    drop(game.begin(None));
    if let Some(level) = schema.level_at(0) {
        drop(game.enter(level));
    }
    drop(game.finish());
    let bytes = write(&game.snapshot(), &Stamp::first(1, "fuzz"));
    let save = verify(&bytes, &schema).unwrap_or_else(|error| panic!("{error}\n{text}"));
    assert!(save.snapshot() == &game.snapshot(), "it comes back as something else\n{text}");
    let normal = schema.normal_text();
    let again =
        Schema::parse("normal.toml", &normal).unwrap_or_else(|findings| panic!("{findings}\n{normal}"));
    assert!(again.schema.normal_text() == normal, "the normal form is not one\n{normal}");
    true
}

/// The save of the version before opens by them, or is refused.
fn steps(text: &str) -> bool {
    let mut files = FILES.clone();
    files.steps.insert(3, TextFile { name: "migrations/v3.toml".to_string(), text: text.to_string() });
    let Ok(parsed) = Schema::parse_with_past(&files) else { return false };
    let told: String = parsed.of_past.iter().map(ToString::to_string).collect();
    let schema = Arc::new(parsed.schema);
    match verify(OLD, &schema) {
        Ok(save) => {
            assert!(save.account().is_some_and(|account| !account.entries.is_empty()));
            let bytes = write(save.snapshot(), &Stamp::first(1, "fuzz"));
            verify(&bytes, &schema).unwrap_or_else(|error| panic!("{error}\n{text}"));
        }
        Err(error) => assert!(error.is_refusal(), "{error}\n{text}"),
    }
    told.is_empty()
}

/// It can be asked, at first and in a run.
fn condition(text: &str) -> bool {
    let Ok((program, kind)) = keblin::condition::compile_any(&SCHEMA, text) else { return false };
    let mut game = Progress::new(Arc::clone(&SCHEMA));
    drop(program.outcome(&game, 0, kind));
    drop(game.begin(None));
    drop(program.outcome(&game, 1, kind));
    program.holds(&game, 0) || !program.holds(&game, 0)
}

/// It runs, and says the same again. Numbers that only take long are left out.
fn rehearsal(text: &str) -> bool {
    let Ok(rehearsal) = Rehearsal::parse("fuzz.txt", text, &SCHEMA) else { return false };
    let longest = text.split(|c: char| !c.is_ascii_digit()).map(str::len).max().unwrap_or(0);
    if longest > 5 || rehearsal.lines().len() > 200 {
        return true;
    }
    let one = format!("{:?}", rehearsal.run().failure);
    let other = format!("{:?}", rehearsal.run().failure);
    assert_eq!(one, other, "a rehearsal says the same twice\n{text}");
    true
}
