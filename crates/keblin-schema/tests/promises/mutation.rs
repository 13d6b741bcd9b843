//! Spoilt declarations: whatever is done to the text, there is a schema or findings that point into it.

use keblin_schema::Schema;
use proptest::prelude::*;

const TEXT: &str = include_str!("../../../../demo/progress.toml");

/// Whether a schema came out; every finding must point into the text.
#[track_caller]
fn parses(text: &str) -> bool {
    let (findings, parses) = match Schema::parse("progress.toml", text) {
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

/// Misspells a word: its second letter and its third change places, or a letter is added where they are the same.
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
        let Some((key, rest)) = line.split_once(" = ").filter(|(key, _)| !key.starts_with('#')) else {
            continue;
        };
        let mut lines: Vec<String> = TEXT.lines().map(str::to_string).collect();
        lines[number] = format!("{} = {rest}", misspelt(key));
        let findings = Schema::parse("progress.toml", &lines.join("\n")).unwrap_err();
        let on_line = |finding: &&keblin_schema::Finding| findings.position(finding).line == number + 1;
        let complaint = findings.list().iter().find(on_line);
        let complaint =
            complaint.unwrap_or_else(|| panic!("nothing is said of line {}: {findings}", number + 1));
        keys += 1;
        right += usize::from(complaint.instead == Some(format!("write `{key}`")));
    }
    println!("{keys} keys misspelt, all complained about on their line, {right} with the right suggestion");
    assert!(keys > 90 && right * 100 >= keys * 95, "{right} of {keys}");
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
        for end in (0..line.len()).filter(|end| line.is_char_boundary(*end)) {
            let mut shortened = lines.clone();
            shortened[number] = &line[..end];
            refused += usize::from(!parses(&shortened.join("\n")));
        }
    }
    assert!(refused > lines.len(), "most of these are faults: {refused}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

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
