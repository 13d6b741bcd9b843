//! A keeper that is reached from anywhere, for games that cannot pass it through their code.

use std::fmt;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::thread::{self, ThreadId};

use thiserror::Error;

/// The place of a game's one keeper. `schema!` makes one, with the functions `install`, `with` and `uninstall`.
#[derive(Debug)]
pub struct Installed<K> {
    keeper: Mutex<Option<K>>,
    /// The thread that uses it.
    user: Mutex<Option<ThreadId>>,
}

/// Why a keeper could not be installed or reached.
#[derive(Clone, Copy, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum InstallError {
    /// One is installed already.
    #[error("a keeper is installed already; take it out with `uninstall` first")]
    Twice,
    /// This thread is using it already: a call of `with` inside another.
    #[error("`with` inside another `with`: pass the outer keeper down instead of calling `with` again")]
    Nested,
    /// None is installed.
    #[error("expected an installed keeper; call `install` after opening the slot")]
    Missing,
}

keblin_model::debug_as_display!(InstallError);

/// Takes the installed keeper out when it is dropped, so that it saves. Hold one in `main`, because an installed
/// keeper is in a static, and statics are not dropped when a program ends.
///
/// It saves when `main` returns and when it panics. Nothing can save when the program is killed, aborts, or calls
/// `std::process::exit`: then the slot opens with the last save. So save in time, by `autosave` and at
/// [`suspend`](crate::Keeper::suspend).
#[must_use = "dropping the guard takes the keeper out: hold it while the game runs"]
pub struct InstalledGuard<K: 'static> {
    of: &'static Installed<K>,
}

impl<K: 'static> Drop for InstalledGuard<K> {
    fn drop(&mut self) {
        // Dropping a keeper saves it. If it was taken out already, or this thread is using it, there is nothing to
        // do.
        drop(self.of.uninstall());
    }
}

impl<K: 'static> fmt::Debug for InstalledGuard<K> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("InstalledGuard")
    }
}

/// A keeper that could not be installed, and why.
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

/// One thread's use of the keeper, which ends when it is dropped, even by a panic.
struct Use<'i, K> {
    of: &'i Installed<K>,
    keeper: MutexGuard<'i, Option<K>>,
}

impl<K> Drop for Use<'_, K> {
    fn drop(&mut self) {
        *locked(&self.of.user) = None;
    }
}

/// The contents are always valid, so a panic elsewhere does not matter.
fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl<K> Installed<K> {
    /// Returns a place without a keeper.
    #[must_use]
    pub const fn none() -> Installed<K> {
        Installed { keeper: Mutex::new(None), user: Mutex::new(None) }
    }

    /// Waits for another thread's use; waiting for this thread's own would never end.
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
    /// error returns the keeper.
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

    /// Installs a keeper for as long as the guard is held; dropping the guard saves and closes it.
    ///
    /// # Errors
    /// As [`Installed::install`].
    pub fn install_guarded(&'static self, keeper: K) -> Result<InstalledGuard<K>, NotInstalled<K>> {
        self.install(keeper).map(|()| InstalledGuard { of: self })
    }

    /// Calls a function with the keeper, once no other thread uses it.
    ///
    /// # Errors
    /// [`InstallError::Missing`] if none is installed, [`InstallError::Nested`] inside another call on this thread.
    pub fn with<R>(&self, act: impl FnOnce(&mut K) -> R) -> Result<R, InstallError> {
        self.used()?.keeper.as_mut().map(act).ok_or(InstallError::Missing)
    }

    /// Takes the keeper out, so that it can be closed.
    ///
    /// # Errors
    /// As [`Installed::with`].
    pub fn uninstall(&self) -> Result<K, InstallError> {
        self.used()?.keeper.take().ok_or(InstallError::Missing)
    }
}
