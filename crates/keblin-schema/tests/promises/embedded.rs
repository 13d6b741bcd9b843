//! A game contains its declaration as bytes, and these say all that the text says.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use keblin_schema::{Declaration, Files, TextFile, version_of_file};

fn project(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(path)
}

fn text(path: &Path) -> TextFile {
    TextFile { name: path.display().to_string(), text: fs::read_to_string(path).unwrap() }
}

/// Returns the texts of versions in a folder; none if it does not exist.
fn versions(folder: &Path) -> BTreeMap<u32, TextFile> {
    let files = fs::read_dir(folder).into_iter().flatten().map(|entry| entry.unwrap().path());
    let versions = files.filter_map(|path| {
        let version = version_of_file(path.file_name()?.to_str()?)?;
        Some((version, text(&path)))
    });
    versions.collect()
}

/// Returns every declaration in a folder and those below it, with its past versions if it has some.
fn declarations(folder: &Path, found: &mut Vec<(PathBuf, Declaration)>) {
    for path in fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
        if path.is_dir() {
            declarations(&path, found);
        } else if path.extension().is_some_and(|ending| ending == "toml") {
            let (frozen, steps) =
                (versions(&path.with_file_name("frozen")), versions(&path.with_file_name("migrations")));
            let files = Files { declaration: text(&path), frozen, steps };
            found
                .extend(keblin_schema::parse_with_past(&files).ok().map(|parsed| (path, parsed.declaration)));
        }
    }
}

#[test]
fn the_bytes_of_every_declaration_say_what_its_text_says() {
    let mut found = Vec::new();
    ["demo", "examples", "data"].iter().for_each(|folder| declarations(&project(folder), &mut found));
    let mut with_past = 0;
    for (path, declaration) in &found {
        let bytes = declaration.to_embedded();
        let read = Declaration::from_embedded(&bytes).unwrap_or_else(|| panic!("{path:?}"));
        // The tag and the index, which the bytes do not contain, are part of a model.
        assert!(read.model == declaration.model && read.is_same(&declaration.model), "{path:?}");
        assert_eq!(read.past.len(), declaration.past.len(), "{path:?}");
        for (read, past) in read.past.iter().zip(&declaration.past) {
            assert!(read.model == past.model && read.step == past.step, "{path:?}");
        }
        assert_eq!(read.to_embedded(), bytes, "{path:?}");
        with_past += usize::from(!declaration.past.is_empty());
    }
    assert!(
        found.len() > 30 && with_past > 3,
        "{} declarations, {with_past} with past versions",
        found.len()
    );
}

#[test]
fn bytes_that_were_cut_or_changed_or_belong_to_another_version_are_no_declaration() {
    let bytes = keblin_schema::parse("progress.toml", &text(&project("demo/progress.toml")).text)
        .unwrap()
        .declaration
        .to_embedded();
    for len in 0..bytes.len() {
        assert!(Declaration::from_embedded(&bytes[..len]).is_none(), "{len}");
    }
    let longer = [&bytes[..], &[0]].concat();
    assert!(Declaration::from_embedded(&longer).is_none());
    // The first item is the version that wrote them.
    let mut of_another = bytes.clone();
    of_another[1] ^= 1;
    assert!(Declaration::from_embedded(&of_another).is_none());
    // A changed byte is another declaration or none, and never a panic.
    for at in 0..bytes.len() {
        let mut changed = bytes.clone();
        changed[at] ^= 0x41;
        if let Some(read) = Declaration::from_embedded(&changed) {
            assert_ne!(read.to_embedded(), bytes);
        }
    }
}
