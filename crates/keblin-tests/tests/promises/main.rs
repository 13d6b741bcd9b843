//! What the library promises, each promise a test that is named for it.

#![expect(
    clippy::unwrap_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::disallowed_methods,
    reason = "a test may fail loudly, and reads and damages the files it is about"
)]

mod bits16;
mod broken;
mod builds;
mod buying;
mod carried;
mod causes;
mod cddl;
mod chapters;
mod compiled;
mod compiler;
mod damage;
mod deaths;
mod differences;
mod edges;
mod english;
mod erasing;
mod examples;
mod exchanged;
mod explored;
mod exported;
mod faults;
mod fed;
mod following;
mod forged;
mod format;
mod frames;
mod fuzzed;
mod given_up;
mod golden;
mod golden_world;
mod groups;
mod growth;
mod growth_world;
mod hostile;
mod inner_shapes;
mod invariants;
mod keepers;
mod kinds;
mod laws;
mod layers;
mod levels;
mod limits;
mod logged;
mod long;
mod made_up;
mod meetings;
mod meets;
mod mended;
mod mistakes;
mod mixed_kinds;
mod model;
mod naive;
mod names;
mod nested;
mod options;
mod phases;
mod power;
mod processes;
mod public;
mod published;
mod real_disk;
mod rebuild;
mod reconciled;
mod redeclared;
mod rehearsals;
mod rehearsed_files;
mod reserve;
mod resets;
mod round_trip;
mod rules;
mod runs;
mod salvaged;
mod save_points;
mod seals;
mod shared;
mod shelves;
mod shimmed;
mod shown;
mod slots;
mod stars;
mod steps;
mod strangers;
mod sums;
mod survival;
mod tables;
mod titles;
mod values;
mod verified;
mod watched;
mod with;
mod world;
mod world_away;
mod world_computed;
mod world_in_file;
mod world_laws;
mod world_names;
mod world_steps;
mod years;
