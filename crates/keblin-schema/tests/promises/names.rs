//! Ids.

use keblin_schema::Name;
use keblin_schema::name::{MAX_NAME_CHARS, NameFault, as_people_read, nearest, one_letter_apart, repaired};

#[track_caller]
fn assert_refused(text: &str, message: &str) {
    assert_eq!(Name::new(text).unwrap_err().to_string(), message, "{text:?}");
}

#[test]
fn an_id_is_lower_case_letters_digits_and_underscores() {
    for id in ["a", "oil", "long_mere", "gate_3", "a1_", "x".repeat(MAX_NAME_CHARS).as_str()] {
        assert_eq!(Name::new(id).unwrap().as_str(), id);
    }
    assert_refused("", "an id has at least one letter");
    assert_refused("3_gates", "an id starts with a letter a-z, but found '3'");
    assert_refused("_gate", "an id starts with a letter a-z, but found '_'");
    assert_refused("Oil", "an id starts with a letter a-z, but found 'O'");
    assert_refused("long-mere", "an id has only a-z, 0-9 and _, but found '-' at character 5");
    assert_refused("häfen", "an id has only a-z, 0-9 and _, but found 'ä' at character 2");
    let long = "x".repeat(MAX_NAME_CHARS + 1);
    assert_eq!(Name::new(&long), Err(NameFault::TooLong { chars: MAX_NAME_CHARS + 1 }));
}

#[test]
fn words_with_a_meaning_of_their_own_are_reserved() {
    assert_refused("match", "this word is reserved by Rust");
    assert_refused("null", "this word is reserved by the condition language");
    assert_refused("stars", "this word is reserved by the progress engine");
    assert_refused("any", "this word is reserved by the progress engine");
    for device in ["con", "nul", "com1", "lpt9"] {
        assert_refused(device, "this word is reserved by file systems, for a device");
    }
    assert!(Name::new("com").is_ok() && Name::new("comet").is_ok() && Name::new("com10").is_ok());
}

#[test]
fn a_word_is_reserved_only_where_it_would_clash() {
    for word in ["level", "stars", "phase", "size"] {
        assert!(Name::of_part(word).is_ok() && Name::of_file(word).is_ok(), "{word}");
    }
    for word in ["any", "all", "match", "null", "com1"] {
        assert!(Name::of_part(word).is_err(), "{word}");
    }
    assert!(Name::of_file("match").is_ok() && Name::of_file("all").is_ok());
    let device = Name::of_file("nul").unwrap_err();
    assert_eq!(device.to_string(), "this word is reserved by file systems, for a device");

    // A member and an item with a word of the engine are read in rules, and are not mistaken for it.
    let model = keblin_schema::parse(
        "progress.toml",
        r#"
        game = "fen_post"
        version = 1
        lists.kinds = ["level", "stars"]
        shapes.hero.members = { level = { type = "int", default = 7 } }
        fields.hero = { type = "shape", of = "hero", scope = "profile" }
        fields.seen = { type = "int", scope = "profile", per = ["kinds"] }
        unlocks = [{ id = "grown", when = "hero.level >= 7 && seen.level == 0 && seen.stars == 0" }]
        "#,
    );
    assert!(model.is_ok(), "{:?}", model.err());
}

#[test]
fn a_faulty_id_comes_with_one_that_is_right() {
    for (text, id) in [
        ("Long Mere", "long_mere"),
        ("long-mere", "long_mere"),
        ("3gates", "gates"),
        ("  Öl  ", "l"),
        ("match", "match_"),
        ("A__B", "a_b"),
        ("42", "n42"),
        ("1-1", "n1_1"),
    ] {
        assert_eq!(repaired(text).as_deref(), Some(id), "{text:?}");
    }
    assert_eq!(repaired(""), None);
}

#[test]
fn the_nearest_known_word_is_offered_and_nothing_far_off() {
    let known = ["default", "scope", "type", "on_death", "on_retry"];
    for (wrong, right) in [
        ("defualt", "default"),
        ("Scope", "scope"),
        ("typ", "type"),
        ("ondeath", "on_death"),
        ("on_retyr", "on_retry"),
    ] {
        assert_eq!(nearest(wrong, known), Some(right), "{wrong}");
    }
    assert_eq!(nearest("colour", known), None);
    assert_eq!(nearest("x", []), None);
}

#[test]
fn ids_that_read_alike_are_told_from_ids_that_only_look_near() {
    assert_eq!(as_people_read("fog_lamp"), as_people_read("foglamp"));
    assert_ne!(as_people_read("fog_lamp"), as_people_read("fog_lamps"));
    assert!(one_letter_apart("fog_lamp", "fog_lamps"));
    assert!(!one_letter_apart("gate_1", "gate_2"), "a digit is meant");
    assert!(!one_letter_apart("oil", "oils"), "short words are near each other all the time");
}
