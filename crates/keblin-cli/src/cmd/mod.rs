//! One file a command.

/// `keblin check`
pub(crate) mod check;

/// `keblin survival`
pub(crate) mod survival;

/// `keblin show`
pub(crate) mod show;

/// What is different from an earlier declaration.
mod since;

/// `keblin verify`
pub(crate) mod verify;

/// `keblin freeze`
pub(crate) mod freeze;

/// `keblin migrate`
pub(crate) mod migrate;

/// Frozen versions and saves of them, for `check`
mod samples;

/// `keblin salvage`
pub(crate) mod salvage;

/// `keblin why`
pub(crate) mod why;

/// What the codes of findings mean.
mod pages;

/// `keblin rehearse`
pub(crate) mod rehearse;

/// `keblin demo`
pub(crate) mod demo;
