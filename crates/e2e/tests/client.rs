use lantern_e2e::{Client, Service, eventually};
use serde_json::json;
use std::io::{BufRead, BufReader};
use std::os::unix::fs::PermissionsExt;
use std::process::Stdio;

#[tokio::test]
async fn from_set_up_to_a_csv_file() {
    let service = Service::bare();
    let client = Client::new(&service);
    let made = client.ok(&["login", &service.url, "--setup", service.code.as_deref().unwrap(), "--name", "ann"]);
    assert!(made.contains("as ann"), "{made}");
    let login = client.home().join("login.toml");
    assert_eq!(login.metadata().unwrap().permissions().mode() & 0o777, 0o600);

    client.ok(&[
        "site",
        "add",
        "Marlbeck Light Railway",
        "--code",
        "marlbeck",
        "--zone",
        "Europe/London",
        "--at",
        "54.5,-2.3,190",
    ]);
    let device = client.json(&[
        "device",
        "add",
        "Water tower",
        "--code",
        "tower",
        "--every",
        "30",
        "--signal",
        "level:m",
        "--signal",
        "door:flag",
    ]);
    assert_eq!(device["code"], "tower");
    let key = client.json(&["key", "issue", "tower"])["key"].as_str().unwrap().to_owned();

    let sent = client.ok(&["send", "--key", &key, "level=2.31", "door=true", "new=5", "--at", "2026-05-01T12:00:00Z"]);
    assert_eq!(sent, "kept 3\nnot declared, waiting as arrivals: new\n");
    let (code, said) = client.fails(&["send", "--key", &key, "level=2.3", "door=ajar"]);
    assert_eq!((code, said.contains("1 of the values")), (1, true), "{said}");

    let now = client.ok(&["now"]);
    assert!(now.contains("tower/level") && now.contains("2.30") && now.contains("fresh"), "{now}");
    assert_eq!(client.json(&["now", "tower"])[0]["signals"][0]["last"]["value"], 2.3);
    assert!(client.ok(&["arrivals"]).contains("tower/new"));
    let readings = client.ok(&["readings", "tower/level", "--from", "2026-05-01", "--to", "2026-05-02"]);
    assert_eq!(readings, "TIME                 VALUE\n2026-05-01 13:00:00   2.31\n");

    let csv = client.ok(&["export", "tower/level", "tower/door", "--from", "2026-05-01", "--to", "2026-05-02"]);
    assert_eq!(csv, "time,tower/level (m),tower/door\r\n2026-05-01T13:00:00+01:00,2.31,1\r\n");
    let file = client.home().join("tower.csv");
    client.ok(&[
        "export",
        "tower/level",
        "--zone",
        "UTC",
        "--from",
        "2026-05-01",
        "--to",
        "2026-05-02",
        "--file",
        file.to_str().unwrap(),
    ]);
    assert_eq!(std::fs::read_to_string(file).unwrap(), "time,tower/level (m)\r\n2026-05-01T12:00:00+00:00,2.31\r\n");

    client.ok(&["logout"]);
    assert!(!login.exists());
    assert_eq!(client.fails(&["now"]).0, 1);
}

#[tokio::test]
async fn objects_are_edited_and_removed() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    service.deliver(&key, r#"{"temp": 1}"#).await;
    let client = Client::logged_in(&service);

    assert_eq!(client.json(&["site", "edit", "marlbeck", "--name", "Railway", "--at", "54.5,-2.3"])["name"], "Railway");
    assert!(client.ok(&["site", "list"]).contains("Europe/London"));
    assert_eq!(client.json(&["device", "edit", "tower", "--every", "60", "--note", "moved"])["interval_s"], 60.0);
    assert!(client.ok(&["device", "show", "tower"]).contains("moved"));
    assert_eq!(client.json(&["signal", "edit", "tower/temp", "--unit", "°C"])["unit"], "Cel");
    assert_eq!(client.json(&["signal", "edit", "tower/temp", "--unit", ""])["unit"], json!(null));
    assert_eq!(client.json(&["signal", "add", "tower/level", "--unit", "m"])["symbol"], "m");
    assert!(client.ok(&["signal", "list", "tower"]).contains("level"));
    let keys = client.json(&["key", "list", "tower"]);
    let id = keys[0]["id"].to_string();
    assert!(client.ok(&["key", "revoke", "tower", "--id", &id]).contains("revoked"));
    assert!(client.fails(&["send", "--key", &key, "temp=1"]).1.contains("revoked"));

    let (code, said) = client.fails(&["device", "remove", "tower"]);
    assert_eq!((code, said.contains("1 readings") && said.contains("--confirm tower")), (1, true), "{said}");
    assert_eq!(client.json(&["signal", "remove", "tower/level"])["removed"], true, "nothing is lost with it");
    assert_eq!(client.json(&["device", "remove", "tower", "--confirm", "tower"])["removed"], true);
    assert!(client.ok(&["removed"]).contains("tower"));
    assert_eq!(client.ok(&["device", "restore", "tower"]), "device tower is back\n");
    assert_eq!(client.ok(&["removed"]).lines().filter(|line| line.contains("tower/level")).count(), 1);
    assert_eq!(client.ok(&["signal", "restore", "tower/level"]), "signal level is back\n");
    assert_eq!(client.ok(&["removed"]), "Nothing was removed within the last day.\n");
    assert_eq!(client.json(&["site", "remove", "marlbeck", "--confirm", "marlbeck"])["removed"], true);
}

#[tokio::test]
async fn it_works_unattended_by_the_environment_alone() {
    let service = Service::start().await;
    service.device("tower", &["temp"]).await;
    let client = Client::new(&service);
    let output = client
        .command(&["-o", "json", "device", "list"])
        .env("LANTERN_URL", &service.url)
        .env("LANTERN_TOKEN", &service.token)
        .env("LANTERN_SITE", "marlbeck")
        .output()
        .unwrap();
    let devices: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(devices[0]["code"], "tower");
}

#[tokio::test]
async fn mistakes_have_exit_codes_and_words() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    for (arguments, code, says) in [
        (&["frobnicate"][..], 2, "unrecognized"),
        (&["readings", "tower"], 2, "DEVICE/SIGNAL"),
        (&["device", "add", "x", "--at", "north"], 2, "LAT,LON"),
        (&["readings", "tower/temp", "--since", "soon"], 2, "such as 2h"),
        (&["now", "nothing"], 1, "no device `nothing`"),
        (&["signal", "add", "nothing/x"], 1, "no device `nothing`"),
        (&["follow", "nothing"], 1, "nothing to follow"),
        (&["send", "--key", "wrong", "temp=1"], 1, "No device has this key"),
        (&["--url", "http://127.0.0.1:1", "now"], 1, "nothing answers there"),
        (&["--site", "nowhere", "now"], 1, "no site `nowhere`"),
    ] {
        let (exit, said) = client.fails(arguments);
        assert_eq!(exit, code, "{arguments:?}: {said}");
        assert!(said.contains(says), "{arguments:?}: {said}");
    }
}

#[tokio::test]
async fn follow_prints_a_line_for_each_reading_when_piped() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp", "hum"]).await;
    service.device("larder", &["temp"]).await;
    let client = Client::logged_in(&service);
    let mut child = client.command(&["follow", "tower/temp"]).stdout(Stdio::piped()).spawn().unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let (sender, received) = std::sync::mpsc::channel();
    std::thread::spawn(move || {
        while let Some(Ok(line)) = lines.next() {
            let _ = sender.send(line);
        }
    });
    // Sent until it is heard, because the stream opens when it opens.
    let line = eventually("a line", || {
        let line = received.try_recv().ok();
        let service = &service;
        let key = &key;
        async move {
            if line.is_none() {
                service.deliver(key, r#"{"temp": 21.4, "hum": 55}"#).await;
            }
            line
        }
    })
    .await;
    child.kill().unwrap();
    child.wait().unwrap();
    assert!(line.ends_with("tower/temp 21.4"), "{line}");
}

#[tokio::test]
async fn completions_and_help_are_there() {
    let service = Service::bare();
    let client = Client::new(&service);
    for shell in ["bash", "zsh", "fish"] {
        assert!(client.ok(&["completions", shell]).contains("lantern"), "{shell}");
    }
    let help = client.ok(&["--help"]);
    assert!(help.contains("Examples:") && help.contains("Exit codes: 0 done, 1 failed, 2 wrong usage"), "{help}");
    assert!(client.ok(&["device", "add", "--help"]).contains("--signal level:m"));
}

/// A waveform is listed burst by burst, a view is kept and drawn, and hours are written for a spreadsheet.
#[tokio::test]
async fn bursts_views_and_stretches_in_the_terminal() {
    let service = Service::start().await;
    let key = service.device("viaduct", &["strain"]).await;
    for (hour, height) in [(8, 5.0), (9, 7.5)] {
        let samples: Vec<f64> = (0..100).map(|i| if i == 40 { height } else { 1.0 }).collect();
        let body = json!({"at": format!("2026-05-01T{hour:02}:00:00Z"), "every": 0.01, "strain": samples});
        assert_eq!(service.deliver(&key, body.to_string()).await.status, 200);
    }
    let client = Client::logged_in(&service);
    let day = ["--from", "2026-05-01", "--to", "2026-05-02"];
    let told = client.ok(&[&["bursts", "viaduct/strain"], &day[..]].concat());
    let lines: Vec<&str> = told.lines().collect();
    assert_eq!(lines.len(), 3, "{told}");
    // Half past the first second the tallest sample came, at the clocks of the site.
    assert!(lines[1].starts_with("2026-05-01 09:00:00") && lines[1].contains("09:00:00.400"), "{told}");
    assert!(lines[2].contains("7.5") && lines[2].contains("100"), "{told}");
    let newest = client.json(&[&["bursts", "viaduct/strain", "--newest", "--limit", "1"], &day[..]].concat());
    assert_eq!(newest["items"][0]["max"]["value"], 7.5);
    assert!(newest["next"].is_string());
    let one = client.json(&[&["bursts", "viaduct/strain", "--gap", "2h"], &day[..]].concat());
    assert_eq!(one["items"].as_array().unwrap().len(), 1);

    assert_eq!(client.ok(&["view", "list"]), "No views are kept. See `lantern view keep --help`.\n");
    client.ok(&["view", "keep", "Trains & all", "viaduct/strain", "--span", "1w"]);
    let list = client.ok(&["view", "list"]);
    assert!(list.contains("Trains & all") && list.contains("viaduct/strain"), "{list}");
    let drawn = client.ok(&[&["chart", "--view", "Trains & all"], &day[..]].concat());
    assert!(drawn.contains("viaduct/strain"), "{drawn}");
    assert!(client.fails(&["chart", "--view", "Nothing"]).1.contains("no view"));
    client.ok(&["view", "remove", "Trains & all"]);
    assert_eq!(client.json(&["view", "list"]).as_array().map(Vec::len), Some(0));

    let hours = ["export", "viaduct/strain", "--by", "hour", "--figures", "max,count", "--spreadsheet"];
    let csv = client.ok(&[&hours[..], &day[..]].concat());
    let expected = "time (Europe/London),viaduct/strain.max,viaduct/strain.count\r\n\
                    2026-05-01 09:00:00,5,100\r\n2026-05-01 10:00:00,7.5,100\r\n";
    assert_eq!(csv, expected);
    let (code, _) = client.fails(&["export", "--by", "hour", "--every", "10m"]);
    assert_eq!(code, 2, "two ways to say one thing");
}
