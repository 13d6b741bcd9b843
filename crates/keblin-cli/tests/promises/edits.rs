//! Lines of the demo's declaration and of its frozen versions, each changed in every way possible for its kind; by default
//! some of these edits, with `KEBLIN_LONG=1` all.
//! `check` reports an edit that would lose saves, names it, and accepts edits that no save notices.

use std::collections::BTreeMap;
use std::fs;

use keblin::Schema;
use keblin::diff::{Change, Class, Difference, What, differences};
use rayon::prelude::*;

use crate::long::tries;
use crate::process::{assert_fits, keblin_in, project};
use crate::versions::demo;

/// Words that can replace each other.
const WORDS: [&[&str]; 5] = [
    &["level", "run", "profile", "device"],
    &["int", "float", "time", "bool"],
    &["highest", "lowest", "latest"],
    &["stays", "checkpoint", "entry", "default"],
    &["true", "false"],
];

/// Returns the replacements for a line.
fn instead_of(line: &str) -> Vec<String> {
    let mut edited = Vec::new();
    if let Some((key, value)) = line.split_once(" = ") {
        edited.push(String::new());
        for (word, after) in quoted(value) {
            for like in WORDS.iter().filter(|words| words.contains(&word)).copied().flatten() {
                edited.push(format!(
                    "{key} = {}",
                    value.replacen(&format!("\"{word}\""), &format!("\"{like}\""), 1)
                ));
            }
            edited.push(format!(
                "{key} = {}",
                value.replacen(&format!("\"{word}\""), &format!("\"{word}q\""), 1)
            ));
            // Removes an item of a list.
            edited.push(format!("{key} = {}", value.replacen(&format!("\"{word}\"{after}"), "", 1)));
        }
        if let Ok(number) = value.parse::<i64>() {
            edited.extend([number - 1, number + 1].map(|number| format!("{key} = {number}")));
        }
    } else if let Some(name) = line.strip_prefix('[').and_then(|rest| rest.strip_suffix(']'))
        && name.contains('.')
    {
        edited.push(format!("[{name}q]"));
    }
    edited.retain(|edited| edited != line);
    edited
}

/// Returns the quoted words, each with the comma after it.
fn quoted(value: &str) -> Vec<(&str, &str)> {
    let parts: Vec<&str> = value.split('"').collect();
    let words = parts.iter().skip(1).step_by(2).copied();
    let after = parts.iter().skip(2).step_by(2).map(|after| if after.starts_with(", ") { ", " } else { "" });
    words.zip(after).collect()
}

/// A text with one line or one whole table changed.
fn edits(text: &str) -> Vec<String> {
    let lines: Vec<&str> = text.lines().collect();
    let mut all = Vec::new();
    for (at, line) in lines.iter().enumerate().filter(|(_, line)| !line.starts_with("version")) {
        for edited in instead_of(line) {
            let with =
                lines.iter().enumerate().map(|(line, text)| if line == at { edited.as_str() } else { text });
            all.push(with.collect::<Vec<_>>().join("\n") + "\n");
        }
    }
    let tables: Vec<&str> = text.split("\n\n").collect();
    for gone in 0..tables.len() {
        let rest = tables.iter().enumerate().filter(|(at, _)| *at != gone).map(|(_, table)| *table);
        all.push(rest.collect::<Vec<_>>().join("\n\n") + "\n");
    }
    all
}

/// Returns the id that a difference is about, or the key of the declaration.
fn name_of(difference: &Difference) -> String {
    match (&difference.what, &difference.change) {
        (What::Declaration, Change::Key { key: "game", now, .. }) => now.clone(),
        (What::Declaration, Change::Key { key, .. }) => key.to_string(),
        (what, _) => what.to_string().split(' ').nth(1).unwrap_or_default().to_string(),
    }
}

/// Returns what an edit means for saves; `None` if the result is not a declaration.
fn meaning(before: &Schema, edited: &str) -> Option<Vec<Difference>> {
    Schema::parse("edited.toml", edited).ok().map(|parsed| differences(before, &parsed.schema))
}

/// Returns the result of an edit, or what is wrong with the report about it.
fn tried(file: &str, before: &Schema, edited: &str, text: &str) -> Result<&'static str, String> {
    let folder = demo();
    fs::write(folder.path().join(file), edited).unwrap();
    let ran = keblin_in(folder.path(), &["check"]);
    assert_fits(&ran.out);
    let wrong = |why: &str| Err(format!("{why}: {file}\n{}\n{}", changed_lines(text, edited), ran.out));
    let Some(differences) = meaning(before, edited) else {
        return if ran.code == 1 { Ok("no declaration") } else { wrong("a fault was passed over") };
    };
    let shape: Vec<&Difference> =
        differences.iter().filter(|difference| difference.class == Class::Shape).collect();
    if !shape.is_empty() {
        let is_named = shape.iter().any(|shape| ran.out.contains(&name_of(shape)));
        return match (ran.code, is_named) {
            (1, true) => Ok("shape"),
            (1, false) => wrong("not named"),
            _ => wrong("a change of shape was passed over"),
        };
    }
    // A frozen version must not change at all; the declaration may change in ways that cost no save.
    match (differences.is_empty(), file == "progress.toml") {
        (true, _) => Ok("nothing"),
        (false, true) if ran.out.contains("changed after it was frozen") => {
            wrong("more is asked for than is lost")
        }
        (false, false) if ran.code != 1 => wrong("what is frozen was changed"),
        _ => Ok("growth or rule"),
    }
}

/// Every declaration of the demo.
const DECLARATIONS: [&str; 6] = [
    "progress.toml",
    "frozen/v1.toml",
    "frozen/v2.toml",
    "frozen/v3.toml",
    "frozen/v4.toml",
    "frozen/v5.toml",
];

#[test]
fn an_edit_of_a_line_is_stopped_exactly_where_saves_would_be_lost() {
    // Each is a run of the tool.
    let one_in = tries(12, 1);
    let mut counts: BTreeMap<(&str, &str), usize> = BTreeMap::new();
    let mut faults = Vec::new();
    for file in DECLARATIONS {
        let text = fs::read_to_string(project("demo").join(file)).unwrap();
        let before = Schema::parse(file, &text).unwrap().schema;
        let tried: Vec<Result<&str, String>> = edits(&text)
            .par_iter()
            .step_by(one_in)
            .map(|edited| tried(file, &before, edited, &text))
            .collect();
        for came_to in tried {
            match came_to {
                Ok(came_to) => *counts.entry((file, came_to)).or_default() += 1,
                Err(wrong) => faults.push(wrong),
            }
        }
    }
    assert!(faults.is_empty(), "{} of them:\n\n{}", faults.len(), faults.join("\n\n"));
    println!("{counts:#?}");
    for file in DECLARATIONS {
        assert!(
            counts[&(file, "shape")] >= 20 / one_in && counts[&(file, "growth or rule")] >= 10 / one_in,
            "{counts:#?}"
        );
    }
}

/// Returns the lines of a text that differ in another one, for a failure.
fn changed_lines(text: &str, edited: &str) -> String {
    let lines: Vec<&str> = text.lines().collect();
    let changed = edited.lines().filter(|line| !lines.contains(line));
    let gone = text.lines().filter(|line| !edited.lines().any(|other| other == *line));
    let shown = gone.map(|line| format!("- {line}")).chain(changed.map(|line| format!("+ {line}")));
    shown.collect::<Vec<_>>().join("\n")
}
