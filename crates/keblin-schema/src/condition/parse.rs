//! Parses tokens to an expression. The grammar, in the notation of the standard it is a subset of:
//!
//! ```text
//! Expr           = ConditionalOr [ "?" ConditionalOr ":" Expr ] ;
//! ConditionalOr  = [ ConditionalOr "||" ] ConditionalAnd ;
//! ConditionalAnd = [ ConditionalAnd "&&" ] Relation ;
//! Relation       = [ Relation RelOp ] Addition | Relation "in" Addition ;
//! RelOp          = "==" | "!=" | "<" | "<=" | ">" | ">=" ;
//! Addition       = [ Addition ("+" | "-") ] Multiplication ;
//! Multiplication = [ Multiplication ("*" | "/" | "%") ] Unary ;
//! Unary          = Member | "!" { "!" } Member | "-" { "-" } Member ;
//! Member         = IDENT { "." IDENT } | Call | "(" Expr ")" | List | Literal ;
//! Call           = IDENT "(" Expr { "," Expr } ")" ;
//! List           = "[" [ Expr { "," Expr } ] "]" ;
//! Literal        = INT | FLOAT | STRING | "true" | "false" | "null" ;
//! ```

use std::ops::Range;

use super::lex::{Lexeme, Token, lex};
use super::{ConditionError, MAX_CALCULATIONS, MAX_CONDITION_BYTES, MAX_CONDITION_DEPTH, Part, meant};
use crate::program::{Arithmetic, Comparison};
use crate::value::Value;

/// An expression and its place.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Expr {
    /// What it is.
    pub node: Node,
    /// The place: a range of bytes in the condition.
    pub span: Range<usize>,
}

/// What an expression is.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Node {
    /// A literal value; `null` is unset.
    Literal(Value),
    /// A name made of parts.
    Path(Vec<Part>),
    /// `!x`
    Not(Box<Expr>),
    /// `-x`
    Negate(Box<Expr>),
    /// `a && b`
    And(Box<Expr>, Box<Expr>),
    /// `a || b`
    Or(Box<Expr>, Box<Expr>),
    /// `a == b` and the other comparisons
    Compare(Comparison, Box<Expr>, Box<Expr>),
    /// `a + b` and the other calculations
    Arithmetic(Arithmetic, Box<Expr>, Box<Expr>),
    /// `[a, b]`
    List(Vec<Expr>),
    /// `x in [a, b]`, `x in list`
    In(Box<Expr>, Box<Expr>),
    /// `a ? b : c`
    Choose(Box<Expr>, Box<Expr>, Box<Expr>),
    /// `least(a, b)` and the other functions
    Call(Part, Vec<Expr>),
}

/// Parses a condition.
///
/// # Errors
/// [`ConditionError`] for the first mistake from the left, with what was expected there and what was found.
#[doc(hidden)]
pub fn parse(text: &str) -> Result<Expr, ConditionError> {
    if text.len() > MAX_CONDITION_BYTES {
        let message =
            format!("a condition has at most {MAX_CONDITION_BYTES} bytes, but this one has {}", text.len());
        return Err(ConditionError::new(0..text.len(), message));
    }
    let mut parser = Parser { lexemes: lex(text)?, at: 0, depth: 0, calculations: 0 };
    let expr = parser.expr()?;
    match parser.take() {
        Lexeme { token: Token::End, .. } => Ok(expr),
        other => {
            let instead = meant::after(parser.before(), &other);
            Err(expected("an operator or the end", &other).instead_if(instead))
        }
    }
}

fn expected(what: &str, found: &Lexeme) -> ConditionError {
    ConditionError::new(found.span.clone(), format!("expected {what}, but found {}", found.token.found()))
}

struct Parser {
    lexemes: Vec<Lexeme>,
    at: usize,
    depth: usize,
    calculations: usize,
}

type Parsed = Result<Expr, ConditionError>;

impl Parser {
    fn take(&mut self) -> Lexeme {
        let end = Lexeme { token: Token::End, span: 0..0 };
        let lexeme = self.lexemes.get(self.at).or(self.lexemes.last()).cloned().unwrap_or(end);
        self.at += 1;
        lexeme
    }

    /// Returns what came before the lexeme that was taken last.
    fn before(&self) -> Option<&Lexeme> {
        self.lexemes.get(self.at.checked_sub(2)?)
    }

    fn skip(&mut self, sign: &str) -> bool {
        let found = matches!(self.lexemes.get(self.at), Some(Lexeme { token: Token::Sign(next), .. }) if *next == sign);
        self.at += usize::from(found);
        found
    }

    fn require(&mut self, sign: &str) -> Result<Range<usize>, ConditionError> {
        match self.take() {
            Lexeme { token: Token::Sign(found), span } if found == sign => Ok(span),
            other => {
                let instead = meant::instead_of_sign(sign, self.before(), &other);
                Err(expected(&format!("`{sign}`"), &other).instead_if(instead))
            }
        }
    }

    /// Returns the meaning of one of some signs, if it comes next.
    fn one_of<T: Copy>(&mut self, signs: &[(&str, T)]) -> Option<T> {
        signs.iter().find(|(sign, _)| self.skip(sign)).map(|(_, found)| *found)
    }

    /// All nesting goes through here, so that a deep text cannot exhaust the stack.
    fn deeper(&mut self, parse: impl FnOnce(&mut Parser) -> Parsed) -> Parsed {
        if self.depth == MAX_CONDITION_DEPTH {
            let here = self.take();
            let message = format!("a condition may be nested {MAX_CONDITION_DEPTH} deep, and this is deeper");
            return Err(ConditionError::new(here.span, message));
        }
        self.depth += 1;
        let parsed = parse(self);
        self.depth -= 1;
        parsed
    }

    fn expr(&mut self) -> Parsed {
        self.deeper(|parser| {
            let condition = parser.or()?;
            if !parser.skip("?") {
                return Ok(condition);
            }
            let yes = parser.or()?;
            parser.require(":")?;
            let no = parser.expr()?;
            let span = condition.span.start..no.span.end;
            Ok(Expr { node: Node::Choose(Box::new(condition), Box::new(yes), Box::new(no)), span })
        })
    }

    /// Parses a row of calculations of one rank, grouped from the left. Its depth at evaluation is its length.
    fn row<T: Copy>(
        &mut self,
        signs: &[(&str, T)],
        next: fn(&mut Parser) -> Parsed,
        join: impl Fn(T, Box<Expr>, Box<Expr>) -> Node,
    ) -> Parsed {
        let mut left = next(self)?;
        while let Some(found) = self.one_of(signs) {
            let right = next(self)?;
            self.calculations += 1;
            if self.calculations > MAX_CALCULATIONS {
                let message = format!("a condition has at most {MAX_CALCULATIONS} calculations");
                return Err(ConditionError::new(right.span, message).instead("name a total, or split it"));
            }
            let span = left.span.start..right.span.end;
            left = Expr { node: join(found, Box::new(left), Box::new(right)), span };
        }
        Ok(left)
    }

    fn or(&mut self) -> Parsed {
        self.balanced("||", Parser::and, Node::Or)
    }

    fn and(&mut self) -> Parsed {
        self.balanced("&&", Parser::relation, Node::And)
    }

    /// Parses a row of `&&` or `||`, which mean the same however they are grouped: in halves, so that a long row is not
    /// deep.
    fn balanced(
        &mut self,
        sign: &str,
        next: fn(&mut Parser) -> Parsed,
        join: fn(Box<Expr>, Box<Expr>) -> Node,
    ) -> Parsed {
        let mut row = vec![next(self)?];
        while self.skip(sign) {
            row.push(next(self)?);
        }
        while row.len() > 1 {
            let mut sides = row.into_iter();
            let mut halves = Vec::new();
            while let Some(left) = sides.next() {
                halves.push(match sides.next() {
                    Some(right) => {
                        let span = left.span.start..right.span.end;
                        Expr { node: join(Box::new(left), Box::new(right)), span }
                    }
                    None => left,
                });
            }
            row = halves;
        }
        row.pop().ok_or_else(|| ConditionError::new(0..0, "expected a name or a value"))
    }

    fn relation(&mut self) -> Parsed {
        let left = self.sum()?;
        if let Some(comparison) = self.one_of(&Comparison::ALL) {
            let right = self.sum()?;
            let chained = self.lexemes.get(self.at).cloned();
            if let (Some(_), Some(next)) = (self.one_of(&Comparison::ALL), chained) {
                let error = ConditionError::new(next.span, "comparisons cannot be chained");
                return Err(error.instead("write `a < b && b < c`"));
            }
            let span = left.span.start..right.span.end;
            return Ok(Expr { node: Node::Compare(comparison, Box::new(left), Box::new(right)), span });
        }
        if !matches!(self.lexemes.get(self.at), Some(Lexeme { token: Token::Word(word), .. }) if word == "in")
        {
            return Ok(left);
        }
        self.at += 1;
        let list = self.sum()?;
        let span = left.span.start..list.span.end;
        Ok(Expr { node: Node::In(Box::new(left), Box::new(list)), span })
    }

    fn sum(&mut self) -> Parsed {
        self.row(&Arithmetic::SUM, Parser::product, Node::Arithmetic)
    }

    fn product(&mut self) -> Parsed {
        self.row(&Arithmetic::PRODUCT, Parser::unary, Node::Arithmetic)
    }

    fn unary(&mut self) -> Parsed {
        let start = self.lexemes.get(self.at).map_or(0, |lexeme| lexeme.span.start);
        if self.skip("!") {
            let inner = self.deeper(Parser::unary)?;
            let span = start..inner.span.end;
            return Ok(Expr { node: Node::Not(Box::new(inner)), span });
        }
        if !self.skip("-") {
            return self.member();
        }
        if let Some(Lexeme { token: Token::Int(number), span }) = self.lexemes.get(self.at).cloned() {
            self.at += 1;
            return match 0_i64.checked_sub_unsigned(number) {
                Some(number) => Ok(Expr { node: Node::Literal(Value::Int(number)), span: start..span.end }),
                None => Err(out_of_range(start..span.end, &format!("-{number}"))),
            };
        }
        if let Some(Lexeme { token: Token::Float(number), span }) = self.lexemes.get(self.at).cloned() {
            self.at += 1;
            let value = Value::Float(number).negated();
            return Ok(Expr { node: Node::Literal(value), span: start..span.end });
        }
        let inner = self.deeper(Parser::unary)?;
        let span = start..inner.span.end;
        Ok(Expr { node: Node::Negate(Box::new(inner)), span })
    }

    fn member(&mut self) -> Parsed {
        let first = self.take();
        let span = first.span.clone();
        let literal = |value| Ok(Expr { node: Node::Literal(value), span: span.clone() });
        match &first.token {
            Token::Int(number) => match i64::try_from(*number) {
                Ok(number) => literal(Value::Int(number)),
                Err(_) => Err(out_of_range(span, &number.to_string())),
            },
            Token::Float(number) => literal(Value::Float(*number)),
            Token::Text(text) => literal(Value::text(text)),
            Token::Sign("[") => {
                if let Some(end) = self.lexemes.get(self.at).filter(|next| next.token == Token::Sign("]")) {
                    let span = span.start..end.span.end;
                    self.at += 1;
                    return Ok(Expr { node: Node::List(Vec::new()), span });
                }
                let (items, end) = self.list("]")?;
                Ok(Expr { node: Node::List(items), span: span.start..end })
            }
            Token::Sign("(") => {
                let inner = self.expr()?;
                let end = self.require(")")?.end;
                Ok(Expr { node: inner.node, span: span.start..end })
            }
            Token::Word(word) => match word.as_str() {
                "true" => literal(Value::Bool(true)),
                "false" => literal(Value::Bool(false)),
                "null" => literal(Value::Unset),
                _ => self.name(Part { word: word.clone(), span }),
            },
            Token::Sign(_) | Token::End => {
                let instead = meant::value_after(self.before(), &first);
                Err(expected("a name or a value", &first).instead_if(instead))
            }
        }
    }

    fn name(&mut self, first: Part) -> Parsed {
        let start = first.span.start;
        if self.skip("(") {
            let (arguments, end) = self.list(")")?;
            return Ok(Expr { node: Node::Call(first, arguments), span: start..end });
        }
        let mut parts = vec![first];
        while self.skip(".") {
            match self.take() {
                Lexeme { token: Token::Word(word), span } => parts.push(Part { word, span }),
                other => return Err(expected("a name", &other)),
            }
        }
        let end = parts.last().map_or(start, |part| part.span.end);
        Ok(Expr { node: Node::Path(parts), span: start..end })
    }

    /// Parses expressions up to a closing sign, and returns where that ends.
    fn list(&mut self, close: &str) -> Result<(Vec<Expr>, usize), ConditionError> {
        let mut list = vec![self.expr()?];
        while self.skip(",") {
            list.push(self.expr()?);
        }
        Ok((list, self.require(close)?.end))
    }
}

fn out_of_range(span: Range<usize>, text: &str) -> ConditionError {
    ConditionError::new(span, format!("expected a whole number of at most 64 bits, but found `{text}`"))
}
