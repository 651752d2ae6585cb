//! Taking readings away as a file: CSV, JSON, SenML, Parquet; reading by reading or by stretches of time.

mod column;
pub(in crate::routes) mod format;
mod parquet;
mod rows;
mod sink;
mod stretches;

use super::listed::{Listed, listed_or_all};
use super::query;
use super::zoned_times::{Written, ZonedTimes};
use crate::auth::Access;
use crate::failure::Failure;
use crate::found;
use column::{Column, Figure};
use jiff::tz::TimeZone;
use lantern_core::ValueType;
use lantern_core::series::CalendarUnit;
use lantern_engine::{Engine, Problem};
use lantern_store::Site;
use rocket::http::{ContentType, Header};
use rocket::response::stream::ByteStream;
use rocket::{Responder, Route, State, get, routes};
use rows::Rows;
use sink::Sink;
use std::sync::Arc;
use stretches::{Length, Stretches};

/// Bytes gathered before they are sent.
const CHUNK: usize = 32 * 1024;
/// How short and how long equal stretches of time can be, in seconds.
const MIN_WIDTH_S: f64 = 0.001;
const MAX_WIDTH_S: f64 = 31_622_400.0;

pub(super) fn routes() -> Vec<Route> {
    routes![export]
}

/// A file to be saved.
#[derive(Responder)]
struct Download<S> {
    stream: S,
    content_type: ContentType,
    disposition: Header<'static>,
}

/// Readings of several signals as a file. `format` is
/// `csv` (RFC 4180, the default): one row per time, one column per signal;
/// `csv-long`: one row per reading;
/// `json`: a list of readings (RFC 8259); `json-lines`: each reading in a line of its own;
/// `senml` or `senml-cbor`: a pack (RFC 8428) in JSON or CBOR;
/// `parquet`: Apache Parquet, one row per time, one typed column per signal, with units in its metadata.
///
/// `signals` is a list such as `tower/level,larder/temp:Cel`, where what follows the
/// colon is another unit than the signal's; by default all numbers, flags and texts
/// of the site. Suspect and rejected readings are left out, unless `all=true` asks for them: then each value has its
/// quality beside it. Times are RFC 3339 in the site's zone, or in UTC
/// with `zone=UTC`, or in any other zone of that name; with `times=spreadsheet` they are written without an
/// offset, as spreadsheets read them, and the heading names the zone. Values that are worked out have as many
/// digits as their sensors can resolve, or all of them with `digits=full`; what was sent is as it
/// was sent. `from` is included, `to` excluded; by default the last day.
///
/// With `by=hour`, `day`, `week`, `month` or `year` (in that zone), or `width_s` for equal stretches of so many
/// seconds, there is a row for each stretch of time in which there are good readings, at its start, with the
/// `figures` of each number: `mean` (the default), `min`, `max`, `count`.
#[utoipa::path(operation_id = "export_export", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, content_type = "text/csv", body = String),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/export?<format>&<signals>&<from>&<to>&<zone>&<times>&<digits>&<all>&<by>&<width_s>&<figures>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn export<'a>(
    engine: &'a State<Arc<Engine>>,
    _access: Access,
    site: &str,
    format: Option<&str>,
    signals: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    zone: Option<&str>,
    times: Option<&str>,
    digits: Option<&str>,
    all: Option<&str>,
    by: Option<&str>,
    width_s: Option<&str>,
    figures: Option<&str>,
) -> Result<Download<ByteStream![Vec<u8> + 'a]>, Failure> {
    let span = query::span(from, to)?;
    let site = found::site(&engine.store, site).await?;
    let zone_name = zone.unwrap_or(&site.zone);
    let zone = query::zone(zone_name)?;
    let times = match times {
        None | Some("rfc3339") => Written::Rfc3339,
        Some("spreadsheet") => Written::Spreadsheet,
        Some(_) => return Err(Problem::invalid("times", "`rfc3339` or `spreadsheet`").into()),
    };
    let all = query::flag("all", all)?;
    let length = length(by, width_s, &zone)?;
    let mut signals = listed_or_all(engine, &site.code, signals).await?;
    resolve(engine, &site, digits, length.is_some(), &mut signals).await?;
    let (columns, mut rows) = match length {
        None if figures.is_some() => {
            return Err(Problem::invalid("figures", "say by which stretches of time, with `by` or `width_s`").into());
        }
        None => {
            let columns: Vec<_> = signals.iter().map(Column::of_readings).collect();
            (columns, Rows::of_readings(&engine.store, &signals, span, all))
        }
        Some(_) if all => {
            return Err(Problem::invalid("all", "figures are of good readings; leave out `by` or `all`").into());
        }
        Some(length) => {
            let figures = figures_of(figures, &signals)?;
            let columns = signals.iter().flat_map(|of| figures.iter().map(|figure| Column::of_figure(of, *figure)));
            (columns.collect(), Rows::of_stretches(&engine.store, figures, Stretches::new(length, span)))
        }
    };
    let times = ZonedTimes::new(zone, times);
    let mut sink = Sink::new(format.unwrap_or("csv"), &site.code, zone_name, times, columns, all)?;
    let disposition = format!("attachment; filename=\"{}.{}\"", site.code, sink.ending());
    let content_type = sink.content_type();
    let stream = ByteStream! {
        let mut buffer = Vec::with_capacity(CHUNK + 1_024);
        sink.begin(&mut buffer);
        let mut values = Vec::new();
        let end = loop {
            match rows.next(&signals, &mut values).await {
                Ok(Some(at)) => {
                    if let Err(error) = sink.row(&mut buffer, at, &mut values) {
                        break Err(error.to_string());
                    }
                }
                Ok(None) => break sink.end(&mut buffer).map_err(|error| error.to_string()),
                Err(error) => break Err(error.to_string()),
            }
            if buffer.len() >= CHUNK {
                yield std::mem::replace(&mut buffer, Vec::with_capacity(CHUNK + 1_024));
            }
        };
        if let Err(error) = end {
            // The status has been sent, so the end of the file has to tell.
            tracing::error!(error, "an export broke off");
            sink.broken_off(&mut buffer);
        }
        yield buffer;
    };
    Ok(Download { stream, content_type, disposition: Header::new("Content-Disposition", disposition) })
}

/// How long the stretches of time are that are asked for, if they are.
fn length(by: Option<&str>, width_s: Option<&str>, zone: &TimeZone) -> Result<Option<Length>, Problem> {
    match (by, width_s) {
        (None, None) => Ok(None),
        (Some(by), None) => {
            let unit = CalendarUnit::from_name(by).ok_or_else(|| Problem::invalid("by", CalendarUnit::NAMES))?;
            Ok(Some(Length::Calendar(unit, zone.clone())))
        }
        (None, width) => {
            let width = query::number("width_s", width, 1.0, MIN_WIDTH_S, MAX_WIDTH_S)?;
            Ok(Some(Length::Even((width * 1e6).round() as i64)))
        }
        (Some(_), Some(_)) => Err(Problem::invalid("width_s", "`by` and `width_s` are two ways to say it; take one")),
    }
}

/// The figures that are asked for, of signals that can have them.
fn figures_of(names: Option<&str>, signals: &[Listed]) -> Result<Vec<Figure>, Problem> {
    for listed in signals {
        listed.wanted.check_means()?;
        if listed.signal.value_type.is_some_and(|of| of != ValueType::Number) {
            let text = format_args!("`{}` has no figures, as its values are no numbers; leave it out", listed.path);
            return Err(Problem::invalid("signals", text));
        }
    }
    let name = |name: &str| Figure::from_name(name).ok_or_else(|| Problem::invalid("figures", Figure::NAMES));
    names.unwrap_or("mean").split(',').map(name).collect()
}

/// Finds out how many decimals the values of each signal are worth, unless all are wanted.
async fn resolve(
    engine: &Engine,
    site: &Site,
    digits: Option<&str>,
    means: bool,
    signals: &mut [Listed],
) -> Result<(), Problem> {
    match digits {
        None => {
            for listed in signals {
                listed.resolve(engine, site.id, means).await?;
            }
            Ok(())
        }
        Some("full") => Ok(()),
        Some(_) => Err(Problem::invalid("digits", "`full`, or leave it out")),
    }
}
