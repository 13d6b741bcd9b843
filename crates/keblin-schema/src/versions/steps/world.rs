//! Kinds of objects and areas: a step cannot convert objects that a save holds, so that their shape stays.

use super::resolve::Resolving;
use crate::text::finding::{Code, Finding};
use crate::versions::diff::{Class, differences_of_the_world};

impl Resolving<'_> {
    /// Refuses every change that a saved object could not follow.
    pub(super) fn world(&mut self) {
        let changes = differences_of_the_world(self.before, self.now);
        for change in changes.iter().filter(|change| change.class == Class::Shape) {
            let message = format!("{change}, and a step cannot convert objects of the world");
            let finding = Finding::error(Code::StepMisfit, 0..0, message);
            self.found.push(finding.instead("keep it as it was; new kinds, fields and areas can be added"));
        }
    }
}
