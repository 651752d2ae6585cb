use fantoccini::Locator;
use lantern_e2e::{Browser, Service, eventually};
use reqwest::Method;
use serde_json::{Value, json};
use std::process::Command;

pub(crate) const AXE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../console/node_modules/axe-core/axe.min.js");

/// Runs the body and ends the browser's session whatever happens.
pub(crate) async fn with_browser<F: Future<Output = ()>>(body: impl FnOnce(std::sync::Arc<Browser>) -> F) {
    let browser = std::sync::Arc::new(Browser::start(1280, 800, false).await);
    body(browser.clone()).await;
    assert_eq!(browser.complaints().await, Vec::<String>::new(), "the console complained");
    browser.page.clone().close().await.unwrap();
}

/// Values of the line that is shown, as the page itself tells them.
async fn readout(browser: &Browser) -> String {
    // The middle of the chart is where the cursor finds the nearest value.
    let canvas = browser.find(Locator::Css("section#history .u-over")).await;
    let (_, _, width, height) = canvas.rectangle().await.unwrap();
    let script = "const e = arguments[0], r = e.getBoundingClientRect(); \
        const at = {clientX: r.left + r.width - 2, clientY: r.top + arguments[2] / 2, bubbles: true}; \
        e.dispatchEvent(new MouseEvent('mouseenter', at)); e.dispatchEvent(new MouseEvent('mousemove', at));";
    browser
        .page
        .execute(script, vec![serde_json::to_value(&canvas).unwrap(), width.into(), height.into()])
        .await
        .unwrap();
    browser.text_of("section#history [data-readout]", |text| !text.is_empty()).await
}

/// The whole way of a newcomer.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn from_the_set_up_address_to_a_value_on_the_page() {
    let service = Service::bare();
    with_browser(async |browser| {
        browser.open(&format!("{}/set-up?code={}", service.url, service.code.as_deref().unwrap())).await;
        browser.fill("Your name", "ann").await;
        browser.fill("Password", "steam and brass").await;
        browser.press("Make my account").await;

        browser.sees("Add a site").await;
        browser.fill("Name of the site", "Marlbeck Light Railway").await;
        browser.fill("Code", "marlbeck").await;
        browser.press("Add the site").await;
        browser.sees("No device yet").await;

        browser.press("Add a device").await;
        browser.fill("Name of the device", "Water tower").await;
        browser.fill("Code", "tower").await;
        browser.fill("Reports every", "30").await;
        browser.fill("Signal code", "level").await;
        browser.fill("Unit", "m").await;
        browser.press("Add the device and issue its key").await;
        browser.sees("Waiting for the first message").await;
        let key = browser.text_of("#issued-key", |text| text.len() == 24).await;

        // What is refused is seen too, with what to change.
        service.deliver(&key, "level is high").await;
        browser.sees("Something came, but nothing was kept of it yet").await;
        // The recipe is run as it stands, and what came of it appears by itself.
        let line = browser.text_of("#recipe", |text| text.contains("curl ")).await;
        let sent = Command::new("sh").arg("-c").arg(line.replace("21.5", "1.5")).output().unwrap();
        assert_eq!(String::from_utf8_lossy(&sent.stdout), "ok 1\n", "{line}");
        browser.sees("It is heard").await;
        // An address that leads a board to itself is asked about.
        browser.fill("Name or address of this computer in the network", "lantern.hut").await;
        browser.text_of("#issued-mqtt-address", |text| text.contains("@lantern.hut:")).await;
        browser.text_of("#recipe", |text| text.contains("//lantern.hut:") && !text.contains("127.0.0.1")).await;

        browser.press("To the device").await;
        browser.sees("Water tower: fresh").await;
        browser.text_of("[data-signal=level] [data-value]", |text| text == "1.5 m").await;
        let second = service.deliver(&key, r#"{"level": 2.25}"#).await;
        assert_eq!(second.text, "ok 1\n");
        browser.text_of("[data-signal=level] [data-value]", |text| text == "2.25 m").await;

        // The chart knows both values and says so.
        browser.press("The last ten minutes").await;
        browser.text_of("[data-story]", |text| text.contains("lowest 1.50 m") && text.contains("highest 2.25 m")).await;
        // Both may lie in one bucket, which then says its spread. The end of the time moves over the newest
        // a moment after it came.
        eventually("both values under the pointer", || async {
            let told = readout(&browser).await;
            (told.contains("level ") && told.contains("2.25")).then_some(())
        })
        .await;

        browser.press("Person: ann").await;
        browser.press("Log out").await;
        browser.sees("Log in").await;
        browser.open(&format!("{}/sites/marlbeck/devices/tower", service.url)).await;
        browser.fill("Name", "ann").await;
        browser.fill("Password", "steam and brass").await;
        browser.press("Log in").await;
        browser.sees("Water tower: ").await;
    })
    .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn lamps_arrivals_and_set_up_follow_what_happens() {
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    service.device("larder", &["temp", "door:flag"]).await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        browser.sees("0 of 2 are well, 2 never heard").await;
        service.deliver(&key, r#"{"level": 3.5, "supply": 12.3}"#).await;
        browser.sees("0 of 2 are well, 1 with names waiting, 1 never heard").await;
        browser.sees("3.5").await;
        browser.find(Locator::Css("[data-device=tower] [aria-label^='Lamp: fresh']")).await;
        browser.find(Locator::Css("[data-device=larder] [aria-label^='Lamp: never']")).await;
        browser.find(Locator::Css("[aria-label='1 waiting']")).await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        browser.fill("Filter", "fridge").await;
        browser.sees("No device fits the filter").await;
        browser.press("Show all").await;

        browser.press("Arrivals1").await;
        browser.sees("One name waits to be claimed").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Claim supply of tower").await;
        browser.sees("One reading goes with it").await;
        browser.press("Claim it").await;
        browser.sees("No arrivals").await;

        // Several are claimed at once.
        service.deliver(&key, r#"{"pump": true, "flow": 2.5}"#).await;
        browser.sees("Two names wait to be claimed").await;
        browser.find(Locator::Css("[aria-label='Choose all']")).await.click().await.unwrap();
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Claim 2 chosen").await;
        browser.sees("No arrivals").await;
        let pump = service.get("sites/marlbeck/devices/tower/signals/pump").await.ok();
        assert_eq!(pump["type"], "flag");
        browser.open(&format!("{}/sites/marlbeck/devices/tower", service.url)).await;
        browser.text_of("[data-signal=supply] [data-value]", |text| text == "12.3 V").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        // A recipe with the key just issued in it is run as it stands.
        browser.press("Sending").await;
        browser.press("Issue a key").await;
        browser.press("Issue it").await;
        browser.sees("The key is shown only now").await;
        let recipe = browser.text_of("#recipe", |text| text.contains("curl") && !text.contains("'KEY'")).await;
        let sent = Command::new("sh").arg("-c").arg(&recipe).output().unwrap();
        assert_eq!(String::from_utf8_lossy(&sent.stdout), "ok 4\n", "{recipe}");
        browser.press("Contacts").await;
        browser.sees("HTTP POST from 127.0.0.1").await;
        assert_eq!(browser.page.title().await.unwrap(), "tower – Key Lantern");

        let parts = "nav[aria-label='Parts of this device'] a[href$='/set-up']";
        browser.find(Locator::Css(parts)).await.click().await.unwrap();
        browser.press("Remove this device").await;
        browser.sees("With it go 8 readings").await;
        browser.fill("Type its code", "tower").await;
        browser.press("Remove").await;
        browser.sees("0 of 1 are well, 1 never heard").await;
        browser.press("Set-up").await;
        browser.sees("Set-up of Marlbeck Light Railway").await;
        browser.fill("Name of the site", "Marlbeck Railway").await;
        browser.press("Save").await;
        browser.sees("Set-up of Marlbeck Railway").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
    })
    .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_values_mean_is_written_tried_and_applied_to_the_past() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "second", "sum"]).await;
    let body: Vec<Value> =
        (0..50).map(|i| json!({"at": now_s() - 600 + i, "level": i, "second": 0.5 * i as f64 + 1.0})).collect();
    service.deliver(&key, Value::from(body).to_string()).await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        let base = format!("{}/sites/marlbeck", service.url);
        browser.open(&format!("{base}/devices/tower/signals")).await;
        browser.press("What level means: as sent").await;
        browser.sees("level: as sent").await;
        browser.text_of("[aria-label=Preview]", |text| text.contains("49.00")).await;
        browser.choose("Add a step", "Scale and offset").await;
        browser.fill("Factor", "0.1").await;
        browser.text_of("[data-outcome]", |text| text == "gives 4.900").await;
        browser.fill("What is sent", "20").await;
        browser.text_of("[aria-label=Preview]", |text| text.contains("2.000")).await;
        browser.press("Try it on the last").await;
        browser.sees("Of 50 readings 50 would be good (now 50), and 49 would have another value.").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Save").await;
        browser.sees("Version 1 holds.").await;
        browser.press("Make the past anew").await;
        browser.sees("50 readings made anew").await;
        let last = service.readings("tower", "level").await.last().unwrap().1.as_f64().unwrap();
        assert!((last - 4.9).abs() < 1e-9, "{last}");

        browser.open(&format!("{base}/devices/tower/signals/sum")).await;
        browser.press("Worked out from others").await;
        browser.fill("Formula", "level + secnd").await;
        browser.sees("Character 9: there is no signal `secnd`").await;
        browser.fill("Formula", "level + second").await;
        browser.text_of("[aria-label=Preview]", |text| text.contains("30.40")).await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        browser.open(&format!("{base}/compare?reference=tower/level&other=tower/second&days=1")).await;
        browser.sees("50 of 50 readings have a partner").await;
        browser.sees("tower/level = 0.2000 × tower/second − 0.2000").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Calibrate tower/second by it from now on").await;
        browser.sees("It is the last step of its conversion now").await;

        browser.open(&format!("{base}/devices/tower/signals/second")).await;
        browser.fill("What it said, and what was right", "1 0\n3").await;
        browser.sees("Line 2 is not two numbers").await;
        browser.fill("What it said, and what was right", "1 0\n3 1").await;
        browser.press("Work the line out").await;
        browser.sees("right = 0.5000 × said − 0.5000").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Keep it as the last step").await;
        browser.sees("It holds for what comes from now on").await;
        browser.sees("Version 2 holds.").await;
    })
    .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_history_is_looked_at_in_another_unit() {
    let service = Service::start().await;
    let key = service.device("larder", &["temp"]).await;
    let signal = "sites/marlbeck/devices/larder/signals/temp";
    service.api(Method::PATCH, signal, Some(json!({"unit": "Cel"}))).await.ok();
    service.deliver(&key, json!([{"at": now_s() - 60, "temp": 4.5}, {"temp": 5.0}]).to_string()).await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        browser.open(&format!("{}/sites/marlbeck/devices/larder", service.url)).await;
        browser.text_of("[data-story]", |text| text.contains("highest 5.0") && text.contains("°C")).await;
        let unit = browser.find(Locator::Css("select[aria-label^='Unit of temp']")).await;
        unit.select_by_value("[degF]").await.unwrap();
        browser.text_of("[data-story]", |text| text.contains("lowest 40.1") && text.contains("41.0 °F")).await;
        browser.sees("Value (°F)").await;
        assert!(browser.page.current_url().await.unwrap().query().unwrap().contains("degF"), "it can be sent");
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
    })
    .await;
}

pub(crate) fn now_s() -> i64 {
    jiff::Timestamp::now().as_second()
}

/// Every page at the width of a phone and in the dark: nothing runs out of it, and
/// the accessibility rules hold there too.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn pages_fit_a_phone_and_hold_in_the_dark() {
    let service = Service::start().await;
    let key = service.device("tower", &["level", "a-signal-with-quite-a-long-name", "door:flag", "mode:text"]).await;
    let long = "x".repeat(300);
    let body = format!(
        r#"{{"level": 3.5, "a-signal-with-quite-a-long-name": -123456.789, "door": true, "mode": "{long}", "new": 1}}"#
    );
    service.deliver(&key, body).await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    let browser = Browser::start(390, 800, true).await;
    log_in(&browser, &service).await;
    browser.sees("0 of 1 are well").await;
    // More of them one after the other than a browser has connections, each with
    // its live stream: none may keep the next one waiting.
    for (path, shows) in [
        ("/sites/marlbeck", "0 of 1 are well"),
        ("/sites/marlbeck?form=cards&by=kind", "Of no kind (1)"),
        ("/sites/marlbeck/devices/tower", "Last contacts"),
        ("/sites/marlbeck/devices/tower/contacts", "Keep the first 2 KiB"),
        ("/sites/marlbeck/devices/tower/signals", "a-signal-with-quite-a-long-name"),
        ("/sites/marlbeck/devices/tower/sending", "Issue a key"),
        ("/sites/marlbeck/devices/tower/set-up", "Remove this device"),
        ("/sites/marlbeck/devices/tower/signals/level", "Make the past anew"),
        ("/sites/marlbeck/devices/tower/signals/level?part=screen", "Values outside are suspect"),
        ("/sites/marlbeck/compare", "Choose two signals"),
        ("/sites/marlbeck/charts", "No signal is chosen yet"),
        ("/sites/marlbeck/charts?signals=tower/level,tower/door", "yes in 100.0 % of its readings"),
        ("/sites/marlbeck/arrivals", "One name waits"),
        ("/sites/marlbeck/devices/tower/commissioning", "Every declared signal was seen"),
        ("/sites/marlbeck/kinds", "No kinds yet"),
        ("/sites/marlbeck/add-kind", "Make the kind"),
        ("/sites/marlbeck/set-up", "Remove this site"),
        ("/sites/marlbeck/add-device", "Add the device and issue its key"),
        ("/sites/marlbeck/nothing", "There is no such page"),
        ("/add-site", "Add the site"),
    ] {
        browser.open(&format!("{}{path}", service.url)).await;
        browser.sees(shows).await;
        let wide = browser
            .page
            .execute("return [document.documentElement.scrollWidth, window.innerWidth]", vec![])
            .await
            .unwrap();
        assert!(wide[0].as_u64() <= wide[1].as_u64(), "{path} is {} wide in a window of {}", wide[0], wide[1]);
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new(), "{path}");
    }
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.page.clone().close().await.unwrap();
}

/// The page says when it is not live any more, and comes back by itself.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_lost_service_is_said_and_found_again() {
    let mut service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    service.deliver(&key, r#"{"level": 3.5}"#).await;
    let browser = Browser::start(1280, 800, false).await;
    log_in(&browser, &service).await;
    browser.open(&format!("{}/sites/marlbeck/devices/tower", service.url)).await;
    browser.text_of("[data-signal=level] [data-value]", |text| text == "3.5").await;
    service.kill();
    browser.sees("Not connected since").await;
    service.kill_and_restart();
    service.deliver(&key, r#"{"level": 4.25}"#).await;
    browser.text_of("[data-signal=level] [data-value]", |text| text == "4.25").await;
    let gone = eventually("the word of the lost connection to go", || async {
        (!browser.text().await.contains("Not connected since")).then_some(())
    });
    gone.await;
    browser.page.clone().close().await.unwrap();
}

/// A value that is missing says why, and leads to what mends it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_missing_value_says_why() {
    let service = Service::start().await;
    let key = service.device("tower", &["level"]).await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        browser.open(&format!("{}/sites/marlbeck/devices/tower", service.url)).await;
        browser.press("Why no value?").await;
        browser.sees("Nothing has ever come from it").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Close").await;

        service.deliver(&key, r#"{"levle": 3.5}"#).await;
        browser.press("Why no value?").await;
        browser.sees("spelled nearly like").await;
        browser.press("Claim what waits").await;
        browser.sees("One name waits to be claimed").await;
    })
    .await;
}

/// The walk of a newcomer: "why" finds each mistake, and its button leads to what mends it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn each_mistake_of_a_newcomer_is_found_and_mended_from_there() {
    let service = Service::start().await;
    let device = json!({"code": "tower", "name": "Water tower", "interval_s": 3600, "state": "live",
        "signals": [{"code": "level", "name": "Level", "unit": "m"}]});
    service.post("sites/marlbeck/devices", device).await.ok();
    let issued = service.post("sites/marlbeck/devices/tower/keys", json!({})).await.ok();
    let key = issued["key"].as_str().unwrap();
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        let why = async |finds: &str, button: &str, leads_to: &str| {
            browser.open(&format!("{}/sites/marlbeck/devices/tower", service.url)).await;
            browser.press("Why is nothing here?").await;
            browser.sees(finds).await;
            browser.press(button).await;
            browser.sees(leads_to).await;
        };
        service.deliver("0123456789abcdefghjkmnpq", r#"{"level": 3.5}"#).await;
        why("Most likely that is this device", "How to send", "Keys and recipes").await;

        service.send(service.request(Method::POST, &format!("/inn/{key}")).body(r#"{"level": 3.5}"#)).await;
        why("/in/", "How to send", "Keys and recipes").await;

        service.deliver(key, r#"{"levle": 3.5}"#).await;
        why("spelled nearly like", "Claim what waits", "One name waits to be claimed").await;
        browser.press("Claim levle of tower").await;
        browser.sees("It is spelled nearly like the declared signal level").await;
        browser.press("Claim it").await;
        browser.sees("No arrivals").await;

        let senml = service.request(Method::POST, &format!("/in/{key}"));
        let senml = senml.header("Content-Type", "application/senml+json").body(r#"[{"n":"level","u":"Cel","v":3}]"#);
        service.send(senml).await;
        why("was refused", "See what came", "unit-mismatch").await;

        let deliver_at = async |behind_s: i64| {
            for second in 0..4 {
                let at = now_s() - behind_s - second;
                service.deliver(key, format!(r#"{{"level": 2.5, "at": {at}}}"#)).await;
            }
        };
        deliver_at(10_800).await;
        why("Its clock is 3 h behind", "See what came", "Keep the first 2 KiB").await;

        deliver_at(0).await;
        deliver_at(4).await;
        browser.open(&format!("{}/sites/marlbeck/devices/tower", service.url)).await;
        browser.press("Why is nothing here?").await;
        browser.sees("Nothing is wrong").await;
    })
    .await;
}

#[tokio::test]
async fn files_are_packed_and_cached_and_deep_links_work() {
    let service = Service::bare();
    let get = |path: &str| service.request(Method::GET, path).header("Accept-Encoding", "br");
    let browsing = |path: &str| service.request(Method::GET, path).header("Accept", "text/html,*/*;q=0.8");
    let page = browsing("/sites/marlbeck/devices/tower").send().await.unwrap();
    assert_eq!(page.headers()["cache-control"], "no-cache");
    let html = page.text().await.unwrap();
    let script =
        html.split('"').find(|part| part.starts_with("/assets/") && part.ends_with(".js")).expect(&html).to_owned();

    let packed = get(&script).send().await.unwrap();
    assert_eq!(packed.headers()["content-encoding"], "br");
    assert_eq!(packed.headers()["cache-control"], "public, max-age=31536000, immutable");
    let tag = packed.headers()["etag"].clone();
    let again = get(&script).header("If-None-Match", tag).send().await.unwrap();
    assert_eq!(again.status().as_u16(), 304);

    for (path, status) in [("/assets/none.js", 404), ("/api/v1/none", 404), ("/in/a/b", 404), ("/add-site", 200)] {
        let answer = browsing(path).send().await.unwrap();
        assert_eq!(answer.status().as_u16(), status, "{path}");
    }
    let program = service.request(Method::GET, "/add-site").send().await.unwrap();
    assert_eq!(program.status().as_u16(), 404, "pages are for browsers");
    let problem: Value = service.get("none").await.json();
    assert_eq!(problem["code"], "no-such-address");
}

pub(crate) async fn log_in(browser: &Browser, service: &Service) {
    browser.open(&format!("{}/log-in", service.url)).await;
    browser.fill("Name", "ann").await;
    browser.fill("Password", "steam and brass").await;
    browser.press("Log in").await;
}

/// A command is declared and given on the page, and its life seen as it goes on; so
/// is what a gateway carries.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn commands_and_carried_devices_are_on_the_page_of_their_device() {
    let service = Service::start().await;
    let key = service.device("points-7", &["rail"]).await;
    let carried = serde_json::json!({"code": "shed-1", "name": "Bay 1", "carrier": "points-7", "identity": "a1",
        "signals": [{"code": "count", "role": "sequence"}]});
    service.post("sites/marlbeck/devices", carried).await.ok();
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        browser.open(&format!("{}/sites/marlbeck/devices/points-7/sending", service.url)).await;
        browser.press("Declare a command").await;
        browser.fill("Command", "heater").await;
        browser.press("Save").await;
        browser.sees("answer within 30 s").await;
        let mut points = lantern_e2e::Dial::new(5, "points-7", &key).connect(&service).await;
        browser.sees("Connected by MQTT since").await;
        assert!(points.subscribe("marlbeck/points-7/do/+", 1).await);
        browser.press("Give").await;
        points.came().await;
        browser.sees("delivered, no answer yet").await;
        points.publish("marlbeck/points-7/done/heater", "ok warm", 1).await;
        browser.sees("warm").await;
        for count in [1, 2, 4] {
            points.publish("marlbeck/shed-1/in/count", count.to_string(), 1).await;
        }
        browser.sees("75.0 % of all messages came in the last 24 hours").await;
        browser.open(&format!("{}/sites/marlbeck/devices/points-7/sending", service.url)).await;
        browser.press("Open a joining window for 10 min").await;
        browser.sees("Joining window open for 10 min more").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.resize(390, 800).await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        points.break_off();
        browser.sees("Not connected since").await;
    })
    .await;
}
