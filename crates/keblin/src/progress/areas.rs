//! Areas of the world: bytes from the game, one block per area, kept with the run and never interpreted. A save
//! writes only those that changed since the previous save.

use std::sync::Arc;

use keblin_schema::Name;
use keblin_schema::name::NameFault;

use super::{Engine, Holder, Play};
use crate::snapshot::AREA;

impl<G, P: Holder> Play<G, P> {
    /// Returns the bytes of an area, as last put or saved; `None` if there are none.
    #[must_use]
    pub fn area(&self, name: &str) -> Option<&Arc<[u8]>> {
        self.engine().area(name)
    }

    /// Sets or removes the bytes of an area. They belong to the run: loading a snapshot restores its areas, and
    /// erasing the profile erases them.
    ///
    /// # Errors
    /// [`NameFault`] if the name is not an id.
    pub fn put_area(&mut self, name: &str, bytes: Option<Arc<[u8]>>) -> Result<(), NameFault> {
        self.engine_mut().put_area(name, bytes)
    }
}

impl Engine {
    pub(crate) fn area(&self, name: &str) -> Option<&Arc<[u8]>> {
        self.areas.get(format!("{AREA}{name}").as_str())
    }

    pub(crate) fn put_area(&mut self, name: &str, bytes: Option<Arc<[u8]>>) -> Result<(), NameFault> {
        let section = format!("{AREA}{}", Name::new(name)?);
        self.changed();
        let areas = Arc::make_mut(&mut self.areas);
        match bytes {
            Some(bytes) => areas.insert(section.into(), bytes),
            None => areas.remove(section.as_str()),
        };
        Ok(())
    }
}
