//! The ledger: what was done, and what each of it had seen. It knows nothing of saves.

use std::collections::BTreeSet;

/// The entries of the ledger that went into something.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Mask(BTreeSet<usize>);

impl Mask {
    pub(super) fn join(&mut self, other: &Mask) {
        self.0.extend(&other.0);
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Did {
    /// What was gained within the bound.
    Fish(i64),
    /// What was added or spent within the bounds.
    Coins(i64),
    Best(i64),
    Entry(i64),
    Item(i64),
    Note(i64),
    Attempt,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum What {
    Did(Did),
    Erased(&'static str),
    ErasedAll,
}

/// What a game holds.
#[derive(Debug)]
pub(super) struct Held {
    pub(super) fish: i64,
    pub(super) coins: i64,
    pub(super) best: Option<i64>,
    pub(super) table: Vec<i64>,
    pub(super) items: BTreeSet<i64>,
    pub(super) note: i64,
    pub(super) attempts: u64,
}

#[derive(Clone, Debug)]
struct Entry {
    what: What,
    seen: Mask,
    /// How often everything had been erased, and the field of the entry.
    erased: (usize, usize),
    /// What was missing and what was too much of the coins when they were changed: by then, both are settled.
    settled: (i64, i64),
}

/// What the coins are at the start, and their bounds.
const COINS: (i64, i64, i64) = (10, 0, 25);

#[derive(Clone, Debug, Default)]
pub(super) struct Ledger(Vec<Entry>);

/// Returns what a save sees of what was done since the last one: of the coins, the difference.
pub(super) fn at_once(mut done: Vec<What>) -> Vec<What> {
    let of = |what: &What| match what {
        What::Did(Did::Coins(by)) => *by,
        _ => 0,
    };
    let by = done.iter().map(of).sum();
    done.retain(|what| field(*what) != "coins" || matches!(what, What::Erased(_)));
    if by != 0 {
        // An erasure is saved at once, so it is the last.
        done.insert(0, What::Did(Did::Coins(by)));
    }
    done
}

fn field(what: What) -> &'static str {
    match what {
        What::Did(Did::Fish(_)) => "fish",
        What::Did(Did::Coins(_)) => "coins",
        What::Did(Did::Best(_)) => "best",
        What::Did(Did::Entry(_)) => "table",
        What::Did(Did::Item(_)) => "items",
        What::Did(Did::Note(_)) => "note",
        What::Did(Did::Attempt) => "attempts",
        What::Erased(field) => field,
        What::ErasedAll => "everything",
    }
}

impl Ledger {
    /// Returns a number that no entry has.
    pub(super) fn next(&self) -> i64 {
        1_000 + i64::try_from(self.0.len()).unwrap() * 50 + i64::from(fastrand::u8(..50))
    }

    pub(super) fn words(&self) -> impl Iterator<Item = String> + '_ {
        self.0.iter().map(|entry| match entry.what {
            What::Did(_) => field(entry.what).to_string(),
            What::Erased(_) => "erased".to_string(),
            What::ErasedAll => "erased all".to_string(),
        })
    }

    /// Notes what was done by somebody who had seen this, and has it now too.
    pub(super) fn note(&mut self, what: What, mask: &mut Mask) {
        let all = self.all(mask);
        let erased = (all, self.of(mask, all, field(what)));
        let (total, (missing, too_much)) = self.coins(mask);
        let shown = total.clamp(COINS.1, COINS.2);
        let settled = (missing + (shown - total).max(0), too_much + (total - shown).max(0));
        self.0.push(Entry { what, seen: mask.clone(), erased, settled });
        mask.0.insert(self.0.len() - 1);
    }

    fn entries<'l>(&'l self, mask: &'l Mask) -> impl Iterator<Item = (usize, &'l Entry)> {
        mask.0.iter().map(|index| (*index, &self.0[*index]))
    }

    /// Returns how often everything was erased.
    fn all(&self, mask: &Mask) -> usize {
        let levels =
            self.entries(mask).map(|(_, entry)| entry.erased.0 + usize::from(entry.what == What::ErasedAll));
        levels.max().unwrap_or(0)
    }

    /// Returns how often a field was erased since everything was.
    fn of(&self, mask: &Mask, all: usize, name: &str) -> usize {
        let of = self.entries(mask).filter(|(_, entry)| field(entry.what) == name && entry.erased.0 == all);
        let levels = of.map(|(_, entry)| entry.erased.1 + usize::from(matches!(entry.what, What::Erased(_))));
        levels.max().unwrap_or(0)
    }

    /// Returns what counts of a field.
    fn alive<'l>(&'l self, mask: &'l Mask, name: &str) -> Vec<(usize, &'l Entry, Did)> {
        let all = self.all(mask);
        let erased = (all, self.of(mask, all, name));
        let of = self.entries(mask).filter(|(_, entry)| field(entry.what) == name && entry.erased == erased);
        let did = of.filter_map(|(index, entry)| match entry.what {
            What::Did(did) => Some((index, entry, did)),
            _ => None,
        });
        did.collect()
    }

    /// Returns all coins, also those out of bounds, and what of them was settled.
    fn coins(&self, mask: &Mask) -> (i64, (i64, i64)) {
        let (mut total, mut settled) = (COINS.0, (0, 0));
        for (_, entry, did) in self.alive(mask, "coins") {
            if let Did::Coins(by) = did {
                total += by;
                settled = (settled.0.max(entry.settled.0), settled.1.max(entry.settled.1));
            }
        }
        (total + settled.0 - settled.1, settled)
    }

    /// Compares what a game holds with what was done.
    pub(super) fn agrees(&self, mask: &Mask, held: &Held) -> Result<(), String> {
        let numbers = |name: &str| {
            let done = self.alive(mask, name).into_iter();
            done.map(|(_, _, did)| match did {
                Did::Fish(value)
                | Did::Coins(value)
                | Did::Best(value)
                | Did::Entry(value)
                | Did::Item(value) => value,
                Did::Note(value) => value,
                Did::Attempt => 1,
            })
            .collect::<Vec<i64>>()
        };
        let is = |name: &str, is: String, wanted: String| match is == wanted {
            true => Ok(()),
            false => Err(format!("{name}: {is} where the ledger says {wanted}")),
        };
        is("fish", held.fish.to_string(), numbers("fish").iter().sum::<i64>().min(60).to_string())?;
        let coins = self.coins(mask).0.clamp(COINS.1, COINS.2);
        is("coins", held.coins.to_string(), coins.to_string())?;
        is("best", format!("{:?}", held.best), format!("{:?}", numbers("best").into_iter().max()))?;
        let mut table = numbers("table");
        table.sort_unstable_by_key(|value| -value);
        table.truncate(3);
        is("table", format!("{:?}", held.table), format!("{table:?}"))?;
        let items: BTreeSet<i64> = numbers("items").into_iter().collect();
        is("items", format!("{:?}", held.items), format!("{items:?}"))?;
        is("attempts", held.attempts.to_string(), numbers("attempts").len().to_string())?;
        // Of plain values, one that no other had seen.
        let notes = self.alive(mask, "note");
        let is_last = |index: &usize| notes.iter().all(|(_, other, _)| !other.seen.0.contains(index));
        let last = notes.iter().filter(|(index, ..)| is_last(index)).filter_map(|(_, _, did)| match did {
            Did::Note(value) => Some(*value),
            _ => None,
        });
        let last: Vec<i64> = last.collect();
        match last.contains(&held.note) || last.is_empty() && held.note == 0 {
            true => Ok(()),
            false => Err(format!("note: {} where the ledger allows {last:?}", held.note)),
        }
    }
}
