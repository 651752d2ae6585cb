//! Values as people read them.

use lantern_core::{DecimalMark, Value};

/// A value with so many decimals, without its unit.
#[must_use]
pub fn value(value: &Value, decimals: u8, mark: DecimalMark) -> String {
    let decimals = usize::from(decimals);
    let number = |number: f64| match mark {
        DecimalMark::Point => format!("{number:.decimals$}"),
        DecimalMark::Comma => format!("{number:.decimals$}").replace('.', ","),
    };
    match value {
        Value::Number(it) => number(*it),
        Value::Flag(flag) => if *flag { "yes" } else { "no" }.to_owned(),
        Value::Text(text) => text.clone(),
        Value::Position(fix) => format!("{} {}", number(fix.latitude), number(fix.longitude)),
    }
}

/// A value with its unit.
#[must_use]
pub fn with_unit(value: &str, symbol: &str) -> String {
    if symbol.is_empty() { value.to_owned() } else { format!("{value} {symbol}") }
}
