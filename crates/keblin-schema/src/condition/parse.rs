//! From tokens to an expression. Grammar, in the notation of the standard it is a subset of:
//!
//! ```text
//! Condition = Path [ RelOp Literal ] ;
//! Path      = IDENT { "." IDENT } ;
//! RelOp     = "==" | "!=" | "<" | "<=" | ">" | ">=" ;
//! Literal   = "true" | "false" | "null" | INT | STRING | "duration" "(" STRING ")" ;
//! ```

use std::ops::Range;

use super::lex::{Lexeme, Token, lex};
use super::{ConditionError, MAX_CONDITION_BYTES};
use crate::value::{Time, Value};

/// One part of a name made of parts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// The word.
    pub word: String,
    /// Where it stands: a range of bytes in the condition.
    pub span: Range<usize>,
}

/// How two values are compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Comparison {
    /// `==`
    Equal,
    /// `!=`
    NotEqual,
    /// `<`
    Less,
    /// `<=`
    LessOrEqual,
    /// `>`
    Greater,
    /// `>=`
    GreaterOrEqual,
}

impl Comparison {
    const ALL: [(&'static str, Comparison); 6] = [
        ("==", Comparison::Equal),
        ("!=", Comparison::NotEqual),
        ("<", Comparison::Less),
        ("<=", Comparison::LessOrEqual),
        (">", Comparison::Greater),
        (">=", Comparison::GreaterOrEqual),
    ];

    /// The sign for it.
    #[must_use]
    pub fn sign(self) -> &'static str {
        Comparison::ALL.iter().find(|(_, comparison)| *comparison == self).map_or("==", |(sign, _)| sign)
    }

    /// Whether two values compare so; `None` where an order is asked of values that have none.
    #[must_use]
    pub fn holds(self, left: &Value, right: &Value) -> Option<bool> {
        let order = || left.number().zip(right.number()).map(|(left, right)| left.cmp(&right));
        match self {
            Comparison::Equal => Some(left == right),
            Comparison::NotEqual => Some(left != right),
            Comparison::Less => order().map(|order| order.is_lt()),
            Comparison::LessOrEqual => order().map(|order| order.is_le()),
            Comparison::Greater => order().map(|order| order.is_gt()),
            Comparison::GreaterOrEqual => order().map(|order| order.is_ge()),
        }
    }
}

/// A value written out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Literal {
    /// The value; `null` is unset.
    pub value: Value,
    /// Where it stands: a range of bytes in the condition.
    pub span: Range<usize>,
}

/// An expression.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Expr {
    /// A name made of parts.
    Path(Vec<Part>),
    /// A name compared with a literal.
    Compare(Vec<Part>, Comparison, Literal),
}

/// Parses a condition.
///
/// # Errors
/// [`ConditionError`] for the first fault from the left, with what was expected there and what was found.
pub fn parse(text: &str) -> Result<Expr, ConditionError> {
    if text.len() > MAX_CONDITION_BYTES {
        let message =
            format!("a condition has at most {MAX_CONDITION_BYTES} bytes, but this one has {}", text.len());
        return Err(ConditionError::new(0..text.len(), message));
    }
    let mut tokens = Tokens { lexemes: lex(text)?, at: 0 };
    let path = tokens.path()?;
    let next = tokens.take();
    let comparison = match &next.token {
        Token::End => return Ok(Expr::Path(path)),
        Token::Sign(sign) => Comparison::ALL.iter().find(|(known, _)| known == sign).map(|(_, found)| *found),
        _ => None,
    };
    let comparison = comparison.ok_or_else(|| expected("`.`, a comparison or the end", &next))?;
    let literal = tokens.literal()?;
    match tokens.take() {
        Lexeme { token: Token::End, .. } => Ok(Expr::Compare(path, comparison, literal)),
        other => Err(expected("the end", &other)),
    }
}

fn expected(what: &str, found: &Lexeme) -> ConditionError {
    ConditionError::new(found.span.clone(), format!("expected {what}, but found {}", found.token.found()))
}

struct Tokens {
    lexemes: Vec<Lexeme>,
    at: usize,
}

impl Tokens {
    fn take(&mut self) -> Lexeme {
        let end = Lexeme { token: Token::End, span: 0..0 };
        let lexeme = self.lexemes.get(self.at).or(self.lexemes.last()).cloned().unwrap_or(end);
        self.at += 1;
        lexeme
    }

    fn skip(&mut self, sign: &'static str) -> bool {
        let found = self.lexemes.get(self.at).is_some_and(|lexeme| lexeme.token == Token::Sign(sign));
        self.at += usize::from(found);
        found
    }

    fn path(&mut self) -> Result<Vec<Part>, ConditionError> {
        let mut parts = Vec::new();
        loop {
            match self.take() {
                Lexeme { token: Token::Word(word), span } => parts.push(Part { word, span }),
                other => return Err(expected("a name", &other)),
            }
            if !self.skip(".") {
                return Ok(parts);
            }
        }
    }

    fn literal(&mut self) -> Result<Literal, ConditionError> {
        let first = self.take();
        let value = match &first.token {
            Token::Int(number) => Value::Int(*number),
            Token::Text(text) => Value::text(text),
            Token::Word(word) => match word.as_str() {
                "true" => Value::Bool(true),
                "false" => Value::Bool(false),
                "null" => Value::Unset,
                "duration" => return self.duration(first.span.start),
                _ => return Err(expected("a value", &first)),
            },
            Token::Sign(_) | Token::End => return Err(expected("a value", &first)),
        };
        Ok(Literal { value, span: first.span })
    }

    fn duration(&mut self, start: usize) -> Result<Literal, ConditionError> {
        if !self.skip("(") {
            return Err(expected("`(`", &self.take()));
        }
        let inside = self.take();
        let Token::Text(text) = &inside.token else {
            return Err(expected("a text such as '90s'", &inside));
        };
        let time: Time =
            text.parse().map_err(|fault| ConditionError::new(inside.span.clone(), format!("{fault}")))?;
        match self.take() {
            Lexeme { token: Token::Sign(")"), span } => {
                Ok(Literal { value: Value::Time(time), span: start..span.end })
            }
            other => Err(expected("`)`", &other)),
        }
    }
}
