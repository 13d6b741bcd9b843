//! Copies of an engine in the memory of another one, for exploring: it plays millions of moves, each on a copy.

use std::sync::Arc;

use super::Engine;
use super::journal::Journal;
use super::rules::Rules;
use crate::snapshot::State;

impl Engine {
    /// Becomes a copy of another engine with the same schema, except for notices, the journal and what only a debug display
    /// shows.
    pub(crate) fn become_copy_of(&mut self, other: &Engine) {
        // Without `..`, so that a new field does not compile until it is copied too.
        let Engine {
            schema: _,
            state,
            carried,
            areas,
            world,
            title,
            stage,
            notices: _,
            dropped,
            journal: _,
            rules,
            supposed,
            due,
            signals,
            paused,
            rest_nanos,
            waiting,
            written: _,
            overlay: _,
            coverage: _,
            strict,
            runs_begun,
            only_settings,
            reported,
            revision,
        } = other;
        self.state.become_copy_of(state);
        self.rules.become_copy_of(rules);
        share(&mut self.carried, carried);
        share(&mut self.areas, areas);
        self.world.clone_from(world);
        self.title.clone_from(title);
        self.supposed.clone_from(supposed);
        self.due.clone_from(due);
        self.signals.clone_from(signals);
        self.waiting.clone_from(waiting);
        self.reported.clone_from(reported);
        (self.stage, self.dropped, self.paused, self.rest_nanos) = (*stage, *dropped, *paused, *rest_nanos);
        (self.strict, self.only_settings, self.revision) = (*strict, *only_settings, *revision);
        self.runs_begun = *runs_begun;
        self.notices.clear();
        (self.journal, self.written, self.overlay, self.coverage) = (Journal::default(), None, false, None);
    }
}

/// Takes another share only if it is another one: cores that count the same shares wait for each other.
fn share<T>(held: &mut Arc<T>, other: &Arc<T>) {
    if !Arc::ptr_eq(held, other) {
        held.clone_from(other);
    }
}

impl State {
    fn become_copy_of(&mut self, other: &State) {
        let State {
            cells,
            facts,
            furthest,
            played,
            latched,
            opened,
            told,
            difficulty,
            run,
            made,
            entry_at,
            checkpoint_at,
        } = other;
        self.cells.clone_from(cells);
        self.facts.clone_from(facts);
        self.latched.clone_from(latched);
        self.opened.clone_from(opened);
        self.told.clone_from(told);
        self.run.clone_from(run);
        (self.furthest, self.played, self.difficulty) = (*furthest, *played, *difficulty);
        (self.made, self.entry_at, self.checkpoint_at) = (*made, *entry_at, *checkpoint_at);
    }
}

impl Rules {
    fn become_copy_of(&mut self, other: &Rules) {
        let Rules { open, given, held, broken, again, quiet, asked } = other;
        self.open.clone_from(open);
        self.given.clone_from(given);
        self.held.clone_from(held);
        self.broken.clone_from(broken);
        self.again.clone_from(again);
        (self.quiet, self.asked) = (*quiet, *asked);
    }
}
