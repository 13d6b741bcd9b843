//! Declarations of thousands of names: the time grows with their number, and of thousands of findings some are
//! reported and the others counted.

use std::fmt::Write;
use std::time::{Duration, Instant};

use keblin_schema::Declaration;
use keblin_schema::finding::MAX_FINDINGS;

const MANY: usize = 10_000;

/// A table whose time grows with the square of the names would exceed this on any machine.
const SOON: Duration = Duration::from_secs(20);

fn declared(many: usize, each: impl Fn(usize) -> String) -> String {
    let mut text = "game = 'huge'\nversion = 1\n".to_string();
    (0..many).for_each(|number| write!(text, "{}", each(number)).unwrap());
    text
}

#[track_caller]
fn took(text: &str) -> Result<Declaration, keblin_schema::Findings> {
    let begun = Instant::now();
    let parsed = keblin_schema::parse("progress.toml", text);
    assert!(begun.elapsed() < SOON, "{:?}", begun.elapsed());
    parsed.map(|parsed| parsed.declaration)
}

#[test]
fn ten_thousand_fields_levels_items_and_rules_are_checked_soon() {
    let fields = declared(MANY, |number| match number {
        0 => "[fields]\nflag_0 = { type = 'bool', scope = 'profile' }\n".to_string(),
        _ => format!("flag_{number} = {{ type = 'bool', scope = 'profile' }}\n"),
    });
    let schema = took(&fields).unwrap();
    assert_eq!(schema.field_named("flag_9999").unwrap().0, 9999);
    let field = "[fields]\nx = { type = 'int', scope = 'profile' }\n";
    let levels = declared(MANY, |number| match number {
        0 => format!("{field}[[levels]]\nid = 'level_0'\nstars = 3\n"),
        // Each asks for the previous one; some for all of them together.
        _ if number % 10 == 0 => {
            format!("[[levels]]\nid = 'level_{number}'\nunlock = 'totals.stars >= {number}'\n")
        }
        _ => format!(
            "[[levels]]\nid = 'level_{number}'\nstars = 3\nunlock = 'levels.level_{}.finished'\n",
            number - 1
        ),
    });
    let schema = took(&levels).unwrap();
    assert_eq!(schema.level_named("level_9999"), Some(9999));
    let items = declared(MANY, |number| match number {
        0 => "[lists]\nthings = ['thing_0'".to_string(),
        _ if number + 1 == MANY => format!(", 'thing_{number}']\n{field}"),
        _ => format!(", 'thing_{number}'"),
    });
    took(&items).unwrap();
}

#[test]
fn thousands_of_findings_are_told_in_part_and_counted() {
    let text = declared(MANY / 5, |number| match number {
        0 => "[fields]\nflag_0 = { type = 'bool', scope = 'profile' }\n".to_string(),
        _ if number < MANY / 10 => format!("flag_{number} = {{ type = 'bool', scope = 'profile' }}\n"),
        _ => format!("[[moments]]\nid = 'm_{number}'\nwhen = 'flga_{number}'\nagain = 'run'\n"),
    });
    let findings = took(&text).unwrap_err();
    assert_eq!((findings.list().len(), findings.more()), (MAX_FINDINGS, MANY / 10 - MAX_FINDINGS));
    assert!(findings.to_string().ends_with("\nand 900 more; fix these first\n"), "{findings}");
    // The nearest name is found however many there are.
    let meant = findings.list()[0].instead.as_deref().unwrap();
    assert!(meant.contains("flag_"), "{meant}");
    // Ids that are one letter apart are still found.
    let near = "game = 'x'\nversion = 1\n[fields]\nlantern = { type = 'bool', scope = 'profile' }\n\
                lamtern = { type = 'bool', scope = 'profile' }\nlanternt = { type = 'bool', scope = 'profile' }\n\
                gate_1 = { type = 'bool', scope = 'profile' }\ngate_2 = { type = 'bool', scope = 'profile' }\n";
    let hints = keblin_schema::parse("progress.toml", near).unwrap().findings;
    let near: Vec<&str> = hints
        .list()
        .iter()
        .filter(|hint| hint.code.as_str() == "near_id")
        .map(|hint| hint.message.as_str())
        .collect();
    assert_eq!(
        near,
        [
            "field `lamtern` is one letter away from `lantern`",
            "field `lanternt` is one letter away from `lantern`"
        ]
    );
}

#[test]
fn thousands_of_lines_that_are_not_toml_are_reported_soon() {
    // A search of the whole text for each line would grow with the square.
    let colons = declared(20 * MANY, |number| format!("key_{number}: 1\n"));
    let findings = took(&colons).unwrap_err();
    assert_eq!(findings.list().len(), MAX_FINDINGS);
    assert_eq!(findings.list()[0].instead.as_deref(), Some("write `key_0 = …`"));
    assert!(findings.more() >= 19 * MANY, "{}", findings.more());
}
