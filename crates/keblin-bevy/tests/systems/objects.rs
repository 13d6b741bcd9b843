//! Objects of the world as entities.

use bevy_app::AppExit;
use bevy_ecs::prelude::*;
use keblin::{ObjectId, WorldObject};
use keblin_bevy::{AppWorldObjects, AreaFailed, AreaNeed, InArea, Kept, LoadArea, Recalled};

use crate::Playing;
use crate::fen_post::{self, Event, Game, areas, checkpoints};

#[derive(Component, WorldObject, Debug)]
#[world(fen_post::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    speed: f64,
}

#[derive(Component, WorldObject)]
#[world(fen_post::kinds::reed_bed)]
struct ReedBed {
    #[world(id)]
    id: ObjectId,
}

#[derive(Component, WorldObject)]
#[world(fen_post::kinds::lamp)]
struct Lamp {
    #[world(id)]
    id: ObjectId,
    left: keblin::Time,
}

/// What happened to areas and objects.
#[derive(Resource, Default)]
struct Happened {
    loaded: u32,
    recalled: u32,
    failed: Vec<String>,
}

fn with_world(mut playing: Playing, all_kinds: bool) -> Playing {
    let app = &mut playing.app;
    app.init_resource::<Happened>().keep_objects::<Game, Gate>().keep_objects::<Game, Lamp>();
    if all_kinds {
        app.keep_objects::<Game, ReedBed>();
    }
    app.add_observer(
        |area: On<'_, '_, LoadArea<Game>>,
         mut commands: Commands<'_, '_>,
         mut happened: ResMut<'_, Happened>| {
            let at = area.event().0;
            happened.loaded += 1;
            commands.spawn_batch(
                (1..=3).map(move |id| {
                    (Gate { id: ObjectId::authored(id), opened: 0.0, speed: 5.0 }, InArea(at))
                }),
            );
        },
    );
    app.add_observer(
        |recalled: On<'_, '_, Recalled>, gates: Query<'_, '_, &Gate>, mut happened: ResMut<'_, Happened>| {
            happened.recalled += u32::from(gates.get(recalled.event().entity).is_ok());
        },
    );
    app.add_observer(|failed: On<'_, '_, AreaFailed<Game>>, mut happened: ResMut<'_, Happened>| {
        happened.failed.push(failed.event().why.to_string());
    });
    playing
}

impl Playing {
    fn need(&mut self, area: keblin::Area<Game>) -> Entity {
        let need = AreaNeed::new(self.kept(), area);
        self.app.world_mut().spawn(need).id()
    }

    /// The gates with how far each is open, by id.
    fn gates(&mut self) -> Vec<(u64, f64)> {
        let world = self.app.world_mut();
        let mut gates: Vec<_> =
            world.query::<&Gate>().iter(world).map(|gate| (gate.id.number(), gate.opened)).collect();
        gates.sort_by_key(|(id, _)| *id);
        gates
    }
}

#[test]
fn objects_are_as_they_were_left_when_their_area_comes_back_and_after_the_program_ended() {
    let mut playing = with_world(Playing::new(), true);
    playing.begin();
    let need = playing.need(areas::WEST);
    playing.frame([]);
    assert_eq!(playing.gates(), [(1, 0.0), (2, 0.0), (3, 0.0)]);
    // One is opened, one is gone, one is made in play.
    let world = playing.app.world_mut();
    let all: Vec<(Entity, u64)> = world
        .query::<(Entity, &Gate)>()
        .iter(world)
        .map(|(entity, gate)| (entity, gate.id.number()))
        .collect();
    let entity = |id: u64| all.iter().find(|(_, held)| *held == id).unwrap().0;
    world.get_mut::<Gate>(entity(1)).unwrap().opened = 70.0;
    world.despawn(entity(2));
    let made = world.resource_mut::<Kept<Game>>().new_object();
    world.spawn((Gate { id: made, opened: 12.5, speed: 0.0 }, InArea(areas::WEST)));
    let left = [(1, 70.0), (3, 0.0), (made.number(), 12.5)];
    // The one who needed the area goes, and nobody else does.
    playing.app.world_mut().despawn(need);
    playing.frame([]);
    assert_eq!((playing.gates(), playing.count::<InArea<Game>>()), (vec![], 0));
    playing.need(areas::WEST);
    playing.frame([]);
    assert_eq!(playing.gates(), left);
    assert_eq!(playing.app.world().resource::<Happened>().recalled, 3 + 3);
    playing.app.world_mut().write_message(AppExit::Success);
    playing.frame([]);
    let mut playing = with_world(playing.reopened(), true);
    playing.frame([Event::Resume]);
    playing.need(areas::WEST);
    playing.frame([]);
    assert_eq!(playing.gates(), left);
}

#[test]
fn a_checkpoint_copies_the_objects_as_they_are_in_that_frame() {
    let mut playing = with_world(Playing::new(), true);
    playing.begin();
    playing.need(areas::WEST);
    playing.frame([]);
    let world = playing.app.world_mut();
    world.spawn((
        Lamp { id: ObjectId::authored(9), left: keblin::Time::from_millis(8_000) },
        InArea(areas::WEST),
    ));
    let lamp = |playing: &mut Playing, left: i64| {
        let world = playing.app.world_mut();
        world.query::<&mut Lamp>().single_mut(world).unwrap().left = keblin::Time::from_millis(left);
    };
    lamp(&mut playing, 6_000);
    playing.frame([Event::Reach(checkpoints::reedgate::OSIER)]);
    lamp(&mut playing, 1_000);
    playing.frame([Event::Die]);
    playing.frame([]);
    let world = playing.app.world_mut();
    assert_eq!(world.query::<&Lamp>().single(world).unwrap().left, keblin::Time::from_millis(6_000));
}

#[test]
fn a_save_has_the_objects_as_they_were_in_the_frame_that_made_it_due() {
    let mut playing = with_world(Playing::new(), true);
    playing.begin();
    playing.need(areas::WEST);
    playing.frame([]);
    let world = playing.app.world_mut();
    world.query::<&mut Gate>().iter_mut(world).for_each(|mut gate| gate.opened = 55.0);
    playing.frame([Event::Finish(None)]);
    while playing.kept().is_saving() {
        playing.frame([]);
    }
    // The program is killed.
    playing.app.world_mut().remove_resource::<Kept<Game>>().unwrap().into_inner().discard().unwrap();
    let mut playing = with_world(playing.reopened(), true);
    playing.need(areas::WEST);
    playing.frame([]);
    assert_eq!(playing.gates(), [(1, 55.0), (2, 55.0), (3, 55.0)]);
}

#[test]
fn a_kind_that_was_not_added_fails_the_area_and_loses_nothing() {
    let mut playing = with_world(Playing::new(), false);
    playing.begin();
    playing.need(areas::WEST);
    playing.frame([]);
    assert_eq!((playing.gates(), playing.kept().is_loaded(areas::WEST)), (vec![], false));
    let failed = playing.app.world().resource::<Happened>().failed.clone();
    assert!(failed.first().is_some_and(|why| why.contains("reed_bed")), "{failed:?}");
    assert!(
        playing.kept().area("area/west").is_none() && playing.app.world().resource::<Happened>().loaded > 0
    );
}
