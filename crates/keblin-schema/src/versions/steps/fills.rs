//! Values computed from old ones: facts of levels, unlocks, fields; and where facts go that are now kept per
//! difficulty, or no longer are.

use crate::condition::compile_any;
use crate::condition::range::can_overflow;
use crate::condition::{Failing, Program, Type};
use crate::declare::check::place::misplaced;
use crate::declare::check::reach::Reachable;
use crate::declare::parse::level::ConditionDecl;
use crate::model::{FieldDef, Model};
use crate::name::Name;
use crate::program::Fact;
use crate::text::finding::{Code, Finding};
use keblin_model::Severity;

use super::resolve::{Paste, Resolving};
use super::{FactsStep, FieldStep, Take};

impl Resolving<'_> {
    pub(super) fn facts(&mut self) {
        let (before, now, decl) = (self.before, self.now, &self.decl.facts);
        let mut facts = FactsStep::default();
        let (was, is) = (before.level_facts_per_difficulty, now.level_facts_per_difficulty);
        let first = |ids: &[Name]| ids.first().map(ToString::to_string).unwrap_or_default();
        if is && !was {
            match &decl.at {
                Some(said) => match now.difficulty_named(&said.value) {
                    Some(at) => facts.at = Some(at),
                    None => {
                        let message = format!("version {} does not have a difficulty `{}`", now.version, said.value);
                        self.found.push(Finding::error(Code::UnknownName, said.span.clone(), message));
                    }
                },
                None => self.unaccounted(
                    "level_facts_per is now \"difficulty\", but the step does not give a difficulty for the old facts"
                        .to_string(),
                    Paste::Table(format!("[facts]\nat = \"{}\"", first(&now.difficulties))),
                ),
            }
        } else if let Some(said) = &decl.at {
            let message = "the facts of levels did not gain a difficulty".to_string();
            self.misfit(said.span.clone(), message, "leave `at` out");
        }
        if was && !is {
            match &decl.take {
                Some(said) if said.value == "all" => facts.take = Some(Take::All),
                Some(said) => match before.difficulty_named(&said.value) {
                    Some(one) => facts.take = Some(Take::One(one)),
                    None => {
                        let message =
                            format!("version {} does not have a difficulty `{}`", before.version, said.value);
                        self.found.push(Finding::error(Code::UnknownName, said.span.clone(), message));
                    }
                },
                None => self.unaccounted(
                    "level_facts_per was removed, but the step does not say which facts to take".to_string(),
                    Paste::Table("[facts]\ntake = \"all\"".to_string()),
                ),
            }
        } else if let Some(said) = &decl.take {
            let message = "the facts of levels did not lose a difficulty".to_string();
            self.misfit(said.span.clone(), message, "leave `take` out");
        }
        for (name, fill) in &decl.fills {
            let fact = match *name {
                "finished" => Fact::Finished,
                "stars" => Fact::Stars,
                "attempts" => Fact::Attempts,
                _ => Fact::Deaths,
            };
            self.fact_fills(fact, fill, &mut facts);
        }
        self.step.facts = facts;
    }

    fn fact_fills(&mut self, fact: Fact, fill: &ConditionDecl, facts: &mut FactsStep) {
        let now = self.now;
        let wanted = if fact == Fact::Finished { Type::Bool } else { Type::Int };
        let difficulties = if now.level_facts_per_difficulty { now.difficulties.len() } else { 1 };
        for (level, def) in now.levels.iter().enumerate() {
            for difficulty in 0..difficulties {
                // Computed facts go to the same place as the old ones.
                if facts.at.is_some_and(|at| at != difficulty) {
                    continue;
                }
                let on = now.difficulties.get(difficulty);
                let places: Vec<(&str, &Name, usize)> = [("level", &def.name, level)]
                    .into_iter()
                    .chain(on.map(|on| ("difficulty", on, difficulty)))
                    .collect();
                let Some((program, kind)) = self.expression(fill, &places) else { return };
                if kind != wanted {
                    let message = format!("{} is {wanted}, but this is {kind}", fact.as_str());
                    self.misfit(fill.span.clone(), message, "");
                    return;
                }
                facts.fills.push((fact, now.fact_index(level, difficulty), program));
            }
        }
    }

    /// Compiles an expression for each value of a field.
    pub(super) fn fill(&mut self, field: &FieldDef, fill: &ConditionDecl) -> FieldStep {
        let now = self.now;
        let wanted = Type::from(field.holds());
        let mut programs: Vec<(Program, Type)> = Vec::new();
        let mut cells = field.cells.clone().step_by(field.places);
        while let Some(cell) = cells.next() {
            let at = now.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
            let places: Vec<(&str, &Name, usize)> = field
                .per
                .iter()
                .zip(now.place_ids(&field.per, at))
                .filter_map(|(axis, id)| {
                    let index = now.axis_ids(*axis).position(|known| known == id)?;
                    Some((now.axis_name(*axis), id, index))
                })
                .collect();
            let Some((program, kind)) = self.expression(fill, &places) else { return FieldStep::AsDeclared };
            let is_wanted = self.type_now(kind) == wanted || kind == Type::Null && field.may_be_unset();
            if !is_wanted {
                let message = format!("{} is {}, but this is {kind}", field.name, field.holds());
                self.misfit(fill.span.clone(), message, "");
                return FieldStep::AsDeclared;
            }
            programs.push((program, kind));
            if !has_placeholder(&fill.text) {
                // The same expression at every place.
                let rest = cells.count();
                let one = programs.first().cloned();
                programs.extend(one.into_iter().cycle().take(rest));
                break;
            }
        }
        FieldStep::Filled(programs)
    }

    /// Converts an old type to a new one, because lists and shapes may have other positions.
    fn type_now(&self, kind: Type) -> Type {
        match kind {
            Type::List(Some(of)) => Type::List(self.kind_now(of)),
            Type::Items(of) => self.kind_now(of).map_or(kind, Type::Items),
            Type::Whole(of) => self.kind_now(of).map_or(kind, Type::Whole),
            plain => plain,
        }
    }

    /// Compiles the condition for an unlock, if the step has one.
    pub(super) fn unlock_fill(&mut self, index: usize) -> Option<Program> {
        let (decl, now) = (self.decl, self.now);
        let unlock = now.unlocks.get(index)?;
        let said =
            decl.named.iter().find(|said| said.path == "unlocks" && said.name.value == unlock.name.as_str());
        let fill = said?.fill.as_ref()?;
        if !unlock.latch {
            let message =
                format!("{} is unlocked whenever its condition is true, so it cannot be filled", unlock.name);
            self.misfit(fill.span.clone(), message, "leave `fill` out, or declare `latch = true`");
            return None;
        }
        let (program, kind) = self.expression(fill, &[("unlock", &unlock.name, index)])?;
        if kind != Type::Bool {
            let message = format!("an unlock is true or false, but this is {kind}");
            self.misfit(fill.span.clone(), message, "");
            return None;
        }
        Some(program)
    }

    /// Compiles an expression over the old values, at a place: `{level}` in it is the id of the level there,
    /// `{number}` the position of the first id, from 1.
    pub(super) fn expression(
        &mut self,
        fill: &ConditionDecl,
        places: &[(&str, &Name, usize)],
    ) -> Option<(Program, Type)> {
        self.expression_in(self.before, fill, places)
    }

    /// Compiles an expression against a model.
    pub(super) fn expression_in(
        &mut self,
        model: &Model,
        fill: &ConditionDecl,
        places: &[(&str, &Name, usize)],
    ) -> Option<(Program, Type)> {
        let mut text = fill.text.clone();
        for (axis, id, _) in places {
            text = text.replace(&format!("{{{axis}}}"), id.as_str());
        }
        if let Some((_, _, index)) = places.first() {
            text = text.replace("{number}", &(index + 1).to_string());
        }
        let is_plain = !has_placeholder(&fill.text);
        let compiled = compile_any(model, &text);
        match compiled {
            Ok((program, kind)) => {
                if let Some((_, why)) = program.can_fail() {
                    let why = if why == Failing::Unset { "unset" } else { "zero" };
                    let finding = Finding::error(
                        Code::FailingRule,
                        fill.span.clone(),
                        format!("something in `{text}` can be {why}; then there is no value"),
                    );
                    self.found.push(finding.instead("test for null first, as in `best != null && best > 3`"));
                    return None;
                }
                // Reported once for all places.
                let is_told = |told: &Finding| told.code == Code::FailingRule && told.span == fill.span;
                if can_overflow(&program, &Reachable::everything(model)) && !self.found.iter().any(is_told) {
                    let message = format!(
                        "a number in `{text}` can exceed 64 bits; a save with such a value is left untouched and does not open"
                    );
                    let finding = Finding::error(Code::FailingRule, fill.span.clone(), message);
                    let instead = "limit it, as in `least(parcels, 1000000) * 3`";
                    self.found.push(finding.as_severity(Severity::Warning).instead(instead));
                }
                Some((program, kind))
            }
            Err(error) if is_plain => {
                self.found.push(misplaced(error, fill));
                None
            }
            Err(error) => {
                let finding = Finding::error(
                    Code::Condition,
                    fill.span.clone(),
                    format!("in `{text}`: {}", error.message),
                );
                self.found.push(match error.instead {
                    Some(instead) => finding.instead(instead),
                    None => finding,
                });
                None
            }
        }
    }
}

/// Returns whether an expression differs from place to place.
fn has_placeholder(text: &str) -> bool {
    text.contains('{')
}
