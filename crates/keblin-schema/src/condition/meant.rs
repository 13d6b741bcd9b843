//! What people write in conditions who know other languages, and what it is called here.

use super::lex::{Lexeme, Token};
use super::parse::{Expr, Node};
use crate::date::{Date, Instant};
use crate::model::Model;
use crate::program::Type;
use crate::value::Value;

/// Returns what to write where an operator or the end was expected: `before` is what came before it.
pub(super) fn after(before: Option<&Lexeme>, found: &Lexeme) -> Option<String> {
    let word = |lexeme: &Lexeme| match &lexeme.token {
        Token::Word(word) => Some(word.to_lowercase()),
        _ => None,
    };
    match before.and_then(word).as_deref() {
        Some("not") => return Some(format!("write `!` for not: `!{}`", bare(found))),
        Some("if") => {
            return Some("write `condition ? a : b`; a rule that is true or false needs no `if`".to_string());
        }
        _ => {}
    }
    let instead = match (word(found).as_deref(), &found.token) {
        (Some("and"), _) => "write `&&` for and",
        (Some("or"), _) => "write `||` for or",
        (Some("is" | "eq" | "equals"), _) => "write `==` to compare",
        (Some("then" | "else"), _) => "write `condition ? a : b`",
        (_, Token::Sign("(")) => "leave the parentheses out: a name is a value, not a call",
        (_, Token::Sign("[")) => "name it with a dot, such as `levels.ID.finished`",
        (_, Token::Sign(".")) => {
            "nothing can follow a text with a dot; to look for an item in a list, write `'item' in list`"
        }
        (_, Token::Sign("?" | ":")) => "write `condition ? a : b`",
        (Some(_), _) | (_, Token::Int(_) | Token::Float(_) | Token::Text(_)) => {
            "join two conditions with `&&` or `||`"
        }
        _ => return None,
    };
    Some(instead.to_string())
}

/// Returns what to write where a sign was expected.
pub(super) fn instead_of_sign(sign: &str, before: Option<&Lexeme>, found: &Lexeme) -> Option<String> {
    match (sign, &found.token) {
        (")" | "]", Token::End) => Some(format!("close it with `{sign}`")),
        _ => after(before, found),
    }
}

/// Returns what to write where a name or a value was expected: `before` is what came before it.
pub(super) fn value_after(before: Option<&Lexeme>, found: &Lexeme) -> Option<&'static str> {
    match (before.map(|lexeme| &lexeme.token), &found.token) {
        (None, Token::End) => Some("write a condition, or leave the key out"),
        (Some(Token::Sign("<")), Token::Sign(">")) => Some("write `!=` for not equal"),
        (Some(Token::Sign("%")), Token::End) => {
            Some("`%` is the remainder of a division; write a count, or compare `100 * a / b`")
        }
        (_, Token::End) => Some("write what the last sign applies to"),
        _ => None,
    }
}

fn bare(lexeme: &Lexeme) -> String {
    lexeme.token.found().trim_matches('`').to_string()
}

/// Returns what to write for a character that no condition has; `rest` begins with it.
pub(super) fn sign(rest: &str) -> Option<&'static str> {
    let starts = |with: &str| rest.starts_with(with);
    match rest.chars().next()? {
        '=' if starts("=>") => Some("write `>=`"),
        '=' if starts("=<") => Some("write `<=`"),
        '=' => Some("write `==` to compare"),
        '&' => Some("write `&&` for and"),
        '|' => Some("write `||` for or"),
        '#' => Some("write comments outside of the condition"),
        '~' | '≠' => Some("write `!=` for not equal"),
        '≥' => Some("write `>=`"),
        '≤' => Some("write `<=`"),
        '^' => Some("write a power as a product, such as `a * a`"),
        '$' | '@' => Some("write the name alone"),
        _ => None,
    }
}

/// Returns the function that is meant by another word.
pub(super) fn function(word: &str) -> Option<&'static str> {
    match word {
        "min" => Some("write `least(a, b)`"),
        "max" => Some("write `greatest(a, b)`"),
        "len" | "length" | "count" => Some("write `size(x)`"),
        "contains" | "has" | "includes" => Some("write `item in list`"),
        "time" | "seconds" => Some("write `duration('90s')`"),
        "not" => Some("write `!` for not"),
        _ => None,
    }
}

/// Returns what to write for an expression of another type than expected.
pub(super) fn of_type(model: &Model, expr: &Expr, expected: &str, found: Type) -> Option<String> {
    let text = match &expr.node {
        Node::Literal(Value::Text(text)) => text.as_ref(),
        _ => "",
    };
    match (expected, found, &expr.node) {
        ("a time", Type::Int, Node::Literal(Value::Int(number))) => {
            Some(format!("write `duration('{number}s')` if these are seconds"))
        }
        ("true or false", Type::Int, Node::Literal(Value::Int(number @ (0 | 1)))) => {
            Some(format!("write `{}`", *number == 1))
        }
        ("true or false", Type::Int | Type::Time | Type::Float, _) => {
            Some("compare it, such as `… > 0`".to_string())
        }
        ("true or false", Type::Text, _) if model.level_named(text).is_some() => {
            Some(format!("write `levels.{text}.finished`"))
        }
        ("a day" | "a number or a time", Type::Text, _) if text.parse::<Date>().is_ok() => {
            Some(format!("write `date('{text}')`"))
        }
        ("an instant" | "a number or a time", Type::Text, _) if text.parse::<Instant>().is_ok() => {
            Some(format!("write `timestamp('{text}')`"))
        }
        ("a text", Type::Int, Node::Literal(Value::Int(number))) => {
            Some(format!("write `'{number}'`, in quotes"))
        }
        (_, Type::Float, Node::Literal(_)) if expected.starts_with("a whole number") => {
            Some("write whole numbers, such as `a * 3 / 2`".to_string())
        }
        _ => None,
    }
}
