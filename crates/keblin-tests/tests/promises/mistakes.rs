//! Typical mistakes in games that keep progress by hand. Each is a rehearsal on the demo, named for the mistake that
//! it shows to be impossible.

use keblin::rehearse::Rehearsal;

use crate::tables::fen_post;

/// All routes up to the fifth finished on neap, with a run in the third.
const IN_OTTER_WEIR: &str = "
    suppose levels.reedgate.neap.finished = true
    suppose levels.long_mere.neap.finished = true
    begin neap
    enter otter_weir
";

/// The mistake, the state it starts in, and the rehearsal.
const MISTAKES: [(&str, &str, &str); 55] = [
    (
        "a first pull before any push gives zero",
        "",
        "expect oil == 60; expect boats == 4; begin neap; expect oil == 60",
    ),
    (
        "reading before there is a file is an error",
        "",
        "expect notice first_run once; expect coppers == 120; kill; launch; expect notice first_run once",
    ),
    (
        "no best yet looks like a best of zero",
        "",
        "expect best_letters == null; begin neap; end_run; expect best_letters == 0",
    ),
    (
        "never finished is read off a time of zero",
        "",
        "refused submit levels.reedgate.neap.best_crossing 0s; expect levels.reedgate.neap.best_crossing == null; expect !levels.reedgate.neap.finished",
    ),
    (
        "deleting and setting to zero are two different things",
        "",
        "set coppers 7; erase coppers yes; expect coppers == 120; erase best_letters yes; expect best_letters == null",
    ),
    (
        "a value dies with the level it was an object of",
        IN_OTTER_WEIR,
        "add letters 3; enter reedgate; expect letters == 3",
    ),
    (
        "unlocks are gone when the program is closed",
        "",
        "suppose levels.reedgate.neap.finished = true; quit; launch; expect open long_mere neap",
    ),
    (
        "a death gives declared numbers where arrival was meant",
        IN_OTTER_WEIR,
        "leave; set oil 33; enter reedgate; set oil 20; die; expect oil == 33",
    ),
    (
        "playing again starts with the old run",
        IN_OTTER_WEIR,
        "add letters 9; set oil 3; end_run; begin neap; expect letters == 0; expect oil == 60; expect boats == 4",
    ),
    (
        "new game, next level and carried are one yes or no",
        IN_OTTER_WEIR,
        "add letters 2; die; respawn; expect letters == 2; retry; expect letters == 0; add letters 4; enter reedgate; expect letters == 4; begin neap replacing; expect letters == 0",
    ),
    (
        "walking back to the first level wipes the score",
        IN_OTTER_WEIR,
        "add letters 5; enter reedgate; expect letters == 5",
    ),
    (
        "lives are not filled up after a game over",
        IN_OTTER_WEIR,
        "set boats 1; die; expect phase == 'over'; begin neap; expect boats == 4",
    ),
    (
        "clock and score begin with the program",
        IN_OTTER_WEIR,
        "tick 10s; end_run; begin neap; expect run_clock == duration('0s')",
    ),
    (
        "what was loaded is not copied into the session",
        IN_OTTER_WEIR,
        "suppose levels.otter_weir.neap.finished = true; quit; launch; begin spring replacing; quit; launch; resume; expect difficulty == 'spring'",
    ),
    (
        "a score is silently missing in the next level",
        IN_OTTER_WEIR,
        "add letters 5; add oil -4; finish; enter black_sluice; expect letters == 5; expect oil == 56",
    ),
    (
        "a checkpoint of one level is used in the next",
        IN_OTTER_WEIR,
        "reach alder; enter reedgate; expect checkpoint == null; die; expect checkpoint == null",
    ),
    (
        "place and values of a checkpoint come apart",
        IN_OTTER_WEIR,
        "set oil 26; reach alder; set oil 11; die; expect oil == 26; expect checkpoint == 'alder'",
    ),
    (
        "a best is overwritten by the latest score",
        "",
        "begin neap; add letters 9; end_run; begin neap; add letters 3; end_run; expect best_letters == 9; begin neap; add letters 9; end_run; expect notice new_record once",
    ),
    (
        "starting over loses what was reached",
        IN_OTTER_WEIR,
        "begin neap replacing; enter reedgate; finish; expect furthest == 'otter_weir'; expect open otter_weir neap",
    ),
    (
        "a lower save lowers the best at the next start",
        "",
        "begin neap; add letters 8; end_run; quit; launch; begin neap; add letters 2; quit; launch; expect best_letters == 8",
    ),
    (
        "only a death submits the best",
        "",
        "begin neap; add letters 4; begin neap replacing; expect best_letters == 4; add letters 5; end_run; expect best_letters == 5; begin neap; add letters 6; set boats 1; enter reedgate; die; expect best_letters == 6",
    ),
    (
        "a rating is overwritten by a worse one",
        "",
        "begin neap; enter reedgate; tick 1s; finish stars 3; enter reedgate; tick 1s; finish stars 1; expect levels.reedgate.neap.stars == 3; enter reedgate; refused finish stars 7; enter reedgate; refused finish stars -1; expect levels.reedgate.neap.stars == 3",
    ),
    (
        "finishing the third marks the first two",
        "",
        "suppose levels.otter_weir.neap.finished = true; expect !levels.reedgate.neap.finished; expect totals.neap.finished == 1",
    ),
    (
        "completed and locked contradict each other",
        "",
        "suppose levels.reedgate.neap.finished = true; expect open long_mere neap; erase level reedgate yes; expect locked long_mere neap",
    ),
    (
        "one unfinished level locks finished ones after it",
        "",
        "suppose levels.reedgate.neap.finished = true; suppose levels.otter_weir.neap.finished = true; expect open long_mere neap; expect open black_sluice neap; expect locked otter_weir neap",
    ),
    (
        "it looks locked and opens anyway",
        "",
        "begin neap; expect locked long_mere; refused enter long_mere; expect phase == 'map'",
    ),
    (
        "every level is open from the start",
        "",
        "expect open reedgate; expect locked long_mere; expect locked lantern_quay",
    ),
    (
        "after the last level one is unlocked that is not there",
        "",
        "suppose levels.mill_race.neap.finished = true; begin neap; enter lantern_quay; finish; expect phase == 'over'; expect furthest == 'lantern_quay'",
    ),
    (
        "a signal that stays on takes every life",
        IN_OTTER_WEIR,
        "feed death for 200 frames; expect boats == 3; expect notice life_lost once",
    ),
    (
        "a respawn without a death gives values back",
        IN_OTTER_WEIR,
        "set oil 5; respawn; expect oil == 5; expect boats == 4",
    ),
    (
        "the second checkpoint is dead because a tally wrapped",
        "",
        "suppose levels.otter_weir.neap.finished = true; begin neap; enter black_sluice; reach birch; reach birch; reach cedar; expect checkpoint == 'cedar'; reach alder; expect checkpoint == 'cedar'",
    ),
    (
        "the last life respawns and restarts at once",
        IN_OTTER_WEIR,
        "set boats 1; die; expect phase == 'over'; expect notice life_lost never; expect notice run_over once; refused respawn; die; expect notice run_over never; expect boats == 0",
    ),
    (
        "currency falls below zero",
        "",
        "refused spend coppers 121; expect coppers == 120; add coppers -500; expect coppers == 0",
    ),
    (
        "a target is jumped over",
        IN_OTTER_WEIR,
        "add letters 9; add letters 10; expect moment ten_letters once; expect moment fifteen_letters once",
    ),
    (
        "a frame is taken for a sixtieth of a second",
        IN_OTTER_WEIR,
        "tick 100ms 10 times; tick 1s; expect route_clock == duration('2s')",
    ),
    (
        "the values of a mid-frame change are lost",
        IN_OTTER_WEIR,
        "add letters 1; finish; add letters 1; enter reedgate; expect letters == 2",
    ),
    (
        "a game put to the background loses all",
        IN_OTTER_WEIR,
        "add letters 5; suspend; kill; launch; resume; expect letters == 5",
    ),
    (
        "what is written is the value before the change",
        IN_OTTER_WEIR,
        "set oil 9; reach alder; kill; launch; resume; expect oil == 9; expect checkpoint == 'alder'",
    ),
    (
        "kept from level to level and gone when the program is closed",
        IN_OTTER_WEIR,
        "add letters 3; enter reedgate; add oil -7; quit; launch; resume; expect letters == 3; expect oil == 53",
    ),
    (
        "each way back into a game must be wired by hand",
        IN_OTTER_WEIR,
        "add letters 4; suspend; expect letters == 4; quit; launch; resume; expect letters == 4; save; kill; launch; resume; expect letters == 4; leave; quit; launch; resume; enter reedgate; expect letters == 4",
    ),
    (
        "a change must be copied back by hand or the next level has the old number",
        IN_OTTER_WEIR,
        "set oil 50; enter reedgate; set oil 40; enter otter_weir; expect oil == 40; leave; expect oil == 40",
    ),
    (
        "what lies inside a value is cleaned up with its level",
        IN_OTTER_WEIR,
        "put satchel \"F-04\"; enter reedgate; die; respawn; retry; expect satchel == ['F-04']; quit; launch; resume; expect satchel == ['F-04']",
    ),
    (
        "of two exits only one keeps what was earned",
        IN_OTTER_WEIR,
        "add coppers 5; finish; expect coppers == 125; enter reedgate; add coppers 5; leave; expect coppers == 130; enter reedgate; add coppers 5; end_run; quit; launch; expect coppers == 135",
    ),
    (
        "the second checkpoint is a copy of the first",
        "suppose levels.otter_weir.neap.finished = true; begin neap; enter black_sluice",
        "set oil 50; reach alder; set oil 40; reach birch; set oil 9; die; expect oil == 40; expect checkpoint == 'birch'",
    ),
    (
        "passing two checkpoints is counted and not remembered which",
        "suppose levels.otter_weir.neap.finished = true; begin neap; enter black_sluice",
        "reach cedar; die; respawn; expect checkpoint == 'cedar'; reach alder; die; respawn; expect checkpoint == 'cedar'",
    ),
    (
        "the same checkpoint is reached in every frame of standing on it",
        IN_OTTER_WEIR,
        "feed reach alder for 90 frames; expect notice checkpoint_reached once",
    ),
    (
        "names joined of level and difficulty collide",
        "",
        "submit levels.reedgate.neap.best_crossing 80s; expect levels.reedgate.spring.best_crossing == null; expect levels.long_mere.neap.best_crossing == null",
    ),
    (
        "only better results were tried",
        "",
        "begin neap; add letters 6; end_run; quit; launch; expect best_letters == 6; begin neap; add letters 4; end_run; quit; launch; expect best_letters == 6; begin neap; add letters 6; end_run; quit; launch; expect best_letters == 6; begin neap; add letters 7; end_run; quit; launch; expect best_letters == 7",
    ),
    (
        "a question whether it is open is answered the wrong way round",
        "",
        "begin neap; expect open reedgate; enter reedgate; leave; expect locked long_mere; refused enter long_mere; enter reedgate; finish; expect open long_mere; enter long_mere",
    ),
    (
        "a death while one is being shown costs another life",
        IN_OTTER_WEIR,
        "die; die; die; expect boats == 3; expect notice life_lost once; respawn; die; expect boats == 2",
    ),
    (
        "a run that is over is ended a second time by what was still under way",
        IN_OTTER_WEIR,
        "add letters 5; set boats 1; die; expect notice run_over once; tick 3s; feed death for 60 frames; tick 4s; expect notice run_over never; expect boats == 0; expect best_letters == 5",
    ),
    (
        "a level opens at exactly so many and not at more",
        "",
        "suppose levels.reedgate.neap.stars = 3; suppose levels.long_mere.neap.stars = 3; suppose levels.otter_weir.neap.stars = 3; suppose levels.black_sluice.neap.stars = 3; suppose levels.black_sluice.neap.finished = true; expect open heron_holm neap",
    ),
    (
        "a time is compared for being equal and never is",
        IN_OTTER_WEIR,
        "tick 29990ms; expect moment tide_turns never; tick 17ms; expect moment tide_turns once; tick 17ms; expect moment tide_turns never",
    ),
    (
        "leaving half-way counts as finished",
        IN_OTTER_WEIR,
        "tick 9s; leave; expect !levels.otter_weir.neap.finished; expect levels.otter_weir.neap.best_crossing == null; expect locked black_sluice",
    ),
    (
        "a wipe of progress takes the settings with it",
        "",
        "set horn_volume 3; set coppers 9; erase profile yes; expect coppers == 120; expect horn_volume == 3; quit; launch; expect horn_volume == 3",
    ),
];

#[test]
fn no_mistake_of_those_that_games_make_by_hand_can_be_made() {
    let schema = fen_post();
    for (mistake, state, steps) in MISTAKES {
        let text = format!("{state}\n{steps}").replace("; ", "\n");
        let rehearsal =
            Rehearsal::parse(mistake, &text, &schema).unwrap_or_else(|findings| panic!("{findings}"));
        let report = rehearsal.run();
        if let Some(failure) = report.failure {
            panic!("{mistake}: line {}, `{}`: {}", failure.line, failure.text, failure.kind);
        }
        assert!(report.held >= 1, "{mistake} expects nothing");
    }
}
