//! Taking readings away: CSV with one column per signal, and SenML.

use super::export_format::{Column, Format};
use super::query;
use crate::app::App;
use crate::auth::Access;
use crate::problem::Problem;
use jiff::tz::TimeZone;
use lantern_core::{Moment, SignalId, Value};
use lantern_store::{Order, Page, Store, StoreError};
use rocket::http::{ContentType, Header};
use rocket::response::stream::ByteStream;
use rocket::{Responder, Route, State, get, routes};
use std::collections::VecDeque;
use std::sync::Arc;

/// Signals in one export.
const MAX_SIGNALS: usize = 50;
/// Readings of a signal held at a time.
const PAGE: u32 = 2_000;
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
/// column per signal; or as a SenML pack (RFC 8428) with `format=senml` in JSON
/// or `format=senml-cbor` in CBOR.
///
/// `signals` is a list such as `tower/level,tower/temp`; by default all numbers,
/// flags and texts of the site. Times are RFC 3339 in the site's zone, or in UTC
/// with `zone=UTC`, or in any other zone of that name. `from` is included, `to`
/// excluded; by default the last day.
#[utoipa::path(context_path = "/api/v1", tag = "reading back",
    responses((status = 200, content_type = "text/csv", body = String),
        (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/export?<format>&<signals>&<from>&<to>&<zone>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn export<'a>(
    app: &'a State<Arc<App>>,
    _access: Access,
    site: &str,
    format: Option<&str>,
    signals: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    zone: Option<&str>,
) -> Result<Download<ByteStream![Vec<u8> + 'a]>, Problem> {
    let (from, to) = query::span(from, to)?;
    let site = app.site(site).await?;
    let zone_name = zone.unwrap_or(&site.zone);
    let zone = TimeZone::get(zone_name)
        .map_err(|_| Problem::invalid("zone", format_args!("`{zone_name}` is not the name of a time zone")))?;
    let mut format = Format::from_name(format.unwrap_or("csv"), zone)
        .ok_or_else(|| Problem::invalid("format", "`csv`, `senml` or `senml-cbor`"))?;
    let columns = columns(app, &site.code, signals).await?;
    let name = format!("{}.{}", site.code, format.ending());
    let content_type = format.content_type();
    let mut rows =
        Rows { store: &app.store, cursors: columns.iter().map(|c| Cursor::new(c.signal, from, to)).collect() };
    let stream = ByteStream! {
        let mut buffer = Vec::with_capacity(CHUNK + 1_024);
        format.begin(&mut buffer, &columns);
        loop {
            match rows.next().await {
                Ok(Some((at, values))) => format.row(&mut buffer, &columns, at, values),
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

async fn columns(app: &App, site: &str, signals: Option<&str>) -> Result<Vec<Column>, Problem> {
    let mut columns = Vec::new();
    match signals {
        Some(list) => {
            for path in list.split(',') {
                let Some((device, code)) = path.trim().split_once('/') else {
                    return Err(Problem::invalid("signals", format_args!("`{path}` is not DEVICE/SIGNAL")));
                };
                let (_, device, signal) = app.signal(site, device, code).await?;
                columns.push(column(&device.code, &signal));
                check_count(&columns)?;
            }
        }
        None => {
            let site = app.site(site).await?;
            for device in app.store.devices(site.id, "", MAX_SIGNALS as u32 + 1).await? {
                let declared = app.store.signals(device.id).await?;
                columns.extend(
                    declared.iter().filter(|s| s.value_type.is_some()).map(|signal| column(&device.code, signal)),
                );
                check_count(&columns)?;
            }
        }
    }
    Ok(columns)
}

fn check_count(columns: &[Column]) -> Result<(), Problem> {
    if columns.len() > MAX_SIGNALS {
        return Err(Problem::invalid("signals", format_args!("at most {MAX_SIGNALS} in one export; name them")));
    }
    Ok(())
}

fn column(device: &str, signal: &lantern_store::Signal) -> Column {
    Column { signal: signal.id, path: format!("{device}/{}", signal.code), unit: signal.unit.clone() }
}

/// One signal's readings, a page at a time.
struct Cursor {
    signal: SignalId,
    from: Moment,
    to: Moment,
    page: VecDeque<(Moment, Value)>,
    at_end: bool,
}

impl Cursor {
    fn new(signal: SignalId, from: Moment, to: Moment) -> Self {
        Self { signal, from, to, page: VecDeque::new(), at_end: false }
    }

    async fn fill(&mut self, store: &Store) -> Result<(), StoreError> {
        if !self.page.is_empty() || self.at_end {
            return Ok(());
        }
        let page = Page { signal: self.signal, from: self.from, to: self.to, limit: PAGE, order: Order::Ascending };
        self.page = store.readings(page).await?.into();
        self.at_end = self.page.len() < PAGE as usize;
        if let Some((last, _)) = self.page.back() {
            self.from = last.next();
        }
        Ok(())
    }
}

/// Rows of all columns in order of time.
struct Rows<'a> {
    store: &'a Store,
    cursors: Vec<Cursor>,
}

impl Rows<'_> {
    async fn next(&mut self) -> Result<Option<(Moment, Vec<Option<Value>>)>, StoreError> {
        for cursor in &mut self.cursors {
            cursor.fill(self.store).await?;
        }
        let Some(at) = self.cursors.iter().filter_map(|c| c.page.front()).map(|(at, _)| *at).min() else {
            return Ok(None);
        };
        let value = |cursor: &mut Cursor| {
            if cursor.page.front().is_some_and(|(first, _)| *first == at) {
                cursor.page.pop_front().map(|(_, value)| value)
            } else {
                None
            }
        };
        Ok(Some((at, self.cursors.iter_mut().map(value).collect())))
    }
}
