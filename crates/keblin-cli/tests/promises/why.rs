//! `why`.

use keblin::Code;

use crate::process::{assert_fits, keblin};

const SCHEMA: [&str; 2] = ["--schema", "demo/progress.toml"];

fn why(args: &[&str]) -> crate::process::Ran {
    keblin(&[&["why"], args, &SCHEMA].concat())
}

#[test]
fn a_locked_level_says_what_is_missing_part_by_part() {
    let ran = why(&["heron_holm", "--on", "spring"]);
    assert_eq!(ran.code, 1);
    assert_eq!(
        ran.out,
        "Heron Holm on spring: locked\n   missing  finish Black Sluice on spring\n   missing  8 stars needed, 0 held\n"
    );
    let json = why(&["heron_holm", "--json"]).json();
    assert_eq!(
        (&json["kind"], &json["open"], &json["difficulty"]),
        (&"level".into(), &false.into(), &"neap".into())
    );
    let stars = &json["parts"][1];
    assert_eq!((&stars["what"], &stars["held"], &stars["needed"]), (&"stars".into(), &0.into(), &8.into()));
}

#[test]
fn what_is_open_and_what_is_no_level_are_told_too() {
    let open = why(&["reedgate"]);
    assert_eq!((open.code, open.out.as_str()), (0, "Reedgate on neap: open\n  it has no lock\n"));
    let unlock = why(&["night_mode"]);
    assert_eq!(unlock.code, 1);
    assert_eq!(unlock.out, "Night mode: locked\n   missing  unlock Fog lamp\n   missing  unlock Iron pole\n");
    let unknown = why(&["heron_hom"]);
    assert_eq!(unknown.code, 2);
    let flat = unknown.err.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(flat.ends_with("or a finding code; did you mean `heron_holm`?"), "{flat}");
    let difficulty = why(&["reedgate", "--on", "nepa"]);
    assert_eq!(difficulty.err, "keblin: `nepa` is not a declared difficulty; did you mean `neap`?\n");
}

#[test]
fn every_code_has_a_page_with_an_example_wrong_and_right() {
    for code in Code::ALL {
        let ran = keblin(&["why", code.as_str()]);
        assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{code:?}");
        assert_fits(&ran.out);
        assert!(ran.out.starts_with(&format!("{}: ", code.as_str())));
        let json = keblin(&["why", "--json", code.as_str()]).json();
        for key in ["what", "why", "wrong", "right"] {
            assert!(json[key].as_str().is_some_and(|text| text.len() > 5), "{code:?} {key}");
        }
        assert_ne!(json["wrong"], json["right"]);
    }
}
