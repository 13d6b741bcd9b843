//! A declaration with its past versions, as the bytes that a game contains.

use minicbor::{Decoder, Encoder};

use super::declaration::{Declaration, Past};
use super::step::{
    Carrying, FactsStep, FieldStep, MemberStep, Misfit, PartsStep, Scale, ShapeStep, Step, Take, UnlockStep,
};
use crate::embed::{Embed, enums, listed, structs};

/// The version that wrote the bytes: no other one reads them.
const WRITER: &str = env!("CARGO_PKG_VERSION");

listed!(Misfit);

structs! {
    Declaration { model, past }
    Past { model, step }
    Step {
        to, levels, checkpoints, stars, difficulties, moments, unlocks, lists, shapes, kinds, areas, fields, facts,
    }
    PartsStep { from, parts }
    ShapeStep { from, members, out_of }
    MemberStep { from, misfit, scale, fill }
    UnlockStep { from, fill }
    Carrying { from, at, take, scale, values, misfit }
    FactsStep { at, take, fills }
}

enums! {
    FieldStep { 0 AsDeclared, 1 Carried(carrying), 2 Filled(fills), 3 ByCode }
    Take { 0 One(place), 1 All }
    Scale { 0 By(factor), 1 ToTime(unit), 2 FromTime(unit) }
}

impl Declaration {
    /// Returns it as the bytes that `schema!` puts into a game.
    #[doc(hidden)]
    #[must_use]
    pub fn to_embedded(&self) -> Vec<u8> {
        let mut to = Encoder::new(Vec::new());
        WRITER.to_string().write(&mut to);
        self.write(&mut to);
        to.into_writer()
    }

    /// Reads what [`Declaration::to_embedded`] returned; `None` if the bytes are something else, or another version of
    /// this crate wrote them.
    #[doc(hidden)]
    #[must_use]
    pub fn from_embedded(bytes: &[u8]) -> Option<Declaration> {
        let mut from = Decoder::new(bytes);
        let writer = String::read(&mut from)?;
        let declaration = (writer == WRITER).then(|| Declaration::read(&mut from))??;
        (from.position() == bytes.len()).then_some(declaration)
    }
}
