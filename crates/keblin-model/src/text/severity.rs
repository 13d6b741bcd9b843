//! How severe a finding is, about a declaration as about a save.

crate::words! {
    /// How severe a finding is.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    pub enum Severity {
        /// The declaration cannot be used until this is fixed.
        Error = "error",
        /// Allowed, but players are likely to suffer from it.
        Warning = "warning",
        /// Allowed and probably intended; worth a look.
        Hint = "hint",
    }
}
