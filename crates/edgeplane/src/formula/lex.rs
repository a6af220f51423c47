//! Text → tokens.

use std::ops::Range;

use super::parse::ParseError;

/// Units that users write after numbers.
const UNITS: [&str; 9] = ["s", "sec", "secs", "second", "seconds", "ms", "min", "m", "metres"];

#[derive(Clone, Debug, PartialEq)]
pub(super) enum Token {
    Number { value: f64, percent: bool },
    Word(String),
    Symbol(&'static str),
    End,
}

impl Token {
    pub(super) fn what(&self) -> String {
        match self {
            Self::Number { value, percent } => {
                format!("the number {value}{}", if *percent { " (a percent)" } else { "" })
            }
            Self::Word(word) => format!("`{word}`"),
            Self::Symbol(symbol) => format!("`{symbol}`"),
            Self::End => "the end of the formula".to_owned(),
        }
    }
}

#[derive(Clone, Debug)]
pub(super) struct Lexeme {
    pub(super) token: Token,
    pub(super) range: Range<u32>,
}

/// Longest first, so that `<=` is not read as `<`.
const SYMBOLS: &[&str] = &["<=", ">=", "==", "!=", "=", "<", ">", "+", "-", "*", "/", "^", "(", ")", ",", "."];

/// Operators of other languages, and their equivalents here.
const FOREIGN: &[(&str, &str)] = &[
    ("&&", "write `and`"),
    ("||", "write `or`"),
    ("**", "write `^`"),
    ("!", "write `not`"),
    ("%", "a percent sign follows a number directly: `15%`; there is no remainder operator"),
    ("?", "write `if(condition, a, b)`"),
    ("//", "write `floor(a / b)`"),
    ("..", "write `between(low, high)`"),
];

pub(super) fn lex(text: &str) -> Result<Vec<Lexeme>, ParseError> {
    let mut lexemes = Vec::new();
    let mut at = 0;
    while let Some(first) = text[at..].chars().next() {
        let rest = &text[at..];
        if first.is_whitespace() {
            at += first.len_utf8();
            continue;
        }
        let (token, length) = next(rest).map_err(|(message, length, help)| ParseError {
            range: at as u32..(at + length) as u32,
            message,
            help,
            limit: false,
        })?;
        lexemes.push(Lexeme { token, range: at as u32..(at + length) as u32 });
        at += length;
    }
    let end = text.trim_end().len() as u32;
    lexemes.push(Lexeme { token: Token::End, range: end..end });
    Ok(lexemes)
}

type Wrong = (String, usize, Option<String>);

fn next(rest: &str) -> Result<(Token, usize), Wrong> {
    let first = rest.chars().next().unwrap_or(' ');
    let starts_number = first.is_ascii_digit() || (first == '.' && rest[1..].starts_with(|c: char| c.is_ascii_digit()));
    if starts_number {
        return number(rest);
    }
    if first.is_alphabetic() || first == '_' {
        let length = rest.find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(rest.len());
        return Ok((Token::Word(rest[..length].to_owned()), length));
    }
    let foreign = FOREIGN.iter().find(|(symbol, _)| {
        rest.starts_with(symbol) && !SYMBOLS.iter().any(|known| known.len() > symbol.len() && rest.starts_with(known))
    });
    if let Some((symbol, help)) = foreign {
        return Err((format!("`{symbol}` is not an operator here"), symbol.len(), Some((*help).to_owned())));
    }
    match SYMBOLS.iter().find(|symbol| rest.starts_with(**symbol)) {
        Some(symbol) => Ok((Token::Symbol(symbol), symbol.len())),
        None => Err((format!("`{first}` is not allowed in a formula"), first.len_utf8(), None)),
    }
}

fn number(rest: &str) -> Result<(Token, usize), Wrong> {
    let bytes = rest.as_bytes();
    let digits = |mut at: usize| {
        while bytes.get(at).is_some_and(|byte| byte.is_ascii_digit() || *byte == b'_') {
            at += 1;
        }
        at
    };
    let mut length = digits(0);
    if bytes.get(length) == Some(&b'.') && bytes.get(length + 1).is_some_and(u8::is_ascii_digit) {
        length = digits(length + 1);
    }
    if matches!(bytes.get(length), Some(b'e' | b'E')) {
        let sign = usize::from(matches!(bytes.get(length + 1), Some(b'+' | b'-')));
        if bytes.get(length + 1 + sign).is_some_and(u8::is_ascii_digit) {
            length = digits(length + 1 + sign);
        }
    }
    let written = rest[..length].replace('_', "");
    let value: f64 = written.parse().unwrap_or(f64::INFINITY);
    if !value.is_finite() {
        return Err((format!("`{written}` is too large"), length, None));
    }
    if rest[length..].starts_with(|c: char| c.is_alphabetic() || c == '_') {
        let word: String = rest[length..].chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
        if UNITS.contains(&word.as_str()) {
            let help = "omit the unit: times are in seconds, lengths in metres".to_owned();
            return Err((format!("`{written}{word}` is a number with a unit"), length + word.len(), Some(help)));
        }
        let sides = word.strip_prefix('d').filter(|sides| sides.parse::<u16>().is_ok());
        let help = Some(match sides {
            Some(sides) => format!("write `dice({written}, {sides})`"),
            None => "write multiplications as `2 * x`; names do not begin with a digit".to_owned(),
        });
        return Err(("a number runs into a name".to_owned(), length, help));
    }
    let percent = bytes.get(length) == Some(&b'%');
    let value = if percent { value / 100.0 } else { value };
    Ok((Token::Number { value, percent }, length + usize::from(percent)))
}
