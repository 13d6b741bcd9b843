//! Areas of the world: bytes from the game, one block per area, kept with the run and never interpreted. A save
//! writes only those that changed since the previous save.

use std::sync::Arc;

use keblin_model::Name;
use keblin_model::name::NameFault;

use super::{Engine, Holder, Play};
use crate::progress::Notice;
use crate::snapshot::{AREA, AreaBytes};

impl<G, P: Holder> Play<G, P> {
    /// Returns the bytes of an area, as last put or saved; `None` if there are none, or if those of a declared area can
    /// no longer be read from the file that was opened.
    #[must_use]
    pub fn area(&self, name: &str) -> Option<&[u8]> {
        self.engine().area(name)
    }

    /// Sets or removes the bytes of an area. They belong to the run: loading a snapshot restores its areas, and
    /// erasing the profile erases them.
    ///
    /// # Errors
    /// [`NameFault`] if the name is not an id.
    pub fn put_area(&mut self, name: &str, bytes: Option<Vec<u8>>) -> Result<(), NameFault> {
        self.engine_mut().put_area(name, bytes)
    }
}

impl Engine {
    pub(crate) fn area(&self, name: &str) -> Option<&[u8]> {
        self.areas.get(format!("{AREA}{name}").as_str())?.get().ok()
    }

    /// An area could no longer be read from the file that was opened: from now on it is as in the backup, or as the game
    /// makes it.
    pub(crate) fn lost_area(&mut self, section: &Arc<str>, now: Option<AreaBytes>) {
        let is_older = now.is_some();
        // What was recalled or recorded meanwhile is in memory.
        if self.areas.get(section).is_none_or(AreaBytes::is_read) {
            return;
        }
        let areas = Arc::make_mut(&mut self.areas);
        match now {
            Some(now) => _ = areas.insert(Arc::clone(section), now),
            None => _ = areas.remove(section),
        }
        if let Some(area) = section.strip_prefix(AREA) {
            self.tell(Notice::AreaLost { area: area.to_string(), is_older });
        }
    }

    pub(crate) fn put_area(&mut self, name: &str, bytes: Option<Vec<u8>>) -> Result<(), NameFault> {
        let section = format!("{AREA}{}", Name::new(name)?);
        self.changed();
        let areas = Arc::make_mut(&mut self.areas);
        match bytes {
            Some(bytes) => areas.insert(section.into(), bytes.into()),
            None => areas.remove(section.as_str()),
        };
        Ok(())
    }
}
