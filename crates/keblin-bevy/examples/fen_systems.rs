//! The Fen Post as a game made of systems, without a window: a menu, a route, a splash, a gate that stays as it was left.
//! Run it twice: the second time it goes on where it was.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "an example prints, and needs a folder")]

use std::time::Duration;

use bevy_app::{App, AppExit, First, Update};
use bevy_ecs::prelude::*;
use keblin::progress::Signal;
use keblin::{Carry, ObjectId, Phase, SaveDir, Time, WorldObject};
use keblin_bevy::{
    AppCarries, AppWorldObjects, AreaNeed, FrameTime, Happens, InArea, InLevel, KeblinPlugin, KeblinSet,
    Kept, LevelEntered, LoadArea, Recalled, SaveDone, Tied, Told, progress_changed,
};

keblin::schema!(fen_post, "../../demo/progress.toml");
use fen_post::{Event, Game, Notice, areas, checkpoints, fields, levels};

/// The player's punt: its members are values that are saved.
#[derive(Carry)]
#[carry(fen_post)]
struct Punt {
    oil: i64,
    letters: i64,
}

/// A sluice gate in the western fen.
#[derive(Component, WorldObject)]
#[world(fen_post::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    speed: f64,
}

/// A bed of reeds: once it is cut, it is gone.
#[derive(Component, WorldObject)]
#[world(fen_post::kinds::reed_bed)]
struct ReedBed {
    #[world(id)]
    id: ObjectId,
}

/// A lamp on the water.
#[derive(Component, WorldObject)]
#[world(fen_post::kinds::lamp)]
struct Lamp {
    #[world(id)]
    id: ObjectId,
    left: Time,
}

/// Reeds that grow again whenever their route is entered.
#[derive(Component)]
struct Reed;

/// Frames since the program began, and since the player fell in.
#[derive(Resource, Default)]
struct Frames {
    all: u32,
    down: u32,
}

/// How often the score was drawn.
#[derive(Resource, Default)]
struct Drawn(u32);

const FRAME: Duration = Duration::from_micros(16_667);

/// The engine's clock.
fn clock(mut time: ResMut<'_, FrameTime>, mut frames: ResMut<'_, Frames>) {
    time.0 = FRAME;
    frames.all += 1;
}

/// The title and the map: continues a run, or begins one, and takes the first route that is open and not finished.
fn menu(kept: Res<'_, Kept<Game>>, mut happens: MessageWriter<'_, Happens<Game>>) {
    match kept.phase() {
        Phase::Title if kept.resume_point().is_some() => _ = happens.write(Happens(Event::Resume)),
        Phase::Title => {
            happens.write(Happens(Event::Begin { difficulty: None, replacing: false }));
        }
        Phase::Map => {
            let cards = kept.level_cards(None);
            let next = cards.iter().find(|card| card.open && !card.facts.finished);
            next.into_iter().for_each(|card| _ = happens.write(Happens(Event::Enter(card.level))));
        }
        _ => {}
    }
}

/// What a route has.
fn build(entered: On<'_, '_, LevelEntered<Game>>, mut commands: Commands<'_, '_>, kept: Res<'_, Kept<Game>>) {
    let reeds = if entered.event().level == Some(levels::REEDGATE) { 3 } else { 5 };
    commands.spawn_batch((0..reeds).map(|_| (Reed, InLevel)));
    let punt = Tied::new(&kept, Punt { oil: 0, letters: 0 });
    commands.spawn((punt, AreaNeed::new(&kept, areas::WEST), InLevel));
    println!("{}: {reeds} reeds", entered.event().level.map_or("nowhere", |level| level.id()));
}

/// What the western fen has as its level makes it.
fn load(area: On<'_, '_, LoadArea<Game>>, mut commands: Commands<'_, '_>) {
    let gate = Gate { id: ObjectId::authored(1), opened: 0.0, speed: 5.0 };
    let at = area.event().0;
    commands.spawn((gate, InArea(at)));
    commands.spawn_batch((1..4).map(move |bed| (ReedBed { id: ObjectId::authored(bed) }, InArea(at))));
    commands.spawn((Lamp { id: ObjectId::authored(1), left: Time::from_millis(90_000) }, InArea(at)));
}

/// A gate stands again, with all its values.
fn creak(recalled: On<'_, '_, Recalled>, gates: Query<'_, '_, &Gate>) {
    if let Ok(gate) = gates.get(recalled.event().entity) {
        println!("the gate stands {} % open", gate.opened.round());
    }
}

/// The punt finds letters, burns oil, and opens the gate: each system changes its own components.
fn row(
    mut punts: Query<'_, '_, &mut Tied<Punt>>,
    mut gates: Query<'_, '_, &mut Gate>,
    mut lamps: Query<'_, '_, &mut Lamp>,
    beds: Query<'_, '_, (Entity, &ReedBed)>,
    mut commands: Commands<'_, '_>,
    frames: Res<'_, Frames>,
    kept: Res<'_, Kept<Game>>,
) {
    if kept.phase() != Phase::Playing {
        return;
    }
    for mut punt in &mut punts {
        if frames.all.is_multiple_of(20) {
            punt.letters += 1;
            punt.oil -= 2;
        }
    }
    for mut gate in &mut gates {
        gate.opened = (gate.opened + gate.speed * FRAME.as_secs_f64()).min(100.0);
    }
    for mut lamp in &mut lamps {
        lamp.left -= FRAME.into();
    }
    // The punt cuts the second bed.
    for (entity, _) in beds.iter().filter(|(_, bed)| frames.all == 35 && bed.id == ObjectId::authored(2)) {
        commands.entity(entity).despawn();
    }
}

/// Feeds the signals in every frame.
fn sense(frames: Res<'_, Frames>, kept: Res<'_, Kept<Game>>, mut happens: MessageWriter<'_, Happens<Game>>) {
    let mut feed = |signal, on| {
        let _ = happens.write(Happens(Event::Feed(signal, on)));
    };
    if kept.level() == Some(levels::REEDGATE) {
        feed(Signal::Reach(checkpoints::reedgate::OSIER), (20..30).contains(&frames.all));
        feed(Signal::Death, (40..58).contains(&frames.all));
        feed(Signal::Finish, (100..120).contains(&frames.all));
    }
}

/// Under water: after a while the player is back in the punt.
fn down(
    mut frames: ResMut<'_, Frames>,
    kept: Res<'_, Kept<Game>>,
    mut happens: MessageWriter<'_, Happens<Game>>,
) {
    frames.down = if kept.phase() == Phase::Down { frames.down + 1 } else { 0 };
    if frames.down == 20 {
        happens.write(Happens(Event::Respawn));
    }
}

/// Sounds and effects.
fn react(mut told: MessageReader<'_, '_, Told<Game>>) {
    for Told(notice) in told.read() {
        match notice {
            Notice::LifeLost { left, .. } => println!("splash, {} boats left", left.unwrap_or(0)),
            Notice::CheckpointReached(checkpoint) => println!("moored at {}", checkpoint.id()),
            Notice::Finished { .. } | Notice::Opened { .. } => {
                println!("{}", notice.text(fen_post::schema()))
            }
            _ => {}
        }
    }
}

/// Draws the score only when something has changed.
fn draw(mut drawn: ResMut<'_, Drawn>) {
    drawn.0 += 1;
}

fn quit(frames: Res<'_, Frames>, mut exits: MessageWriter<'_, AppExit>) {
    if frames.all == 240 {
        exits.write(AppExit::Success);
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).map_or("fen_systems_saves".into(), std::path::PathBuf::from);
    let keeper = fen_post::Keeper::open(&SaveDir::at(folder).slot("systems")?)?;
    let mut app = App::new();
    app.add_plugins(KeblinPlugin::new(keeper)).init_resource::<Frames>().init_resource::<Drawn>();
    app.tie::<Game, Punt>();
    app.keep_objects::<Game, Gate>().keep_objects::<Game, ReedBed>().keep_objects::<Game, Lamp>();
    app.add_observer(build).add_observer(load).add_observer(creak);
    app.add_systems(First, clock.before(KeblinSet::Change));
    app.add_systems(Update, (menu, row, sense, down, react, quit));
    app.add_systems(Update, draw.run_if(progress_changed::<Game>));
    while app.should_exit().is_none() {
        app.update();
    }
    let saved = app
        .world()
        .resource::<Messages<SaveDone>>()
        .iter_current_update_messages()
        .all(|SaveDone(saved)| saved.is_ok());
    let drawn = app.world().resource::<Drawn>().0;
    let beds = app.world_mut().query::<&ReedBed>().iter(app.world()).count();
    let kept = app.world().resource::<Kept<Game>>();
    let (letters, oil) = (kept.get(fields::LETTERS), kept.get(fields::OIL));
    println!("letters {letters}, oil {oil}, {beds} reed beds, saved: {saved}");
    println!("drawn {drawn}");
    Ok(())
}
