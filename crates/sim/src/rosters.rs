//! Who is called on the demo site, and where they can be reached: at stand-ins.

use crate::service::Api;
use crate::site::{PERSON, SITE};
use anyhow::Result;
use lantern_api::{Account, NewRoster, Page, SiteRoster};
use serde_json::json;
use std::net::SocketAddr;

/// Makes the roster, unless there is one. Webhooks go to the stand-in at an address.
pub(crate) async fn make(api: &Api, stand_in: SocketAddr) -> Result<()> {
    let path = format!("sites/{SITE}/rosters");
    let there: Page<SiteRoster> = api.get(&path).await?;
    if !there.items.is_empty() {
        return Ok(());
    }
    let addresses = json!({"addresses": ["stationmaster@marlbeck.example", "+44 1632 960001"]});
    let _: Account = api.patch("account", &addresses).await?;
    let roster = json!({
        "name": "On call", "least": "high", "order": ["signalwoman", PERSON], "pass_on_min": 5, "rounds": 3,
        "turns": [{"hours": {"days": ["sat", "sun"], "from": "00:00", "to": "24:00"}, "order": [PERSON, "signalwoman"]}],
        "quiet": [{"from": "22:00", "to": "06:00"}],
        "also": ["topic:yard/bell", format!("http://{stand_in}/hook")],
    });
    let new = NewRoster { code: Some("on-call".to_owned()), roster: serde_json::from_value(roster)? };
    let _: SiteRoster = api.post(&path, &new).await?;
    Ok(())
}
