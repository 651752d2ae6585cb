//! Time-based one-time passwords (RFC 6238): HMAC-SHA-1, six digits, steps of 30 s, as all
//! apps for it know them.

use data_encoding::BASE32_NOPAD;
use hmac::{Hmac, KeyInit, Mac};
use lantern_core::Moment;
use sha1::Sha1;

/// Seconds of a step.
const STEP_S: i64 = 30;
/// Digits of a code.
const DIGITS: usize = 6;
/// Bytes of a secret: those of the hash, as RFC 4226 advises.
pub(super) const SECRET_BYTES: usize = 20;

/// The step a time is in.
fn step_of(now: Moment) -> i64 {
    now.as_micros().div_euclid(STEP_S * 1_000_000)
}

/// The code of a step (RFC 4226, 5.3).
fn code_of(secret: &[u8], step: i64) -> Option<String> {
    let mut mac = Hmac::<Sha1>::new_from_slice(secret).ok()?;
    mac.update(&step.to_be_bytes());
    let digest = mac.finalize().into_bytes();
    let at = usize::from(digest.last()? & 0x0f);
    let four: [u8; 4] = digest.get(at..at + 4)?.try_into().ok()?;
    let number = u32::from_be_bytes(four) & 0x7fff_ffff;
    Some(format!("{:0DIGITS$}", number % 10u32.pow(DIGITS as u32)))
}

/// The step whose code this is: the present one, or one to either side, because clocks differ.
pub(super) fn step_of_code(secret: &[u8], code: &str, now: Moment) -> Option<i64> {
    let digits: String = code.chars().filter(|c| !c.is_whitespace()).collect();
    let present = step_of(now);
    // Hashes are compared, so that timing tells nothing of the code.
    let given = crate::secret::hash(&digits);
    [present, present - 1, present + 1]
        .into_iter()
        .find(|step| code_of(secret, *step).is_some_and(|code| crate::secret::hash(&code) == given))
}

/// A secret as apps take it when it is typed in.
pub(super) fn written(secret: &[u8]) -> String {
    BASE32_NOPAD.encode(secret)
}

/// The address that apps read from a picture of it.
pub(super) fn address(secret: &[u8], name: &str) -> String {
    let query: String = form_urlencoded::Serializer::new(String::new())
        .append_pair("secret", &written(secret))
        .append_pair("issuer", "Key Lantern")
        .finish()
        .replace('+', "%20");
    let name: String = form_urlencoded::byte_serialize(name.as_bytes()).collect::<String>().replace('+', "%20");
    format!("otpauth://totp/Key%20Lantern:{name}?{query}")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(seconds: i64) -> Moment {
        Moment::from_micros(seconds * 1_000_000).unwrap()
    }

    /// RFC 6238, appendix B, the last six digits of those for SHA-1.
    #[test]
    fn codes_are_those_of_the_standard() {
        let secret = b"12345678901234567890";
        for (seconds, code) in [
            (59, "287082"),
            (1_111_111_109, "081804"),
            (1_111_111_111, "050471"),
            (1_234_567_890, "005924"),
            (2_000_000_000, "279037"),
            (20_000_000_000, "353130"),
        ] {
            assert_eq!(code_of(secret, step_of(at(seconds))).as_deref(), Some(code), "{seconds}");
            assert_eq!(step_of_code(secret, code, at(seconds)), Some(seconds / 30));
            assert_eq!(
                step_of_code(secret, &format!("{} {}", &code[..3], &code[3..]), at(seconds + 30)),
                Some(seconds / 30)
            );
            assert_eq!(step_of_code(secret, code, at(seconds + 61)), None, "an old code");
        }
    }

    #[test]
    fn an_app_can_read_the_address() {
        let address = address(b"12345678901234567890", "Ann Lee");
        assert_eq!(
            address,
            "otpauth://totp/Key%20Lantern:Ann%20Lee?secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ&issuer=Key%20Lantern"
        );
    }
}
