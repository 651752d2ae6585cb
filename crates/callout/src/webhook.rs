//! JSON by HTTP POST, signed by HTTP Message Signatures (RFC 9421) with HMAC-SHA-256 over the method, the
//! address, the digest of the body (RFC 9530) and the number of the message.

use crate::http::{check, exchange, of_status};
use crate::talk::Talk;
use data_encoding::BASE64;
use lantern_core::callout::AttemptOutcome;
use lantern_engine::callouts::Outgoing;
use reqwest::Client;
use ring::{digest, hmac};

/// The header with the number of a message, by which a receiver knows one that comes again.
const NUMBER: &str = "callout-id";

/// Sends a message.
pub(crate) async fn send(client: &Client, may_be_private: bool, message: &Outgoing, talk: &mut Talk) -> AttemptOutcome {
    let address = &message.address;
    let url = match check(address, may_be_private) {
        Ok(url) => url,
        Err(why) => {
            talk.note(why);
            return AttemptOutcome::Refused;
        }
    };
    talk.say(format!("POST {url}, {} bytes", message.text.len()));
    let number = message.id.to_string();
    let mut request = client.post(url.clone()).header("content-type", "application/json").header(NUMBER, &number);
    if let Some((key, name)) = &message.signed {
        let created = message.made_at.as_micros().div_euclid(1_000_000);
        let signed = sign(key, name, url.as_str(), &number, &message.text, created);
        request = request
            .header("content-digest", signed.digest)
            .header("signature-input", signed.input)
            .header("signature", signed.signature);
    }
    match exchange(request.body(message.text.clone()), talk).await {
        Ok((status, said)) => {
            if let Ok(text) = said
                && !status.is_success()
            {
                talk.hear(text);
            }
            of_status(status)
        }
        Err(outcome) => outcome,
    }
}

struct Signed {
    digest: String,
    input: String,
    signature: String,
}

fn sign(key: &str, name: &str, address: &str, number: &str, body: &str, created: i64) -> Signed {
    let digest = format!("sha-256=:{}:", BASE64.encode(digest::digest(&digest::SHA256, body.as_bytes()).as_ref()));
    let parts = "(\"@method\" \"@target-uri\" \"content-digest\" \"callout-id\")";
    let parameters = format!("{parts};created={created};keyid=\"{name}\";alg=\"hmac-sha256\"");
    let base = format!(
        "\"@method\": POST\n\"@target-uri\": {address}\n\"content-digest\": {digest}\n\"callout-id\": {number}\n\
         \"@signature-params\": {parameters}"
    );
    let key = hmac::Key::new(hmac::HMAC_SHA256, key.as_bytes());
    let signature = BASE64.encode(hmac::sign(&key, base.as_bytes()).as_ref());
    Signed { digest, input: format!("callout={parameters}"), signature: format!("callout=:{signature}:") }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The expected values were made with another program: `printf … | openssl dgst -sha256 -hmac …`.
    #[test]
    fn a_message_is_signed_as_http_message_signatures_are() {
        let signed = sign("secret", "duty", "https://hook.example/a", "7", "{}", 1_790_000_000);
        assert_eq!(signed.digest, "sha-256=:RBNvo1WzZ4oRRq0W9+hknpT7T8If536DEMBg9hyq/4o=:");
        assert_eq!(
            signed.input,
            "callout=(\"@method\" \"@target-uri\" \"content-digest\" \"callout-id\");created=1790000000;\
             keyid=\"duty\";alg=\"hmac-sha256\""
        );
        assert_eq!(signed.signature, "callout=:X7Q4b5Xc7u0giEtvaS/ck7Mb+Pco1P7usBorHlEDF8g=:");
    }
}
