//! Whose sessions a key opens, as the MQTT server keeps it.

use lantern_core::{DeviceId, KeyId};
use lantern_mqtt::Holder;
use lantern_store::Lineage;

/// Sessions that may be kept for a device: one for each program on it.
const OF_A_DEVICE: usize = 16;
/// Sessions that may be kept for a key of a site, which many boards may share.
const OF_A_SITE_KEY: usize = 1_000;

const DEVICE: u8 = b'd';
const SITE_KEY: u8 = b'k';

/// The holder of a key.
pub(super) fn of(lineage: Lineage, hash: [u8; 32]) -> Holder {
    let (kind, id, most_kept) = match lineage {
        Lineage::Device(device) => (DEVICE, device.0, OF_A_DEVICE),
        Lineage::Site(first) => (SITE_KEY, first.0, OF_A_SITE_KEY),
    };
    let mut bytes = vec![kind];
    bytes.extend(id.to_be_bytes());
    Holder { lineage: bytes.into(), credential: hash.into(), most_kept }
}

/// The lineage of a session, as it was kept.
pub(super) fn lineage(bytes: &[u8]) -> Option<Lineage> {
    let (kind, id) = bytes.split_first()?;
    let id = i64::from_be_bytes(id.try_into().ok()?);
    match *kind {
        DEVICE => Some(Lineage::Device(DeviceId(id))),
        SITE_KEY => Some(Lineage::Site(KeyId(id))),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_lineage_comes_back_from_its_bytes() {
        for known in [Lineage::Device(DeviceId(7)), Lineage::Site(KeyId(7))] {
            assert_eq!(lineage(&of(known, [0; 32]).lineage), Some(known));
        }
        for strange in [&b""[..], b"d", b"x\0\0\0\0\0\0\0\0", b"d\0\0\0\0\0\0\0\0\0"] {
            assert_eq!(lineage(strange), None);
        }
    }
}
