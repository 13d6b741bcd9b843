//! Enums whose variants are words of a declaration, of text or of JSON.

/// Makes an enum of words: each variant is written with its word, and the list of all and the word of each are made from
/// that.
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
            /// Every one, in the order in which they are declared.
            $vis const ALL: &'static [$name] = &[$($name::$variant),*];

            /// The word for it in declarations, text and JSON.
            #[must_use]
            $vis const fn as_str(self) -> &'static str {
                match self {
                    $($name::$variant => $word,)*
                }
            }
        }
    };
}
