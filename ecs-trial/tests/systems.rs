//! The game of systems runs and prints what it should.

use std::process::Command;

#[test]
fn what_systems_queue_happens_once_and_what_is_told_is_seen_once() {
    let test = std::env::current_exe().unwrap();
    let example = test.parent().and_then(|deps| deps.parent()).unwrap().join("examples/fen_systems");
    let folder = tempfile::tempdir().unwrap();
    let output = Command::new(example).arg(folder.path()).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    assert_eq!(
        String::from_utf8(output.stdout).unwrap().lines().collect::<Vec<_>>(),
        [
            "reedgate stands, with 3 reeds",
            "moored at osier",
            "splash, 3 boats left",
            "finished reedgate, stars 0",
            "long_mere, neap opened",
            "long_mere stands, with 5 reeds",
            "letters 8, oil 40, 5 reeds, drawn 12 times of 240",
        ]
    );
    assert!(folder.path().join("systems.keblin").is_file());
}
