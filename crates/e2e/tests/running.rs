use lantern_e2e::{Service, binary};
use serde_json::json;
use std::io::Write;
use std::net::TcpListener;
use std::process::{Command, Output, Stdio};

fn serve(arguments: &[&str]) -> Output {
    Command::new(binary("key-lantern")).arg("serve").args(arguments).stdin(Stdio::null()).output().unwrap()
}

/// Exit code 1 and one sentence on standard error.
fn refuses(arguments: &[&str], says: &str) {
    let output = serve(arguments);
    let message = String::from_utf8(output.stderr).unwrap();
    assert_eq!(output.status.code(), Some(1), "{message}");
    let said: Vec<&str> = message.lines().filter(|line| line.starts_with("key-lantern: ")).collect();
    assert_eq!(said.len(), 1, "{message}");
    assert!(said[0].contains(says), "{message}");
}

#[test]
fn what_keeps_it_from_starting_is_said_in_a_sentence() {
    let dir = tempfile::tempdir().unwrap();
    let taken = TcpListener::bind("127.0.0.1:0").unwrap();
    let http = taken.local_addr().unwrap().to_string();
    let data = dir.path().join("data");
    refuses(&["--data", data.to_str().unwrap(), "--http", &http], "cannot listen on");

    let file = dir.path().join("file");
    std::fs::write(&file, "").unwrap();
    refuses(&["--data", file.join("inside").to_str().unwrap(), "--http", "127.0.0.1:0"], "cannot be written");
    refuses(&["--config", dir.path().join("none.toml").to_str().unwrap()], "does not exist");
}

#[tokio::test]
async fn a_second_service_on_the_same_data_is_refused() {
    let service = Service::bare();
    refuses(&["--data", service.data().to_str().unwrap(), "--http", "127.0.0.1:0"], "in use by another");
}

#[test]
fn settings_say_where_each_came_from() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("key-lantern.toml");
    std::fs::write(&file, "http = \"127.0.0.1:9000\"\nlog_format = \"json\"\n").unwrap();
    let output = Command::new(binary("key-lantern"))
        .args(["settings", "--config", file.to_str().unwrap(), "--log-level", "debug"])
        .env("KEY_LANTERN_DATA", "/tmp/elsewhere")
        .env("KEY_LANTERN_LOG_FORMAT", "text")
        .output()
        .unwrap();
    let text = String::from_utf8(output.stdout).unwrap();
    for (name, value, source) in [
        ("http", "127.0.0.1:9000", "key-lantern.toml"),
        ("data", "/tmp/elsewhere", "environment KEY_LANTERN_DATA"),
        ("log_format", "text", "environment KEY_LANTERN_LOG_FORMAT"),
        ("log_level", "debug", "flag --log-level"),
        ("secure_cookies", "false", "default"),
    ] {
        let line = text.lines().find(|line| line.starts_with(&format!("{name} "))).unwrap_or_default();
        assert!(line.contains(value) && line.contains(source), "{name}: {text}");
    }
    let wrong = Command::new(binary("key-lantern")).args(["settings", "--http", "nowhere"]).output().unwrap();
    assert_eq!(wrong.status.code(), Some(2), "wrong usage");
}

#[test]
fn the_data_directory_is_for_its_owner_alone() {
    let service = Service::bare();
    let mode = std::os::unix::fs::PermissionsExt::mode(&service.data().metadata().unwrap().permissions());
    assert_eq!(mode & 0o777, 0o700);
}

#[tokio::test]
async fn a_signal_stops_it_in_order_and_nothing_is_lost() {
    let mut service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    service.deliver(&key, r#"{"temp": 1}"#).await;
    assert!(service.stop().success());
    let wal = service.data().join("key-lantern.sqlite-wal");
    assert!(!wal.exists(), "the database was closed");

    service.kill_and_restart();
    assert_eq!(service.readings("tower", "temp").await.len(), 1);
    assert_eq!(service.get("sites/marlbeck/devices/tower").await.ok()["presence"], "fresh", "presence is remembered");
}

#[tokio::test]
async fn a_live_listener_does_not_keep_it_from_stopping() {
    let mut service = Service::start().await;
    let listener = service.request(reqwest::Method::GET, "/api/v1/live?site=marlbeck").bearer_auth(&service.token);
    let _open = listener.send().await.unwrap();
    assert!(service.stop().success());
}

#[tokio::test]
async fn a_second_signal_forces_the_end() {
    let mut service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    // A delivery that never ends keeps the service from stopping in order.
    let mut stuck = std::net::TcpStream::connect(service.url.trim_start_matches("http://")).unwrap();
    write!(stuck, "POST /in/{key} HTTP/1.1\r\nHost: x\r\nContent-Length: 100\r\n\r\n{{").unwrap();
    service.get("health").await.ok();
    let id = service.id().to_string();
    Command::new("kill").arg(&id).status().unwrap();
    // The first one is under way when nobody is let in any more.
    lantern_e2e::eventually("the port to be closed", || async {
        std::net::TcpStream::connect(service.url.trim_start_matches("http://")).is_err().then_some(())
    })
    .await;
    assert_eq!(service.stop().code(), Some(1));
}

#[tokio::test]
async fn logs_are_json_on_request_and_hold_no_keys() {
    let dir = tempfile::tempdir().unwrap();
    let log = std::fs::File::create(dir.path().join("log")).unwrap();
    let mut child = Command::new(binary("key-lantern"))
        .args([
            "serve",
            "--http",
            "127.0.0.1:0",
            "--mqtt",
            "127.0.0.1:0",
            "--log-format",
            "json",
            "--log-level",
            "debug",
            "--data",
        ])
        .arg(dir.path().join("data"))
        .stdout(Stdio::piped())
        .stderr(log)
        .spawn()
        .unwrap();
    let mut first = String::new();
    std::io::BufRead::read_line(&mut std::io::BufReader::new(child.stdout.take().unwrap()), &mut first).unwrap();
    let url = first.trim().rsplit(' ').next().unwrap().to_owned();
    let answer = reqwest::get(format!("{url}/in/thisisasecretkey?temp=1")).await.unwrap();
    assert_eq!(answer.status().as_u16(), 401);
    for path in ["do/thisisasecretkey", "done/7/thisisasecretkey?answer=ok"] {
        assert_eq!(reqwest::get(format!("{url}/{path}")).await.unwrap().status().as_u16(), 401);
    }
    Command::new("kill").arg(child.id().to_string()).status().unwrap();
    child.wait().unwrap();
    let text = std::fs::read_to_string(dir.path().join("log")).unwrap();
    let lines: Vec<serde_json::Value> = text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert!(lines.iter().any(|line| line["path"] == json!("/in/…")), "{text}");
    assert!(!text.contains("thisisasecretkey"), "{text}");
}

#[tokio::test]
async fn figures_stand_at_an_address_of_their_own() {
    let at = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let service = Service::start_with(&[("metrics", &at.to_string())]).await;
    let key = service.device("tower", &["temp"]).await;
    service.deliver(&key, "[{\"temp\":1,\"at\":1777636800},{\"temp\":2,\"at\":1777636801}]").await;
    let answer = reqwest::get(format!("http://{at}/metrics")).await.unwrap();
    assert_eq!(answer.headers()["content-type"], "application/openmetrics-text; version=1.0.0; charset=utf-8");
    let text = answer.text().await.unwrap();
    assert!(text.ends_with("\n# EOF\n"), "{text}");
    let value = |name: &str| text.lines().find_map(|line| line.strip_prefix(&format!("key_lantern_{name} ")));
    assert_eq!(value("readings_written_total"), Some("2"), "{text}");
    assert_eq!(value("well{part=\"disk\"}"), Some("1"));
    assert_eq!(value("deliveries_failed_total"), Some("0"));
    // Each sample belongs to the family that was named last.
    let mut family = String::new();
    for line in text.lines() {
        if let Some(rest) = line.strip_prefix("# TYPE ") {
            family = rest.split(' ').next().unwrap().to_owned();
        } else if !line.starts_with('#') {
            assert!(line.starts_with(&family) && line.rsplit(' ').next().unwrap().parse::<f64>().is_ok(), "{line}");
        }
    }
    assert_eq!(service.request(reqwest::Method::GET, "/metrics").send().await.unwrap().status(), 404);
}
