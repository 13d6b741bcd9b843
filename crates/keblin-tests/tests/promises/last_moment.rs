//! A file that another program puts there while a save is being written: between looking at the old file and the moment in
//! which the new one takes its place.

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use keblin::Keeper;
use keblin::store::backend::{Backend, Doing, Memory};

use crate::exchanged::of_a_stranger;
use crate::keepers::{Game, game, slot_on};
use crate::watched::{Watched, Watcher};

/// Puts a file there just before another one takes its place.
#[derive(Debug)]
struct AtTheLastMoment {
    files: Memory,
    put: Mutex<Option<(PathBuf, Vec<u8>)>>,
}

impl Watcher for AtTheLastMoment {
    fn before(&self, doing: Doing, path: &Path) -> Result<(), keblin::store::DiskError> {
        let mut put = self.put.lock().unwrap();
        if let Some((_, bytes)) = put.take_if(|(to, _)| doing == Doing::Publish && to == path) {
            self.files.put_file(path, bytes);
        }
        Ok(())
    }
}

#[test]
fn a_file_that_arrives_at_the_last_moment_is_merged_and_not_destroyed() {
    let Game { ref schema, best, shells } = game();
    for begins_empty in [true, false] {
        let memory = Memory::default();
        let watcher = AtTheLastMoment { files: memory.clone(), put: Mutex::default() };
        let files = Arc::new(Watched { files: memory, watcher });
        let slot = slot_on(&(files.clone() as Arc<dyn Backend>));
        let mut kept = Keeper::open(&slot, schema).unwrap();
        if !begins_empty {
            kept.set(shells, 1);
            kept.close().unwrap();
            kept = Keeper::open(&slot, schema).unwrap();
        }
        *files.watcher.put.lock().unwrap() = Some((slot.path(), of_a_stranger(70, 3)));
        kept.set(shells, 2);
        kept.submit(best, 9);
        let saved = kept.save_now().unwrap().unwrap();
        assert!(files.watcher.put.lock().unwrap().is_none(), "nobody put anything");
        assert!(saved.replaced.is_some_and(|replaced| replaced.has_met));
        kept.tick(std::time::Duration::ZERO);
        assert_eq!((kept.get(best).option(), kept.get(shells)), (Some(70), 2));
        kept.close().unwrap();
        let left = files.files.files().into_keys().filter(|path| path.to_string_lossy().contains("fresh"));
        assert_eq!(left.count(), 0, "no temporary file is left");
    }
}
