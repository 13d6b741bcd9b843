//! Finite numbers with a fraction: never NaN, never infinite, and with one zero, so that equal numbers have equal bytes.

use std::cmp::Ordering;
use std::fmt;

/// A finite 64-bit number with a fraction. Negative zero becomes zero.
#[derive(Clone, Copy, Default)]
pub struct Float(pub(super) f64);

/// A finite 32-bit number with a fraction, as graphics and physics use them. Negative zero becomes zero.
#[derive(Clone, Copy, Default)]
pub struct Part(pub(super) f32);

macro_rules! finite {
    ($name:ident, $number:ty) => {
        impl $name {
            /// Returns the number; `None` if it is infinite or NaN.
            #[must_use]
            pub fn new(number: $number) -> Option<$name> {
                // Adding zero turns negative zero into zero.
                number.is_finite().then_some($name(number + 0.0))
            }

            /// Returns the number.
            #[must_use]
            pub fn get(self) -> $number {
                self.0
            }
        }

        impl PartialEq for $name {
            fn eq(&self, other: &$name) -> bool {
                self.cmp(other) == Ordering::Equal
            }
        }

        impl Eq for $name {}

        impl std::hash::Hash for $name {
            fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
                self.0.to_bits().hash(state);
            }
        }

        impl PartialOrd for $name {
            fn partial_cmp(&self, other: &$name) -> Option<Ordering> {
                Some(self.cmp(other))
            }
        }

        impl Ord for $name {
            fn cmp(&self, other: &$name) -> Ordering {
                self.0.total_cmp(&other.0)
            }
        }

        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::Debug::fmt(&self.0, f)
            }
        }

        /// Written with a fraction or an exponent, so that it does not look like a whole number.
        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.pad(&format!("{:?}", self.0))
            }
        }
    };
}

finite!(Float, f64);
finite!(Part, f32);
