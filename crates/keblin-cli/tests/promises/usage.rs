//! Arguments and exit codes.

use std::fs;

use crate::process::{assert_fits, keblin, keblin_in, project};

#[test]
fn help_is_output_and_wrong_arguments_are_an_error() {
    let help = keblin(&["--help"]);
    assert_eq!((help.code, help.err.as_str()), (0, ""));
    assert_fits(&help.out);
    let commands =
        ["check", "survival", "why", "show", "compare", "verify", "salvage", "reconcile", "freeze"];
    for command in commands.into_iter().chain([
        "new", "migrate", "report", "rehearse", "explore", "set", "demo", "export", "import", "schema",
    ]) {
        let lines = help.out.lines().filter(|line| line.trim_start().split(' ').next() == Some(command));
        assert_eq!(lines.count(), 1, "{command} has one line in one group:\n{}", help.out);
        let help = keblin(&[command, "--help"]);
        assert_eq!(help.code, 0);
        assert_fits(&help.out);
    }
    for heading in ["Declare:", "Look at saves:", "Versions:", "Test:"] {
        assert!(help.out.contains(heading), "{}", help.out);
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
    fs::write(folder.path().join("progress.toml"), text.replace("version = 5", "version = 1")).unwrap();
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
fn the_declaration_is_found_beside_or_above_the_file_that_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let save = project("demo/frozen/saves/v2_at_the_stake.keblin");
    let save = save.to_str().unwrap();
    // From a folder without a declaration, or with another one.
    for declared_here in [false, true] {
        if declared_here {
            let text =
                "game = 'otter'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n";
            fs::write(folder.path().join("progress.toml"), text).unwrap();
        }
        for args in
            [&["show", save][..], &["verify", save], &["migrate", save], &["why", "reedgate", "--save", save]]
        {
            let ran = keblin_in(folder.path(), args);
            assert!(ran.code < 2 && ran.err.is_empty(), "{args:?}: {}", ran.err);
        }
    }
    fs::write(folder.path().join("other.keblin"), b"").unwrap();
    let ran = keblin_in(folder.path(), &["verify", "other.keblin", save]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("other.keblin belongs to progress.toml, but"), "{}", ran.err);
    let nowhere = tempfile::tempdir().unwrap();
    fs::write(nowhere.path().join("other.keblin"), b"").unwrap();
    let ran = keblin_in(nowhere.path(), &["verify", "other.keblin"]);
    let flat = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
    let expected = "keblin: no progress.toml next to or above the files you named, nor here or above; name one with --schema FILE";
    assert_eq!((ran.code, flat.as_str()), (2, expected));
}

#[test]
fn a_command_that_needs_a_whole_declaration_says_where_it_is_faulty() {
    let ran = keblin(&["survival", "--schema", "data/faulty/lives.toml"]);
    assert_eq!(ran.code, 2);
    let flat = ran.err.split_whitespace().collect::<Vec<_>>().join(" ");
    assert_eq!(flat, "keblin: data/faulty/lives.toml: 4 findings; see `keblin check`");
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("progress.toml"), [0x67, 0xff, 0xfe]).unwrap();
    let ran = keblin_in(folder.path(), &["check"]);
    assert_eq!(ran.code, 2);
    assert_eq!(ran.err, "keblin: progress.toml: expected a text in UTF-8, but byte 1 is not valid\n");
}
