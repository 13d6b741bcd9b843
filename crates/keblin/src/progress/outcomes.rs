//! Results of events, with a game's names: every handle belongs to the game, because its progress does.

use keblin_model::OfGame;

use super::{
    Asks, Begun, Covered, Death, Entered, Fed, Finished, LevelCard, NewRecord, Next, Notice, Place,
    ResumePoint, Resumed, RunOver, Standing, StarHeld,
};

impl<G> OfGame<G> for Place {
    type Of = Place<G>;
    fn of_game(self) -> Place<G> {
        Place { level: self.level.of_game(), checkpoint: self.checkpoint.of_game() }
    }
}

impl<G> OfGame<G> for NewRecord {
    type Of = NewRecord<G>;
    fn of_game(self) -> NewRecord<G> {
        let NewRecord { field, level, difficulty, at, place, before, now, first_cell, cell } = self;
        let (level, difficulty) = (level.of_game(), difficulty.of_game());
        NewRecord { field, level, difficulty, at, place, before, now, first_cell, cell }
    }
}

impl<G> OfGame<G> for Notice {
    type Of = Notice<G>;
    fn of_game(self) -> Notice<G> {
        match self {
            Notice::FirstRun => Notice::FirstRun,
            Notice::Ready => Notice::Ready,
            Notice::Restored => Notice::Restored,
            Notice::Migrated(account) => Notice::Migrated(account),
            Notice::FellBack => Notice::FellBack,
            Notice::NotWritten { message } => Notice::NotWritten { message },
            Notice::Reconciled => Notice::Reconciled,
            Notice::SetAside { path, why } => Notice::SetAside { path, why },
            Notice::AreaLost { area, is_older } => Notice::AreaLost { area, is_older },
            Notice::NearlyFull(fullness) => Notice::NearlyFull(fullness),
            Notice::Dropped { count } => Notice::Dropped { count },
            Notice::Refused { message } => Notice::Refused { message },
            Notice::Entered { level, arrival } => Notice::Entered { level: level.of_game(), arrival },
            Notice::CheckpointReached(checkpoint) => Notice::CheckpointReached(checkpoint.of_game()),
            Notice::LifeLost { left, place } => Notice::LifeLost { left, place: place.of_game() },
            Notice::NewRecord(record) => Notice::NewRecord(record.of_game()),
            Notice::Placed(record) => Notice::Placed(record.of_game()),
            Notice::Finished { level, stars } => Notice::Finished { level: level.of_game(), stars },
            Notice::Opened { level, difficulty } => {
                Notice::Opened { level: level.of_game(), difficulty: difficulty.of_game() }
            }
            Notice::Unlocked(unlock) => Notice::Unlocked(unlock.of_game()),
            Notice::Moment(moment) => Notice::Moment(moment.of_game()),
            Notice::RunOver(end) => Notice::RunOver(end),
            Notice::Erased => Notice::Erased,
        }
    }
}

impl<G> OfGame<G> for Asks {
    type Of = Asks<G>;
    fn of_game(self) -> Asks<G> {
        match self {
            Asks::Finish { level, difficulty } => {
                Asks::Finish { level: level.of_game(), difficulty: difficulty.of_game() }
            }
            Asks::Unlock(unlock) => Asks::Unlock(unlock.of_game()),
            Asks::Stars(comparison) => Asks::Stars(comparison),
            Asks::StarsIn(comparison, chapter) => Asks::StarsIn(comparison, chapter.of_game()),
            Asks::FinishedIn(comparison, chapter) => Asks::FinishedIn(comparison, chapter.of_game()),
            Asks::Number(comparison, text) => Asks::Number(comparison, text),
            Asks::Condition(text) => Asks::Condition(text),
        }
    }
}

impl<G> OfGame<G> for Standing {
    type Of = Standing<G>;
    fn of_game(self) -> Standing<G> {
        let Standing { asks, met, held, needed } = self;
        Standing { asks: asks.of_game(), met, held, needed }
    }
}

impl<G> OfGame<G> for LevelCard {
    type Of = LevelCard<G>;
    fn of_game(self) -> LevelCard<G> {
        let LevelCard { level, chapter, place, open, lock, current, facts } = self;
        let (level, chapter, lock) = (level.of_game(), chapter.of_game(), lock.of_game());
        LevelCard { level, chapter, place, open, lock, current, facts }
    }
}

impl<G> OfGame<G> for super::ChapterCard {
    type Of = super::ChapterCard<G>;
    fn of_game(self) -> super::ChapterCard<G> {
        let super::ChapterCard { chapter, open, lock, levels, finished, stars, stars_of } = self;
        super::ChapterCard {
            chapter: chapter.of_game(),
            open,
            lock: lock.of_game(),
            levels,
            finished,
            stars,
            stars_of,
        }
    }
}

impl<G> OfGame<G> for Covered {
    type Of = Covered<G>;
    fn of_game(self) -> Covered<G> {
        let Covered { level, never_read, never_changed } = self;
        Covered { level: level.of_game(), never_read, never_changed }
    }
}

impl<G> OfGame<G> for Begun {
    type Of = Begun<G>;
    fn of_game(self) -> Begun<G> {
        Begun { difficulty: self.difficulty.of_game(), replaced: self.replaced.of_game() }
    }
}

impl<G> OfGame<G> for RunOver {
    type Of = RunOver<G>;
    fn of_game(self) -> RunOver<G> {
        let RunOver { end, records, refused, opened, unlocked } = self;
        let (records, opened, unlocked) = (records.of_game(), opened.of_game(), unlocked.of_game());
        RunOver { end, records, refused, opened, unlocked }
    }
}

impl<G> OfGame<G> for ResumePoint {
    type Of = ResumePoint<G>;
    fn of_game(self) -> ResumePoint<G> {
        let ResumePoint { level, checkpoint, difficulty } = self;
        ResumePoint {
            level: level.of_game(),
            checkpoint: checkpoint.of_game(),
            difficulty: difficulty.of_game(),
        }
    }
}

impl<G> OfGame<G> for Resumed {
    type Of = Resumed<G>;
    fn of_game(self) -> Resumed<G> {
        match self {
            Resumed::Map => Resumed::Map,
            Resumed::Playing(place) => Resumed::Playing(place.of_game()),
        }
    }
}

impl<G> OfGame<G> for Entered {
    type Of = Entered<G>;
    fn of_game(self) -> Entered<G> {
        Entered { level: self.level.of_game(), attempt: self.attempt }
    }
}

impl<G> OfGame<G> for Death {
    type Of = Death<G>;
    fn of_game(self) -> Death<G> {
        match self {
            Death::LifeLost { left, place } => Death::LifeLost { left, place: place.of_game() },
            Death::LevelRestarted { left, place } => Death::LevelRestarted { left, place: place.of_game() },
            Death::RunOver(over) => Death::RunOver(over.of_game()),
        }
    }
}

impl<G> OfGame<G> for StarHeld {
    type Of = StarHeld<G>;
    fn of_game(self) -> StarHeld<G> {
        StarHeld { id: self.id, held: self.held, parts: self.parts.of_game() }
    }
}

impl<G> OfGame<G> for Next {
    type Of = Next<G>;
    fn of_game(self) -> Next<G> {
        Next { level: self.level.of_game(), open: self.open }
    }
}

impl<G> OfGame<G> for Finished {
    type Of = Finished<G>;
    fn of_game(self) -> Finished<G> {
        Finished {
            level: self.level.of_game(),
            difficulty: self.difficulty.of_game(),
            stars_before: self.stars_before,
            stars: self.stars,
            records: self.records.of_game(),
            refused: self.refused,
            star_rules: self.star_rules.of_game(),
            opened: self.opened.of_game(),
            unlocked: self.unlocked.of_game(),
            next: self.next.of_game(),
            all_next: self.all_next.of_game(),
            run_over: self.run_over.of_game(),
        }
    }
}

impl<G> OfGame<G> for Fed {
    type Of = Fed<G>;
    fn of_game(self) -> Fed<G> {
        match self {
            Fed::Nothing => Fed::Nothing,
            Fed::Died(death) => Fed::Died(death.of_game()),
            Fed::Reached(reached) => Fed::Reached(reached),
            Fed::Finished(finished) => Fed::Finished(finished.of_game()),
            Fed::Happened => Fed::Happened,
        }
    }
}
