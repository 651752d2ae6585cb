//! The words of a message.

use super::Callouts;
use super::calling::Reading;
use super::deciding::Wanted;
use crate::alarms::shown_alarm;
use crate::{documents, find, in_words, shown};
use jiff::tz::TimeZone;
use lantern_core::callout::{TEXT_CHARACTERS, Template, Way, Words, fit_text};
use lantern_core::watch::Watch;
use lantern_core::{Moment, Value, ValueType, duration};
use lantern_store::{AlarmRow, Device, Site, StoreError};
use serde_json::json;
use std::collections::BTreeMap;

/// Alarms that are named in one message.
const MOST_NAMED: usize = 20;
/// Other signals of a device that are told.
const MOST_OTHERS: usize = 6;
/// Decimals of a value whose signal is gone.
const USUAL_DECIMALS: u8 = 2;

impl Callouts {
    /// The subject and the words of a message.
    pub(super) async fn words(
        &self,
        reading: &Reading,
        way: Way,
        alarms: &[&AlarmRow],
        wanted: Wanted,
        link: &str,
    ) -> Result<(String, String), StoreError> {
        let zone = self.plans.zone(reading.site.id).await?;
        let subject = subject(&reading.site, alarms, wanted);
        let text = match (way, alarms) {
            (Way::Webhook | Way::Topic, _) => machine_words(reading, alarms, wanted, link),
            (_, [alarm]) if wanted == Wanted::End => ended(alarm, &zone),
            (_, [alarm]) => {
                let usual = || if way == Way::Text { Template::short() } else { Template::mail() };
                let template = reading.duty.text.clone().unwrap_or_else(usual);
                let mut words = self.about(&reading.site, alarm, &zone, link).await?;
                if way == Way::Text { text(&template, &mut words, alarm.id) } else { template.with(&words) }
            }
            (_, many) => gathered(many, &zone, link, way, wanted),
        };
        Ok((subject, text))
    }

    /// What a message can tell of an alarm.
    async fn about(&self, site: &Site, alarm: &AlarmRow, zone: &TimeZone, link: &str) -> Result<Words, StoreError> {
        let watch = self.alarms.find_watch(site, &alarm.watch).await.ok();
        let watch = watch.and_then(|row| documents::read::<Watch>(&row.body).ok());
        let device = match &alarm.device {
            Some(code) => find::device(&self.store, site, code).await.ok(),
            None => None,
        };
        let mut words = Words {
            severity: alarm.severity.as_str().to_owned(),
            name: alarm.name.clone(),
            site: site.name.clone(),
            raised: time(alarm.raised_at, zone),
            link: link.to_owned(),
            ..Words::default()
        };
        if let Some(watch) = watch {
            let symbol = shown::symbol(watch.when.unit().or(alarm.unit.as_deref()));
            words.condition = format!("It is wrong when {}", watch.when.in_words(Some(&symbol)));
            words.advice = watch.advice;
        }
        let value = alarm.value.as_deref().and_then(|text| documents::read::<Value>(text).ok());
        let symbol = shown::symbol(alarm.unit.as_deref());
        words.value = value
            .as_ref()
            .map(|value| in_words::with_unit(&in_words::value(value, USUAL_DECIMALS, site.decimal_mark), &symbol))
            .unwrap_or_default();
        if let Some(device) = device {
            self.about_device(site, &device, alarm, value.as_ref(), &mut words).await?;
        }
        Ok(words)
    }

    async fn about_device(
        &self,
        site: &Site,
        device: &Device,
        alarm: &AlarmRow,
        value: Option<&Value>,
        words: &mut Words,
    ) -> Result<(), StoreError> {
        words.device.clone_from(&device.name);
        words.place.clone_from(&device.place);
        if let Some(position) = device.position {
            words.map = map(position.latitude, position.longitude);
        }
        let mut others = Vec::new();
        for of in self.plans.signals(device.id).await?.iter() {
            let is_its_own = alarm.signal.as_deref() == Some(of.signal.code.as_str());
            let is_position = of.signal.value_type == Some(ValueType::Position);
            let is_full = others.len() == MOST_OTHERS && !is_position;
            if !is_its_own && (is_full || of.signal.value_type.is_none()) {
                continue;
            }
            let Ok((last, decimals)) = self.now.last(site.id, of).await else { continue };
            let written =
                |value: &Value| in_words::with_unit(&in_words::value(value, decimals, site.decimal_mark), &of.symbol);
            let name = if of.signal.name.is_empty() { &of.signal.code } else { &of.signal.name };
            if is_its_own {
                words.signal.clone_from(name);
                words.value = value.map(written).unwrap_or_default();
            } else if let Some(fix) = last.good.last().and_then(|point| point.value.as_fix()).filter(|_| is_position) {
                // Where it is now says more than where it belongs.
                words.map = map(fix.latitude, fix.longitude);
            } else if let Some(point) = last.good.last() {
                others.push(format!("{name} {}", written(&point.value)));
            }
        }
        words.others = others.join(", ");
        Ok(())
    }
}

/// An address that opens a map (RFC 5870).
fn map(latitude: f64, longitude: f64) -> String {
    format!("geo:{latitude:.6},{longitude:.6}")
}

fn time(at: Moment, zone: &TimeZone) -> String {
    at.to_timestamp().to_zoned(zone.clone()).strftime("%a %-d %b %H:%M").to_string()
}

/// The worst comes first; a line break from a name would be another header.
fn subject(site: &Site, alarms: &[&AlarmRow], wanted: Wanted) -> String {
    let text = match alarms {
        [alarm] if wanted == Wanted::End => format!("Over: {}", alarm.name),
        [alarm] => format!("{}: {}", capitalized(alarm.severity.as_str()), alarm.name),
        many if wanted == Wanted::End => format!("{} alarms at {} are over", many.len(), site.name),
        many => {
            let worst = many.iter().map(|alarm| alarm.severity).max().unwrap_or_default();
            format!("{}: {} alarms at {}", capitalized(worst.as_str()), many.len(), site.name)
        }
    };
    text.chars().filter(|c| !c.is_control()).collect()
}

fn capitalized(word: &str) -> String {
    let mut letters = word.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

fn ended(alarm: &AlarmRow, zone: &TimeZone) -> String {
    let mut lines = vec![alarm.name.clone()];
    if let Some(cleared) = alarm.cleared_at {
        let lasted = duration(cleared.seconds_since(alarm.raised_at));
        lines.push(format!("Over since {}, after {lasted}", time(cleared, zone)));
    }
    if let Some((Some(who), at)) = &alarm.acknowledged {
        lines.push(format!("Acknowledged by {who} {}", time(*at, zone)));
    }
    lines.join("\n")
}

/// The words of a text message. If they are too long, they are cut before what answers it.
fn text(template: &Template, words: &mut Words, alarm: i64) -> String {
    let reply = format!("Reply OK {alarm}");
    let whole = format!("{}\n{reply}", template.with(words));
    if whole.chars().count() <= TEXT_CHARACTERS {
        return whole;
    }
    let link = std::mem::take(&mut words.link);
    let kept = if link.is_empty() { reply } else { format!("{link}\n{reply}") };
    fit_text(&template.with(words), &kept)
}

/// Many alarms in one message: how many of what, and the first of them.
fn gathered(alarms: &[&AlarmRow], zone: &TimeZone, link: &str, way: Way, wanted: Wanted) -> String {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for alarm in alarms {
        *counts.entry(&alarm.name).or_default() += 1;
    }
    let mut lines: Vec<String> = counts.iter().map(|(name, count)| format!("{count} × {name}")).collect();
    lines.truncate(MOST_NAMED);
    if way == Way::Mail {
        lines.push(String::new());
        for alarm in alarms.iter().take(MOST_NAMED) {
            let of = [alarm.device.as_deref(), alarm.signal.as_deref()].into_iter().flatten().collect::<Vec<_>>();
            lines.push(format!("{} {} since {}", alarm.name, of.join("/"), time(alarm.raised_at, zone)));
        }
        if alarms.len() > MOST_NAMED {
            lines.push(format!("and {} more", alarms.len() - MOST_NAMED));
        }
    }
    if way == Way::Text {
        let mut kept = vec![link, "Reply OK"];
        kept.retain(|line| wanted != Wanted::End && !line.is_empty());
        return fit_text(&lines.join("\n"), &kept.join("\n"));
    }
    if wanted != Wanted::End && !link.is_empty() {
        lines.push(format!("Acknowledge all: {link}"));
    }
    lines.join("\n")
}

/// What programs get.
fn machine_words(reading: &Reading, alarms: &[&AlarmRow], wanted: Wanted, link: &str) -> String {
    let alarms: Vec<_> = alarms.iter().map(|alarm| shown_alarm((*alarm).clone())).collect();
    let sort = if wanted == Wanted::End { "end" } else { "call" };
    let mut document = json!({
        "sort": sort,
        "site": reading.site.code,
        "roster": reading.row.code,
        "alarms": alarms,
    });
    if !link.is_empty() {
        document["acknowledge"] = json!(link);
    }
    document.to_string()
}
