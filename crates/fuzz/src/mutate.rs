//! Breaking inputs.

use rand::Rng;
use rand::rngs::StdRng;

/// Pieces that parsers trip over.
const PIECES: [&[u8]; 24] = [
    b"{",
    b"}",
    b"[",
    b"]",
    b"\"",
    b"\\u0000",
    b",",
    b":",
    b";",
    b"=",
    b"<",
    b">",
    b"\n",
    b"\r\n",
    b"-0",
    b"1e999",
    b"NaN",
    b"null",
    b"\xef\xbb\xbf",
    b"\xff",
    b"\x00",
    b"\x9f",
    b"\xff\xff\xff\xff\xff\xff\xff\xff",
    b"at",
];

/// A new input made from those there are.
pub(crate) fn input(corpus: &[Vec<u8>], random: &mut StdRng) -> Vec<u8> {
    let mut bytes = corpus[random.random_range(0..corpus.len())].clone();
    for _ in 0..random.random_range(1..6) {
        change(&mut bytes, corpus, random);
    }
    bytes
}

fn change(bytes: &mut Vec<u8>, corpus: &[Vec<u8>], random: &mut StdRng) {
    let place = random.random_range(0..=bytes.len());
    match random.random_range(0..8) {
        0 if place < bytes.len() => bytes[place] ^= 1 << random.random_range(0..8),
        1 if place < bytes.len() => bytes[place] = random.random(),
        2 => bytes.truncate(place),
        3 => {
            let end = random.random_range(place..=bytes.len());
            bytes.drain(place..end.min(place + 16));
        }
        4 => insert(bytes, place, PIECES[random.random_range(0..PIECES.len())]),
        5 => {
            let end = random.random_range(place..=bytes.len());
            let part = bytes[place..end].to_vec();
            insert(bytes, place, &part);
        }
        6 => {
            let other = &corpus[random.random_range(0..corpus.len())];
            let from = random.random_range(0..=other.len());
            insert(bytes, place, &other[from..]);
        }
        _ => insert(bytes, place, &[random.random()]),
    }
}

fn insert(bytes: &mut Vec<u8>, place: usize, part: &[u8]) {
    bytes.splice(place..place, part.iter().copied());
}
