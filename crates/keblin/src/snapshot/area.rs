//! The bytes of an area: in memory, or still in the file that was opened.

use std::fmt;
use std::sync::{Arc, OnceLock};

/// The bytes of an area. Those of a large world stay in the file until they are first needed.
#[derive(Clone)]
pub(crate) struct AreaBytes(Arc<Place>);

struct Place {
    bytes: OnceLock<Vec<u8>>,
    filed: Option<Filed>,
}

/// The bytes of an area in a file.
pub(crate) struct Filed {
    /// The digest of its block, which also covers its name.
    pub(crate) digest: [u8; 32],
    /// Reads them; an error says why they cannot be read.
    pub(crate) read: Box<dyn Fn() -> Result<Vec<u8>, String> + Send + Sync>,
}

impl AreaBytes {
    pub(crate) fn filed(filed: Filed) -> AreaBytes {
        AreaBytes(Arc::new(Place { bytes: OnceLock::new(), filed: Some(filed) }))
    }

    /// Returns the bytes, and reads them if that was not done yet. An error says why they cannot be read; the next call
    /// tries again.
    pub(crate) fn get(&self) -> Result<&[u8], String> {
        let Place { bytes, filed } = &*self.0;
        match (bytes.get(), filed) {
            (Some(bytes), _) => Ok(bytes),
            (None, Some(filed)) => {
                let read = (filed.read)()?;
                Ok(bytes.get_or_init(|| read))
            }
            (None, None) => Err("they were never there".to_string()),
        }
    }

    /// Returns whether they are the same bytes in the same place, without reading them.
    pub(crate) fn is_same(&self, other: &AreaBytes) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }

    /// Returns whether they are these bytes; not if they cannot be read.
    pub(crate) fn is(&self, bytes: Option<&[u8]>) -> bool {
        bytes.is_some_and(|bytes| self.get().is_ok_and(|held| held == bytes))
    }

    /// Returns whether they are in memory.
    pub(crate) fn is_read(&self) -> bool {
        self.0.bytes.get().is_some()
    }
}

impl From<Vec<u8>> for AreaBytes {
    fn from(held: Vec<u8>) -> AreaBytes {
        AreaBytes(Arc::new(Place { bytes: OnceLock::from(held), filed: None }))
    }
}

/// Two areas in files are equal if their digests are.
impl PartialEq for AreaBytes {
    fn eq(&self, other: &AreaBytes) -> bool {
        let digest = |area: &AreaBytes| area.0.filed.as_ref().map(|filed| filed.digest);
        self.is_same(other)
            || (digest(self).is_some() && digest(self) == digest(other))
            || matches!((self.get(), other.get()), (Ok(one), Ok(other)) if one == other)
    }
}

impl Eq for AreaBytes {}

impl fmt::Debug for AreaBytes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0.bytes.get() {
            Some(bytes) => write!(f, "{} bytes", bytes.len()),
            None => f.write_str("in the file"),
        }
    }
}
