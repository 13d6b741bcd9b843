//! Errors with their sources: an error of this library has the full message, and returns what caused it.

use std::error::Error as _;
use std::fs;
use std::io;
use std::sync::Arc;

use keblin::save::ReadError;
use keblin::store::DiskError;
use keblin::{Error, Keeper, Progress, SaveDir, Schema};

use crate::keepers::{Game, game};

#[test]
fn an_error_has_the_one_that_caused_it_as_its_source() {
    let Game { ref schema, shells, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(shells, 1);
    kept.close().unwrap();
    // A save of another game.
    let other = "game = 'heron'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n";
    let other = Arc::new(Schema::parse("progress.toml", other).unwrap().schema);
    let refused = slot.open(&other).map(drop).unwrap_err();
    assert!(refused.source().unwrap().is::<ReadError>());
    assert!(refused.to_string().contains(&refused.source().unwrap().to_string()));
    // A file where the folder should be.
    let in_the_way = folder.path().join("in_the_way");
    fs::write(&in_the_way, b"").unwrap();
    let slot = SaveDir::at(&in_the_way).slot("otter").unwrap();
    let failed = slot.save(&Progress::new(Arc::clone(schema)).snapshot(), "quit").unwrap_err();
    let disk = failed.source().unwrap().downcast_ref::<DiskError>().unwrap();
    assert!(disk.source().unwrap().is::<io::Error>());
    // As the one error type, it has the same message and the same source.
    let said = failed.to_string();
    let one = Error::from(failed);
    assert_eq!(one.to_string(), said);
    assert!(one.source().unwrap().is::<DiskError>());
}
