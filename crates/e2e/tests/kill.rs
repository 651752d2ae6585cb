use lantern_e2e::Service;
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
