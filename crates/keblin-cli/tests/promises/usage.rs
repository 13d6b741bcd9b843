//! Arguments and exit codes.

use std::fs;

use crate::process::{assert_fits, keblin, keblin_in, project};

#[test]
fn help_is_output_and_wrong_arguments_are_an_error() {
    let help = keblin(&["--help"]);
    assert_eq!((help.code, help.err.as_str()), (0, ""));
    assert_fits(&help.out);
    for command in ["check", "survival", "show", "verify", "why", "rehearse", "demo"] {
        assert!(help.out.contains(command));
        let help = keblin(&[command, "--help"]);
        assert_eq!(help.code, 0);
        assert_fits(&help.out);
    }
    for args in [&[][..], &["nonsense"], &["show"], &["check", "--nonsense"]] {
        let ran = keblin(args);
        assert_eq!((ran.code, ran.out.as_str()), (2, ""), "{args:?}");
        assert!(!ran.err.is_empty());
    }
}

#[test]
fn the_declaration_is_found_here_or_in_a_folder_above() {
    let folder = tempfile::tempdir().unwrap();
    let deep = folder.path().join("levels/one");
    fs::create_dir_all(&deep).unwrap();
    let text = fs::read_to_string(project("demo/progress.toml")).unwrap();
    fs::write(folder.path().join("progress.toml"), text.replace("version = 3", "version = 1")).unwrap();
    let here = keblin_in(folder.path(), &["check"]);
    assert!(here.out.starts_with("progress.toml: fen_post"), "{}", here.out);
    let below = keblin_in(&deep, &["check"]);
    assert_eq!(below.code, 0);
    assert!(below.out.contains("progress.toml: fen_post"), "{}", below.out);
    let nowhere = tempfile::tempdir().unwrap();
    let ran = keblin_in(nowhere.path(), &["check"]);
    assert_eq!(
        (ran.code, ran.err.as_str()),
        (2, "keblin: no progress.toml here or above; name one with --schema FILE\n")
    );
}

#[test]
fn a_command_that_needs_a_whole_declaration_says_where_it_is_faulty() {
    let ran = keblin(&["survival", "--schema", "data/faulty/lives.toml"]);
    assert_eq!(ran.code, 2);
    let flat = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
    assert_eq!(flat, "keblin: data/faulty/lives.toml: 4 findings; `keblin check` prints them");
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("progress.toml"), [0x67, 0xff, 0xfe]).unwrap();
    let ran = keblin_in(folder.path(), &["check"]);
    assert_eq!(ran.code, 2);
    assert_eq!(ran.err, "keblin: progress.toml: expected a text in UTF-8, but byte 1 is none\n");
}
