//! What a developer sees of a value or an error in a panic, a log or the answer of `main`: a line, never a dump.

use std::fmt::{Debug, Display};
use std::fs;
use std::sync::Arc;

use keblin::save::write;
use keblin::store::OpenError;
use keblin::verify::verify;
use keblin::{Keeper, Progress, SaveDir, Schema, Time};

use crate::round_trip::stamp;
use crate::tables::fen_post;

#[track_caller]
fn is_a_sentence(error: &(impl Debug + Display)) {
    assert_eq!(format!("{error:?}"), error.to_string());
    assert!(error.to_string().len() < 800, "{error}");
}

#[test]
fn every_error_says_to_developers_what_it_says_to_people() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    fs::write(folder.path().join("otter.keblin"), b"no save").unwrap();
    let error = Keeper::open(&slot, &schema).unwrap_err();
    assert!(matches!(error, OpenError::Damaged(_)));
    is_a_sentence(&error);
    let boxed: Box<dyn std::error::Error> = Box::new(keblin::Error::from(error));
    assert!(format!("{boxed:?}").starts_with("slot otter does not have an intact save"), "{boxed:?}");
    is_a_sentence(&verify(b"no save", &schema).unwrap_err());
    is_a_sentence(&schema.level("reedgat").unwrap_err());
    is_a_sentence(&Schema::parse("progress.toml", "game = 'a b'\n").unwrap_err());
    is_a_sentence(&Progress::new(Arc::clone(&schema)).end_run().unwrap_err());
    is_a_sentence(&SaveDir::at("").slot("../otter").unwrap_err());
    is_a_sentence(&"1 m".parse::<Time>().unwrap_err());
}

#[test]
fn what_is_large_is_shown_by_its_name() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin_replacing(None);
    let bytes = write(&game.snapshot(), &stamp(1));
    let save = verify(&bytes, &schema).unwrap();
    for (shown, expected) in [
        (format!("{:?}", Time::from_nanos(92_400_000_000)), "1m32.4s"),
        (format!("{schema:?}"), "Schema(fen_post, version 5)"),
        (format!("{:?}", **schema), "Model(fen_post, version 5)"),
        (format!("{game:?}"), "Progress(fen_post, version 5, Map)"),
        (format!("{:?}", save.snapshot()), "Snapshot(fen_post, version 5)"),
    ] {
        assert_eq!(shown, expected);
    }
    let file = keblin::save::read(&bytes).unwrap();
    assert!(format!("{:?}", file.sections[0]).starts_with("Section(profile, "));
    assert!(format!("{save:?}").len() < 2000, "{save:?}");
}
