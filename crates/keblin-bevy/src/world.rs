//! Areas of the world, and objects as entities: loaded and recalled, put by and unloaded at the start of a frame.

use std::marker::PhantomData;

use bevy_app::App;
use bevy_ecs::component::Mutable;
use bevy_ecs::prelude::{Component, Entity, EntityEvent, Event, Mut, Resource, World};
use keblin::world::{AreaChange, AreaGuard, AreaIn, AreaOut, Objects, WorldError};
use keblin::{Area, Game, ObjectId, WorldObject};

use crate::Kept;

/// The area that an object is in. Every entity of an area has it, and is despawned when the area is unloaded.
#[derive(Component, Debug)]
pub struct InArea<G: Game>(pub Area<G>);

/// Keeps an area loaded for as long as its entity lives: a player, a door, a camera.
#[derive(Component, Debug)]
pub struct AreaNeed<G: Game>(AreaGuard<G>);

impl<G: Game> AreaNeed<G> {
    /// Returns the component.
    pub fn new(kept: &Kept<G>, area: Area<G>) -> AreaNeed<G> {
        AreaNeed(kept.need(area))
    }

    /// Returns the area.
    #[must_use]
    pub fn area(&self) -> Area<G> {
        self.0.area()
    }
}

/// An area is needed: spawn its objects as the level makes them, with [`InArea`]. Triggered for observers; after them the
/// objects get their values back.
#[derive(Event, Debug)]
pub struct LoadArea<G: Game>(pub Area<G>);

/// An area is about to be unloaded. Triggered for observers after its objects were put by, before they are despawned.
#[derive(Event, Debug)]
pub struct UnloadArea<G: Game>(pub Area<G>);

/// An area could not be recalled or put by. It keeps what it has.
#[derive(Event, Debug)]
pub struct AreaFailed<G: Game> {
    /// The area.
    pub area: Area<G>,
    /// Why.
    pub why: WorldError,
}

/// An object was recalled, with all values in place: set up what follows from them, such as children. Triggered for
/// observers, after [`WorldObject::rebuild`].
#[derive(EntityEvent, Debug)]
pub struct Recalled {
    /// Its entity.
    pub entity: Entity,
}

/// Passes the objects of one kind out of the entities, and back into them.
struct KindOf<G: Game> {
    out: fn(&mut World, Area<G>, &mut AreaOut<'_, G>),
    into: fn(&mut World, Area<G>, &mut AreaIn<'_, G>),
}

/// The kinds of objects that the game has as components.
#[derive(Resource)]
pub(crate) struct Kinds<G: Game>(Vec<KindOf<G>>);

impl<G: Game> Default for Kinds<G> {
    fn default() -> Kinds<G> {
        Kinds(Vec::new())
    }
}

/// Keeps components of a kind.
pub trait AppWorldObjects {
    /// Keeps every component of a kind: recalls it after [`LoadArea`], and puts it by before [`UnloadArea`]. Add all kinds
    /// that are declared.
    fn keep_objects<G: Game, T: WorldObject<G> + Component<Mutability = Mutable>>(&mut self) -> &mut App;
}

impl AppWorldObjects for App {
    fn keep_objects<G: Game, T: WorldObject<G> + Component<Mutability = Mutable>>(&mut self) -> &mut App {
        let kind = KindOf { out: out::<G, T>, into: into::<G, T> };
        self.world_mut().resource_mut::<Kinds<G>>().0.push(kind);
        self
    }
}

fn out<G: Game, T: WorldObject<G> + Component<Mutability = Mutable>>(
    world: &mut World,
    area: Area<G>,
    to: &mut AreaOut<'_, G>,
) {
    let mut query = world.query::<(&T, &InArea<G>)>();
    to.objects(query.iter(world).filter(|(_, at)| at.0 == area).map(|(object, _)| object));
}

fn into<G: Game, T: WorldObject<G> + Component<Mutability = Mutable>>(
    world: &mut World,
    area: Area<G>,
    from: &mut AreaIn<'_, G>,
) {
    from.objects(&mut Entities { world, area, of: PhantomData::<T> });
}

/// The entities of one kind in one area, as a collection.
struct Entities<'w, G: Game, T> {
    world: &'w mut World,
    area: Area<G>,
    of: PhantomData<T>,
}

impl<G: Game, T: Component<Mutability = Mutable>> Objects<T> for Entities<'_, G, T> {
    fn retain_objects(&mut self, mut keep: impl FnMut(&mut T) -> bool) {
        let mut gone = Vec::new();
        let mut query = self.world.query::<(Entity, &mut T, &InArea<G>)>();
        for (entity, mut object, at) in query.iter_mut(self.world) {
            if at.0 == self.area && !keep(&mut object) {
                gone.push(entity);
            }
        }
        for entity in gone {
            let _ = self.world.try_despawn(entity);
        }
    }

    fn add_object(&mut self, _id: ObjectId, object: T) {
        self.world.spawn((object, InArea(self.area)));
    }
}

/// Loads and unloads what has to be, in an order that cannot lose anything.
pub(crate) fn change<G: Game>(world: &mut World) {
    let changes = world.resource::<Kept<G>>().area_changes();
    for change in changes {
        match change {
            AreaChange::Load(area) => load(world, area),
            AreaChange::Unload(area) => unload(world, area),
            _ => {}
        }
    }
}

fn load<G: Game>(world: &mut World, area: Area<G>) {
    world.trigger(LoadArea(area));
    let recalled = with_kinds(world, |world, kept, kinds| {
        kept.recall(area, |from| kinds.0.iter().for_each(|kind| (kind.into)(world, area, from)))
    });
    if let Err(why) = recalled {
        // It is asked for again, so what was made would stand twice.
        despawn(world, area);
        world.trigger(AreaFailed { area, why });
        return;
    }
    for entity in entities(world, area) {
        world.trigger(Recalled { entity });
    }
}

fn unload<G: Game>(world: &mut World, area: Area<G>) {
    let put_by = with_kinds(world, |world, kept, kinds| {
        kept.put_by(area, |to| kinds.0.iter().for_each(|kind| (kind.out)(world, area, to)))
    });
    match put_by {
        Ok(()) => {
            world.trigger(UnloadArea(area));
            despawn(world, area);
        }
        Err(why) => world.trigger(AreaFailed { area, why }),
    }
}

/// Records the objects of all loaded areas.
pub(crate) fn record<G: Game>(world: &mut World, kept: &mut Kept<G>) {
    for area in kept.loaded_areas() {
        let recorded = world.resource_scope(|world, kinds: Mut<'_, Kinds<G>>| {
            kept.record_area(area, |to| kinds.0.iter().for_each(|kind| (kind.out)(world, area, to)))
        });
        if let Err(why) = recorded {
            world.trigger(AreaFailed { area, why });
        }
    }
}

fn with_kinds<G: Game, T>(
    world: &mut World,
    does: impl FnOnce(&mut World, &mut Kept<G>, &Kinds<G>) -> T,
) -> T {
    world.resource_scope(|world, mut kept: Mut<'_, Kept<G>>| {
        world.resource_scope(|world, kinds: Mut<'_, Kinds<G>>| does(world, &mut kept, &kinds))
    })
}

fn entities<G: Game>(world: &mut World, area: Area<G>) -> Vec<Entity> {
    let mut query = world.query::<(Entity, &InArea<G>)>();
    query.iter(world).filter(|(_, at)| at.0 == area).map(|(entity, _)| entity).collect()
}

fn despawn<G: Game>(world: &mut World, area: Area<G>) {
    for entity in entities(world, area) {
        let _ = world.try_despawn(entity);
    }
}
