use lantern_e2e::{Client, Service};
use reqwest::Method;
use serde_json::json;

const KIND: &str = r#"
name = "Shed sensor"
code = "shed-sensor"
interval_s = 300
[decoder]
form = "pairs"
[decoder.fields]
T = "temp"
[[signals]]
code = "temp"
unit = "°C"
"#;

#[tokio::test]
async fn devices_are_made_from_a_kind_and_moved_to_its_next_revision() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let file = client.home().join("kind.toml");
    let file = file.to_str().unwrap();
    std::fs::write(file, KIND).unwrap();
    assert_eq!(client.ok(&["kind", "add", file]).trim(), "kind shed-sensor is at revision 1");
    let made = client.json(&["device", "add", "shed-{1..4}", "--kind", "shed-sensor"]);
    let codes: Vec<_> = made.as_array().unwrap().iter().map(|d| d["code"].as_str().unwrap()).collect();
    assert_eq!(codes, ["shed-1", "shed-2", "shed-3", "shed-4"]);
    assert_eq!((&made[0]["interval_s"], &made[0]["revision"]), (&json!(300.0), &json!(1)));

    let list = client.home().join("list.csv");
    std::fs::write(
        &list,
        "name,code,latitude,longitude\nNorth shed,north,54.5,-2.3\nSouth shed,,,\nNorth again,north,,\n",
    )
    .unwrap();
    let (_, said) = client.fails(&["device", "add", "--list", list.to_str().unwrap(), "--kind", "shed-sensor"]);
    assert!(said.contains("`North again`") && said.contains("No device was made"), "{said}");
    client.fails(&["device", "show", "north"]);
    std::fs::write(&list, "name,code,latitude,longitude\nNorth shed,north,54.5,-2.3\nSouth shed,,,\n").unwrap();
    let made = client.json(&["device", "add", "--list", list.to_str().unwrap(), "--kind", "shed-sensor", "--keys"]);
    let key = made[1]["key"]["key"].as_str().unwrap();
    assert_eq!(service.deliver(key, "T=8").await.text, "ok 1\n");
    assert_eq!(client.json(&["device", "show", "north"])["position"]["latitude"], 54.5);

    // Lines of such a board are understood at once.
    let key = client.json(&["key", "issue", "shed-1"])["key"].as_str().unwrap().to_owned();
    assert_eq!(service.deliver(&key, "T=9.5").await.text, "ok 1\n");

    std::fs::write(file, KIND.to_owned() + "[[signals]]\ncode = \"battery\"\nunit = \"V\"\n").unwrap();
    assert!(client.ok(&["kind", "revise", "shed-sensor", file]).contains("revision 2; 6 devices"));
    assert!(
        client.ok(&["kind", "revise", "shed-sensor", file]).contains("revision 2"),
        "the same again is no revision"
    );
    let plan = client.ok(&["kind", "move", "shed-sensor", "shed-1", "--dry-run"]);
    assert!(
        plan.contains("+ devices/shed-1/signals/battery/unit: V") && plan.contains("~ devices/shed-1/revision: 1 -> 2"),
        "{plan}"
    );
    assert_eq!(client.json(&["device", "show", "shed-1"])["revision"], 1, "a dry run changes nothing");
    client.ok(&["kind", "move", "shed-sensor", "shed-1", "--yes"]);
    let followers = client.json(&["kind", "devices", "shed-sensor"]);
    let revisions: Vec<_> = followers
        .as_array()
        .unwrap()
        .iter()
        .map(|f| (f["device"].as_str().unwrap(), f["revision"].as_u64().unwrap()))
        .collect();
    assert_eq!(revisions[1..3], [("shed-1", 2), ("shed-2", 1)], "{revisions:?}");
    assert_eq!(service.readings("shed-1", "temp").await.len(), 1, "readings stay where they are");
    client.ok(&["kind", "remove", "shed-sensor"]);
    assert!(client.json(&["device", "show", "shed-1"]).get("kind").is_none());
}

#[tokio::test]
async fn a_site_is_applied_from_its_own_document_and_twice_changes_nothing() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let kind = client.home().join("kind.toml");
    std::fs::write(&kind, KIND).unwrap();
    client.ok(&["kind", "add", kind.to_str().unwrap()]);
    client.ok(&["device", "add", "shed-1", "--kind", "shed-sensor", "--signal", "hum:%"]);
    let tower = [
        "device",
        "add",
        "Water tower",
        "--code",
        "tower",
        "--every",
        "30",
        "--at",
        "54.5,-2.3",
        "--signal",
        "level:m",
    ];
    let secret = service.device("gw", &[]).await;
    client.ok(&tower);
    let document = client.ok(&["site", "export"]);
    assert!(!document.contains(&secret) && !document.contains("key = "), "keys are never in it: {document}");
    let file = client.home().join("site.toml");
    let file = file.to_str().unwrap();
    std::fs::write(file, &document).unwrap();
    assert_eq!(client.ok(&["site", "apply", file]).trim(), "Nothing to change.");

    // On an empty site it makes everything, and exported again it is the same.
    client.ok(&["site", "add", "Marlbeck Light Railway", "--code", "copy", "--zone", "Europe/London"]);
    let copy = ["--site", "copy", "site"];
    let plan = client.ok(&[&copy[..], &["apply", file, "--dry-run"]].concat());
    assert!(plan.contains("+ devices/tower/signals/level/unit: m"), "{plan}");
    assert_eq!(service.get("sites/copy/devices").await.ok()["items"], json!([]), "a dry run changes nothing");
    client.ok(&[&copy[..], &["apply", file, "--yes"]].concat());
    assert_eq!(client.ok(&[&copy[..], &["export"]].concat()), document);
    assert_eq!(client.ok(&[&copy[..], &["apply", file, "--yes"]].concat()).trim(), "Nothing to change.");
    let as_json = client.ok(&[&copy[..], &["export", "--json"]].concat());
    let json_file = client.home().join("site.json");
    std::fs::write(&json_file, as_json).unwrap();
    assert_eq!(client.ok(&[&copy[..], &["apply", json_file.to_str().unwrap()]].concat()).trim(), "Nothing to change.");

    // A change is shown first, and without a yes nothing is done.
    std::fs::write(file, document.replace("unit = \"m\"", "unit = \"cm\"")).unwrap();
    let (code, said) = client.fails(&["--site", "marlbeck", "site", "apply", file]);
    assert!(code == 1 && said.contains("--yes"), "{code}: {said}");
    assert_eq!(client.json(&["--site", "marlbeck", "signal", "show", "tower/level"])["unit"], "m");
    client.ok(&["--site", "marlbeck", "site", "apply", file, "--yes"]);
    assert_eq!(client.json(&["--site", "marlbeck", "signal", "show", "tower/level"])["unit"], "cm");

    // A mistake at its end leaves nothing half done.
    std::fs::write(file, document.replace("unit = \"m\"", "unit = \"tea\"").replace("Water tower", "Other name"))
        .unwrap();
    assert!(client.fails(&["--site", "marlbeck", "site", "apply", file, "--yes"]).1.contains("tea"));
    assert_eq!(client.json(&["--site", "marlbeck", "device", "show", "tower"])["name"], "Water tower");
}

#[tokio::test]
async fn keys_have_grants_ends_and_overlap_when_replaced() {
    let service = Service::start().await;
    let send = service.device("tower", &["temp"]).await;
    let path = "sites/marlbeck/devices/tower/keys";
    let read =
        service.post("sites/marlbeck/keys", json!({"grants": ["read"]})).await.ok()["key"].as_str().unwrap().to_owned();
    assert_eq!(service.deliver(&send, r#"{"temp": 1}"#).await.text, "ok 1\n");
    let as_key = |method: Method, path: &str| {
        service.send(service.request(method, &format!("/api/v1/{path}")).bearer_auth(&read))
    };
    service.post("sites", json!({"name": "Elsewhere", "zone": "UTC"})).await.ok();
    for (method, path, status) in [
        (Method::GET, "sites/marlbeck/now", 200),
        (Method::GET, "sites/marlbeck/devices/tower/signals/temp/readings", 200),
        (Method::GET, "sites/elsewhere/now", 403),
        (Method::GET, "live?site=elsewhere", 403),
        (Method::GET, "sites", 403),
        (Method::GET, "sites/marlbeck/devices/tower/keys", 403),
        (Method::GET, "contacts/unknown", 403),
        (Method::POST, "sites/marlbeck/devices", 403),
        (Method::DELETE, "sites/marlbeck", 403),
    ] {
        assert_eq!(as_key(method.clone(), path).await.status.as_u16(), status, "{method} {path}");
    }
    assert_eq!(service.post(path, json!({"grants": []})).await.problem(), "invalid");
    assert_eq!(service.post(path, json!({"expires_at": "2020-01-01T00:00:00Z"})).await.problem(), "invalid");

    let listed = service.get(path).await.ok()["items"][0].clone();
    assert_eq!(listed["last_used_from"], "127.0.0.1");
    let new = service.post(&format!("{path}/{}/replace", listed["id"]), json!({"overlap_s": 3600})).await.ok();
    let new_key = new["key"].as_str().unwrap();
    assert!(new["address"].as_str().unwrap().ends_with(&format!("/in/{new_key}")));
    for key in [&send, new_key] {
        assert!(service.deliver(key, r#"{"temp": 2}"#).await.status.is_success(), "both are taken while they overlap");
    }
    assert!(service.get(path).await.ok()["items"][1]["expires_at"].is_string());
}

/// A device nobody has declared, from its first message to its going live.
#[tokio::test]
async fn a_sites_key_lets_unknown_devices_wait_until_they_are_claimed() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    service.device("tower", &["temp"]).await;
    let key = client.json(&["key", "issue", "--of-site"])["key"].as_str().unwrap().to_owned();
    assert_eq!(
        service.deliver(&key, r#"{"device": "Bay 07", "temp": 9.5}"#).await.text,
        "ok 1 waiting 1 device bay-07\n"
    );
    assert_eq!(service.deliver(&key, r#"{"device": "Bay 07", "temp": 9.6}"#).await.text, "ok 1 device bay-07\n");
    let senml = r#"[{"bn": "urn:dev:ow:10e2073a:", "n": "temp", "u": "Cel", "v": 8}]"#;
    assert_eq!(service.deliver(&key, senml).await.text, "ok 1 waiting 1 device urn-dev-ow-10e2073a\n");
    // A sender without a name gets a code, and keeps it.
    assert_eq!(service.deliver(&key, r#"{"temp": 7}"#).await.text, "ok 1 waiting 1 device sender-at-127-0-0-1\n");
    assert_eq!(service.deliver(&key, r#"{"temp": 7.5}"#).await.text, "ok 1 device sender-at-127-0-0-1\n");
    // Declared devices have keys of their own, which this one must not get round.
    assert_eq!(service.deliver(&key, r#"{"device": "tower", "temp": 99}"#).await.problem(), "not-carried");
    assert_eq!(service.readings("tower", "temp").await, []);

    assert_eq!(service.get("sites/marlbeck").await.ok()["arrivals"], 3);
    assert!(client.ok(&["arrivals"]).contains("Bay 07"));
    client.ok(&["claim", "bay-07", "--as", "shed-7", "--name", "Shed, bay 7"]);
    client.ok(&["claim", "shed-7/temp", "--unit", "Cel"]);
    assert_eq!(service.readings("shed-7", "temp").await.len(), 2, "what came before is there");
    assert_eq!(service.deliver(&key, r#"{"device": "Bay 07", "temp": 9.7}"#).await.text, "ok 1 device shed-7\n");
    assert_eq!(client.json(&["device", "show", "shed-7"])["state"], "trial");
}

#[tokio::test]
async fn an_arrival_is_claimed_renamed_moved_or_ignored() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    let key = service.device("tower", &["level"]).await;
    service.deliver(&key, r#"{"lvl": 2.5, "supply": 12.3, "debug": 1, "at": 1777636800}"#).await;
    service.deliver(&key, r#"{"lvl": 2.6, "supply": 12.4, "debug": 2, "at": 1777636830}"#).await;

    assert!(client.ok(&["claim", "tower/lvl", "--into", "level"]).contains("tower/level now, with 2 readings"));
    assert!(client.ok(&["claim", "tower/supply", "--as", "volts", "--unit", "V"]).contains("tower/volts"));
    client.ok(&["ignore", "tower/debug"]);
    let answer = service.deliver(&key, r#"{"lvl": 2.7, "supply": 12.5, "debug": 3, "at": 1777636860}"#).await;
    assert_eq!(answer.text, "ok 2 ignored 1\n", "both old names still mean their signals");
    assert_eq!(service.readings("tower", "level").await.len(), 3);
    assert_eq!(service.readings("tower", "volts").await.len(), 3);
    assert_eq!(client.json(&["signal", "show", "tower/level"])["also"], json!(["lvl"]));
    assert!(client.ok(&["arrivals"]).contains("No arrivals"));
    assert!(client.ok(&["arrivals", "--ignored"]).contains("tower/debug"));
    client.ok(&["ignore", "tower/debug", "--undo"]);
    assert!(client.ok(&["arrivals"]).contains("tower/debug"));
}

#[tokio::test]
async fn a_reading_entered_by_hand_has_a_name_and_a_note() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    service.device("tower", &["level", "door:flag"]).await;
    client.ok(&["enter", "tower/level", "2.31", "--at", "2026-05-01T13:00", "--note", "read off the scale"]);
    assert_eq!(service.readings("tower", "level").await, [("2026-05-01T12:00:00Z".to_owned(), json!(2.31))]);
    let path = "sites/marlbeck/devices/tower/signals/level";
    let entered = service.get(&format!("{path}/hand-readings?from=0")).await.ok();
    assert_eq!(
        (&entered["items"][0]["person"], &entered["items"][0]["note"]),
        (&json!("ann"), &json!("read off the scale"))
    );
    assert!(client.fails(&["enter", "tower/door", "5"]).1.contains("flag signal"));
    client.ok(&["signal", "edit", "tower/level", "--reserved", "true"]);
    assert!(client.fails(&["enter", "tower/level", "9"]).1.contains("from its device only"));
    assert_eq!(service.readings("tower", "level").await.len(), 1);
}

#[tokio::test]
async fn places_and_intervals_of_signals_are_set_kept_and_given_back() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    client.ok(&["device", "add", "Tower", "--place", "Hobb Halt", "--every", "10", "--signal", "level:m"]);
    let device = client.json(&["device", "show", "tower"]);
    assert_eq!(device["place"], "Hobb Halt", "{device}");
    assert_eq!(service.get("sites/marlbeck/devices/tower/now").await.ok()["place"], "Hobb Halt");
    client.ok(&["device", "edit", "tower", "--place", ""]);
    assert_eq!(client.json(&["device", "show", "tower"])["place"], "");

    // A battery is told once a day: a morning without it is no gap.
    client.ok(&["signal", "add", "tower/battery", "--unit", "V", "--every", "86400"]);
    let key = client.json(&["key", "issue", "tower"])["key"].as_str().unwrap().to_owned();
    for hour in [0, 6] {
        let body = serde_json::json!({"at": 1_777_593_600 + hour * 3_600, "battery": 3.6, "level": 2.0});
        service.deliver(&key, body.to_string()).await;
    }
    let gaps = async |signal: &str| {
        let path = format!(
            "sites/marlbeck/devices/tower/signals/{signal}/gaps?from=2026-05-01T00:00:00Z&to=2026-05-02T00:00:00Z"
        );
        service.get(&path).await.ok()["items"].as_array().unwrap().len()
    };
    assert_eq!((gaps("battery").await, gaps("level").await), (0, 1));
    client.ok(&["signal", "edit", "tower/battery", "--every", "0"]);
    assert_eq!(gaps("battery").await, 1, "as often as its device now");

    // Both stand in the document of the site.
    client.ok(&["device", "edit", "tower", "--place", "Hobb Halt"]);
    client.ok(&["signal", "edit", "tower/battery", "--every", "3600"]);
    let document = client.ok(&["site", "export"]);
    assert!(document.contains("place = \"Hobb Halt\"") && document.contains("interval_s = 3600"), "{document}");
    let (status, told) = client.fails(&["signal", "edit", "tower/battery", "--every", "1e12"]);
    assert!(status == 1 && told.contains("interval"), "{told}");
}

#[tokio::test]
async fn a_site_may_write_its_numbers_with_a_comma() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    service.device("tower", &["level"]).await;
    assert_eq!(client.json(&["site", "show"])["decimal_mark"], "point");
    client.ok(&["site", "edit", "marlbeck", "--decimal-mark", "comma"]);
    assert_eq!(client.json(&["site", "show"])["decimal_mark"], "comma");
    assert!(client.ok(&["site", "export"]).contains("decimal_mark = \"comma\""));
    let (status, _) = client.fails(&["site", "edit", "marlbeck", "--decimal-mark", "apostrophe"]);
    assert_eq!(status, 2);
}
