//! Errors that developers see as people do.

/// Makes the `Debug` of an error its `Display`: `main` prints the `Debug` of an error that `?` returns, and so does
/// `unwrap`.
#[doc(hidden)]
#[macro_export]
macro_rules! debug_as_display {
    ($error:ty) => {
        impl ::std::fmt::Debug for $error {
            fn fmt(&self, f: &mut ::std::fmt::Formatter<'_>) -> ::std::fmt::Result {
                ::std::fmt::Display::fmt(self, f)
            }
        }
    };
}
