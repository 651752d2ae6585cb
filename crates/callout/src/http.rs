//! The HTTP client, which keeps away from private addresses unless it may go there.

use reqwest::dns::{Addrs, Name, Resolve, Resolving};
use reqwest::{Certificate, Client, Url, redirect};
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

/// Whether an address may be asked.
///
/// # Errors
/// Why not.
pub(crate) fn check(address: &str, may_be_private: bool) -> Result<(), String> {
    let url = Url::parse(address).map_err(|error| format!("{address} is no address: {error}"))?;
    let literal = url.host_str().and_then(|host| host.trim_matches(['[', ']']).parse::<IpAddr>().ok());
    match literal {
        Some(ip) if !may_be_private && !is_public(ip) => Err(private(&ip.to_string())),
        _ => Ok(()),
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
pub(crate) fn is_public(ip: IpAddr) -> bool {
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
    let mut source = std::error::Error::source(error);
    let mut text = if error.is_timeout() { "it did not answer in time" } else { "it could not be reached" }.to_owned();
    while let Some(inner) = source {
        let inner_text = inner.to_string();
        if !text.contains(&inner_text) {
            text = format!("{text}: {inner_text}");
        }
        source = inner.source();
    }
    text
}

/// The first bytes of an answer, as text.
pub(crate) async fn beginning(mut answer: reqwest::Response) -> Result<String, reqwest::Error> {
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
}
