//! Columns of whole numbers, each in the way that takes the least room.
//!
//! What differs from a forecast (the number before, the line between the two
//! before, the straight line from first to last, or nothing) is packed in blocks:
//! the smallest difference of a block once, the others in as many bits as the
//! largest needs above it. Evenly spaced numbers need no blocks at all, and
//! numbers that stay the same for long are kept as runs.

use super::bits::{Input, pack, packed_len, put_signed, put_varint, signed_len, unpack};
use super::error::SegmentError;
use std::ops::Range;

/// Numbers of a block: fewer cost more headers, more suffer longer from one
/// number that is far off.
const BLOCK: usize = 128;

/// Evenly spaced: the first number and the step.
const EVEN: u8 = 0;
/// Runs of equal numbers: the numbers, then how many of each.
const RUNS: u8 = 5;

/// What a number is forecast from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Forecast {
    /// Nothing: the numbers themselves are packed.
    Nothing = 1,
    /// The number before.
    Before = 2,
    /// The two before, by the same step again (delta of delta).
    Step = 3,
    /// The straight line from the first to the last.
    Line = 4,
}

/// Columns of fewer numbers are not laid along a line.
const WORTH_A_LINE: usize = 256;

/// All of them, the line last.
const FORECASTS: [Forecast; 4] = [Forecast::Nothing, Forecast::Before, Forecast::Step, Forecast::Line];

impl Forecast {
    /// How many numbers at the start are kept as they are.
    const fn seeds(self) -> usize {
        match self {
            Self::Nothing => 0,
            Self::Before | Self::Line => 1,
            Self::Step => 2,
        }
    }
}

/// Steps of the line, rounded in the same way when writing and reading.
fn on_line(start: i64, slope: f64, index: usize) -> i64 {
    start.wrapping_add(rounded(index as f64 * slope))
}

/// The nearest whole number, halves away from zero. The same as rounding by name, which
/// is a call to a library on many machines.
fn rounded(value: f64) -> i64 {
    let whole = value as i64;
    let rest = value - whole as f64;
    whole.saturating_add(i64::from(rest >= 0.5)).saturating_sub(i64::from(rest <= -0.5))
}

fn slope(values: &[i64]) -> f64 {
    match values {
        [first, .., last] => last.wrapping_sub(*first) as f64 / (values.len() - 1) as f64,
        _ => 0.0,
    }
}

/// The differences of a block's numbers from their forecasts. One loop for each
/// forecast: this is where writing readings spends its time.
fn differences<'b>(
    values: &[i64],
    forecast: Forecast,
    slope: f64,
    block: Range<usize>,
    buffer: &'b mut [i64; BLOCK],
) -> &'b [i64] {
    let differences = &mut buffer[..block.len()];
    let before = &values[block.start - forecast.seeds().min(block.start)..block.end];
    match forecast {
        Forecast::Nothing => differences.copy_from_slice(before),
        Forecast::Before => {
            differences.iter_mut().zip(before.windows(2)).for_each(|(d, pair)| *d = pair[1].wrapping_sub(pair[0]));
        }
        Forecast::Step => {
            for (d, three) in differences.iter_mut().zip(before.windows(3)) {
                *d = three[2].wrapping_sub(three[1]).wrapping_sub(three[1].wrapping_sub(three[0]));
            }
        }
        Forecast::Line => {
            for (d, i) in differences.iter_mut().zip(block) {
                *d = values[i].wrapping_sub(on_line(values[0], slope, i));
            }
        }
    }
    differences
}

/// The least of a block and the bits that the others need above it.
fn frame(differences: &[i64]) -> (i64, u32) {
    let (least, most) = differences.iter().fold((i64::MAX, i64::MIN), |(least, most), d| (least.min(*d), most.max(*d)));
    (least, 64 - (most.wrapping_sub(least) as u64).leading_zeros())
}

fn blocks(forecast: Forecast, count: usize) -> impl Iterator<Item = Range<usize>> {
    (forecast.seeds().min(count)..count).step_by(BLOCK).map(move |start| start..(start + BLOCK).min(count))
}

fn cost(values: &[i64], forecast: Forecast, slope: f64) -> usize {
    let mut buffer = [0; BLOCK];
    blocks(forecast, values.len())
        .map(|block| {
            let count = block.len();
            let (least, width) = frame(differences(values, forecast, slope, block, &mut buffer));
            1 + signed_len(least) + packed_len(width, count)
        })
        .sum::<usize>()
        + if forecast == Forecast::Line { 8 } else { 0 }
}

/// Appends a column.
pub(super) fn encode(values: &[i64], out: &mut Vec<u8>) {
    if encode_even(values, out) {
        return;
    }
    let runs = values.chunk_by(|a, b| a == b).count();
    if runs * 4 <= values.len() {
        let heads: Vec<i64> = values.chunk_by(|a, b| a == b).map(|run| run[0]).collect();
        let lengths: Vec<i64> = values.chunk_by(|a, b| a == b).map(|run| run.len() as i64).collect();
        let mut as_runs = vec![RUNS];
        put_varint(&mut as_runs, runs as u64);
        encode_packed(&heads, &mut as_runs);
        encode_packed(&lengths, &mut as_runs);
        let start = out.len();
        encode_packed(values, out);
        if as_runs.len() < out.len() - start {
            out.truncate(start);
            out.extend_from_slice(&as_runs);
        }
        return;
    }
    encode_packed(values, out);
}

/// Appends a column of one number again and again.
pub(super) fn encode_same(value: i64, out: &mut Vec<u8>) {
    put_even(value, 0, out);
}

fn put_even(first: i64, step: i64, out: &mut Vec<u8>) {
    out.push(EVEN);
    put_signed(out, first);
    put_signed(out, step);
}

fn encode_even(values: &[i64], out: &mut Vec<u8>) -> bool {
    let first = values.first().copied().unwrap_or(0);
    let step = values.get(1).map_or(0, |second| second.wrapping_sub(first));
    if values.windows(2).any(|pair| pair[1].wrapping_sub(pair[0]) != step) {
        return false;
    }
    put_even(first, step, out);
    true
}

fn encode_packed(values: &[i64], out: &mut Vec<u8>) {
    if encode_even(values, out) {
        return;
    }
    let slope = slope(values);
    // A line is worth its slope, and the time it takes, only where many lie about it.
    let tried = if values.len() < WORTH_A_LINE { &FORECASTS[..FORECASTS.len() - 1] } else { &FORECASTS[..] };
    let best = tried.iter().copied().min_by_key(|forecast| cost(values, *forecast, slope)).unwrap_or(Forecast::Nothing);
    out.push(best as u8);
    for seed in &values[..best.seeds().min(values.len())] {
        put_signed(out, *seed);
    }
    if best == Forecast::Line {
        out.extend_from_slice(&slope.to_le_bytes());
    }
    let mut buffer = [0; BLOCK];
    for block in blocks(best, values.len()) {
        let differences = differences(values, best, slope, block, &mut buffer);
        let (least, width) = frame(differences);
        out.push(width as u8);
        put_signed(out, least);
        pack(out, width, differences.iter().map(|d| d.wrapping_sub(least) as u64));
    }
}

/// Reads the first number and the step of a column that is evenly spaced; reads nothing of any other.
pub(super) fn decode_even(input: &mut Input<'_>) -> Result<Option<(i64, i64)>, SegmentError> {
    if input.0.first() != Some(&EVEN) {
        return Ok(None);
    }
    input.byte()?;
    Ok(Some((input.signed()?, input.signed()?)))
}

/// Reads a column of `count` numbers.
pub(super) fn decode(input: &mut Input<'_>, count: usize) -> Result<Vec<i64>, SegmentError> {
    match input.byte()? {
        RUNS => decode_runs(input, count),
        mode => decode_packed(input, mode, count),
    }
}

fn decode_runs(input: &mut Input<'_>, count: usize) -> Result<Vec<i64>, SegmentError> {
    let runs = input.length(count)?;
    let mode = input.byte()?;
    let heads = decode_packed(input, mode, runs)?;
    let mode = input.byte()?;
    let lengths = decode_packed(input, mode, runs)?;
    let mut values = Vec::with_capacity(count);
    for (head, length) in heads.into_iter().zip(lengths) {
        let room = count - values.len();
        let length = usize::try_from(length).ok().filter(|length| *length <= room);
        values.extend(std::iter::repeat_n(head, length.ok_or(SegmentError::Wrong("runs longer than the column"))?));
    }
    if values.len() == count { Ok(values) } else { Err(SegmentError::Wrong("runs shorter than the column")) }
}

fn decode_packed(input: &mut Input<'_>, mode: u8, count: usize) -> Result<Vec<i64>, SegmentError> {
    if mode == EVEN {
        let (first, step) = (input.signed()?, input.signed()?);
        return Ok((0..count as i64).map(|i| first.wrapping_add(step.wrapping_mul(i))).collect());
    }
    let forecast = FORECASTS
        .into_iter()
        .find(|forecast| *forecast as u8 == mode)
        .ok_or(SegmentError::Wrong("an unknown way of packing numbers"))?;
    let mut values = Vec::with_capacity(count);
    for _ in 0..forecast.seeds().min(count) {
        values.push(input.signed()?);
    }
    let slope = match forecast {
        Forecast::Line => f64::from_le_bytes(input.bytes(8)?.try_into().map_err(|_| SegmentError::Short)?),
        _ => 0.0,
    };
    for block in blocks(forecast, count) {
        let width = u32::from(input.byte()?);
        if width > 64 {
            return Err(SegmentError::Wrong("numbers of more than 64 bits"));
        }
        let least = input.signed()?;
        let bytes = input.bytes(packed_len(width, block.len()))?;
        decode_block(&mut values, bytes, width, block.len(), least, forecast, slope);
    }
    Ok(values)
}

/// One loop for each forecast: this is where reading years of readings spends
/// its time.
fn decode_block(
    values: &mut Vec<i64>,
    bytes: &[u8],
    width: u32,
    count: usize,
    least: i64,
    forecast: Forecast,
    slope: f64,
) {
    let mut room = [0; BLOCK];
    let numbers = &mut room[..count];
    unpack(bytes, width, numbers);
    let differences = numbers.iter().map(|number| least.wrapping_add(number.cast_signed()));
    let mut last = values.last().copied().unwrap_or(0);
    match forecast {
        Forecast::Nothing => values.extend(differences),
        Forecast::Before => values.extend(differences.map(|difference| {
            last = last.wrapping_add(difference);
            last
        })),
        Forecast::Step => {
            let before = values.len().checked_sub(2).map_or(0, |i| values[i]);
            let mut step = last.wrapping_sub(before);
            values.extend(differences.map(|difference| {
                step = step.wrapping_add(difference);
                last = last.wrapping_add(step);
                last
            }));
        }
        Forecast::Line => {
            let (first, from) = (values.first().copied().unwrap_or(0), values.len());
            let forecasts = (from..).map(|at| on_line(first, slope, at));
            values.extend(forecasts.zip(differences).map(|(forecast, difference)| forecast.wrapping_add(difference)));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn encoded(values: &[i64]) -> Vec<u8> {
        let mut out = Vec::new();
        encode(values, &mut out);
        out
    }

    fn check(values: &[i64]) -> usize {
        let bytes = encoded(values);
        let mut input = Input(&bytes);
        assert_eq!(decode(&mut input, values.len()).as_deref(), Ok(values));
        assert!(input.0.is_empty(), "read to the end");
        bytes.len()
    }

    #[test]
    fn each_shape_takes_little() {
        let noise = |i: i64| (i * 7919) % 41;
        let shapes: [(&str, Vec<i64>, usize); 7] = [
            ("even", (0..10_000).map(|i| 1_700_000_000 + 10 * i).collect(), 16),
            ("constant", vec![42; 10_000], 8),
            ("jitter about a line", (0..10_000).map(|i| 10_003 * i + noise(i)).collect(), 10_000 * 6 / 8 + 300),
            ("steps", (0..10_000).map(|i| i / 500).collect(), 60),
            ("small numbers", (0..10_000).map(noise).collect(), 10_000 * 6 / 8 + 200),
            ("curve", (0..10_000).map(|i| i * i).collect(), 200),
            ("one far off", (0..10_000).map(|i| if i == 5_000 { i64::MAX } else { i }).collect(), 2_700),
        ];
        for (name, values, most) in shapes {
            let size = check(&values);
            assert!(size <= most, "{name} takes {size} bytes");
        }
    }

    #[test]
    fn a_cut_anywhere_is_an_error() {
        for values in
            [vec![5, 5, 5], (0..300).map(|i| i * i % 97).collect(), vec![1; 100].into_iter().chain([2; 100]).collect()]
        {
            let bytes = encoded(&values);
            for end in 0..bytes.len() {
                assert!(decode(&mut Input(&bytes[..end]), values.len()).is_err(), "{end} of {}", bytes.len());
            }
        }
    }

    proptest! {
        /// What was written with the one is read with the other.
        #[test]
        fn rounding_is_rounding(value in prop_oneof![
            any::<f64>(), -10.0..10.0f64, (-1_000i64..1_000).prop_map(|n| n as f64 / 2.0),
            Just(0.499_999_999_999_999_94), Just(4_503_599_627_370_497.5), -1e16..1e16f64,
        ]) {
            prop_assert_eq!(rounded(value), value.round() as i64);
        }

        #[test]
        fn any_numbers_read_back(values in prop::collection::vec(prop_oneof![any::<i64>(), -5i64..5, 1_000i64..1_010], 0..400)) {
            check(&values);
        }

        #[test]
        fn runs_read_back(runs in prop::collection::vec((any::<i64>(), 1usize..60), 0..20)) {
            check(&runs.iter().flat_map(|&(value, count)| vec![value; count]).collect::<Vec<_>>());
        }
    }
}
