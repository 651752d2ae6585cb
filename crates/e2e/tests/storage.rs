use lantern_e2e::{Answer, Client, Service, binary, eventually};
use reqwest::Method;
use serde_json::{Value, json};
use std::process::Command;

const SIGNAL: &str = "sites/marlbeck/devices/tower/signals/level";

/// An hourly reading over some days from 2026-03-27T00:00Z on, of the hour's number.
async fn hours(service: &Service, count: i64) -> String {
    let key = service.device("tower", &["level", "temp"]).await;
    let body: Vec<Value> =
        (0..count).map(|i| json!({"at": 1_774_569_600 + i * 3_600, "level": i, "temp": i % 24})).collect();
    let answer = service.deliver(&key, Value::from(body).to_string()).await;
    assert_eq!(answer.text, format!("ok {}\n", 2 * count));
    key
}

#[tokio::test]
async fn days_are_those_of_the_site_across_a_change_of_clocks() {
    let service = Service::start().await;
    hours(&service, 96).await;
    // The last Sunday of March has 23 hours in London.
    let span = "from=2026-03-27T00:00:00Z&to=2026-03-30T23:00:00Z";
    let table = service.get(&format!("sites/marlbeck/summary?signals=tower/level,tower/temp&by=day&{span}")).await.ok();
    assert_eq!((table["by"].as_str(), table["zone"].as_str()), (Some("day"), Some("Europe/London")));
    for signal in table["signals"].as_array().unwrap() {
        let counts: Vec<_> = signal["buckets"].as_array().unwrap().iter().map(|b| b["count"].clone()).collect();
        assert_eq!(counts, [24, 24, 23, 24], "{}", signal["signal"]);
    }
    let sunday = &table["signals"][0]["buckets"][2];
    assert_eq!((sunday["first"].clone(), sunday["last"].clone()), (json!(48.0), json!(70.0)));
    let weeks = service.get(&format!("{SIGNAL}/summary?by=week&{span}")).await.ok();
    let counts: Vec<_> = weeks["buckets"].as_array().unwrap().iter().map(|b| b["count"].clone()).collect();
    assert_eq!(counts, [71, 24], "a week ends on Sunday");
    for (query, says) in [
        ("by=fortnight", "`day`, `week`"),
        ("by=day&from=0001-01-01T00:00:00Z", "2000 buckets"),
        ("by=day&zone=Nowhere/At_All", "time zone"),
    ] {
        let answer = service.get(&format!("{SIGNAL}/summary?{query}")).await;
        assert!(answer.text.contains(says), "{query}: {}", answer.text);
    }
    let none = service.get("sites/marlbeck/summary?by=day").await.text;
    assert!(none.contains("name 1 to 50"), "{none}");
}

#[tokio::test]
async fn a_time_can_be_looked_at_in_every_way_and_deleted() {
    let service = Service::start().await;
    let key = hours(&service, 48).await;
    let span = "from=2026-03-27T00:00:00Z&to=2026-03-29T00:00:00Z";
    let curve = service.get(&format!("{SIGNAL}/curve?{span}&points=10")).await.ok();
    let points = curve["points"].as_array().unwrap();
    assert_eq!((points.len(), points[0][1].as_f64(), points[9][1].as_f64()), (10, Some(0.0), Some(47.0)));
    let at = service.get(&format!("{SIGNAL}/reading?at=2026-03-27T05:59:00Z")).await.ok();
    assert_eq!(at, json!({"at": "2026-03-27T05:00:00Z", "value": 5.0, "trial": true}));
    let before = service.get(&format!("{SIGNAL}/reading?at=2026-03-26T05:59:00Z")).await;
    assert_eq!(before.status, 404);
    assert!(before.text.contains("no reading up to"), "{}", before.text);

    let client = Client::logged_in(&service);
    let ends =
        |signal: &str| json!({"signal": signal, "first_at": "2026-03-27T00:00:00Z", "last_at": "2026-03-28T23:00:00Z"});
    assert_eq!(client.json(&["span"]), json!([ends("tower/level"), ends("tower/temp")]));
    assert_eq!(client.json(&["span", "tower/temp"]), json!([ends("tower/temp")]));
    let times = ["--from", "2026-03-27T06:00:00Z", "--to", "2026-03-27T09:00:00Z"];
    let erase = |more: &[&str]| client.ok(&[&["erase", "tower/level"][..], &times, more].concat());
    assert_eq!(erase(&["--dry-run"]), "3 readings of tower/level in that time; none was deleted\n");
    assert_eq!(client.fails(&[&["erase", "tower/level"][..], &times].concat()).0, 1, "it asks first");
    assert_eq!(erase(&["--yes"]), "3 readings of tower/level deleted\n");
    assert_eq!(service.readings("tower", "level").await.len(), 45);
    let gaps =
        client.json(&["gaps", "tower/level", "--from", "2026-03-27", "--to", "2026-03-30", "--longer-than", "2h"]);
    assert_eq!(gaps, json!([{"from": "2026-03-27T05:00:00Z", "to": "2026-03-27T09:00:00Z", "length_s": 14400.0}]));
    let sums = client.ok(&["summary", "tower/level", "--from", "2026-03-27", "--to", "2026-03-29", "--by", "day"]);
    assert!(sums.contains("Fri 2026-03-27") && sums.contains(" 21"), "{sums}");
    let unbounded = service.api(Method::DELETE, &format!("{SIGNAL}/readings?from=2026-03-27T00:00:00Z"), None).await;
    assert_eq!(unbounded.status, 422, "nobody deletes without saying until when");
    // What is deleted can be sent again.
    let again = service.deliver(&key, r#"[{"at": 1774591200, "level": 9}]"#).await;
    assert_eq!(again.text, "ok 1\n");
}

#[tokio::test]
async fn units_are_changed_on_the_way_in_and_out() {
    let service = Service::start().await;
    let key = service.device("larder", &["temp"]).await;
    let path = "sites/marlbeck/devices/larder/signals/temp";
    service.api(Method::PATCH, path, Some(json!({"unit": "Cel"}))).await.ok();
    let pack = |unit: &str, at: i64, value: f64| json!([{"n": "temp", "u": unit, "v": value, "bt": at}]).to_string();
    for (unit, at, value) in
        [("Cel", 1_777_636_800, 20.0), ("[degF]", 1_777_636_860, 50.0), ("K", 1_777_636_920, 273.15)]
    {
        let request = service.request(Method::POST, "/in").bearer_auth(&key);
        let request = request.header("Content-Type", "application/senml+json").body(pack(unit, at, value));
        assert_eq!(service.send(request).await.text, "ok 1\n", "{unit}");
    }
    let span = "from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z";
    let page = service.get(&format!("{path}/readings?{span}")).await.ok();
    let seen: Vec<_> =
        page["items"].as_array().unwrap().iter().map(|r| (r["value"].clone(), r["raw"].clone())).collect();
    for (place, expected) in [20.0, 10.0, 0.0].into_iter().enumerate() {
        assert!((seen[place].0.as_f64().unwrap() - expected).abs() < 1e-9 && seen[place].1.is_null(), "{seen:?}");
    }

    let client = Client::logged_in(&service);
    let times = ["--from", "2026-05-01", "--to", "2026-05-02"];
    let shown = client.ok(&[&["readings", "larder/temp", "--unit", "°F"][..], &times].concat());
    assert!(shown.contains("     68") && shown.contains("     50"), "{shown}");
    let csv = client.ok(&[&["export", "larder/temp:[degF]", "larder/temp"][..], &times].concat());
    assert!(
        csv.starts_with("time,larder/temp ([degF]),larder/temp (Cel)\r\n2026-05-01T13:00:00+01:00,68,20\r\n"),
        "{csv}"
    );
    let summary = service.get(&format!("{path}/summary?{span}&by=day&unit=%5BdegF%5D")).await.ok();
    assert_eq!(
        (summary["buckets"][0]["max"].clone(), summary["buckets"][0]["min"].clone()),
        (json!(68.0), json!(32.0))
    );
    for (query, says) in [
        (format!("{path}/readings?unit=hPa"), "`Cel` is a temperature (Th) and `hPa` is a pressure"),
        (format!("{path}/summary?unit=parsnip"), "not a unit"),
    ] {
        let answer = service.get(&query).await;
        assert!(answer.status == 422 && answer.text.contains(says), "{query}: {}", answer.text);
    }
    let wrong = service.request(Method::POST, "/in").bearer_auth(&key);
    let wrong = wrong.header("Content-Type", "application/senml+json").body(pack("Pa", 1_777_636_980, 1.0));
    let wrong = service.send(wrong).await;
    assert!(wrong.text.contains("unit-mismatch") && wrong.text.contains("a pressure"), "{}", wrong.text);
}

#[tokio::test]
async fn what_is_old_goes_as_it_was_said() {
    let service = Service::start().await;
    let key = hours(&service, 96).await;
    let client = Client::logged_in(&service);
    assert!(client.ok(&["retention", "tower/level"]).contains("readings  for ever"));
    let set = ["retention", "tower/level", "--raw", "48h", "--minutes", "48h", "--hours", "10y"];
    let dry = client.ok(&[&set[..], &["--dry-run"]].concat());
    assert!(dry.contains("if it were set"), "{dry}");
    assert!(client.json(&["retention", "tower/level"])["own"].is_null(), "a dry run sets nothing");
    let done = client.json(&set);
    assert_eq!((done["set"].clone(), done["signals"].clone()), (json!(true), json!(1)));
    assert_eq!(client.json(&["retention", "tower/level"])["effective"]["raw_s"], 172_800.0);
    let (code, said) = client.fails(&["retention", "tower/level", "--hours", "30d", "--days", "10d"]);
    assert_eq!((code, said.contains("days are to be kept")), (1, true), "{said}");
    assert_eq!(client.fails(&["retention", "tower/level", "--raw", "soon"]).0, 2);

    // A restart seals nothing but begins with keeping what is to be kept.
    let year_s = 31_557_600.0;
    let other = format!("{SIGNAL}/retention").replace("level", "temp");
    let temp = service.api(Method::PUT, &other, Some(json!({"raw_s": year_s}))).await.ok();
    assert_eq!(temp["readings"], 0);
    client.ok(&["retention", "tower/temp", "--reset"]);
    assert!(client.json(&["retention", "tower/temp"])["own"].is_null());
    assert_eq!(service.deliver(&key, r#"{"level": 1}"#).await.text, "ok 1\n");
}

#[tokio::test]
async fn a_backup_is_put_back_with_all_there_was() {
    let mut service = Service::start().await;
    hours(&service, 96).await;
    let client = Client::logged_in(&service);
    let file = client.home().join("monday.sqlite");
    let name = file.to_str().unwrap();
    let said = client.ok(&["backup", name]);
    assert!(said.contains("checked") && said.contains("key-lantern restore"), "{said}");
    assert!(client.fails(&["backup", name]).1.contains("is there already"));
    let left = std::fs::read_dir(service.data())
        .unwrap()
        .filter(|entry| entry.as_ref().unwrap().file_name().to_string_lossy().starts_with("backup"));
    assert_eq!(left.count(), 0, "no copy stays with the service");
    let data = service.data();
    let run = |arguments: &[&str]| {
        let output = Command::new(binary("key-lantern")).args(arguments).output().unwrap();
        let text = String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned();
        (output.status.code().unwrap(), text)
    };
    let directory = data.to_str().unwrap();
    let (code, said) = run(&["check", "--data", directory]);
    assert_eq!((code, said.contains("in use by another")), (1, true), "{said}");
    assert!(service.stop().success());
    assert_eq!(run(&["check", "--data", directory]).0, 0);
    let (code, said) = run(&["restore", name, "--data", directory]);
    assert_eq!((code, said.contains("--replace")), (1, true), "{said}");
    let (code, said) = run(&["restore", name, "--data", directory, "--replace"]);
    assert_eq!((code, said.contains("is kept as")), (0, true), "{said}");
    service.start_again();
    assert_eq!(service.readings("tower", "level").await.len(), 96);
}

/// A service that may use three megabytes, and a device of it.
pub(crate) async fn small() -> (Service, String) {
    let settings = [
        ("readings_at_once", "1000000000"),
        ("readings_per_s", "1000000000"),
        ("requests_at_once", "1000000000"),
        ("disk_budget_mb", "3"),
    ];
    let service = Service::start_with(&settings).await;
    let key = service.device("tower", &["level"]).await;
    (service, key)
}

/// Sends noise, which cannot be made small, until it is refused.
pub(crate) async fn fill(service: &Service, key: &str) -> Answer {
    for delivery in 0..500_i64 {
        let noise = |i: i64| (i.wrapping_mul(6_364_136_223_846_793_005) >> 20) as f64;
        let one = |i: i64| json!({"at": 1_700_000_000 + i, "level": noise(i)});
        let body: Vec<Value> = (delivery * 5_000..(delivery + 1) * 5_000).map(one).collect();
        let answer = service.deliver(key, Value::from(body).to_string()).await;
        if !answer.status.is_success() {
            return answer;
        }
        // Looking at it counts the room again.
        service.get("storage").await.ok();
    }
    panic!("it never became full");
}

#[tokio::test]
async fn a_full_budget_turns_readings_away_until_there_is_room() {
    let (service, key) = small().await;
    let client = Client::logged_in(&service);
    assert_eq!(client.json(&["storage"])["budget_bytes"], 3 << 20);
    let refused = fill(&service, &key).await;
    assert_eq!((refused.status.as_u16(), refused.problem().as_str()), (503, "disk-full"), "{}", refused.text);
    assert!(refused.headers.contains_key("Retry-After"));
    assert!(client.ok(&["storage"]).contains("turned away"));
    let page = service.get(&format!("{SIGNAL}/readings?from=2023-11-14T00:00:00Z&limit=10")).await.ok();
    assert_eq!(page["items"].as_array().unwrap().len(), 10, "reading goes on");
    client.ok(&["erase", "tower/level", "--from", "2000-01-01", "--to", "2030-01-01", "--yes"]);
    eventually("room again", || async {
        client.json(&["storage"]);
        service.deliver(&key, r#"{"level": 1}"#).await.status.is_success().then_some(())
    })
    .await;
}
