//! Invalid declarations: every mistake is reported at once, with its place, a line with carets, and what to write.
//!
//! `data/faulty/` has declarations with many mistakes and, next to each, the expected report. `data/planted/` has one
//! for each code, with a mistake that only this code covers.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use keblin_schema::{Code, Findings};

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../data/faulty")
}

fn faulty() -> Vec<(String, Findings)> {
    let mut names: Vec<PathBuf> =
        fs::read_dir(folder()).unwrap().map(|entry| entry.unwrap().path()).collect();
    names.retain(|path| path.extension().is_some_and(|ending| ending == "toml"));
    names.sort();
    let parse = |path: &PathBuf| {
        let name = path.file_name().unwrap().to_str().unwrap().to_string();
        let findings = match keblin_schema::parse(&name, &fs::read_to_string(path).unwrap()) {
            Ok(parsed) => parsed.findings,
            Err(findings) => findings,
        };
        (name, findings)
    };
    names.iter().map(parse).collect()
}

#[test]
fn every_fault_is_told_with_its_place_and_what_to_write() {
    for (name, findings) in faulty() {
        let path = folder().join(name.replace(".toml", ".txt"));
        if std::env::var_os("KEBLIN_TEST_OVERWRITE").is_some() {
            fs::write(&path, findings.to_string()).unwrap();
        }
        let told = fs::read_to_string(path).unwrap();
        assert_eq!(findings.to_string(), told, "{name}");
    }
}

#[test]
fn every_code_has_a_planted_fault_that_only_it_finds() {
    let planted = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../data/planted");
    // A line of a rehearsal is not part of a declaration, and neither are the past versions.
    let elsewhere = [Code::BadStep, Code::MissingStep, Code::Unaccounted, Code::StepMisfit, Code::Frozen];
    let codes: Vec<Code> = Code::ALL.iter().copied().filter(|code| !elsewhere.contains(code)).collect();
    assert_eq!(fs::read_dir(&planted).unwrap().count(), codes.len());
    for code in codes {
        let name = format!("{}.toml", code.as_str());
        let text =
            fs::read_to_string(planted.join(&name)).unwrap_or_else(|_| panic!("nothing planted: {name}"));
        // Unused fields are reported only if there are rehearsals; here an empty one is enough for that code.
        let findings = match keblin_schema::parse(&name, &text) {
            Ok(parsed) if code == Code::UnnamedField => {
                parsed.unnamed.beside([""], &parsed.declaration, &parsed.findings)
            }
            Ok(parsed) => parsed.findings,
            Err(findings) => findings,
        };
        let found: BTreeSet<Code> = findings.list().iter().map(|finding| finding.code).collect();
        assert_eq!(found, BTreeSet::from([code]), "{findings}");
        let last = text.len();
        assert!(findings.list().iter().all(|finding| finding.span.end <= last), "{findings}");
    }
}

#[test]
fn the_first_line_of_a_finding_begins_with_its_place() {
    for (name, findings) in faulty() {
        for finding in findings.list() {
            let position = findings.position(finding);
            let place = format!("{name}:{}:{}", position.line, position.column);
            assert_eq!(findings.place(finding), place);
            assert!(findings.to_string().lines().any(|line| line.starts_with(&place)), "{place}");
        }
    }
}

#[test]
fn the_demos_declaration_has_nothing_to_find() {
    let parsed =
        keblin_schema::parse("progress.toml", include_str!("../../../../demo/progress.toml")).unwrap();
    assert_eq!(parsed.findings.to_string(), "");
}
