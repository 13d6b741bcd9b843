//! Reads the tables of `docs/events.md`, and the demo's schema, for the tests that compare the engine with them.

use std::path::{Path, PathBuf};
use std::sync::{Arc, LazyLock};

use keblin::Schema;

/// Reads a file of the project.
pub(crate) fn project(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(path)
}

pub(crate) fn read(path: &str) -> String {
    std::fs::read_to_string(project(path)).unwrap_or_else(|error| panic!("{path}: {error}"))
}

pub(crate) fn schema(text: &str) -> Arc<Schema> {
    Arc::new(Schema::parse("progress.toml", text).unwrap_or_else(|findings| panic!("{findings}")).schema)
}

/// Returns the demo's declaration, parsed once.
pub(crate) fn fen_post() -> Arc<Schema> {
    static FEN_POST: LazyLock<Arc<Schema>> = LazyLock::new(|| schema(&read("demo/progress.toml")));
    Arc::clone(&FEN_POST)
}

/// Returns the rows of the first table below a heading of `docs/events.md`, its head first.
pub(crate) fn table(heading: &str, first_cell: &str) -> Vec<Vec<String>> {
    let page = read("docs/events.md");
    let section = page.split(&format!("\n## {heading}\n")).nth(1).unwrap_or_else(|| panic!("no {heading}"));
    let start = format!("| {first_cell} |");
    let rows =
        section.lines().skip_while(|line| !line.starts_with(&start)).take_while(|line| line.starts_with('|'));
    let cells = |line: &str| line.trim_matches('|').split('|').map(|cell| cell.trim().to_string()).collect();
    let rows: Vec<Vec<String>> = rows.filter(|line| !line.starts_with("|---")).map(cells).collect();
    assert!(rows.len() > 2, "{heading} has no table that begins with {first_cell}");
    rows
}
