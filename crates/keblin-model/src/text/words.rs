//! Enums whose variants are words of a declaration, of text output or of JSON.

/// Makes an enum of words. Each variant is written with its word; the list of all variants and the word of each are
/// made from that.
#[doc(hidden)]
#[macro_export]
macro_rules! words {
    (
        $(#[$about:meta])*
        $vis:vis enum $name:ident {
            $( $(#[$of_variant:meta])* $variant:ident = $word:literal, )*
        }
    ) => {
        $(#[$about])*
        $vis enum $name {
            $( $(#[$of_variant])* $variant, )*
        }

        impl $name {
            /// All variants, in declared order.
            $vis const ALL: &'static [$name] = &[$($name::$variant),*];

            /// Returns the word in declarations, text and JSON.
            #[must_use]
            $vis const fn as_str(self) -> &'static str {
                match self {
                    $($name::$variant => $word,)*
                }
            }
        }
    };
}
