//! `lantern chart`: signals as lines of dots.

use super::view::Looked;
use super::{Context, zone};
use crate::args::ChartArgs;
use crate::dots::Dots;
use crate::output::{Form, emit};
use crate::screen::{Screen, size, wants_end};
use crate::server::{Server, segment};
use crate::show;
use anyhow::{Result, bail};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use lantern_api::{Bucket, SignalSummary, SummaryTable};
use std::time::Duration;

/// Columns before the plot, for the numbers and the axis.
const LEFT: usize = 11;
/// Lines of a chart beside its plot: title, times and an empty one.
const BESIDE: u16 = 3;
/// What is looked at unless it is said: a day.
const USUAL_S: i64 = 86_400;
/// How often a chart that goes on is drawn.
const EVERY: Duration = Duration::from_secs(1);

pub(crate) async fn run(context: &Context, args: ChartArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let args = with_view(&server, args).await?;
    if args.follow {
        if !context.output.terminal || context.output.form == Form::Json {
            bail!("--follow needs a terminal; see `lantern follow` for values as they come");
        }
        return follow(&server, &args, &zone).await;
    }
    let table = fetch(&server, &args, &zone).await?;
    if context.output.form == Form::Json {
        return context.output.print(&table, |_| String::new());
    }
    emit(&text(&table, &args, &zone)?)
}

/// The signals of the view that is asked for, and its time.
async fn with_view(server: &Server, mut args: ChartArgs) -> Result<ChartArgs> {
    const MOST: usize = 8;
    let Some(name) = &args.view else { return Ok(args) };
    let looked = Looked::find(server, name).await?;
    if looked.signals.is_empty() {
        bail!("the view {name} has no signals");
    }
    args.signals = looked.signals.into_iter().take(MOST).collect();
    if args.span.from.is_none() && args.span.since.is_none() && !args.follow {
        let (from, to) = looked.span.unzip();
        args.span.from = from;
        args.span.to = args.span.to.or(to);
    }
    Ok(args)
}

async fn follow(server: &Server, args: &ChartArgs, zone: &TimeZone) -> Result<()> {
    let mut screen = Screen::new()?;
    let mut draw = tokio::time::interval(EVERY);
    let mut keys = tokio::time::interval(Duration::from_millis(50));
    loop {
        tokio::select! {
            _ = draw.tick() => {
                let table = fetch(server, args, zone).await?;
                screen.draw(&format!("{}\n\nq ends", text(&table, args, zone)?))?;
            }
            _ = keys.tick() => if wants_end()? { return Ok(()) },
        }
    }
}

/// A bucket for each column of dots.
async fn fetch(server: &Server, args: &ChartArgs, zone: &TimeZone) -> Result<SummaryTable> {
    let now = Timestamp::now();
    let usual = || now.checked_sub(USUAL_S.seconds()).map(|at| at.to_string());
    let from = args.span.begin(zone, now)?.map_or_else(usual, Ok)?;
    let to = args.span.end(zone)?.unwrap_or_else(|| now.to_string());
    let buckets = (2 * plot_width()).clamp(2, 2_000).to_string();
    let query = vec![("signals", args.signals.join(",")), ("from", from), ("to", to), ("buckets", buckets)];
    let path = format!("sites/{}/summary", segment(&server.site_code().await?));
    server.get(&path, &query).await
}

fn plot_width() -> usize {
    usize::from(size().0).saturating_sub(LEFT).max(10)
}

fn text(table: &SummaryTable, args: &ChartArgs, zone: &TimeZone) -> Result<String> {
    let count = u16::try_from(table.signals.len()).unwrap_or(1).max(1);
    let room = (size().1 / count).saturating_sub(BESIDE).clamp(4, 20);
    let height = usize::from(args.height.unwrap_or(room));
    let span = Shown {
        from_ms: table.time.from.parse::<Timestamp>()?.as_millisecond() as f64,
        to_ms: table.time.to.parse::<Timestamp>()?.as_millisecond() as f64,
        width_ms: table.time.width_s.unwrap_or(0.0) * 1e3,
    };
    let charts = table.signals.iter().map(|signal| chart(signal, &span, (plot_width(), height), zone));
    Ok(charts.collect::<Vec<_>>().join("\n\n"))
}

/// The time that is shown, in milliseconds since 1970.
struct Shown {
    from_ms: f64,
    to_ms: f64,
    width_ms: f64,
}

fn chart(signal: &SignalSummary, span: &Shown, (columns, rows): (usize, usize), zone: &TimeZone) -> String {
    let unit = signal.unit.as_ref().map(|unit| format!(" in {unit}")).unwrap_or_default();
    let title = format!("{}{unit}", signal.signal);
    let low = signal.buckets.iter().map(|bucket| bucket.min).fold(f64::INFINITY, f64::min);
    let high = signal.buckets.iter().map(|bucket| bucket.max).fold(f64::NEG_INFINITY, f64::max);
    if low > high {
        return format!("{title}: no readings in that time");
    }
    let (bottom, top, step) = scale(low, high, rows);
    let dots = drawn(&signal.buckets, span, (bottom, top), (columns, rows));
    let mut lines = vec![format!("{title}: {} to {}", show::number(low), show::number(high))];
    for (row, line) in dots.lines().into_iter().enumerate() {
        // A number stands at each row in which a round value lies.
        let value = |row: usize| top - (top - bottom) * row as f64 / rows as f64;
        let round = (value(row) / step).floor() * step;
        let is_here = round > value(row + 1) && round <= value(row) + step * 1e-9;
        let number = if is_here { show::number((round / step).round() * step) } else { String::new() };
        let axis = if is_here { '┤' } else { '│' };
        lines.push(format!("{number:>width$} {axis}{}", line.trim_end_matches('\u{2800}'), width = LEFT - 2));
    }
    lines.push(times(span, columns, zone));
    lines.join("\n")
}

/// Round ends around the values, and a round step with a few values between.
fn scale(low: f64, high: f64, rows: usize) -> (f64, f64, f64) {
    let spread = if high > low { high - low } else { low.abs().max(1.0) * 0.1 };
    let wanted = spread / (rows as f64 / 3.0).max(1.0);
    let power = 10f64.powf(wanted.log10().floor());
    let step = [1.0, 2.0, 5.0, 10.0].map(|of| of * power).into_iter().find(|step| *step >= wanted).unwrap_or(wanted);
    let (bottom, top) = ((low / step).floor() * step, (high / step).ceil() * step);
    if top > bottom { (bottom, top, step) } else { (bottom - step, top + step, step) }
}

/// From least to most of each bucket, and the means joined where no bucket is missing between.
fn drawn(buckets: &[Bucket], span: &Shown, (bottom, top): (f64, f64), (columns, rows): (usize, usize)) -> Dots {
    let mut dots = Dots::new(columns, rows);
    let (right, lowest) = ((dots.width() - 1) as f64, (dots.height() - 1) as f64);
    let x = |bucket: &Bucket| {
        let middle = f64::midpoint(bucket.start_ms, bucket.end_ms);
        ((middle - span.from_ms) / (span.to_ms - span.from_ms) * right).round().clamp(0.0, right) as usize
    };
    let y = |value: f64| ((top - value) / (top - bottom) * lowest).round().clamp(0.0, lowest) as usize;
    let mut before: Option<&Bucket> = None;
    for bucket in buckets {
        dots.upright(x(bucket), y(bucket.min), y(bucket.max));
        if let Some(before) = before.filter(|before| bucket.start_ms - before.start_ms <= 2.0 * span.width_ms) {
            dots.line((x(before), y(before.mean)), (x(bucket), y(bucket.mean)));
        }
        before = Some(bucket);
    }
    dots
}

/// The times at both ends and in the middle.
fn times(span: &Shown, columns: usize, zone: &TimeZone) -> String {
    let length = span.to_ms - span.from_ms;
    let form = if length > 14.0 * 86_400e3 { "%Y-%m-%d" } else { "%m-%d %H:%M" };
    let text = |ms: f64| {
        let at = Timestamp::from_millisecond(ms as i64).unwrap_or_default();
        at.to_zoned(zone.clone()).strftime(form).to_string()
    };
    let (first, middle, last) = (text(span.from_ms), text(f64::midpoint(span.from_ms, span.to_ms)), text(span.to_ms));
    let room = columns.saturating_sub(first.len() + last.len());
    format!("{:LEFT$}{first}{middle:^room$}{last}", "")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bucket(minute: f64, min: f64, mean: f64, max: f64) -> Bucket {
        let (start_ms, end_ms) = (minute * 60e3, (minute + 1.0) * 60e3);
        Bucket { start_ms, end_ms, min, max, mean, time_mean: mean, first: min, last: max, count: 2 }
    }

    fn of(buckets: Vec<Bucket>) -> String {
        let signal = SignalSummary { signal: "tower/level".to_owned(), unit: Some("m".to_owned()), buckets };
        let span = Shown { from_ms: 0.0, to_ms: 600e3, width_ms: 60e3 };
        chart(&signal, &span, (40, 6), &TimeZone::UTC)
    }

    #[test]
    fn a_chart_has_title_numbers_and_times() {
        let text = of((0..10).map(|minute| bucket(f64::from(minute), 1.0, 1.5, 2.0)).collect());
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines.len(), 8, "{text}");
        assert_eq!(lines[0], "tower/level in m: 1 to 2");
        assert!(lines[1].trim_start().starts_with("2 ┤"), "{text}");
        assert!(lines[7].contains("01-01 00:00") && lines[7].ends_with("01-01 00:10"), "{text}");
    }

    #[test]
    fn a_gap_stays_open_and_a_missing_signal_is_said() {
        let text = of(vec![bucket(0.0, 1.0, 1.0, 1.0), bucket(9.0, 2.0, 2.0, 2.0)]);
        let plot: Vec<String> = text.lines().skip(1).take(6).map(|line| line.chars().skip(LEFT).collect()).collect();
        let middle = |line: &String| line.chars().skip(8).take(20).any(|sign| !matches!(sign, ' ' | '\u{2800}'));
        assert!(!plot.iter().any(middle), "{text}");
        assert!(of(Vec::new()).contains("no readings"));
    }

    #[test]
    fn scales_are_round_and_hold_all() {
        for (low, high) in
            [(0.0, 1.0), (1.7779, 3.129), (-12.0, 40.0), (5.0, 5.0), (0.0, 0.0), (1e-6, 3e-6), (-7.0, -6.9)]
        {
            let (bottom, top, step) = scale(low, high, 12);
            assert!(bottom <= low && top >= high && top > bottom && step > 0.0, "{low} {high}: {bottom} {top} {step}");
            assert!(((top - bottom) / step).round() <= 13.0, "{low} {high}: {bottom} {top} {step}");
        }
    }
}
