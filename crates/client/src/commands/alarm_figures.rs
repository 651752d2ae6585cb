//! What `lantern alarms --figures` shows.

use crate::output::table;
use crate::show::place_of;
use crate::time::{age, local};
use jiff::tz::TimeZone;
use lantern_api::{AlarmFigure, AlarmFigures, AlarmMeasure, AlarmPlace};

/// Alarms of a time, against what is recommended.
pub(super) fn shown(found: &AlarmFigures, zone: &TimeZone) -> String {
    let (from, to) = (local(&found.from, zone), local(&found.to, zone));
    if found.count == 0 {
        return format!("No alarm from {from} to {to}.");
    }
    let known = match found.to_acknowledge_s {
        Some(seconds) => format!("{} acknowledged, after {} on average", found.acknowledged, age(seconds)),
        None => "nobody acknowledged any".to_owned(),
    };
    let severities = found.severities.iter().filter(|one| one.count > 0);
    let severities: Vec<_> = severities.map(|one| format!("{} {}", one.count, one.severity.as_str())).collect();
    let mut text = format!("{} alarms from {from} to {to}: {}; {known}\n\n", found.count, severities.join(", "));
    let row = |figure: &AlarmFigure| {
        let verdict = if figure.is_met { "as recommended" } else { "TOO MANY" };
        vec![
            words(figure.measure).to_owned(),
            value(figure, figure.value),
            value(figure, figure.recommended),
            verdict.to_owned(),
        ]
    };
    text.push_str(&table(&["figure", "here", "at most", ""], &[1, 2], found.figures.iter().map(row).collect()));
    for (title, places) in [("most frequent", &found.frequent), ("stood longest", &found.longest)] {
        let row = |place: &AlarmPlace| {
            vec![
                place.name.clone(),
                place_of(place.device.as_deref(), place.signal.as_deref()),
                place.count.to_string(),
                age(place.stood_s),
                age(place.longest_s),
            ]
        };
        text.push_str("\n\n");
        text.push_str(&table(
            &[title, "at", "alarms", "stood", "longest"],
            &[2, 3, 4],
            places.iter().map(row).collect(),
        ));
    }
    text
}

const fn words(measure: AlarmMeasure) -> &'static str {
    match measure {
        AlarmMeasure::PerDay => "alarms a day and operator",
        AlarmMeasure::MostInTenMinutes => "most within ten minutes",
        AlarmMeasure::Flood => "time in a flood",
        AlarmMeasure::Stale => "stood for longer than a day",
        AlarmMeasure::Chattering => "places that chatter",
        AlarmMeasure::TopTen => "share of the ten most frequent places",
        AlarmMeasure::Urgent => "share of high and urgent ones",
    }
}

fn value(figure: &AlarmFigure, number: f64) -> String {
    match figure.measure {
        AlarmMeasure::Flood | AlarmMeasure::TopTen | AlarmMeasure::Urgent => format!("{:.1} %", number * 100.0),
        AlarmMeasure::PerDay | AlarmMeasure::MostInTenMinutes => format!("{number:.1}"),
        AlarmMeasure::Stale | AlarmMeasure::Chattering => format!("{number:.0}"),
    }
}
