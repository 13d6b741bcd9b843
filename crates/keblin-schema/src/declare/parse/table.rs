//! Reads one table of the text. Reports unknown keys when it is made, and wrong types when a key is read; every
//! finding names the nearest valid choice.

use std::ops::Range;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::Placed;
use crate::text::finding::{Code, Finding};
use crate::text::name::nearest;

pub(crate) type Item<'i> = Spanned<DeValue<'i>>;

/// One table and its name in messages.
pub(crate) struct Reader<'a, 'i> {
    what: &'static str,
    table: &'a DeTable<'i>,
    span: Range<usize>,
    text: &'a str,
}

/// Returns the name of a TOML type in messages.
pub(crate) fn type_text(value: &DeValue<'_>) -> &'static str {
    match value {
        DeValue::String(_) => "a text",
        DeValue::Integer(_) => "a whole number",
        DeValue::Float(_) => "a number with a fraction",
        DeValue::Boolean(_) => "true or false",
        DeValue::Datetime(_) => "a date",
        DeValue::Array(_) => "a list",
        DeValue::Table(_) => "a table",
    }
}

impl<'a, 'i> Reader<'a, 'i> {
    pub(crate) fn new(
        what: &'static str,
        table: &'a DeTable<'i>,
        span: Range<usize>,
        known: &[&str],
        text: &'a str,
        found: &mut Vec<Finding>,
    ) -> Reader<'a, 'i> {
        let reader = Reader::of_any_keys(what, table, span, text);
        for key in table.keys().filter(|key| !known.contains(&key.get_ref().as_ref())) {
            let message = format!("{what} does not take the key `{}`", key.get_ref());
            let free = known.iter().copied().filter(|word| !table.contains_key(*word));
            let instead = match nearest(key.get_ref(), free)
                .or_else(|| nearest(key.get_ref(), known.iter().copied()))
            {
                Some(nearest) => format!("write `{nearest}`"),
                None => format!("expected one of: {}", known.join(", ")),
            };
            found.push(Finding::error(Code::UnknownKey, key.span(), message).instead(instead));
        }
        reader
    }

    /// Reads a table without fixed keys, such as that of all fields.
    pub(crate) fn of_any_keys(
        what: &'static str,
        table: &'a DeTable<'i>,
        span: Range<usize>,
        text: &'a str,
    ) -> Reader<'a, 'i> {
        Reader { what, table, span, text }
    }

    pub(crate) fn text(&self) -> &'a str {
        self.text
    }

    pub(crate) fn get(&self, key: &str) -> Option<&'a Item<'i>> {
        self.table.get(key)
    }

    pub(crate) fn entries(
        &self,
    ) -> impl Iterator<Item = (&'a Spanned<toml::de::DeString<'i>>, &'a Item<'i>)> {
        self.table.iter()
    }

    /// Returns the place of a key; if there is no such key, the place of the table.
    pub(crate) fn key_span(&self, key: &str) -> Range<usize> {
        self.table.get_key_value(key).map_or(self.span.clone(), |(key, _)| key.span())
    }

    pub(crate) fn required(
        &self,
        key: &str,
        found: &mut Vec<Finding>,
        example: &str,
    ) -> Option<&'a Item<'i>> {
        let item = self.get(key);
        if item.is_none() {
            let message = format!("{} needs `{key}`", self.what);
            let finding = Finding::error(Code::MissingKey, self.span.clone(), message);
            found.push(finding.instead(format!("add `{example}`")));
        }
        item
    }

    /// Reports a value whose type does not fit its key.
    pub(crate) fn wrong_type(&self, item: &Item<'i>, expected: &str, found: &mut Vec<Finding>) {
        let message = format!("expected {expected}, but found {}", type_text(item.get_ref()));
        found.push(Finding::error(Code::WrongType, item.span(), message));
    }

    pub(crate) fn string(&self, item: &'a Item<'i>, found: &mut Vec<Finding>) -> Option<&'a str> {
        let text = item.get_ref().as_str();
        if text.is_none() {
            self.wrong_type(item, "a text", found);
        }
        text
    }

    /// Returns a text with its place.
    pub(crate) fn placed(&self, item: &'a Item<'i>, found: &mut Vec<Finding>) -> Option<Placed<String>> {
        Some(Placed { value: self.string(item, found)?.to_string(), span: item.span() })
    }

    /// Returns the text of a key with its place.
    pub(crate) fn placed_text(&self, key: &str, found: &mut Vec<Finding>) -> Option<Placed<String>> {
        self.placed(self.get(key)?, found)
    }

    pub(crate) fn yes_or_no(&self, key: &str, found: &mut Vec<Finding>) -> Option<bool> {
        let item = self.get(key)?;
        let yes = item.get_ref().as_bool();
        if yes.is_none() {
            self.wrong_type(item, "true or false", found);
        }
        yes
    }

    pub(crate) fn integer(&self, item: &Item<'i>, found: &mut Vec<Finding>) -> Option<i64> {
        let Some(digits) = item.get_ref().as_integer() else {
            self.wrong_type(item, "a whole number", found);
            return None;
        };
        let number = i64::from_str_radix(digits.as_str(), digits.radix());
        if number.is_err() {
            let message =
                format!("expected a whole number of at most 64 bits, but found {}", digits.as_str());
            found.push(Finding::error(Code::OutOfRange, item.span(), message));
        }
        number.ok()
    }

    pub(crate) fn table(
        &self,
        key: &str,
        found: &mut Vec<Finding>,
    ) -> Option<(&'a DeTable<'i>, Range<usize>)> {
        let item = self.get(key)?;
        match item.get_ref() {
            DeValue::Table(table) => Some((table, self.key_span(key))),
            _ => {
                self.wrong_type(item, "a table", found);
                None
            }
        }
    }

    pub(crate) fn list(&self, key: &str, found: &mut Vec<Finding>) -> Option<&'a [Item<'i>]> {
        let item = self.get(key)?;
        match item.get_ref() {
            DeValue::Array(list) => Some(list),
            _ => {
                self.wrong_type(item, "a list", found);
                None
            }
        }
    }

    /// Reads a key that takes one of the words of an enum.
    pub(crate) fn one_of<T: Copy>(
        &self,
        key: &str,
        all: &[T],
        word: fn(T) -> &'static str,
        found: &mut Vec<Finding>,
    ) -> Option<T> {
        self.word(key, &words_of(all, word), found)
    }

    /// Reads a key that takes one of a few words.
    pub(crate) fn word<T: Clone>(
        &self,
        key: &str,
        words: &[(&str, T)],
        found: &mut Vec<Finding>,
    ) -> Option<T> {
        let item = self.get(key)?;
        self.word_of(key, item, words, found)
    }

    /// Reads a key that takes a list of a few words; a repeated word counts once.
    pub(crate) fn words<T: Clone + PartialEq>(
        &self,
        key: &str,
        words: &[(&str, T)],
        found: &mut Vec<Finding>,
    ) -> Option<Vec<T>> {
        let mut chosen = Vec::new();
        for item in self.list(key, found)? {
            if let Some(word) = self.word_of(key, item, words, found) {
                if chosen.contains(&word) {
                    let message = format!("`{key}` lists this twice");
                    found.push(Finding::error(Code::SameId, item.span(), message).instead("leave it out"));
                } else {
                    chosen.push(word);
                }
            }
        }
        Some(chosen)
    }

    fn word_of<T: Clone>(
        &self,
        key: &str,
        item: &'a Item<'i>,
        words: &[(&str, T)],
        found: &mut Vec<Finding>,
    ) -> Option<T> {
        let text = self.string(item, found)?;
        let word = words.iter().find(|(word, _)| *word == text).map(|(_, value)| value.clone());
        if word.is_none() {
            let known = || words.iter().map(|(word, _)| *word);
            let message = format!("unknown value `{text}` for `{key}`");
            let instead = match nearest(text, known()) {
                Some(nearest) => format!("write {nearest:?}"),
                None => format!("write one of: {}", known().collect::<Vec<_>>().join(", ")),
            };
            found.push(Finding::error(Code::UnknownWord, item.span(), message).instead(instead));
        }
        word
    }
}

/// Returns the words of an enum, each with its meaning.
pub(crate) fn words_of<T: Copy>(all: &[T], word: fn(T) -> &'static str) -> Vec<(&'static str, T)> {
    all.iter().map(|one| (word(*one), *one)).collect()
}
