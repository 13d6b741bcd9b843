//! What events do to the objects of the world, and the copies that they restore. A copy is taken area by area, when the
//! area changes for the first time after it: until then, both are the same.

use std::sync::Arc;

use keblin_model::Time;
use keblin_model::model::ObjectKindDef;

use super::Engine;
use super::put::Origin;
use crate::broken::Broken;
use crate::snapshot::{AT_CHECKPOINT, AT_ENTRY, State, area_of};
use crate::world::{AreaBody, Rows};

impl Engine {
    /// Returns which copies an area belongs to. It is copied when it changes, and not before.
    pub(super) fn copies_taken(&self) -> impl Iterator<Item = &'static str> + use<> {
        let needs = self.schema.object_kinds.iter().any(ObjectKindDef::needs_copies);
        let needs = needs && !Broken::AreaNotCopied.is();
        let entry = (needs && self.visit().is_some()).then_some(AT_ENTRY);
        let checkpoint = (needs && self.at_checkpoint().is_some()).then_some(AT_CHECKPOINT);
        entry.into_iter().chain(checkpoint)
    }

    /// Takes copies of the world anew: from now on an area is copied when it changes.
    pub(super) fn forget_copies_of_world(&mut self, starts: &[&str]) {
        if self.schema.object_kinds.iter().any(|kind| kind.time_away) {
            let State { played, entry_at, checkpoint_at, .. } = &mut self.state;
            for start in starts {
                *(if *start == AT_ENTRY { &mut *entry_at } else { &mut *checkpoint_at }) = *played;
            }
        }
        let is_copy = |section: &Arc<str>| starts.iter().any(|start| section.starts_with(start));
        if self.areas.keys().any(is_copy) {
            Arc::make_mut(&mut self.areas).retain(|section, _| !is_copy(section));
        }
    }

    /// Forgets the copy at the last checkpoint, unless it lasts: a death still leads there.
    pub(super) fn forget_checkpoint_of_world(&mut self) {
        if self.at_checkpoint().is_none() {
            self.forget_copies_of_world(&[AT_CHECKPOINT]);
        }
    }

    /// Puts the objects back whose kinds say so: to how they were earlier, or as the game makes them.
    pub(super) fn put_world_back(&mut self, origin: impl Fn(&ObjectKindDef) -> Origin) {
        let schema = Arc::clone(&self.schema);
        let has_checkpoint = self.at_checkpoint().is_some();
        let origins: Vec<Origin> = schema.object_kinds.iter().map(origin).collect();
        if origins.iter().all(|origin| *origin == Origin::Live) {
            return;
        }
        // How long ago a copy was taken: for its objects, this time has not passed.
        let (since_entry, since_checkpoint) =
            (self.state.played - self.state.entry_at, self.state.played - self.state.checkpoint_at);
        let since = |origin: Origin| match origin {
            Origin::Checkpoint if has_checkpoint => since_checkpoint,
            Origin::Entry | Origin::Checkpoint => since_entry,
            _ => Time::ZERO,
        };
        for area in self.areas_with_bytes() {
            // Bytes that cannot be read are left as they are; recalling the area says so.
            let Ok(mut body) = self.body_of(area) else { continue };
            let [at_entry, at_checkpoint] = [AT_ENTRY, AT_CHECKPOINT].map(|start| self.copy_of(area, start));
            let kinds = body.kinds.iter_mut().zip(&schema.object_kinds).zip(&origins);
            for (kind, ((rows, def), origin)) in kinds.enumerate() {
                let copy = match origin {
                    Origin::Default => Some(Rows::of(def)),
                    Origin::Checkpoint if has_checkpoint => of_kind(at_checkpoint.as_ref(), kind),
                    Origin::Entry | Origin::Checkpoint => of_kind(at_entry.as_ref(), kind),
                    Origin::Live => None,
                };
                if let Some(copy) = copy {
                    *rows = copy;
                }
                rows.left = rows.left.map(|left| left + since(*origin));
            }
            let bytes = body.to_bytes(&schema);
            self.put_body(area, bytes);
        }
        for present in self.world.present.values_mut() {
            let kinds = present.put_back.iter_mut().zip(&origins);
            kinds.for_each(|(put_back, origin)| *put_back |= *origin != Origin::Live);
        }
    }

    /// Returns the copy of an area; `None` if it has not changed since.
    fn copy_of(&self, area: usize, start: &str) -> Option<AreaBody<'_>> {
        let id = self.schema.areas.id(area)?;
        let bytes = self.areas.get(format!("{start}{id}").as_str())?.get().ok()?;
        match bytes.is_empty() {
            // Nothing was known of it then.
            true => Some(AreaBody::empty(&self.schema)),
            false => AreaBody::read(&self.schema, bytes).ok(),
        }
    }

    /// Returns the declared areas that say something, or did when a copy was taken.
    fn areas_with_bytes(&self) -> Vec<usize> {
        let areas = self.areas.keys().filter_map(|section| self.schema.areas.position(area_of(section)?.1));
        let mut areas: Vec<usize> = areas.collect();
        areas.sort_unstable();
        areas.dedup();
        areas
    }

    /// Notes that all areas are those of another save: what the game has loaded no longer counts.
    pub(super) fn world_was_replaced(&mut self) {
        for present in self.world.present.values_mut() {
            present.put_back.fill(true);
        }
    }
}

/// Returns the rows of a kind in a copy.
fn of_kind<'b>(copy: Option<&AreaBody<'b>>, kind: usize) -> Option<Rows<'b>> {
    copy?.kinds.get(kind).cloned()
}
