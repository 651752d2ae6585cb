//! What the demo site watches, and what the crew answered to the alarms of the story.

use crate::service::Api;
use crate::site::SITE;
use anyhow::Result;
use jiff::Timestamp;
use lantern_api::{Alarm, AlarmAnswer, AlarmHistory, NewWatch, Page, SiteWatch};
use serde_json::{Value, json};

/// Alarms that are older than this have been answered, in seconds: those of the last day wait.
const ANSWERED_S: i64 = 86_400;

/// The watches: code, and what each says.
fn all() -> Vec<(&'static str, Value)> {
    vec![
        (
            "fridge-warm",
            json!({"name": "Fridge is warm", "on": {"device": "larder", "signal": "temp"},
                "when": {"is": "above", "limit": 8, "unit": "Cel"}, "deadband": 1, "delay_on_s": 600,
                "severity": "high", "advice": "Close the door. If it is closed, ring the cold store."}),
        ),
        (
            "fridge-door",
            json!({"name": "Fridge door is open", "on": {"device": "larder", "signal": "door"},
                "when": {"is": "flag", "value": true}, "delay_on_s": 300, "severity": "medium",
                "advice": "Close it."}),
        ),
        (
            "tower-leak",
            json!({"name": "The tower loses water by night", "on": {"device": "tower", "signal": "level"},
                "when": {"is": "changing", "by": 40, "within_s": 21_600, "direction": "falls", "unit": "cm"},
                "hours": [{"from": "21:00", "to": "06:00"}], "deadband": 5, "severity": "high",
                "advice": "Look at the stop valve, then at the pipe to the crane."}),
        ),
        (
            "float-stuck",
            json!({"name": "The level sensors disagree", "on": {"device": "tower", "signal": "apart"},
                "when": {"is": "outside", "low": -20, "high": 20, "unit": "cm"}, "deadband": 5, "delay_on_s": 900,
                "advice": "Free the float by hand."}),
        ),
        (
            "tunnel-air",
            json!({"name": "Bad air in the tunnel", "on": {"device": "tunnel", "signal": "co"},
                "when": {"is": "above", "limit": 30}, "deadband": 5, "delay_on_s": 1200, "severity": "urgent",
                "advice": "Stop trains. Nobody walks in until it is below 20 ppm."}),
        ),
        (
            "crew-button",
            json!({"name": "The crew calls", "on": {"device": "sorrel", "signal": "crew"},
                "when": {"is": "flag", "value": true}, "severity": "urgent", "advice": "Ring the footplate."}),
        ),
        (
            "help",
            json!({"name": "Call for help", "when": {"is": "pressed"}, "severity": "urgent",
                "advice": "Ring whoever pressed it, then the emergency services."}),
        ),
        (
            "silent",
            json!({"name": "Nothing is heard", "when": {"is": "silent"}, "severity": "medium",
                "advice": "`lantern why DEVICE` tells what was last heard."}),
        ),
        ("losses", json!({"name": "Messages are lost", "when": {"is": "losses", "above": 0.2}, "severity": "low"})),
    ]
}

/// Makes the watches, unless there are some.
pub(crate) async fn make(api: &Api) -> Result<()> {
    let path = format!("sites/{SITE}/watches");
    let there: Page<SiteWatch> = api.get(&path).await?;
    if !there.items.is_empty() {
        return Ok(());
    }
    for (code, watch) in all() {
        let new = NewWatch { code: Some(code.to_owned()), watch: serde_json::from_value(watch)? };
        let _: SiteWatch = api.post(&path, &new).await?;
    }
    Ok(())
}

/// Answers the alarms of the story.
pub(crate) async fn answer(api: &Api, now_s: i64) -> Result<()> {
    let path = format!("sites/{SITE}/alarms");
    let open: Page<Alarm> = api.get(&format!("{path}?open=true&limit=500")).await?;
    for alarm in open.items.iter().filter(|alarm| alarm.acknowledged_at.is_none()) {
        let raised: Timestamp = alarm.raised_at.parse()?;
        if now_s - raised.as_second() > ANSWERED_S {
            let answer = AlarmAnswer::Acknowledge { note: "Seen to".to_owned() };
            let _: AlarmHistory = api.post(&format!("{path}/{}/answer", alarm.id), &answer).await?;
        }
    }
    Ok(())
}
