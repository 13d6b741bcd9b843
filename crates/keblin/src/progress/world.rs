//! The objects of the world: areas are put by and recalled, and events put back what their kinds say.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin_model::{Area, Model, OfGame, Time};

use super::{Engine, Holder, Play};
use crate::broken::Broken;
use crate::snapshot::{AREA, AreaBytes};
use crate::world::{
    AreaBody, AreaChange, AreaFault, AreaGuard, AreaIn, AreaOut, Needs, ObjectId, Rows, WorldError, WorldWhy,
};

/// What the engine knows of the areas in the game's hands. None of it is saved.
#[derive(Clone, Debug, Default)]
pub(super) struct World {
    /// How many guards each area has. A clone of the engine shares them: they are about the game, not about values.
    needs: Arc<Needs>,
    /// How often each area was requested by its name.
    requested: BTreeMap<usize, usize>,
    /// The loaded areas.
    pub(super) present: BTreeMap<usize, Present>,
}

/// An area that the game has loaded.
#[derive(Clone, Debug, Default)]
pub(super) struct Present {
    /// By kind: the ids of the objects that the game makes with the area, in order.
    known: Vec<Vec<u64>>,
    /// The kinds that an event has put back: what the game has of them no longer counts.
    pub(super) put_back: Vec<bool>,
}

impl<G, P: Holder> Play<G, P> {
    /// Puts an area by before it is unloaded: pass all its objects, kind by kind. They are kept in memory, and in every
    /// save from now on; nothing is written to the disk here.
    ///
    /// ```
    /// # keblin::schema!(fen, "../../examples/open_world.toml");
    /// # use fen::areas;
    /// # use keblin::{ObjectId, WorldObject};
    /// #[derive(WorldObject)]
    /// #[world(fen::kinds::gate)]
    /// struct Gate {
    ///     #[world(id)]
    ///     id: ObjectId,
    ///     opened: f64,
    ///     speed: f64,
    /// }
    ///
    /// let level = || vec![Gate { id: 3.into(), opened: 0.0, speed: 0.0 }];
    /// # let mut game = fen::Progress::new();
    /// let mut gates = level();
    /// game.recall(areas::MILL, |area| area.objects(&mut gates))?;
    /// gates[0].opened = 70.0;
    /// game.put_by(areas::MILL, |area| area.objects(&gates))?;
    ///
    /// // Later: the level makes its gate anew, and gets it back as the player left it.
    /// let mut gates = level();
    /// game.recall(areas::MILL, |area| area.objects(&mut gates))?;
    /// assert_eq!(gates[0].opened, 70.0);
    /// # Ok::<(), keblin::Error>(())
    /// ```
    ///
    /// # Errors
    /// [`WorldError`] if the area is not loaded, a kind of it was not passed, or a value cannot be kept. Then nothing
    /// changes, and the area is still loaded.
    pub fn put_by(
        &mut self,
        area: Area<G>,
        objects: impl FnOnce(&mut AreaOut<'_, G>),
    ) -> Result<(), WorldError> {
        self.engine_mut().put_by(area.of_any().index(), objects)
    }

    /// Records a loaded area without putting it by: before a save, so that it has the objects as they are now.
    ///
    /// # Errors
    /// As [`put_by`](Play::put_by).
    pub fn record_area(
        &mut self,
        area: Area<G>,
        objects: impl FnOnce(&mut AreaOut<'_, G>),
    ) -> Result<(), WorldError> {
        self.engine_mut().record_area(area.of_any().index(), objects)
    }

    /// Recalls an area after it was loaded: pass the objects that its level makes, kind by kind. Those that were put by
    /// get their values back, those that are gone are removed, and those that were made in play are made again; then
    /// each is rebuilt once.
    ///
    /// # Errors
    /// [`WorldError`] if the area is loaded already, a kind of it was not passed, or its saved bytes cannot be read.
    /// Then the area counts as not loaded, and keeps what it has: load it anew before you recall it again.
    pub fn recall(
        &mut self,
        area: Area<G>,
        objects: impl FnOnce(&mut AreaIn<'_, G>),
    ) -> Result<(), WorldError> {
        self.engine_mut().recall(area.of_any().index(), objects)
    }

    /// Returns a new id for an object that is made in play.
    pub fn new_object(&mut self) -> ObjectId {
        self.engine_mut().new_object()
    }

    /// Returns a guard: as long as it is held, the area is needed.
    pub fn need(&self, area: Area<G>) -> AreaGuard<G> {
        AreaGuard::new(&self.engine().world.needs, area.of_any())
    }

    /// Requests an area by its id, for level scripts that cannot hold a guard; returns how many need it now.
    ///
    /// # Errors
    /// [`WorldWhy::Unknown`] if no area has this id.
    pub fn request_area(&mut self, id: &str) -> Result<usize, WorldError> {
        let area = self.engine().area_named(id)?;
        Ok(self.engine_mut().request_area(area))
    }

    /// Takes back one request by id; returns how many need the area now.
    ///
    /// # Errors
    /// [`WorldWhy::Unknown`] if no area has this id; [`WorldWhy::NotRequested`] if every request was taken back
    /// already. Guards do not count here.
    pub fn release_area(&mut self, id: &str) -> Result<usize, WorldError> {
        let area = self.engine().area_named(id)?;
        self.engine_mut().release_area(area)
    }

    /// Returns how many need an area: guards and requests.
    #[must_use]
    pub fn needs_of(&self, area: Area<G>) -> usize {
        self.engine().needs_of(area.of_any().index())
    }

    /// Returns whether an area is loaded: recalled, and not put by since.
    #[must_use]
    pub fn is_loaded(&self, area: Area<G>) -> bool {
        self.engine().world.present.contains_key(&area.of_any().index())
    }

    /// Returns the areas that are loaded, in the order of the declaration: those to record before a save.
    #[must_use]
    pub fn loaded_areas(&self) -> Vec<Area<G>> {
        let loaded = self.engine().world.present.keys().filter_map(|area| u32::try_from(*area).ok());
        loaded.map(|area| Area::of_index(area).of_game()).collect()
    }

    /// Returns what to load and unload now, in this order: unloading comes first. An area whose
    /// objects an event has put back is unloaded and loaded again. Ask once a frame; what you have not done yet is
    /// there the next time.
    #[must_use]
    pub fn area_changes(&self) -> Vec<AreaChange<G>> {
        self.engine().area_changes().of_game()
    }
}

impl Engine {
    fn area_named(&self, id: &str) -> Result<usize, WorldError> {
        let unknown = || WorldError { area: id.to_string(), why: WorldWhy::Unknown };
        self.schema.areas.position(id).ok_or_else(unknown)
    }

    fn world_error(&self, area: usize, why: WorldWhy) -> WorldError {
        WorldError { area: self.schema.areas.id(area).unwrap_or_default(), why }
    }

    pub(crate) fn request_area(&mut self, area: usize) -> usize {
        *self.world.requested.entry(area).or_default() += 1;
        self.needs_of(area)
    }

    pub(crate) fn release_area(&mut self, area: usize) -> Result<usize, WorldError> {
        match self.world.requested.get(&area).copied().unwrap_or(0) {
            0 => return Err(self.world_error(area, WorldWhy::NotRequested)),
            1 => _ = self.world.requested.remove(&area),
            more => _ = self.world.requested.insert(area, more - 1),
        }
        Ok(self.needs_of(area))
    }

    pub(crate) fn new_object(&mut self) -> ObjectId {
        self.changed();
        self.state.made += 1;
        ObjectId::made(self.state.made)
    }

    pub(crate) fn needs_of(&self, area: usize) -> usize {
        self.world.needs.of(area) + self.world.requested.get(&area).copied().unwrap_or(0)
    }

    pub(crate) fn area_changes(&self) -> Vec<AreaChange> {
        let handle = |area: usize| u32::try_from(area).map(Area::of_index).ok();
        let has_left = |area: usize, present: &Present| {
            self.needs_of(area) == 0 || present.put_back.iter().any(|put_back| *put_back)
        };
        let unloaded = self.world.present.iter().filter(|(area, present)| has_left(**area, present));
        let unloaded = unloaded.filter_map(|(area, _)| handle(*area)).map(AreaChange::Unload);
        let mut needed = self.world.needs.areas();
        needed.extend(self.world.requested.keys());
        needed.sort_unstable();
        needed.dedup();
        let is_stale =
            |area: &usize| self.world.present.get(area).is_none_or(|present| has_left(*area, present));
        let loaded = needed.into_iter().filter(is_stale).filter_map(handle).map(AreaChange::Load);
        unloaded.chain(loaded).collect()
    }

    /// Returns what is known of an area.
    pub(super) fn body_of(&self, area: usize) -> Result<AreaBody<'_>, WorldError> {
        self.body_as(area, AreaBody::read)
    }

    fn body_as<'b>(
        &'b self,
        area: usize,
        read: impl FnOnce(&Model, &'b [u8]) -> Result<AreaBody<'b>, AreaFault>,
    ) -> Result<AreaBody<'b>, WorldError> {
        let id = self.schema.areas.id(area).unwrap_or_default();
        let Some(bytes) = self.areas.get(format!("{AREA}{id}").as_str()) else {
            return Ok(AreaBody::empty(&self.schema));
        };
        let bytes = bytes.get().map_err(|why| self.world_error(area, WorldWhy::Unread { why }))?;
        read(&self.schema, bytes).map_err(|fault| self.world_error(area, WorldWhy::Fault(fault)))
    }

    pub(crate) fn put_by<G>(
        &mut self,
        area: usize,
        objects: impl FnOnce(&mut AreaOut<'_, G>),
    ) -> Result<(), WorldError> {
        if !Broken::AreaForgotten.is() {
            self.record_area(area, objects)?;
        }
        self.world.present.remove(&area);
        Ok(())
    }

    pub(crate) fn record_area<G>(
        &mut self,
        area: usize,
        objects: impl FnOnce(&mut AreaOut<'_, G>),
    ) -> Result<(), WorldError> {
        let schema = Arc::clone(&self.schema);
        let Some(present) = self.world.present.get(&area) else {
            return Err(self.world_error(area, WorldWhy::NotPresent));
        };
        let held = self.areas.get(format!("{AREA}{}", schema.areas.id(area).unwrap_or_default()).as_str());
        let mut out = AreaOut::new(&schema, area, held.and_then(|held| held.get().ok()));
        objects(&mut out);
        let passed = out.done().map_err(|why| self.world_error(area, why))?;
        // What an event has put back is what the area says, whatever the game still has of it.
        let is_put_back = |kind: usize| present.put_back.get(kind) == Some(&true);
        let recorded = passed.into_iter().enumerate().map(|(kind, rows)| rows.filter(|_| !is_put_back(kind)));
        let recorded: Vec<_> = recorded.collect();
        let is_recorded = |kind: usize| matches!(recorded.get(kind), Some(Some(_)));
        let mut body = self.body_as(area, |model, bytes| AreaBody::read_but(model, bytes, is_recorded))?;
        for (kind, (held, rows)) in body.kinds.iter_mut().zip(recorded).enumerate() {
            let Some(rows) = rows else { continue };
            let known = present.known.get(kind).map_or(&[][..], Vec::as_slice);
            let mut now = with_gone(rows, known, &held.gone);
            if let Some(def) = schema.object_kinds.get(kind) {
                now.take_beyond_of(std::mem::take(&mut held.beyond), def);
            }
            *held = now;
            held.left = self.time_of(kind);
        }
        let bytes = body.to_bytes(&schema);
        self.put_body(area, bytes);
        Ok(())
    }

    /// Returns the time that is noted with the objects of a kind; `None` if it does not ask for the time away.
    fn time_of(&self, kind: usize) -> Option<Time> {
        let asks = self.schema.object_kinds.get(kind).is_some_and(|kind| kind.time_away);
        asks.then_some(self.state.played)
    }

    /// Puts what is known of an area: the bytes of its body, or `None` if it says nothing.
    pub(super) fn put_body(&mut self, area: usize, bytes: Option<Vec<u8>>) {
        let Some(id) = self.schema.areas.id(area) else { return };
        let section = format!("{AREA}{id}");
        let held = self.areas.get(section.as_str());
        // The same bytes stay the same section, which the next save need not write.
        if held.is_some_and(|held| held.is(bytes.as_deref())) || (held.is_none() && bytes.is_none()) {
            return;
        }
        let held = held.cloned().unwrap_or_else(|| AreaBytes::from(Vec::new()));
        self.changed();
        let copies = self.copies_taken();
        let areas = Arc::make_mut(&mut self.areas);
        for start in copies {
            areas.entry(format!("{start}{id}").into()).or_insert_with(|| held.clone());
        }
        match (bytes, areas.get_mut(section.as_str())) {
            (Some(bytes), Some(held)) => *held = AreaBytes::from(bytes),
            (Some(bytes), None) => _ = areas.insert(section.into(), AreaBytes::from(bytes)),
            (None, _) => _ = areas.remove(section.as_str()),
        }
    }

    pub(crate) fn recall<G>(
        &mut self,
        area: usize,
        objects: impl FnOnce(&mut AreaIn<'_, G>),
    ) -> Result<(), WorldError> {
        if area >= self.schema.areas.len() {
            return Err(self.world_error(area, WorldWhy::Unknown));
        }
        if self.world.present.contains_key(&area) {
            return Err(self.world_error(area, WorldWhy::Present));
        }
        let (schema, body) = (Arc::clone(&self.schema), self.body_of(area)?);
        let mut into = AreaIn::new(&schema, area, &body, self.state.played);
        objects(&mut into);
        let known = into.done().map_err(|why| self.world_error(area, why))?;
        let put_back = vec![false; known.len()];
        self.world.present.insert(area, Present { known, put_back });
        Ok(())
    }
}

/// Returns rows with the ids that are gone: of the objects that the game makes with the area, those without a row.
fn with_gone<'b>(rows: Rows<'b>, known: &[u64], gone_before: &[u64]) -> Rows<'b> {
    // Mostly nothing is gone.
    if gone_before.is_empty() && rows.ids == known {
        return Rows { gone: Vec::new(), ..rows };
    }
    // All three are in order, so each is passed once.
    let mut there = rows.ids.iter().copied().peekable();
    let mut is_there = |id: u64| {
        while there.next_if(|there| *there < id).is_some() {}
        there.peek() == Some(&id)
    };
    let (mut known, mut before) = (known.iter().copied().peekable(), gone_before.iter().copied().peekable());
    let mut gone = Vec::new();
    while let Some(id) = known.peek().copied().into_iter().chain(before.peek().copied()).min() {
        // A level may have made one twice.
        while known.next_if_eq(&id).is_some() {}
        before.next_if_eq(&id);
        if !is_there(id) {
            gone.push(id);
        }
    }
    Rows { gone, ..rows }
}
