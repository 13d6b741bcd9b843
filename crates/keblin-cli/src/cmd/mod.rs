//! One file a command.

/// `keblin check`
pub(crate) mod check;

/// `keblin survival`
pub(crate) mod survival;

/// `keblin show`
pub(crate) mod show;

/// `keblin verify`
pub(crate) mod verify;

/// `keblin rehearse`
pub(crate) mod rehearse;

/// `keblin demo`
pub(crate) mod demo;
