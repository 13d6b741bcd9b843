//! Who needs which area. An area is wanted while anybody needs it.

use std::collections::BTreeMap;
use std::fmt;
use std::marker::PhantomData;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use keblin_model::{AnyGame, Area, OfGame};

/// How many guards each area has.
#[derive(Debug, Default)]
pub(crate) struct Needs(Mutex<BTreeMap<usize, usize>>);

impl Needs {
    fn counts(&self) -> MutexGuard<'_, BTreeMap<usize, usize>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(crate) fn of(&self, area: usize) -> usize {
        self.counts().get(&area).copied().unwrap_or(0)
    }

    /// Returns the areas that have a guard.
    pub(crate) fn areas(&self) -> Vec<usize> {
        self.counts().keys().copied().collect()
    }

    fn add(&self, area: usize) {
        *self.counts().entry(area).or_default() += 1;
    }

    fn remove(&self, area: usize) {
        let mut counts = self.counts();
        let left = counts.get(&area).map_or(0, |count| count.saturating_sub(1));
        match left {
            0 => counts.remove(&area),
            left => counts.insert(area, left),
        };
    }
}

/// Keeps an area loaded for as long as it is held.
#[must_use = "the area is needed only as long as the guard is held"]
pub struct AreaGuard<G = AnyGame> {
    needs: Arc<Needs>,
    area: Area,
    of: PhantomData<G>,
}

impl<G> AreaGuard<G> {
    pub(crate) fn new(needs: &Arc<Needs>, area: Area) -> AreaGuard<G> {
        needs.add(area.index());
        AreaGuard { needs: Arc::clone(needs), area, of: PhantomData }
    }

    /// Returns the area.
    #[must_use]
    pub fn area(&self) -> Area<G> {
        self.area.of_game()
    }
}

impl<G> Drop for AreaGuard<G> {
    fn drop(&mut self) {
        self.needs.remove(self.area.index());
    }
}

impl<G> fmt::Debug for AreaGuard<G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "AreaGuard({:?})", self.area())
    }
}

/// Something that the game has to do about an area.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum AreaChange<G = AnyGame> {
    /// Load it, then [`recall`](crate::Play::recall) it. If loading fails, do not recall it: it keeps what it has, and
    /// is asked for again.
    Load(Area<G>),
    /// [`Put it by`](crate::Play::put_by), then unload it.
    Unload(Area<G>),
}

impl<G> OfGame<G> for AreaChange {
    type Of = AreaChange<G>;
    fn of_game(self) -> AreaChange<G> {
        match self {
            AreaChange::Load(area) => AreaChange::Load(area.of_game()),
            AreaChange::Unload(area) => AreaChange::Unload(area.of_game()),
        }
    }
}
