//! A snapshot to blocks: the mirror of `reader`, both by the table in `layout`. The same snapshot and stamp give the same
//! bytes everywhere.

use std::sync::Arc;

use minicbor::Encoder;
use minicbor::data::Tag;

use super::block::Block;
use super::encode::Filling;
use super::layout::{
    BLOCK_ITEMS, BLOCK_MARK, BLOCK_TAG, CODEC_STORED, DEVICE, DIGEST_BYTES, Digest, FORMAT, HEADER,
    HEADER_ITEMS, MAX_PREDECESSORS, NAME, PICTURE, PROFILE, RUN, SECTION, SECTION_CONTENT_ITEMS,
    SELF_DESCRIBED_TAG, STATE, STATE_ITEMS, digest, foot,
};
use super::map::Failure;
use super::plan::Plan;
use super::reader::SaveFile;
use super::seal::SealKey;
use super::stamp::{Lineage, Stamp};
use super::state::{Row, StateHead, write_content};
use super::summary::Summary;
use super::tape::Tape;
use crate::snapshot::{Picture, Snapshot};

/// A whole save of a slot: everything but what belongs to the device.
#[must_use]
pub fn write(snapshot: &Snapshot, stamp: &Stamp) -> Vec<u8> {
    write_whole(snapshot, stamp, None).bytes
}

/// A whole save of a slot with the game's seal.
#[must_use]
pub fn write_sealed(snapshot: &Snapshot, stamp: &Stamp, key: &SealKey) -> Vec<u8> {
    write_whole(snapshot, stamp, Some(key)).bytes
}

/// A whole save of a slot, and what the next one goes behind.
pub(crate) fn write_whole(snapshot: &Snapshot, stamp: &Stamp, key: Option<&SealKey>) -> Written {
    Writing::begin(snapshot, stamp).slot(key)
}

/// A whole device file: the values of device scope, which belong to no slot.
#[must_use]
pub fn write_device(snapshot: &Snapshot, stamp: &Stamp) -> Vec<u8> {
    let mut writing = Writing::begin(snapshot, stamp);
    let plan = Plan::of(snapshot.schema());
    writing.section(DEVICE, 2 * plan.device.bytes().len() + 256, |out| {
        Filling::of(snapshot, &plan).write(out, &plan.device)
    });
    writing.state(plan.as_ref(), None).bytes
}

/// The bytes of another state, to be written where the last one of a file ends ([`SaveFile::end`]). Together they are a
/// save whose last state is this one; nothing that was there changes.
///
/// There must be nothing but room behind the last state ([`SaveFile::is_last`]); behind damage nothing would be found again.
#[must_use]
pub fn write_behind(
    file: &SaveFile<'_>,
    snapshot: &Snapshot,
    stamp: &Stamp,
    key: Option<&SealKey>,
) -> Vec<u8> {
    write_behind_tail(Tail::of(file), snapshot, stamp, key, Vec::new()).bytes
}

/// As [`write_behind`], without the file itself, into the room of some bytes that are no longer needed.
pub(crate) fn write_behind_tail(
    tail: Tail,
    snapshot: &Snapshot,
    stamp: &Stamp,
    key: Option<&SealKey>,
    mut room: Vec<u8>,
) -> Written {
    room.clear();
    let Tail { header_len, header_digest, end, areas } = tail;
    let header = Row { name: HEADER, offset: 0, len_bytes: header_len, digest: header_digest };
    let (out, rows) = (Encoder::new(room), vec![header]);
    Writing { snapshot, stamp, out, base: end, rows, shared: areas, areas: Vec::new() }.slot(key)
}

/// What must be known of a file to write another state behind its last one.
#[derive(Clone, Debug)]
pub(crate) struct Tail {
    header_len: usize,
    header_digest: Digest,
    /// Where the last state ends, in bytes from the start of the file.
    pub(crate) end: usize,
    /// The areas of its last state, for the next one to share, by name.
    areas: Vec<Area>,
}

/// An area that is in a file.
#[derive(Clone, Debug)]
struct Area {
    /// The name of its section.
    name: Arc<str>,
    bytes: Arc<[u8]>,
    offset: usize,
    len_bytes: usize,
    digest: Digest,
}

impl Tail {
    pub(crate) fn of(file: &SaveFile<'_>) -> Tail {
        Tail {
            header_len: file.header_len,
            header_digest: file.header_digest,
            end: file.end(),
            areas: Vec::new(),
        }
    }

    /// Takes the areas out: there are many of them.
    pub(crate) fn take(&mut self) -> Tail {
        let areas = std::mem::take(&mut self.areas);
        Tail { areas, ..*self }
    }
}

/// A state that was written.
pub(crate) struct Written {
    /// The bytes of a file, or of the end of one.
    pub(crate) bytes: Vec<u8>,
    /// What the next save follows.
    pub(crate) lineage: Lineage,
    /// What the next state goes behind.
    pub(crate) tail: Tail,
    /// How many bytes of the file belong to this state.
    pub(crate) live: usize,
    /// Whether it shares areas with a state before it, and others have changed.
    pub(crate) has_new_areas: bool,
}

/// A file, or the end of one, being written.
struct Writing<'s> {
    snapshot: &'s Snapshot,
    stamp: &'s Stamp,
    out: Encoder<Vec<u8>>,
    /// Where the bytes begin, from the start of the file.
    base: usize,
    rows: Vec<Row<'s>>,
    /// Areas that are in the file already, by name.
    shared: Vec<Area>,
    /// Areas of this state, by name.
    areas: Vec<Area>,
}

impl<'s> Writing<'s> {
    /// A file with its header.
    fn begin(snapshot: &'s Snapshot, stamp: &'s Stamp) -> Writing<'s> {
        // Enough for most saves, so that the bytes are not moved while they grow.
        let names = Plan::of(&snapshot.schema).profile.bytes().len();
        let out = Encoder::new(Vec::with_capacity(names * 2 + 8192));
        let mut writing = Writing {
            snapshot,
            stamp,
            out,
            base: 0,
            rows: Vec::new(),
            shared: Vec::new(),
            areas: Vec::new(),
        };
        let game = snapshot.schema.game.as_str();
        writing.put(|out| {
            out.tag(Tag::new(SELF_DESCRIBED_TAG))?.array(HEADER_ITEMS)?.str(NAME)?.u32(FORMAT)?;
            out.str(game)?.u64(stamp.created_unix_ms)?;
            Ok(())
        });
        let digest = writing.digest_since(0);
        let len_bytes = writing.offset();
        writing.rows.push(Row { name: HEADER, offset: 0, len_bytes, digest });
        writing
    }

    /// The sections of a slot and the state.
    fn slot(mut self, key: Option<&SealKey>) -> Written {
        let Snapshot { schema, carried, picture, .. } = self.snapshot;
        let own_plan = (!carried.fields.is_empty()).then(|| Plan::carrying(schema, carried));
        let schemas_plan = Plan::of(schema);
        let plan = own_plan.as_ref().unwrap_or(&schemas_plan);
        self.tape(PROFILE, plan, &plan.profile);
        self.tape(RUN, plan, &plan.run);
        if let Some(picture) = picture {
            self.picture(picture);
        }
        self.areas();
        for (name, bytes) in &carried.blocks {
            self.carried(name, bytes);
        }
        self.state(plan, key)
    }

    fn tape(&mut self, name: &'s str, plan: &Plan, tape: &Tape) {
        let filling = Filling::of(self.snapshot, plan);
        self.section(name, 2 * tape.bytes().len() + 256, |out| filling.write(out, tape));
    }

    fn picture(&mut self, picture: &Picture) {
        self.section(PICTURE, picture.bytes.len() + 256, |out| {
            out.array(2)?.str(&picture.media_type)?.bytes(&picture.bytes)?;
            Ok(())
        });
    }

    /// The areas: each where it is in the file, if that is what it still is, or anew.
    fn areas(&mut self) {
        let mut shared = std::mem::take(&mut self.shared).into_iter().peekable();
        for (name, bytes) in self.snapshot.areas.as_ref() {
            while shared.next_if(|there| *there.name < **name).is_some() {}
            let there = shared.next_if(|there| there.name == *name);
            let same = |there: &Area| Arc::ptr_eq(&there.bytes, bytes) || there.bytes == *bytes;
            let area = match there.filter(same) {
                Some(there) => {
                    let Area { offset, len_bytes, digest, .. } = there;
                    self.rows.push(Row { name, offset, len_bytes, digest });
                    there
                }
                None => {
                    // Its body is the one item that the bytes are, written in place: areas are large.
                    let body = |out: &mut Encoder<&mut Vec<u8>>| out.bytes(bytes).map(drop);
                    let Row { offset, len_bytes, digest, .. } =
                        self.section_of(name, true, item_len(bytes.len()), body);
                    Area { name: Arc::clone(name), bytes: Arc::clone(bytes), offset, len_bytes, digest }
                }
            };
            self.areas.push(area);
        }
    }

    /// A block that is not known here, as it was.
    fn carried(&mut self, name: &'s str, bytes: &[u8]) {
        let offset = self.offset();
        let Some(digest) = Block::digest_of(bytes) else { return };
        self.out.writer_mut().extend_from_slice(bytes);
        self.rows.push(Row { name, offset, len_bytes: bytes.len(), digest });
    }

    /// A section whose body is about so many bytes long.
    fn section(
        &mut self,
        name: &'s str,
        about: usize,
        body: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>,
    ) {
        let mut bytes = Vec::with_capacity(about);
        // Writing to a vector never fails, here and below.
        let _ = body(&mut Encoder::new(&mut bytes));
        self.section_of(name, name != PICTURE, bytes.len(), |out| {
            out.writer_mut().extend_from_slice(&bytes);
            Ok(())
        });
    }

    /// A section whose body has a length that is known.
    fn section_of(
        &mut self,
        name: &'s str,
        needed: bool,
        len: usize,
        body: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>,
    ) -> Row<'s> {
        let offset = self.offset();
        // The block around the body is shorter than this.
        self.out.writer_mut().reserve(len + 256);
        self.put(|out| {
            out.tag(Tag::new(BLOCK_TAG))?.array(BLOCK_ITEMS)?.str(SECTION)?.bool(needed)?;
            out.array(SECTION_CONTENT_ITEMS)?.str(name)?.u32(CODEC_STORED)?.u64(len as u64)?;
            out.bytes_len(len as u64)?;
            body(out)
        });
        let digest = self.digest_since(offset);
        let row = Row { name, offset, len_bytes: self.offset() - offset, digest };
        self.rows.push(row.clone());
        row
    }

    /// The state over everything before it.
    fn state(mut self, plan: &Plan, key: Option<&SealKey>) -> Written {
        let (offset, stamp) = (self.offset(), self.stamp);
        let mut predecessors = stamp.predecessors.clone();
        predecessors.truncate(MAX_PREDECESSORS);
        let head = StateHead {
            number: stamp.number,
            schema_version: self.snapshot.schema.version,
            fingerprint: plan.fingerprint,
            saved_at_unix_ms: stamp.saved_at_unix_ms,
            cause: stamp.cause.clone(),
            edited: stamp.edited,
            summary: Summary::of(self.snapshot),
            predecessors,
            digest: [0; DIGEST_BYTES],
            offset,
            len_bytes: 0,
        };
        let mut rows = std::mem::take(&mut self.rows);
        // In the order of the file: what is shared stands before it all.
        rows.sort_by_key(|row| row.offset);
        self.put(|out| {
            out.tag(Tag::new(BLOCK_TAG))?.array(STATE_ITEMS)?.str(STATE)?.bool(true)?;
            write_content(out, &head, &rows)
        });
        let digest_at = self.offset();
        let digest = self.digest_since(offset);
        match key {
            Some(key) => self.out.writer_mut().extend(key.seal(&digest)),
            None => self.put(|out| out.null().map(drop)),
        }
        let end = self.offset() + super::layout::FOOT_ITEM_BYTES;
        let foot = foot(end - offset, stamp.number, self.since(digest_at));
        self.put(|out| out.bytes(&foot).map(drop));
        let states = std::iter::once(digest).chain(head.predecessors.iter().copied());
        let lineage = Lineage {
            number: stamp.number,
            created_unix_ms: stamp.created_unix_ms,
            states: states.take(MAX_PREDECESSORS).collect(),
        };
        let (header_len, header_digest) = rows.first().map_or((0, digest), |row| (row.len_bytes, row.digest));
        let live = rows.iter().map(|row| row.len_bytes).sum::<usize>() + (end - offset);
        let areas = std::mem::take(&mut self.areas);
        let is_new = |area: &Area| area.offset >= self.base;
        let has_new_areas = self.base > 0 && areas.iter().any(is_new) && !areas.iter().all(is_new);
        let tail = Tail { header_len, header_digest, end, areas };
        Written { bytes: self.out.into_writer(), lineage, tail, live, has_new_areas }
    }

    /// Bytes from the start of the file.
    fn offset(&self) -> usize {
        self.base + self.out.writer().len()
    }

    fn since(&self, offset: usize) -> &[u8] {
        self.out.writer().get(offset - self.base..).unwrap_or_default()
    }

    fn put(&mut self, write: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>) {
        let _ = write(&mut Encoder::new(self.out.writer_mut()));
    }

    /// Writes the digest of everything from an offset on.
    fn digest_since(&mut self, offset: usize) -> Digest {
        let digest = digest(self.since(offset));
        self.put(|out| out.bytes(&digest).map(drop));
        digest
    }
}

/// How long a byte string is as an item: its head and its bytes.
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
