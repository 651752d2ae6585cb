//! `lantern coverage`.

use super::{Context, zone};
use crate::args::CoverageArgs;
use crate::output::{Form, emit, facts, table};
use crate::server::{Server, segment};
use crate::{show, time};
use anyhow::Result;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use lantern_api::{CoverageReport, DeviceCoverage, GapEnd, Traffic};
use std::fmt::Write;

/// Signs of a strip at most: more parts are put together.
const STRIP: usize = 56;

pub(crate) async fn run(context: &Context, args: CoverageArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let report = fetch(&server, &args, &zone).await?;
    if args.csv && context.output.form == Form::Table {
        return csv(&report, &zone)?.lines().try_for_each(emit);
    }
    context.output.print(&report, |report| text(report, &zone, args.gaps))
}

/// All devices, page by page.
async fn fetch(server: &Server, args: &CoverageArgs, zone: &TimeZone) -> Result<CoverageReport> {
    let path = format!("sites/{}/coverage", segment(&server.site_code().await?));
    let now = Timestamp::now();
    let mut query = vec![("by", args.by.as_str().to_owned())];
    query.extend(args.device.clone().map(|device| ("device", device)));
    query.extend(args.span.begin(zone, now)?.map(|at| ("from", at)));
    // Each page is of the same time.
    query.push(("to", args.span.end(zone)?.unwrap_or_else(|| now.to_string())));
    let mut report: CoverageReport = server.get(&path, &query).await?;
    while let Some(after) = report.next.take() {
        let mut further = query.clone();
        further.push(("after", after));
        let page: CoverageReport = server.get(&path, &further).await?;
        report.devices.extend(page.devices);
        report.traffic = together(report.traffic, page.traffic);
        report.next = page.next;
    }
    Ok(report)
}

/// Messages of two pages of devices.
fn together(mut one: Vec<Traffic>, other: Vec<Traffic>) -> Vec<Traffic> {
    for traffic in other {
        match one.iter_mut().find(|known| known.protocol == traffic.protocol) {
            Some(known) => {
                let add = |(sum, more): (&mut u32, &u32)| *sum = sum.saturating_add(*more);
                known.messages_each.iter_mut().zip(&traffic.messages_each).for_each(add);
                known.devices_each.iter_mut().zip(&traffic.devices_each).for_each(add);
            }
            None => one.push(traffic),
        }
    }
    one
}

fn text(report: &CoverageReport, zone: &TimeZone, with_gaps: bool) -> String {
    if report.devices.is_empty() {
        return "No device yet. Add one with: lantern device add NAME".to_owned();
    }
    let mut text = format!(
        "{}, from {} to {}\n\n",
        headline(&report.devices),
        time::local(&report.from, zone),
        time::local(&report.to, zone)
    );
    let row = |device: &DeviceCoverage| {
        let longest = device.gaps.iter().map(|gap| gap.length_s).fold(0.0, f64::max);
        vec![
            device.device.clone(),
            percent(device.received, device.expected),
            format!("{}/{}", device.received, device.expected),
            if longest > 0.0 { time::age(longest) } else { String::new() },
            device.lost_each.iter().map(|lost| u64::from(*lost)).sum::<u64>().to_string(),
            device.repeated.to_string(),
            strip(device),
        ]
    };
    let headings = ["device", "came", "reports", "longest gap", "lost", "repeated", "course"];
    text.push_str(&table(&headings, &[1, 2, 3, 4, 5], report.devices.iter().map(row).collect()));
    text.push_str("\n█ all came  ▄ a part  ░ lost on the way  · nothing  (blank: nothing was expected)");
    if !report.traffic.is_empty() {
        let messages = |each: &[u32]| each.iter().map(|count| u64::from(*count)).sum::<u64>();
        let lines = report
            .traffic
            .iter()
            .map(|one| (one.protocol.as_str(), format!("{} messages", messages(&one.messages_each))));
        let lines: Vec<(&str, String)> = lines.collect();
        let _ = write!(text, "\n\n{}", facts(&lines));
    }
    if with_gaps {
        let _ = write!(text, "\n\n{}", gaps(report, zone));
    }
    text
}

/// Devices count alike, however often they report.
fn headline(devices: &[DeviceCoverage]) -> String {
    let share = |device: &DeviceCoverage| device.received as f64 / device.expected as f64;
    let shares: Vec<f64> = devices.iter().filter(|device| device.expected > 0).map(share).collect();
    if shares.is_empty() {
        return "Nothing was expected".to_owned();
    }
    // What is not all is never shown as all.
    let mean = (shares.iter().sum::<f64>() / shares.len() as f64 * 1_000.0).floor() / 10.0;
    let devices = if shares.len() == 1 { "one device".to_owned() } else { format!("{} devices", shares.len()) };
    format!("Of what was expected of {devices}, {} % came on average", show::number(mean))
}

fn gaps(report: &CoverageReport, zone: &TimeZone) -> String {
    let mut rows = Vec::new();
    for device in &report.devices {
        for gap in &device.gaps {
            let to = gap.to.as_ref().map_or_else(|| "—".to_owned(), |to| time::local(to, zone));
            let length = time::age(gap.length_s);
            rows.push(vec![
                device.device.clone(),
                time::local(&gap.from, zone),
                to,
                length,
                ended(gap.ended).to_owned(),
            ]);
        }
    }
    if rows.is_empty() {
        return "No gap is longer than a device's patience.".to_owned();
    }
    table(&["device", "last before", "first after", "length", "what ended it"], &[3], rows)
}

const fn ended(end: GapEnd) -> &'static str {
    match end {
        GapEnd::Open => "it goes on",
        GapEnd::Restarted => "its sender started anew",
        GapEnd::LostOnTheWay => "it had been sending; nothing came through",
        GapEnd::Reported => "it reported again",
    }
}

fn percent(received: u64, expected: u64) -> String {
    if expected == 0 {
        return "—".to_owned();
    }
    // What is not all is never shown as all.
    let share = (received as f64 / expected as f64 * 1_000.0).floor() / 10.0;
    format!("{} %", show::number(share))
}

/// The course of a device's coverage in signs, several parts to a sign if there are many.
fn strip(device: &DeviceCoverage) -> String {
    let parts = device.expected_each.len();
    let size = parts.div_ceil(STRIP).max(1);
    let sign = |start: usize| {
        let range = start..(start + size).min(parts);
        let sum = |each: &[u32]| each[range.clone()].iter().map(|count| u64::from(*count)).sum::<u64>();
        let (expected, received) = (sum(&device.expected_each), sum(&device.received_each));
        match (expected, received) {
            (0, _) => ' ',
            (_, _) if received >= expected => '█',
            (_, _) if sum(&device.lost_each) > 0 => '░',
            (_, 0) => '·',
            _ => '▄',
        }
    };
    (0..parts).step_by(size).map(sign).collect()
}

/// A line for each device and part (RFC 4180); times as spreadsheets read them.
fn csv(report: &CoverageReport, zone: &TimeZone) -> Result<String> {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    writer.write_record(["device", "name", "from", "expected", "received", "lost"])?;
    for device in &report.devices {
        for (place, start_ms) in report.starts_ms.iter().enumerate() {
            let start = Timestamp::from_millisecond(*start_ms as i64).unwrap_or_default().to_zoned(zone.clone());
            let counts = [&device.expected_each, &device.received_each, &device.lost_each];
            let counts = counts.map(|each| each.get(place).map(ToString::to_string).unwrap_or_default());
            let [expected, received, lost] = counts;
            let start = start.strftime("%Y-%m-%d %H:%M").to_string();
            writer.write_record([&device.device, &device.name, &start, &expected, &received, &lost])?;
        }
    }
    Ok(String::from_utf8(writer.into_inner()?)?)
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_api::CoverageGap;

    fn device() -> DeviceCoverage {
        DeviceCoverage {
            device: "tower".to_owned(),
            name: "Water tower, \"Hobb\"".to_owned(),
            interval_s: 900.0,
            expected: 16,
            received: 9,
            expected_each: vec![0, 4, 4, 4, 4],
            received_each: vec![0, 4, 3, 0, 2],
            lost_each: vec![0, 0, 0, 0, 2],
            messages: 9,
            refused: 0,
            repeated: 1,
            late: 0,
            oldest_s: 0,
            gaps: vec![CoverageGap {
                from: "2026-05-01T02:30:00Z".to_owned(),
                to: Some("2026-05-01T04:30:00Z".to_owned()),
                length_s: 7_200.0,
                ended: GapEnd::LostOnTheWay,
            }],
        }
    }

    fn report() -> CoverageReport {
        CoverageReport {
            from: "2026-05-01T00:00:00Z".to_owned(),
            to: "2026-05-01T05:00:00Z".to_owned(),
            zone: "UTC".to_owned(),
            starts_ms: (0..5).map(|hour| f64::from(hour) * 3.6e6 + 1_777_593_600_000.0).collect(),
            devices: vec![device()],
            traffic: vec![Traffic {
                protocol: "MQTT".to_owned(),
                messages_each: vec![0, 4, 3, 0, 2],
                devices_each: vec![0, 1, 1, 0, 1],
            }],
            next: None,
        }
    }

    #[test]
    fn a_strip_tells_what_came_and_why_not() {
        assert_eq!(strip(&device()), " █▄·░");
        let long = DeviceCoverage {
            expected_each: vec![1; 120],
            received_each: [vec![1; 60], vec![0; 60]].concat(),
            lost_each: vec![0; 120],
            ..device()
        };
        assert_eq!(strip(&long), format!("{}{}", "█".repeat(20), "·".repeat(20)));
    }

    #[test]
    fn nearly_all_is_not_all() {
        for (received, expected, text) in [(9, 16, "56.2 %"), (99_999, 100_000, "99.9 %"), (4, 4, "100 %"), (0, 0, "—")]
        {
            assert_eq!(percent(received, expected), text);
        }
    }

    #[test]
    fn the_report_says_what_ended_gaps() {
        let text = text(&report(), &TimeZone::get("Europe/London").unwrap(), true);
        for part in ["expected of one device, 56.2 % came", "2026-05-01 03:30:00", "nothing came through", "9 messages"]
        {
            assert!(text.contains(part), "{part} in {text}");
        }
    }

    #[test]
    fn csv_has_a_line_for_each_part() {
        let text = csv(&report(), &TimeZone::UTC).unwrap();
        let lines: Vec<&str> = text.split("\r\n").collect();
        assert_eq!(lines.len(), 7);
        assert_eq!(lines[3], "tower,\"Water tower, \"\"Hobb\"\"\",2026-05-01 02:00,4,3,0");
    }

    #[test]
    fn pages_of_devices_are_one_report() {
        let sum = together(report().traffic, report().traffic);
        assert_eq!((sum.len(), &sum[0].messages_each), (1, &vec![0, 8, 6, 0, 4]));
    }
}
