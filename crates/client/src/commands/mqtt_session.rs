//! `lantern mqtt-session`.

use super::storage::size;
use super::{Context, zone};
use crate::args::MqttSessionCommand;
use crate::output::table;
use crate::server::segment;
use crate::time;
use anyhow::Result;
use jiff::tz::TimeZone;
use lantern_api::MqttSession;

pub(crate) async fn run(context: &Context, command: MqttSessionCommand) -> Result<()> {
    let server = context.server()?;
    let path = format!("sites/{}/mqtt-sessions", segment(&server.site_code().await?));
    match command {
        MqttSessionCommand::List => {
            let zone = zone(&server).await?;
            let sessions: Vec<MqttSession> = server.list(&path, &[]).await?;
            context.output.print(&sessions, |sessions| list(sessions, &zone))
        }
        MqttSessionCommand::End { client } => {
            server.remove(&format!("{path}/{}", segment(&client))).await?;
            context.output.say(&format!("the session of {client} is ended"))
        }
    }
}

fn list(sessions: &[MqttSession], zone: &TimeZone) -> String {
    if sessions.is_empty() {
        return "No client that speaks MQTT has a session.".to_owned();
    }
    let row = |session: &MqttSession| {
        let whose = match (&session.device, session.key) {
            (Some(device), _) => device.clone(),
            (None, Some(key)) => format!("key {key} of the site"),
            (None, None) => "not known".to_owned(),
        };
        let state = match (session.connected, &session.ends_at) {
            (true, _) => "connected".to_owned(),
            (false, Some(end)) => format!("away, ends {}", time::local(end, zone)),
            (false, None) => "away".to_owned(),
        };
        let waiting = match session.waiting {
            0 => String::new(),
            count => format!("{count} ({})", size(session.waiting_bytes)),
        };
        let given_up = if session.given_up == 0 { String::new() } else { session.given_up.to_string() };
        vec![session.client.clone(), whose, state, session.subscriptions.to_string(), waiting, given_up]
    };
    let rows = sessions.iter().map(row).collect();
    table(&["client", "of", "state", "subscriptions", "waiting", "given up"], &[3, 5], rows)
}
