//! The console's files.

use super::inlet;
use crate::files::{File, Files};
use rocket::http::{ContentType, Header, Status};
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use rocket::response::{self, Responder, Response};
use rocket::{Route, State, async_trait, get, routes};
use std::io::Cursor;
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![asset, page, root]
}

/// A file in the form the browser can take.
struct Asset {
    path: String,
    /// Its name holds a hash of what is in it, so it never changes.
    is_fixed: bool,
}

#[get("/assets/<path..>")]
#[allow(clippy::needless_pass_by_value, reason = "that is how Rocket gives it")]
fn asset(files: &State<Arc<dyn Files>>, path: PathBuf) -> Option<Asset> {
    let path = format!("assets/{}", path.to_str()?);
    files.get(&path).map(|_| Asset { path, is_fixed: true })
}

#[get("/")]
fn root() -> Asset {
    Asset { path: "index.html".to_owned(), is_fixed: false }
}

/// Somebody who looks with a browser.
struct Browser;

#[async_trait]
impl<'r> FromRequest<'r> for Browser {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, (Status, ()), Status> {
        if inlet::is_browser(request) { Outcome::Success(Self) } else { Outcome::Forward(Status::NotFound) }
    }
}

/// The first parts of the addresses of the console's pages, which find their own way from
/// there.
const PAGES: [&str; 10] =
    ["sites", "add-site", "log-in", "set-up", "account", "people", "join", "acknowledge", "new-password", "health"];

/// A file beside the pages, or a page of the console. Pages are for browsers alone: a
/// sender with a wrong address must not believe that it was heard.
#[get("/<path..>", rank = 20)]
#[allow(clippy::needless_pass_by_value, reason = "that is how Rocket gives it")]
fn page(files: &State<Arc<dyn Files>>, browser: Option<Browser>, path: PathBuf) -> Option<Asset> {
    let file = path.to_str().filter(|file| Path::new(file).extension().is_some() && files.get(file).is_some());
    let first = path.iter().next().and_then(|part| part.to_str()).unwrap_or_default();
    let page = (browser.is_some() && PAGES.contains(&first)).then_some("index.html");
    file.or(page).map(|path| Asset { path: path.to_owned(), is_fixed: false })
}

const NOT_BUILT: &str = "<!doctype html><html lang=\"en\"><title>Key Lantern</title>\
<p>This service was built without its console. Build it with <code>cargo xtask console</code>, \
then build the service again.</p></html>";

impl<'r> Responder<'r, 'static> for Asset {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let Some(files) = request.rocket().state::<Arc<dyn Files>>() else { return Err(Status::NotFound) };
        let accepted = request.headers().get_one("Accept-Encoding").unwrap_or_default();
        let packed = [("br", "br"), ("gzip", "gz")]
            .into_iter()
            .filter(|(encoding, _)| accepted.split(',').any(|a| a.trim().split(';').next() == Some(encoding)))
            .find_map(|(encoding, ending)| Some((Some(encoding), files.get(&format!("{}.{ending}", self.path))?)));
        let plain = || files.get(&self.path).map(|file| (None, file));
        let Some((encoding, file)) = packed.or_else(plain) else {
            return Response::build()
                .header(ContentType::HTML)
                .sized_body(NOT_BUILT.len(), Cursor::new(NOT_BUILT))
                .ok();
        };
        respond(request, &self, encoding, file)
    }
}

fn respond(
    request: &Request<'_>,
    asset: &Asset,
    encoding: Option<&'static str>,
    file: File,
) -> response::Result<'static> {
    let tag = file.hash.iter().take(8).fold(String::new(), |tag, byte| format!("{tag}{byte:02x}"));
    let tag = format!("\"{tag}\"");
    let content_type = Path::new(&asset.path)
        .extension()
        .and_then(|ending| ContentType::from_extension(ending.to_str()?))
        .unwrap_or(ContentType::Binary);
    let cache = if asset.is_fixed { "public, max-age=31536000, immutable" } else { "no-cache" };
    let mut response = Response::build();
    response
        .header(content_type)
        .header(Header::new("Cache-Control", cache))
        .header(Header::new("Vary", "Accept-Encoding"))
        .header(Header::new("ETag", tag.clone()))
        .header(Header::new("X-Content-Type-Options", "nosniff"))
        .header(Header::new("Referrer-Policy", "same-origin"))
        .header(Header::new(
            "Content-Security-Policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'",
        ));
    if request.headers().get_one("If-None-Match").is_some_and(|known| known.contains(&tag)) {
        return response.status(Status::NotModified).ok();
    }
    if let Some(encoding) = encoding {
        response.header(Header::new("Content-Encoding", encoding));
    }
    let data = file.data.into_owned();
    response.sized_body(data.len(), Cursor::new(data)).ok()
}
