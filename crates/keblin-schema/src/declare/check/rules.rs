//! Lives and costs: rules between fields. Each takes the declarations and completes the model.

use crate::declare::parse::{Declarations, Placed};
use crate::model::{Bound, Lives, Model, OnDeath, OnRetry, Scope};
use crate::name::nearest;
use crate::text::finding::{Code, Finding};
use crate::value::Value;
use crate::value::keep::Keep;
use crate::value::kind::Kind;

/// Resolves the name of a field, or reports it with the nearest name.
pub(super) fn field_named(
    declared: &Declarations,
    model: &Model,
    name: &Placed<String>,
    found: &mut Vec<Finding>,
) -> Option<usize> {
    let field = model.field_named(&name.value).map(|(index, _)| index);
    if field.is_none() && !declared.faulty_fields.contains(&name.value) {
        let message = format!("`{}` is not a declared field", name.value);
        let finding = Finding::error(Code::UnknownName, name.span.clone(), message);
        let known = model.fields.iter().map(|field| field.name.as_str());
        found.push(match nearest(&name.value, known) {
            Some(nearest) => finding.instead(format!("did you mean `{nearest}`?")),
            None => finding.instead(format!("declare it: [fields.{}]", name.value)),
        });
    }
    field
}

/// Resolves what unlocks cost: numbers of the profile that can be spent.
pub(super) fn costs(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    for (index, unlock) in declared.unlocks.iter().enumerate() {
        let mut costs = Vec::new();
        for (name, price) in &unlock.costs {
            let Some(at) = field_named(declared, model, name, found) else { continue };
            let Some(field) = model.fields.get(at) else { continue };
            let is_price = match field.kind {
                Kind::Int => matches!(price.value, Value::Int(_)),
                Kind::Float => matches!(price.value, Value::Float(_)),
                Kind::Time => matches!(price.value, Value::Time(_)),
                _ => false,
            };
            let (wrong, span) = match (field.scope, field.keep) {
                _ if !matches!(field.kind, Kind::Int | Kind::Float | Kind::Time) => {
                    ("is not a number or a time", &name.span)
                }
                _ if !is_price => ("has another type than this price", &price.span),
                (scope, _) if scope != Scope::Profile => ("does not have profile scope", &name.span),
                (_, keep) if !keep.is_free() => ("cannot be spent, because of its `keep`", &name.span),
                _ if !field.per.is_empty() => ("has more than one value", &name.span),
                _ => {
                    costs.push((at, price.value.clone()));
                    continue;
                }
            };
            let message = format!("`{}` {wrong}", field.name);
            let finding = Finding::error(Code::WrongType, span.clone(), message);
            found
                .push(finding.instead("a price is paid from one number of profile scope, such as `coppers`"));
        }
        if let Some(def) = model.unlocks.get_mut(index) {
            def.costs = costs;
        }
    }
}

/// Resolves the lives rule: a field that counts lives, and that only a new run refills.
pub(super) fn lives(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    let Some(rule) = &declared.lives else { return };
    let Some(name) = &rule.field else { return };
    let Some(index) = field_named(declared, model, name, found) else { return };
    let Some((def, decl)) = model.fields.get(index).zip(declared.fields.get(index)) else { return };
    let said_death = decl.on_death.as_ref().map(|word| word.value);
    let misfits = [
        (def.kind != Kind::Int, "counts lives, so it must be an int", "type = \"int\""),
        (def.scope != Scope::Run, "counts the lives of a run", "scope = \"run\""),
        (def.keep != Keep::Latest, "goes up and down", "keep = \"latest\""),
        (!def.per.is_empty(), "is one number", "no `per`"),
        (
            def.min.as_ref().and_then(Bound::fixed) != Some(&Value::Int(0)),
            "must reach 0 when no life is left",
            "min = 0",
        ),
        (
            said_death != Some(OnDeath::Stays),
            "would regain the life a death just took",
            "on_death = \"stays\"",
        ),
        (def.survival.on_retry != OnRetry::Stays, "would be refilled by a retry", "on_retry = \"stays\""),
        (
            def.kind == Kind::Int && def.default.number().is_some_and(|lives| lives < 1),
            "would start a run without lives",
            "default = 3",
        ),
    ];
    // With another type or scope the rest is not about lives.
    let only_first = def.kind != Kind::Int || def.scope != Scope::Run;
    let misfits = misfits.iter().filter(|(misfit, _, _)| *misfit);
    for (_, why, instead) in misfits.take(if only_first { 1 } else { usize::MAX }) {
        let message = format!("the lives field `{}` {why}", def.name);
        let finding = Finding::error(Code::LivesMisfit, decl.name.span.clone(), message);
        found.push(finding.instead(format!("write `{instead}`")));
    }
    model.lives = Some(Lives { field: index, at_zero: rule.at_zero });
}
