//! Areas: the rows of each kind, as bytes and back.

use keblin_model::order::sort_by;
use std::convert::Infallible;

use keblin_model::model::ObjectKindDef;
use keblin_model::{Model, Time};
use minicbor::data::Tag;
use minicbor::encode::{Error, Write};
use minicbor::{Decoder, Encoder};

use super::column::Column;
use super::fault::{AreaFault, AreaFaultKind};
use super::tags;
use crate::broken::Broken;

/// The keys of a kind.
const IDS: &str = "ids";
const GONE: &str = "gone";
const LEFT: &str = "left";
const FIELDS: &str = "fields";

/// The objects of one kind in an area.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Rows<'b> {
    /// The ids of its objects, in order.
    pub(crate) ids: Vec<u64>,
    /// The ids of objects that the game makes with the area and that are gone, in order.
    pub(crate) gone: Vec<u64>,
    /// The time in play when they were recorded, if the kind asks for the time away.
    pub(crate) left: Option<Time>,
    /// One column for each declared field.
    pub(crate) columns: Vec<Column<'b>>,
}

impl<'b> Rows<'b> {
    pub(crate) fn of(kind: &ObjectKindDef) -> Rows<'b> {
        let columns = kind.fields.iter().map(|field| Column::new(field.kind)).collect();
        Rows { columns, ..Rows::default() }
    }

    /// Returns some of its objects, in rising order; what is gone stays gone.
    pub(crate) fn picked(&self, rows: &[usize]) -> Rows<'b> {
        let ids = rows.iter().filter_map(|row| self.ids.get(*row).copied()).collect();
        let columns = self.columns.iter().map(|column| column.picked(rows)).collect();
        Rows { ids, gone: self.gone.clone(), left: self.left, columns }
    }

    /// Returns whether the kind says nothing: its objects are as the game makes them.
    pub(crate) fn is_empty(&self) -> bool {
        self.ids.is_empty() && self.gone.is_empty()
    }
}

/// The objects of an area, kind by kind.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct AreaBody<'b> {
    /// By the position of the kind.
    pub(crate) kinds: Vec<Rows<'b>>,
    /// Kinds that this build does not declare, each with its name and its bytes.
    unknown: Vec<(String, &'b [u8])>,
}

impl<'b> AreaBody<'b> {
    /// An area that says nothing.
    pub(crate) fn empty(model: &Model) -> AreaBody<'b> {
        AreaBody { kinds: model.object_kinds.iter().map(Rows::of).collect(), unknown: Vec::new() }
    }

    /// Takes over the kinds of another body that this build does not declare.
    pub(crate) fn with_unknown_of(&mut self, other: AreaBody<'b>) {
        self.unknown = other.unknown;
    }

    /// Returns the bytes; `None` if there is nothing to say.
    pub(crate) fn to_bytes(&self, model: &Model) -> Option<Vec<u8>> {
        let some: Vec<_> =
            model.object_kinds.iter().zip(&self.kinds).filter(|(_, rows)| !rows.is_empty()).collect();
        if some.is_empty() && self.unknown.is_empty() {
            return None;
        }
        // Counted first, because the bytes stay where they are written. Writing to memory cannot fail.
        let mut count = Encoder::new(Count(0));
        write(&mut count, &some, &self.unknown).ok()?;
        let mut bytes = Vec::with_capacity(count.writer().0);
        write(&mut Encoder::new(&mut bytes), &some, &self.unknown).ok()?;
        Some(bytes)
    }

    /// Reads the bytes of an area.
    pub(crate) fn read(model: &Model, bytes: &'b [u8]) -> Result<AreaBody<'b>, AreaFault> {
        AreaBody::read_but(model, bytes, |_| false)
    }

    /// Returns whether a version has exactly the kinds and fields of these bytes.
    pub(crate) fn is_written_by(model: &Model, bytes: &[u8]) -> bool {
        AreaBody::read(model, bytes).is_ok_and(|body| {
            body.unknown.is_empty() && body.to_bytes(model).is_some_and(|written| written == bytes)
        })
    }

    /// Reads the bytes of an area, of some kinds only which objects are gone: to record all others anew.
    pub(crate) fn read_but(
        model: &Model,
        bytes: &'b [u8],
        is_recorded: impl Fn(usize) -> bool,
    ) -> Result<AreaBody<'b>, AreaFault> {
        let mut from = Decoder::new(bytes);
        let mut body = AreaBody::empty(model);
        let start = expected(&mut from, "", "a map of kinds", |from| from.map().ok().flatten())?;
        for _ in 0..start {
            let name =
                expected(&mut from, "", "the name of a kind", |from| from.str().ok().map(str::to_string))?;
            let at = from.position();
            let place = model.object_kinds.iter().position(|kind| kind.name.as_str() == name);
            let known = place
                .and_then(|place| Some((place, model.object_kinds.get(place)?, body.kinds.get_mut(place)?)));
            match known {
                Some((place, kind, rows)) if is_recorded(place) => rows.gone = read_gone(&mut from, kind)?,
                Some((_, kind, rows)) => *rows = read_rows(&mut from, (model, kind))?,
                None => {
                    expected(&mut from, &name, "the objects of a kind", |from| from.skip().ok())?;
                    let bytes = bytes.get(at..from.position()).unwrap_or_default();
                    body.unknown.push((name, bytes));
                }
            }
        }
        match from.position() == bytes.len() {
            true => Ok(body),
            false => Err(unexpected(&from, "", "the end of the area")),
        }
    }
}

/// Counts what is written.
struct Count(usize);

impl Write for Count {
    type Error = Infallible;

    fn write_all(&mut self, bytes: &[u8]) -> Result<(), Infallible> {
        self.0 += bytes.len();
        Ok(())
    }
}

fn write<W: Write>(
    out: &mut Encoder<W>,
    kinds: &[(&ObjectKindDef, &Rows<'_>)],
    unknown: &[(String, &[u8])],
) -> Result<(), Error<W::Error>> {
    out.map((kinds.len() + unknown.len()) as u64)?;
    let known = kinds.iter().map(|(kind, rows)| (kind.name.as_str(), Ok((*kind, *rows))));
    let unknown = unknown.iter().map(|(name, bytes)| (name.as_str(), Err(*bytes)));
    let mut kinds: Vec<(&str, Result<_, &[u8]>)> = known.chain(unknown).collect();
    sort_by(&mut kinds, |(one, _), (other, _)| in_order_of_keys(one).cmp(&in_order_of_keys(other)));
    for (name, kind) in kinds {
        out.str(name)?;
        match kind {
            Ok((kind, rows)) => write_rows(out, kind, rows)?,
            Err(bytes) => out.writer_mut().write_all(bytes).map_err(Error::write)?,
        }
    }
    Ok(())
}

/// RFC 8949, section 4.2.1: the keys of a map in the order of their encoded bytes, which begin with the length.
fn in_order_of_keys(key: &str) -> (usize, &str) {
    (key.len(), key)
}

fn write_rows<W: Write>(
    out: &mut Encoder<W>,
    kind: &ObjectKindDef,
    rows: &Rows<'_>,
) -> Result<(), Error<W::Error>> {
    out.map(3 + u64::from(rows.left.is_some()))?;
    write_ids(out.str(IDS)?, &rows.ids)?;
    write_ids(out.str(GONE)?, &rows.gone)?;
    if let Some(left) = rows.left {
        out.str(LEFT)?.i64(left.as_nanos())?;
    }
    let mut columns: Vec<(&str, &Column<'_>)> =
        kind.fields.iter().map(|field| field.name.as_str()).zip(&rows.columns).collect();
    sort_by(&mut columns, |(one, _), (other, _)| in_order_of_keys(one).cmp(&in_order_of_keys(other)));
    out.str(FIELDS)?.map(columns.len() as u64)?;
    for (name, column) in columns {
        column.write(out.str(name)?)?;
    }
    Ok(())
}

fn write_ids<W: Write>(out: &mut Encoder<W>, ids: &[u64]) -> Result<(), Error<W::Error>> {
    out.tag(Tag::new(tags::U64))?.bytes_len(8 * ids.len() as u64)?;
    // Many at a time: each call has a price.
    let mut bytes = [[0; 8]; 64];
    for ids in ids.chunks(bytes.len()) {
        bytes.iter_mut().zip(ids).for_each(|(bytes, id)| *bytes = id.to_le_bytes());
        let written = bytes.as_flattened().get(..8 * ids.len()).unwrap_or_default();
        out.writer_mut().write_all(written).map_err(Error::write)?;
    }
    Ok(())
}

fn unexpected(from: &Decoder<'_>, place: &str, what: &str) -> AreaFault {
    fault(from, place, AreaFaultKind::Unexpected(what.to_string()))
}

fn fault(from: &Decoder<'_>, place: &str, kind: AreaFaultKind) -> AreaFault {
    let place = if place.is_empty() { "the area" } else { place };
    AreaFault { place: place.to_string(), offset: from.position(), kind }
}

fn expected<'b, T>(
    from: &mut Decoder<'b>,
    place: &str,
    what: &str,
    read: impl FnOnce(&mut Decoder<'b>) -> Option<T>,
) -> Result<T, AreaFault> {
    let at = from.position();
    read(from).ok_or_else(|| {
        from.set_position(at);
        unexpected(from, place, what)
    })
}

fn read_rows<'b>(
    from: &mut Decoder<'b>,
    (model, kind): (&Model, &ObjectKindDef),
) -> Result<Rows<'b>, AreaFault> {
    let place = kind.name.as_str();
    let mut rows = Rows::default();
    let mut columns: Vec<Option<Column<'b>>> = vec![None; kind.fields.len()];
    let count = expected(from, place, "a map", |from| from.map().ok().flatten())?;
    for _ in 0..count {
        let key = expected(from, place, "a key", |from| from.str().ok())?;
        match key {
            IDS => rows.ids = read_ids(from, place)?,
            GONE => rows.gone = read_ids(from, place)?,
            LEFT => {
                let left = expected(from, place, "a time in nanoseconds", |from| from.i64().ok())?;
                rows.left = Some(Time::from_nanos(left)).filter(|_| kind.time_away);
            }
            FIELDS => read_columns(from, (model, kind), rows.ids.len(), &mut columns)?,
            _ => expected(from, place, "a value", |from| from.skip().ok())?,
        }
    }
    // The ids may come after the fields, or twice.
    let objects = rows.ids.len();
    let misfit = columns.iter().flatten().map(Column::len).find(|len| *len != Some(objects));
    if let Some(found) = misfit.filter(|_| !Broken::AnyColumn.is()) {
        let kind = AreaFaultKind::Length { objects, found: found.unwrap_or_default() };
        return Err(fault(from, place, kind));
    }
    let columns = columns.into_iter().zip(&kind.fields).map(|(column, field)| {
        // A field that is newer than the save.
        column.unwrap_or_else(|| {
            let mut column = Column::new(field.kind);
            rows.ids.iter().for_each(|_| column.push(field.default.clone()));
            column
        })
    });
    rows.columns = columns.collect();
    Ok(rows)
}

/// Reads which objects of a kind are gone, and skips the others.
fn read_gone(from: &mut Decoder<'_>, kind: &ObjectKindDef) -> Result<Vec<u64>, AreaFault> {
    let (place, mut gone) = (kind.name.as_str(), Vec::new());
    let count = expected(from, place, "a map", |from| from.map().ok().flatten())?;
    for _ in 0..count {
        match expected(from, place, "a key", |from| from.str().ok())? {
            GONE => gone = read_ids(from, place)?,
            _ => expected(from, place, "a value", |from| from.skip().ok())?,
        }
    }
    Ok(gone)
}

fn read_ids(from: &mut Decoder<'_>, place: &str) -> Result<Vec<u64>, AreaFault> {
    let what = "ids: whole numbers of 64 bits";
    let bytes = expected(from, place, what, |from| {
        let tag = from.tag().ok().filter(|tag| tag.as_u64() == tags::U64);
        tag.and_then(|_| from.bytes().ok()).filter(|bytes| bytes.len().is_multiple_of(8))
    })?;
    let ids: Vec<u64> = bytes.as_chunks().0.iter().map(|id| u64::from_le_bytes(*id)).collect();
    match ids.windows(2).all(|pair| pair.first() < pair.last()) {
        true => Ok(ids),
        false => Err(fault(from, place, AreaFaultKind::Order)),
    }
}

fn read_columns<'b>(
    from: &mut Decoder<'b>,
    (model, kind): (&Model, &ObjectKindDef),
    objects: usize,
    columns: &mut [Option<Column<'b>>],
) -> Result<(), AreaFault> {
    let count = expected(from, kind.name.as_str(), "a map of fields", |from| from.map().ok().flatten())?;
    for _ in 0..count {
        let name = expected(from, kind.name.as_str(), "the name of a field", |from| from.str().ok())?;
        let place = format!("{}.{name}", kind.name);
        let index = kind.fields.iter().position(|field| field.name.as_str() == name);
        let known = index.and_then(|index| Some((kind.fields.get(index)?, columns.get_mut(index)?)));
        let Some((field, column)) = known else {
            expected(from, &place, "a column", |from| from.skip().ok())?;
            continue;
        };
        let at = from.position();
        *column = Some(Column::read(from, (model, field.kind), objects).map_err(|kind| {
            from.set_position(at);
            fault(from, &place, kind)
        })?);
    }
    Ok(())
}
