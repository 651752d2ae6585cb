//! `lantern alarms`, `acknowledge` and `shelve`.

use super::{Context, alarm_figures, zone};
use crate::args::{AcknowledgeArgs, AlarmsArgs, ShelveArgs};
use crate::live::Live;
use crate::output::{Form, emit, facts, table};
use crate::server::{Server, segment};
use crate::show::{self, short};
use crate::time;
use anyhow::Result;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use lantern_api::{Alarm, AlarmAnswer, AlarmFigures, AlarmHistory, Value};
use std::sync::Arc;

pub(crate) async fn list(context: &Context, args: AlarmsArgs) -> Result<()> {
    let server = Arc::new(context.server()?);
    let zone = zone(&server).await?;
    let path = path(&server).await?;
    if let Some(id) = args.id {
        let found: AlarmHistory = server.get(&format!("{path}/{id}"), &[]).await?;
        return context.output.print(&found, |found| one(found, &zone));
    }
    if args.figures {
        let mut query = vec![("operators", args.operators.to_string())];
        query.extend(args.span.begin(&zone, Timestamp::now())?.map(|from| ("from", from)));
        query.extend(args.span.end(&zone)?.map(|to| ("to", to)));
        let found: AlarmFigures = server.get(&format!("{path}/figures"), &query).await?;
        return context.output.print(&found, |found| alarm_figures::shown(found, &zone));
    }
    let mut query = vec![("open", (!args.all).to_string())];
    query.extend(args.least.map(|least| ("least", least.as_str().to_owned())));
    query.extend(args.device.clone().map(|device| ("device", device)));
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|from| ("from", from)));
    query.extend(args.span.end(&zone)?.map(|to| ("to", to)));
    let found: Vec<Alarm> = server.list(&path, &query).await?;
    context.output.print(&found, |found| listed(found, args.all, &zone))?;
    if args.follow { follow(context, server, &args, &zone).await } else { Ok(()) }
}

async fn follow(context: &Context, server: Arc<Server>, args: &AlarmsArgs, zone: &TimeZone) -> Result<()> {
    let mut live = Live::open(server).await?;
    while let Some((name, data)) = live.recv().await {
        if name != "alarm" {
            continue;
        }
        let alarm: Alarm = serde_json::from_str(&data)?;
        let is_wanted = args.least.is_none_or(|least| alarm.severity >= least)
            && args.device.as_ref().is_none_or(|device| alarm.device.as_ref() == Some(device));
        if is_wanted {
            emit(&match context.output.form {
                Form::Json => serde_json::to_string(&alarm)?,
                Form::Table => row(&alarm, zone).join("  "),
            })?;
        }
    }
    Ok(())
}

pub(crate) async fn acknowledge(context: &Context, args: AcknowledgeArgs) -> Result<()> {
    let server = context.server()?;
    let path = path(&server).await?;
    let mut done = Vec::with_capacity(args.ids.len());
    for id in args.ids {
        let answer = AlarmAnswer::Acknowledge { note: args.note.clone() };
        let found: AlarmHistory = server.post(&format!("{path}/{id}/answer"), &answer).await?;
        done.push(found.alarm);
    }
    context.output.print(&done, |done| {
        let told = |alarm: &Alarm| format!("{} {} at {} acknowledged", alarm.id, alarm.name, place(alarm));
        done.iter().map(told).collect::<Vec<_>>().join("\n")
    })
}

pub(crate) async fn shelve(context: &Context, args: ShelveArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let path = format!("{}/{}/answer", path(&server).await?, args.id);
    let answer = match (args.seconds, args.because) {
        (Some(seconds), Some(note)) => AlarmAnswer::Shelve { minutes: seconds as f64 / 60.0, note },
        _ => AlarmAnswer::Unshelve {},
    };
    let found: AlarmHistory = server.post(&path, &answer).await?;
    context.output.print(&found, |found| {
        let alarm = &found.alarm;
        match &alarm.shelved_until {
            Some(until) => format!("{} at {} is shelved until {}", alarm.name, place(alarm), time::local(until, &zone)),
            None => format!("{} at {} is shelved no longer", alarm.name, place(alarm)),
        }
    })
}

async fn path(server: &Server) -> Result<String> {
    Ok(format!("sites/{}/alarms", segment(&server.site_code().await?)))
}

/// Where an alarm is.
fn place(alarm: &Alarm) -> String {
    show::place_of(alarm.device.as_deref(), alarm.signal.as_deref())
}

fn value(alarm: &Alarm) -> String {
    let symbol = alarm.symbol.as_deref().filter(|symbol| !symbol.is_empty());
    match (&alarm.value, &alarm.signal) {
        (Some(Value::Number(number)), Some(_)) => {
            let number = short(*number);
            symbol.map_or_else(|| number.clone(), |symbol| format!("{number} {symbol}"))
        }
        (Some(value), Some(_)) => show::value(value, 5),
        _ => String::new(),
    }
}

fn row(alarm: &Alarm, zone: &TimeZone) -> Vec<String> {
    let found = if alarm.is_found { ", found later" } else { "" };
    vec![
        alarm.id.to_string(),
        alarm.severity.as_str().to_owned(),
        format!("{}{found}", alarm.state.replace('_', " ")),
        alarm.name.clone(),
        place(alarm),
        value(alarm),
        time::local(&alarm.raised_at, zone),
        alarm.cleared_at.as_deref().map(|at| time::local(at, zone)).unwrap_or_default(),
        alarm.acknowledged_by.clone().unwrap_or_default(),
    ]
}

fn listed(alarms: &[Alarm], all: bool, zone: &TimeZone) -> String {
    if alarms.is_empty() {
        let none = if all { "No alarm was raised." } else { "No alarm waits for anybody." };
        return format!("{none} Make a watch with: lantern watch add NAME --on DEVICE/SIGNAL --above LIMIT");
    }
    table(
        &["alarm", "severity", "state", "what", "where", "value", "raised", "cleared", "acknowledged by"],
        &[0],
        alarms.iter().map(|alarm| row(alarm, zone)).collect(),
    )
}

fn one(found: &AlarmHistory, zone: &TimeZone) -> String {
    let alarm = &found.alarm;
    let mut told = vec![
        ("what", alarm.name.clone()),
        ("where", place(alarm)),
        ("severity", alarm.severity.as_str().to_owned()),
        ("state", alarm.state.replace('_', " ")),
        ("value", value(alarm)),
        ("to do", found.advice.clone()),
    ];
    told.retain(|(_, text)| !text.is_empty());
    let steps = found.steps.iter().map(|step| {
        let who = step.who.clone().unwrap_or_default();
        vec![time::local(&step.at, zone), step.step.replace('_', " "), who, step.note.clone()]
    });
    format!("{}\n\n{}", facts(&told), table(&["when", "step", "who", "note"], &[], steps.collect()))
}
