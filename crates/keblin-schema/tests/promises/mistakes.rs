//! What beginners get wrong in a declaration, and what they read then: `data/mistakes.toml` has the mistakes, each with a
//! score and its reason, and `data/mistakes.txt` the findings.

use std::fs;
use std::path::{Path, PathBuf};

use keblin_schema::Findings;
use toml::de::{DeTable, DeValue};

fn data(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../data").join(name)
}

/// One mistake.
struct Mistake {
    what: String,
    /// The declaration with it.
    declaration: String,
    score: f64,
    why: String,
    /// How many findings it may cause.
    findings: usize,
}

fn mistakes() -> Vec<Mistake> {
    let source = fs::read_to_string(data("mistakes.toml")).unwrap();
    let document = DeTable::parse(&source).unwrap();
    let base = document.get_ref()["base"].get_ref().as_str().unwrap();
    let list = document.get_ref()["mistake"].get_ref().as_array().unwrap();
    let one = |entry: &DeTable<'_>| {
        let text = |key: &str| {
            entry.get(key).and_then(|value| value.get_ref().as_str()).unwrap_or_default().to_string()
        };
        let number = |key: &str| match entry.get(key).map(|value| value.get_ref()) {
            Some(DeValue::Integer(number)) => number.as_str().parse().unwrap(),
            _ => 1,
        };
        let (instead_of, write) = (text("instead_of"), text("write"));
        assert!(base.contains(&instead_of), "{}", text("what"));
        let declaration = match instead_of.as_str() {
            "" => format!("{base}\n{write}"),
            instead_of => base.replacen(instead_of, &write, 1),
        };
        Mistake {
            what: text("what"),
            declaration,
            score: number("score").into(),
            why: text("why"),
            findings: usize::try_from(number("findings")).unwrap(),
        }
    };
    assert_eq!(found(base).list().len(), 0, "the declaration itself is sound: {}", found(base));
    list.iter().map(|entry| one(entry.get_ref().as_table().unwrap())).collect()
}

fn found(declaration: &str) -> Findings {
    match keblin_schema::parse("progress.toml", declaration) {
        Ok(parsed) => parsed.findings,
        Err(findings) => findings,
    }
}

#[test]
fn a_beginner_reads_what_to_write_once_for_each_mistake() {
    let mistakes = mistakes();
    let (mut read, mut wrong) = (String::new(), String::new());
    for mistake in &mistakes {
        let findings = found(&mistake.declaration);
        let count = findings.list().len();
        if count != mistake.findings {
            wrong += &format!("{}: {count} findings: {findings}\n", mistake.what);
        }
        let says = findings.list().iter().all(|finding| finding.instead.is_some());
        if !says && mistake.score >= 5.0 {
            wrong += &format!("{}: a score of 5 says what to write: {findings}\n", mistake.what);
        }
        assert!((1.0..=5.0).contains(&mistake.score) && !mistake.why.is_empty(), "{}", mistake.what);
        read += &format!("# {}\n\n{findings}\n", mistake.what);
    }
    assert!(wrong.is_empty(), "{wrong}");
    if std::env::var_os("KEBLIN_TEST_OVERWRITE").is_some() {
        fs::write(data("mistakes.txt"), &read).unwrap();
    }
    assert_eq!(read, fs::read_to_string(data("mistakes.txt")).unwrap());
    let count = mistakes.iter().fold(0.0, |count, _| count + 1.0);
    let mean = mistakes.iter().map(|mistake| mistake.score).sum::<f64>() / count;
    assert!(mistakes.len() >= 100 && mean >= 4.6, "{} mistakes, mean {mean}", mistakes.len());
}

#[test]
fn no_two_entries_are_the_same_mistake() {
    let mut texts: Vec<String> = mistakes().into_iter().map(|mistake| mistake.declaration).collect();
    let count = texts.len();
    texts.sort();
    texts.dedup();
    assert_eq!(texts.len(), count);
}
