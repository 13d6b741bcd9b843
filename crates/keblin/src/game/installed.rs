//! A keeper that is reached from anywhere, for games whose parts do not hand one another things.

use std::fmt;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::thread::{self, ThreadId};

use thiserror::Error;

/// The place for a game's one keeper. `schema!` makes one with the functions `install`, `with` and `uninstall`.
#[derive(Debug)]
pub struct Installed<K> {
    keeper: Mutex<Option<K>>,
    /// The thread that is using it.
    user: Mutex<Option<ThreadId>>,
}

/// Why a keeper was not installed, or not reached.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum InstallError {
    /// One is installed already.
    #[error("a keeper is installed already; take it out with `uninstall` first")]
    Twice,
    /// It is being used by this very thread: a call of `with` inside another.
    #[error(
        "`with` inside another `with`: hand the keeper of the outer one on instead of reaching for it again"
    )]
    Nested,
    /// None is installed.
    #[error("no keeper is installed; call `install` once the slot is open")]
    Missing,
}

/// Takes an installed keeper out when it is dropped, so that it is saved. Hold one in `main`: what is installed lies in a
/// static, and a program that ends drops no statics.
///
/// It saves when `main` returns, and when it panics. Nothing can save when the program is killed, aborts, or ends by
/// `std::process::exit`: then the slot opens with what was last saved. Save in time, by `autosave` and at
/// [`suspend`](crate::Keeper::suspend).
#[must_use = "dropping the guard takes the keeper out: hold it as long as the game runs"]
pub struct InstalledGuard<K: 'static> {
    of: &'static Installed<K>,
}

impl<K: 'static> Drop for InstalledGuard<K> {
    fn drop(&mut self) {
        // Dropping a keeper saves. If it is gone already, or in use by this very thread, there is nothing to be done here.
        drop(self.of.uninstall());
    }
}

impl<K: 'static> fmt::Debug for InstalledGuard<K> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("InstalledGuard")
    }
}

/// A keeper that was not installed, and why.
#[derive(Debug)]
#[non_exhaustive]
pub struct NotInstalled<K> {
    /// The keeper.
    pub keeper: K,
    /// Why.
    pub error: InstallError,
}

impl<K> fmt::Display for NotInstalled<K> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.error.fmt(f)
    }
}

impl<K: fmt::Debug> std::error::Error for NotInstalled<K> {}

/// The use of it by a thread, until it is dropped, whatever happens meanwhile.
struct Use<'i, K> {
    of: &'i Installed<K>,
    keeper: MutexGuard<'i, Option<K>>,
}

impl<K> Drop for Use<'_, K> {
    fn drop(&mut self) {
        *locked(&self.of.user) = None;
    }
}

/// What is held is whole at every instant, so a panic elsewhere spoils nothing.
fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl<K> Installed<K> {
    /// None is installed yet.
    #[must_use]
    pub const fn none() -> Installed<K> {
        Installed { keeper: Mutex::new(None), user: Mutex::new(None) }
    }

    /// Another thread's use is waited for; this thread's own would be waited for in vain.
    fn used(&self) -> Result<Use<'_, K>, InstallError> {
        let this = thread::current().id();
        if *locked(&self.user) == Some(this) {
            return Err(InstallError::Nested);
        }
        let keeper = locked(&self.keeper);
        *locked(&self.user) = Some(this);
        Ok(Use { of: self, keeper })
    }

    /// Installs a keeper.
    ///
    /// # Errors
    /// [`InstallError::Twice`] if one is installed already, [`InstallError::Nested`] inside [`Installed::with`]; the
    /// keeper comes back.
    pub fn install(&self, keeper: K) -> Result<(), NotInstalled<K>> {
        match self.used() {
            Ok(used) if used.keeper.is_some() => Err(NotInstalled { keeper, error: InstallError::Twice }),
            Ok(mut used) => {
                *used.keeper = Some(keeper);
                Ok(())
            }
            Err(error) => Err(NotInstalled { keeper, error }),
        }
    }

    /// Installs a keeper for as long as the guard is held; dropping that saves and closes it.
    ///
    /// # Errors
    /// As [`Installed::install`].
    pub fn install_guarded(&'static self, keeper: K) -> Result<InstalledGuard<K>, NotInstalled<K>> {
        self.install(keeper).map(|()| InstalledGuard { of: self })
    }

    /// Does something with the keeper, once no other thread does.
    ///
    /// # Errors
    /// [`InstallError::Missing`] if none is installed, [`InstallError::Nested`] inside another call on this thread.
    pub fn with<R>(&self, act: impl FnOnce(&mut K) -> R) -> Result<R, InstallError> {
        self.used()?.keeper.as_mut().map(act).ok_or(InstallError::Missing)
    }

    /// Takes the keeper out, to be closed.
    ///
    /// # Errors
    /// As [`Installed::with`].
    pub fn uninstall(&self) -> Result<K, InstallError> {
        self.used()?.keeper.take().ok_or(InstallError::Missing)
    }
}
