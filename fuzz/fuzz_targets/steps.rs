//! Any text as the steps of a version: no panic, and a valid one works.

#![no_main]

use libfuzzer_sys::fuzz_target;

#[expect(dead_code, reason = "each target takes texts for one thing")]
#[path = "../look_texts.rs"]
mod look_texts;

fuzz_target!(|text: &str| {
    look_texts::look(text, look_texts::As::Steps);
});
