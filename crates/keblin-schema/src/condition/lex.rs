//! Splits the text of a condition into tokens, each with its range of bytes.

use std::ops::Range;

use super::{ConditionError, meant};
use crate::value::Float;

#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Token {
    Word(String),
    /// Without its sign, so that the smallest 64-bit number can be written.
    Int(u64),
    Float(Float),
    Text(String),
    Sign(&'static str),
    End,
}

impl Token {
    /// Returns the token as error messages show it.
    pub(super) fn found(&self) -> String {
        match self {
            Token::Word(word) => format!("`{word}`"),
            Token::Int(number) => format!("`{number}`"),
            Token::Float(number) => format!("`{number}`"),
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

/// The signs, longer ones first.
const SIGNS: [&str; 22] = [
    "==", "!=", "<=", ">=", "&&", "||", "<", ">", "!", "?", ":", ".", ",", "(", ")", "[", "]", "+", "-", "*",
    "/", "%",
];

/// Returns all tokens, ending with one [`Token::End`].
pub(super) fn lex(text: &str) -> Result<Vec<Lexeme>, ConditionError> {
    let mut lexemes = Vec::new();
    let mut at = 0;
    while let Some(rest) = text.get(at..).filter(|rest| !rest.is_empty()) {
        let (token, len) = match rest.chars().next().unwrap_or(' ') {
            c if c.is_ascii_whitespace() => {
                at += 1;
                continue;
            }
            c if c.is_ascii_alphabetic() || c == '_' => word(rest),
            c if c.is_ascii_digit() => number(rest, at)?,
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

/// Reads `31`, or with a fraction or an exponent `0.5`, `1e-3`.
fn number(rest: &str, at: usize) -> Result<(Token, usize), ConditionError> {
    let mut before = ' ';
    let belongs = |c: &char| {
        let signed = matches!(c, '+' | '-') && matches!(before, 'e' | 'E');
        before = *c;
        signed || c.is_ascii_alphanumeric() || matches!(c, '.' | '_')
    };
    let len = rest.chars().take_while(belongs).count();
    let text = rest.get(..len).unwrap_or_default();
    let refused =
        |what: &str| Err(ConditionError::new(at..at + len, format!("expected {what}, but found `{text}`")));
    if text.bytes().all(|byte| byte.is_ascii_digit()) {
        return match text.parse() {
            Ok(number) => Ok((Token::Int(number), len)),
            Err(_) => refused("a whole number of at most 64 bits"),
        };
    }
    let digits = |part: &str| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
    let (number, exponent) = text.split_once(['e', 'E']).unwrap_or((text, "0"));
    let (whole, fraction) = number.split_once('.').unwrap_or((number, "0"));
    let is_float = digits(whole) && digits(fraction) && digits(exponent.trim_start_matches(['+', '-']));
    match text.parse().ok().filter(|_| is_float).and_then(Float::new) {
        Some(number) => Ok((Token::Float(number), len)),
        None => refused("a number such as 31 or 0.5"),
    }
}

fn quoted(rest: &str, quote: char, at: usize) -> Result<(Token, usize), ConditionError> {
    let mut text = String::new();
    let mut characters = rest.char_indices().skip(1);
    while let Some((index, c)) = characters.next() {
        match c {
            c if c == quote => return Ok((Token::Text(text), index + 1)),
            '\n' | '\r' => break,
            '\\' => match characters.next() {
                Some((_, c @ ('\\' | '\'' | '"'))) => text.push(c),
                Some((_, 'n')) => text.push('\n'),
                Some((_, 't')) => text.push('\t'),
                Some((end, other)) => {
                    let span = at + index..at + end + other.len_utf8();
                    let message = format!("expected one of \\\\ \\' \\\" \\n \\t, but found `\\{other}`");
                    return Err(ConditionError::new(span, message));
                }
                None => break,
            },
            other => text.push(other),
        }
    }
    Err(ConditionError::new(at..at + rest.len(), format!("expected a closing {quote}, but found the end")))
}

fn sign(rest: &str, first: char, at: usize) -> Result<(Token, usize), ConditionError> {
    match SIGNS.into_iter().find(|sign| rest.starts_with(sign)) {
        Some(sign) => Ok((Token::Sign(sign), sign.len())),
        None => {
            let message = format!("expected a name, a value or a sign, but found {first:?}");
            Err(ConditionError::new(at..at + first.len_utf8(), message).instead_if(meant::sign(rest)))
        }
    }
}
