//! Levels change at the start of a frame, when no system works with the old one.

use bevy_ecs::prelude::{Component, Entity, Event, Mut, Resource, With, World};
use keblin::progress::Arrival;
use keblin::{Game, Level, Notice, Phase};

use crate::Kept;

/// Marks an entity of a level: it is despawned when the level is left, entered anew, or changed for another one.
#[derive(Component, Clone, Copy, Debug, Default)]
pub struct InLevel;

/// A level was entered, restarted or resumed: spawn what is in it, with [`InLevel`]. Triggered for observers, after the
/// entities of the old level are gone.
#[derive(Event, Clone, Debug)]
pub struct LevelEntered<G: Game> {
    /// The level; `None` in a game without levels.
    pub level: Option<Level<G>>,
    /// How it came to be played.
    pub arrival: Arrival,
}

/// The player is in no level any more: show the map or the title. Triggered for observers, after the entities of the old
/// level are gone.
#[derive(Event, Clone, Debug)]
pub struct LevelLeft;

/// What the game has built.
#[derive(Resource)]
pub(crate) struct Now<G: Game> {
    /// Whether the entities of a level stand.
    is_built: bool,
    /// The last arrival that was not built yet.
    entered: Option<LevelEntered<G>>,
}

impl<G: Game> Default for Now<G> {
    fn default() -> Now<G> {
        Now { is_built: false, entered: None }
    }
}

pub(crate) fn note<G: Game>(now: &mut Now<G>, notices: &[Notice<G>]) {
    for notice in notices {
        if let Notice::Entered { level, arrival } = notice {
            now.entered = Some(LevelEntered { level: *level, arrival: *arrival });
        }
    }
}

/// Builds the level that was entered, or takes down the one that was left.
pub(crate) fn change<G: Game>(world: &mut World) {
    let is_played = matches!(world.resource::<Kept<G>>().phase(), Phase::Playing | Phase::Down);
    let (entered, was_left) = {
        let mut now: Mut<'_, Now<G>> = world.resource_mut();
        let entered = now.entered.take().filter(|_| is_played);
        let was_left = now.is_built && !is_played;
        now.is_built = is_played && (now.is_built || entered.is_some());
        (entered, was_left)
    };
    if entered.is_none() && !was_left {
        return;
    }
    let old: Vec<Entity> = world.query_filtered::<Entity, With<InLevel>>().iter(world).collect();
    for entity in old {
        // It may have gone with its parent.
        let _ = world.try_despawn(entity);
    }
    match entered {
        Some(entered) => world.trigger(entered),
        None => world.trigger(LevelLeft),
    }
}
