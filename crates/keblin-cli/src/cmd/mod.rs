//! One file per command.

/// `keblin new`
pub(crate) mod new;

/// `keblin check`
pub(crate) mod check;

/// `keblin survival`
pub(crate) mod survival;

/// `keblin levels`
pub(crate) mod levels;

/// `keblin show`
pub(crate) mod show;

/// Differences from an earlier declaration, for `check --before`
mod since;

/// `keblin compare`
pub(crate) mod compare;

/// `keblin reconcile`
pub(crate) mod reconcile;

/// `keblin export`, `keblin import`, `keblin schema`
pub(crate) mod exchange;

/// `keblin explore`
pub(crate) mod explore;

/// How an exploration is printed
mod explored;

/// `keblin set`
pub(crate) mod set;

/// `keblin verify`
pub(crate) mod verify;

/// `keblin freeze`
pub(crate) mod freeze;

/// `keblin migrate`
pub(crate) mod migrate;

/// Frozen versions and their samples, for `check`
mod samples;

/// `keblin salvage`
pub(crate) mod salvage;

/// `keblin why`
pub(crate) mod why;

/// What the finding codes mean
mod pages;

/// `keblin report`
#[cfg(feature = "report")]
pub(crate) mod report;

/// `keblin rehearse`
pub(crate) mod rehearse;

/// `keblin demo`
pub(crate) mod demo;
