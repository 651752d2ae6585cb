//! `lantern site`.

use super::{Context, apply, remove};
use crate::args::SiteCommand;
use crate::document;
use crate::login::Login;
use crate::output::{facts, table};
use crate::server::segment;
use crate::show;
use anyhow::{Context as _, Result};
use lantern_api::{NewSite, Site, SiteChange, SiteDocument};

pub(crate) async fn run(context: &Context, command: SiteCommand) -> Result<()> {
    let server = context.server()?;
    let path = |code: &str| format!("sites/{}", segment(code));
    let site: Site = match command {
        SiteCommand::List => {
            let sites: Vec<Site> = server.list("sites", &[]).await?;
            return context.output.print(&sites, |sites| list(sites));
        }
        SiteCommand::Remove { code, confirm } => {
            return remove(context, &server, &path(&code), "site", &code, &confirm).await;
        }
        SiteCommand::Add { name, code, zone, place } => {
            server.post("sites", &NewSite { code, name, zone, position: place.at }).await?
        }
        SiteCommand::Show { code: Some(code) } => server.get(&path(&code), &[]).await?,
        SiteCommand::Show { code: None } => server.site().await?,
        SiteCommand::Edit { code, name, zone, decimal_mark, place } => {
            server
                .patch(
                    &path(&code),
                    &SiteChange { name, zone, decimal_mark: decimal_mark.map(Into::into), position: place.change() },
                )
                .await?
        }
        SiteCommand::Export { json } => {
            let code = server.site_code().await?;
            let document: SiteDocument = server.get(&format!("{}/document", path(&code)), &[]).await?;
            let text = if json { serde_json::to_string_pretty(&document)? } else { document::to_toml(&document)? };
            return context.output.print(&document, |_| text);
        }
        SiteCommand::Apply { file, dry_run, yes } => {
            let document: SiteDocument = document::read(&file)?;
            let path = format!("{}/document", path(&server.site_code().await?));
            let (server, document, path) = (&server, &document, &path);
            let post = |dry: bool| async move { server.post(&format!("{path}?dry_run={dry}"), document).await };
            return apply(context, dry_run, yes, post).await;
        }
        SiteCommand::Use { code } => {
            let site: Site = server.get(&path(&code), &[]).await?;
            let login = Login::load()?.context("log in first")?;
            Login { site: Some(site.code.clone()), ..login }.save()?;
            site
        }
    };
    context.output.print(&site, one)
}

fn list(sites: &[Site]) -> String {
    if sites.is_empty() {
        return "No site yet. Make one with: lantern site add NAME --zone ZONE".to_owned();
    }
    let rows = sites.iter().map(|s| vec![s.code.clone(), s.name.clone(), s.zone.clone(), s.arrivals.to_string()]);
    table(&["code", "name", "zone", "arrivals"], &[3], rows.collect())
}

fn one(site: &Site) -> String {
    facts(&[
        ("code", site.code.clone()),
        ("name", site.name.clone()),
        ("zone", site.zone.clone()),
        ("decimal mark", site.decimal_mark.as_str().to_owned()),
        ("position", show::position(site.position)),
        ("arrivals", site.arrivals.to_string()),
    ])
}
