//! Small displays: the lamp in a word, or a line of a given width.

use super::query;
use crate::auth::Access;
use crate::failure::Failure;
use crate::found;
use lantern_core::lamp::{Lamp, line};
use lantern_core::presence::Presence;
use lantern_core::{DecimalMark, ValueType};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_engine::in_words;
use lantern_engine::lamps::DeviceLamp;
use lantern_engine::plans::DeclaredSignal;
use lantern_store::Device;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

/// Characters of the widest line.
const MAX_WIDTH: usize = 200;

pub(super) fn routes() -> Vec<Route> {
    routes![of_site, of_device]
}

fn width(text: Option<&str>) -> Result<Option<usize>, Problem> {
    text.map(|text| query::number("width", Some(text), 0, 1, MAX_WIDTH)).transpose()
}

/// A site at a glance, for a small display: `calm`, `look` or `alarm`; with `width`
/// a line of so many characters, such as `look  9 fresh  1 late`.
///
/// A key with `read` will do. Devices in trial do not count.
#[utoipa::path(operation_id = "lamp_of_site", context_path = "/api/v1", tag = "small displays",
    security(("token" = []), ("session" = []), ("key" = [])),
    responses((status = 200, body = String, content_type = "text/plain"),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/lamp?<width>")]
async fn of_site(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    width: Option<&str>,
) -> Result<String, Failure> {
    let width = self::width(width)?;
    let site = found::site(&engine.store, site).await?;
    let all: Vec<DeviceLamp> = engine.lamps.all().into_iter().filter(|one| one.site == site.id).collect();
    let lamp = Lamp::worst(all.iter().map(|one| one.lamp).chain([engine.lamps.of_service(site.id)]));
    let Some(width) = width else { return Ok(format!("{}\n", lamp.as_str())) };
    let states = [Presence::Silent, Presence::Late, Presence::Never, Presence::Fresh];
    let texts: Vec<String> = states
        .into_iter()
        .map(|state| (all.iter().filter(|one| one.presence == state).count(), state))
        .filter(|(count, _)| *count > 0)
        .map(|(count, state)| format!("{count} {}", state.as_str()))
        .collect();
    let worst = engine.lamps.worst(site.id);
    let mut parts: Vec<Vec<&str>> = vec![vec![lamp.as_str()]];
    parts.extend(worst.iter().map(|name| vec![name.as_str()]));
    parts.extend(texts.iter().map(|text| vec![text.as_str()]));
    let parts: Vec<&[&str]> = parts.iter().map(Vec::as_slice).collect();
    Ok(line(&parts, "  ", width) + "\n")
}

/// A device at a glance, for a small display: `calm`, `look` or `alarm`; with
/// `width` a line of so many characters, such as `calm  1.84 m  12 s`.
///
/// A key with `read` will do. The value is that of the first number signal, or of
/// the one that `signal` names.
#[utoipa::path(operation_id = "lamp_of_device", context_path = "/api/v1", tag = "small displays",
    security(("token" = []), ("session" = []), ("key" = [])),
    responses((status = 200, body = String, content_type = "text/plain"),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/lamp?<width>&<signal>")]
async fn of_device(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    width: Option<&str>,
    signal: Option<&str>,
) -> Result<String, Failure> {
    let width = self::width(width)?;
    let (_, device) = found::device(&engine.store, site, device).await?;
    let now = clock::now();
    let heard = engine.heard.last(device.id).or(device.last_heard_at);
    let (lamp, alarm) = engine.lamps.device(&device);
    let Some(width) = width else { return Ok(format!("{}\n", lamp.as_str())) };
    let (long, short) = value_of(engine, &device, signal).await?;
    let age = heard.map(|at| age(now.seconds_since(at))).unwrap_or_default();
    let alarm = alarm.unwrap_or_default();
    let parts: [&[&str]; 4] = [&[lamp.as_str()], &[&alarm], &[&long, &short], &[&age]];
    let filled: Vec<&[&str]> = parts.into_iter().filter(|forms| !forms[0].is_empty()).collect();
    Ok(line(&filled, "  ", width) + "\n")
}

/// The value to show, with its unit and without.
async fn value_of(engine: &Engine, device: &Device, wanted: Option<&str>) -> Result<(String, String), Problem> {
    let signals = engine.plans.signals(device.id).await?;
    let is_wanted = |of: &&DeclaredSignal| match wanted {
        Some(code) => of.signal.code == code && of.signal.value_type.is_some(),
        None => of.signal.value_type == Some(ValueType::Number),
    };
    let Some(of) = signals.iter().find(is_wanted) else {
        return match wanted {
            Some(code) => Err(Problem::missing(lantern_store::StoreError::NotFound, "signal", code)),
            None => Ok(Default::default()),
        };
    };
    let (last, decimals) = engine.now.last(device.site, of).await?;
    let Some(last) = last.good.last() else { return Ok(Default::default()) };
    let short = in_words::value(&last.value, decimals, DecimalMark::Point);
    Ok((in_words::with_unit(&short, &of.symbol), short))
}

fn age(seconds: f64) -> String {
    match seconds.max(0.0) as u64 {
        s @ 0..120 => format!("{s} s"),
        s @ 120..7_200 => format!("{} min", s / 60),
        s @ 7_200..172_800 => format!("{} h", s / 3_600),
        s => format!("{} d", s / 86_400),
    }
}
