//! How many decimals the values of a signal are worth.

use crate::latest::Latest;
use crate::plans::{DeclaredSignal, Plans};
use crate::problem::Problem;
use lantern_core::fix::Fix;
use lantern_core::meaning::resolution;
use lantern_core::series::Point;
use lantern_core::{
    SignalId, SiteId, Value, ValueType, decimals, decimals_of_converted, decimals_of_step, decimals_worth_showing,
    step_of_decimals,
};

/// How many decimals a signal's values are worth, from the last of them: as many as were sent,
/// or what is left of that after its conversion or formula.
pub(crate) async fn worth(
    plans: &Plans,
    latest: &Latest,
    site: SiteId,
    of: &DeclaredSignal,
    last: &[Point],
) -> Result<u8, Problem> {
    let is_worked_out = of.meaning.as_ref().is_some_and(|meaning| meaning.formula.is_some());
    if of.signal.value_type == Some(ValueType::Position) {
        return Ok(of_degrees(last));
    }
    if !is_worked_out {
        return Ok(sent(last));
    }
    let enough = decimals_worth_showing(numbers(last));
    let step = step_of_formula(plans, latest, site, of.signal.id).await?;
    Ok(step.map_or(enough, |step| decimals_of_step(step).min(enough)))
}

async fn step_of_formula(
    plans: &Plans,
    latest: &Latest,
    site: SiteId,
    signal: SignalId,
) -> Result<Option<f64>, Problem> {
    let meanings = plans.meanings(site).await?;
    let Some(meaning) = meanings.get(signal) else { return Ok(None) };
    let mut inputs = Vec::with_capacity(meaning.inputs.len());
    for input in &meaning.inputs {
        let last = latest.last(*input).await?.good;
        let Some(point) = last.last() else { return Ok(None) };
        let Some(a_step_on) = a_step_on(&last, &point.value) else { return Ok(None) };
        inputs.push((point.value.clone(), a_step_on));
    }
    Ok(resolution(&meaning.checked, &inputs))
}

/// Of values that were sent, or converted from what was sent.
fn sent(last: &[Point]) -> u8 {
    let pairs: Vec<(f64, f64)> = last.iter().filter_map(|point| Some((point.raw?, point.value.as_number()?))).collect();
    if pairs.is_empty() {
        return decimals(numbers(last));
    }
    decimals_of_converted(&pairs).unwrap_or_else(|| decimals_worth_showing(numbers(last)))
}

/// The next value that such readings could have had.
fn a_step_on(last: &[Point], value: &Value) -> Option<Value> {
    let Some(fix) = value.as_fix() else {
        return value.as_number().map(|number| Value::Number(number + step_of_decimals(sent(last))));
    };
    let altitudes = last.iter().filter_map(|point| point.value.as_fix()?.altitude_m);
    let metres = step_of_decimals(decimals(altitudes));
    let latitude = fix.latitude + step_of_decimals(of_degrees(last));
    Some(Fix { latitude, altitude_m: fix.altitude_m.map(|altitude| altitude + metres), ..*fix }.into())
}

/// How many decimals the degrees of positions were sent with.
fn of_degrees(last: &[Point]) -> u8 {
    decimals(last.iter().filter_map(|point| point.value.as_fix()).flat_map(|fix| [fix.latitude, fix.longitude]))
}

fn numbers(last: &[Point]) -> impl Iterator<Item = f64> {
    last.iter().filter_map(|point| point.value.as_number())
}
