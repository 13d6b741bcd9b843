//! Structs of the game that are tied to fields, as components: written to the fields before events, read back after
//! them.

use std::ops::{Deref, DerefMut};

use bevy_app::{App, Last};
use bevy_ecs::change_detection::DetectChangesMut;
use bevy_ecs::prelude::{Component, Query, Res, ResMut};
use bevy_ecs::schedule::IntoScheduleConfigs;
use keblin::{Carried, Carry, Game};

use crate::{KeblinSet, Kept};

/// A struct that derives [`Carry`], as a component. It dereferences to the struct.
#[derive(Component, Clone, Debug)]
pub struct Tied<C: Send + Sync + 'static>(Carried<C>);

impl<C: Send + Sync + 'static> Tied<C> {
    /// Returns the component. Its members are read at once, whatever values they had.
    pub fn new<G: Game>(kept: &Kept<G>, own: C) -> Tied<C>
    where
        C: Carry<G>,
    {
        Tied(kept.carry(own))
    }
}

impl<C: Send + Sync + 'static> Deref for Tied<C> {
    type Target = C;
    fn deref(&self) -> &C {
        &self.0
    }
}

impl<C: Send + Sync + 'static> DerefMut for Tied<C> {
    fn deref_mut(&mut self) -> &mut C {
        &mut self.0
    }
}

/// Ties components of a type.
pub trait AppCarries {
    /// Ties every component [`Tied<C>`] to its fields. Tie only one entity to a field: of several, the last one that changed it
    /// is kept.
    fn tie<G: Game, C: Carry<G> + Send + Sync + 'static>(&mut self) -> &mut App;
}

impl AppCarries for App {
    fn tie<G: Game, C: Carry<G> + Send + Sync + 'static>(&mut self) -> &mut App {
        self.add_systems(Last, hand_over::<G, C>.in_set(KeblinSet::HandOver));
        self.add_systems(Last, pick_up::<G, C>.in_set(KeblinSet::PickUp))
    }
}

fn hand_over<G: Game, C: Carry<G> + Send + Sync + 'static>(
    mut kept: ResMut<'_, Kept<G>>,
    mut tied: Query<'_, '_, &mut Tied<C>>,
) {
    for mut tied in &mut tied {
        // Its own values come back to it, which nobody needs to see as a change.
        drop(kept.with(&mut tied.bypass_change_detection().0));
    }
}

fn pick_up<G: Game, C: Carry<G> + Send + Sync + 'static>(
    kept: Res<'_, Kept<G>>,
    mut tied: Query<'_, '_, &mut Tied<C>>,
    mut seen: bevy_ecs::prelude::Local<'_, Option<u64>>,
) {
    if *seen == Some(kept.revision()) {
        return;
    }
    *seen = Some(kept.revision());
    for mut tied in &mut tied {
        kept.pick_up(&mut tied.0);
    }
}
