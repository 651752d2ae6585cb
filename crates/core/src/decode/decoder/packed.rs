//! Packed payloads: numbers of any width in bits, one after the other.

use super::super::record::Record;
use super::super::{Decoded, Item, Raw, Times};
use super::field::{Role, role};
use crate::{Refusal, RefusalCode};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// How bytes are written in a payload.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = NumberEncoding))]
#[serde(rename_all = "lowercase")]
pub enum Encoding {
    /// As they are.
    #[default]
    Raw,
    /// Two hexadecimal digits a byte; spaces, colons and line ends may stand between.
    Hex,
    /// Base64 (RFC 4648), with or without padding.
    Base64,
}

impl Encoding {
    #[allow(clippy::trivially_copy_pass_by_ref, reason = "that is how serde asks")]
    pub(super) fn is_raw(&self) -> bool {
        *self == Self::Raw
    }
}

/// Which end of a number comes first. Bits of a byte are taken from the same
/// end: the most significant first with `big`, the least with `little`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ByteOrder))]
#[serde(rename_all = "lowercase")]
pub enum Order {
    /// The most significant byte.
    #[default]
    Big,
    /// The least significant byte.
    Little,
}

impl Order {
    #[allow(clippy::trivially_copy_pass_by_ref, reason = "that is how serde asks")]
    pub(super) fn is_big(&self) -> bool {
        *self == Self::Big
    }
}

/// One part of a packed payload.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(untagged)]
pub enum PackedField {
    /// A number or flag.
    Number(PackedNumber),
    /// Parts that come several times.
    Group(PackedGroup),
}

/// A number in a packed payload: `raw × scale + offset`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PackedNumber {
    /// Its name, or `@at`, `@ago`, `@device`, `-` as in text.
    pub name: String,
    /// `u1` to `u64`, `i2` to `i64`, `f32`, `f64`, or `flag` (one bit).
    #[serde(rename = "type")]
    pub width: String,
    /// Factor; by default 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scale: Option<f64>,
    /// Added after the factor; by default 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub offset: Option<f64>,
    /// UCUM code of the unit.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// The raw value that means there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub missing: Option<f64>,
    /// The raw value it must have; another refuses the payload.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expect: Option<f64>,
}

/// How often a group comes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = GroupRepeat))]
#[serde(untagged)]
pub enum Repeat {
    /// So often.
    Times(u16),
    /// `rest`: to the end of the payload.
    Rest(String),
}

/// Parts that come several times. Each repetition is a record if it has a time
/// or device of its own, or if samples are evenly spaced; else the names get the
/// number of the repetition behind a dot, from 1.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct PackedGroup {
    /// How often.
    pub repeat: Repeat,
    /// What.
    pub fields: Vec<PackedNumber>,
}

impl PackedGroup {
    fn has_own_place(&self) -> bool {
        self.fields.iter().any(|field| !matches!(role(&field.name), Role::Value | Role::Skip))
    }
}

/// The kind of number a type names.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Width {
    Unsigned(u32),
    Signed(u32),
    Float32,
    Float64,
    Flag,
}

impl Width {
    const fn bits(self) -> u32 {
        match self {
            Self::Unsigned(bits) | Self::Signed(bits) => bits,
            Self::Float32 => 32,
            Self::Float64 => 64,
            Self::Flag => 1,
        }
    }
}

fn width(text: &str) -> Option<Width> {
    let bits = |digits: &str, least: u32| digits.parse().ok().filter(|bits| (least..=64).contains(bits));
    match text {
        "flag" => Some(Width::Flag),
        "f32" => Some(Width::Float32),
        "f64" => Some(Width::Float64),
        _ => match text.split_at_checked(1)? {
            ("u", digits) => bits(digits, 1).map(Width::Unsigned),
            ("i", digits) => bits(digits, 2).map(Width::Signed),
            _ => None,
        },
    }
}

impl PackedNumber {
    /// What is wrong with it, if anything is.
    pub(super) fn fault(&self) -> Option<String> {
        if width(&self.width).is_none() {
            return Some(format!("`{}` is no type; use u1 to u64, i2 to i64, f32, f64 or flag", self.width));
        }
        let numbers = [self.scale, self.offset, self.missing, self.expect];
        numbers.iter().flatten().any(|n| !n.is_finite()).then(|| "a number is not finite".to_owned())
    }
}

pub(super) fn run(
    encoding: Encoding,
    order: Order,
    fields: &[PackedField],
    every: Option<f64>,
    body: &[u8],
    times: &Times,
    decoded: &mut Decoded<'static>,
) -> Result<(), Refusal> {
    let bytes = unwrap(encoding, body)?;
    let mut bits = Bits { bytes: &bytes, order, place: 0 };
    let mut outer = Record::begin(decoded);
    let mut groups = Vec::new();
    for field in fields {
        match field {
            PackedField::Number(number) => take(number, &number.name, &mut bits, &mut outer, times, decoded)?,
            PackedField::Group(group) => {
                for repetition in Repetitions::new(group, &bits) {
                    let repetition = repetition?;
                    if group.has_own_place() {
                        // The fields outside must not get this record's place.
                        let mut inner = Decoded::default();
                        let mut record = Record::begin(&inner);
                        for number in &group.fields {
                            take(number, &number.name, &mut bits, &mut record, times, &mut inner)?;
                        }
                        record.close(times, &mut inner)?;
                        groups.push(inner);
                    } else if let Some(every_s) = every.or(times.every_s) {
                        samples(group, &mut bits, repetition, &mut outer, times, decoded, every_s)?;
                    } else {
                        for number in &group.fields {
                            let name = format!("{}.{}", number.name, repetition.index + 1);
                            take(number, &name, &mut bits, &mut outer, times, decoded)?;
                        }
                    }
                }
            }
        }
    }
    if bits.left() >= 8 {
        let detail = format!("{} bytes are left after the last field.", bits.left() / 8);
        decoded.refuse(Refusal::whole(RefusalCode::DoesNotFit, detail))?;
    }
    close(outer, times, decoded)?;
    groups.into_iter().try_for_each(|group| decoded.join(group))
}

/// Samples already have their times, which the record must not overwrite.
fn close(record: Record<'static>, times: &Times, decoded: &mut Decoded<'static>) -> Result<(), Refusal> {
    let own: Vec<_> = decoded.items.iter().map(|item| item.at).collect();
    record.close(times, decoded)?;
    for (item, at) in decoded.items.iter_mut().zip(own) {
        item.at = at.or(item.at);
    }
    Ok(())
}

#[derive(Clone, Copy)]
struct Repetition {
    index: usize,
    count: usize,
}

struct Repetitions {
    next: usize,
    count: usize,
    short: Option<Refusal>,
}

impl Repetitions {
    fn new(group: &PackedGroup, bits: &Bits<'_>) -> Self {
        let size: u32 = group.fields.iter().filter_map(|field| width(&field.width)).map(Width::bits).sum();
        let fit = bits.left() / (size as usize).max(1);
        match group.repeat {
            Repeat::Rest(_) => Self { next: 0, count: fit, short: None },
            Repeat::Times(count) => {
                let count = usize::from(count);
                let short = (count > fit).then(|| too_short(&format!("repetition {} of {count}", fit + 1)));
                Self { next: 0, count, short }
            }
        }
    }
}

impl Iterator for Repetitions {
    type Item = Result<Repetition, Refusal>;

    fn next(&mut self) -> Option<Self::Item> {
        if let Some(refusal) = self.short.take() {
            self.next = self.count;
            return Some(Err(refusal));
        }
        let index = self.next;
        self.next += 1;
        (index < self.count).then_some(Ok(Repetition { index, count: self.count }))
    }
}

fn samples(
    group: &PackedGroup,
    bits: &mut Bits<'_>,
    repetition: Repetition,
    record: &mut Record<'static>,
    times: &Times,
    decoded: &mut Decoded<'static>,
    every_s: f64,
) -> Result<(), Refusal> {
    let first = decoded.items.len();
    for number in &group.fields {
        take(number, &number.name, bits, record, times, decoded)?;
    }
    let at = times.sample(record.start(), every_s, repetition.index, repetition.count);
    decoded.items[first..].iter_mut().for_each(|item| item.at = Some(at));
    decoded.samples += decoded.items.len() - first;
    Ok(())
}

fn take(
    field: &PackedNumber,
    name: &str,
    bits: &mut Bits<'_>,
    record: &mut Record<'static>,
    times: &Times,
    decoded: &mut Decoded<'static>,
) -> Result<(), Refusal> {
    let Some(width) = width(&field.width) else { return Ok(()) };
    let (raw, whole) = bits.number(width).ok_or_else(|| too_short(&format!("`{}`", field.name)))?;
    if field.expect.is_some_and(|expected| expected != raw) {
        let detail = format!("`{}` is {raw}, where the decoder expects {}.", field.name, field.expect.unwrap_or(0.0));
        return Err(Refusal::whole(RefusalCode::DoesNotFit, detail));
    }
    if field.missing == Some(raw) {
        return Ok(());
    }
    let number = raw * field.scale.unwrap_or(1.0) + field.offset.unwrap_or(0.0);
    match role(name) {
        Role::Skip => return Ok(()),
        Role::Time(time) => {
            record.time(time, &number.to_string(), times, decoded);
            return Ok(());
        }
        Role::Device => {
            record.device = Some(Cow::Owned(whole.to_string()));
            return Ok(());
        }
        Role::Value => {}
    }
    let value = if width == Width::Flag { Raw::Flag(raw != 0.0) } else { Raw::Number(number) };
    if !number.is_finite() {
        let detail = format!("`{}` is {number}, not a finite number.", field.name);
        return decoded.refuse(Refusal::of(RefusalCode::NumberTooLarge, name, detail));
    }
    let unit = field.unit.clone().map(Cow::Owned);
    decoded.push(Item { unit, ..Item::new(name.to_owned(), value) })
}

fn too_short(what: &str) -> Refusal {
    Refusal::whole(RefusalCode::DoesNotFit, format!("The payload ends before {what}."))
}

fn unwrap(encoding: Encoding, body: &[u8]) -> Result<Cow<'_, [u8]>, Refusal> {
    let compact = || -> Vec<u8> {
        body.iter().copied().filter(|b| !b.is_ascii_whitespace() && !matches!(b, b':' | b'"')).collect()
    };
    let decoded = match encoding {
        Encoding::Raw => return Ok(Cow::Borrowed(body)),
        Encoding::Hex => data_encoding::HEXLOWER_PERMISSIVE.decode(&compact()),
        Encoding::Base64 => {
            let text = compact();
            let end = text.iter().rposition(|b| *b != b'=').map_or(0, |last| last + 1);
            data_encoding::BASE64_NOPAD.decode(&text[..end])
        }
    };
    let name = if encoding == Encoding::Hex { "hexadecimal" } else { "base64" };
    decoded
        .map(Cow::Owned)
        .map_err(|e| Refusal::whole(RefusalCode::DoesNotFit, format!("The payload is not {name}: {e}.")))
}

/// A place in bytes, counted in bits.
struct Bits<'b> {
    bytes: &'b [u8],
    order: Order,
    place: usize,
}

impl Bits<'_> {
    const fn left(&self) -> usize {
        self.bytes.len() * 8 - self.place
    }

    /// The next number, also as the bits it is made of; `None` past the end.
    fn number(&mut self, width: Width) -> Option<(f64, u64)> {
        let count = width.bits();
        let raw = self.take(count)?;
        let number = match width {
            Width::Unsigned(_) | Width::Flag => raw as f64,
            Width::Signed(bits) => (((raw << (64 - bits)) as i64) >> (64 - bits)) as f64,
            Width::Float32 => f64::from(f32::from_bits(raw as u32)),
            Width::Float64 => f64::from_bits(raw),
        };
        Some((number, raw))
    }

    fn take(&mut self, count: u32) -> Option<u64> {
        if self.left() < count as usize {
            return None;
        }
        let mut value = 0u64;
        let mut done = 0;
        while done < count {
            let byte = u64::from(self.bytes[self.place / 8]);
            let used = (self.place % 8) as u32;
            let step = (8 - used).min(count - done);
            let mask = (1u64 << step) - 1;
            match self.order {
                Order::Big => value = (value << step) | ((byte >> (8 - used - step)) & mask),
                Order::Little => value |= ((byte >> used) & mask) << done,
            }
            self.place += step as usize;
            done += step;
        }
        Some(value)
    }
}
