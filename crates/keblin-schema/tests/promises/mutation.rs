//! Damaged declarations: whatever is done to the text, the result is a schema or findings that point into it.

use proptest::prelude::*;

use crate::long::tries;

const TEXT: &str = include_str!("../../../../demo/progress.toml");

/// Returns whether there is a schema; every finding must point into the text.
#[track_caller]
fn parses(text: &str) -> bool {
    let (findings, parses) = match keblin_schema::parse("progress.toml", text) {
        Ok(parsed) => (parsed.findings, true),
        Err(findings) => {
            assert!(findings.has_errors());
            (findings, false)
        }
    };
    for finding in findings.list() {
        assert!(finding.span.start <= finding.span.end && finding.span.end <= text.len(), "{finding:?}");
    }
    assert!(findings.to_string().lines().count() >= findings.list().len());
    parses
}

/// Misspells a word: swaps its second and third letter, or adds a letter if they are equal.
fn misspelt(word: &str) -> String {
    let mut letters: Vec<char> = word.chars().collect();
    match letters.len() {
        3.. if letters[1] != letters[2] => letters.swap(1, 2),
        _ => letters.push('x'),
    }
    letters.into_iter().collect()
}

#[test]
fn a_key_misspelt_is_complained_about_on_its_line_with_the_right_one() {
    let (mut keys, mut right) = (0, 0);
    for (number, line) in TEXT.lines().enumerate() {
        // A key with a table in one line is the name of a field.
        let Some((key, rest)) =
            line.split_once(" = ").filter(|(key, rest)| !key.starts_with('#') && !rest.starts_with('{'))
        else {
            continue;
        };
        let mut lines: Vec<String> = TEXT.lines().map(str::to_string).collect();
        lines[number] = format!("{} = {rest}", misspelt(key));
        let findings = keblin_schema::parse("progress.toml", &lines.join("\n")).unwrap_err();
        let on_line = |finding: &&keblin_schema::Finding| findings.position(finding).line == number + 1;
        let complaint = findings.list().iter().find(on_line);
        let complaint =
            complaint.unwrap_or_else(|| panic!("nothing is said of line {}: {findings}", number + 1));
        keys += 1;
        right += usize::from(complaint.instead == Some(format!("write `{key}`")));
    }
    println!("{keys} keys misspelt, all reported on their line, {right} with the right suggestion");
    assert!(keys > 90 && right * 100 >= keys * 95, "{right} of {keys}");
}

/// Returns the ids that the declaration uses in other places than their own, with the line and place of each use.
fn uses() -> Vec<(usize, usize, String)> {
    let schema = keblin_schema::parse("progress.toml", TEXT).unwrap().declaration;
    let mut ids: Vec<String> = schema.fields.iter().map(|field| field.name.to_string()).collect();
    ids.extend(schema.levels.iter().map(|level| level.name.to_string()));
    ids.extend(schema.unlocks.iter().map(|unlock| unlock.name.to_string()));
    let mut found = Vec::new();
    for (number, line) in TEXT.lines().enumerate() {
        let Some((key, value)) =
            line.split_once(" = ").filter(|(key, rest)| !key.starts_with('#') && !rest.starts_with('{'))
        else {
            continue;
        };
        if !["field", "from", "unlock", "when", "max"].contains(&key) {
            continue;
        }
        let start = line.len() - value.len();
        let mut at = 0;
        for word in value.split(|c: char| !c.is_ascii_alphanumeric() && c != '_') {
            if ids.iter().any(|id| id == word) {
                found.push((number, start + at, word.to_string()));
            }
            at += word.len() + 1;
        }
    }
    found
}

#[test]
fn an_id_misspelt_where_it_is_used_is_complained_about_on_its_line_with_the_right_one() {
    let (mut right, uses) = (0, uses());
    for (number, at, word) in &uses {
        let mut lines: Vec<String> = TEXT.lines().map(str::to_string).collect();
        lines[*number].replace_range(*at..at + word.len(), &misspelt(word));
        let findings = keblin_schema::parse("progress.toml", &lines.join("\n")).unwrap_err();
        let on_line = |finding: &&keblin_schema::Finding| findings.position(finding).line == number + 1;
        let complaint =
            findings.list().iter().find(on_line).unwrap_or_else(|| panic!("{}: {findings}", lines[*number]));
        right += usize::from(complaint.instead == Some(format!("did you mean `{word}`?")));
    }
    println!(
        "{} ids misspelt where they are used, all reported on their line, {right} with the right suggestion",
        uses.len()
    );
    assert!(uses.len() > 15 && right * 100 >= uses.len() * 95, "{right} of {}", uses.len());
}

#[test]
fn a_line_doubled_is_complained_about_on_one_of_the_two() {
    let lines: Vec<&str> = TEXT.lines().collect();
    let mut doubled_lines = 0;
    for (number, line) in
        lines.iter().enumerate().filter(|(_, line)| !line.is_empty() && !line.starts_with('#'))
    {
        let mut doubled = lines.clone();
        doubled.insert(number, line);
        let findings = keblin_schema::parse("progress.toml", &doubled.join("\n")).unwrap_err();
        let near = |finding: &keblin_schema::Finding| {
            (number..=number + 2).contains(&findings.position(finding).line)
        };
        assert!(findings.list().iter().any(near), "line {}: {line}\n{findings}", number + 1);
        doubled_lines += 1;
    }
    println!("{doubled_lines} lines doubled, all reported at their place");
    assert!(doubled_lines > 120);
}

/// A declaration with a bit of everything, short enough to be parsed a hundred thousand times.
const SHORT: &str = "game = 'x'\nversion = 1\n[lives]\nfield = 'a'\n[fields.a]\ntype = 'int'\nscope = 'run'\ndefault = 1\nmin = 0\n\
    on_death = 'stays'\non_retry = 'stays'\n[fields.b]\ntype = 'time'\nscope = 'profile'\nkeep = 'lowest'\nmin = '1ms'\n\
    per = ['level']\n[[levels]]\nid = 'one'\nstars = ['true', 'a > 1']\n[[levels]]\nid = 'two'\nunlock = 'levels.one.stars > 1'\n\
    [[unlocks]]\nid = 'three'\nwhen = 'a > 3 && levels.one.finished'\nlatch = true\n";

#[test]
fn spoilt_declarations_never_panic_and_every_complaint_points_inside() {
    assert!(keblin_schema::parse("x", SHORT).is_ok());
    let pieces =
        ["'", "\"", "=", "[", "]", "\n", "a", "9", ".", "levels", " ", "#", "é", "null", "min = 3\n", "&&"];
    let (mut seed, mut refused) = (3_u64, 0);
    let mut roll = |sides: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(seed >> 33).unwrap() % sides
    };
    let all = tries(3_000, 100_000);
    for _ in 0..all {
        let mut text = SHORT.to_string();
        for _ in 0..=roll(2) {
            let start = (0..=roll(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
            let end =
                (start + roll(6)..=text.len()).find(|at| text.is_char_boundary(*at)).unwrap_or(text.len());
            text.replace_range(start..end, pieces[roll(pieces.len())]);
        }
        refused += usize::from(!parses(&text));
    }
    println!("{refused} of {all} refused, each finding inside the text");
    assert!(refused > all * 8 / 10);
}

#[test]
fn a_line_cut_or_doubled_or_shortened_never_panics() {
    let lines: Vec<&str> = TEXT.lines().collect();
    let mut refused = 0;
    for number in 0..lines.len() {
        let mut cut = lines.clone();
        let line = cut.remove(number);
        refused += usize::from(!parses(&cut.join("\n")));
        let mut doubled = lines.clone();
        doubled.insert(number, line);
        refused += usize::from(!parses(&doubled.join("\n")));
        let ends = (0..line.len()).filter(|end| line.is_char_boundary(*end));
        for end in ends.skip(number % 5).step_by(tries(5, 1)) {
            let mut shortened = lines.clone();
            shortened[number] = &line[..end];
            refused += usize::from(!parses(&shortened.join("\n")));
        }
    }
    assert!(refused > lines.len(), "most of these are faults: {refused}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(tries(80, 400)))]

    #[test]
    fn bytes_put_anywhere_never_panic(at in 0..TEXT.len(), put in "[\\[\\]{}='\"#a-z0-9.\n,é-]{1,12}", take in 0..30_usize) {
        let start = (0..=at).rev().find(|at| TEXT.is_char_boundary(*at)).unwrap_or(0);
        let end = (start + take).min(TEXT.len());
        let end = (end..=TEXT.len()).find(|at| TEXT.is_char_boundary(*at)).unwrap_or(TEXT.len());
        parses(&format!("{}{put}{}", &TEXT[..start], &TEXT[end..]));
    }

    #[test]
    fn any_text_at_all_never_panics(text in "\\PC{0,200}") {
        parses(&text);
    }
}
