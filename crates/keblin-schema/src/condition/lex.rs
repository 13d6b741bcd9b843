//! From the text of a condition to tokens, each with its range of bytes.

use std::ops::Range;

use super::ConditionError;

#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Token {
    Word(String),
    Int(i64),
    Text(String),
    Sign(&'static str),
    End,
}

impl Token {
    /// As complaints show it.
    pub(super) fn found(&self) -> String {
        match self {
            Token::Word(word) => format!("`{word}`"),
            Token::Int(number) => format!("`{number}`"),
            Token::Text(text) => format!("the text {text:?}"),
            Token::Sign(sign) => format!("`{sign}`"),
            Token::End => "the end".to_string(),
        }
    }
}

#[derive(Clone, Debug)]
pub(super) struct Lexeme {
    pub(super) token: Token,
    pub(super) span: Range<usize>,
}

/// Signs, longer ones first.
const SIGNS: [&str; 9] = ["==", "!=", "<=", ">=", "<", ">", ".", "(", ")"];

/// Tokens up to and with one [`Token::End`].
pub(super) fn lex(text: &str) -> Result<Vec<Lexeme>, ConditionError> {
    let mut lexemes = Vec::new();
    let mut at = 0;
    while let Some(rest) = text.get(at..).filter(|rest| !rest.is_empty()) {
        let (token, len) = match rest.chars().next().unwrap_or(' ') {
            c if c.is_whitespace() => {
                at += c.len_utf8();
                continue;
            }
            c if c.is_ascii_alphabetic() || c == '_' => word(rest),
            c if c.is_ascii_digit() || c == '-' => number(rest, at)?,
            quote @ ('\'' | '"') => quoted(rest, quote, at)?,
            other => sign(rest, other, at)?,
        };
        lexemes.push(Lexeme { token, span: at..at + len });
        at += len;
    }
    lexemes.push(Lexeme { token: Token::End, span: text.len()..text.len() });
    Ok(lexemes)
}

fn word(rest: &str) -> (Token, usize) {
    let len = rest.find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(rest.len());
    (Token::Word(rest.get(..len).unwrap_or_default().to_string()), len)
}

fn number(rest: &str, at: usize) -> Result<(Token, usize), ConditionError> {
    let digits = rest.strip_prefix('-').unwrap_or(rest);
    let signs = rest.len() - digits.len();
    let len = signs + digits.find(|c: char| !c.is_ascii_digit()).unwrap_or(digits.len());
    let text = rest.get(..len).unwrap_or_default();
    let parsed = text.parse().map_err(|_| {
        let message = format!("expected a whole number of at most 64 bits, but found `{text}`");
        ConditionError::new(at..at + len, message)
    })?;
    Ok((Token::Int(parsed), len))
}

fn quoted(rest: &str, quote: char, at: usize) -> Result<(Token, usize), ConditionError> {
    let inside = rest.get(1..).unwrap_or_default();
    match inside.split_once(quote) {
        Some((text, _)) if text.contains('\\') => Err(ConditionError::new(
            at..at + text.len() + 2,
            "expected a text without `\\`, but found an escape",
        )),
        Some((text, _)) => Ok((Token::Text(text.to_string()), text.len() + 2)),
        None => Err(ConditionError::new(
            at..at + rest.len(),
            format!("expected a closing {quote}, but found the end"),
        )),
    }
}

fn sign(rest: &str, first: char, at: usize) -> Result<(Token, usize), ConditionError> {
    match SIGNS.into_iter().find(|sign| rest.starts_with(sign)) {
        Some(sign) => Ok((Token::Sign(sign), sign.len())),
        None => Err(ConditionError::new(
            at..at + first.len_utf8(),
            format!("expected a name, a number, a text or a comparison, but found {first:?}"),
        )),
    }
}
