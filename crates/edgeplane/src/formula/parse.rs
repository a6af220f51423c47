//! Tokens → tree, by precedence climbing.
//!
//! In order of increasing precedence: `or`, `and`, `not`, comparison, `+ -`, `* /`, unary `-`, `^` (right-associative).
//! So `-2 ^ 2` is −4, and `a < b < c` is an error.

use std::ops::Range;

use super::ast::{Binary, Expr, ExprKind, Ident, Unary};
use super::lex::{Lexeme, Token, lex};
use super::{MAX_FORMULA_BYTES, MAX_FORMULA_DEPTH};

/// A syntax error.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ParseError {
    /// Its range in the text.
    pub range: Range<u32>,
    /// What was found.
    pub message: String,
    /// What to do.
    pub help: Option<String>,
    /// Whether a limit was exceeded, rather than the grammar violated.
    pub limit: bool,
}

/// Parses a formula.
///
/// # Errors
/// Returns the first position that violates the grammar or exceeds a limit.
///
/// ```
/// use edgeplane::formula::parse;
/// assert!(parse("10 * (200 - target.guard) / 200").is_ok());
/// assert_eq!(parse("10 * (200 - target.guard").unwrap_err().message, "expected `)` before the end of the formula");
/// ```
pub fn parse(text: &str) -> Result<Expr, ParseError> {
    if text.len() > MAX_FORMULA_BYTES {
        let message = format!("a formula of {} bytes; at most {MAX_FORMULA_BYTES} are allowed", text.len());
        return Err(ParseError { range: 0..0, message, help: None, limit: true });
    }
    let mut parser = Parser { lexemes: lex(text)?, at: 0 };
    let (expr, _) = parser.binary(0, 0)?;
    match parser.peek() {
        Token::End => Ok(expr),
        other => Err(parser.unexpected(&format!("expected an operator before {}", other.what()))),
    }
}

/// A part and its depth.
type Part = (Expr, usize);

struct Parser {
    lexemes: Vec<Lexeme>,
    at: usize,
}

const COMPARISON: u8 = 3;
const NOT: u8 = 3;
const NEGATE: u8 = 6;

impl Parser {
    fn peek(&self) -> &Token {
        &self.lexemes[self.at].token
    }

    fn range(&self) -> Range<u32> {
        self.lexemes[self.at].range.clone()
    }

    fn advance(&mut self) {
        if self.at + 1 < self.lexemes.len() {
            self.at += 1;
        }
    }

    fn unexpected(&self, message: &str) -> ParseError {
        if *self.peek() == Token::Symbol("=") {
            let (message, help) = ("`=` is not an operator here".to_owned(), Some("to compare, write `==`".to_owned()));
            return ParseError { range: self.range(), message, help, limit: false };
        }
        ParseError { range: self.range(), message: message.to_owned(), help: self.meant(), limit: false }
    }

    /// What the words here probably mean: a function called like a method, or `if` without brackets.
    fn meant(&self) -> Option<String> {
        let text = |back: usize| match &self.lexemes.get(self.at.checked_sub(back)?)?.token {
            Token::Word(word) => Some(word.as_str()),
            Token::Symbol(symbol) => Some(*symbol),
            _ => None,
        };
        match (text(2), text(1), text(0)) {
            (Some("."), Some(function), Some("(")) => {
                let mut of = text(3)?.to_owned();
                let owners = (4..).step_by(2).take_while(|back| text(*back) == Some("."));
                owners.filter_map(|back| text(back + 1)).for_each(|owner| of = format!("{owner}.{of}"));
                Some(format!("write `{function}({of}, …)`"))
            }
            (_, Some("if"), _) | (_, _, Some("if")) => Some("write `if(condition, a, b)`".to_owned()),
            _ => None,
        }
    }

    fn expect(&mut self, symbol: &'static str) -> Result<Range<u32>, ParseError> {
        if *self.peek() != Token::Symbol(symbol) {
            return Err(self.unexpected(&format!("expected `{symbol}` before {}", self.peek().what())));
        }
        let range = self.range();
        self.advance();
        Ok(range)
    }

    fn operator(&self) -> Option<(Binary, u8)> {
        Some(match self.peek() {
            Token::Word(word) if word == "or" => (Binary::Or, 1),
            Token::Word(word) if word == "and" => (Binary::And, 2),
            Token::Symbol(symbol) => match *symbol {
                "<" => (Binary::Less, COMPARISON),
                "<=" => (Binary::AtMost, COMPARISON),
                ">" => (Binary::Greater, COMPARISON),
                ">=" => (Binary::AtLeast, COMPARISON),
                "==" => (Binary::Equal, COMPARISON),
                "!=" => (Binary::Unequal, COMPARISON),
                "+" => (Binary::Add, 4),
                "-" => (Binary::Subtract, 4),
                "*" => (Binary::Multiply, 5),
                "/" => (Binary::Divide, 5),
                "^" => (Binary::Power, 7),
                _ => return None,
            },
            _ => return None,
        })
    }

    fn not_too_deep(&self, depth: usize) -> Result<(), ParseError> {
        if depth <= MAX_FORMULA_DEPTH {
            return Ok(());
        }
        let message = format!("more than {MAX_FORMULA_DEPTH} nested operations");
        let help = Some("split it with a formula of your own: `[formula.name]`".to_owned());
        Err(ParseError { range: self.range(), message, help, limit: true })
    }

    fn checked(&self, expr: Expr, depth: usize) -> Result<Part, ParseError> {
        self.not_too_deep(depth)?;
        Ok((expr, depth))
    }

    fn binary(&mut self, least: u8, nested: usize) -> Result<Part, ParseError> {
        let (mut left, mut depth) = self.prefix(nested)?;
        let mut compared = false;
        while let Some((operator, strength)) = self.operator().filter(|(_, strength)| *strength > least) {
            if strength == COMPARISON && compared {
                let mut error = self.unexpected("comparisons cannot be chained");
                error.help = Some("write `a < b and b < c`".to_owned());
                return Err(error);
            }
            compared = strength == COMPARISON;
            self.advance();
            // `^` is right-associative and allows a minus before its exponent.
            let (right, right_depth) =
                self.binary(if operator == Binary::Power { strength - 1 } else { strength }, nested + 1)?;
            let range = left.range.start..right.range.end;
            let joined = Expr { kind: ExprKind::Binary(operator, Box::new(left), Box::new(right)), range };
            (left, depth) = self.checked(joined, depth.max(right_depth) + 1)?;
        }
        Ok((left, depth))
    }

    fn prefix(&mut self, nested: usize) -> Result<Part, ParseError> {
        let start = self.range().start;
        let (operator, strength) = match self.peek() {
            Token::Symbol("-") => (Unary::Negate, NEGATE),
            Token::Word(word) if word == "not" => (Unary::Not, NOT - 1),
            _ => return self.atom(nested),
        };
        self.not_too_deep(nested)?;
        self.advance();
        let (operand, depth) = self.binary(strength, nested + 1)?;
        let range = start..operand.range.end;
        self.checked(Expr { kind: ExprKind::Unary(operator, Box::new(operand)), range }, depth + 1)
    }

    fn atom(&mut self, nested: usize) -> Result<Part, ParseError> {
        let range = self.range();
        let token = self.peek().clone();
        self.not_too_deep(nested)?;
        match token {
            Token::Number { value, percent } => {
                self.advance();
                Ok((Expr { kind: ExprKind::Number { value, percent }, range }, 1))
            }
            Token::Symbol("(") => {
                self.advance();
                let (mut inner, depth) = self.binary(0, nested + 1)?;
                inner.range = range.start..self.expect(")")?.end;
                self.checked(inner, depth + 1)
            }
            Token::Word(word) if matches!(word.as_str(), "and" | "or" | "not") => {
                Err(self.unexpected(&format!("expected a value before `{word}`")))
            }
            Token::Word(word) => {
                self.advance();
                self.word(Ident { text: word, range }, nested)
            }
            other => Err(self.unexpected(&format!("expected a value before {}", other.what()))),
        }
    }

    fn word(&mut self, first: Ident, nested: usize) -> Result<Part, ParseError> {
        let start = first.range.start;
        if *self.peek() == Token::Symbol("(") {
            return self.call(first, nested);
        }
        if matches!(first.text.as_str(), "true" | "false") {
            return Ok((Expr { kind: ExprKind::Truth(first.text == "true"), range: first.range }, 1));
        }
        let mut end = first.range.end;
        let mut parts = vec![first];
        while *self.peek() == Token::Symbol(".") {
            self.advance();
            let Token::Word(word) = self.peek().clone() else {
                return Err(self.unexpected(&format!("expected a name after `.`, before {}", self.peek().what())));
            };
            let range = self.range();
            end = range.end;
            parts.push(Ident { text: word, range });
            self.advance();
        }
        Ok((Expr { kind: ExprKind::Name(parts), range: start..end }, 1))
    }

    fn call(&mut self, name: Ident, nested: usize) -> Result<Part, ParseError> {
        self.advance();
        let start = name.range.start;
        let mut arguments = Vec::new();
        let mut deepest = 0;
        if *self.peek() != Token::Symbol(")") {
            loop {
                let (mut argument, depth) = self.binary(0, nested + 1)?;
                if let (Token::Symbol("="), ExprKind::Name(words)) = (self.peek(), &argument.kind)
                    && let [word] = words.as_slice()
                {
                    let (word, start) = (word.clone(), argument.range.start);
                    self.advance();
                    let (value, depth) = self.binary(0, nested + 1)?;
                    let range = start..value.range.end;
                    (argument, _) =
                        self.checked(Expr { kind: ExprKind::Named(word, Box::new(value)), range }, depth + 1)?;
                }
                arguments.push(argument);
                deepest = deepest.max(depth);
                if *self.peek() != Token::Symbol(",") {
                    break;
                }
                self.advance();
            }
        }
        let end = self.expect(")")?.end;
        self.checked(Expr { kind: ExprKind::Call(name, arguments), range: start..end }, deepest + 1)
    }
}
