//! The keeper as a resource, and events as messages. Events are applied in one place, in the order in which systems
//! wrote them.

use std::ops::{Deref, DerefMut};
use std::time::Duration;

use bevy_app::AppExit;
use bevy_ecs::message::{Message, MessageCursor, Messages};
use bevy_ecs::prelude::{Local, Mut, Res, Resource, World};
use keblin::progress::{Event, Signal};
use keblin::store::{SaveError, Saved};
use keblin::{Game, KeeperOf, Notice, Refused};

use crate::{levels, world};

/// The keeper of a game. Systems read it from `Res<Kept<Game>>`, also many at the same time.
#[derive(Resource, Debug)]
pub struct Kept<G: Game>(KeeperOf<G>);

impl<G: Game> Kept<G> {
    pub(crate) fn new(keeper: KeeperOf<G>) -> Kept<G> {
        Kept(keeper)
    }

    /// Returns the keeper, to close it or to give up its slot.
    #[must_use]
    pub fn into_inner(self) -> KeeperOf<G> {
        self.0
    }
}

impl<G: Game> Deref for Kept<G> {
    type Target = KeeperOf<G>;
    fn deref(&self) -> &KeeperOf<G> {
        &self.0
    }
}

/// For calls whose result is needed at once. Do not call `tick` and do not drain notices: the plug-in does both.
impl<G: Game> DerefMut for Kept<G> {
    fn deref_mut(&mut self) -> &mut KeeperOf<G> {
        &mut self.0
    }
}

/// An event, to be applied at the end of the frame.
#[derive(Message, Clone, Debug)]
pub struct Happens<G: Game>(pub Event<G>);

/// A notice, for every system that wants to know. Each is written once, at the end of the frame.
#[derive(Message, Clone, Debug)]
pub struct Told<G: Game>(pub Notice<G>);

/// An event that was refused, and why. Nothing has changed.
#[derive(Message, Clone, Debug)]
pub struct Declined<G: Game> {
    /// The event.
    pub event: Event<G>,
    /// Why.
    pub why: Refused,
}

/// Asks for a save at the end of the frame that is on the disk before the next one, because the game goes to the
/// background or the player wants it. When the app exits, the plug-in saves by itself.
#[derive(Message, Clone, Copy, Debug, Default)]
pub struct SaveNow;

/// The result of [`SaveNow`], or of the save when the app exits.
#[derive(Message, Debug)]
pub struct SaveDone(pub Result<Option<Saved>, SaveError>);

/// How long the frame took. Set it from your engine's clock before [`Last`](bevy_app::Last); the time of a frame counts once.
#[derive(Resource, Clone, Copy, Debug, Default)]
pub struct FrameTime(pub Duration);

/// Returns whether progress has changed since this system last ran: a run condition for systems that redraw.
pub fn progress_changed<G: Game>(kept: Res<'_, Kept<G>>, mut seen: Local<'_, Option<u64>>) -> bool {
    let revision = Some(kept.revision());
    let has_changed = *seen != revision;
    *seen = revision;
    has_changed
}

/// The one place where progress changes.
pub(crate) fn apply<G: Game>(world: &mut World, mut exits: Local<'_, MessageCursor<AppExit>>) {
    let events: Vec<Event<G>> = drained::<Happens<G>>(world).map(|Happens(event)| event).collect();
    let is_exit =
        world.get_resource::<Messages<AppExit>>().is_some_and(|messages| exits.read(messages).count() > 0);
    let must_save = drained::<SaveNow>(world).count() > 0 || is_exit;
    let elapsed = std::mem::take(&mut world.resource_mut::<FrameTime>().0);
    world.resource_scope(|world, mut kept: Mut<'_, Kept<G>>| {
        let mut declined = Vec::new();
        // No system changes an object meanwhile, so once a frame is enough.
        let mut is_recorded = false;
        for event in events {
            if copies(&event) && !std::mem::replace(&mut is_recorded, true) {
                world::record(world, &mut kept);
            }
            if let Err(why) = kept.apply(&event) {
                declined.push(Declined { event, why });
            }
        }
        if (must_save || kept.will_save(elapsed)) && !is_recorded {
            world::record(world, &mut kept);
        }
        kept.tick(elapsed);
        let saved = must_save.then(|| kept.suspend());
        let notices: Vec<Notice<G>> = kept.drain_notices().collect();
        levels::note(&mut world.resource_mut::<levels::Now<G>>(), &notices);
        world.write_message_batch(declined);
        world.write_message_batch(notices.into_iter().map(Told));
        world.write_message_batch(saved.map(SaveDone));
    });
}

/// Returns whether an event copies the objects as they are now: an arrival, and a checkpoint.
fn copies<G: Game>(event: &Event<G>) -> bool {
    match event {
        Event::Enter(_) | Event::Retry | Event::Resume | Event::Reach(_) => true,
        Event::Feed(signal, on) => *on && matches!(signal, Signal::Reach(_)),
        _ => false,
    }
}

/// Takes all messages of a type.
fn drained<M: Message>(world: &mut World) -> impl Iterator<Item = M> {
    world.resource_mut::<Messages<M>>().drain().collect::<Vec<M>>().into_iter()
}
