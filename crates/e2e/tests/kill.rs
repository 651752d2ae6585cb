use lantern_e2e::{Dial, Event, Service};
use serde_json::json;
use std::collections::BTreeSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;

const SENDERS: u64 = 8;

/// Kills the service in the middle of a stream of deliveries, twice, and looks
/// for every reading it had acknowledged.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_acknowledged_reading_survives_a_kill_and_is_there_once() {
    let mut service = Service::start().await;
    let key = service.device("tower", &["count"]).await;
    let mut acknowledged = BTreeSet::new();
    let next = Arc::new(AtomicU64::new(0));
    for round in 0..2 {
        let stop = Arc::new(AtomicBool::new(false));
        let tasks: Vec<_> = (0..SENDERS)
            .map(|_| tokio::spawn(send(service.url.clone(), key.clone(), next.clone(), stop.clone())))
            .collect();
        // Killed when there is much in flight, and never before something was taken.
        let begun = next.load(Ordering::Relaxed);
        lantern_e2e::eventually("deliveries", || {
            let sent = next.load(Ordering::Relaxed) - begun;
            async move { (sent > 300 + round * 77).then_some(()) }
        })
        .await;
        service.kill_and_restart();
        stop.store(true, Ordering::Relaxed);
        for task in tasks {
            acknowledged.extend(task.await.unwrap());
        }
    }
    assert!(acknowledged.len() > 300, "{}", acknowledged.len());

    let kept: Vec<u64> =
        service.readings("tower", "count").await.iter().map(|(_, value)| value.as_f64().unwrap() as u64).collect();
    let unique: BTreeSet<u64> = kept.iter().copied().collect();
    assert_eq!(unique.len(), kept.len(), "a reading is there twice");
    let lost: Vec<_> = acknowledged.difference(&unique).collect();
    assert_eq!(lost, Vec::<&u64>::new(), "acknowledged, but lost");
}

/// Sends one number after the other, each at a time of its own, and gives back
/// those that were acknowledged.
async fn send(url: String, key: String, next: Arc<AtomicU64>, stop: Arc<AtomicBool>) -> Vec<u64> {
    let client = reqwest::Client::builder().timeout(Duration::from_secs(2)).build().unwrap();
    let mut acknowledged = Vec::new();
    while !stop.load(Ordering::Relaxed) {
        let number = next.fetch_add(1, Ordering::Relaxed);
        let body = json!({"count": number, "at": 1_777_636_800 + number});
        let answer = client.post(format!("{url}/in")).bearer_auth(&key).json(&body).send().await;
        match answer {
            Ok(answer) if answer.status().is_success() => acknowledged.push(number),
            // Not acknowledged: it may be kept or not.
            _ => tokio::time::sleep(Duration::from_millis(20)).await,
        }
    }
    acknowledged
}

/// Publishes numbers over MQTT in the midst of which the service is killed, and
/// goes on with the same session until all are taken.
async fn publish_through_a_kill(qos: u8) -> (BTreeSet<u64>, Vec<u64>, Vec<u64>) {
    const COUNT: u64 = 2_000;
    let mut service = Service::start().await;
    let key = service.device("tower", &["count"]).await;
    let read = crate::mqtt::site_key(&service, "marlbeck", &["read"]).await;
    // A subscriber whose session is kept, and who is away meanwhile.
    let kept = |id: &str, key: &str| Dial { is_kept: true, ..Dial::new(4, id, key) };
    let mut listener = kept("listener", &read).connect(&service).await;
    assert!(listener.subscribe("marlbeck/tower/in/count", qos).await);
    listener.goodbye().await;
    let mut options = rumqttc::MqttOptions::new("sender", "localhost", service.mqtt);
    // The library takes an identifier for a new message as soon as PUBREC has come for
    // the old one, which the standard does not permit: with as many identifiers as
    // there are none is used twice.
    options.set_credentials("tower", &key).set_clean_session(false).set_inflight(u16::MAX);
    let (client, mut events) = rumqttc::AsyncClient::new(options, COUNT as usize + 10);
    let level = rumqttc::mqttbytes::qos(qos).unwrap();
    let (mut sent, mut taken, mut killed) = (0, 0, 0);
    let deadline = tokio::time::Instant::now() + lantern_e2e::PATIENCE;
    while taken < COUNT {
        assert!(tokio::time::Instant::now() < deadline, "{taken} of {COUNT} were taken");
        while sent < COUNT && sent < taken + 50 {
            client.publish("marlbeck/tower/in/count", level, false, sent.to_string()).await.unwrap();
            sent += 1;
        }
        match events.poll().await {
            Ok(rumqttc::Event::Incoming(rumqttc::Packet::PubAck(_) | rumqttc::Packet::PubComp(_))) => taken += 1,
            Ok(_) => {}
            // The client comes back by itself and sends again what was not taken.
            Err(_) => tokio::time::sleep(Duration::from_millis(50)).await,
        }
        if taken > 400 * (killed + 1) && killed < 2 {
            killed += 1;
            service.kill_and_restart();
        }
    }
    let kept_readings: Vec<u64> =
        service.readings("tower", "count").await.iter().map(|(_, value)| value.as_f64().unwrap() as u64).collect();
    let mut listener = kept("listener", &read).dial(&service);
    assert_eq!(listener.next().await, Event::Connected(true), "the session outlived two kills");
    let mut heard = Vec::new();
    let all: BTreeSet<u64> = (0..COUNT).collect();
    while heard.iter().copied().collect::<BTreeSet<u64>>() != all {
        let next = tokio::time::timeout(Duration::from_secs(20), listener.came()).await;
        let Ok(came) = next else {
            let missing: Vec<u64> = all.iter().filter(|number| !heard.contains(number)).copied().take(5).collect();
            let kept = missing.iter().filter(|number| kept_readings.contains(number)).count();
            panic!("{} came, and nothing more; missing are {missing:?} and so on, {kept} of them kept", heard.len());
        };
        heard.push(came.payload.parse().unwrap());
    }
    (all, kept_readings, heard)
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn qos_1_loses_nothing_that_was_acknowledged() {
    let (all, kept, heard) = publish_through_a_kill(1).await;
    assert!(kept.into_iter().collect::<BTreeSet<u64>>() == all, "a reading is lost");
    assert!(heard.into_iter().collect::<BTreeSet<u64>>() == all, "a message is lost");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn qos_2_loses_nothing_and_doubles_nothing() {
    let (all, kept, heard) = publish_through_a_kill(2).await;
    // What was under way when the service was killed may come in another order.
    assert_eq!(kept.len(), all.len(), "a reading is there twice");
    assert!(kept.into_iter().collect::<BTreeSet<u64>>() == all, "a reading is lost");
    assert_eq!(heard.len(), all.len(), "each message came once");
}

/// Kills the service again and again while it seals what comes in fast, and looks
/// for every reading it had acknowledged, and whether the database is sound.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn nothing_is_lost_or_doubled_by_a_kill_while_it_seals() {
    const BATCH: u64 = 1_000;
    let free = [("readings_at_once", "1000000000"), ("readings_per_s", "1000000000")];
    let mut service = Service::start_with(&free).await;
    let key = service.device("tower", &["count", "other"]).await;
    let mut sent = 0;
    let mut acknowledged = BTreeSet::new();
    for round in 0..5 {
        let stop = Arc::new(AtomicBool::new(false));
        let (url, key, stopped) = (service.url.clone(), key.clone(), stop.clone());
        let done = Arc::new(AtomicU64::new(0));
        let count = done.clone();
        let sending = tokio::spawn(async move {
            let client = reqwest::Client::builder().timeout(Duration::from_secs(2)).build().unwrap();
            let mut taken = Vec::new();
            let mut batch = sent;
            while !stopped.load(Ordering::Relaxed) {
                let numbers = batch * BATCH..(batch + 1) * BATCH;
                // Some come late, between readings that are sealed already.
                let at = |n: u64| match batch % 5 {
                    4 => 1_777_636_800.25 + n as f64 / 2.0,
                    _ => 1_777_636_800.0 + n as f64,
                };
                let body: Vec<_> = numbers.map(|n| json!({"at": at(n), "count": n, "other": n % 7})).collect();
                let request = client.post(format!("{url}/in")).bearer_auth(&key).json(&body);
                if request.send().await.is_ok_and(|answer| answer.status().is_success()) {
                    taken.push(batch);
                    count.fetch_add(1, Ordering::Relaxed);
                }
                batch += 1;
            }
            (batch, taken)
        });
        lantern_e2e::eventually("deliveries", || {
            let enough = done.load(Ordering::Relaxed) >= 20 + round * 7;
            async move { enough.then_some(()) }
        })
        .await;
        service.kill_and_restart();
        stop.store(true, Ordering::Relaxed);
        let (batch, taken) = sending.await.unwrap();
        sent = batch;
        acknowledged.extend(taken);
    }
    let path = "sites/marlbeck/export?signals=tower/count&from=2020-01-01T00:00:00Z&to=2030-01-01T00:00:00Z&zone=UTC";
    let csv = service.get(path).await.text;
    let kept: Vec<u64> = csv.lines().skip(1).map(|line| line.split(',').nth(1).unwrap().parse().unwrap()).collect();
    let unique: BTreeSet<u64> = kept.iter().copied().collect();
    assert_eq!(unique.len(), kept.len(), "a reading is there twice");
    for batch in &acknowledged {
        let there = (batch * BATCH..(batch + 1) * BATCH).filter(|n| unique.contains(n)).count();
        assert!(there == BATCH as usize, "of acknowledged batch {batch} there are {there}");
    }
    assert!(service.stop().success());
    let check = std::process::Command::new(lantern_e2e::binary("key-lantern"))
        .args(["check", "--data"])
        .arg(service.data())
        .output()
        .unwrap();
    assert!(check.status.success(), "{}", String::from_utf8_lossy(&check.stdout));
}
