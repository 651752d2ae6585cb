//! Formulas: values worked out from those of several signals.
//!
//! A small language of its own (`docs/reference/formulas.md`): arithmetic,
//! comparison, `if`, named functions, constants with units, references to signals.
//! What is added or compared has to measure the same thing; that is checked when a
//! formula is made, and so are the arguments of functions. Inside, everything is in
//! the units of the SI.

mod ast;
mod check;
mod function;
mod lexer;
mod node;
mod parser;
mod position;

pub use check::{Component, Formula, Reference, SignalType, Span};

/// What is wrong with a formula, and where.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("character {}: {message}", .at + 1)]
pub struct FormulaError {
    /// Which character, from 0.
    pub at: usize,
    /// What is wrong there, and what was expected.
    pub message: String,
}

impl FormulaError {
    pub(crate) fn new(at: usize, message: impl Into<String>) -> Self {
        Self { at, message: message.into() }
    }
}

/// Names in a text that could be those of signals, whether it makes sense or not.
#[must_use]
pub fn names(text: &str) -> Vec<String> {
    let words = lexer::words(text).unwrap_or_default().into_iter();
    let name = |(word, _)| match word {
        lexer::Word::Name(name) | lexer::Word::Signal(name) => Some(name),
        _ => None,
    };
    words.filter_map(name).collect()
}

/// The most characters of a formula.
pub const MAX_LENGTH: usize = 2_000;
