//! `lantern watch`.

use super::{Context, zone};
use crate::args::{Limit, WatchArgs, WatchCommand, WhenArgs, parse_limit};
use crate::document;
use crate::output::{facts, table};
use crate::server::segment;
use crate::show::{self, short};
use crate::time::{self, age, parse_ago};
use anyhow::{Context as _, Result, anyhow, bail};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use lantern_api::{
    Hours, Least, NewWatch, PressedButton, Scope, SiteWatch, TriedWatch, TryWatch, Value, Watch,
    WatchDirection as Direction, WatchRemark as Remark, When,
};

pub(crate) async fn run(context: &Context, command: WatchCommand) -> Result<()> {
    let server = context.server()?;
    let path = format!("sites/{}/watches", segment(&server.site_code().await?));
    match command {
        WatchCommand::Add { name, watch, code } => {
            let new = NewWatch { code, watch: written(name, *watch)? };
            let made: SiteWatch = server.post(&path, &new).await?;
            context.output.print(&made, |made| {
                let holds = match (made.places, made.holding) {
                    (0, _) => ", because nobody is called for what is in trial".to_owned(),
                    (_, 0) => String::new(),
                    (_, holding) => format!(", and holds at {holding} now"),
                };
                format!("watch {} made: it is on {}{holds}", made.code, places(made.places))
            })
        }
        WatchCommand::Try { watch, span } => {
            let zone = zone(&server).await?;
            let body = TryWatch {
                watch: written("tried".to_owned(), *watch)?,
                from: span.begin(&zone, Timestamp::now())?,
                to: span.end(&zone)?,
            };
            let found: TriedWatch = server.post(&format!("{path}/try"), &body).await?;
            context.output.print(&found, |found| tried(found, &zone))
        }
        WatchCommand::List => {
            let found: Vec<SiteWatch> = server.list(&path, &[]).await?;
            context.output.print(&found, |found| listed(found))
        }
        WatchCommand::Show { code } => {
            let found: SiteWatch = server.get(&format!("{path}/{}", segment(&code)), &[]).await?;
            context.output.print(&found, one)
        }
        WatchCommand::Press { code, note } => {
            server.tell_with(&format!("{path}/{}/press", segment(&code)), &PressedButton { note }).await?;
            context.output.print(&serde_json::json!({"pressed": code}), |_| format!("button of {code} pressed"))
        }
        WatchCommand::Remove { code } => {
            server.remove(&format!("{path}/{}", segment(&code))).await?;
            context.output.print(&serde_json::json!({"removed": code}), |_| format!("watch {code} removed"))
        }
    }
}

fn places(count: usize) -> String {
    if count == 1 { "1 place".to_owned() } else { format!("{count} places") }
}

/// The watch that the arguments say.
fn written(name: String, args: WatchArgs) -> Result<Watch> {
    let (device, signal) = match args.on.as_deref().map(|on| on.split_once('/').unwrap_or((on, ""))) {
        Some((device, signal)) => (Some(device), Some(signal).filter(|signal| !signal.is_empty())),
        None => (None, None),
    };
    let on = Scope {
        device: device.filter(|device| *device != "*").map(str::to_owned),
        kind: args.kind,
        signal: signal.map(str::to_owned),
        except: args.except,
    };
    let hours = args.hours.map(|hours| {
        let (from, to) = hours.split_once('-').ok_or_else(|| anyhow!("--hours are written as 22:00-06:00"))?;
        anyhow::Ok(Hours { days: Vec::new(), from: from.trim().to_owned(), to: to.trim().to_owned() })
    });
    Ok(Watch {
        name,
        on,
        when: when(args.when)?,
        deadband: args.deadband.unwrap_or_default(),
        delay_on_s: args.delay_on.unwrap_or_default() as f64,
        delay_off_s: args.clears_after.unwrap_or_default() as f64,
        severity: args.severity,
        hours: hours.transpose()?.into_iter().collect(),
        least_quality: Least::default(),
        advice: args.advice.unwrap_or_default(),
    })
}

fn when(args: WhenArgs) -> Result<When> {
    Ok(match args {
        WhenArgs { above: Some(Limit { number, unit }), .. } => When::Above { limit: number, unit },
        WhenArgs { below: Some(Limit { number, unit }), .. } => When::Below { limit: number, unit },
        WhenArgs { outside: Some(band), .. } => {
            let (low, high) = band.split_once("..").context("--outside is written as LOW..HIGH, such as 2..8Cel")?;
            let (low, high) = (limit(low)?, limit(high)?);
            When::Outside { low: low.number, high: high.number, unit: high.unit }
        }
        WhenArgs { rises: Some(text), .. } => changing(&text, Direction::Rises)?,
        WhenArgs { falls: Some(text), .. } => changing(&text, Direction::Falls)?,
        WhenArgs { steady: Some(seconds), .. } => When::Steady { for_s: seconds as f64, within: 0.0, unit: None },
        WhenArgs { flag: Some(value), .. } => When::Flag { value },
        WhenArgs { text: Some(equals), .. } => When::Text { equals },
        WhenArgs { doubtful: true, .. } => When::Doubtful {},
        WhenArgs { late: true, .. } => When::Late {},
        WhenArgs { silent: true, .. } => When::Silent {},
        WhenArgs { pressed: true, .. } => When::Pressed {},
        WhenArgs { losses: Some(text), .. } => {
            let share = limit(&text)?;
            let is_percent = share.unit.as_deref() == Some("%");
            When::Losses { above: if is_percent { share.number / 100.0 } else { share.number } }
        }
        WhenArgs { file: Some(file), .. } => document::read(&file)?,
        _ => bail!("say what is wrong, such as --above 8Cel; see `lantern watch add --help`"),
    })
}

fn limit(text: &str) -> Result<Limit> {
    parse_limit(text).map_err(|error| anyhow!("`{text}`: {error}"))
}

fn changing(text: &str, direction: Direction) -> Result<When> {
    let (by, within) = text.rsplit_once('/').context("write it as BY/TIME, such as 2Cel/10m")?;
    let within = parse_ago(within).map_err(|error| anyhow!("`{within}`: {error}"))?;
    let by = limit(by)?;
    Ok(When::Changing { by: by.number, within_s: within as f64, direction, unit: by.unit })
}

fn scope(on: &Scope) -> String {
    let of = match (&on.device, &on.kind) {
        (Some(device), _) => device.clone(),
        (None, Some(kind)) => format!("all {kind}"),
        (None, None) => "all".to_owned(),
    };
    let signal = on.signal.as_ref().map(|signal| format!("/{signal}")).unwrap_or_default();
    let except = if on.except.is_empty() { String::new() } else { format!(" but {}", on.except.join(", ")) };
    format!("{of}{signal}{except}")
}

fn listed(found: &[SiteWatch]) -> String {
    if found.is_empty() {
        return "No watches. Make one with: lantern watch add NAME --on DEVICE/SIGNAL --above LIMIT".to_owned();
    }
    let row = |one: &SiteWatch| {
        let (name, on, when, severity) = match &one.watch {
            Some(watch) => (
                watch.name.clone(),
                scope(&watch.on),
                watch.when.in_words(one.symbol.as_deref()),
                watch.severity.as_str().to_owned(),
            ),
            None => (String::new(), String::new(), one.damaged.clone().unwrap_or_default(), String::new()),
        };
        vec![one.code.clone(), name, on, when, severity, one.places.to_string(), one.holding.to_string()]
    };
    table(&["watch", "name", "on", "when", "severity", "places", "holds at"], &[5, 6], found.iter().map(row).collect())
}

fn one(found: &SiteWatch) -> String {
    let Some(watch) = &found.watch else {
        return format!("{} cannot be read: {}", found.code, found.damaged.as_deref().unwrap_or_default());
    };
    let seconds = |seconds: f64| if seconds > 0.0 { age(seconds) } else { String::new() };
    let hours: Vec<String> = watch.hours.iter().map(|hours| format!("{} to {}", hours.from, hours.to)).collect();
    let mut told = vec![
        ("name", watch.name.clone()),
        ("on", scope(&watch.on)),
        ("when", watch.when.in_words(found.symbol.as_deref())),
        ("deadband", if watch.deadband > 0.0 { watch.deadband.to_string() } else { String::new() }),
        ("for", seconds(watch.delay_on_s)),
        ("clears after", seconds(watch.delay_off_s)),
        ("severity", watch.severity.as_str().to_owned()),
        ("hours", hours.join(", ")),
        ("to do", watch.advice.clone()),
        ("places", format!("{}, holds at {}", found.places, found.holding)),
        ("made by", found.made_by.clone()),
    ];
    told.retain(|(_, text)| !text.is_empty());
    facts(&told)
}

fn remark(remark: Remark) -> &'static str {
    match remark {
        Remark::Chattering => "three or more within a minute: give it a deadband or a delay",
        Remark::Standing => "it would have stood for longer than a day: nobody acts on it, or nobody can",
        Remark::Often => "it alone would take more than a tenth of the 150 alarms a day that one person can attend to",
        Remark::Never => "it would never have called",
    }
}

fn tried(found: &TriedWatch, zone: &TimeZone) -> String {
    let mut rows = Vec::new();
    for place in &found.places {
        for one in &place.occurrences {
            let value = one.value.as_ref().map(|value| match value {
                Value::Number(number) => short(*number),
                other => show::value(other, 5),
            });
            let to = one.to.as_deref().map_or_else(|| "still".to_owned(), |to| time::local(to, zone));
            let at = format!("{}/{}", place.device, place.signal);
            rows.push(vec![at, time::local(&one.from, zone), to, value.unwrap_or_default()]);
        }
    }
    let count: usize = found.places.iter().map(|place| place.count).sum();
    let longest = found.places.iter().map(|place| place.longest_s).fold(0.0, f64::max);
    let mut text = format!(
        "{count} alarms from {} to {}, {:.1} a day; the longest {}; {} readings looked at.",
        time::local(&found.from, zone),
        time::local(&found.to, zone),
        found.rating.per_day,
        age(longest),
        found.readings
    );
    for one in &found.rating.remarks {
        text.push_str("\n! ");
        text.push_str(remark(*one));
    }
    if !rows.is_empty() {
        text.push_str("\n\n");
        text.push_str(&table(&["where", "raised", "cleared", "value"], &[], rows));
    }
    text
}
