//! What the plug-in promises, in an app without a window.

#![expect(
    clippy::unwrap_used,
    clippy::disallowed_methods,
    reason = "a test may fail loudly, and reads the saves it is about"
)]

use std::process::Command;
use std::time::Duration;

use bevy_app::{App, AppExit, Update};
use bevy_ecs::prelude::*;
use keblin::{Carry, Phase, SaveDir};
use keblin_bevy::{
    AppCarries, Declined, FrameTime, Happens, InLevel, KeblinPlugin, Kept, LevelEntered, LevelLeft, SaveDone,
    SaveNow, Tied, Told, progress_changed,
};

keblin::schema!(fen_post, "../../demo/progress.toml");
use fen_post::{Event, Game, Notice, checkpoints, difficulties, fields, levels};

mod objects;

const FRAME: Duration = Duration::from_micros(16_667);

/// An app with the plug-in, and the folder of its saves.
struct Playing {
    app: App,
    folder: tempfile::TempDir,
}

/// Every notice that two readers got.
#[derive(Resource, Default)]
struct Heard([Vec<Notice>; 2]);

impl Playing {
    fn new() -> Playing {
        let folder = tempfile::tempdir().unwrap();
        Playing { app: opened(&folder), folder }
    }

    fn reopened(self) -> Playing {
        let Playing { app, folder } = self;
        drop(app);
        Playing { app: opened(&folder), folder }
    }

    fn frame(&mut self, events: impl IntoIterator<Item = Event>) {
        self.app.world_mut().write_message_batch(events.into_iter().map(Happens::<Game>));
        self.app.world_mut().resource_mut::<FrameTime>().0 = FRAME;
        self.app.update();
    }

    fn kept(&self) -> &Kept<Game> {
        self.app.world().resource()
    }

    fn count<C: Component>(&mut self) -> usize {
        let world = self.app.world_mut();
        world.query::<&C>().iter(world).count()
    }

    /// Begins a run and enters the first route.
    fn begin(&mut self) {
        self.frame([Event::Begin { difficulty: None, replacing: false }, Event::Enter(levels::REEDGATE)]);
        self.frame([]);
    }
}

fn opened(folder: &tempfile::TempDir) -> App {
    let keeper = fen_post::Keeper::open(&SaveDir::at(folder.path()).slot("one").unwrap()).unwrap();
    let mut app = App::new();
    app.add_plugins(KeblinPlugin::new(keeper)).init_resource::<Heard>();
    fn hear<const READER: usize>(mut told: MessageReader<'_, '_, Told<Game>>, mut heard: ResMut<'_, Heard>) {
        heard.0.get_mut(READER).unwrap().extend(told.read().map(|Told(notice)| notice.clone()));
    }
    app.add_systems(Update, (hear::<0>, hear::<1>));
    app
}

#[test]
fn the_example_plays_goes_on_where_it_was_and_loses_nothing() {
    let test = std::env::current_exe().unwrap();
    let example = test.parent().and_then(|deps| deps.parent()).unwrap().join("examples/fen_systems");
    let folder = tempfile::tempdir().unwrap();
    let run = || {
        let output = Command::new(&example).arg(folder.path()).output().unwrap();
        assert!(output.status.success(), "{output:?}");
        String::from_utf8(output.stdout).unwrap()
    };
    let lines = |text: &str| text.lines().map(str::to_string).collect::<Vec<_>>();
    let mut first = lines(&run());
    // A save that was written is a change too, and the disk decides when.
    let drawn = first.pop().and_then(|line| line.strip_prefix("drawn ")?.parse::<u32>().ok());
    assert!(drawn.is_some_and(|drawn| (20..140).contains(&drawn)), "of 240 frames: {drawn:?}");
    assert_eq!(
        first,
        [
            "reedgate: 3 reeds",
            "the gate stands 0 % open",
            "moored at osier",
            "the gate stands 3 % open",
            "splash, 3 boats left",
            "finished reedgate, stars 0",
            "long_mere, neap opened",
            "long_mere: 5 reeds",
            "the gate stands 7 % open",
            "letters 11, oil 40, 2 reed beds, saved: true",
        ]
    );
    let again = lines(&run());
    assert_eq!(
        again.get(..2).unwrap(),
        ["long_mere: 5 reeds", "the gate stands 18 % open"],
        "the run goes on: {again:?}"
    );
}

/// A made-up player: what happens in a frame.
fn events_of(frame: u32) -> Vec<Event> {
    let mut some = vec![Event::add(fields::LETTERS, i64::from(frame % 3)), Event::add(fields::OIL, -1)];
    match frame % 97 {
        0 => some.push(Event::Begin {
            difficulty: Some(difficulties::SPRING),
            replacing: frame.is_multiple_of(5),
        }),
        3 => some.push(Event::Enter(levels::REEDGATE)),
        11 => some.push(Event::Reach(checkpoints::reedgate::OSIER)),
        30 => some.push(Event::Die),
        35 => some.push(Event::Respawn),
        60 => some.push(Event::Finish(Some(2))),
        70 => some.push(Event::Enter(levels::LANTERN_QUAY)),
        80 => some.push(Event::Leave),
        _ => {}
    }
    some
}

#[test]
fn ten_thousand_frames_are_as_the_same_events_on_a_keeper() {
    let mut playing = Playing::new();
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("one").unwrap();
    let mut plain = fen_post::Keeper::open(&slot).unwrap();
    let (mut notices, mut refusals) = (Vec::new(), 0);
    let mut declined = 0;
    for frame in 0..10_000 {
        playing.frame(events_of(frame));
        declined +=
            playing.app.world().resource::<Messages<Declined<Game>>>().iter_current_update_messages().count();
        refusals += events_of(frame).iter().filter(|event| plain.apply(event).is_err()).count();
        plain.tick(FRAME);
        notices.extend(plain.drain_notices());
    }
    // Readers get the notices of a frame in the next one.
    playing.frame([]);
    plain.tick(FRAME);
    assert_eq!(plain.snapshot().differences(&playing.kept().snapshot()), []);
    assert!(notices.len() > 300 && refusals > 100, "{} notices, {refusals} refusals", notices.len());
    assert_eq!(declined, refusals);
    for heard in &playing.app.world().resource::<Heard>().0 {
        assert_eq!(*heard, notices);
    }
}

#[test]
fn what_the_player_had_at_the_exit_is_there_the_next_time() {
    let mut playing = Playing::new();
    playing.begin();
    playing.frame([Event::add(fields::LETTERS, 7)]);
    playing.app.world_mut().write_message(AppExit::Success);
    playing.frame([]);
    let saved = playing.app.world().resource::<Messages<SaveDone>>();
    assert!(saved.iter_current_update_messages().all(|SaveDone(saved)| saved.is_ok()) && saved.len() == 1);
    // The keeper is not even closed: the process may end here.
    let bytes = std::fs::read(playing.folder.path().join("one.keblin")).unwrap();
    let save = keblin::verify::verify(&bytes, fen_post::schema()).unwrap();
    assert_eq!(save.head().cause, "suspend");
    let mut playing = playing.reopened();
    assert_eq!(playing.kept().get(fields::LETTERS), 7);
    playing.frame([Event::Resume]);
    assert_eq!(playing.kept().level(), Some(levels::REEDGATE));
}

#[test]
fn a_save_that_is_asked_for_is_on_the_disk_before_the_next_frame() {
    let mut playing = Playing::new();
    playing.begin();
    playing.frame([Event::add(fields::COPPERS, 5)]);
    playing.app.world_mut().write_message(SaveNow);
    playing.frame([]);
    let bytes = std::fs::read(playing.folder.path().join("one.keblin")).unwrap();
    let save = keblin::verify::verify(&bytes, fen_post::schema()).unwrap();
    assert_eq!(fen_post::Progress::restored(save.snapshot().clone()).get(fields::COPPERS), 125);
}

#[test]
fn a_system_that_redraws_runs_only_after_a_change() {
    #[derive(Resource, Default)]
    struct Drawn(u32);
    let mut playing = Playing::new();
    playing.app.init_resource::<Drawn>();
    let draw = |mut drawn: ResMut<'_, Drawn>| drawn.0 += 1;
    playing.app.add_systems(Update, draw.run_if(progress_changed::<Game>));
    for _ in 0..5 {
        playing.frame([]);
    }
    let before = playing.app.world().resource::<Drawn>().0;
    playing.frame([Event::add(fields::COPPERS, 1)]);
    for _ in 0..5 {
        playing.frame([]);
    }
    assert_eq!((before, playing.app.world().resource::<Drawn>().0), (1, 2));
}

/// The level that an entity was made for.
#[derive(Component)]
struct Of(keblin::Level<Game>);

#[test]
fn no_system_sees_the_entities_of_one_level_in_another() {
    #[derive(Resource, Default)]
    struct Seen {
        frames: u32,
        left: u32,
    }
    let mut playing = Playing::new();
    playing.app.init_resource::<Seen>();
    playing.app.add_observer(|entered: On<'_, '_, LevelEntered<Game>>, mut commands: Commands<'_, '_>| {
        let level = entered.event().level.unwrap();
        commands.spawn((Of(level), InLevel)).with_child((Of(level), InLevel));
    });
    playing.app.add_observer(|_: On<'_, '_, LevelLeft>, mut seen: ResMut<'_, Seen>| seen.left += 1);
    let check = |kept: Res<'_, Kept<Game>>, all: Query<'_, '_, &Of>, mut seen: ResMut<'_, Seen>| {
        let here = kept.level().filter(|_| matches!(kept.phase(), Phase::Playing | Phase::Down));
        assert_eq!(all.iter().count(), if here.is_some() { 2 } else { 0 });
        assert!(all.iter().all(|of| Some(of.0) == here));
        seen.frames += u32::from(here.is_some());
    };
    playing.app.add_systems(Update, check);
    for frame in 0..1_000 {
        playing.frame(events_of(frame));
    }
    let seen = playing.app.world().resource::<Seen>();
    assert!(seen.frames > 500 && seen.left > 5, "{} frames, left {} times", seen.frames, seen.left);
}

#[derive(Carry)]
#[carry(fen_post)]
struct Punt {
    oil: i64,
    letters: i64,
}

#[test]
fn a_tied_component_has_the_players_values_and_gives_them_to_events() {
    let mut playing = Playing::new();
    playing.app.tie::<Game, Punt>();
    playing.begin();
    let punt = Tied::new(playing.kept(), Punt { oil: 0, letters: 0 });
    let punt = playing.app.world_mut().spawn(punt).id();
    playing.frame([]);
    let oil = |playing: &Playing| playing.app.world().get::<Tied<Punt>>(punt).unwrap().oil;
    assert_eq!((oil(&playing), playing.kept().get(fields::OIL)), (60, 60), "not the zero of a new struct");
    playing.app.world_mut().get_mut::<Tied<Punt>>(punt).unwrap().oil -= 15;
    playing.frame([Event::Reach(checkpoints::reedgate::OSIER)]);
    playing.app.world_mut().get_mut::<Tied<Punt>>(punt).unwrap().oil -= 15;
    playing.frame([]);
    assert_eq!(playing.kept().get(fields::OIL), 30);
    playing.frame([Event::Die]);
    assert_eq!((oil(&playing), playing.kept().get(fields::OIL)), (45, 45), "as at the checkpoint");
    // Without a change nothing is written to the component, so that change detection is of use.
    let changed = |playing: &mut Playing| {
        let world = playing.app.world_mut();
        let tick = world.change_tick();
        playing.frame([]);
        let world = playing.app.world();
        world
            .entity(punt)
            .get_ref::<Tied<Punt>>()
            .unwrap()
            .last_changed()
            .is_newer_than(tick, world.read_change_tick())
    };
    playing.frame([Event::Respawn]);
    playing.frame([Event::Pause(true)]);
    playing.frame([]);
    assert!(!changed(&mut playing));
}
