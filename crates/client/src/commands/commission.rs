//! `lantern commission`.

use super::{Context, zone};
use crate::args::{CommissionArgs, LiveReadings};
use crate::output::{emit, facts, table};
use crate::{show, time};
use anyhow::{Context as _, Result};
use jiff::tz::TimeZone;
use lantern_api::{Commissioning, DeviceState, GoLive, NewDummyTest, NewSoak, StepState, TrialReadings, WentLive};

pub(crate) async fn run(context: &Context, args: CommissionArgs) -> Result<()> {
    let server = context.server()?;
    let path = server.device_path(&args.device, "/commissioning").await?;
    if args.report {
        return emit(server.text(&format!("{path}/report")).await?.trim_end());
    }
    if args.trial {
        let _: Commissioning = server.post(&format!("{path}/trial"), &()).await?;
    }
    if let Some((signal, value)) = args.dummy {
        let expected = value.as_f64().context("a dummy value is a number, such as temp=99.9")?;
        let test = NewDummyTest { signal, expected, tolerance: args.tolerance };
        let _: Commissioning = server.post(&format!("{path}/dummies"), &test).await?;
    }
    if args.soak.is_some() {
        let _: Commissioning = server.post(&format!("{path}/soak"), &NewSoak { hours: args.soak }).await?;
    }
    if let Some(readings) = args.live {
        let trial_readings = match readings {
            LiveReadings::Clear => TrialReadings::Clear,
            LiveReadings::Keep => TrialReadings::Keep,
        };
        let order = GoLive { trial_readings, anyway: args.anyway };
        let went: WentLive = server.post(&format!("{path}/live"), &order).await?;
        return context.output.print(&went, |went| match readings {
            LiveReadings::Clear => format!("{} is live; {} trial readings were cleared", args.device, went.cleared),
            LiveReadings::Keep => format!("{} is live; its trial readings are kept", args.device),
        });
    }
    let judged: Commissioning = server.get(&path, &[]).await?;
    let zone = zone(&server).await?;
    context.output.print(&judged, |judged| text(judged, &zone))
}

fn text(c: &Commissioning, zone: &TimeZone) -> String {
    let since = c.trial_since.as_deref().map(|at| time::local(at, zone)).unwrap_or_default();
    let state = match c.state {
        DeviceState::Trial => format!("in trial since {since}"),
        DeviceState::Live => "live".to_owned(),
        DeviceState::Waiting => "waiting to be claimed".to_owned(),
    };
    let mut parts = vec![facts(&[
        ("device", format!("{} ({})", c.name, c.device)),
        ("state", state),
        ("verdict", c.verdict.clone()),
    ])];
    let mark = |state| match state {
        StepState::Passed => "[x]",
        StepState::Failed => "[!]",
        StepState::Open => "[ ]",
    };
    let rows = c.steps.iter().map(|s| vec![mark(s.state).to_owned(), s.title.clone(), s.finding.clone()]).collect();
    parts.push(table(&["", "step", "finding"], &[], rows));
    if !c.dummies.is_empty() {
        let row = |dummy: &lantern_api::DummyTest| {
            let expected = dummy.expected.map(|n| n.to_string()).unwrap_or_default();
            let came = match (&dummy.passed_at, &dummy.asked_at) {
                (Some(at), _) => format!("came {}", time::local(at, zone)),
                (None, Some(_)) => "not yet".to_owned(),
                (None, None) => "not asked for".to_owned(),
            };
            vec![dummy.signal.clone(), expected, came, dummy.last.as_ref().map(show::plain).unwrap_or_default()]
        };
        parts.push(table(&["signal", "dummy value", "", "last value"], &[1, 3], c.dummies.iter().map(row).collect()));
    }
    if c.state == DeviceState::Trial {
        parts.push(format!(
            "{} trial readings. Go live with: lantern commission {} --live clear|keep",
            c.trial_readings, c.device
        ));
    }
    parts.join("\n\n")
}
