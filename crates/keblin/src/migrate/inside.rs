//! Converts what is in a shape: its members, and the lists, sets and maps in them.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin_model::kind::Kind;
use keblin_model::model::{Limits, MemberDef};
use keblin_model::versions::step::Misfit;
use keblin_model::{Name, Value};

use super::convert::{Fit, Unfit, unfit, within};
use super::places::Places;
use super::scalar::Scalars;

impl Scalars<'_> {
    /// Converts the items of a list, set or map in a shape. An item that names something removed is left out.
    fn items(&self, before: &Value, old: &MemberDef, now: &MemberDef, misfit: Misfit) -> Fit {
        let (Some(was), Some(is)) = (&old.items, &now.items) else { return Ok(None) };
        let most = is.max_items;
        if before.len() > most && misfit == Misfit::Refuse {
            return Err(unfit(None, format!("it has more than {most} items")));
        }
        let one = |value: &Value, was: Kind, is: Kind, limits: &Limits| {
            let made = self.scalar(value, was, is).and_then(|value| match value {
                Some(value) => {
                    within(value, limits.min.as_ref(), limits.max.as_ref(), limits.max_len).map(Some)
                }
                None => Ok(None),
            });
            match (made, misfit) {
                (Err(unfit), Misfit::Refuse) => Err(unfit),
                (Err(Unfit { nearest, .. }), Misfit::Nearest) => Ok(nearest),
                (Err(_), _) => Ok(None),
                (made, _) => made,
            }
        };
        let item = |value: &Value| one(value, was.of, is.of, &is.limits);
        let all = |values: &mut dyn Iterator<Item = &Value>| -> Result<Vec<Value>, Unfit> {
            values.filter_map(|value| item(value).transpose()).take(most).collect()
        };
        Ok(Some(match before {
            Value::List(values) => Value::List(all(&mut values.iter())?.into()),
            Value::Set(values) => Value::Set(Arc::new(all(&mut values.iter())?.into_iter().collect())),
            Value::Map(entries) => {
                let keys = Limits::between(None, None, is.limits.max_len);
                let (key_was, key_is) = (was.key.unwrap_or(Kind::Text), is.key.unwrap_or(Kind::Text));
                let mut made = BTreeMap::new();
                for (key, value) in entries.iter() {
                    if let (Some(key), Some(value)) = (one(key, key_was, key_is, &keys)?, item(value)?) {
                        made.insert(key, value);
                    }
                }
                Value::Map(Arc::new(made.into_iter().take(most).collect()))
            }
            _ => return Ok(None),
        }))
    }

    /// Converts a member of a shape, or a field of an object.
    pub(super) fn member(
        &self,
        before: &Value,
        old: &MemberDef,
        now: &MemberDef,
        misfit: Misfit,
    ) -> Result<Value, Unfit> {
        if *before == Value::Unset && now.default == Value::Unset {
            return Ok(Value::Unset);
        }
        if now.items.is_some() {
            return Ok(self.items(before, old, now, misfit)?.unwrap_or_else(|| now.default.clone()));
        }
        let limits = &now.limits;
        let fit = self.scalar(before, old.kind, now.kind).and_then(|value| match value {
            Some(value) => within(value, limits.min.as_ref(), limits.max.as_ref(), limits.max_len).map(Some),
            None => Ok(None),
        });
        match (fit, misfit) {
            (Ok(value), _) => Ok(value.unwrap_or_else(|| now.default.clone())),
            (Err(unfit), Misfit::Refuse) => Err(unfit),
            (Err(Unfit { nearest: Some(nearest), .. }), Misfit::Nearest) => Ok(nearest),
            (Err(_), _) => Ok(now.default.clone()),
        }
    }

    pub(super) fn shape(&self, members: &[(Name, Value)], was: Kind, shape: u16) -> Fit {
        let Places { step, old, now } = self.places;
        let old_members = match was {
            Kind::Shape(old_shape) => {
                old.shapes.get(usize::from(old_shape)).map_or(&[][..], |shape| &shape.members)
            }
            _ => &[],
        };
        let froms = step.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
        let new_members = now.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
        let mut made = Vec::new();
        for (member, from) in new_members.iter().zip(froms) {
            let before = from.from.and_then(|from| Some((old_members.get(from)?, &members.get(from)?.1)));
            let value = match before {
                None => member.default.clone(),
                Some((old, value)) => self.member(value, old, member, from.misfit)?,
            };
            made.push((member.name.clone(), value));
        }
        Ok(Some(Value::Shape(made.into())))
    }
}
