//! What others make of a schema once and keep with it, such as the order in which a save names its fields. The schema
//! does not know what it is.

use std::any::Any;
use std::fmt;
use std::sync::{Arc, OnceLock};

/// A place for one thing made of a schema. A clone has an empty one; it takes no part in comparisons.
#[derive(Default)]
pub(crate) struct Derived(OnceLock<Arc<dyn Any + Send + Sync>>);

impl Derived {
    /// What is kept here; made if there is nothing yet. Only one type can be kept: another one is made each time.
    pub(crate) fn or_make<T: Any + Send + Sync>(&self, make: impl Fn() -> T) -> Arc<T> {
        let kept = self.0.get_or_init(|| Arc::new(make()));
        Arc::clone(kept).downcast().unwrap_or_else(|_| Arc::new(make()))
    }
}

impl Clone for Derived {
    fn clone(&self) -> Derived {
        Derived::default()
    }
}

impl fmt::Debug for Derived {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Derived")
    }
}
