//! The pieces of a save that have a history of their own.

use std::sync::Arc;

use keblin_model::model::FieldDef;

use crate::grammar::listed::{FactOf, Leaf};
use crate::grammar::names::Names;

/// A piece of a save that has a history of its own.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Piece {
    /// A value or fact that outlives runs; a table as a whole.
    Leaf(Leaf),
    /// The title of the slot.
    Title,
    /// The run as a whole, with the difficulty last chosen.
    Run,
    /// An area of the world, by its id.
    Area(Arc<str>),
    /// One that this build of the game does not know, by its name in the file.
    Unknown(String),
}

impl Piece {
    /// Returns the piece of a value of a field, or of a table, by its first cell.
    pub(crate) fn of_field(field: &FieldDef, first: usize) -> Piece {
        Piece::Leaf(match field.places {
            1 => Leaf::Cell(first),
            places => Leaf::Table { first, places },
        })
    }

    /// Returns the piece of a fact, by its position among the facts.
    pub(crate) fn of_fact(fact: FactOf, index: usize) -> Piece {
        Piece::Leaf(Leaf::Fact(fact, index))
    }

    /// Returns its name in a save.
    pub(crate) fn name(&self, names: &Names) -> Option<String> {
        match self {
            Piece::Leaf(leaf) => names.of_leaf(*leaf).map(str::to_string),
            Piece::Title => Some(TITLE.to_string()),
            Piece::Run => Some(RUN_PIECE.to_string()),
            Piece::Area(id) => Some(format!("{AREA_PIECE}{id}")),
            Piece::Unknown(name) => Some(name.clone()),
        }
    }

    /// Returns the piece of a name in a save.
    pub(crate) fn of_name(name: &str, names: &Names) -> Piece {
        match name {
            TITLE => Piece::Title,
            RUN_PIECE => Piece::Run,
            _ => match (name.strip_prefix(AREA_PIECE), names.leaf(name)) {
                (Some(id), _) => Piece::Area(Arc::from(id)),
                (None, Some(leaf)) => Piece::Leaf(leaf),
                (None, None) => Piece::Unknown(name.to_string()),
            },
        }
    }
}

/// Names of pieces that are not fields start with a character that no field has.
const TITLE: &str = ":title";
const RUN_PIECE: &str = ":run";
const AREA_PIECE: &str = ":area.";
