//! Any bytes as a save: no panic, and a valid one can be written and read again unchanged.

#![no_main]

use libfuzzer_sys::fuzz_target;

#[path = "../../crates/keblin-tests/tests/promises/forged.rs"]
mod forged;

#[path = "../look.rs"]
mod look;

fuzz_target!(|data: &[u8]| {
    look::look(data);
});
