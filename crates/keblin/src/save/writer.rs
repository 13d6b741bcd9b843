//! Writes a snapshot to blocks: the reverse of `reader`, both by the table in `layout`. The same snapshot and stamp
//! give the same bytes everywhere.

use minicbor::Encoder;
use minicbor::data::Tag;

use super::area_table::AreaTable;
use super::block::Block;
use super::encode::Filling;
use super::file::SaveFile;
use super::fingerprint::Fingerprint;
use super::history::write as write_history;
use super::layout::{
    AT_CHECKPOINT, AT_ENTRY, BLOCK_ITEMS, BLOCK_MARK, BLOCK_TAG, CODEC_STORED, CODEC_ZSTD, DIGEST_BYTES,
    Digest, ERASURES, ERASURES_CONTENT_ITEMS, FORMAT, HEADER, HEADER_ITEMS, HISTORY, MAX_PREDECESSORS, NAME,
    PICTURE, SECTION, SECTION_CONTENT_ITEMS, SELF_DESCRIBED_TAG, STATE, STATE_ITEMS, WORLD, foot,
};
use super::pack::packed;
use super::parts::{Mark, Parts};
use super::seal::SealKey;
use super::stamp::{Lineage, Stamp};
use super::state::{StateHead, write_content};
use super::summary::Summary;
use super::table::{Row, Table};
use super::written::{Tail, Wrapping, Written};
use crate::grammar::plan::{Body, Plan};
use crate::grammar::{Failure, encoded};
use crate::snapshot::{Picture, Snapshot};

/// Returns a whole save of a slot: everything except device values.
#[must_use]
pub fn write(snapshot: &Snapshot, stamp: &Stamp) -> Vec<u8> {
    write_whole(snapshot, stamp, Wrapping::default()).parts.into_bytes()
}

/// Returns a whole save of a slot with the game's seal.
#[must_use]
pub fn write_sealed(snapshot: &Snapshot, stamp: &Stamp, key: &SealKey) -> Vec<u8> {
    write_whole(snapshot, stamp, Wrapping { key: Some(key), packs: false }).parts.into_bytes()
}

/// Returns a whole save of a slot, and where to append the next state.
pub(crate) fn write_whole(snapshot: &Snapshot, stamp: &Stamp, wrapping: Wrapping<'_>) -> Written {
    Writing::whole(snapshot, stamp).slot(AreaTable::default(), wrapping)
}

/// Returns a whole device file: the values of device scope, which are not in a slot.
#[must_use]
pub fn write_device(snapshot: &Snapshot, stamp: &Stamp) -> Vec<u8> {
    let mut writing = Writing::whole(snapshot, stamp);
    let own_plan = writing.own_plan();
    let plan = own_plan.as_ref().unwrap_or_else(|| snapshot.schema().plan());
    writing.body(plan, &plan.device);
    writing.state(AreaTable::default(), false, None).parts.into_bytes()
}

/// Returns the bytes of another state, to be written where the last state of a file ends ([`SaveFile::end`]).
/// Together they are a save whose last state is this one; the existing bytes do not change.
///
/// Only the reserve may follow the last state ([`SaveFile::is_last`]); after damage nothing would be found.
#[must_use]
pub fn write_after(
    file: &SaveFile<'_>,
    snapshot: &Snapshot,
    stamp: &Stamp,
    key: Option<&SealKey>,
) -> Vec<u8> {
    write_after_tail(Tail::of(file), snapshot, stamp, Wrapping { key, packs: false }, Vec::new())
        .parts
        .into_bytes()
}

/// As [`write_after`], without the file itself, into a buffer that is no longer needed.
pub(crate) fn write_after_tail(
    tail: Tail,
    snapshot: &Snapshot,
    stamp: &Stamp,
    wrapping: Wrapping<'_>,
    mut buffer: Vec<u8>,
) -> Written {
    buffer.clear();
    let Tail { header_len, header_digest, end, area_table } = tail;
    let header = Row { name: HEADER, offset: 0, len_bytes: header_len, digest: header_digest };
    let mut writing = Writing::new(snapshot, stamp, buffer, end);
    writing.table = Table::with_buffer(area_table.rows_bytes());
    writing.begin(header);
    writing.slot(area_table, wrapping)
}

/// A file, or the end of one, that is being written.
struct Writing<'s> {
    snapshot: &'s Snapshot,
    stamp: &'s Stamp,
    out: Parts,
    /// Where the bytes start, from the start of the file.
    base: usize,
    header: Row<'s>,
    /// The items that belong to the state.
    table: Table,
}

impl<'s> Writing<'s> {
    fn new(snapshot: &'s Snapshot, stamp: &'s Stamp, buffer: Vec<u8>, base: usize) -> Writing<'s> {
        let header = Row { name: HEADER, offset: 0, len_bytes: 0, digest: [0; DIGEST_BYTES] };
        Writing { snapshot, stamp, out: Parts::with_buffer(buffer), base, header, table: Table::default() }
    }

    /// Starts a file with its header.
    fn whole(snapshot: &'s Snapshot, stamp: &'s Stamp) -> Writing<'s> {
        // Enough for most saves, so that the bytes are not moved while they grow.
        let about = snapshot.schema.plan().about() + 8192;
        let mut writing = Writing::new(snapshot, stamp, Vec::with_capacity(about), 0);
        let (game, begin) = (snapshot.schema.game.as_str(), writing.out.mark());
        writing.put(|out| {
            out.tag(Tag::new(SELF_DESCRIBED_TAG))?.array(HEADER_ITEMS)?.str(NAME)?.u32(FORMAT)?;
            out.str(game)?.u64(stamp.created_unix_ms)?;
            Ok(())
        });
        let digest = writing.digest_since(begin);
        let len_bytes = writing.offset();
        writing.begin(Row { name: HEADER, offset: 0, len_bytes, digest });
        writing
    }

    /// Adds the first row of every table.
    fn begin(&mut self, header: Row<'s>) {
        self.table.push(&header);
        self.header = header;
    }

    /// Writes the sections of a slot and the state.
    fn slot(mut self, mut area_table: AreaTable, wrapping: Wrapping<'_>) -> Written {
        let Snapshot { schema, carried, picture, .. } = self.snapshot;
        let own_plan = self.own_plan();
        let plan = own_plan.as_ref().unwrap_or_else(|| schema.plan());
        // Shared areas come before everything that is written now.
        let fresh = area_table.share(&self.snapshot.areas, &mut self.table);
        for body in &plan.slot {
            self.body(plan, body);
        }
        if let Some(picture) = picture {
            self.picture(picture);
        }
        self.areas(&mut area_table, &fresh, wrapping.packs);
        for (name, bytes) in &carried.blocks {
            self.carried(name, bytes);
        }
        if self.stamp.erasures > 0 {
            self.erasures(self.stamp.erasures);
        }
        // After everything that it describes.
        if let Some(history) = &self.snapshot.history {
            let described = self.table.described;
            let about = 64 + 24 * history.pieces.len();
            self.section(HISTORY, about, |out| write_history(out, self.snapshot, history, &described));
        }
        let has_new_areas = self.base > 0 && !fresh.is_empty() && fresh.len() < area_table.len();
        self.state(area_table, has_new_areas, wrapping.key)
    }

    /// Returns a plan that also writes unknown values, if there are any.
    fn own_plan(&self) -> Option<Plan> {
        let Snapshot { schema, carried, .. } = self.snapshot;
        (!carried.fields.is_empty()).then(|| Plan::carrying(schema, &carried.fields))
    }

    fn body(&mut self, plan: &Plan, body: &Body) {
        let filling = Filling::of(self.snapshot, plan);
        self.section(&body.name, body.template.about(), |out| filling.write(out, &body.template));
    }

    fn picture(&mut self, picture: &Picture) {
        self.section(PICTURE, picture.bytes.len() + 256, |out| {
            out.array(2)?.str(&picture.media_type)?.bytes(&picture.bytes)?;
            Ok(())
        });
    }

    /// Writes the areas whose current bytes are not in the file. They are large, so they are not copied.
    fn areas(&mut self, area_table: &mut AreaTable, fresh: &[usize], packs: bool) {
        for at in fresh {
            let Some((name, area)) = area_table.area(*at) else { continue };
            // One that cannot be read any more is in neither file.
            let Ok(bytes) = area.get() else { continue };
            let (offset, begin) = (self.offset(), self.out.mark());
            let body = || encoded(|out| out.bytes(bytes).map(drop));
            if let Some(packed) = packs.then(|| packed(&body())).flatten() {
                self.put(|out| {
                    section_start(out, &name, CODEC_ZSTD, item_len(bytes.len()))?;
                    out.bytes(&packed).map(drop)
                });
            } else {
                self.put(|out| {
                    section_head(out, &name, item_len(bytes.len()))?;
                    // The body is one item: the bytes.
                    out.bytes_len(bytes.len() as u64).map(drop)
                });
                self.out.hold(area.clone());
            }
            let row = self.row(&name, offset, begin);
            area_table.wrote(*at, &row, &mut self.table);
        }
    }

    /// Writes the number of erasures.
    fn erasures(&mut self, count: u64) {
        let (offset, begin) = (self.offset(), self.out.mark());
        self.put(|out| {
            out.tag(Tag::new(BLOCK_TAG))?.array(BLOCK_ITEMS)?.str(ERASURES)?.bool(false)?;
            out.array(ERASURES_CONTENT_ITEMS)?.u64(count)?;
            Ok(())
        });
        let row = self.row(ERASURES, offset, begin);
        self.table.push(&row);
    }

    /// Writes an unknown block as it was.
    fn carried(&mut self, name: &str, bytes: &[u8]) {
        let offset = self.offset();
        let Some(digest) = Block::digest_of(bytes) else { return };
        self.out.own().extend_from_slice(bytes);
        self.table.push(&Row { name, offset, len_bytes: bytes.len(), digest });
    }

    /// Writes a section whose body has approximately this length, directly after its head.
    fn section(
        &mut self,
        name: &str,
        about: usize,
        body: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>,
    ) {
        let (offset, begin) = (self.offset(), self.out.mark());
        self.put(|out| section_head(out, name, about));
        let head_end = self.out.own().len();
        self.put(body);
        let len = self.out.own().len() - head_end;
        // The head has the length, which is known only now. Nothing is moved unless the number of its digits differs.
        let head = encoded(|out| section_head(out, name, len));
        self.out.own().splice(begin.own()..head_end, head);
        let row = self.row(name, offset, begin);
        self.table.push(&row);
    }

    /// Returns the row of the block that ends here, with its digest.
    fn row<'n>(&mut self, name: &'n str, offset: usize, begin: Mark) -> Row<'n> {
        let digest = self.digest_since(begin);
        Row { name, offset, len_bytes: self.offset() - offset, digest }
    }

    /// Writes the state over everything before it.
    fn state(mut self, area_table: AreaTable, has_new_areas: bool, key: Option<&SealKey>) -> Written {
        let (offset, begin, stamp) = (self.offset(), self.out.mark(), self.stamp);
        let mut predecessors = stamp.predecessors.clone();
        predecessors.truncate(MAX_PREDECESSORS);
        let head = StateHead {
            number: stamp.number,
            schema_version: self.snapshot.schema.version,
            fingerprint: Fingerprint::of(&self.snapshot.schema),
            saved_at_unix_ms: stamp.saved_at_unix_ms,
            cause: stamp.cause.clone(),
            edited: stamp.edited,
            summary: Summary::of(self.snapshot),
            predecessors,
            digest: [0; DIGEST_BYTES],
            offset,
            len_bytes: 0,
        };
        let table = std::mem::take(&mut self.table);
        self.put(|out| {
            out.tag(Tag::new(BLOCK_TAG))?.array(STATE_ITEMS)?.str(STATE)?.bool(true)?;
            write_content(out, &head, &table)
        });
        let digest_at = self.out.mark();
        let digest = self.digest_since(begin);
        match key {
            Some(key) => self.out.own().extend(key.seal(&digest)),
            None => self.put(|out| out.null().map(drop)),
        }
        let end = self.offset() + super::layout::FOOT_ITEM_BYTES;
        let foot = foot(end - offset, stamp.number, self.out.own_since(digest_at));
        self.put(|out| out.bytes(&foot).map(drop));
        let states = std::iter::once(digest).chain(head.predecessors.iter().copied());
        let lineage = Lineage {
            number: stamp.number,
            created_unix_ms: stamp.created_unix_ms,
            erasures: stamp.erasures,
            states: states.take(MAX_PREDECESSORS).collect(),
            profile_erasures: self.snapshot.history.as_ref().map(|history| history.erased),
        };
        let (live, rows) = (table.items_bytes + (end - offset), table.count);
        #[cfg(feature = "json")]
        let described = table.described;
        let Row { len_bytes: header_len, digest: header_digest, .. } = self.header;
        let tail = Tail { header_len, header_digest, end, area_table: area_table.with(table) };
        Written {
            parts: self.out,
            lineage,
            tail,
            live,
            rows,
            #[cfg(feature = "json")]
            described,
            has_new_areas,
        }
    }

    /// Returns the position, in bytes from the start of the file.
    fn offset(&self) -> usize {
        self.base + self.out.len()
    }

    fn put(&mut self, write: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>) {
        let _ = write(&mut Encoder::new(self.out.own()));
    }

    /// Writes the digest of everything since a position.
    fn digest_since(&mut self, mark: Mark) -> Digest {
        let digest = self.out.digest_since(mark);
        self.put(|out| out.bytes(&digest).map(drop));
        digest
    }
}

/// Writes what comes before the body of a section of some length.
fn section_head(out: &mut Encoder<&mut Vec<u8>>, name: &str, len: usize) -> Result<(), Failure> {
    section_start(out, name, CODEC_STORED, len)?;
    out.bytes_len(len as u64).map(drop)
}

/// Writes what comes before the byte string of a body that has some length unpacked.
fn section_start(out: &mut Encoder<&mut Vec<u8>>, name: &str, codec: u32, len: usize) -> Result<(), Failure> {
    out.tag(Tag::new(BLOCK_TAG))?.array(BLOCK_ITEMS)?.str(SECTION)?.bool(is_mandatory(name))?;
    out.array(SECTION_CONTENT_ITEMS)?.str(name)?.u32(codec)?.u64(len as u64)?;
    Ok(())
}

/// Returns whether a reader that does not know the section must refuse the save. What is left out here came later, or
/// is only looked at.
fn is_mandatory(name: &str) -> bool {
    ![PICTURE, WORLD, HISTORY].contains(&name)
        && !name.starts_with(AT_ENTRY)
        && !name.starts_with(AT_CHECKPOINT)
}

/// Returns the length of a byte string as an item: its head and its bytes.
fn item_len(bytes: usize) -> usize {
    bytes
        + match bytes as u64 {
            0..24 => 1,
            24..0x100 => 2,
            0x100..0x1_0000 => 3,
            0x1_0000..0x1_0000_0000 => 5,
            _ => 9,
        }
}

const _: () = assert!(BLOCK_MARK.len() == 9, "a tag of 64 bits");
