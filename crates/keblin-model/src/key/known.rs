//! The games whose schema is loaded, so that the `Debug` of a handle shows an id. A handle knows its game only as a type
//! parameter, which `Debug` must not ask more of: every type with handles inside derives it.

use std::any::type_name;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::{PoisonError, RwLock};

use super::Compiled;
use crate::model::Model;

type Models = BTreeMap<&'static str, fn() -> &'static Model>;

static GAMES: RwLock<Models> = RwLock::new(BTreeMap::new());

/// Makes a game known by the name of its type. For `schema!`, when the schema is loaded.
#[doc(hidden)]
pub fn know<G: Compiled>() {
    GAMES.write().unwrap_or_else(PoisonError::into_inner).insert(type_name::<G>(), G::model);
}

/// Writes a handle with its id, or with its position if the game is not known.
pub(super) fn write<'m, G>(
    f: &mut fmt::Formatter<'_>,
    what: &str,
    id: impl FnOnce(&'m Model) -> Option<String>,
    position: impl fmt::Display,
) -> fmt::Result {
    let model = GAMES.read().unwrap_or_else(PoisonError::into_inner).get(type_name::<G>()).copied();
    match model.and_then(|model| id(model())) {
        Some(id) => write!(f, "{what}({id})"),
        None => write!(f, "{what}({position})"),
    }
}
