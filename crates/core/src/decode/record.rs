//! One object of a payload while it is read: values, waveforms and their time.

use super::{Decoded, Item, Raw, Times};
use crate::fix::FixPart;
use crate::{Moment, Refusal, RefusalCode};
use std::borrow::Cow;

/// Evenly spaced samples of one name.
struct Wave<'a> {
    name: Cow<'a, str>,
    samples: Vec<Option<f64>>,
}

impl Wave<'_> {
    /// Its numbers, if there are as few as a position has and each is there.
    fn list(&self) -> Option<Vec<f64>> {
        let is_short = (2..=FixPart::ALL.len()).contains(&self.samples.len());
        is_short.then(|| self.samples.iter().copied().collect())?
    }
}

/// Gathers what belongs to one time.
pub(super) struct Record<'a> {
    /// Where its values begin in the decoded items.
    first: usize,
    at: Option<Result<Moment, Refusal>>,
    every: Option<Result<f64, Refusal>>,
    waves: Vec<Wave<'a>>,
    pub(super) device: Option<Cow<'a, str>>,
}

impl<'a> Record<'a> {
    pub(super) fn begin(decoded: &Decoded<'a>) -> Self {
        Self { first: decoded.items.len(), at: None, every: None, waves: Vec::new(), device: None }
    }

    /// Takes one of [`TIME_NAMES`](super::TIME_NAMES); `text` without quotes.
    pub(super) fn time(&mut self, name: &str, text: &str, times: &Times, decoded: &mut Decoded<'a>) {
        match name {
            "at" => {
                self.at = Some(times.parse(text).map(|(at, remark)| {
                    remark.into_iter().for_each(|remark| decoded.remark(remark));
                    at
                }));
            }
            "ago" => self.at = Some(times.ago(text)),
            _ => self.every = Some(Times::every(text)),
        }
    }

    /// The time it has been given so far.
    pub(super) fn start(&self) -> Option<Moment> {
        self.at.as_ref().and_then(|at| at.as_ref().ok()).copied()
    }

    /// Takes evenly spaced samples; an empty place is none.
    pub(super) fn wave(&mut self, name: Cow<'a, str>, samples: Vec<Option<f64>>) {
        self.waves.push(Wave { name, samples });
    }

    /// Gives the record's values their time. If the time cannot be read they are
    /// refused, for a wrong time would misplace them.
    pub(super) fn close(self, times: &Times, decoded: &mut Decoded<'a>) -> Result<(), Refusal> {
        if let Some(Err(refusal)) = self.at {
            let names = decoded.items.drain(self.first..).map(|item| item.name);
            let names: Vec<_> = names.chain(self.waves.into_iter().map(|wave| wave.name)).collect();
            return decoded.refuse(of_that_time(refusal, &names));
        }
        let at = self.at.and_then(Result::ok);
        for item in &mut decoded.items[self.first..] {
            item.at = at.or(times.at);
            if self.device.is_some() {
                item.device.clone_from(&self.device);
            }
        }
        let every = match self.every {
            Some(every) => every.map(Some),
            None => Ok(times.every_s),
        };
        for wave in self.waves {
            let name = &wave.name;
            match &every {
                Ok(Some(every_s)) => expand(decoded, &wave, at, *every_s, times, self.device.as_ref())?,
                Ok(None) => match wave.list() {
                    Some(list) => {
                        let at = at.or(times.at);
                        let (name, device) = (wave.name.clone(), self.device.clone());
                        decoded.push(Item { name, at, value: Raw::List(list), unit: None, device })?;
                    }
                    None => decoded.refuse(no_interval(name))?,
                },
                Err(refusal) => decoded.refuse(Refusal::of(refusal.code, name, refusal.detail.clone()))?,
            }
        }
        Ok(())
    }
}

fn expand<'a>(
    decoded: &mut Decoded<'a>,
    wave: &Wave<'a>,
    start: Option<Moment>,
    every_s: f64,
    times: &Times,
    device: Option<&Cow<'a, str>>,
) -> Result<(), Refusal> {
    for (index, sample) in wave.samples.iter().enumerate() {
        let Some(number) = sample else { continue };
        let at = Some(times.sample(start, every_s, index, wave.samples.len()));
        decoded.push(Item {
            name: wave.name.clone(),
            at,
            value: Raw::Number(*number),
            unit: None,
            device: device.cloned(),
        })?;
        decoded.samples += 1;
    }
    Ok(())
}

/// Numbers in a row are samples if it is known how far apart they are.
pub(crate) fn no_interval(name: &str) -> Refusal {
    let detail =
        format!("`{}` is an array, and `every` does not say how far apart its values are.", super::short(name));
    Refusal::of(RefusalCode::NoInterval, name, detail)
}

fn of_that_time(refusal: Refusal, names: &[Cow<'_, str>]) -> Refusal {
    if names.is_empty() {
        return refusal;
    }
    let mut shown = names.iter().take(5).map(|name| super::short(name)).collect::<Vec<_>>().join(", ");
    if names.len() > 5 {
        shown.push_str(", …");
    }
    let detail = format!("{} {} of that time not kept: {shown}.", refusal.detail, names.len());
    Refusal { detail, ..refusal }
}
