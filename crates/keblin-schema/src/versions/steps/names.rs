//! Lists of names: the old name of each new one, from the step, or else the same name.

use crate::name::{Name, nearest};
use crate::text::finding::{Code, Finding};

use super::decl::{NamedDecl, Said};
use super::pairs::Pairs;
use super::resolve::{Paste, Resolving};

impl Resolving<'_> {
    /// Resolves the stars of each level. In a save of the old version they have ids, or only positions; then a star is
    /// the one with the same condition.
    pub(super) fn stars(&mut self) {
        let (before, now) = (self.before, self.now);
        for (level, from) in now.levels.iter().zip(self.step.levels.clone()) {
            let places = match from.and_then(|from| Some((from, before.levels.get(from)?))) {
                Some((from, old)) if before.collects_by_id(from) => self.pairs(&Pairs {
                    path: format!("levels.{}.stars", level.name),
                    old_path: format!("levels.{}.stars", old.name),
                    what: "star",
                    of: format!(" of {}", old.name),
                    before: old.star_ids.iter().collect(),
                    now: level.star_ids.iter().collect(),
                    perhaps_by_place: true,
                }),
                Some((_, old)) => level.star_places(old),
                None => vec![None; level.star_rules.len()],
            };
            self.step.stars.push(places);
        }
    }

    /// Returns the old position of each new name; reports each old name that is left.
    pub(super) fn pairs(&mut self, pairs: &Pairs<'_>) -> Vec<Option<usize>> {
        let decl = self.decl;
        let said: Vec<&NamedDecl> = decl.named.iter().filter(|said| said.path == pairs.path).collect();
        let froms = said.iter().filter_map(|said| Some((&said.name, said.from.as_ref()?)));
        let mut taken = self.taken(pairs, &froms.collect::<Vec<_>>());
        self.account(pairs, &mut taken, |pairs, now, old| {
            format!("[{}.{now}]\nfrom = \"{old}\"", pairs.path)
        });
        taken
    }

    /// Returns the old position from the step, or else by name.
    pub(super) fn taken(
        &mut self,
        pairs: &Pairs<'_>,
        froms: &[(&Said<String>, &Said<String>)],
    ) -> Vec<Option<usize>> {
        let mut taken = vec![None; pairs.now.len()];
        for (name, from) in froms {
            let place = pairs.now.iter().position(|now| now.as_str() == name.value);
            let old = pairs.before.iter().position(|old| old.as_str() == from.value);
            match (place, old) {
                (Some(_), None) => {
                    let message = format!(
                        "version {} does not have a {} `{}`{}",
                        self.before.version, pairs.what, from.value, pairs.of
                    );
                    let finding = Finding::error(Code::UnknownName, from.span.clone(), message);
                    let known = pairs.before.iter().map(|old| old.as_str());
                    self.found.push(match nearest(&from.value, known) {
                        Some(near) => finding.instead(format!("did you mean `{near}`?")),
                        None => finding,
                    });
                }
                (Some(_), Some(old)) if taken.contains(&Some(old)) => {
                    let message = format!("`{}` is carried to two places", from.value);
                    let finding = Finding::error(Code::SameId, from.span.clone(), message);
                    self.found.push(finding.instead("carry it once, and use `fill` for the other"));
                }
                (Some(place), Some(old)) => {
                    taken.get_mut(place).into_iter().for_each(|taken| *taken = Some(old));
                }
                // Reported as an unknown name.
                (None, _) => {}
            }
        }
        for (index, now) in pairs.now.iter().enumerate() {
            let same = pairs.before.iter().position(|old| old == now);
            let Some(same) = same.filter(|same| !taken.contains(&Some(*same))) else { continue };
            let path = format!("{}.{now}", pairs.old_path);
            if taken.get(index) == Some(&None) && !self.is_dropped(&path) {
                taken.get_mut(index).into_iter().for_each(|taken| *taken = Some(same));
            }
        }
        taken
    }

    /// Checks that every old name is carried or dropped.
    pub(super) fn account(
        &mut self,
        pairs: &Pairs<'_>,
        taken: &mut [Option<usize>],
        rename: impl Fn(&Pairs<'_>, &Name, &Name) -> String,
    ) {
        for (index, old) in pairs.before.iter().enumerate() {
            let path = format!("{}.{old}", pairs.old_path);
            if taken.contains(&Some(index)) || self.is_dropped(&path) {
                continue;
            }
            let gone = format!(
                "{} {old}{} of version {} was removed, but the step neither renames nor drops it",
                pairs.what, pairs.of, self.before.version
            );
            match pairs.perhaps(index, taken) {
                Some(now) => {
                    let paste = rename(pairs, now, old);
                    self.unaccounted(format!("{gone}; perhaps it is now {now}"), Paste::Table(paste));
                }
                None => self.unaccounted(gone, Paste::Drop(path)),
            }
        }
    }
}
