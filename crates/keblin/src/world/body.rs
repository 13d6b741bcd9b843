//! Areas: the rows of each kind, as bytes and back.

use keblin_model::order::sort_by;
use std::convert::Infallible;

use keblin_model::model::ObjectKindDef;
use keblin_model::{Model, Time};
use minicbor::data::Tag;
use minicbor::encode::{Error, Write};
use minicbor::{Decoder, Encoder};

use super::beyond::{self, Beyond};
use super::column::Column;
use super::fault::AreaFault;
use super::rows::{expected, read_before, read_rows, unexpected};
use super::tags;

/// The keys of a kind.
pub(super) const IDS: &str = "ids";
pub(super) const GONE: &str = "gone";
pub(super) const LEFT: &str = "left";
pub(super) const FIELDS: &str = "fields";
pub(super) const KEPT: &str = "kept";

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
    /// What this build does not know of them.
    pub(crate) beyond: Beyond,
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
        let mut picked =
            Rows { ids, gone: self.gone.clone(), left: self.left, columns, beyond: Beyond::new() };
        for (field, values) in &self.beyond {
            let of_picked = values.iter().filter(|(id, _)| picked.ids.binary_search(id).is_ok());
            let of_picked: Vec<_> = of_picked.map(|(id, unknown)| (*id, unknown.clone())).collect();
            picked.keep(field, of_picked.into_iter());
        }
        picked
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
            let knows_all = body.unknown.is_empty() && body.kinds.iter().all(|rows| rows.beyond.is_empty());
            knows_all && body.to_bytes(model).is_some_and(|written| written == bytes)
        })
    }

    /// Returns the kinds that this build does not declare.
    pub(crate) fn unknown_kinds(&self) -> impl Iterator<Item = &str> {
        self.unknown.iter().map(|(name, _)| name.as_str())
    }

    /// Reads the bytes of an area, of some kinds only which objects are gone and what this build does not know: to record
    /// all others anew.
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
                Some((place, kind, rows)) if is_recorded(place) => {
                    *rows = read_before(&mut from, (model, kind))?;
                }
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
pub(super) fn in_order_of_keys(key: &str) -> (usize, &str) {
    (key.len(), key)
}

fn write_rows<W: Write>(
    out: &mut Encoder<W>,
    kind: &ObjectKindDef,
    rows: &Rows<'_>,
) -> Result<(), Error<W::Error>> {
    out.map(3 + u64::from(rows.left.is_some()) + u64::from(!rows.beyond.is_empty()))?;
    write_ids(out.str(IDS)?, &rows.ids)?;
    write_ids(out.str(GONE)?, &rows.gone)?;
    // After the ids, as the keys are in order.
    if !rows.beyond.is_empty() {
        beyond::write(out.str(KEPT)?, &rows.beyond)?;
    }
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

pub(super) fn write_ids<W: Write>(out: &mut Encoder<W>, ids: &[u64]) -> Result<(), Error<W::Error>> {
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
