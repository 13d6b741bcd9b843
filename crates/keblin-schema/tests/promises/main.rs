//! What the declaration promises, each promise a test that is named for it.

#![expect(
    clippy::unwrap_used,
    clippy::panic,
    clippy::indexing_slicing,
    clippy::disallowed_methods,
    reason = "a test may fail loudly, and reads the files it is about"
)]

mod chapters;
mod conditions;
mod dates;
mod declared;
mod differential;
mod embedded;
mod faults;
mod huge;
mod kinds;
mod layout;
#[path = "../../../keblin-tests/tests/promises/long.rs"]
mod long;
mod meeting;
mod mistakes;
mod mutation;
mod names;
mod page;
mod played;
mod times;
