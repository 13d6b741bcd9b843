//! Reads one table of the text. Reports unknown keys when it is made, and wrong types when a key is read; every
//! finding names the nearest valid choice.

use std::ops::Range;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::Placed;
use super::meant::{instead_of, key_meant, without_key};
use crate::name::nearest;
use crate::text::finding::{Code, Finding};

pub(crate) type Item<'i> = Spanned<DeValue<'i>>;

/// One table and its name in messages.
pub(crate) struct Reader<'a, 'i> {
    what: &'static str,
    table: &'a DeTable<'i>,
    span: Range<usize>,
    text: &'a str,
    /// Keys that are missing because another one stands for them, which is reported.
    meant: Vec<String>,
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
        let mut reader = Reader::of_any_keys(what, table, span, text);
        for (key, value) in table.iter().filter(|(key, _)| !known.contains(&key.get_ref().as_ref())) {
            let (key, span) = (key.get_ref().as_ref(), key.span());
            let is_free = |word: &str| known.contains(&word) && !table.contains_key(word);
            let free = known.iter().copied().filter(|word| is_free(word));
            let instead = if let Some((meant, why)) = key_meant(what, key, is_free) {
                reader.meant.push(meant.to_string());
                if why.is_empty() { format!("write `{meant}`") } else { format!("write `{meant}`, {why}") }
            } else if let Some(instead) = without_key(what, key, value.get_ref()) {
                instead.to_string()
            } else if let Some(near) = nearest(key, free).or_else(|| nearest(key, known.iter().copied())) {
                reader.meant.push(near.to_string());
                format!("write `{near}`")
            } else if let Some((meant, _)) = key_meant(what, key, |_| true) {
                format!("leave it out: `{meant}` says that already")
            } else {
                format!("expected one of: {}", known.join(", "))
            };
            let message = format!("{what} does not take the key `{key}`");
            found.push(Finding::error(Code::UnknownKey, span, message).instead(instead));
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
        Reader { what, table, span, text, meant: Vec::new() }
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

    /// Returns whether a key is missing because another one stands for it, which is reported.
    pub(crate) fn means(&self, key: &str) -> bool {
        self.meant.iter().any(|meant| meant == key)
    }

    /// Returns whether a key is there, or another one stands for it.
    pub(crate) fn names(&self, key: &str) -> bool {
        self.table.contains_key(key) || self.means(key)
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
        if item.is_none() && !self.means(key) {
            let message = format!("{} needs `{key}`", self.what);
            let finding = Finding::error(Code::MissingKey, self.span.clone(), message);
            found.push(finding.instead(format!("add `{example}`")));
        }
        item
    }

    /// Reports a value whose type does not fit its key.
    pub(crate) fn wrong_type(&self, item: &Item<'i>, expected: &str, found: &mut Vec<Finding>) {
        let message = format!("expected {expected}, but found {}", type_text(item.get_ref()));
        let finding = Finding::error(Code::WrongType, item.span(), message);
        found.push(match self.as_expected(item, expected) {
            Some(instead) => finding.instead(instead),
            None => finding,
        });
    }

    /// Returns how to write a value that is of another type than expected, if that is clear.
    fn as_expected(&self, item: &Item<'i>, expected: &str) -> Option<String> {
        let written = self.text.get(item.span())?;
        let of_text = item.get_ref().as_str();
        match (expected, item.get_ref()) {
            ("a list", DeValue::String(_)) => {
                let items: Vec<String> =
                    of_text?.split(',').map(|item| format!("{:?}", item.trim())).collect();
                Some(format!("write [{}]", items.join(", ")))
            }
            ("a list", DeValue::Table(_)) if self.what == "a declaration" => {
                Some("write its name in two brackets: one `[[…]]` for each entry".to_string())
            }
            ("a list", DeValue::Table(_)) => Some("write a list such as [\"first\", \"second\"]".to_string()),
            ("a list", _) => Some("write a list in brackets, or leave the key out".to_string()),
            ("true or false", DeValue::String(_)) => {
                let word = of_text.filter(|word| matches!(*word, "true" | "false"))?;
                Some(format!("write {word} without quotes"))
            }
            ("a whole number" | "a number", DeValue::String(_)) => match of_text?.parse::<f64>() {
                Ok(number) if number.fract() == 0.0 && number.abs() < 1e15 => {
                    Some(format!("write {number} without quotes"))
                }
                Ok(_) => Some("write a number without quotes".to_string()),
                Err(_) => Some("write a number; without a default, leave the key out".to_string()),
            },
            ("a whole number", DeValue::Float(_)) => {
                Some("write a whole number; a field with a fraction is `type = \"float\"`".to_string())
            }
            ("a condition as a text", DeValue::Boolean(true)) => {
                Some("leave it out: without a rule it is open".to_string())
            }
            ("a condition as a text", DeValue::Integer(_) | DeValue::Float(_) | DeValue::Boolean(_)) => {
                Some(format!("write a condition in quotes, such as \"{written} == …\""))
            }
            ("a text", DeValue::Integer(_) | DeValue::Float(_) | DeValue::Boolean(_)) => {
                Some(format!("write \"{written}\" if it is meant as a text"))
            }
            (time, DeValue::Integer(_) | DeValue::Float(_)) if time.starts_with("a time") => {
                Some(format!("write \"{written}s\" if these are seconds"))
            }
            _ => None,
        }
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
            value => {
                let message = format!("expected a table, but found {}", type_text(value));
                let finding = Finding::error(Code::WrongType, item.span(), message);
                found.push(finding.instead(format!("write a heading `[{key}]`, and its keys below it")));
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
        let known = || words.iter().map(|(word, _)| *word);
        let one_of = || {
            let known = known().collect::<Vec<_>>().join(", ");
            let or = if key == "of" { ", or the name of a list or shape that you declare" } else { "" };
            format!("write one of: {known}{or}")
        };
        let Some(text) = item.get_ref().as_str() else {
            let message = format!("expected a text, but found {}", type_text(item.get_ref()));
            found.push(Finding::error(Code::WrongType, item.span(), message).instead(one_of()));
            return None;
        };
        let word = words.iter().find(|(word, _)| *word == text).map(|(_, value)| value.clone());
        if word.is_none() {
            let message = format!("unknown value `{text}` for `{key}`");
            // The same word in capitals is meant before a word of another language.
            let same = known().find(|word| word.eq_ignore_ascii_case(text));
            let near = || nearest(text, known());
            let instead = match same.map(|word| format!("write {word:?}")).or_else(|| instead_of(key, text)) {
                Some(instead) => instead,
                None => near().map_or_else(one_of, |near| format!("write {near:?}")),
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
