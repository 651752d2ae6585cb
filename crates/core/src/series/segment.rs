//! Segments: sealed runs as bytes.
//!
//! `docs/reference/segments.md` describes the format byte by byte.

use super::bits::{Input, put_signed, put_varint};
use super::error::SegmentError;
use super::run::{NO_RAW, Run, Values};
use super::values;
use super::{Layer, ints};
use crate::quality::Quality;
use crate::{Moment, SignalId};

/// The number of the format, the first byte of all that is encoded here.
const FORMAT: u8 = 1;
/// The most readings of one run, so that damaged bytes cannot ask for memory
/// without end.
pub const MAX_RUN: usize = 1 << 18;

const HAS_QUALITIES: u8 = 1;
const HAS_RAWS: u8 = 2;

/// Microseconds of the units that times are kept in, coarsest first.
const TIME_UNITS: [i64; 3] = [1_000_000, 1_000, 1];

/// A run as bytes, with format number and checksum.
#[must_use]
pub fn encode_segment(run: &Run) -> Vec<u8> {
    let mut out = vec![FORMAT];
    encode_run(run, &mut out);
    seal(out)
}

/// Reads what [`encode_segment`] wrote.
///
/// # Errors
/// [`SegmentError`].
pub fn decode_segment(bytes: &[u8]) -> Result<Run, SegmentError> {
    let mut input = open(bytes)?;
    let run = decode_run(&mut input)?;
    ended(input)?;
    Ok(run)
}

/// Changes of one signal as bytes: a part of what [`encode_layers`] writes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EncodedLayer(Vec<u8>);

impl EncodedLayer {
    /// Encodes a layer of a signal.
    #[must_use]
    pub fn of(signal: SignalId, layer: &Layer) -> Self {
        let mut out = Vec::new();
        put_signed(&mut out, signal.0);
        put_varint(&mut out, layer.cuts().len() as u64);
        for &(from, to) in layer.cuts() {
            put_signed(&mut out, from);
            put_signed(&mut out, to);
        }
        encode_run(layer.puts(), &mut out);
        Self(out)
    }
}

/// Changes of several signals as bytes, with format number and checksum: what a
/// group of deliveries becomes before its readings are sealed.
#[must_use]
pub fn encode_layers<'a>(layers: impl ExactSizeIterator<Item = &'a EncodedLayer>) -> Vec<u8> {
    let mut out = vec![FORMAT];
    put_varint(&mut out, layers.len() as u64);
    layers.for_each(|layer| out.extend_from_slice(&layer.0));
    seal(out)
}

/// Reads what [`encode_layers`] wrote.
///
/// # Errors
/// [`SegmentError`].
pub fn decode_layers(bytes: &[u8]) -> Result<Vec<(SignalId, Layer)>, SegmentError> {
    let mut input = open(bytes)?;
    let count = input.length(bytes.len())?;
    let mut layers = Vec::new();
    for _ in 0..count {
        let signal = SignalId(input.signed()?);
        let cuts = input.length(input.0.len())?;
        let cuts = (0..cuts).map(|_| Ok((input.signed()?, input.signed()?))).collect::<Result<Vec<_>, _>>()?;
        layers.push((signal, Layer::from_parts(cuts, decode_run(&mut input)?)));
    }
    ended(input)?;
    Ok(layers)
}

/// Appends the checksum.
pub(super) fn seal(mut out: Vec<u8>) -> Vec<u8> {
    let checksum = crc32fast::hash(&out);
    out.extend_from_slice(&checksum.to_le_bytes());
    out
}

/// Checks format and checksum and gives what is between them.
pub(super) fn open(bytes: &[u8]) -> Result<Input<'_>, SegmentError> {
    let (content, checksum) = bytes.split_last_chunk::<4>().ok_or(SegmentError::Short)?;
    match content.first() {
        None => return Err(SegmentError::Short),
        Some(&FORMAT) => {}
        Some(&other) => return Err(SegmentError::Format(other)),
    }
    if crc32fast::hash(content) != u32::from_le_bytes(*checksum) {
        return Err(SegmentError::Checksum);
    }
    Ok(Input(&content[1..]))
}

pub(super) const fn ended(input: Input<'_>) -> Result<(), SegmentError> {
    if input.0.is_empty() { Ok(()) } else { Err(SegmentError::Wrong("bytes after the end")) }
}

pub(super) fn first_format() -> Vec<u8> {
    vec![FORMAT]
}

fn encode_run(run: &Run, out: &mut Vec<u8>) {
    let flags =
        if run.qualities().is_empty() { 0 } else { HAS_QUALITIES } | if run.raws().is_empty() { 0 } else { HAS_RAWS };
    out.push(flags);
    put_varint(out, run.len() as u64);
    encode_times(run.times(), out);
    values::encode(run.values(), out);
    if flags & HAS_QUALITIES != 0 {
        ints::encode(&run.qualities().iter().map(|quality| i64::from(quality.code())).collect::<Vec<_>>(), out);
    }
    if flags & HAS_RAWS != 0 {
        encode_raws(run.raws(), out);
    }
}

fn decode_run(input: &mut Input<'_>) -> Result<Run, SegmentError> {
    let flags = input.byte()?;
    if flags & !(HAS_QUALITIES | HAS_RAWS) != 0 {
        return Err(SegmentError::Wrong("an unknown column"));
    }
    let count = input.length(MAX_RUN)?;
    let times = decode_times(input, count)?;
    let values = values::decode(input, count)?;
    let qualities = if flags & HAS_QUALITIES != 0 { decode_qualities(input, count)? } else { Vec::new() };
    let raws = if flags & HAS_RAWS != 0 { decode_raws(input, count)? } else { Vec::new() };
    Ok(Run::from_columns(times, values, qualities, raws))
}

fn encode_times(times: &[i64], out: &mut Vec<u8>) {
    let unit = TIME_UNITS.iter().position(|unit| times.iter().all(|at| at % unit == 0)).unwrap_or(TIME_UNITS.len() - 1);
    out.push(unit as u8);
    match TIME_UNITS[unit] {
        1 => ints::encode(times, out),
        micros => ints::encode(&times.iter().map(|at| at / micros).collect::<Vec<_>>(), out),
    }
}

/// Times that ascend, all of them possible.
fn decode_times(input: &mut Input<'_>, count: usize) -> Result<Vec<i64>, SegmentError> {
    let unit = *TIME_UNITS.get(usize::from(input.byte()?)).ok_or(SegmentError::Wrong("an unknown unit of time"))?;
    let times = match ints::decode_even(input)? {
        Some((first, step)) => even_times(first, step, unit, count),
        None => {
            let times = ints::decode(input, count)?;
            let fits = Moment::MIN.as_micros() / unit..=Moment::MAX.as_micros() / unit;
            // Counted, not looked for: loops that always go to their end are the faster ones.
            let impossible = times.iter().map(|at| u32::from(!fits.contains(at))).sum::<u32>();
            let descending = times.windows(2).map(|pair| u32::from(pair[0] >= pair[1])).sum::<u32>();
            (impossible + descending == 0).then(|| times.into_iter().map(|at| at * unit).collect())
        }
    };
    times.ok_or(SegmentError::Wrong("times that are impossible or do not ascend"))
}

fn even_times(first: i64, step: i64, unit: i64, count: usize) -> Option<Vec<i64>> {
    let (first, step) = (first.checked_mul(unit)?, step.checked_mul(unit)?);
    let last = first.checked_add(step.checked_mul(i64::try_from(count).ok()?.max(1) - 1)?)?;
    let is_possible = Moment::from_micros(first).is_some() && Moment::from_micros(last).is_some();
    (is_possible && (step > 0 || count <= 1)).then(|| (0..count as i64).map(|at| first + step * at).collect())
}

fn decode_qualities(input: &mut Input<'_>, count: usize) -> Result<Vec<Quality>, SegmentError> {
    let quality = |code: i64| u8::try_from(code).ok().and_then(Quality::from_code);
    let qualities: Option<Vec<Quality>> = ints::decode(input, count)?.into_iter().map(quality).collect();
    qualities.ok_or(SegmentError::Wrong("an unknown quality"))
}

fn encode_raws(raws: &[f64], out: &mut Vec<u8>) {
    if raws.iter().all(|raw| !raw.is_nan()) {
        ints::encode_same(1, out);
        return values::encode_numbers(raws, out);
    }
    ints::encode(&raws.iter().map(|raw| i64::from(!raw.is_nan())).collect::<Vec<_>>(), out);
    let present: Vec<f64> = raws.iter().copied().filter(|raw| !raw.is_nan()).collect();
    values::encode_numbers(&present, out);
}

fn decode_raws(input: &mut Input<'_>, count: usize) -> Result<Vec<f64>, SegmentError> {
    let present = ints::decode(input, count)?;
    let wanted = present.iter().filter(|is_present| **is_present == 1).count();
    let Values::Numbers(numbers) = values::decode(input, wanted)? else {
        return Err(SegmentError::Wrong("a raw value that is no number"));
    };
    if wanted == count {
        return Ok(numbers);
    }
    let mut next = numbers.into_iter();
    Ok(present
        .into_iter()
        .map(|is_present| if is_present == 1 { next.next() } else { None }.unwrap_or(NO_RAW))
        .collect())
}

#[cfg(test)]
mod tests {
    use super::super::Point;
    use super::super::run::tests::any_run;
    use super::*;
    use crate::{Moment, Value};
    use proptest::prelude::*;

    fn points(run: &Run) -> Vec<Point> {
        run.points().collect()
    }

    fn numbers(times: impl Iterator<Item = (i64, f64)>) -> Run {
        times.map(|(at, value)| Point::good(Moment::from_micros(at).unwrap(), Value::Number(value))).collect()
    }

    #[test]
    fn even_spacing_and_absent_columns_cost_nothing() {
        let run = numbers((0..8_192).map(|i| (1_700_000_000_000_000 + i * 4_000, (i * 37 % 4_096) as f64)));
        let size = encode_segment(&run).len();
        assert!(size < 8_192 * 3 / 2 + 250, "12 bits a sample and no more: {size} bytes");
        let flags: Run = (0..8_192)
            .map(|i| Point::good(Moment::from_micros(i * 1_000_000).unwrap(), Value::Flag(i / 3_000 == 1)))
            .collect();
        assert!(encode_segment(&flags).len() < 60);
    }

    #[test]
    fn every_damage_is_found() {
        let run = numbers((0..50).map(|i| (i * 1_000 + i % 7, i as f64 / 10.0)));
        let good = encode_segment(&run);
        assert_eq!(points(&decode_segment(&good).unwrap()), points(&run));
        for end in 0..good.len() {
            assert!(decode_segment(&good[..end]).is_err(), "cut at {end}");
        }
        for (index, bit) in (0..good.len()).flat_map(|index| (0..8).map(move |bit| (index, bit))) {
            let mut bad = good.clone();
            bad[index] ^= 1 << bit;
            assert!(decode_segment(&bad).is_err(), "bit {bit} of byte {index}");
        }
        assert_eq!(
            decode_segment(&[7, 0, 0, 0, 0]).unwrap_err().to_string(),
            "the segment has format 7, which this version cannot read"
        );
    }

    proptest! {
        #[test]
        fn any_run_reads_back(run in any_run(-1_000_000..1_000_000, 200)) {
            prop_assert_eq!(points(&decode_segment(&encode_segment(&run)).unwrap()), points(&run));
        }

        #[test]
        fn layers_read_back(layers in prop::collection::vec((any::<i64>(), any_run(0..1_000, 20), prop::collection::vec((0i64..9, 0i64..9), 0..3)), 0..6)) {
            let layers: Vec<(SignalId, Layer)> =
                layers.into_iter().map(|(id, run, cuts)| (SignalId(id), Layer::from_parts(cuts, run))).collect();
            let encoded: Vec<EncodedLayer> =
                layers.iter().map(|(signal, layer)| EncodedLayer::of(*signal, layer)).collect();
            let bytes = encode_layers(encoded.iter());
            let back = decode_layers(&bytes).unwrap();
            prop_assert_eq!(back.len(), layers.len());
            for ((signal, layer), (wanted, expected)) in back.iter().zip(&layers) {
                prop_assert_eq!(signal, wanted);
                prop_assert_eq!(layer.cuts(), expected.cuts());
                prop_assert_eq!(points(layer.puts()), points(expected.puts()));
            }
        }
    }
}
