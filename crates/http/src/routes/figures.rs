//! Figures: what the readings of stretches of time come to.

use super::division::Division;
use super::listed::{Listed, listed};
use super::query::Wanted;
use super::{Answer, query};
use crate::auth::Access;
use crate::found;
use lantern_api as api;
use lantern_api::{FiguresTable, SignalFigures};
use lantern_core::Moment;
use lantern_core::figures::{Band, Degrees, Extreme, Figures, Integral, WantedFigures, integral_of};
use lantern_core::series::Buckets;
use lantern_core::units::UnitCode;
use lantern_engine::beside::beside;
use lantern_engine::{Engine, Problem};
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![figures]
}

/// Quantiles, and limits of each sort, in one request.
const MOST: usize = 20;
const HOUR_US: f64 = 3.6e9;

/// Figures of signals from `from` to `to` (excluded; by default the last day): extremes with their times, means,
/// total, integral, standard deviation, quantiles, hours within limits, degree hours.
///
/// `signals` is a list such as `tower/level,larder/temp:Cel`, of 50 at most. Of the whole time, or with
/// `by=hour`, `day`, `week`, `month` or `year` of each of these, in the site's zone or another `zone`.
/// `quantiles` are shares such as `0.05,0.5,0.95`. `above=2.5,3`, `below=1` and `within=1..2` count the hours beyond and
/// within limits, and `base=18` the degree hours on both sides of it; limits are in the unit of the
/// signals, or in the one behind the colon.
#[utoipa::path(operation_id = "figures", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = FiguresTable), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/figures?<signals>&<from>&<to>&<by>&<zone>&<quantiles>&<above>&<below>&<within>&<base>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn figures(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    signals: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    by: Option<&str>,
    zone: Option<&str>,
    quantiles: Option<&str>,
    above: Option<&str>,
    below: Option<&str>,
    within: Option<&str>,
    base: Option<&str>,
) -> Answer<FiguresTable> {
    let span = query::span(from, to)?;
    let found = found::site(&engine.store, site).await?;
    let mut division = Division::new(span, None, by, zone, &found.zone)?;
    if by.is_none() {
        division.shown.width_s = None;
        division.buckets = Buckets::Edges(vec![division.from.as_micros(), division.to.as_micros()]);
    }
    let asked = Asked {
        quantiles: shares(quantiles)?,
        above: list("above", above)?,
        below: list("below", below)?,
        within: list_of("within", within, band)?,
        base: base.map(|base| finite("base", base)).transpose()?,
    };
    let listed = listed(engine, site, signals.unwrap_or_default()).await?;
    listed.iter().try_for_each(|one| one.wanted.check_means())?;
    let (division, asked) = (Arc::new(division), Arc::new(asked));
    // Signals are worked out beside each other.
    let work = listed.into_iter().map(|one| of_signal(engine.inner().clone(), one, division.clone(), asked.clone()));
    let signals = beside(work).await?;
    Ok(Json(FiguresTable { time: division.shown.clone(), quantiles: asked.quantiles.clone(), signals }))
}

/// What was asked for, limits in the unit that is wanted.
struct Asked {
    quantiles: Vec<f64>,
    above: Vec<f64>,
    below: Vec<f64>,
    within: Vec<(f64, f64)>,
    base: Option<f64>,
}

impl Asked {
    /// The same in the signal's own unit.
    fn in_own_unit(&self, wanted: &Wanted) -> WantedFigures {
        let above = self.above.iter().map(|limit| Band::Above(wanted.back(*limit)));
        let below = self.below.iter().map(|limit| Band::Below(wanted.back(*limit)));
        let within = self.within.iter().map(|(low, high)| Band::Within(wanted.back(*low), wanted.back(*high)));
        let base = self.base.map(|base| wanted.back(base));
        WantedFigures {
            quantiles: self.quantiles.clone(),
            bands: above.chain(below).chain(within).collect(),
            degrees: base.into_iter().flat_map(|base| [Degrees::Below(base), Degrees::Above(base)]).collect(),
        }
    }
}

async fn of_signal(
    engine: Arc<Engine>,
    listed: Listed,
    division: Arc<Division>,
    asked: Arc<Asked>,
) -> Result<SignalFigures, Problem> {
    let wanted = asked.in_own_unit(&listed.wanted);
    let (time, buckets) = ((division.from, division.to), division.buckets.clone());
    let found = engine.store.figures(listed.signal.id, time, buckets, &wanted).await?;
    let unit = listed.unit.as_deref().and_then(|unit| UnitCode::parse(unit).ok());
    let integral = unit.as_ref().and_then(integral_of);
    let shown = |figures| shown(figures, &listed.wanted, &asked, integral.as_ref());
    Ok(SignalFigures {
        signal: listed.path.clone(),
        unit: listed.unit.clone(),
        integral_unit: integral.as_ref().map(|integral| integral.unit.to_string()),
        buckets: found.iter().map(shown).collect(),
    })
}

fn shown(figures: &Figures, wanted: &Wanted, asked: &Asked, integral: Option<&Integral>) -> api::Figures {
    let stretch = |difference: f64| wanted.number(difference) - wanted.number(0.0);
    let extreme = |Extreme { value, at }: Extreme| api::Extreme {
        value: wanted.number(value),
        at: at.and_then(Moment::from_micros).map(|at| at.to_string()),
    };
    let mut hours = figures.inside.iter().map(|time| *time as f64 / HOUR_US);
    let mut some = |count: usize| hours.by_ref().take(count).collect::<Vec<_>>();
    let (above_h, below_h, within_h) = (some(asked.above.len()), some(asked.below.len()), some(asked.within.len()));
    let degree_hours = |which: usize| figures.degrees.get(which).map(|degrees| stretch(*degrees) / HOUR_US);
    let (mean, time_mean) = (wanted.number(figures.mean), wanted.number(figures.time_mean));
    api::Figures {
        start_ms: figures.start as f64 / 1e3,
        end_ms: figures.end as f64 / 1e3,
        count: figures.count,
        min: extreme(figures.min),
        max: extreme(figures.max),
        mean,
        time_mean,
        total: stretch(figures.total) + wanted.number(0.0) * figures.count as f64,
        integral: integral.map(|integral| time_mean * figures.held as f64 / 1e6 / integral.seconds),
        held_h: figures.held as f64 / HOUR_US,
        deviation: figures.deviation.map(stretch),
        quantiles: figures.quantiles.iter().map(|value| wanted.number(*value)).collect(),
        above_h,
        below_h,
        within_h,
        degree_hours_below: degree_hours(0),
        degree_hours_above: degree_hours(1),
        whole: figures.is_whole,
    }
}

fn finite(name: &str, text: &str) -> Result<f64, Problem> {
    let number = text.trim().parse().ok().filter(|number: &f64| number.is_finite());
    number.ok_or_else(|| Problem::invalid(name, format_args!("`{}` is not a number", query::cut(text))))
}

fn band(name: &str, text: &str) -> Result<(f64, f64), Problem> {
    let (low, high) =
        text.split_once("..").ok_or_else(|| Problem::invalid(name, "write a band as LOW..HIGH, such as 1.5..2.5"))?;
    let (low, high) = (finite(name, low)?, finite(name, high)?);
    if low > high {
        return Err(Problem::invalid(name, format_args!("{low} is more than {high}")));
    }
    Ok((low, high))
}

fn list(name: &str, text: Option<&str>) -> Result<Vec<f64>, Problem> {
    list_of(name, text, finite)
}

fn list_of<T>(
    name: &str,
    text: Option<&str>,
    item: impl Fn(&str, &str) -> Result<T, Problem>,
) -> Result<Vec<T>, Problem> {
    let items: Vec<&str> = text.unwrap_or_default().split(',').filter(|item| !item.trim().is_empty()).collect();
    if items.len() > MOST {
        return Err(Problem::invalid(name, format_args!("at most {MOST} at once")));
    }
    items.into_iter().map(|text| item(name, text)).collect()
}

fn shares(text: Option<&str>) -> Result<Vec<f64>, Problem> {
    let shares = list("quantiles", text)?;
    if shares.iter().all(|share| (0.0..=1.0).contains(share)) {
        Ok(shares)
    } else {
        Err(Problem::invalid("quantiles", "each is a share from 0 to 1, such as 0.95"))
    }
}
