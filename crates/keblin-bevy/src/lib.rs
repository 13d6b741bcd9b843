//! Progress that persists, in games made of systems.
//!
//! ```text
//! First   level and area changes, when no system works with the old ones
//! Update  systems read Res<Kept<Game>>, and write Happens(event)
//! Last    events are applied in one place, the frame ends, a due save goes to the writer
//! ```
//!
//! ```
//! use bevy_app::{App, Update};
//! use bevy_ecs::prelude::*;
//! use keblin_bevy::{Happens, KeblinPlugin, Kept, Told};
//!
//! keblin::schema!(fen_post, "../../demo/progress.toml");
//! use fen_post::{Event, Game, fields, levels};
//!
//! fn punt(mut happens: MessageWriter<'_, Happens<Game>>) {
//!     happens.write(Happens(Event::add(fields::LETTERS, 1)));
//! }
//!
//! fn score(kept: Res<'_, Kept<Game>>) {
//!     let _letters = kept.get(fields::LETTERS);
//! }
//!
//! # let folder = tempfile::tempdir()?;
//! let keeper = fen_post::Keeper::open(&keblin::SaveDir::at(folder.path()).slot("one")?)?;
//! let mut app = App::new();
//! app.add_plugins(KeblinPlugin::new(keeper)).add_systems(Update, (punt, score));
//! app.update();
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

/// The keeper as a resource, and events as messages.
mod apply;

/// Structs of the game that are tied to fields, as components.
mod carried;

/// Levels change when no system works with the old one.
mod levels;

/// Areas of the world, and objects as entities.
mod world;

use std::sync::{Mutex, PoisonError};

use bevy_app::{App, First, Last, Plugin};
use bevy_ecs::schedule::{IntoScheduleConfigs, SystemSet};
use keblin::{Game, KeeperOf};

pub use apply::{Declined, FrameTime, Happens, Kept, SaveDone, SaveNow, Told, progress_changed};
pub use carried::{AppCarries, Tied};
pub use levels::{InLevel, LevelEntered, LevelLeft};
pub use world::{AppWorldObjects, AreaFailed, AreaNeed, InArea, LoadArea, Recalled, UnloadArea};

/// When the plug-in does what. Order your own systems by these.
#[derive(SystemSet, Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum KeblinSet {
    /// In [`First`]: the old level or area goes, and the new one is made.
    Change,
    /// In [`Last`]: tied components are written to their fields.
    HandOver,
    /// In [`Last`]: events are applied, and the frame ends.
    Apply,
    /// In [`Last`]: tied components are read back.
    PickUp,
}

/// Keeps the progress of a game. Add it once for each slot that is played; a game plays one at a time.
pub struct KeblinPlugin<G: Game>(Mutex<Option<KeeperOf<G>>>);

impl<G: Game> KeblinPlugin<G> {
    /// Returns the plug-in for a keeper that was opened.
    #[must_use]
    pub fn new(keeper: KeeperOf<G>) -> KeblinPlugin<G> {
        KeblinPlugin(Mutex::new(Some(keeper)))
    }
}

impl<G: Game> Plugin for KeblinPlugin<G> {
    fn build(&self, app: &mut App) {
        let keeper = self.0.lock().unwrap_or_else(PoisonError::into_inner).take();
        // A plug-in is built once.
        let Some(keeper) = keeper else { return };
        app.insert_resource(Kept::new(keeper));
        app.init_resource::<FrameTime>();
        app.init_resource::<levels::Now<G>>();
        app.init_resource::<world::Kinds<G>>();
        app.add_message::<Happens<G>>().add_message::<Told<G>>().add_message::<Declined<G>>();
        app.add_message::<SaveNow>().add_message::<SaveDone>();
        app.configure_sets(Last, (KeblinSet::HandOver, KeblinSet::Apply, KeblinSet::PickUp).chain());
        app.add_systems(First, (levels::change::<G>, world::change::<G>).chain().in_set(KeblinSet::Change));
        app.add_systems(Last, apply::apply::<G>.in_set(KeblinSet::Apply));
    }
}
