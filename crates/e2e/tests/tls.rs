use crate::mqtt::site_key;
use lantern_e2e::{Client, Dial, Event, Service, eventually};
use rcgen::{BasicConstraints, CertificateParams, CertifiedIssuer, IsCa, KeyPair};
use reqwest::Method;
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use serde_json::json;
use std::path::Path;
use std::sync::Arc;

struct Authority(CertifiedIssuer<'static, KeyPair>);

impl Authority {
    fn new() -> Self {
        let mut params = CertificateParams::new(Vec::new()).unwrap();
        params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
        Self(CertifiedIssuer::self_signed(params, KeyPair::generate().unwrap()).unwrap())
    }

    /// A certificate and its private key in PEM.
    fn issue(&self, name: &str) -> (String, String) {
        let key = KeyPair::generate().unwrap();
        let certificate = CertificateParams::new(vec![name.to_owned()]).unwrap().signed_by(&key, &self.0).unwrap();
        (certificate.pem(), key.serialize_pem())
    }

    /// What a client believes that trusts this authority, with its own certificate.
    fn client(&self, own: Option<&(String, String)>) -> Arc<rustls::ClientConfig> {
        let mut roots = rustls::RootCertStore::empty();
        roots.add(CertificateDer::from_pem_slice(self.0.pem().as_bytes()).unwrap()).unwrap();
        let builder = rustls::ClientConfig::builder().with_root_certificates(roots);
        Arc::new(match own {
            None => builder.with_no_client_auth(),
            Some((certificate, key)) => {
                let chain = vec![CertificateDer::from_pem_slice(certificate.as_bytes()).unwrap()];
                builder.with_client_auth_cert(chain, PrivateKeyDer::from_pem_slice(key.as_bytes()).unwrap()).unwrap()
            }
        })
    }
}

fn write(dir: &Path, (certificate, key): &(String, String)) {
    std::fs::write(dir.join("key.pem"), key).unwrap();
    std::fs::write(dir.join("certificate.pem"), certificate).unwrap();
}

/// A service with TLS on free ports, whose certificate `authority` signed.
async fn start(dir: &Path, authority: &Authority) -> Service {
    write(dir, &authority.issue("localhost"));
    std::fs::write(dir.join("clients.pem"), authority.0.pem()).unwrap();
    let file = |name: &str| dir.join(name).to_str().unwrap().to_owned();
    Service::start_with(&[
        ("tls_certificate", &file("certificate.pem")),
        ("tls_key", &file("key.pem")),
        ("tls_clients", &file("clients.pem")),
        ("https", "127.0.0.1:0"),
        ("mqtts", "127.0.0.1:0"),
    ])
    .await
}

fn http(config: &Arc<rustls::ClientConfig>) -> reqwest::Client {
    reqwest::Client::builder().use_preconfigured_tls((**config).clone()).build().unwrap()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn http_and_mqtt_are_spoken_over_tls_and_the_certificate_is_read_again() {
    let dir = tempfile::tempdir().unwrap();
    let first = Authority::new();
    let service = start(dir.path(), &first).await;
    let key = service.device("tower", &["level"]).await;
    let (mqtts, https) = (service.port("mqtts"), service.port("https"));
    let dial = |authority: &Authority, id: &str| Dial {
        port: Some(mqtts),
        tls: Some(authority.client(None)),
        ..Dial::new(5, id, &key)
    };
    let mut from = dial(&first, "a").connect(&service).await;
    assert_eq!(from.tell("marlbeck/tower/in/level", "1", 1).await.0, 0);
    let post = |authority: &Authority| {
        let request = http(&authority.client(None)).post(format!("https://localhost:{https}/in"));
        request.bearer_auth(&key).body(r#"{"level": 2}"#).send()
    };
    assert_eq!(post(&first).await.unwrap().text().await.unwrap(), "ok 1\n");
    let device = service.get("sites/marlbeck/devices/tower").await.ok();
    assert_eq!(device["connection"]["protocol"], "MQTT over TLS");
    // The file is replaced: new connections get the new certificate, old ones go on.
    let second = Authority::new();
    std::fs::write(dir.path().join("certificate.pem"), "nonsense").unwrap();
    assert!(post(&first).await.is_ok(), "what is not right changes nothing");
    write(dir.path(), &second.issue("localhost"));
    eventually("the new certificate", || async { post(&second).await.ok() }).await;
    assert!(post(&first).await.is_err());
    assert_eq!(from.tell("marlbeck/tower/in/level", "3", 1).await.0, 0);
    let mut late = dial(&second, "b").connect(&service).await;
    assert_eq!(late.tell("marlbeck/tower/in/level", "4", 1).await.0, 0);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_clients_certificate_is_a_key() {
    let dir = tempfile::tempdir().unwrap();
    let authority = Authority::new();
    let service = start(dir.path(), &authority).await;
    service.device("tower", &["level"]).await;
    let (mqtts, https) = (service.port("mqtts"), service.port("https"));
    let own = authority.issue("tower");
    let file = dir.path().join("tower.pem");
    std::fs::write(&file, &own.0).unwrap();
    let client = Client::logged_in(&service);
    let said = client.ok(&["key", "issue", "tower", "--certificate", file.to_str().unwrap()]);
    assert!(said.contains("is a key now"), "{said}");
    let dial = |own: Option<&(String, String)>| Dial {
        port: Some(mqtts),
        tls: Some(authority.client(own)),
        ..Dial::new(5, "t", "")
    };
    let mut from = dial(Some(&own)).connect(&service).await;
    assert_eq!(from.tell("marlbeck/tower/in/level", "1", 1).await.0, 0);
    let request = http(&authority.client(Some(&own))).post(format!("https://localhost:{https}/in"));
    assert_eq!(request.body(r#"{"level": 2}"#).send().await.unwrap().text().await.unwrap(), "ok 1\n");
    assert_eq!(service.readings("tower", "level").await.len(), 2);

    let stranger = authority.issue("stranger");
    for own in [None, Some(&stranger)] {
        assert!(matches!(dial(own).dial(&service).next().await, Event::Ended(_)));
    }
    let forged = Authority::new().issue("tower");
    assert!(matches!(dial(Some(&forged)).dial(&service).next().await, Event::Ended(_)), "signed by somebody else");
    // The certificate itself is no secret: sent as a key it opens nothing.
    let request = service.request(Method::POST, "/in").bearer_auth(own.0.replace('\n', "")).body("{}");
    assert_eq!(service.send(request).await.status.as_u16(), 401);
    let keys = service.get("sites/marlbeck/devices/tower/keys").await.ok();
    assert!(keys["items"][0]["hint"].as_str().unwrap().starts_with("certificate "));
    let path = format!("sites/marlbeck/devices/tower/keys/{}", keys["items"][0]["id"]);
    service.api(Method::DELETE, &path, None).await.ok();
    assert!(from.ended().await.contains("NotAuthorized"));
    let read = site_key(&service, "marlbeck", &["read"]).await;
    let mut reader = Dial { port: Some(mqtts), tls: Some(authority.client(None)), ..Dial::new(4, "r", &read) }
        .connect(&service)
        .await;
    assert!(reader.subscribe("marlbeck/lamp", 0).await);
    let body = json!({"certificate": "nonsense"});
    let answer = service.post("sites/marlbeck/devices/tower/keys", body).await;
    assert_eq!(answer.status.as_u16(), 422);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn without_plain_http_the_service_is_reached_by_https_and_says_when_its_certificate_ends() {
    let dir = tempfile::tempdir().unwrap();
    let authority = Authority::new();
    write(dir.path(), &authority.issue("localhost"));
    let file = |name: &str| dir.path().join(name).to_str().unwrap().to_owned();
    let launch = lantern_launch::Launch::new(&lantern_e2e::binary("key-lantern"), &dir.path().join("data"));
    let launch = launch.without_http().setting("https", "127.0.0.1:0").setting("mqtts", "off");
    let launch = launch.setting("tls_certificate", &file("certificate.pem")).setting("tls_key", &file("key.pem"));
    let service = launch.start().unwrap();
    let url = &service.said.url;
    assert!(url.starts_with("https://"), "{url}");
    let _ = rustls::crypto::ring::default_provider().install_default();
    let client = http(&authority.client(None));
    let url = url.replace("127.0.0.1", "localhost");
    let health: serde_json::Value =
        client.get(format!("{url}/api/v1/health")).send().await.unwrap().json().await.unwrap();
    let parts = health["parts"].as_array().unwrap();
    let certificate = parts.iter().find(|part| part["name"] == "certificate").unwrap();
    assert!(certificate["detail"].as_str().unwrap().starts_with("It ends in "), "{certificate}");
}
