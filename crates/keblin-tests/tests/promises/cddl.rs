//! The sections of real saves match `docs/save-format.cddl`, as checked by an independent validator.
//! `.ci/check_saves.py` checks the other items against the same file.

use std::sync::Arc;

use cddl_cat::validate_cbor_bytes;
use keblin::Schema;
use keblin::save::{read, write};
use proptest::prelude::*;

use crate::round_trip::{events, play, stamp};
use crate::tables::fen_post;
use crate::{golden, save_points, stars, tables};

/// Returns the part of the description about bodies; the part before it is about items.
fn bodies() -> String {
    let text = tables::read("docs/save-format.cddl");
    let at = text.find("; The bodies of the known sections").unwrap();
    text[at..].to_string()
}

#[track_caller]
fn validate(bytes: &[u8], cddl: &str) {
    for section in read(bytes).unwrap().sections {
        let rule = match section.name.split_once('.') {
            Some(("area", _)) => "area",
            Some(_) => "group",
            None => section.name,
        };
        if let Err(error) = validate_cbor_bytes(rule, cddl, section.body) {
            panic!("{}: {error}", section.name);
        }
        let other = if section.name == "profile" { "run" } else { "profile" };
        assert!(
            validate_cbor_bytes(other, cddl, section.body).is_err(),
            "{} passes for a {other}",
            section.name
        );
    }
}

#[test]
fn every_section_of_the_golden_files_is_valid() {
    for (_, bytes) in golden::files() {
        validate(&bytes, &bodies());
    }
}

#[test]
fn a_profile_that_names_its_stars_is_valid() {
    validate(&stars::with_lit(&stars::schema(&[stars::FULL, stars::LIT])), &bodies());
}

#[test]
fn a_run_with_a_save_point_is_valid() {
    validate(&save_points::file(), &bodies());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    #[test]
    fn every_section_of_whatever_was_played_is_valid(events in events()) {
        let schema: Arc<Schema> = fen_post();
        validate(&write(&play(&schema, &events).snapshot(), &stamp(1)), &bodies());
    }
}
