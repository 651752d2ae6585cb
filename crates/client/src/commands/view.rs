//! `lantern view`.

use super::{Context, zone};
use crate::args::{ViewCommand, ViewSpan};
use crate::output::table;
use crate::server::{Server, segment, with_query};
use crate::time;
use anyhow::Result;
use jiff::{Timestamp, ToSpan};
use lantern_api::{NewView, View};
use reqwest::Url;

pub(crate) async fn run(context: &Context, command: ViewCommand) -> Result<()> {
    let server = context.server()?;
    let views = views(&server).await?;
    match command {
        ViewCommand::List => {
            let zone = zone(&server).await?;
            let found: Vec<View> = server.list(&views, &[]).await?;
            context.output.print(&found, |found| {
                if found.is_empty() {
                    return "No views are kept. See `lantern view keep --help`.".to_owned();
                }
                let row = |view: &View| {
                    let looked = Looked::at(&view.query);
                    let signals = looked.signals.join(", ");
                    vec![view.name.clone(), signals, view.kept_by.clone(), time::local(&view.kept_at, &zone)]
                };
                table(&["name", "signals", "kept by", "at"], &[], found.iter().map(row).collect())
            })
        }
        ViewCommand::Keep { name, signals, span } => {
            let query = vec![("signals", signals.join(",")), ("span", span.id.to_owned())];
            let query = with_query("", &query);
            let path = format!("{views}/{}", segment(&name));
            let view: View = server.put(&path, &NewView { query: query.trim_start_matches('?').to_owned() }).await?;
            context.output.print(&view, |view| format!("view {} kept", view.name))
        }
        ViewCommand::Remove { name } => {
            server.remove(&format!("{views}/{}", segment(&name))).await?;
            context.output.say(&format!("view {name} removed"))
        }
    }
}

async fn views(server: &Server) -> Result<String> {
    Ok(format!("sites/{}/views", segment(&server.site_code().await?)))
}

/// What a view shows.
pub(super) struct Looked {
    pub(super) signals: Vec<String>,
    /// From when to when; neither if it says nothing that is known here.
    pub(super) span: Option<(String, String)>,
}

impl Looked {
    /// A view that is kept.
    pub(super) async fn find(server: &Server, name: &str) -> Result<Self> {
        let view: View = server.get(&format!("{}/{}", views(server).await?, segment(name)), &[]).await?;
        Ok(Self::at(&view.query))
    }

    fn at(query: &str) -> Self {
        let address = Url::parse(&format!("http://view/?{query}"));
        let parts: Vec<(String, String)> =
            address.iter().flat_map(Url::query_pairs).map(|(key, value)| (key.into(), value.into())).collect();
        let of = |name: &str| parts.iter().find(|(key, _)| key == name).map(|(_, value)| value.as_str());
        let listed = of("signals").unwrap_or_default().split(',').filter(|signal| !signal.is_empty());
        let moment = |text: &str| Timestamp::from_millisecond(text.parse().ok()?).ok().map(|at| at.to_string());
        let fixed = of("from").and_then(moment).zip(of("to").and_then(moment));
        let up_to_now = || {
            let span = ViewSpan::parse(of("span")?).ok()?;
            let now = Timestamp::now();
            Some((now.checked_sub(span.seconds.seconds()).ok()?.to_string(), now.to_string()))
        };
        Self { signals: listed.map(str::to_owned).collect(), span: fixed.or_else(up_to_now) }
    }
}

#[cfg(test)]
mod tests {
    use super::Looked;

    #[test]
    fn a_view_says_signals_and_time() {
        let fixed = Looked::at("signals=tower%2Flevel%2Ctower%2Fair&from=1777593600000&to=1777680000000&panes=each");
        assert_eq!(fixed.signals, ["tower/level", "tower/air"]);
        let span = fixed.span.unwrap();
        assert_eq!((span.0.as_str(), span.1.as_str()), ("2026-05-01T00:00:00Z", "2026-05-02T00:00:00Z"));
        let week = Looked::at("signals=tower%2Flevel&span=1w").span.unwrap();
        let ends = [week.0, week.1].map(|at| at.parse::<jiff::Timestamp>().unwrap().as_second());
        assert_eq!(ends[1] - ends[0], 7 * 86_400);
        assert!(Looked::at("span=soon").span.is_none());
    }
}
