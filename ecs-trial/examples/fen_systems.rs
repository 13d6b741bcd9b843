//! The Fen Post as a game built from systems, without a window. Systems queue events, one system applies them at the
//! end of the frame, others read the notices, and levels change at a safe point.

#![expect(clippy::print_stdout, clippy::disallowed_methods, reason = "an example prints, and needs a folder")]

use std::time::Duration;

use bevy_app::{App, First, Last, Update};
use bevy_ecs::prelude::*;
use keblin::SaveDir;
use keblin::progress::Signal;

keblin::schema!(fen_post, "../demo/progress.toml");
use fen_post::{checkpoints, difficulties, fields, levels};

/// The keeper, as a resource that systems read.
#[derive(Resource)]
struct Kept(fen_post::Keeper);

/// An event, for the one system that applies it.
#[derive(Message)]
struct Happens(fen_post::Event);

/// A notice, passed on to systems.
#[derive(Message, Clone)]
struct Told(fen_post::Notice);

/// An entity that belongs to a level and is removed with it.
#[derive(Component)]
struct Reed;

/// The position of the punt on its route, and what a frame does to it.
#[derive(Resource, Default)]
struct Frame(u32);

/// What the score display shows, and how often it was drawn.
#[derive(Resource, Default)]
struct Display {
    drawn: u32,
    seen: Option<u64>,
}

const FRAME: Duration = Duration::from_micros(16_667);

/// The player's input, at the title and on the map.
fn choose(frame: Res<'_, Frame>, mut happens: MessageWriter<'_, Happens>) {
    let event = match frame.0 {
        1 => fen_post::Event::Begin { difficulty: Some(difficulties::NEAP), replacing: true },
        2 => fen_post::Event::Enter(levels::REEDGATE),
        60 => fen_post::Event::Respawn,
        130 => fen_post::Event::Enter(levels::LONG_MERE),
        _ => return,
    };
    happens.write(Happens(event));
}

/// The punt finds letters.
fn deliver(frame: Res<'_, Frame>, mut happens: MessageWriter<'_, Happens>) {
    if matches!(frame.0, 10 | 12 | 14 | 90) {
        happens.write(Happens(fen_post::Event::add(fields::LETTERS, 2)));
        happens.write(Happens(fen_post::Event::add(fields::OIL, -5)));
    }
}

/// Feeds the signals in every frame.
fn sense(frame: Res<'_, Frame>, mut happens: MessageWriter<'_, Happens>) {
    let mut feed = |signal, on| {
        let _ = happens.write(Happens(fen_post::Event::Feed(signal, on)));
    };
    feed(Signal::Reach(checkpoints::reedgate::OSIER), (20..30).contains(&frame.0));
    feed(Signal::Death, (40..58).contains(&frame.0));
    feed(Signal::Finish, (100..120).contains(&frame.0));
}

/// The one place where progress changes: after every other system. It ends the frame, which passes a due save to the
/// writer, and passes on the notices.
fn apply(
    mut kept: ResMut<'_, Kept>,
    mut happens: MessageReader<'_, '_, Happens>,
    mut told: MessageWriter<'_, Told>,
) {
    for Happens(event) in happens.read() {
        if let Err(refused) = kept.0.apply(event) {
            println!("{refused}");
        }
    }
    kept.0.tick(FRAME);
    told.write_batch(kept.0.drain_notices().map(Told));
}

/// The level changes at the start of a frame, when no system is working with the old one.
fn change_level(
    mut told: MessageReader<'_, '_, Told>,
    old: Query<'_, '_, Entity, With<Reed>>,
    mut commands: Commands<'_, '_>,
) {
    for Told(notice) in told.read() {
        if let fen_post::Notice::Entered { level: Some(level), .. } = notice {
            old.iter().for_each(|reed| commands.entity(reed).despawn());
            let reeds = match *level {
                levels::REEDGATE => 3,
                _ => 5,
            };
            commands.spawn_batch((0..reeds).map(|_| Reed));
            println!("{} stands, with {reeds} reeds", level.id());
        }
    }
}

/// Sounds and effects.
fn react(mut told: MessageReader<'_, '_, Told>) {
    for Told(notice) in told.read() {
        match notice {
            fen_post::Notice::LifeLost { left, .. } => println!("splash, {} boats left", left.unwrap_or(0)),
            fen_post::Notice::CheckpointReached(checkpoint) => println!("moored at {}", checkpoint.id()),
            fen_post::Notice::Finished { .. } | fen_post::Notice::Opened { .. } => {
                println!("{}", notice.text(fen_post::schema()));
            }
            _ => {}
        }
    }
}

/// Draws the score only when something has changed.
fn draw(kept: Res<'_, Kept>, mut display: ResMut<'_, Display>) {
    if display.seen != Some(kept.0.revision()) {
        display.seen = Some(kept.0.revision());
        display.drawn += 1;
    }
}

fn count(mut frame: ResMut<'_, Frame>) {
    frame.0 += 1;
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).map_or("fen_systems_saves".into(), std::path::PathBuf::from);
    let kept = fen_post::Keeper::open(&SaveDir::at(folder).slot("systems")?)?;
    let mut app = App::new();
    app.insert_resource(Kept(kept)).init_resource::<Frame>().init_resource::<Display>();
    app.add_message::<Happens>().add_message::<Told>();
    app.add_systems(First, (count, change_level).chain());
    app.add_systems(Update, (choose, deliver, sense, react, draw));
    app.add_systems(Last, apply);
    for _ in 0..240 {
        app.update();
    }
    let reeds = app.world_mut().query::<&Reed>().iter(app.world()).count();
    let drawn = app.world().resource::<Display>().drawn;
    let Some(Kept(game)) = app.world_mut().remove_resource::<Kept>() else { return Ok(()) };
    println!(
        "letters {}, oil {}, {reeds} reeds, drawn {drawn} times of 240",
        game.get(fields::LETTERS),
        game.get(fields::OIL)
    );
    game.close()?;
    Ok(())
}
