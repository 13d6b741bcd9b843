//! Reads the section of who wrote what: the reverse of `write`.

use keblin_model::Value;
use keblin_model::model::FieldDef;

use super::{AMOUNT, ARRAY, Described, ITEMS, PLAIN, TABLE, VALUE, check, table_of};
use crate::grammar::names::Names;
use crate::save::block::Section;
use crate::save::cursor::Cursor;
use crate::save::error::ReadError;
use crate::save::file::SaveFile;
use crate::save::layout::{HISTORY, SaveLimits};
use crate::save::map::Item;
#[cfg(feature = "json")]
use crate::save::stamp::Stamp;
use crate::save::values;
#[cfg(feature = "json")]
use crate::save::writer::write_whole;
#[cfg(feature = "json")]
use crate::save::written::Wrapping;
use crate::snapshot::history::{Amount, Content, EntryId, History, MAX_WRITERS, Past, Piece, Written};
use crate::snapshot::{Schema, Snapshot};

/// Reads the history of a snapshot that was read from a file; `None` if the file does not say.
pub(in crate::save) fn read(file: &SaveFile<'_>, snapshot: &Snapshot) -> Result<Option<History>, ReadError> {
    let Ok(section) = file.section(HISTORY) else { return Ok(None) };
    let areas = file.sections.iter().map(|section| section.name);
    let areas: Vec<&str> = areas.chain(file.left_out.iter().map(|area| area.name.as_str())).collect();
    let of = Of { snapshot, areas: &areas, described: Some(file.described) };
    read_item(&section.item(), &of, file.head.saved_at_unix_ms).map(Some)
}

/// Reads the history of a snapshot whose sections were put together one by one; `None` if it cannot be read.
pub(crate) fn salvaged(section: &Section<'_>, snapshot: &Snapshot) -> Option<History> {
    let areas: Vec<&str> = snapshot.areas.keys().map(AsRef::as_ref).collect();
    read_item(&section.item(), &Of { snapshot, areas: &areas, described: None }, 0).ok()
}

/// Reads the history of a snapshot that was imported at some time, from the body of the section.
#[cfg(feature = "json")]
pub(in crate::save) fn imported(
    body: &[u8],
    snapshot: &Snapshot,
    saved_unix_ms: u64,
) -> Result<History, ReadError> {
    let areas: Vec<&str> = snapshot.areas.keys().map(AsRef::as_ref).collect();
    let described = write_whole(snapshot, &Stamp::default(), Wrapping::default()).described;
    let of = Of { snapshot, areas: &areas, described: Some(described) };
    read_item(&Item::new(HISTORY, 0, body), &of, saved_unix_ms)
}

/// What a history belongs to.
struct Of<'o> {
    snapshot: &'o Snapshot,
    /// The names of its areas.
    areas: &'o [&'o str],
    /// What a history of it describes, if that is known.
    described: Option<Described>,
}

fn read_item(item: &Item<'_>, of: &Of<'_>, saved_unix_ms: u64) -> Result<History, ReadError> {
    let schema = &of.snapshot.schema;
    item.whole(|cursor| {
        let mut reading = Reading { schema, names: schema.plan().names(schema), top: 0, writers: Vec::new() };
        let (described, mut history, checks) = reading.history(cursor)?;
        if Some(described) != of.described {
            history.was_left_behind(of.snapshot, of.areas.iter(), saved_unix_ms);
            for (piece, checks) in checks {
                find_again(&mut history, of.snapshot, &piece, &checks);
            }
        }
        Ok(history)
    })
}

/// Gives the entries of a table their ids again, by the checks of their values. What has none is new.
fn find_again(history: &mut History, snapshot: &Snapshot, piece: &Piece, checks: &[u32]) {
    let top = history.top;
    let Some(Past { content: Content::Table(ids), .. }) = history.pieces.get_mut(piece) else { return };
    let mut left: Vec<(EntryId, u32)> = ids.iter().copied().zip(checks.iter().copied()).collect();
    let held = table_of(snapshot, piece).iter().filter(|value| **value != Value::Unset);
    let found = (0..).zip(held).map(|(number, value)| {
        let at = left.iter().position(|(_, its)| *its == check(value));
        at.map_or(EntryId { written: top, number }, |at| left.remove(at).0)
    });
    *ids = found.collect();
}

struct Reading<'r> {
    schema: &'r Schema,
    names: &'r Names,
    top: u64,
    writers: Vec<u64>,
}

/// The checks of the values of each table.
type Checks = Vec<(Piece, Vec<u32>)>;

impl Reading<'_> {
    fn history(&mut self, cursor: &mut Cursor<'_>) -> Result<(Described, History, Checks), ReadError> {
        cursor.array_of(ITEMS, "a history")?;
        let at = cursor.offset();
        let described = cursor.next(|| "what it describes", minicbor::Decoder::bytes)?;
        let described = Described::try_from(described).map_err(|_| cursor.unexpected(at, "8 bytes"))?;
        cursor.array_of(2, "the latest write")?;
        self.top = cursor.count("the time of the latest write")?;
        let (writer_at, writer) = (cursor.offset(), cursor.count("who wrote last")?);
        let (at, count) = (cursor.offset(), cursor.array("the writers")?);
        if count > MAX_WRITERS as u64 {
            return Err(cursor.unexpected(at, format!("at most {MAX_WRITERS} writers")));
        }
        let mut history = History::default();
        for _ in 0..count {
            cursor.array_of(2, "a writer")?;
            let (at, writer) = (cursor.offset(), cursor.count("the id of a writer")?);
            if self.writers.last().is_some_and(|last| *last >= writer) {
                return Err(cursor.unexpected(at, "writers in the order of their ids"));
            }
            self.writers.push(writer);
            let before = cursor.count("when it wrote last")?;
            history.writers.insert(writer, self.top.saturating_sub(before));
        }
        let top = self.writer(cursor, writer_at, writer)?;
        history.top = Written { time: self.top, writer: top };
        history.founder = self.written(cursor, history.top)?;
        history.erased = cursor.count("how often it was erased")?;
        history.run = self.written(cursor, history.top)?;
        let mut checks = Checks::new();
        for _ in 0..cursor.map("what is known of single values")? {
            let name = cursor.text("the name of a value")?;
            let piece = Piece::of_name(name, self.names);
            let (past, checked) = self.past(cursor, history.top)?;
            if !checked.is_empty() {
                checks.push((piece.clone(), checked));
            }
            history.pieces.insert(piece, past);
        }
        for _ in 0..cursor.array("what runs have offered")? {
            cursor.array_of(3, "an offer of a run")?;
            let name = cursor.text("the name of a field")?;
            let run = self.written(cursor, history.top)?;
            let cell = match Piece::of_name(name, self.names) {
                Piece::Leaf(leaf) => Some(leaf.cells().start),
                _ => None,
            };
            match cell.and_then(|cell| Some((cell, self.schema.field_at(cell)?))) {
                Some((cell, field)) => {
                    let value = self.offered(cursor, field)?;
                    history.offers.insert((run, cell), value);
                }
                None => cursor.skip("an offer of a run", &SaveLimits::default())?,
            }
        }
        Ok((described, history, checks))
    }

    fn writer(&self, cursor: &Cursor<'_>, at: usize, index: u64) -> Result<u64, ReadError> {
        let writer = usize::try_from(index).ok().and_then(|index| self.writers.get(index));
        writer.copied().ok_or_else(|| cursor.unexpected(at, "the position of a writer"))
    }

    fn written(&self, cursor: &mut Cursor<'_>, top: Written) -> Result<Written, ReadError> {
        if cursor.null() {
            return Ok(Written::UNKNOWN);
        }
        if cursor.next_byte().is_none_or(|byte| byte >> 5 != ARRAY) {
            let before = cursor.count("when it was written")?;
            return Ok(Written { time: top.time.saturating_sub(before), writer: top.writer });
        }
        cursor.array_of(2, "when and by whom it was written")?;
        let before = cursor.count("when it was written")?;
        let (at, index) = (cursor.offset(), cursor.count("by whom it was written")?);
        Ok(Written { time: top.time.saturating_sub(before), writer: self.writer(cursor, at, index)? })
    }

    fn past(&self, cursor: &mut Cursor<'_>, top: Written) -> Result<(Past, Vec<u32>), ReadError> {
        let mut checks = Vec::new();
        if cursor.next_byte() != Some(ARRAY << 5 | 3) {
            let content = Content::Plain(self.written(cursor, top)?);
            return Ok((Past { erased: 0, content }, checks));
        }
        cursor.array_of(3, "what is known of a value")?;
        let erased = cursor.count("how often it was erased")?;
        let (at, kind) = (cursor.offset(), cursor.count("what is known")?);
        let content = match kind {
            VALUE => {
                cursor.skip("nothing", &SaveLimits::default())?;
                Content::Value
            }
            PLAIN => Content::Plain(self.written(cursor, top)?),
            AMOUNT => Content::Amount(self.amount(cursor)?),
            TABLE => {
                let (at, count) = (cursor.offset(), cursor.array("the entries of a table")?);
                if count % 3 != 0 {
                    return Err(cursor.unexpected(at, "three items for each entry"));
                }
                let mut ids = Vec::new();
                for _ in 0..count / 3 {
                    let written = self.written(cursor, top)?;
                    ids.push(EntryId { written, number: cursor.count("the number of an entry")? });
                    let check = cursor.count("the check of an entry")?;
                    checks.push(u32::try_from(check).unwrap_or_default());
                }
                Content::Table(ids)
            }
            _ => return Err(cursor.unexpected(at, "a value, a write, an amount or a table")),
        };
        Ok((Past { erased, content }, checks))
    }

    fn amount(&self, cursor: &mut Cursor<'_>) -> Result<Amount, ReadError> {
        let (at, count) = (cursor.offset(), cursor.array("an amount")?);
        if count < 3 || count % 3 != 0 {
            return Err(cursor.unexpected(at, "three numbers, and three for each writer"));
        }
        let mut amount = Amount {
            start: maybe(cursor)?,
            forgiven: maybe(cursor)?,
            forfeited: maybe(cursor)?,
            ..Amount::default()
        };
        for _ in 1..count / 3 {
            let (at, index) = (cursor.offset(), cursor.count("a writer")?);
            let writer = self.writer(cursor, at, index)?;
            amount.by.insert(writer, (number(cursor)?, number(cursor)?));
        }
        Ok(amount)
    }

    fn offered(&self, cursor: &mut Cursor<'_>, field: &FieldDef) -> Result<Value, ReadError> {
        let order = self.schema.plan().order(field);
        let what = field.name.as_str();
        // What this build does not know of it is left out.
        let beyond = values::Beyond::default();
        let with = values::Reading { schema: self.schema, order, what, beyond: Some(&beyond) };
        values::read_of_field(cursor, field, with)
    }
}

fn maybe(cursor: &mut Cursor<'_>) -> Result<Option<Value>, ReadError> {
    if cursor.null() { Ok(None) } else { number(cursor).map(Some) }
}

fn number(cursor: &mut Cursor<'_>) -> Result<Value, ReadError> {
    if matches!(cursor.next_byte(), Some(0xf9..=0xfb)) {
        let at = cursor.offset();
        let number = cursor.next(|| "a number", values::number)?;
        return Value::float(number).ok_or_else(|| cursor.unexpected(at, "a finite number"));
    }
    cursor.int(|| "a number").map(Value::Int)
}
