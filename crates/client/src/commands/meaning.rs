//! `lantern conversion`, `formula`, `screen`, `quality` and `calibrate`.

use super::{Context, zone};
use crate::args::{CalibrateArgs, ConversionArgs, FormulaArgs, How, QualityArgs, ScreenArgs, SignalPath};
use crate::output::table;
use crate::server::{Server, segment};
use crate::{document, show, time};
use anyhow::{Result, bail};
use jiff::Timestamp;
use lantern_api::{
    Calibration, CalibrationPair, Caught, DryRun, DryRunResult, MeaningTrial, NewCalibration, NewMeaning,
    QualityCounts, SignalMeaning, TriedMeaning,
};
use serde_json::{Value, json};

async fn path(server: &Server, signal: &SignalPath, rest: &str) -> Result<String> {
    server.device_path(&signal.device, &format!("/signals/{}{rest}", segment(&signal.signal))).await
}

/// What is said now, as an object.
async fn current(server: &Server, signal: &SignalPath) -> Result<(SignalMeaning, Value)> {
    let said: SignalMeaning = server.get(&path(server, signal, "/meaning").await?, &[]).await?;
    let meaning = said.meaning.clone().unwrap_or_else(|| json!({}));
    Ok((said, meaning))
}

/// Puts a part of a meaning in, or takes it away, as it was asked for.
async fn change(
    context: &Context,
    server: &Server,
    signal: &SignalPath,
    (part, new): (&str, Option<Value>),
    how: &How,
) -> Result<()> {
    let (_, mut meaning) = current(server, signal).await?;
    if let Some(object) = meaning.as_object_mut() {
        object.remove(part);
        object.extend(new.map(|new| (part.to_owned(), new)));
        object.extend(how.others_within.map(|s| ("others_within_s".to_owned(), json!(s))));
    }
    if how.dry_run {
        return dry_run(context, server, signal, meaning, how).await;
    }
    let body = NewMeaning { meaning: Some(meaning) };
    let said: SignalMeaning = server.put(&path(server, signal, "/meaning").await?, &body).await?;
    context.output.print(&said, |said| {
        let again = format!("lantern signal reconvert {signal} --from TIME");
        format!("version {} of {signal} holds for what comes from now on; for what there is: {again}", said.version)
    })
}

async fn dry_run(context: &Context, server: &Server, signal: &SignalPath, meaning: Value, how: &How) -> Result<()> {
    let zone = zone(server).await?;
    let run = DryRun { meaning, from: how.span.begin(&zone, Timestamp::now())?, to: how.span.end(&zone)? };
    let result: DryRunResult = server.post(&path(server, signal, "/meaning/dry-run").await?, &run).await?;
    context.output.print(&result, |result| {
        let times = format!("from {} to {}", time::local(&result.from, &zone), time::local(&result.to, &zone));
        let mut lines = vec![
            format!("{} readings {times}; {} would have another value", result.readings, result.changed),
            format!("good: {} (now {})", result.good, result.good_now),
        ];
        lines.extend(caught(&result.caught));
        if !result.examples.is_empty() {
            let row = |r: &lantern_api::Reading| {
                let quality = r.quality.map(show::quality).unwrap_or_default().to_owned();
                let raw = r.raw.as_ref().map(show::plain).unwrap_or_default();
                let cause = r.cause.clone().unwrap_or_default();
                vec![time::local(&r.at, &zone), show::plain(&r.value), raw, quality, cause]
            };
            let rows = result.examples.iter().take(20).map(row).collect();
            lines.push(table(&["time", "value", "as sent", "quality", "cause"], &[1, 2], rows));
        }
        lines.join("\n")
    })
}

fn caught(caught: &[Caught]) -> Vec<String> {
    caught.iter().map(|one| format!("{}: {} ({})", show::quality(one.quality), one.count, one.cause)).collect()
}

pub(crate) async fn conversion(context: &Context, args: ConversionArgs) -> Result<()> {
    let server = context.server()?;
    let new = args.file.as_deref().map(document::read::<Value>).transpose()?;
    if let Some(raw) = args.try_raw {
        let (_, mut meaning) = current(&server, &args.signal).await?;
        if let (Some(object), Some(new)) = (meaning.as_object_mut(), new) {
            object.insert("conversion".to_owned(), new);
        }
        return try_out(context, &server, &args.signal, meaning, Some(raw)).await;
    }
    match (new, args.how.remove) {
        (None, false) => shown(context, &server, &args.signal).await,
        (new, _) => change(context, &server, &args.signal, ("conversion", new), &args.how).await,
    }
}

pub(crate) async fn formula(context: &Context, args: FormulaArgs) -> Result<()> {
    let server = context.server()?;
    if args.try_out {
        let meaning = json!({"formula": args.formula, "others_within_s": args.how.others_within});
        return try_out(context, &server, &args.signal, meaning, None).await;
    }
    match (args.formula, args.how.remove) {
        (None, false) => shown(context, &server, &args.signal).await,
        (new, _) => change(context, &server, &args.signal, ("formula", new.map(Value::from)), &args.how).await,
    }
}

pub(crate) async fn screen(context: &Context, args: ScreenArgs) -> Result<()> {
    let server = context.server()?;
    let mut new = args.file.as_deref().map(document::read::<Value>).transpose()?;
    let bounds = |bounds: crate::args::Bounds| json!({"low": bounds.low, "high": bounds.high});
    let given = [
        ("possible", args.possible.map(bounds)),
        ("expected", args.expected.map(bounds)),
        ("fastest_per_s", args.fastest.map(Value::from)),
        ("frozen_after_s", args.frozen.map(Value::from)),
        ("markers", (!args.marker.is_empty()).then(|| json!(args.marker))),
    ];
    for (name, value) in given.into_iter().filter_map(|(name, value)| Some((name, value?))) {
        if new.is_none() {
            // What is given is put beside what there is.
            let (_, meaning) = current(&server, &args.signal).await?;
            new = Some(meaning.get("screen").cloned().unwrap_or_else(|| json!({})));
        }
        if let Some(object) = new.as_mut().and_then(Value::as_object_mut) {
            object.insert(name.to_owned(), value);
        }
    }
    match (new, args.how.remove) {
        (None, false) => shown(context, &server, &args.signal).await,
        (new, _) => change(context, &server, &args.signal, ("screen", new), &args.how).await,
    }
}

async fn shown(context: &Context, server: &Server, signal: &SignalPath) -> Result<()> {
    let (said, _) = current(server, signal).await?;
    context.output.print(&said, |said| {
        let Some(meaning) = &said.meaning else {
            return format!("values of {signal} are as they are sent, and not screened");
        };
        let mut lines = vec![serde_json::to_string_pretty(meaning).unwrap_or_default()];
        if let (Some(by), Some(at)) = (&said.made_by, &said.made_at) {
            lines.push(format!("version {} by {by}, {at}", said.version));
        }
        if !said.needed_by.is_empty() {
            lines.push(format!("needed by {}", said.needed_by.join(", ")));
        }
        lines.join("\n")
    })
}

async fn try_out(
    context: &Context,
    server: &Server,
    signal: &SignalPath,
    meaning: Value,
    raw: Option<f64>,
) -> Result<()> {
    let trial = MeaningTrial { meaning, raw, unit: None };
    let tried: TriedMeaning = server.post(&path(server, signal, "/meaning/preview").await?, &trial).await?;
    if let Some(wrong) = &tried.wrong {
        let place = match (wrong.character, wrong.step) {
            (Some(at), _) => format!("character {}: ", at + 1),
            _ => String::new(),
        };
        bail!("{place}{}", wrong.detail);
    }
    context.output.print(&tried, text)
}

fn text(tried: &TriedMeaning) -> String {
    let mut lines = Vec::new();
    if !tried.steps.is_empty() {
        let row = |(place, step): (usize, &lantern_api::TriedStep)| {
            let output = step.output.map(show::number);
            vec![
                (place + 1).to_string(),
                show::number(step.input),
                output.or_else(|| step.why.clone()).unwrap_or_default(),
                step.symbol.clone(),
            ]
        };
        let rows = tried.steps.iter().enumerate().map(row).collect();
        lines.push(table(&["step", "takes", "gives", "unit"], &[1, 2], rows));
    }
    for other in &tried.others {
        let value = other.value.as_ref().map_or_else(|| "no value yet".to_owned(), show::plain);
        let unit = &other.symbol;
        let age = if other.is_too_old { ", too old to count" } else { "" };
        lines.push(format!("{}: {value} {unit}{age}", other.signal));
    }
    let unit = &tried.symbol;
    let quality = match (tried.quality, &tried.cause) {
        (Some(found), Some(cause)) => format!(", {} ({cause})", show::quality(found)),
        _ => String::new(),
    };
    lines.push(match &tried.value {
        Some(value) => format!("result: {} {unit}{quality}", show::plain(value)),
        None => "no result: nothing to work it out from yet".to_owned(),
    });
    if tried.remembers {
        lines.push("it remembers what came before, so that one value alone does not tell all".to_owned());
    }
    lines.join("\n")
}

pub(crate) async fn quality_of(context: &Context, args: QualityArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let mut query = Vec::new();
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    let counts: QualityCounts = server.get(&path(&server, &args.signal, "/quality").await?, &query).await?;
    context.output.print(&counts, |counts| {
        let mut lines = vec![format!("{} readings, {} good", counts.readings, counts.good)];
        lines.extend(caught(&counts.caught));
        lines.join("\n")
    })
}

pub(crate) async fn calibrate(context: &Context, args: CalibrateArgs) -> Result<()> {
    let server = context.server()?;
    let pairs = args.pairs.iter().map(|&(said, right)| CalibrationPair { said, right }).collect();
    let found: Calibration =
        server.post(&path(&server, &args.signal, "/meaning/calibration").await?, &NewCalibration { pairs }).await?;
    if args.save {
        let body = NewMeaning { meaning: Some(found.meaning.clone()) };
        let _: SignalMeaning = server.put(&path(&server, &args.signal, "/meaning").await?, &body).await?;
    }
    context.output.print(&found, |found| {
        let line = &found.line;
        let saved = if args.save {
            format!("saved; for what there is: lantern signal reconvert {} --from TIME", args.signal)
        } else {
            "not saved; add --save to have it hold from now on".to_owned()
        };
        let (slope, residual) = (show::number(line.slope), show::number(line.residual));
        format!("right = {slope} × said {}, ± {residual}\n{saved}", show::added(line.intercept, show::number))
    })
}
