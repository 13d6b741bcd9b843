//! The areas of the world in a file, and the table of a state that shares them. There are many, and most stay
//! unchanged from one state to the next, so their rows are copied as they were written.

use keblin_model::order::sort_by;
use std::ops::Range;
use std::sync::Arc;

use super::table::{Row, Table};
use crate::snapshot::{AreaBytes, Areas};

/// An area of a state.
#[derive(Clone, Debug)]
struct AreaEntry {
    /// The name of its section.
    name: Arc<str>,
    bytes: AreaBytes,
    /// The length of its section, in bytes.
    len_bytes: usize,
    /// Its row among the rows; `None` while its current bytes are not in the file.
    row: Option<Range<usize>>,
}

/// The areas of the last state of a file.
#[derive(Clone, Debug, Default)]
pub(super) struct AreaTable {
    /// By name.
    areas: Vec<AreaEntry>,
    /// Their positions in the order of the file.
    order: Vec<usize>,
    /// The rows of that state.
    rows: Vec<u8>,
}

impl AreaTable {
    /// Sets the areas of a snapshot. The rows of areas that are in the file unchanged go into the table; the returned
    /// ones must be written.
    pub(super) fn share(&mut self, areas: &Areas, table: &mut Table) -> Vec<usize> {
        if self.renew(areas) {
            let AreaTable { areas, order, .. } = self;
            order.retain(|at| areas.get(*at).is_some_and(|area| area.row.is_some()));
        } else {
            self.merge(areas);
        }
        for at in &self.order {
            let Some(AreaEntry { len_bytes, row: Some(row), .. }) = self.areas.get_mut(*at) else { continue };
            let written = self.rows.get(row.clone()).unwrap_or_default();
            *row = table.push_written(written, *len_bytes);
        }
        let fresh = self.areas.iter().enumerate().filter(|(_, area)| area.row.is_none());
        fresh.map(|(at, _)| at).collect()
    }

    /// Updates the areas if none was removed and none is new, so that for nearly all only two addresses are compared.
    /// Returns whether it did; if not, some may have been updated.
    fn renew(&mut self, areas: &Areas) -> bool {
        let are_as_many = self.areas.len() == areas.len();
        are_as_many
            && self.areas.iter_mut().zip(areas).all(|(shelved, (name, bytes))| {
                if !Arc::ptr_eq(&shelved.name, name) {
                    return false;
                }
                if !shelved.bytes.is_same(bytes) {
                    shelved.row.take_if(|_| shelved.bytes != *bytes);
                    shelved.bytes = bytes.clone();
                }
                true
            })
    }

    /// Updates the areas if some were removed or are new.
    fn merge(&mut self, areas: &Areas) {
        let mut there = std::mem::take(&mut self.areas).into_iter().peekable();
        for (name, bytes) in areas {
            while there.next_if(|shelved| *shelved.name < **name).is_some() {}
            let found = there.next_if(|shelved| shelved.name == *name);
            let found = found.filter(|shelved| shelved.bytes == *bytes);
            let (name, bytes) = (Arc::clone(name), bytes.clone());
            let (len_bytes, row) = found.map_or((0, None), |shelved| (shelved.len_bytes, shelved.row));
            self.areas.push(AreaEntry { name, bytes, len_bytes, row });
        }
        let rows = self.areas.iter().enumerate();
        let mut order: Vec<_> = rows.filter_map(|(at, area)| Some((area.row.as_ref()?.start, at))).collect();
        sort_by(&mut order, Ord::cmp);
        self.order = order.into_iter().map(|(_, at)| at).collect();
    }

    /// Returns the name of an area's section, and its bytes.
    pub(super) fn area(&self, at: usize) -> Option<(Arc<str>, AreaBytes)> {
        self.areas.get(at).map(|area| (Arc::clone(&area.name), area.bytes.clone()))
    }

    /// Notes where an area was written: after all others.
    pub(super) fn wrote(&mut self, at: usize, row: &Row<'_>, table: &mut Table) {
        let place = table.push(row);
        if let Some(area) = self.areas.get_mut(at) {
            (area.len_bytes, area.row) = (row.len_bytes, Some(place));
            self.order.push(at);
        }
    }

    pub(super) fn len(&self) -> usize {
        self.areas.len()
    }

    /// Returns the approximate number of bytes of rows in the next state.
    pub(super) fn rows_bytes(&self) -> usize {
        self.rows.len() + 256
    }

    /// Returns these areas with the table of the state that was written.
    pub(super) fn with(self, table: Table) -> AreaTable {
        AreaTable { rows: table.rows, ..self }
    }
}
