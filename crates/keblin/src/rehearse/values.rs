//! Steps that write values: parses the names and values in a line.

use std::ops::Range;
use std::sync::Arc;

use keblin_model::kind::{Holds, Ids};
use keblin_model::model::Again;
use keblin_model::names::{Asked, named};
use keblin_model::value::Best;
use keblin_model::{Kind, Value};
use keblin_schema::Finding;

use super::parse::{Words, bad, meant};
use super::step::Step;
use crate::progress::items::ItemPlace;

impl Words<'_> {
    pub(super) fn suppose(&mut self) -> Result<Step, Finding> {
        let start = self.at;
        if let Some(moment) = self.next().and_then(|(word, _)| word.strip_prefix("reported.")) {
            return self.suppose_reported(moment);
        }
        self.at = start;
        let (asked, _) = self.name()?;
        self.equals()?;
        let value = match asked {
            Asked::Furthest => self.value_of(Kind::Id(Ids::Levels).into())?,
            _ => self.value(&asked)?,
        };
        Ok(Step::Suppose(asked, value))
    }

    /// `suppose reported.lamp_out = true`
    fn suppose_reported(&mut self, moment: &str) -> Result<Step, Finding> {
        let span = self.offset + self.at - moment.len()..self.offset + self.at;
        let known = self.schema.moments.iter();
        let known = known.filter(|moment| moment.again != Again::EachTime).map(|moment| moment.name.as_str());
        let known: Vec<&str> = known.collect();
        let found = self.schema.moment(moment).ok().filter(|_| known.contains(&moment));
        let found = found.ok_or_else(|| {
            let message =
                format!("`{moment}` is not a moment that is reported once in a level, run or profile");
            meant(bad(span, message), moment, &known)
        })?;
        self.equals()?;
        match self.value_of(Kind::Bool.into())? {
            Value::Bool(yes) => Ok(Step::SupposeReported(found, yes)),
            _ => Err(bad(self.offset..self.offset + self.text.len(), "expected true or false")),
        }
    }

    pub(super) fn equals(&mut self) -> Result<(), Finding> {
        match self.expected("`=`")? {
            ("=", _) => Ok(()),
            (sign, span) => Err(bad(span, format!("expected `=`, but found `{sign}`"))),
        }
    }

    pub(super) fn write(&mut self, step: fn(Asked, Value) -> Step) -> Result<Step, Finding> {
        let (asked, span) = self.name()?;
        if !matches!(asked, Asked::Field { .. }) {
            return Err(
                bad(span, "only fields can be written; facts follow from events").instead("use `suppose`")
            );
        }
        let value = self.value(&asked)?;
        Ok(step(asked, value))
    }

    /// `submit FIELD VALUE`, `submit FIELD VALUE with { MEMBER = VALUE }`
    pub(super) fn submit(&mut self) -> Result<Step, Finding> {
        let Step::Submit(asked, value) = self.write(Step::Submit)? else {
            return Err(bad(0..0, "expected a value to submit"));
        };
        match self.next() {
            None => Ok(Step::Submit(asked, value)),
            Some(("with", span)) => {
                let Asked::Field { field, .. } = &asked else { return Ok(Step::Submit(asked, value)) };
                let with = self.schema.fields.get(*field).and_then(|field| field.with.as_ref());
                let Some(with) = with else {
                    return Err(
                        bad(span, "nothing goes with the values of this field").instead("leave it out")
                    );
                };
                let with = self.value_of(Kind::Shape(with.shape).into())?;
                Ok(Step::Submit(asked, Value::Best(Arc::new(Best { value, with }))))
            }
            Some((other, span)) => Err(bad(span, format!("expected `with` or the end, but found `{other}`"))),
        }
    }

    /// `put FIELD ITEM`, `put FIELD KEY VALUE`
    pub(super) fn put(&mut self) -> Result<Step, Finding> {
        let (asked, span) = self.name()?;
        let holds = asked.holds(self.schema);
        let place = match (holds.kind, holds.key) {
            (Kind::List | Kind::Set, _) => ItemPlace::Anywhere,
            (Kind::Map, Some(key)) => ItemPlace::Key(self.value_of(key.into())?),
            _ => return Err(bad(span, "expected a list, set or map").instead("use `set`")),
        };
        let item = self.value_of(holds.of.unwrap_or(Kind::Int).into())?;
        Ok(Step::Put(asked, place, item))
    }

    /// `take FIELD POSITION` of a list, counted from 0; `take FIELD ITEM`, `take FIELD KEY`
    pub(super) fn take(&mut self) -> Result<Step, Finding> {
        let (asked, span) = self.name()?;
        let holds = asked.holds(self.schema);
        let place = match (holds.kind, holds.of, holds.key) {
            (Kind::Set, Some(of), _) => ItemPlace::Key(self.value_of(of.into())?),
            (Kind::Map, _, Some(key)) => ItemPlace::Key(self.value_of(key.into())?),
            (Kind::List, ..) => {
                let (word, span) = self.expected("a position")?;
                let position = word
                    .parse()
                    .map_err(|_| bad(span, format!("expected a position, but found `{word}`")))?;
                ItemPlace::At(position)
            }
            _ => return Err(bad(span, "expected a list, set or map")),
        };
        Ok(Step::Take(asked, place))
    }

    /// Parses a name made of parts, such as `oil` or `levels.reedgate.stars`.
    pub(super) fn name(&mut self) -> Result<(Asked, Range<usize>), Finding> {
        let (word, span) = self.expected("a name")?;
        match named(self.schema, word) {
            Ok(asked) => Ok((asked, span)),
            Err(error) => {
                let finding = bad(span.start + error.span.start..span.start + error.span.end, error.message);
                Err(error.instead.map_or(finding.clone(), |instead| finding.instead(instead)))
            }
        }
    }

    /// Parses a value of a name's type: `31`, `true`, `92.4s`, `wick`, `"F-04"`, `["F-04", "F-11"]`, or `null`.
    fn value(&mut self, asked: &Asked) -> Result<Value, Finding> {
        let holds = asked.holds(self.schema);
        self.value_of(holds)
    }

    pub(super) fn value_of(&mut self, holds: Holds) -> Result<Value, Finding> {
        let start = self.at;
        let (word, span) = self.expected("a value")?;
        let value = match (holds.kind, word) {
            (_, "null") => Some(Value::Unset),
            (Kind::Object(_), _) => {
                self.at = start;
                return self.object_id().map(Value::Object);
            }
            (Kind::Bool, "true") => Some(Value::Bool(true)),
            (Kind::Bool, "false") => Some(Value::Bool(false)),
            (Kind::Int, number) => number.parse().ok().map(Value::Int),
            (Kind::Float, number) => number.parse().ok().and_then(Value::float),
            (Kind::Time, time) => time.parse().ok().map(Value::Time),
            (Kind::Date, date) => date.parse().ok().map(Value::Date),
            (Kind::Instant, instant) => instant.parse().ok().map(Value::Instant),
            (Kind::Id(ids), id) => self.schema.id_value(ids, id.trim_matches('"')),
            (Kind::Text, text) => {
                text.strip_prefix('"').and_then(|text| text.strip_suffix('"')).map(Value::text)
            }
            (_, text) => {
                let written = self.schema.written(holds, text);
                return written.map_err(|message| bad(span, message));
            }
        };
        let example = || match holds.kind {
            Kind::Id(_) => self.schema.kind_text(holds.kind),
            kind => example(kind).to_string(),
        };
        value.ok_or_else(|| bad(span, format!("expected {}, but found `{word}`", example())))
    }
}

fn example(kind: Kind) -> &'static str {
    match kind {
        Kind::Bool => "true or false",
        Kind::Int => "a whole number",
        Kind::Float => "a number",
        Kind::Time => "a time such as 92.4s",
        Kind::Date => "a day such as 2026-11-29",
        Kind::Instant => "an instant such as 2026-11-29T10:14:08Z",
        _ => "a text such as \"F-04\"",
    }
}
