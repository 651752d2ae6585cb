//! Bytes and bits of segments, read with every length checked.

use super::error::SegmentError;

/// What is left to read.
#[derive(Debug, Clone, Copy)]
pub(super) struct Input<'a>(pub(super) &'a [u8]);

impl<'a> Input<'a> {
    pub(super) fn bytes(&mut self, count: usize) -> Result<&'a [u8], SegmentError> {
        let (bytes, rest) = self.0.split_at_checked(count).ok_or(SegmentError::Short)?;
        self.0 = rest;
        Ok(bytes)
    }

    pub(super) fn byte(&mut self) -> Result<u8, SegmentError> {
        Ok(self.bytes(1)?[0])
    }

    /// An unsigned number in groups of seven bits, the lowest first (LEB128).
    pub(super) fn varint(&mut self) -> Result<u64, SegmentError> {
        let mut value = 0u64;
        for shift in (0..64).step_by(7) {
            let byte = self.byte()?;
            let bits = u64::from(byte & 0x7f);
            if shift == 63 && bits > 1 {
                return Err(SegmentError::Wrong("a number longer than 64 bits"));
            }
            value |= bits << shift;
            if byte & 0x80 == 0 {
                return Ok(value);
            }
        }
        Err(SegmentError::Wrong("a number longer than 64 bits"))
    }

    /// A signed number, its sign in the lowest bit.
    pub(super) fn signed(&mut self) -> Result<i64, SegmentError> {
        let value = self.varint()?;
        Ok((value >> 1) as i64 ^ -((value & 1) as i64))
    }

    /// A length that is at most `limit`.
    pub(super) fn length(&mut self, limit: usize) -> Result<usize, SegmentError> {
        usize::try_from(self.varint()?)
            .ok()
            .filter(|length| *length <= limit)
            .ok_or(SegmentError::Wrong("a length over its limit"))
    }
}

pub(super) fn put_varint(out: &mut Vec<u8>, mut value: u64) {
    while value >= 0x80 {
        out.push(value as u8 | 0x80);
        value >>= 7;
    }
    out.push(value as u8);
}

pub(super) fn put_signed(out: &mut Vec<u8>, value: i64) {
    put_varint(out, zigzag(value));
}

const fn zigzag(value: i64) -> u64 {
    ((value << 1) ^ (value >> 63)) as u64
}

/// Bytes that [`put_signed`] writes.
pub(super) fn signed_len(value: i64) -> usize {
    (64 - (zigzag(value) | 1).leading_zeros() as usize).div_ceil(7)
}

/// Bytes that `count` numbers of `width` bits take.
pub(super) const fn packed_len(width: u32, count: usize) -> usize {
    (width as usize * count).div_ceil(8)
}

/// Writes numbers of at most `width` bits one after the other, lowest bit first.
pub(super) fn pack(out: &mut Vec<u8>, width: u32, numbers: impl Iterator<Item = u64>) {
    let (mut bits, mut filled) = (0u64, 0u32);
    for number in numbers {
        bits |= number << filled;
        filled += width;
        if filled >= 64 {
            out.extend_from_slice(&bits.to_le_bytes());
            filled -= 64;
            // What did not fit any more; all of it went if nothing is left over.
            bits = if filled == 0 { 0 } else { number >> (width - filled) };
        }
    }
    out.extend_from_slice(&bits.to_le_bytes()[..filled.div_ceil(8) as usize]);
}

/// Numbers that are unpacked at a time: they end with a whole byte, whatever their width.
const AT_ONCE: usize = 64;

/// Reads what [`pack`] wrote.
pub(super) fn unpack(bytes: &[u8], width: u32, numbers: &mut [u64]) {
    if width == 0 {
        return numbers.fill(0);
    }
    let mask = if width == 64 { u64::MAX } else { (1 << width) - 1 };
    // With room for the sixteen bytes in which the last number lies.
    let mut room = [0; 8 * AT_ONCE + 16];
    for (numbers, bytes) in numbers.chunks_mut(AT_ONCE).zip(bytes.chunks(AT_ONCE / 8 * width as usize)) {
        room[..bytes.len()].copy_from_slice(bytes);
        let mut bit = 0;
        for number in numbers {
            let (start, shift) = (bit / 8, bit % 8);
            // Up to 56 bits lie in the eight bytes from the one in which they begin.
            *number = mask
                & if width <= 56 {
                    let (eight, _) = room[start..].as_chunks();
                    u64::from_le_bytes(eight[0]) >> shift
                } else {
                    let (sixteen, _) = room[start..].as_chunks();
                    (u128::from_le_bytes(sixteen[0]) >> shift) as u64
                };
            bit += width as usize;
        }
    }
}

/// Writes single bits, lowest first.
#[derive(Default)]
pub(super) struct BitWriter {
    bytes: Vec<u8>,
    bits: u128,
    filled: u32,
}

impl BitWriter {
    /// Writes the `count` lowest bits, at most 64.
    pub(super) fn put(&mut self, value: u64, count: u32) {
        let mask = if count == 64 { u64::MAX } else { (1u64 << count) - 1 };
        self.bits |= u128::from(value & mask) << self.filled;
        self.filled += count;
        if self.filled >= 64 {
            self.bytes.extend_from_slice(&(self.bits as u64).to_le_bytes());
            self.bits >>= 64;
            self.filled -= 64;
        }
    }

    pub(super) fn finish(mut self) -> Vec<u8> {
        let rest = self.filled.div_ceil(8) as usize;
        self.bytes.extend_from_slice(&(self.bits as u64).to_le_bytes()[..rest]);
        self.bytes
    }
}

/// Reads single bits, lowest first.
pub(super) struct BitReader<'a> {
    bytes: &'a [u8],
    bit: usize,
}

impl<'a> BitReader<'a> {
    pub(super) const fn new(bytes: &'a [u8]) -> Self {
        Self { bytes, bit: 0 }
    }

    /// Reads `count` bits, at most 64.
    pub(super) fn take(&mut self, count: u32) -> Result<u64, SegmentError> {
        if self.bit + count as usize > self.bytes.len() * 8 {
            return Err(SegmentError::Short);
        }
        let start = self.bit / 8;
        let mut sixteen = [0; 16];
        let len = (self.bytes.len() - start).min(16);
        sixteen[..len].copy_from_slice(&self.bytes[start..start + len]);
        let mask = if count == 64 { u64::MAX } else { (1u64 << count) - 1 };
        let value = (u128::from_le_bytes(sixteen) >> (self.bit % 8)) as u64 & mask;
        self.bit += count as usize;
        Ok(value)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn packed_numbers_read_back(width in 0u32..=64, numbers in prop::collection::vec(any::<u64>(), 0..200)) {
            let mask = if width == 64 { u64::MAX } else { (1 << width) - 1 };
            let numbers: Vec<u64> = numbers.into_iter().map(|n| n & mask).collect();
            let mut out = Vec::new();
            pack(&mut out, width, numbers.iter().copied());
            prop_assert_eq!(out.len(), packed_len(width, numbers.len()));
            let mut back = vec![0; numbers.len()];
            unpack(&out, width, &mut back);
            prop_assert_eq!(back, numbers);
        }

        #[test]
        fn signed_numbers_read_back(value: i64) {
            let mut out = Vec::new();
            put_signed(&mut out, value);
            prop_assert_eq!(out.len(), signed_len(value));
            prop_assert_eq!(Input(&out).signed(), Ok(value));
        }

        #[test]
        fn bits_read_back(parts in prop::collection::vec((any::<u64>(), 0u32..=64), 0..100)) {
            let mut writer = BitWriter::default();
            for &(value, count) in &parts {
                writer.put(value, count);
            }
            let bytes = writer.finish();
            let mut reader = BitReader::new(&bytes);
            for &(value, count) in &parts {
                let mask = if count == 64 { u64::MAX } else { (1 << count) - 1 };
                prop_assert_eq!(reader.take(count), Ok(value & mask));
            }
            prop_assert!(reader.take(8).is_err());
        }
    }
}
