//! What a formula says, before it is known whether that makes sense.

/// A part of a formula, and the character it begins at.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Part {
    pub(super) at: usize,
    pub(super) what: What,
}

#[derive(Debug, Clone, PartialEq)]
pub(super) enum What {
    /// A number, with its unit if there is one.
    Number(f64, Option<String>),
    /// The last value of a signal.
    Signal(String),
    /// `-x` and `not x`.
    Negative(Box<Part>),
    Not(Box<Part>),
    /// Two parts with a sign between them.
    Pair(Sign, Box<Part>, Box<Part>),
    /// `if a then b else c`.
    If(Box<Part>, Box<Part>, Box<Part>),
    /// A function with its arguments.
    Call(String, Vec<Part>),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Sign {
    Plus,
    Minus,
    Times,
    Over,
    Power,
    Less,
    LessOrSame,
    More,
    MoreOrSame,
    Same,
    Other,
    And,
    Or,
}
