//! Who wrote what: a save carries it, so that two saves of a slot can be merged without any third one. Every part of it
//! only ever grows in an order of its own, and merging takes the greater of each: so it does not matter which save is
//! first, how often they are merged, or in which order three of them are. `docs/reconcile.md` has the rules.

/// Amounts: what each machine has added and taken.
mod amount;

/// The pieces of a save that have a history of their own.
mod piece;

/// What outlives runs, piece by piece.
mod leaves;

/// What an older build has saved in between.
mod older;

use std::collections::BTreeMap;

use keblin_model::Value;

pub(crate) use amount::{Amount, as_number, like};
pub(crate) use leaves::profile_fields;
pub(crate) use piece::Piece;

/// The most machines that a history tells apart. A further one writes as the one that wrote last.
pub(crate) const MAX_WRITERS: usize = 64;

/// When something was written, and by whom: the greater one is later. Its time exceeds every time that its writer had
/// seen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Written {
    /// In milliseconds since 1970; 0 if nobody is known to have written it.
    pub(crate) time: u64,
    /// A slot on one machine.
    pub(crate) writer: u64,
}

impl Written {
    /// Whenever and by whomever it was.
    pub(crate) const UNKNOWN: Written = Written { time: 0, writer: 0 };
}

/// An entry of a table of best values, whatever its value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct EntryId {
    pub(crate) written: Written,
    /// Its number among those that were written then.
    pub(crate) number: u64,
}

/// What a save knows of the past of its values. It belongs to a snapshot: the values themselves are there.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct History {
    /// The latest write.
    pub(crate) top: Written,
    /// Every writer, and the time of its last write that is in here.
    pub(crate) writers: BTreeMap<u64, u64>,
    /// The first write of all. An amount that is not listed is what this writer has added. In a save from before
    /// histories it is unknown, and such an amount is a start value.
    pub(crate) founder: Written,
    /// How often the whole profile was erased.
    pub(crate) erased: u64,
    /// What is known of single pieces.
    pub(crate) pieces: BTreeMap<Piece, Past>,
    /// When the run was begun; unknown without one.
    pub(crate) run: Written,
    /// What each run has offered so far to fields that are fed when it ends, by run and by the first cell of the field.
    /// Only what is better than the field itself.
    pub(crate) offers: BTreeMap<(Written, usize), Value>,
}

/// What is known of the past of a piece.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Past {
    /// How often it was erased: of two saves, the one that has erased it more often has it.
    pub(crate) erased: u64,
    pub(crate) content: Content,
}

/// What is known of the content of a piece since it was last erased.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) enum Content {
    /// Nothing: the value says it all.
    #[default]
    Value,
    /// When it was written, and by whom.
    Plain(Written),
    Amount(Amount),
    /// The entries in the order of the table.
    Table(Vec<EntryId>),
}

impl History {
    /// Returns when a plain piece was written.
    pub(crate) fn written(&self, piece: &Piece) -> Written {
        match self.pieces.get(piece).map(|past| &past.content) {
            Some(Content::Plain(written)) => *written,
            _ => Written::UNKNOWN,
        }
    }

    /// Returns how often a piece was erased.
    pub(crate) fn erased(&self, piece: &Piece) -> u64 {
        self.pieces.get(piece).map_or(0, |past| past.erased)
    }

    /// Returns an amount. The caller knows its value.
    pub(crate) fn amount(&self, piece: &Piece, value: &Value, default: &Value) -> Amount {
        match self.pieces.get(piece).map(|past| &past.content) {
            Some(Content::Amount(amount)) => amount.clone(),
            _ => self.unlisted(value, default),
        }
    }

    /// Returns what an amount is that is not listed.
    fn unlisted(&self, value: &Value, default: &Value) -> Amount {
        match self.founder {
            Written::UNKNOWN => Amount { start: Some(value.clone()), ..Amount::default() },
            founder => Amount::of_one(founder.writer, value, default),
        }
    }

    /// Returns the ids of the entries of a table, if they are known.
    pub(crate) fn table(&self, piece: &Piece) -> Option<&[EntryId]> {
        match &self.pieces.get(piece)?.content {
            Content::Table(ids) => Some(ids),
            _ => None,
        }
    }

    /// Lists what is known of a piece, unless there is nothing to say.
    pub(crate) fn set(&mut self, piece: Piece, past: Past) {
        match past == Past::default() {
            true => self.pieces.remove(&piece),
            false => self.pieces.insert(piece, past),
        };
    }

    /// Lists an amount, unless it is what it would be if it were not listed.
    pub(crate) fn set_amount(
        &mut self,
        piece: Piece,
        erased: u64,
        amount: Amount,
        value: &Value,
        default: &Value,
    ) {
        let content = match amount == self.unlisted(value, default) {
            true => Content::Value,
            false => Content::Amount(amount),
        };
        self.set(piece, Past { erased, content });
    }

    /// Returns whether this save knows of something that was written somewhere.
    pub(crate) fn has_seen(&self, written: Written) -> bool {
        written == Written::UNKNOWN
            || self.writers.get(&written.writer).is_some_and(|last| *last >= written.time)
    }
}
