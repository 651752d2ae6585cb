//! What an integral over time is measured in.

use crate::units::UnitCode;

/// The unit of an integral over time, and what it takes to get there.
#[derive(Debug, Clone, PartialEq)]
pub struct Integral {
    /// Its UCUM code.
    pub unit: UnitCode,
    /// How many seconds the time in it is: an integral in the unit times seconds is divided by this.
    pub seconds: f64,
}

/// Times that units can be divided by, UCUM code and seconds.
const TIMES: [(&str, f64); 4] = [("s", 1.0), ("min", 60.0), ("h", 3_600.0), ("d", 86_400.0)];

/// The unit of the integral of values over time: of a flow such as `L/min` it is what has flowed, `L`; of anything
/// else the unit times hours, so `W` becomes `W.h`. `None` where values have no unit, or one such as `Cel` that
/// does not start at nothing, of which no integral makes sense.
#[must_use]
pub fn integral_of(unit: &UnitCode) -> Option<Integral> {
    let code = unit.as_str();
    if let Some((amount, time)) = code.rsplit_once('/')
        && let Some((_, seconds)) = TIMES.iter().find(|(name, _)| *name == time)
        && let Ok(unit) = UnitCode::parse(if amount.is_empty() { "1" } else { amount })
    {
        return Some(Integral { unit, seconds: *seconds });
    }
    let quantity = unit.quantity().ok()?;
    let starts_at_nothing = quantity.to_si(0.0) == 0.0;
    let unit = UnitCode::parse(&format!("{code}.h")).ok()?;
    starts_at_nothing.then_some(Integral { unit, seconds: 3_600.0 })
}
