use lantern_e2e::{Client, Service, eventually};
use reqwest::Method;
use serde_json::{Value, json};

const BASE: i64 = 1_777_636_800;
const SPAN: &str = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z";

fn path(signal: &str) -> String {
    let (device, code) = signal.split_once('/').unwrap();
    format!("sites/marlbeck/devices/{device}/signals/{code}")
}

async fn unit(service: &Service, signal: &str, unit: &str) {
    service.api(Method::PATCH, &path(signal), Some(json!({"unit": unit}))).await.ok();
}

async fn mean(service: &Service, signal: &str, meaning: Value) -> Value {
    let body = json!({"meaning": meaning});
    service.api(Method::PUT, &format!("{}/meaning", path(signal)), Some(body)).await.ok()
}

async fn refused(service: &Service, signal: &str, meaning: Value) -> String {
    let body = json!({"meaning": meaning});
    let answer = service.api(Method::PUT, &format!("{}/meaning", path(signal)), Some(body)).await;
    assert_eq!(answer.status, 422, "{}", answer.text);
    answer.json()["detail"].as_str().unwrap().to_owned()
}

/// A tower whose volume is worked out from its level, and how full it is from that; gives
/// back its key.
async fn tower(service: &Service) -> String {
    let key = service.device("tower", &["level", "volume", "full"]).await;
    for (signal, code) in [("tower/level", "m"), ("tower/volume", "m3"), ("tower/full", "%")] {
        unit(service, signal, code).await;
    }
    mean(service, "tower/volume", json!({"formula": "level * 3 \"m2\""})).await;
    mean(service, "tower/full", json!({"formula": "volume / 30 \"m3\""})).await;
    key
}

/// Value, cause (empty if it is good) and what was sent, of all readings.
async fn all(service: &Service, signal: &str) -> Vec<(f64, String, Option<f64>)> {
    let page = service.get(&format!("{}/readings?{SPAN}&all=true&limit=5000", path(signal))).await.ok();
    let one = |r: &Value| {
        (r["value"].as_f64().unwrap(), r["cause"].as_str().unwrap_or_default().to_owned(), r["raw"].as_f64())
    };
    page["items"].as_array().unwrap().iter().map(one).collect()
}

async fn values(service: &Service, signal: &str) -> Vec<f64> {
    all(service, signal).await.into_iter().map(|(value, ..)| value).collect()
}

async fn becomes(service: &Service, signal: &str, expected: &[f64]) {
    eventually(&format!("{signal} to be {expected:?}"), || async {
        let found = values(service, signal).await;
        let is_it = found.len() == expected.len() && found.iter().zip(expected).all(|(a, b)| (a - b).abs() < 1e-9);
        is_it.then_some(())
    })
    .await;
}

async fn job_ends(service: &Service, job: &Value) -> Value {
    let path = format!("sites/marlbeck/jobs/{}", job["id"]);
    eventually("the job to end", || async {
        let job = service.get(&path).await.ok();
        (!job["ended_at"].is_null()).then_some(job)
    })
    .await
}

async fn reconvert(service: &Service, signal: &str) -> Value {
    let answer =
        service.post(&format!("{}/reconversions", path(signal)), json!({"from": "2026-05-01T00:00:00Z"})).await;
    assert_eq!(answer.status, 202, "{}", answer.text);
    let job = job_ends(service, &answer.json()).await;
    assert_eq!(job["state"], "done", "{job}");
    job
}

#[tokio::test]
async fn what_is_sent_is_converted_and_screened_on_the_way_in() {
    let service = Service::start().await;
    let key = service.device("sorrel", &["boiler", "junction", "smokebox"]).await;
    for (signal, code) in [("sorrel/boiler", "bar"), ("sorrel/junction", "[degF]"), ("sorrel/smokebox", "Cel")] {
        unit(&service, signal, code).await;
    }
    let boiler = json!({
        "conversion": {"steps": [
            {"step": "counts", "bits": 10, "reference_v": 5.0},
            {"step": "two-point", "points": [[0.5, 0.0], [4.5, 20.0]], "unit": "bar"},
        ]},
        "screen": {"possible": {"low": 0.0, "high": 16.0}, "fastest_per_s": 1.0, "markers": [17.5]},
    });
    assert_eq!(mean(&service, "sorrel/boiler", boiler.clone()).await["version"], 1);
    assert_eq!(mean(&service, "sorrel/boiler", boiler).await["version"], 1, "the same again is no new version");
    let smokebox = json!({"conversion": {"from": "mV", "steps": [
        {"step": "thermocouple", "kind": "K", "cold_junction": "junction"}]}, "others_within_s": 60.0});
    mean(&service, "sorrel/smokebox", smokebox).await;

    // The cold junction comes with it, in °F; then there is none that is new enough.
    let answer = service
        .deliver(
            &key,
            json!([
                {"at": BASE, "smokebox": 10.0, "junction": 68.0, "boiler": 512.0},
                {"at": BASE + 1, "boiler": 700.0},
                {"at": BASE + 2, "boiler": 0.0},
                {"at": BASE + 61, "smokebox": 10.0, "boiler": 518},
            ])
            .to_string(),
        )
        .await;
    assert_eq!(answer.text, "ok 7 not-good 3\n");
    let boiler = all(&service, "sorrel/boiler").await;
    let causes: Vec<&str> = boiler.iter().map(|(_, cause, _)| cause.as_str()).collect();
    assert_eq!(causes, ["", "jump", "range", ""], "{boiler:?}");
    assert!((boiler[0].0 - 10.0).abs() < 1e-9 && boiler[0].2 == Some(512.0), "{boiler:?}");
    let smokebox = all(&service, "sorrel/smokebox").await;
    assert!((smokebox[0].0 - 265.9).abs() < 0.5, "20 °C and 10 mV of type K: {smokebox:?}");
    assert_eq!((smokebox[1].1.as_str(), smokebox[1].0), ("conversion", 10.0), "kept as it was sent");
    let good = service.get(&format!("{}/readings?{SPAN}", path("sorrel/boiler"))).await.ok();
    assert_eq!(good["items"].as_array().unwrap().len(), 2, "what is not good is shown on request");
    let summary = service.get(&format!("{}/summary?{SPAN}&by=day", path("sorrel/boiler"))).await.ok();
    assert_eq!((summary["buckets"][0]["count"].clone(), summary["buckets"][0]["min"].as_f64()), (json!(2), Some(10.0)));
    let counts = service.get(&format!("{}/quality?{SPAN}", path("sorrel/boiler"))).await.ok();
    assert_eq!((counts["readings"].clone(), counts["good"].clone()), (json!(4), json!(2)));
    assert_eq!(counts["caught"].as_array().unwrap().len(), 2, "{counts}");
    // Volts for a signal that takes counts: named with both dimensions.
    let pack = json!([{"n": "smokebox", "u": "Cel", "v": 3, "t": BASE + 70}]).to_string();
    let request = service.request(Method::POST, "/in").bearer_auth(&key);
    let answer = service.send(request.header("Content-Type", "application/senml+json").body(pack)).await;
    assert!(answer.text.contains("temperature") && answer.text.contains("voltage"), "{}", answer.text);
}

#[tokio::test]
async fn a_total_goes_on_after_a_kill_and_is_made_anew_from_the_beginning() {
    let mut service = Service::start().await;
    let key = service.device("mast", &["rain"]).await;
    unit(&service, "mast/rain", "mm").await;
    let rain = |mm: f64| {
        json!({"conversion": {"steps": [
            {"step": "total", "modulus": 65536.0, "most": 100.0}, {"step": "scale", "factor": mm, "unit": "mm"}]}})
    };
    mean(&service, "mast/rain", rain(0.2)).await;
    let send = async |service: &Service, second: i64, count: u32| {
        let body = json!({"at": BASE + second, "rain": count}).to_string();
        assert_eq!(service.deliver(&key, body).await.text, "ok 1\n");
    };
    for (second, count) in [(0, 65_530), (1, 65_534)] {
        send(&service, second, count).await;
    }
    service.kill_and_restart();
    // Through the end of the counter, and a restart of the sender.
    for (second, count) in [(2, 4), (3, 9), (4, 2)] {
        send(&service, second, count).await;
    }
    let first = all(&service, "mast/rain").await;
    assert_eq!((first[0].0, first[0].1.as_str()), (0.0, ""), "nothing is counted yet");
    let totals = |mm: f64| [4.0, 10.0, 15.0, 17.0].map(|tips| tips * mm);
    assert!(first[1..].iter().zip(totals(0.2)).all(|(found, mm)| (found.0 - mm).abs() < 1e-9), "{first:?}");
    mean(&service, "mast/rain", rain(0.5)).await;
    reconvert(&service, "mast/rain").await;
    send(&service, 5, 4).await;
    let again = values(&service, "mast/rain").await;
    let expected = [&totals(0.5)[..], &[19.0 * 0.5]].concat();
    assert!(again[1..].iter().zip(&expected).all(|(found, mm)| (found - mm).abs() < 1e-9), "{again:?} {expected:?}");
}

#[tokio::test]
async fn a_forgotten_factor_is_put_right_back_in_time_with_all_that_depends_on_it() {
    let service = Service::start().await;
    let key = tower(&service).await;
    let body: Vec<Value> = (0..50).map(|i| json!({"at": BASE + i * 60, "level": i})).collect();
    service.deliver(&key, Value::from(body).to_string()).await;
    let scaled = |factor: f64| -> Vec<f64> { (0..50).map(|i| f64::from(i) * factor).collect() };
    becomes(&service, "tower/full", &scaled(10.0)).await;
    // Centimetres all along.
    let said = json!({"conversion": {"from": "cm", "steps": []}});
    assert_eq!(mean(&service, "tower/level", said).await["needed_by"], json!(["tower/volume", "tower/full"]));
    assert_eq!(values(&service, "tower/level").await, scaled(1.0), "what was recorded stays until it is asked for");
    let job = reconvert(&service, "tower/level").await;
    assert_eq!((job["done"].clone(), job["made_by"].clone()), (json!(150), json!("ann")));
    becomes(&service, "tower/level", &scaled(0.01)).await;
    becomes(&service, "tower/volume", &scaled(0.03)).await;
    becomes(&service, "tower/full", &scaled(0.1)).await;
    let sent: Vec<_> = all(&service, "tower/level").await.into_iter().map(|(_, _, raw)| raw.unwrap()).collect();
    assert_eq!(sent, scaled(1.0), "what was sent is as it was");
    let summary = service.get(&format!("{}/summary?{SPAN}&by=day", path("tower/level"))).await.ok();
    assert!((summary["buckets"][0]["max"].as_f64().unwrap() - 0.49).abs() < 1e-9, "{summary}");
    // A repeated delivery is one still.
    let again = service.deliver(&key, json!({"at": BASE + 60, "level": 1}).to_string()).await;
    assert_eq!(again.text, "ok 1 repeated 1\n");
    assert_eq!(values(&service, "tower/level").await.len(), 50);
    // Taken back: as it was sent.
    mean(&service, "tower/level", Value::Null).await;
    reconvert(&service, "tower/level").await;
    becomes(&service, "tower/full", &scaled(10.0)).await;
    let versions = service.get(&format!("{}/meaning/versions", path("tower/level"))).await.ok();
    let versions = versions["items"].as_array().unwrap().clone();
    assert_eq!(
        (versions.len(), versions[0]["version"].clone(), versions[0]["made_by"].clone()),
        (2, json!(2), json!("ann"))
    );
    assert!(versions[0]["meaning"].is_null() && versions[1]["meaning"].is_object());
}

#[tokio::test]
async fn derived_signals_follow_their_inputs_however_they_come() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "gap"]).await;
    let other = service.device("weir", &["level"]).await;
    for signal in ["tower/level", "weir/level", "tower/gap"] {
        unit(&service, signal, "m").await;
    }
    mean(&service, "tower/gap", json!({"formula": "level - {weir/level}", "others_within_s": 100.0})).await;
    let send = async |key: &str, second: i64, level: f64| {
        service.deliver(key, json!({"at": BASE + second, "level": level}).to_string()).await;
    };
    send(&key, 0, 5.0).await;
    send(&other, 50, 2.0).await;
    becomes(&service, "tower/gap", &[3.0]).await;
    send(&key, 100, 6.0).await;
    becomes(&service, "tower/gap", &[3.0, 4.0]).await;
    // Late: before both, which the one after it then has as its last.
    send(&other, 10, 1.0).await;
    becomes(&service, "tower/gap", &[4.0, 3.0, 4.0]).await;
    // A correction of it.
    send(&other, 50, 2.5).await;
    becomes(&service, "tower/gap", &[4.0, 2.5, 3.5]).await;
    // Too old by then.
    send(&key, 151, 7.0).await;
    send(&key, 152, 7.0).await;
    send(&other, 153, 1.0).await;
    becomes(&service, "tower/gap", &[4.0, 2.5, 3.5, 6.0]).await;
    let cut = format!("{}/readings?from=2026-05-01T12:00:05Z&to=2026-05-01T12:01:00Z", path("weir/level"));
    service.api(Method::DELETE, &cut, None).await.ok();
    becomes(&service, "tower/gap", &[6.0]).await;

    let sent = service.deliver(&key, json!({"gap": 3.0}).to_string()).await;
    assert!(sent.text.contains("worked out by a formula"), "{}", sent.text);
    let circle = refused(&service, "weir/level", json!({"formula": "{tower/gap}"})).await;
    assert!(circle.contains("circle"), "{circle}");
    let itself = refused(&service, "tower/level", json!({"formula": "level"})).await;
    assert!(itself.contains("cannot need itself"), "{itself}");
    let going = service.api(Method::DELETE, &format!("{}?confirm=level", path("weir/level")), None).await;
    assert_eq!(going.status, 409, "{}", going.text);
    assert_eq!(going.problem(), "needed");
    let changed = service.api(Method::PATCH, &path("weir/level"), Some(json!({"unit": "Cel"}))).await;
    assert!(changed.status == 422 && changed.text.contains("needs `level` as it is"), "{}", changed.text);
}

/// A month of an input at once: more than is looked at together, through two formulas.
#[tokio::test]
async fn what_is_deleted_goes_from_all_that_was_worked_out_of_it() {
    let service = Service::start().await;
    let key = tower(&service).await;
    let levels = vec![2.0; 9_000];
    for start in [0, 9_000] {
        let body = json!({"at": BASE + start, "every": 1, "level": levels}).to_string();
        assert_eq!(service.deliver(&key, body).await.text, "ok 9000\n");
    }
    let counted = async |signal: &str, expected: u64| {
        eventually(&format!("{signal} to have {expected} readings"), || async {
            let counts = service.get(&format!("{}/quality?{SPAN}", path(signal))).await.ok();
            (counts["readings"] == expected).then_some(())
        })
        .await;
    };
    counted("tower/full", 18_000).await;
    let cut = format!("{}/readings?from={}&to={}", path("tower/level"), BASE + 10, BASE + 17_990);
    service.api(Method::DELETE, &cut, None).await.ok();
    counted("tower/level", 20).await;
    counted("tower/volume", 20).await;
    counted("tower/full", 20).await;
}

#[tokio::test]
async fn a_kill_in_the_middle_of_a_reconversion_loses_nothing() {
    let mut service = Service::start().await;
    let key = service.device("viaduct", &["strain"]).await;
    let count = 400_000i64;
    for start in (0..count).step_by(10_000) {
        let values: Vec<f64> = (start..start + 10_000).map(|i| i as f64).collect();
        let body = json!({"at": BASE as f64 + start as f64 * 0.1, "every": 0.1, "strain": values}).to_string();
        assert_eq!(service.deliver(&key, body).await.text, "ok 10000\n");
    }
    mean(&service, "viaduct/strain", json!({"conversion": {"steps": [{"step": "scale", "factor": 2.0}]}})).await;
    let start = service
        .post(&format!("{}/reconversions", path("viaduct/strain")), json!({"from": "2026-05-01T00:00:00Z"}))
        .await;
    eventually("it to be under way", || async {
        let job = service.get(&format!("sites/marlbeck/jobs/{}", start.json()["id"])).await.ok();
        (job["state"] != "waiting").then_some(())
    })
    .await;
    service.kill_and_restart();
    let job = job_ends(&service, &start.json()).await;
    assert_eq!(job["state"], "done", "it begins anew by itself: {job}");
    let summary = service.get(&format!("{}/summary?{SPAN}&by=day", path("viaduct/strain"))).await.ok();
    let day = &summary["buckets"][0];
    let total = summary["buckets"].as_array().unwrap().iter().map(|b| b["count"].as_i64().unwrap()).sum::<i64>();
    assert_eq!(total, count);
    assert_eq!(day["min"].as_f64(), Some(0.0));
    let last = summary["buckets"].as_array().unwrap().last().unwrap()["max"].as_f64();
    assert_eq!(last, Some(2.0 * (count - 1) as f64));
}

#[tokio::test]
async fn a_text_where_a_number_belongs_is_kept_rejected_and_stays_so() {
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    let body = json!([{"at": BASE, "level": 1}, {"at": BASE + 1, "level": "ERR 7"}]).to_string();
    assert_eq!(service.deliver(&key, body).await.text, "ok 2 not-good 1\n");
    mean(&service, "tower/level", json!({"conversion": {"steps": [{"step": "scale", "factor": 2.0}]}})).await;
    reconvert(&service, "tower/level").await;
    let good = service.get(&format!("{}/readings?{SPAN}", path("tower/level"))).await.ok();
    let values: Vec<&Value> = good["items"].as_array().unwrap().iter().map(|one| &one["value"]).collect();
    assert_eq!(values, [&json!(2.0)]);
    let all = service.get(&format!("{}/readings?{SPAN}&all=true&order=ascending", path("tower/level"))).await.ok();
    let text = &all["items"][1];
    assert_eq!(
        (&text["value"], &text["quality"], &text["cause"]),
        (&json!("ERR 7"), &json!("rejected"), &json!("type"))
    );
    let summary = service.get(&format!("{}/summary?{SPAN}&by=day", path("tower/level"))).await.ok();
    assert_eq!((&summary["buckets"][0]["count"], &summary["buckets"][0]["max"]), (&json!(1), &json!(2.0)));
}

#[tokio::test]
async fn a_reconversion_can_be_stopped_and_everything_stays() {
    let service = Service::start().await;
    let key = service.device("viaduct", &["strain"]).await;
    for start in (0..300_000i64).step_by(10_000) {
        let values: Vec<f64> = vec![1.0; 10_000];
        let body = json!({"at": BASE as f64 + start as f64 * 0.1, "every": 0.1, "strain": values}).to_string();
        service.deliver(&key, body).await;
    }
    mean(&service, "viaduct/strain", json!({"conversion": {"steps": [{"step": "scale", "factor": 2.0}]}})).await;
    let order = json!({"from": "2026-05-01T00:00:00Z"});
    let first = service.post(&format!("{}/reconversions", path("viaduct/strain")), order.clone()).await.json();
    let second = service.post(&format!("{}/reconversions", path("viaduct/strain")), order).await.json();
    for job in [&second, &first] {
        service.api(Method::DELETE, &format!("sites/marlbeck/jobs/{}", job["id"]), None).await.ok();
    }
    let (first, second) = (job_ends(&service, &first).await, job_ends(&service, &second).await);
    assert_eq!(second["state"], "cancelled");
    let summary = service.get(&format!("{}/summary?{SPAN}&by=day", path("viaduct/strain"))).await.ok();
    let values = (summary["buckets"][0]["min"].as_f64(), summary["buckets"][0]["max"].as_f64());
    // It may have come to its end before it was stopped; never to anything in between.
    let expected = if first["state"] == "cancelled" { 1.0 } else { 2.0 };
    assert_eq!(values, (Some(expected), Some(expected)), "{first}");
    let jobs = service.get("sites/marlbeck/jobs").await.ok();
    assert_eq!(jobs["items"].as_array().unwrap().len(), 2);
}

#[tokio::test]
async fn meanings_are_tried_out_before_they_are_saved() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "air"]).await;
    unit(&service, "tower/level", "m").await;
    unit(&service, "tower/air", "Cel").await;
    let body: Vec<Value> = (0..100).map(|i| json!({"at": BASE + i, "level": i % 50, "air": 20})).collect();
    service.deliver(&key, Value::from(body).to_string()).await;
    let try_out = async |meaning: Value, raw: Option<f64>| {
        let body = json!({"meaning": meaning, "raw": raw});
        service.post(&format!("{}/meaning/preview", path("tower/level")), body).await.ok()
    };
    let echo = json!({"conversion": {"from": "us", "steps": [
        {"step": "echo", "air": "air"}, {"step": "scale", "factor": -1.0, "offset": 4.0, "unit": "m"}]}});
    let tried = try_out(echo, Some(5_830.0)).await;
    assert_eq!(tried["steps"].as_array().unwrap().len(), 2, "{tried}");
    assert!((tried["value"].as_f64().unwrap() - 3.0).abs() < 0.01 && tried["unit"] == "m", "{tried}");
    assert_eq!(
        (tried["others"][0]["signal"].clone(), tried["others"][0]["value"].clone()),
        (json!("air"), json!(20.0))
    );
    for (meaning, place, at) in [
        (json!({"formula": "air * 2 + nothing"}), "character", 10),
        (json!({"conversion": {"steps": [{"step": "unit", "to": "cm"}, {"step": "rtd", "r0_ohm": 100}]}}), "step", 1),
    ] {
        let wrong = try_out(meaning, None).await["wrong"].clone();
        assert_eq!(wrong[place], json!(at), "{wrong}");
    }
    let screen = json!({"screen": {"expected": {"high": 39.0}, "possible": {"high": 44.0}}});
    let body = json!({"meaning": screen, "from": "2026-05-01T12:00:00Z", "to": "2026-05-01T13:00:00Z"});
    let dry = service.post(&format!("{}/meaning/dry-run", path("tower/level")), body).await.ok();
    assert_eq!(
        (dry["readings"].clone(), dry["good"].clone(), dry["good_now"].clone()),
        (json!(100), json!(80), json!(100))
    );
    assert_eq!(dry["caught"][0]["count"], json!(10));
    assert_eq!(dry["examples"].as_array().unwrap().len(), 20);
    assert_eq!(values(&service, "tower/level").await.len(), 100, "nothing was changed");
    let pairs = json!({"pairs": [{"said": 1.0, "right": 1.5}, {"said": 3.0, "right": 3.1}]});
    let calibration = service.post(&format!("{}/meaning/calibration", path("tower/level")), pairs).await.ok();
    mean(&service, "tower/level", calibration["meaning"].clone()).await;
    service.deliver(&key, json!({"at": BASE + 200, "level": 3.0}).to_string()).await;
    assert!((values(&service, "tower/level").await.last().unwrap() - 3.1).abs() < 1e-9);
}

#[tokio::test]
async fn two_sensors_of_one_thing_are_compared() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "second", "air"]).await;
    for (signal, code) in [("tower/level", "m"), ("tower/second", "cm"), ("tower/air", "Cel")] {
        unit(&service, signal, code).await;
    }
    let wave = |second: i64| 2.0 + (second as f64 * 0.02).sin();
    let body: Vec<Value> = (0..1_000)
        .map(|i| json!({"at": BASE + i, "level": wave(i), "second": 100.0 * (0.9 * wave(i - 30) + 0.1), "air": 20}))
        .collect();
    service.deliver(&key, Value::from(body).to_string()).await;
    let ask = "sites/marlbeck/compare?signals=tower/level,tower/second";
    let found = service.get(&format!("{ask}&{SPAN}")).await.ok();
    let other = &found["others"][0];
    assert_eq!((found["unit"].clone(), other["pairs"].clone()), (json!("m"), json!(1_000)));
    assert_eq!(other["figures"]["lag_s"], json!(30.0), "{}", other["figures"]);
    assert!(other["figures"]["correlation"].as_f64().unwrap() < 0.9);
    // With the lag taken out, the line is the one it was made with.
    let shifted =
        service.get(&format!("{ask}&from=2026-05-01T12:01:00Z&to=2026-05-01T12:10:00Z&shift_s=-30")).await.ok();
    let line = shifted["others"][0]["figures"]["line"].clone();
    assert!((line["slope"].as_f64().unwrap() - 1.0 / 0.9).abs() < 1e-6, "{line}");
    let wrong = service.get("sites/marlbeck/compare?signals=tower/level,tower/air").await;
    assert!(wrong.status == 422 && wrong.text.contains("temperature"), "{}", wrong.text);
}

#[tokio::test]
async fn kinds_and_documents_carry_meanings() {
    let service = Service::start().await;
    let meaning = json!({"conversion": {"from": "mV", "steps": [{"step": "scale", "factor": 0.1, "offset": 0.0, "unit": "Cel"}]},
        "screen": {"possible": {"low": -40.0, "high": 85.0}}});
    let kind = json!({"name": "Shed sensor", "code": "shed-sensor", "signals": [
        {"code": "temp", "unit": "Cel", "meaning": meaning},
        {"code": "hum", "unit": "%"},
        {"code": "dew", "unit": "Cel", "meaning": {"formula": "dew_point(temp, hum)"}}]});
    service.post("sites/marlbeck/kinds", kind).await.ok();
    service
        .post("sites/marlbeck/devices", json!({"name": "Shed 1", "code": "shed-1", "kind": "shed-sensor"}))
        .await
        .ok();
    let key = service.post("sites/marlbeck/devices/shed-1/keys", json!({})).await.ok();
    let key = key["key"].as_str().unwrap().to_owned();
    service.deliver(&key, json!({"at": BASE, "temp": 200.0, "hum": 50.0}).to_string()).await;
    eventually("a dew point", || async {
        let dew = values(&service, "shed-1/dew").await;
        dew.first().is_some_and(|dew| (dew - 9.27).abs() < 0.05).then_some(())
    })
    .await;
    let document = service.get("sites/marlbeck/document").await.ok();
    assert_eq!(document["kinds"][0]["signals"][0]["meaning"], meaning);
    let mut changed = document.clone();
    changed["kinds"] = json!([]);
    changed["devices"][0]["signals"] = json!([{"code": "hum", "name": "hum", "unit": "%",
        "meaning": {"screen": {"possible": {"low": 0.0, "high": 100.0}}}}]);
    service.post("sites/marlbeck/document", changed).await.ok();
    let said = service.get(&format!("{}/meaning", path("shed-1/hum"))).await.ok();
    assert_eq!((said["version"].clone(), said["needed_by"].clone()), (json!(1), json!(["shed-1/dew"])));
    let bad = json!({"name": "Bad", "code": "bad", "signals": [{"code": "x", "meaning": {"formula": "y"}}]});
    let answer = service.post("sites/marlbeck/devices", bad).await;
    assert_eq!(answer.status, 422, "{}", answer.text);
    assert_eq!(service.get("sites/marlbeck/devices/bad").await.status, 404, "nothing is half made");
}

#[tokio::test]
async fn meanings_are_said_from_the_command_line() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "second"]).await;
    unit(&service, "tower/level", "m").await;
    unit(&service, "tower/second", "m").await;
    let body: Vec<Value> = (0..60).map(|i| json!({"at": BASE + i, "level": i, "second": 2 * i + 1})).collect();
    service.deliver(&key, Value::from(body).to_string()).await;
    let client = Client::logged_in(&service);
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("level.toml");
    std::fs::write(&file, "from = \"cm\"\nsteps = [{ step = \"scale\", factor = 2, unit = \"cm\" }]\n").unwrap();
    let file = file.to_str().unwrap();
    let tried = client.ok(&["conversion", "tower/level", file, "--try", "150"]);
    assert!(tried.contains("result: 3 m"), "{tried}");
    let times = ["--from", "2026-05-01", "--to", "2026-05-02"];
    let dry = client.ok(&[&["conversion", "tower/level", file, "--dry-run"][..], &times].concat());
    assert!(dry.contains("60 readings") && dry.contains("59 would have another value"), "{dry}");
    assert!(client.ok(&["conversion", "tower/level", file]).contains("version 1 of tower/level"));
    client.ok(&["screen", "tower/level", "--possible", "0..1"]);
    let shown = client.json(&["conversion", "tower/level"]);
    assert_eq!(
        (shown["version"].clone(), shown["meaning"]["screen"]["possible"]["high"].clone()),
        (json!(2), json!(1.0))
    );
    let done = client.ok(&["signal", "reconvert", "tower/level", "--from", "2026-05-01"]);
    assert_eq!(done, "60 readings made anew, of tower/level and what depends on it\n");
    assert_eq!(
        client.ok(&[&["quality", "tower/level"][..], &times].concat()),
        "60 readings, 51 good\nrejected: 9 (range)\n"
    );
    assert!(client.ok(&["jobs"]).contains("done"));
    assert!(client.ok(&["signal", "versions", "tower/level"]).contains("possible"));
    let wrong = client.fails(&["formula", "tower/second", "level + nothing", "--try"]);
    assert!(wrong.0 == 1 && wrong.1.contains("character 9: there is no signal `nothing`"), "{wrong:?}");
    assert_eq!(client.fails(&["screen", "tower/level", "--possible", "much"]).0, 2);
    let compared = client.ok(&[&["compare", "tower/level", "tower/second"][..], &times].concat());
    assert!(compared.contains("of 51 readings have one") && compared.contains("correlation  1.0000"), "{compared}");
    let line = client.ok(&["calibrate", "tower/second", "1=0", "3=1"]);
    assert!(line.contains("right = 0.5 × said \u{2212} 0.5"), "{line}");
}

#[tokio::test]
async fn what_people_enter_is_judged_anew_and_never_converted() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("tower", &["level"]).await;
    let meaning = |high: f64| json!({"conversion": {"steps": [{"step": "scale", "factor": 0.5}]}, "screen": {"possible": {"low": 0, "high": high}}});
    mean(&service, "tower/level", meaning(4.0)).await;
    service.deliver(&key, json!({"at": BASE, "level": 3}).to_string()).await;
    for (at, value, says) in
        [("2026-05-01T12:00:01Z", "3.5", "3.5 at"), ("2026-05-01T12:00:02Z", "35", "it is rejected: range")]
    {
        let said = client.ok(&["enter", "tower/level", value, "--at", at]);
        assert!(said.contains(says), "{said}");
    }
    let seen = async || all(&service, "tower/level").await;
    let expected =
        |last: &str| vec![(1.5, String::new(), Some(3.0)), (3.5, String::new(), None), (35.0, last.to_owned(), None)];
    assert_eq!(seen().await, expected("range"));
    mean(&service, "tower/level", meaning(40.0)).await;
    reconvert(&service, "tower/level").await;
    assert_eq!(seen().await, expected(""));
}
