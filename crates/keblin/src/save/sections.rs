//! The sections of a state: those of a slot, the picture, the areas of the world, and what nobody here knows.

use std::sync::Arc;

use super::block::Section;
use super::error::{Fault, ReadError};
use super::file::SaveFile;
use super::layout::{PICTURE, STATE, SaveLimits};
use super::map::Item;
use super::pack::{MAX_RATIO, unpacked};
use crate::grammar::plan::{Body, Plan};
use crate::snapshot::{Areas, MAX_PICTURE_BYTES, Picture};

impl Section<'_> {
    /// Returns the bytes of an area.
    pub(crate) fn area(&self) -> Result<Vec<u8>, ReadError> {
        let bytes = |item: &Item<'_>| {
            item.whole(|cursor| {
                cursor.next(|| "the bytes of an area", minicbor::Decoder::bytes).map(<[u8]>::to_vec)
            })
        };
        let Some(len) = self.unpacked_len else { return bytes(&self.item()) };
        let most = SaveLimits::default().max_block_bytes.min(MAX_RATIO.saturating_mul(self.body.len()));
        if len > most {
            let fault = Fault::TooLarge { bytes: len, most };
            return Err(ReadError::new(self.name, self.body_offset, fault));
        }
        let body = unpacked(self.body, len).ok_or_else(|| {
            let (expected, found) = (format!("{len} bytes, packed"), "something else".to_string());
            ReadError::new(self.name, self.body_offset, Fault::Unexpected { expected, found })
        })?;
        bytes(&Item::new(self.name, self.body_offset, &body))
    }
}

impl<'b> SaveFile<'b> {
    /// Returns whether it contains something that this version does not know.
    pub(super) fn has_unknown(&self, plan: &Plan) -> bool {
        !self.unknown.is_empty() || self.unknown_sections(plan).next().is_some()
    }

    /// Returns the sections that this version, or the schema, does not know.
    fn unknown_sections(&self, plan: &Plan) -> impl Iterator<Item = &Section<'b>> {
        let is_unknown = |section: &&Section<'b>| match section.is_of_schema() {
            true => plan.section(section.name).is_none(),
            false => !section.is_known(),
        };
        self.sections.iter().filter(is_unknown)
    }

    /// Returns the sections of a slot, each with what the schema expects in it.
    pub(crate) fn of_slot<'p>(&self, plan: &'p Plan) -> Result<Vec<(&Section<'b>, &'p Body)>, ReadError> {
        let found = plan.slot.iter().filter_map(|body| match self.section(&body.name) {
            Ok(section) => Some(Ok((section, body))),
            Err(error) if body.needed => Some(Err(error)),
            Err(_) => None,
        });
        found.collect()
    }

    pub(crate) fn section(&self, name: &str) -> Result<&Section<'b>, ReadError> {
        let section = self.sections.iter().find(|section| section.name == name);
        let expected = || Fault::Cut { expected: format!("a section {name:?} in the table") };
        section.ok_or_else(|| ReadError::new(STATE, self.head.offset, expected()))
    }

    /// Returns the picture it was saved with.
    pub(crate) fn picture(&self) -> Result<Option<Arc<Picture>>, ReadError> {
        let Ok(section) = self.section(PICTURE) else { return Ok(None) };
        section.item().whole(|cursor| {
            cursor.array_of(2, "a picture")?;
            let media_type = cursor.text("a picture's media type")?;
            let at = cursor.offset();
            let bytes = cursor.next(|| "a picture's bytes", minicbor::Decoder::bytes)?;
            match Picture::new(media_type, bytes.to_vec()) {
                Ok(picture) => Ok(Some(Arc::new(picture))),
                Err(error) => Err(cursor
                    .unexpected(at, format!("at most {MAX_PICTURE_BYTES} bytes, but found {}", error.bytes))),
            }
        })
    }

    /// Returns the areas of the world it was saved with.
    pub(super) fn areas(&self) -> Result<Areas, ReadError> {
        let areas = self.sections.iter().filter(|section| section.is_area());
        let area = |section: &Section<'b>| Ok((Arc::from(section.name), section.area()?.into()));
        areas.map(area).collect()
    }

    /// Returns the unknown blocks that must be written back, as they are in the file.
    pub(super) fn carried_blocks(&self, plan: &Plan) -> Vec<(String, Arc<[u8]>)> {
        let sections = self.unknown_sections(plan).map(|section| (section.name, section.block));
        let blocks = sections.chain(self.unknown.iter().copied());
        blocks.map(|(name, bytes)| (name.to_string(), Arc::from(bytes))).collect()
    }
}
