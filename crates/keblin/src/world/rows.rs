//! Reads the objects of one kind in an area.

use keblin_model::model::ObjectKindDef;
use keblin_model::{Model, Time, Value};
use minicbor::Decoder;

use super::beyond::{self, Unknown};
use super::body::{FIELDS, GONE, IDS, KEPT, LEFT, Rows};
use super::column::Column;
use super::fault::{AreaFault, AreaFaultKind};
use super::tags;
use crate::broken::Broken;

pub(super) fn unexpected(from: &Decoder<'_>, place: &str, what: &str) -> AreaFault {
    fault(from, place, AreaFaultKind::Unexpected(what.to_string()))
}

pub(super) fn fault(from: &Decoder<'_>, place: &str, kind: AreaFaultKind) -> AreaFault {
    let place = if place.is_empty() { "the area" } else { place };
    AreaFault { place: place.to_string(), offset: from.position(), kind }
}

pub(super) fn expected<'b, T>(
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

pub(super) fn read_rows<'b>(
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
            FIELDS => read_columns(from, (model, kind), &mut rows, &mut columns)?,
            KEPT => read_kept(from, place, &mut rows)?,
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
    rows.settle((model, kind));
    Ok(rows)
}

/// Reads which objects of a kind are gone, and what this build does not know of the others.
pub(super) fn read_before<'b>(
    from: &mut Decoder<'b>,
    (model, kind): (&Model, &ObjectKindDef),
) -> Result<Rows<'b>, AreaFault> {
    let (start, place, mut rows) = (from.position(), kind.name.as_str(), Rows::of(kind));
    let mut has_more = beyond::may_have(kind);
    let count = expected(from, place, "a map", |from| from.map().ok().flatten())?;
    for _ in 0..count {
        match expected(from, place, "a key", |from| from.str().ok())? {
            GONE => rows.gone = read_ids(from, place)?,
            FIELDS => {
                let fields = expected(from, place, "a map of fields", |from| from.map().ok().flatten())?;
                for _ in 0..fields {
                    let name = expected(from, place, "the name of a field", |from| from.str().ok())?;
                    has_more |= !kind.fields.iter().any(|field| field.name.as_str() == name);
                    expected(from, place, "a column", |from| from.skip().ok())?;
                }
            }
            key => {
                has_more |= key == KEPT;
                expected(from, place, "a value", |from| from.skip().ok())?;
            }
        }
    }
    if has_more {
        from.set_position(start);
        rows = read_rows(from, (model, kind))?;
        rows.keep_beyond_bounds(model, kind);
    }
    Ok(rows)
}

/// Reads what is kept of the objects of a kind.
fn read_kept(from: &mut Decoder<'_>, place: &str, rows: &mut Rows<'_>) -> Result<(), AreaFault> {
    let what = "a map of what is kept";
    for _ in 0..expected(from, place, what, |from| from.map().ok().flatten())? {
        let field = expected(from, place, "the name of a field", |from| from.str().ok())?;
        let (mut ids, mut values) = (Vec::new(), Vec::new());
        for _ in 0..expected(from, place, what, |from| from.map().ok().flatten())? {
            match expected(from, place, "a key", |from| from.str().ok())? {
                beyond::IDS => ids = read_ids(from, place)?,
                beyond::VALUES => {
                    for _ in 0..expected(from, place, "values", |from| from.array().ok().flatten())? {
                        let start = from.position();
                        expected(from, place, "a column", |from| from.skip().ok())?;
                        values.push(from.input().get(start..from.position()).unwrap_or_default().to_vec());
                    }
                }
                _ => expected(from, place, "a value", |from| from.skip().ok())?,
            }
        }
        if ids.len() != values.len() {
            let kind = AreaFaultKind::Length { objects: ids.len(), found: values.len() };
            return Err(fault(from, place, kind));
        }
        let values = values.into_iter().map(|column| Unknown { column, seen: None });
        rows.keep(field, ids.into_iter().zip(values));
    }
    Ok(())
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
    rows: &mut Rows<'b>,
    columns: &mut [Option<Column<'b>>],
) -> Result<(), AreaFault> {
    let objects = rows.ids.len();
    let count = expected(from, kind.name.as_str(), "a map of fields", |from| from.map().ok().flatten())?;
    for _ in 0..count {
        let name = expected(from, kind.name.as_str(), "the name of a field", |from| from.str().ok())?;
        let place = format!("{}.{name}", kind.name);
        let index = kind.fields.iter().position(|field| field.name.as_str() == name);
        let known = index.and_then(|index| Some((kind.fields.get(index)?, columns.get_mut(index)?)));
        let at = from.position();
        let Some((field, column)) = known else {
            expected(from, &place, "a column", |from| from.skip().ok())?;
            let bytes = from.input().get(at..from.position()).unwrap_or_default();
            let apart = beyond::apart(bytes, objects).unwrap_or_default();
            let values = apart.into_iter().map(|column| Unknown { column, seen: None });
            let ids: Vec<u64> = rows.ids.clone();
            rows.keep(name, ids.into_iter().zip(values));
            continue;
        };
        let mut read = Column::read(from, (model, field.kind), objects).map_err(|kind| {
            from.set_position(at);
            fault(from, &place, kind)
        })?;
        if let Column::Items(items) = &mut read
            && items.contains(&Value::Unset)
        {
            let bytes = from.input().get(at..from.position()).unwrap_or_default();
            let apart = beyond::apart(bytes, objects).unwrap_or_default();
            let mut unknown = Vec::new();
            for ((id, item), column) in rows.ids.iter().zip(items).zip(apart) {
                // An id that this build does not know, or no value where this build has one.
                if *item == Value::Unset && (column != beyond::UNSET || field.default != Value::Unset) {
                    item.clone_from(&field.default);
                    unknown.push((*id, Unknown { column, seen: Some(field.default.clone()) }));
                }
            }
            rows.keep(name, unknown.into_iter());
        }
        *column = Some(read);
    }
    Ok(())
}
