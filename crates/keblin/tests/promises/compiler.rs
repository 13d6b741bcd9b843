//! Code that must not compile, and the compiler's messages: each mistake is a program in `tests/ui` with its message
//! next to it, which says what to write.

#[test]
fn every_mistake_with_a_name_is_told_while_the_game_is_compiled() {
    let mistakes = std::fs::read_dir(crate::tables::project("crates/keblin/tests/ui")).unwrap();
    let files: Vec<_> = mistakes.map(|entry| entry.unwrap().path()).collect();
    let programs = files.iter().filter(|path| path.extension().is_some_and(|ending| ending == "rs"));
    let told = |path: &&std::path::PathBuf| path.with_extension("stderr").is_file();
    assert!(programs.filter(told).count() >= 25);
    trybuild::TestCases::new().compile_fail("tests/ui/*.rs");
}
