//! `lantern figures`.

use super::{Context, zone};
use crate::args::FiguresArgs;
use crate::output::{facts, table};
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use lantern_api::{BucketUnit, Extreme, Figures, FiguresTable, SignalFigures};

pub(crate) async fn run(context: &Context, args: FiguresArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let mut query = vec![("signals", args.signals.join(",")), ("quantiles", args.quantiles.clone())];
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    query.extend(args.by.map(|by| ("by", by.as_str().to_owned())));
    let limits = [("above", &args.above), ("below", &args.below), ("within", &args.within), ("base", &args.base)];
    query.extend(limits.into_iter().filter_map(|(name, value)| Some((name, value.clone()?))));
    let path = format!("sites/{}/figures", segment(&server.site_code().await?));
    let found: FiguresTable = server.get(&path, &query).await?;
    let words = Words { zone, by: found.time.by, quantiles: found.quantiles.clone(), args };
    context
        .output
        .print(&found, |found| found.signals.iter().map(|one| words.of_signal(one)).collect::<Vec<_>>().join("\n\n"))
}

/// How figures are told.
struct Words {
    zone: TimeZone,
    by: Option<BucketUnit>,
    quantiles: Vec<f64>,
    args: FiguresArgs,
}

impl Words {
    fn of_signal(&self, one: &SignalFigures) -> String {
        let unit = one.unit.as_ref().map(|unit| format!(" in {unit}")).unwrap_or_default();
        let integral = one.integral_unit.as_ref().map(|unit| format!(", integral in {unit}")).unwrap_or_default();
        let title = format!("{}{unit}{integral}", one.signal);
        let told: Vec<Vec<(String, String)>> = one.buckets.iter().map(|bucket| self.told(bucket, one)).collect();
        let Some(first) = told.first() else { return format!("{title}: no readings in that time") };
        let left_out = one.buckets.iter().any(|bucket| !bucket.whole);
        let note = if left_out {
            "\nFigures that need every reading are left out where there are too many, or only summaries are left."
        } else {
            ""
        };
        if self.by.is_none() {
            let lines: Vec<(&str, String)> = first.iter().map(|(name, value)| (name.as_str(), value.clone())).collect();
            return format!("{title}\n{}{note}", facts(&lines));
        }
        let headings: Vec<&str> = std::iter::once("from").chain(first.iter().map(|(name, _)| name.as_str())).collect();
        let right: Vec<usize> = (1..headings.len()).collect();
        let row = |(bucket, told): (&Figures, &Vec<(String, String)>)| {
            std::iter::once(self.start(bucket)).chain(told.iter().map(|(_, value)| value.clone())).collect()
        };
        format!("{title}\n{}{note}", table(&headings, &right, one.buckets.iter().zip(&told).map(row).collect()))
    }

    /// Each figure with its name, the same for all buckets of a signal.
    fn told(&self, bucket: &Figures, of: &SignalFigures) -> Vec<(String, String)> {
        let maybe = |value: Option<f64>| value.map_or_else(|| "—".to_owned(), number);
        let mut told = vec![
            ("least".to_owned(), self.extreme(&bucket.min)),
            ("most".to_owned(), self.extreme(&bucket.max)),
            ("mean in time".to_owned(), number(bucket.time_mean)),
            ("mean".to_owned(), number(bucket.mean)),
            ("deviation".to_owned(), maybe(bucket.deviation)),
        ];
        for (place, share) in self.quantiles.iter().enumerate() {
            told.push((quantile_name(*share), maybe(bucket.quantiles.get(place).copied())));
        }
        if of.integral_unit.is_some() {
            told.push(("integral".to_owned(), maybe(bucket.integral)));
        }
        let hours = [
            ("above", &self.args.above, &bucket.above_h),
            ("below", &self.args.below, &bucket.below_h),
            ("within", &self.args.within, &bucket.within_h),
        ];
        for (side, limits, hours) in hours {
            for (place, limit) in limits.iter().flat_map(|limits| limits.split(',')).enumerate() {
                told.push((format!("h {side} {}", limit.trim()), maybe(hours.get(place).copied())));
            }
        }
        if let Some(base) = &self.args.base {
            told.push((format!("degree hours below {base}"), maybe(bucket.degree_hours_below)));
            told.push((format!("degree hours above {base}"), maybe(bucket.degree_hours_above)));
        }
        told.push(("readings".to_owned(), bucket.count.to_string()));
        told
    }

    fn start(&self, bucket: &Figures) -> String {
        let start = Timestamp::from_millisecond(bucket.start_ms as i64).unwrap_or_default().to_zoned(self.zone.clone());
        let is_hour = self.by == Some(BucketUnit::Hour);
        start.strftime(if is_hour { "%Y-%m-%d %H:%M" } else { "%a %Y-%m-%d" }).to_string()
    }

    /// A value, and when it was: by the clock where the day is told already.
    fn extreme(&self, extreme: &Extreme) -> String {
        let at = extreme.at.as_deref().map(|at| time::local(at, &self.zone));
        let is_day = matches!(self.by, Some(BucketUnit::Hour | BucketUnit::Day));
        let at = at.map(|at| if is_day { at.chars().skip(11).take(8).collect() } else { at });
        at.map_or_else(|| number(extreme.value), |at| format!("{} at {at}", number(extreme.value)))
    }
}

/// What is worked out of many readings, with six digits.
fn number(value: f64) -> String {
    show::number(format!("{value:.5e}").parse().unwrap_or(value))
}

fn quantile_name(share: f64) -> String {
    if share == 0.5 { "median".to_owned() } else { format!("{} %", show::number(share * 100.0)) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bucket(whole: bool) -> Figures {
        Figures {
            start_ms: 1_777_593_600_000.0,
            end_ms: 1_777_680_000_000.0,
            count: 1_440,
            min: Extreme { value: 2.0, at: Some("2026-05-01T05:40:00Z".to_owned()) },
            max: Extreme { value: 5.0, at: None },
            mean: 3.5,
            time_mean: 3.25,
            total: 5_040.0,
            integral: Some(210.0),
            held_h: 24.0,
            deviation: whole.then_some(1.5),
            quantiles: if whole { vec![3.5, 4.75] } else { Vec::new() },
            above_h: if whole { vec![0.5] } else { Vec::new() },
            below_h: Vec::new(),
            within_h: Vec::new(),
            degree_hours_below: None,
            degree_hours_above: None,
            whole,
        }
    }

    fn told(by: Option<BucketUnit>, whole: bool) -> String {
        let args = FiguresArgs {
            signals: Vec::new(),
            span: time::Span::default(),
            by: None,
            quantiles: String::new(),
            above: Some("4".to_owned()),
            below: None,
            within: None,
            base: None,
        };
        let zone = TimeZone::get("Europe/London").unwrap();
        let words = Words { zone, by, quantiles: vec![0.5, 0.95], args };
        words.of_signal(&SignalFigures {
            signal: "main/flow".to_owned(),
            unit: Some("L/min".to_owned()),
            integral_unit: Some("L".to_owned()),
            buckets: vec![bucket(whole)],
        })
    }

    #[test]
    fn a_whole_time_is_told_line_by_line() {
        let text = told(None, true);
        for part in [
            "main/flow in L/min, integral in L\n",
            "2 at 2026-05-01 06:40:00",
            "median",
            "95 %",
            "integral ",
            "h above 4",
        ] {
            assert!(text.contains(part), "{part} in {text}");
        }
    }

    #[test]
    fn days_are_rows_and_their_extremes_have_the_time_of_day() {
        let text = told(Some(BucketUnit::Day), true);
        assert!(text.contains("Fri 2026-05-01") && text.contains("2 at 06:40:00"), "{text}");
        assert_eq!(text.lines().count(), 3, "{text}");
    }

    #[test]
    fn what_is_not_known_is_a_dash_and_said() {
        let text = told(Some(BucketUnit::Day), false);
        assert!(text.contains('—') && text.contains("left out"), "{text}");
    }
}
