//! Taking readings away: CSV with one column per signal, and SenML.

use super::export_format::{Format, Given};
use super::listed::listed_or_all;
use super::query;
use crate::auth::Access;
use crate::failure::Failure;
use crate::found;
use jiff::tz::TimeZone;
use lantern_core::series::Run;
use lantern_core::{Moment, SignalId, Value};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_store::{Scan, Store, StoreError};
use rocket::http::{ContentType, Header};
use rocket::response::stream::ByteStream;
use rocket::{Responder, Route, State, get, routes};
use std::sync::Arc;

/// Bytes gathered before they are sent.
const CHUNK: usize = 32 * 1024;

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

/// Readings of several signals as CSV (RFC 4180), one row per time and one
/// column per signal, or with `format=csv-long` one row per reading; as JSON with `format=json` or, a line for each
/// reading, `json-lines`; or as a SenML pack (RFC 8428) with `format=senml` in JSON
/// or `format=senml-cbor` in CBOR.
///
/// `signals` is a list such as `tower/level,larder/temp:Cel`, where what follows the
/// colon is another unit than the signal's; by default all numbers, flags and texts
/// of the site. Suspect and rejected readings are left out, unless `all=true` asks for them: then each value has its
/// quality beside it. Times are RFC 3339 in the site's zone, or in UTC
/// with `zone=UTC`, or in any other zone of that name. Values that are worked out have as many
/// digits as their sensors can resolve, or all of them with `digits=full`; what was sent is as it
/// was sent. `from` is included, `to`
/// excluded; by default the last day.
#[utoipa::path(operation_id = "export_export", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, content_type = "text/csv", body = String),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/export?<format>&<signals>&<from>&<to>&<zone>&<digits>&<all>")]
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
    digits: Option<&str>,
    all: Option<&str>,
) -> Result<Download<ByteStream![Vec<u8> + 'a]>, Failure> {
    let (from, to) = query::span(from, to)?;
    let site = found::site(&engine.store, site).await?;
    let zone_name = zone.unwrap_or(&site.zone);
    let zone = TimeZone::get(zone_name)
        .map_err(|_| Problem::invalid("zone", format_args!("`{zone_name}` is not the name of a time zone")))?;
    let all = query::flag("all", all)?;
    let mut format = Format::from_name(format.unwrap_or("csv"), zone, all)
        .ok_or_else(|| Problem::invalid("format", Format::NAMES))?;
    if all && !format.can_have_quality() {
        return Err(Problem::invalid("all", "SenML has no room for a quality; take another format").into());
    }
    let mut columns = listed_or_all(engine, &site.code, signals).await?;
    match digits {
        None => {
            for column in &mut columns {
                column.resolve(engine, site.id).await?;
            }
        }
        Some("full") => {}
        Some(_) => return Err(Problem::invalid("digits", "`full`, or leave it out").into()),
    }
    let name = format!("{}.{}", site.code, format.ending());
    let content_type = format.content_type();
    let cursors = columns.iter().map(|c| Cursor::new(&engine.store, c.signal.id, (from, to), all)).collect();
    let mut rows = Rows { cursors, values: Vec::new() };
    let stream = ByteStream! {
        let mut buffer = Vec::with_capacity(CHUNK + 1_024);
        format.begin(&mut buffer, &columns);
        loop {
            match rows.next().await {
                Ok(Some(at)) => {
                    for (column, value) in columns.iter().zip(&mut rows.values) {
                        if let Some(Given { value: Value::Number(number), .. }) = value {
                            *number = column.number(*number);
                        }
                    }
                    format.row(&mut buffer, &columns, at, &mut rows.values);
                }
                Ok(None) => {
                    format.end(&mut buffer);
                    break;
                }
                Err(error) => {
                    // The status has been sent, so the end of the file has to tell.
                    tracing::error!(%error, "an export broke off");
                    format.broken_off(&mut buffer);
                    break;
                }
            }
            if buffer.len() >= CHUNK {
                yield std::mem::replace(&mut buffer, Vec::with_capacity(CHUNK + 1_024));
            }
        }
        yield buffer;
    };
    Ok(Download {
        stream,
        content_type,
        disposition: Header::new("Content-Disposition", format!("attachment; filename=\"{name}\"")),
    })
}

/// One signal's readings, some at a time.
struct Cursor<'a> {
    scan: Scan<'a>,
    run: Run,
    place: usize,
    /// Whether readings that are not good are wanted too.
    all: bool,
}

impl<'a> Cursor<'a> {
    fn new(store: &'a Store, signal: SignalId, (from, to): (Moment, Moment), all: bool) -> Self {
        Self { scan: store.scan(signal, from, to), run: Run::default(), place: 0, all }
    }

    /// The time of the next reading that is wanted, in microseconds since 1970.
    async fn next_at(&mut self) -> Result<Option<i64>, StoreError> {
        loop {
            while !self.all && self.place < self.run.len() && !self.run.is_good(self.place) {
                self.place += 1;
            }
            if let Some(at) = self.run.times().get(self.place) {
                return Ok(Some(*at));
            }
            let Some(run) = self.scan.next().await? else { return Ok(None) };
            self.run = run;
            self.place = 0;
        }
    }

    /// The next value, if it is of this time.
    fn take(&mut self, at: i64) -> Option<Given> {
        (self.run.times().get(self.place) == Some(&at)).then(|| {
            self.place += 1;
            let quality = self.run.quality(self.place - 1);
            Given { value: self.run.value(self.place - 1), quality }
        })
    }
}

/// Rows of all columns in order of time.
struct Rows<'a> {
    cursors: Vec<Cursor<'a>>,
    /// The values of the current row, by column.
    values: Vec<Option<Given>>,
}

impl Rows<'_> {
    /// Goes to the next row and gives its time.
    async fn next(&mut self) -> Result<Option<Moment>, StoreError> {
        let mut next = None;
        for cursor in &mut self.cursors {
            next = match (next, cursor.next_at().await?) {
                (Some(a), Some(b)) => Some(std::cmp::min::<i64>(a, b)),
                (a, b) => a.or(b),
            };
        }
        let Some(at) = next else { return Ok(None) };
        self.values.clear();
        self.values.extend(self.cursors.iter_mut().map(|cursor| cursor.take(at)));
        Ok(Some(Moment::from_micros(at).unwrap_or(Moment::EPOCH)))
    }
}
