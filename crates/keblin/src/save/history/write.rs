//! Writes the section of who wrote what.

use keblin_model::Value;
use minicbor::Encoder;

use super::{AMOUNT, Described, ITEMS, PLAIN, TABLE, VALUE, check, table_of};
use crate::grammar::Failure;
use crate::save::values;
use crate::snapshot::Snapshot;
use crate::snapshot::history::{Content, History, Past, Piece, Written};

type Out<'o> = Encoder<&'o mut Vec<u8>>;

/// Writes the history of a snapshot, which describes these sections.
pub(in crate::save) fn write(
    out: &mut Out<'_>,
    snapshot: &Snapshot,
    history: &History,
    described: &Described,
) -> Result<(), Failure> {
    let schema = &snapshot.schema;
    let plan = schema.plan();
    let writing = Writing { snapshot, history, writers: history.writers.keys().copied().collect() };
    let top = history.top;
    out.array(ITEMS)?.bytes(described)?;
    out.array(2)?.u64(top.time)?.u64(writing.index(top.writer))?;
    out.array(history.writers.len() as u64)?;
    for (writer, last) in &history.writers {
        out.array(2)?.u64(*writer)?.u64(top.time.saturating_sub(*last))?;
    }
    writing.written(out, history.founder)?;
    out.u64(history.erased)?;
    writing.written(out, history.run)?;
    let names = plan.names(schema);
    let mut pieces: Vec<(String, &Piece, &Past)> = Vec::with_capacity(history.pieces.len());
    for (piece, past) in &history.pieces {
        pieces.extend(piece.name(names).map(|name| (name, piece, past)));
    }
    out.map(pieces.len() as u64)?;
    for (name, piece, past) in pieces {
        out.str(&name)?;
        writing.past(out, piece, past)?;
    }
    let mut offers = Vec::new();
    for ((run, cell), value) in &history.offers {
        let field = schema.field_at(*cell);
        let name = field.and_then(|field| Piece::of_field(field, *cell).name(names));
        offers.extend(field.zip(name).map(|(field, name)| (name, *run, field, value)));
    }
    out.array(offers.len() as u64)?;
    for (name, run, field, value) in offers {
        out.array(3)?.str(&name)?;
        writing.written(out, run)?;
        values::write_ordered(out, value, plan.order(field))?;
    }
    Ok(())
}

struct Writing<'w> {
    snapshot: &'w Snapshot,
    history: &'w History,
    writers: Vec<u64>,
}

impl Writing<'_> {
    fn index(&self, writer: u64) -> u64 {
        self.writers.binary_search(&writer).unwrap_or_default() as u64
    }

    /// Writes a time before the latest one, with the writer if that is another one.
    fn written(&self, out: &mut Out<'_>, written: Written) -> Result<(), Failure> {
        let top = self.history.top;
        let before = top.time.saturating_sub(written.time);
        match written {
            Written::UNKNOWN => out.null().map(drop),
            Written { writer, .. } if writer == top.writer => out.u64(before).map(drop),
            Written { writer, .. } => out.array(2)?.u64(before)?.u64(self.index(writer)).map(drop),
        }
    }

    fn past(&self, out: &mut Out<'_>, piece: &Piece, past: &Past) -> Result<(), Failure> {
        if let (0, Content::Plain(written)) = (past.erased, &past.content) {
            return self.written(out, *written);
        }
        out.array(3)?.u64(past.erased)?;
        match &past.content {
            Content::Value => out.u64(VALUE)?.null().map(drop),
            Content::Plain(written) => {
                out.u64(PLAIN)?;
                self.written(out, *written)
            }
            Content::Amount(amount) => {
                out.u64(AMOUNT)?.array(3 + 3 * amount.by.len() as u64)?;
                for number in [&amount.start, &amount.forgiven, &amount.forfeited] {
                    values::write(out, number.as_ref().unwrap_or(&Value::Unset))?;
                }
                for (writer, (added, taken)) in &amount.by {
                    out.u64(self.index(*writer))?;
                    values::write(out, added)?;
                    values::write(out, taken)?;
                }
                Ok(())
            }
            Content::Table(ids) => {
                out.u64(TABLE)?.array(3 * ids.len() as u64)?;
                let values = table_of(self.snapshot, piece);
                for (at, id) in ids.iter().enumerate() {
                    self.written(out, id.written)?;
                    out.u64(id.number)?.u32(values.get(at).map_or(0, check))?;
                }
                Ok(())
            }
        }
    }
}
