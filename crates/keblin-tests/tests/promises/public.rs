//! The public items, as a committed list, so that a review sees each change. Items that are hidden from the docs are
//! not a promise, and not in the list.

use std::fs;

use crate::layers::rust_files;
use crate::tables::{project, read};

const LIST: &str = "crates/keblin/public-items.txt";

/// Items for code that `schema!` generates; nobody else should use them.
const HIDDEN: &str = "game/made.rs";

/// Returns the word and name of an item that starts in a line; `None` if it is not public everywhere.
fn item(line: &str) -> Option<String> {
    let rest = line.trim_start().strip_prefix("pub ")?;
    let rest = ["const fn ", "async fn "]
        .iter()
        .find_map(|word| rest.strip_prefix(word))
        .map_or_else(|| rest.to_string(), |name| format!("fn {name}"));
    let (word, name) = rest.split_once(' ')?;
    let end = |c: char| !(c.is_alphanumeric() || c == '_');
    let name = name.split(end).next().unwrap_or_default();
    match word {
        "fn" | "struct" | "enum" | "trait" | "type" | "const" | "static" => Some(format!("{word} {name}")),
        field if field.ends_with(':') => Some(format!("field {}", field.trim_end_matches(':'))),
        _ => None,
    }
}

/// Returns the public items of a file, in order: every `pub` is reachable, because others do not compile.
fn items(text: &str) -> Vec<String> {
    let (mut found, mut hidden_to, mut depth, mut hides) = (Vec::new(), None, 0_usize, false);
    for line in text.lines() {
        let code = line.split("//").next().unwrap_or_default().trim();
        let before = depth;
        depth = (depth + code.matches('{').count()).saturating_sub(code.matches('}').count());
        if let Some(to) = hidden_to {
            hidden_to = (depth > to).then_some(to);
            continue;
        }
        if code == "#[doc(hidden)]" {
            hides = true;
        } else if hides && !code.is_empty() && !code.starts_with("#[") {
            // The rest of its signature may be below.
            hides = !(code.ends_with(['{', ';', ',', '}']));
            hidden_to = (depth > before).then_some(before);
        } else {
            found.extend(item(line));
        }
    }
    found
}

#[test]
fn the_public_items_are_those_of_the_list() {
    let mut now = String::new();
    for krate in ["keblin-model", "keblin-schema", "keblin"] {
        let src = project(&format!("crates/{krate}/src"));
        let mut files = rust_files(&src);
        files.retain(|path| !path.ends_with(HIDDEN));
        files.sort();
        for path in files {
            let inside = path.strip_prefix(&src).unwrap();
            for item in items(&fs::read_to_string(&path).unwrap()) {
                now += &format!("{krate} {}: {item}\n", inside.display());
            }
        }
    }
    if std::env::var_os("KEBLIN_TEST_OVERWRITE").is_some() {
        fs::write(project(LIST), &now).unwrap();
        return;
    }
    let listed = read(LIST);
    let gone: Vec<&str> = listed.lines().filter(|line| !now.lines().any(|other| other == *line)).collect();
    let new: Vec<&str> = now.lines().filter(|line| !listed.lines().any(|other| other == *line)).collect();
    assert!(
        gone.is_empty() && new.is_empty(),
        "{LIST} is not what is public.\ngone: {gone:#?}\nnew: {new:#?}\nIf that is meant, run this test with KEBLIN_TEST_OVERWRITE=1."
    );
}
