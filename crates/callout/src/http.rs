//! The HTTP client, which keeps away from private addresses unless it may go there.

use crate::talk::{Talk, with_causes};
use lantern_core::callout::AttemptOutcome;
use reqwest::dns::{Addrs, Name, Resolve, Resolving};
use reqwest::{Certificate, Client, RequestBuilder, StatusCode, Url, redirect};
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};
use std::time::Duration;

/// How long connecting may take.
const CONNECTING: Duration = Duration::from_secs(10);
/// How long a request may take in all.
const LONGEST: Duration = Duration::from_secs(30);
/// Bytes of an answer that are looked at.
const MOST_BYTES: usize = 4_096;

/// The client.
pub(crate) fn client(may_be_private: bool, roots: Option<&[u8]>) -> Result<Client, String> {
    let mut builder = Client::builder()
        .connect_timeout(CONNECTING)
        .timeout(LONGEST)
        // Whoever answers must not send the message elsewhere.
        .redirect(redirect::Policy::none())
        .user_agent("key-lantern");
    if let Some(pem) = roots {
        let roots = Certificate::from_pem_bundle(pem)
            .map_err(|error| format!("`outside_roots`: the certificates cannot be read: {error}"))?;
        builder = builder.tls_certs_merge(roots);
    }
    if !may_be_private {
        builder = builder.dns_resolver(PublicOnly);
    }
    builder.build().map_err(|error| reason(&error))
}

/// An address that may be asked.
///
/// # Errors
/// Why not.
pub(crate) fn check(address: &str, may_be_private: bool) -> Result<Url, String> {
    let url = Url::parse(address).map_err(|error| format!("{address} is no address: {error}"))?;
    let literal = url.host_str().and_then(|host| host.trim_matches(['[', ']']).parse::<IpAddr>().ok());
    match literal {
        Some(ip) if !may_be_private && !is_public(ip) => Err(private(&ip.to_string())),
        _ => Ok(url),
    }
}

fn private(host: &str) -> String {
    format!("{host} is no public address, and `callouts_may_be_private` is not set: nothing was sent.")
}

/// Finds public addresses alone, so that a name cannot lead into the network of the service.
struct PublicOnly;

impl Resolve for PublicOnly {
    fn resolve(&self, name: Name) -> Resolving {
        Box::pin(async move {
            let host = name.as_str().to_owned();
            let all: Vec<SocketAddr> = tokio::net::lookup_host((host.as_str(), 0)).await?.collect();
            // One that is private among others would be tried as well.
            if all.iter().any(|address| !is_public(address.ip())) {
                return Err(private(&host).into());
            }
            let found: Addrs = Box::new(all.into_iter());
            Ok(found)
        })
    }
}

/// Whether an address is one of the public network (IANA's registries of special addresses).
fn is_public(ip: IpAddr) -> bool {
    match ip.to_canonical() {
        IpAddr::V4(ip) => is_public_v4(ip),
        IpAddr::V6(ip) => is_public_v6(ip),
    }
}

const fn is_public_v4(ip: Ipv4Addr) -> bool {
    let [a, b, c, _] = ip.octets();
    let is_shared = a == 100 && b >= 64 && b < 128;
    let is_benchmark = a == 198 && (b == 18 || b == 19);
    let is_protocol = a == 192 && b == 0 && c == 0;
    !(a == 0
        || a >= 240
        || is_shared
        || is_benchmark
        || is_protocol
        || ip.is_private()
        || ip.is_loopback()
        || ip.is_link_local()
        || ip.is_multicast()
        || ip.is_documentation())
}

fn is_public_v6(ip: Ipv6Addr) -> bool {
    let [first, second, ..] = ip.segments();
    // What carries an IPv4 address inside is as public as that.
    let inside = match (first, second) {
        (0x64, 0xff9b) => Some(&ip.octets()[12..16]),
        (0x2002, _) => Some(&ip.octets()[2..6]),
        _ => None,
    };
    if let Some(&[a, b, c, d]) = inside {
        return is_public_v4(Ipv4Addr::new(a, b, c, d));
    }
    let is_global = first & 0xe000 == 0x2000;
    let is_documentation = first == 0x2001 && second == 0xdb8;
    let is_protocol = first == 0x2001 && second < 0x200;
    is_global && !is_documentation && !is_protocol
}

/// What is wrong with a request, with its causes, without the address: that may hold a secret.
pub(crate) fn reason(error: &reqwest::Error) -> String {
    let text = if error.is_timeout() { "it did not answer in time" } else { "it could not be reached" };
    with_causes(text, error)
}

/// Sends a request with a message, and takes down how it was answered. Gives the status, and the beginning of
/// what came with it; how the attempt ended, if nothing was answered.
pub(crate) async fn exchange(
    request: RequestBuilder,
    talk: &mut Talk,
) -> Result<(StatusCode, reqwest::Result<String>), AttemptOutcome> {
    talk.hand_over();
    match request.send().await {
        Ok(answer) => {
            let status = answer.status();
            talk.hear(status.to_string());
            Ok((status, beginning(answer).await))
        }
        Err(error) => {
            talk.note(reason(&error));
            Err(if error.is_connect() { AttemptOutcome::Later } else { AttemptOutcome::Uncertain })
        }
    }
}

/// How an attempt ended by its status. Redirections are not followed, and what was refused for good will be
/// refused again.
pub(crate) fn of_status(status: StatusCode) -> AttemptOutcome {
    let is_for_now = matches!(status.as_u16(), 408 | 425 | 429) || status.is_server_error();
    if status.is_success() {
        AttemptOutcome::Sent
    } else if is_for_now {
        AttemptOutcome::Later
    } else {
        AttemptOutcome::Refused
    }
}

/// The first bytes of an answer, as text.
async fn beginning(mut answer: reqwest::Response) -> Result<String, reqwest::Error> {
    let mut bytes = Vec::new();
    while let Some(chunk) = answer.chunk().await? {
        bytes.extend_from_slice(&chunk);
        if bytes.len() >= MOST_BYTES {
            bytes.truncate(MOST_BYTES);
            break;
        }
    }
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_of_one_s_own_network_are_not_public() {
        let private = [
            "127.0.0.1",
            "10.1.2.3",
            "172.16.0.1",
            "192.168.1.1",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",
            "255.255.255.255",
            "224.0.0.1",
            "198.18.0.1",
            "192.0.0.8",
            "::1",
            "::",
            "fe80::1",
            "fd00::1",
            "ff02::1",
            "::ffff:10.0.0.1",
            "64:ff9b::a00:1",
            "2002:a00:1::",
            "2001:db8::1",
            "2001::1",
        ];
        for ip in private {
            assert!(!is_public(ip.parse().unwrap()), "{ip}");
        }
        for ip in ["1.1.1.1", "100.128.0.1", "2606:4700::1111", "64:ff9b::808:808", "::ffff:8.8.8.8"] {
            assert!(is_public(ip.parse().unwrap()), "{ip}");
        }
    }

    #[test]
    fn an_address_that_is_written_as_numbers_is_looked_at_too() {
        for address in ["http://127.0.0.1/", "http://[::1]:80/", "http://0x7f.1/", "http://2130706433/"] {
            assert!(check(address, false).is_err(), "{address}");
            assert!(check(address, true).is_ok(), "{address}");
        }
        assert!(check("https://hook.example/x", false).is_ok());
    }

    #[tokio::test]
    async fn a_name_that_leads_home_is_not_followed() {
        use std::str::FromStr;
        let found = PublicOnly.resolve(Name::from_str("localhost").unwrap()).await;
        assert!(found.err().is_some_and(|error| error.to_string().contains("no public address")));
    }

    #[test]
    fn what_is_refused_for_now_is_told_from_what_is_refused_for_good() {
        let outcome = |status: u16| of_status(StatusCode::from_u16(status).unwrap());
        for status in [200, 202, 204] {
            assert_eq!(outcome(status), AttemptOutcome::Sent, "{status}");
        }
        for status in [408, 429, 500, 502, 503] {
            assert_eq!(outcome(status), AttemptOutcome::Later, "{status}");
        }
        for status in [301, 400, 401, 404, 410] {
            assert_eq!(outcome(status), AttemptOutcome::Refused, "{status}");
        }
    }
}
