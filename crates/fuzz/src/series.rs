//! What is kept: segments, journal entries and digests, with checksums made right
//! so that what is behind them is reached.

use lantern_core::fix::Fix;
use lantern_core::quality::{Cause, Quality};
use lantern_core::series::{
    Buckets, Digest, EncodedLayer, Fold, Layer, Point, Run, SealedDigest, decode_layers, decode_segment, encode_layers,
    encode_segment,
};
use lantern_core::{Moment, SignalId, Value};

fn run_of(count: i64, value: impl Fn(i64) -> Value, step: impl Fn(i64) -> i64) -> Run {
    let mut at = 0;
    (0..count)
        .map(|i| {
            at += step(i);
            let quality = if i % 50 == 49 { Quality::Suspect(Cause::Range) } else { Quality::Good };
            let raw = (i % 70 == 69).then_some(1.0);
            Point { at: Moment::from_micros(at).unwrap_or(Moment::EPOCH), value: value(i), quality, raw }
        })
        .collect()
}

/// A kind of blob and its bytes without the checksum.
fn seed(kind: u8, bytes: &[u8]) -> Vec<u8> {
    let mut seed = vec![kind];
    seed.extend_from_slice(&bytes[..bytes.len() - 4]);
    seed
}

pub(crate) fn seeds() -> Vec<Vec<u8>> {
    let runs = [
        run_of(300, |i| Value::Number((i % 37) as f64 / 10.0), |i| 1_000_000 + i % 7),
        run_of(40, |_| Value::Flag(true), |_| 60_000_000),
        run_of(40, |i| Value::Text(format!("t{}", i % 3)), |i| i + 1),
        run_of(
            60,
            |i| Fix { altitude_m: (i % 3 == 0).then_some(i as f64), ..Fix::new(54.5, i as f64 / 1e3) }.into(),
            |_| 2,
        ),
        run_of(90, |i| if i % 2 == 0 { Value::Number(i as f64 / 7.0) } else { Value::Flag(false) }, |_| 1),
    ];
    let mut seeds: Vec<Vec<u8>> = runs.iter().map(|run| seed(0, &encode_segment(run))).collect();
    let mut layer = Layer::of(runs[0].clone());
    layer.add(&Layer::cutting(5, 5_000_000));
    seeds.push(seed(1, &encode_layers([EncodedLayer::of(SignalId(7), &layer)].iter())));
    seeds.extend(runs.iter().map(|run| seed(2, &Digest::outliving(run, 60_000_000, 60_000_000).encode())));
    seeds
}

/// Reads a blob; what can be read has to be read the same again after writing.
pub(crate) fn run(input: &[u8]) -> u64 {
    let Some((kind, content)) = input.split_first() else { return 0 };
    let mut blob = content.to_vec();
    blob.extend_from_slice(&crc32fast::hash(content).to_le_bytes());
    match kind % 3 {
        0 => match decode_segment(&blob) {
            Ok(run) => {
                let again = decode_segment(&encode_segment(&run));
                assert!(again.is_ok_and(|again| again.points().eq(run.points())), "a segment that does not read back");
                let _ = Digest::of(&run, 1_000_000);
                run.len() as u64
            }
            Err(error) => error.to_string().len() as u64,
        },
        1 => match decode_layers(&blob) {
            Ok(layers) => {
                let encoded: Vec<_> = layers.iter().map(|(id, layer)| EncodedLayer::of(*id, layer)).collect();
                let again = decode_layers(&encode_layers(encoded.iter()));
                assert!(
                    again.is_ok_and(|again| again.len() == layers.len()),
                    "a journal entry that does not read back"
                );
                layers.len() as u64
            }
            Err(error) => error.to_string().len() as u64,
        },
        _ => {
            let Ok(sealed) = SealedDigest::open(&blob) else { return 1 };
            let mut fold = Fold::new(Buckets::Even(3_600_000_000), 0, 86_400_000_000);
            let taken = fold.take_digest(&sealed);
            let left = fold.take_what_is_left(&sealed);
            u64::from(taken.is_ok()) + 2 * u64::from(left.is_ok()) + fold.finish().len() as u64
        }
    }
}
