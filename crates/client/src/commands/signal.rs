//! `lantern signal`.

use super::{Context, remove};
use crate::args::{Role, SignalCommand, SignalPath};
use crate::output::{facts, table};
use crate::server::{Server, segment};
use anyhow::Result;
use lantern_api::{JoinPosition, JoinedPosition, NewSignal, Signal, SignalChange};

async fn path(server: &Server, signal: &SignalPath) -> Result<String> {
    server.device_path(&signal.device, &format!("/signals/{}", segment(&signal.signal))).await
}

pub(crate) async fn run(context: &Context, command: SignalCommand) -> Result<()> {
    let server = context.server()?;
    let signal: Signal = match command {
        SignalCommand::List { device } => {
            let signals: Vec<Signal> = server.list(&server.device_path(&device, "/signals").await?, &[]).await?;
            return context.output.print(&signals, |s| list(s));
        }
        SignalCommand::Versions { signal } => return super::job::versions(context, signal).await,
        SignalCommand::Reconvert(args) => return super::job::reconvert(context, args).await,
        SignalCommand::Restore { signal } => {
            let path = format!("{}/restore", path(&server, &signal).await?);
            let restored: Signal = server.post(&path, &()).await?;
            return context.output.print(&restored, |restored| format!("signal {} is back", restored.code));
        }
        SignalCommand::Remove { signal, confirm } => {
            let path = path(&server, &signal).await?;
            return remove(context, &server, &path, "signal", &signal.signal, &confirm).await;
        }
        SignalCommand::Join { signal, latitude, longitude, altitude, accuracy, name } => {
            let path = server.device_path(&signal.device, "/position").await?;
            let join = JoinPosition { into: signal.signal, name, latitude, longitude, altitude, accuracy };
            let done: JoinedPosition = server.post(&path, &join).await?;
            return context.output.print(&done, joined);
        }
        SignalCommand::Add { signal, name, value_type, unit, note, low, high, every, reserved, role } => {
            let value_type = value_type.into();
            let role = role.and_then(Role::named);
            let new = NewSignal {
                code: signal.signal,
                name,
                note,
                value_type,
                unit,
                low,
                high,
                interval_s: every,
                reserved,
                role,
                meaning: None,
            };
            server.post(&server.device_path(&signal.device, "/signals").await?, &new).await?
        }
        SignalCommand::Show { signal } => server.get(&path(&server, &signal).await?, &[]).await?,
        SignalCommand::Edit { signal, name, value_type, unit, note, low, high, every, reserved, role } => {
            let change = SignalChange {
                name,
                note,
                value_type: value_type.map(Into::into),
                unit: unit.map(|unit| (!unit.is_empty()).then_some(unit)),
                low: low.map(Some),
                high: high.map(Some),
                interval_s: every.map(|seconds| (seconds > 0.0).then_some(seconds)),
                reserved,
                role: role.map(Role::named),
            };
            server.patch(&path(&server, &signal).await?, &change).await?
        }
    };
    context.output.print(&signal, one)
}

fn joined(done: &JoinedPosition) -> String {
    let JoinedPosition { signal, joined, left } = done;
    match left {
        0 => format!("{signal} has {joined} positions; the signals they were made of are removed."),
        _ => format!(
            "{signal} has {joined} positions. {left} readings have no other half of their time; they and their signals stay."
        ),
    }
}

pub(crate) fn list(signals: &[Signal]) -> String {
    if signals.is_empty() {
        return "No signal yet. Declare one with: lantern signal add DEVICE/CODE --unit UNIT".to_owned();
    }
    let row = |s: &Signal| {
        let unit = s.unit.clone().unwrap_or_default();
        vec![s.code.clone(), s.name.clone(), s.value_type.as_str().to_owned(), unit, s.symbol.clone()]
    };
    table(&["code", "name", "type", "unit", "shown as"], &[], signals.iter().map(row).collect())
}

fn one(signal: &Signal) -> String {
    facts(&[
        ("code", signal.code.clone()),
        ("name", signal.name.clone()),
        ("note", signal.note.clone()),
        ("type", signal.value_type.as_str().to_owned()),
        ("unit", signal.unit.clone().unwrap_or_default()),
        ("shown as", signal.symbol.clone()),
        ("lowest", signal.low.map(|n| n.to_string()).unwrap_or_default()),
        ("highest", signal.high.map(|n| n.to_string()).unwrap_or_default()),
        ("every", signal.interval_s.map(|seconds| format!("{seconds} s")).unwrap_or_default()),
        ("by hand", if signal.reserved { "no, reserved for its device".to_owned() } else { String::new() }),
        ("also called", signal.also.join(", ")),
    ])
}
