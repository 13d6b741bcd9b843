//! `docs/schema.md` and the pages of its themes: every key is there, and every example is a valid declaration.

use std::fs;
use std::path::Path;

use keblin_schema::Declaration;

fn read(name: &str) -> String {
    fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(name)).unwrap()
}

/// Returns the pages of the themes.
fn page() -> String {
    ["game", "fields", "levels", "rules", "world"].map(|theme| read(&format!("schema/{theme}.md"))).concat()
}

#[test]
fn every_example_of_the_page_is_sound() {
    let page = read("schema.md") + &page();
    let examples: Vec<&str> =
        page.split("```toml\n").skip(1).map(|rest| rest.split("```").next().unwrap()).collect();
    assert!(examples.len() >= 6);
    for example in examples {
        let parsed = keblin_schema::parse("example", example)
            .unwrap_or_else(|findings| panic!("{findings}\n{example}"));
        assert_eq!(parsed.findings.to_string(), "", "{example}");
        // Every key has an example, and so its place in the bytes that a game contains.
        let embedded = Declaration::from_embedded(&parsed.declaration.to_embedded()).unwrap();
        assert!(embedded.model == parsed.declaration.model, "{example}");
    }
}

/// Returns the keys that a table of the declaration takes, as the message about an unknown key lists them.
fn keys(table: &str) -> Vec<String> {
    let text = format!("game = 'x'\nversion = 1\n{table}\nzzzzzzzzzzzzzzzz = 1\n");
    let findings = keblin_schema::parse("x", &text).unwrap_err();
    let known = findings
        .list()
        .iter()
        .find_map(|finding| finding.instead.as_ref()?.strip_prefix("expected one of: "));
    known.unwrap().split(", ").map(str::to_string).collect()
}

#[test]
fn every_key_is_on_the_page_with_an_example() {
    let (whole, page) = (read("schema.md"), page());
    let tables = [
        "",
        "[fields.a]",
        "[lives]",
        "[[chapters]]",
        "[[levels]]",
        "[[unlocks]]",
        "[[invariants]]",
        "[[moments]]",
        "[kinds.a]",
        "[[areas]]",
    ];
    let mut count = 0;
    for table in tables {
        for key in keys(table) {
            count += 1;
            if table.is_empty() {
                assert!(whole.contains(&key), "{key} is not among all tables");
            } else {
                assert!(whole.contains(&format!("`{key}`")), "{table}: `{key}` is not among all keys");
            }
            let has_table = [
                "lives",
                "lists",
                "shapes",
                "fields",
                "groups",
                "kinds",
                "chapters",
                "level_constants",
                "unlocks",
                "invariants",
                "moments",
                "resets",
                "summary",
            ]
            .contains(&key.as_str());
            let has_table = has_table || table.is_empty() && ["levels", "areas"].contains(&key.as_str());
            if has_table {
                assert!(page.contains(&format!("[{key}")), "{key} has no heading");
                continue;
            }
            assert!(page.contains(&format!("`{key}`")), "{table}: `{key}` is not on the page");
            assert!(page.contains(&format!("\n{key} = ")), "{table}: {key} has no example");
        }
    }
    assert!(count > 35, "{count}");
}
