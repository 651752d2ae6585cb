//! Columns of floating-point numbers.
//!
//! Sensors send decimals: where every number is exactly a whole number over the
//! same power of ten, those whole numbers are kept. What a conversion makes of them has
//! few different values among many, which are kept once. Other numbers are kept as
//! what differs in their bits from the number before, or as whole bit patterns.

use super::bits::{BitReader, BitWriter, Input, put_varint};
use super::error::SegmentError;
use super::ints;

/// The powers of ten that are tried. All are exact as floating-point numbers.
const POWERS: [f64; 13] = [1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12];
/// No sensor sends more decimals; what has more comes from a conversion.
const SENT: u8 = 6;
/// Up to here every whole number is exact.
const EXACT: f64 = 9_007_199_254_740_992.0;

/// Modes below are exponents of ten.
const XOR: u8 = 0x80;
const BITS: u8 = 0x81;
const LISTED: u8 = 0x82;
const PLAIN: u8 = 0x83;

/// From so many numbers on it is tried with the first of them whether whole patterns
/// take less room.
const SAMPLE: usize = 256;
/// Fewer than these, which is how readings come in, are kept as they are unless they
/// repeat: there is little room to be saved and much time to be lost.
const FEW: usize = 64;

/// A number as a whole number over a power of ten, if that is exact to the bit.
fn scaled(value: f64, power: f64) -> Option<i64> {
    let large = value * power;
    // The nearest whole number; rounding by name is a call to a library on many machines.
    let whole = (large + 0.5_f64.copysign(large)) as i64;
    let is_exact = large.abs() <= EXACT && (whole as f64 / power).to_bits() == value.to_bits();
    is_exact.then_some(whole)
}

fn all_scaled(values: &[f64]) -> Option<(u8, Vec<i64>)> {
    let mut exponent = 0;
    for value in values {
        while scaled(*value, POWERS[exponent]).is_none() {
            exponent += 1;
            if exponent == POWERS.len() {
                return None;
            }
        }
    }
    // What was exact over a smaller power may have grown too large over this one.
    let whole = values.iter().map(|value| scaled(*value, POWERS[exponent])).collect::<Option<_>>()?;
    Some((exponent as u8, whole))
}

/// Appends a column.
pub(super) fn encode(values: &[f64], out: &mut Vec<u8>) {
    let scaled = all_scaled(values);
    if scaled.is_none() && values.len() < FEW && 2 * changes(values) > values.len() {
        out.push(PLAIN);
        values.iter().for_each(|value| out.extend_from_slice(&value.to_bits().to_le_bytes()));
        return;
    }
    if scaled.as_ref().is_none_or(|(exponent, _)| *exponent > SENT)
        && let Some(list) = List::of(values)
    {
        out.push(LISTED);
        list.encode(out);
        return;
    }
    if let Some((exponent, whole)) = scaled {
        out.push(exponent);
        ints::encode(&whole, out);
        return;
    }
    let sample = values.get(..SAMPLE);
    if sample.is_some_and(|sample| encode_patterns(sample).len() <= encode_xor(sample).len()) {
        out.push(BITS);
        out.extend_from_slice(&encode_patterns(values));
        return;
    }
    let xored = encode_xor(values);
    out.push(XOR);
    put_varint(out, xored.len() as u64);
    out.extend_from_slice(&xored);
}

/// How often a number is not the one before.
fn changes(values: &[f64]) -> usize {
    values.windows(2).filter(|pair| pair[0].to_bits() != pair[1].to_bits()).count()
}

/// The different numbers of a column in the order they first come, and which is where.
struct List {
    different: Vec<f64>,
    which: Vec<i64>,
}

impl List {
    /// Nothing if more than half of the numbers are different.
    fn of(values: &[f64]) -> Option<Self> {
        const FREE: u32 = u32::MAX;
        let most = values.len() / 2;
        // A table of places by hash, at most half full.
        let bits = (2 * most).next_power_of_two().trailing_zeros().max(3);
        let mut places = vec![FREE; 1 << bits];
        let mut list = Self { different: Vec::new(), which: Vec::with_capacity(values.len()) };
        for value in values {
            // Fibonacci hashing (Knuth, The Art of Computer Programming, 6.4).
            let hash = value.to_bits().wrapping_mul(0x9e37_79b9_7f4a_7c15) >> (64 - bits);
            let mut slot = hash as usize;
            while places[slot] != FREE && list.different[places[slot] as usize].to_bits() != value.to_bits() {
                slot = (slot + 1) % places.len();
            }
            if places[slot] == FREE {
                if list.different.len() == most {
                    return None;
                }
                places[slot] = list.different.len() as u32;
                list.different.push(*value);
            }
            list.which.push(i64::from(places[slot]));
        }
        Some(list)
    }

    fn encode(&self, out: &mut Vec<u8>) {
        let different = encode_xor(&self.different);
        put_varint(out, self.different.len() as u64);
        put_varint(out, different.len() as u64);
        out.extend_from_slice(&different);
        ints::encode(&self.which, out);
    }

    fn decode(input: &mut Input<'_>, count: usize) -> Result<Vec<f64>, SegmentError> {
        let different = input.length(count)?;
        let length = input.length(input.0.len())?;
        let different = decode_xor(input.bytes(length)?, different)?;
        let number = |which: i64| usize::try_from(which).ok().and_then(|which| different.get(which)).copied();
        let numbers = ints::decode(input, count)?.into_iter().map(number);
        numbers.collect::<Option<_>>().ok_or(SegmentError::Wrong("a number that is not in its list"))
    }
}

fn encode_patterns(values: &[f64]) -> Vec<u8> {
    let mut patterns = Vec::new();
    ints::encode(&values.iter().map(|value| value.to_bits() as i64).collect::<Vec<_>>(), &mut patterns);
    patterns
}

/// Reads a column of `count` numbers, all finite.
pub(super) fn decode(input: &mut Input<'_>, count: usize) -> Result<Vec<f64>, SegmentError> {
    let values: Vec<f64> = match input.byte()? {
        XOR => {
            let length = input.length(input.0.len())?;
            decode_xor(input.bytes(length)?, count)?
        }
        LISTED => List::decode(input, count)?,
        PLAIN => {
            let (numbers, _) = input.bytes(count.saturating_mul(8))?.as_chunks();
            numbers.iter().map(|bits| f64::from_bits(u64::from_le_bytes(*bits))).collect()
        }
        BITS => ints::decode(input, count)?.into_iter().map(|bits| f64::from_bits(bits as u64)).collect(),
        exponent => {
            let power = *POWERS.get(usize::from(exponent)).ok_or(SegmentError::Wrong("an unknown scale"))?;
            // Whole numbers over a power of ten are finite.
            return Ok(ints::decode(input, count)?.into_iter().map(|whole| whole as f64 / power).collect());
        }
    };
    if values.iter().all(|value| value.is_finite()) {
        Ok(values)
    } else {
        Err(SegmentError::Wrong("a number that is not finite"))
    }
}

/// For each number a bit whether it differs; if it does, a bit whether the bits
/// that differ lie where they lay last time, else where they lie (six bits of
/// leading zeros, six of length less one); then those bits.
fn encode_xor(values: &[f64]) -> Vec<u8> {
    let mut writer = BitWriter::default();
    let mut last = 0u64;
    let (mut leading, mut length) = (0, 64);
    for value in values {
        let differs = value.to_bits() ^ last;
        last = value.to_bits();
        if differs == 0 {
            writer.put(0, 1);
            continue;
        }
        let (new_leading, trailing) = (differs.leading_zeros(), differs.trailing_zeros());
        let new_length = 64 - new_leading - trailing;
        let fits = new_leading >= leading && trailing >= 64 - leading - length;
        // Staying in a window that has grown much too wide costs more than a new one.
        if fits && length < new_length + 12 {
            writer.put(0b01, 2);
        } else {
            (leading, length) = (new_leading, new_length);
            writer.put(0b11, 2);
            writer.put(u64::from(leading), 6);
            writer.put(u64::from(length - 1), 6);
        }
        writer.put(differs >> (64 - leading - length), length);
    }
    writer.finish()
}

fn decode_xor(bytes: &[u8], count: usize) -> Result<Vec<f64>, SegmentError> {
    let mut reader = BitReader::new(bytes);
    let mut values = Vec::with_capacity(count);
    let mut last = 0u64;
    let (mut leading, mut length) = (0, 64);
    for _ in 0..count {
        if reader.take(1)? == 1 {
            if reader.take(1)? == 1 {
                leading = reader.take(6)? as u32;
                length = reader.take(6)? as u32 + 1;
                if leading + length > 64 {
                    return Err(SegmentError::Wrong("more than 64 bits of a number"));
                }
            }
            last ^= reader.take(length)? << (64 - leading - length);
        }
        values.push(f64::from_bits(last));
    }
    Ok(values)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn encoded(values: &[f64]) -> Vec<u8> {
        let mut out = Vec::new();
        encode(values, &mut out);
        out
    }

    fn check(values: &[f64]) -> usize {
        let bytes = encoded(values);
        let mut input = Input(&bytes);
        let back = decode(&mut input, values.len()).unwrap();
        let bits = |values: &[f64]| values.iter().map(|v| v.to_bits()).collect::<Vec<_>>();
        assert_eq!(bits(&back), bits(values), "exact to the bit");
        assert!(input.0.is_empty(), "read to the end");
        bytes.len()
    }

    #[test]
    fn the_way_follows_the_numbers() {
        let cases: [(&str, Vec<f64>, u8); 9] = [
            ("decimals", vec![21.4, 21.5, -3.0, 0.1], 1),
            ("whole", vec![4095.0, 0.0, -7.0], 0),
            ("mixed decimals", vec![0.001, 12.0, 99.99], 3),
            ("of single precision", (1..90).map(|i| f64::from(i as f32 / 3.0)).collect(), XOR),
            ("a few of single precision", (1..50).map(|i| f64::from(i as f32 / 3.0)).collect(), PLAIN),
            ("no zero below zero", vec![1.0, -0.0, 2.0], PLAIN),
            ("the same third", vec![1.0 / 3.0; 99], LISTED),
            ("counts of a converter as volts", (0..99).map(|i| f64::from(i * i % 16) * 3.3 / 4095.0).collect(), LISTED),
            (
                "evenly spaced in their bits",
                (0..500u64).map(|i| f64::from_bits(0x3ff5_5555_5555_5555 + i)).collect(),
                BITS,
            ),
        ];
        for (name, values, mode) in cases {
            check(&values);
            assert_eq!(encoded(&values)[0], mode, "{name}");
        }
    }

    #[test]
    fn what_a_conversion_makes_takes_little_more_than_what_was_sent() {
        let sent: Vec<f64> = (0..8_192).map(|i| (2_048.0 + 200.0 * (f64::from(i) / 300.0).sin()).round()).collect();
        let made: Vec<f64> = sent.iter().map(|counts| (counts * 5.0 / 4_096.0 - 0.5) * 16.0 / 4.0).collect();
        assert!(check(&made) < 2 * check(&sent) + 3_600, "{} and {} bytes", check(&made), check(&sent));
    }

    #[test]
    fn a_random_walk_of_one_decimal_takes_about_a_byte() {
        let mut state = 1u64;
        let mut value = 200i32;
        let values: Vec<f64> = (0..8_192)
            .map(|_| {
                state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
                value += (state >> 33) as i32 % 4;
                f64::from(value) / 10.0
            })
            .collect();
        assert!(check(&values) < 8_192 * 3 / 8 + 300, "{} bytes", check(&values));
    }

    proptest! {
        #[test]
        fn any_numbers_read_back(values in prop::collection::vec(prop::num::f64::NORMAL | prop::num::f64::SUBNORMAL | prop::num::f64::ZERO, 0..300)) {
            check(&values);
        }

        #[test]
        fn few_different_numbers_read_back(different in prop::collection::vec(any::<f64>().prop_filter("numbers", |n| n.is_finite()), 1..20), which in prop::collection::vec(0usize..20, 1..300)) {
            let values: Vec<f64> = which.into_iter().map(|which| different[which % different.len()]).collect();
            check(&values);
        }

        #[test]
        fn decimals_are_exact(values in prop::collection::vec(-1_000_000i64..1_000_000, 1..300), exponent in 0usize..9) {
            let values: Vec<f64> = values.into_iter().map(|n| n as f64 / POWERS[exponent]).collect();
            check(&values);
            prop_assert!(usize::from(encoded(&values)[0]) <= exponent, "kept as whole numbers");
        }
    }
}
