use futures::StreamExt;
use lantern_e2e::{PATIENCE, Service};
use reqwest::Method;
use serde_json::{Value, json};

/// Events of a live stream, one after the other.
struct Stream {
    body: futures::stream::BoxStream<'static, Vec<u8>>,
    buffer: String,
    last_id: String,
}

impl Stream {
    async fn open(service: &Service, site: &str, last: Option<&str>) -> Self {
        let mut request =
            service.request(Method::GET, &format!("/api/v1/live?site={site}")).bearer_auth(&service.token);
        if let Some(id) = last {
            request = request.header("Last-Event-ID", id);
        }
        let response = request.send().await.unwrap();
        assert!(response.status().is_success(), "{}", response.status());
        let body = response.bytes_stream().map(|chunk| chunk.unwrap_or_default().to_vec()).boxed();
        Self { body, buffer: String::new(), last_id: String::new() }
    }

    async fn next(&mut self) -> (String, Value) {
        loop {
            if let Some((block, rest)) = self.buffer.split_once("\n\n") {
                let (block, rest) = (block.to_owned(), rest.to_owned());
                self.buffer = rest;
                let field = |name: &str| {
                    block.lines().find_map(|l| l.strip_prefix(name)?.strip_prefix(':')).map(|v| v.trim().to_owned())
                };
                if let Some(id) = field("id") {
                    self.last_id = id;
                }
                if let Some(event) = field("event") {
                    return (event, serde_json::from_str(&field("data").unwrap()).unwrap());
                }
                continue;
            }
            let chunk = tokio::time::timeout(PATIENCE, self.body.next()).await.expect("an event comes").unwrap();
            self.buffer.push_str(std::str::from_utf8(&chunk).unwrap());
        }
    }

    /// Waits until the service ends the stream.
    async fn ends(&mut self) {
        let end = async { while self.body.next().await.is_some() {} };
        tokio::time::timeout(PATIENCE, end).await.expect("the stream ends");
    }

    /// Skips events until one of that name comes.
    async fn next_named(&mut self, name: &str) -> Value {
        loop {
            let (event, data) = self.next().await;
            if event == name {
                return data;
            }
        }
    }
}

#[tokio::test]
async fn readings_and_changes_are_told_as_they_happen_and_only_to_their_site() {
    let service = Service::start().await;
    service.post("sites", json!({"name": "Elsewhere", "zone": "UTC"})).await.ok();
    let key = service.device("tower", &["temp"]).await;
    let mut own = Stream::open(&service, "marlbeck", None).await;
    let mut other = Stream::open(&service, "elsewhere", None).await;
    assert_eq!(own.next().await.0, "hello");
    assert_eq!(other.next().await.0, "hello");

    service.deliver(&key, r#"{"temp": 21.4, "at": "2026-05-01T12:00:00Z", "new": 1}"#).await;
    assert_eq!(
        own.next_named("presence").await,
        json!({"device": "tower", "presence": "fresh", "since": own_since(&service).await})
    );
    assert_eq!(own.next_named("change").await, json!({"what": "arrival", "device": "tower"}));
    let readings = own.next_named("readings").await;
    assert_eq!(
        readings["readings"][0],
        json!({"device": "tower", "signal": "temp", "at": "2026-05-01T12:00:00Z", "value": 21.4})
    );
    // The other site hears of its own change first: nothing came before it.
    service.post("sites/elsewhere/devices", json!({"name": "x"})).await.ok();
    assert_eq!(other.next().await, ("change".to_owned(), json!({"what": "device", "device": "x"})));
}

async fn own_since(service: &Service) -> Value {
    service.get("sites/marlbeck/devices/tower").await.ok()["since"].clone()
}

#[tokio::test]
async fn a_lost_connection_goes_on_where_it_was() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let mut stream = Stream::open(&service, "marlbeck", None).await;
    service.deliver(&key, r#"{"temp": 1}"#).await;
    stream.next_named("readings").await;
    let id = stream.last_id.clone();
    drop(stream);

    service.deliver(&key, r#"{"temp": 2}"#).await;
    let mut again = Stream::open(&service, "marlbeck", Some(&id)).await;
    assert_eq!(again.next().await.0, "hello");
    assert_eq!(again.next_named("readings").await["readings"][0]["value"], 2.0);

    let mut lost = Stream::open(&service, "marlbeck", Some("0-17")).await;
    assert_eq!(lost.next().await.0, "reset", "what cannot be resumed must be read anew");
}

#[tokio::test]
async fn a_flood_is_thinned_to_the_newest_of_each_signal() {
    let service = Service::start().await;
    let key = service.device("tower", &["a", "b"]).await;
    let mut stream = Stream::open(&service, "marlbeck", None).await;
    let body: Vec<Value> = (0..3_000).map(|i| json!({"at": 1_777_636_800 + i, "a": i, "b": -i})).collect();
    service.deliver(&key, Value::from(body).to_string()).await;
    let event = stream.next_named("readings").await;
    assert_eq!(event["thinned"], true);
    let mut values: Vec<_> =
        event["readings"].as_array().unwrap().iter().map(|r| r["value"].as_f64().unwrap()).collect();
    values.sort_by(f64::total_cmp);
    assert_eq!(values, [-2_999.0, 2_999.0]);
}

#[tokio::test]
async fn who_may_no_longer_look_hears_no_more() {
    let mut service = Service::start().await;
    let owner = service.token.clone();
    let made = service.post("sites/marlbeck/invitations", json!({"for_whom": "vera", "role": "viewer"})).await.ok();
    let secret = made["address"].as_str().unwrap().split_once('#').unwrap().1.to_owned();
    let come = json!({"secret": secret, "name": "vera", "password": "steam and brass", "token": true});
    let vera = service.post("come-in", come).await.ok()["token"].as_str().unwrap().to_owned();
    service.token.clone_from(&vera);
    let mut stream = Stream::open(&service, "marlbeck", None).await;
    assert_eq!(stream.next().await.0, "hello");
    service.token = owner;
    assert_eq!(service.api(Method::DELETE, "sites/marlbeck/people/vera", None).await.status.as_u16(), 204);
    stream.ends().await;
}
