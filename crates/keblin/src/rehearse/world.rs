//! Steps about the world, and parsing them: which areas are needed, what the game loads and unloads, and what happens
//! to its objects.

use keblin_model::Value;
use keblin_model::kind::Holds;
use keblin_schema::Finding;

use super::parse::{Words, bad, meant};
use crate::world::ObjectId;

/// A step about the world. Areas, kinds and fields are positions in the declaration.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum WorldStep {
    /// Requests an area.
    Request(usize),
    /// Takes back a request.
    Release(usize),
    /// Loads an area: its level makes these objects, by kind and id, and they are recalled.
    Recall(usize, Vec<(usize, ObjectId)>),
    /// Puts an area by, and unloads it.
    PutBy(usize),
    /// Records an area that stays loaded.
    Record(usize),
    /// Makes an object in play: the area, and the kind.
    Make(usize, usize),
    /// Sets a field of an object of a loaded area.
    Change(usize, usize, ObjectId, usize, Value),
    /// Destroys an object of a loaded area.
    Destroy(usize, usize, ObjectId),
    /// How many need an area.
    ExpectNeeds(usize, usize),
    /// What is to be done with an area now.
    ExpectArea(usize, AreaDue),
    /// The value of a field of an object of a loaded area.
    ExpectObject(usize, usize, ObjectId, usize, Value),
    /// Whether an object is in a loaded area.
    ExpectThere(usize, usize, ObjectId, bool),
}

keblin_model::words! {
    /// What a game is to do with an area.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum AreaDue {
        /// To load it.
        Load = "load",
        /// To unload it.
        Unload = "unload",
        /// To unload it, and load it again.
        Reload = "reload",
        /// Nothing.
        Stay = "stay",
    }
}

impl WorldStep {
    pub(super) fn is_expectation(&self) -> bool {
        use WorldStep::{ExpectArea, ExpectNeeds, ExpectObject, ExpectThere};
        matches!(self, ExpectNeeds(..) | ExpectArea(..) | ExpectObject(..) | ExpectThere(..))
    }
}

impl Words<'_> {
    pub(super) fn world(&mut self, word: &str) -> Result<WorldStep, Finding> {
        let area = self.area()?;
        Ok(match word {
            "request" => WorldStep::Request(area),
            "release" => WorldStep::Release(area),
            "recall" => WorldStep::Recall(area, self.level_objects()?),
            "put_by" => WorldStep::PutBy(area),
            "record" => WorldStep::Record(area),
            "make" => WorldStep::Make(area, self.kind()?),
            "change" => {
                let (kind, id) = (self.kind()?, self.object_id()?);
                let (field, holds) = self.object_field(kind)?;
                self.equals()?;
                WorldStep::Change(area, kind, id, field, self.value_of(holds)?)
            }
            _ => WorldStep::Destroy(area, self.kind()?, self.object_id()?),
        })
    }

    /// Returns whether an area follows, and not the rest of a condition about a field of that name.
    pub(super) fn is_about_the_world(&mut self) -> bool {
        let before = self.at;
        let is_area = self.next().is_some_and(|(word, _)| self.schema.areas.position(word).is_some());
        self.at = before;
        is_area
    }

    /// `expect needs west 2`, `expect area west unload`, `expect object west gate 3 opened == 70.0`,
    /// `expect object west lamp 1 there`, `expect object west lamp 1 gone`
    pub(super) fn expect_world(&mut self, word: &str) -> Result<WorldStep, Finding> {
        let area = self.area()?;
        match word {
            "needs" => return Ok(WorldStep::ExpectNeeds(area, self.number("how many need it")?)),
            "area" => {
                let (word, span) = self.expected("what is to be done with it")?;
                let words: Vec<&str> = AreaDue::ALL.iter().map(|due| due.as_str()).collect();
                let due = AreaDue::ALL.iter().copied().find(|due| due.as_str() == word);
                let unknown = || bad(span, format!("`{word}` is not something to do with an area"));
                let due = due.ok_or_else(|| meant(unknown(), word, &words));
                return Ok(WorldStep::ExpectArea(area, due?));
            }
            _ => {}
        }
        let (kind, id) = (self.kind()?, self.object_id()?);
        let before = self.at;
        match self.next() {
            Some((word @ ("there" | "gone"), _)) => {
                return Ok(WorldStep::ExpectThere(area, kind, id, word == "there"));
            }
            _ => self.at = before,
        }
        let (field, holds) = self.object_field(kind)?;
        match self.expected("`==`")? {
            ("==", _) => Ok(WorldStep::ExpectObject(area, kind, id, field, self.value_of(holds)?)),
            (sign, span) => Err(bad(span, format!("expected `==`, but found `{sign}`"))),
        }
    }

    fn area(&mut self) -> Result<usize, Finding> {
        let (word, span) = self.expected("an area")?;
        self.schema.areas.position(word).ok_or_else(|| {
            let known: Vec<&str> = self.schema.areas.named().iter().map(|area| area.name.as_str()).collect();
            meant(bad(span, format!("`{word}` is not a declared area")), word, &known)
        })
    }

    fn kind_named(&self, word: &str) -> Option<usize> {
        self.schema.object_kinds.iter().position(|kind| kind.name.as_str() == word)
    }

    fn kind(&mut self) -> Result<usize, Finding> {
        let (word, span) = self.expected("a kind of objects")?;
        self.kind_named(word).ok_or_else(|| {
            let known: Vec<&str> = self.schema.object_kinds.iter().map(|kind| kind.name.as_str()).collect();
            meant(bad(span, format!("`{word}` is not a declared kind")), word, &known)
        })
    }

    /// `gate 3 reed_bed 8 9 10`
    fn level_objects(&mut self) -> Result<Vec<(usize, ObjectId)>, Finding> {
        let (mut kind, mut objects) = (None, Vec::new());
        loop {
            let before = self.at;
            let Some((word, _)) = self.next() else { return Ok(objects) };
            match kind {
                Some(kind) if word.starts_with(|c: char| c.is_ascii_digit()) => {
                    self.at = before;
                    objects.push((kind, self.object_id()?));
                }
                _ => {
                    self.at = before;
                    kind = Some(self.kind()?);
                }
            }
        }
    }

    /// `3` of an object that its level makes, `made 1` of the first that was made in play
    pub(super) fn object_id(&mut self) -> Result<ObjectId, Finding> {
        let (word, span) = self.expected("the number of an object")?;
        let (word, span, is_made) = match word {
            "made" => {
                let (word, span) = self.expected("which of those made in play")?;
                (word, span, true)
            }
            word => (word, span, false),
        };
        let number: u32 = word
            .parse()
            .map_err(|_| bad(span, format!("expected the number of an object, but found `{word}`")))?;
        Ok(if is_made { ObjectId::made(number.into()) } else { number.into() })
    }

    fn object_field(&mut self, kind: usize) -> Result<(usize, Holds), Finding> {
        let schema = self.schema;
        let (word, span) = self.expected("a field of the kind")?;
        let fields = schema.object_kinds.get(kind).map_or(&[][..], |kind| &kind.fields);
        let found = fields.iter().enumerate().find(|(_, field)| field.name.as_str() == word);
        found.map(|(index, field)| (index, field.holds())).ok_or_else(|| {
            let known: Vec<&str> = fields.iter().map(|field| field.name.as_str()).collect();
            let kind = schema.object_kinds.get(kind).map_or("?", |kind| kind.name.as_str());
            meant(bad(span, format!("`{word}` is not a field of the kind `{kind}`")), word, &known)
        })
    }
}
