//! Kinds of objects and areas of the world, as text.

use super::{Normal, id_list};
use crate::model::{Areas, OnDeath, OnReset, OnRetry};

impl Normal<'_> {
    pub(super) fn world(&mut self) {
        for kind in &self.model.object_kinds {
            self.heading(&format!("[kinds.{}]", kind.name));
            for (key, word, usual) in [
                ("on_death", kind.on_death.as_str(), OnDeath::Stays.as_str()),
                ("on_retry", kind.on_retry.as_str(), OnRetry::Stays.as_str()),
                ("on_new_run", kind.on_new_run.as_str(), OnReset::Default.as_str()),
            ] {
                if word != usual {
                    self.word(key, word);
                }
            }
            if kind.time_away {
                self.key("time_away", "true");
            }
            for field in &kind.fields {
                self.heading(&format!("[kinds.{}.fields.{}]", kind.name, field.name));
                self.member(field);
            }
        }
        match &self.model.areas {
            Areas::Grid([x, y]) => {
                self.heading("[areas]");
                self.key("grid", &format!("[{x}, {y}]"));
            }
            Areas::Named(areas) => {
                for area in areas {
                    self.heading("[[areas]]");
                    self.word("id", area.name.as_str());
                    if let Some(kinds) = &area.kinds {
                        let names = kinds.iter().filter_map(|kind| self.model.object_kinds.get(*kind));
                        self.key("kinds", &id_list(names.map(|kind| &kind.name)));
                    }
                }
            }
        }
    }
}
