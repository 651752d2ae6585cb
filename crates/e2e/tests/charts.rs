use super::console::{AXE, log_in, now_s, with_browser};
use fantoccini::Locator;
use lantern_e2e::{Browser, Service, eventually};
use reqwest::Method;
use serde_json::{Value, json};

/// How often summaries were asked for since the page was opened.
async fn summaries(browser: &Browser) -> u64 {
    let script =
        "return performance.getEntriesByType('resource').filter((one) => one.name.includes('/summary?')).length";
    browser.page.execute(script, vec![]).await.unwrap().as_u64().unwrap()
}

async fn query(browser: &Browser) -> String {
    browser.page.current_url().await.unwrap().query().unwrap_or_default().to_owned()
}

/// What is typed as a time, in the site's zone.
fn typed(seconds: i64) -> String {
    let zone = jiff::tz::TimeZone::get("Europe/London").unwrap();
    let at = jiff::Timestamp::from_second(seconds).unwrap().to_zoned(zone);
    at.strftime("%Y-%m-%d %H:%M").to_string()
}

/// The leak of a tower is found beside another one's level, by its readings as they come.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn signals_of_two_devices_are_charted_live_and_zoomed() {
    let service = Service::start().await;
    let tower = service.device("tower", &["level"]).await;
    let larder = service.device("larder", &["oil", "temp"]).await;
    let now = now_s();
    let levels: Vec<Value> =
        (0..100).map(|i| json!({"at": now - 3_000 + 30 * i64::from(i), "level": f64::from(300 - i) / 100.0})).collect();
    service.deliver(&tower, Value::from(levels).to_string()).await;
    service.deliver(&larder, &json!({"at": now - 600, "oil": 7, "temp": 4}).to_string()).await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        let charts = format!("{}/sites/marlbeck/charts", service.url);
        browser.open(&format!("{charts}?signals=tower/level,larder/oil&span=1h")).await;
        let told = |says: &'static str| browser.sees(says);
        told("tower: level fell 0.99, lowest 2.01").await;
        told("larder: oil ended where it began, lowest 7").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        // What comes is drawn without asking the service again.
        let before = summaries(&browser).await;
        service.deliver(&tower, r#"{"level": 1.25}"#).await;
        told("tower: level fell 1.75, lowest 1.25").await;
        service.deliver(&larder, r#"{"oil": 9.5}"#).await;
        told("larder: oil rose 2.5,").await;
        assert_eq!(summaries(&browser).await, before, "the stream said it all");

        // A typed time is a step that can be gone back.
        browser.fill("To", &typed(now - 1_500)).await;
        let to = browser.field("To").await;
        to.send_keys("\u{e007}").await.unwrap();
        told("larder: oil: no readings in this time.").await;
        assert!(query(&browser).await.contains("to="), "{}", query(&browser).await);
        browser.page.back().await.unwrap();
        told("tower: level fell 1.75").await;
        eventually("the hour to be shown again", || async { query(&browser).await.contains("span=1h").then_some(()) })
            .await;
    })
    .await;
}

/// A past that is looked at, noted, questioned, counted and taken away, as somebody at a desk does it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_past_is_noted_questioned_counted_and_taken_away() {
    let service = Service::start().await;
    let tower = service.device("tower", &["level"]).await;
    let now = now_s() / 60 * 60;
    // Two weeks by the hour: this week the level falls where it did not the week before.
    let level = |hour: i64| if hour < 168 { 3.0 } else { 3.0 - (hour - 168) as f64 / 168.0 };
    let readings: Vec<Value> =
        (0..336).map(|hour| json!({"at": now - (336 - hour) * 3_600, "level": level(hour)})).collect();
    service.deliver(&tower, Value::from(readings).to_string()).await;
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        let site = format!("{}/sites/marlbeck", service.url);
        browser.open(&format!("{site}/charts?signals=tower/level&span=1w")).await;
        browser.sees("level fell").await;
        browser.choose("Underlaid", "The week before").await;
        eventually("the week before in the address", || async {
            query(&browser).await.contains("under=week").then_some(())
        })
        .await;

        browser.press("Write a note").await;
        browser.fill("What happened", "It loses water").await;
        browser.choose("About", "level").await;
        browser.press("Keep it").await;
        // It stands beside the beginning of the trial, as one mark.
        let mark = browser.find(Locator::Css("[aria-label*='1 note']")).await;
        mark.click().await.unwrap();
        browser.sees("tower/level: It loses water").await;
        browser.open(&format!("{site}/notes")).await;
        browser.sees("It loses water").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        browser.open(&format!("{site}/charts?signals=tower/level&span=1w&under=week")).await;
        browser.press("Origin of values").await;
        browser.sees("HTTP POST as JSON").await;
        browser.sees("Sent").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Show as table").await;
        browser.sees("rows").await;

        browser.press("Take away").await;
        browser.sees("time,tower/level").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Close").await;

        browser.open(&format!("{site}/figures?signals=tower/level&span=1w&by=whole&below=2.5")).await;
        browser.sees("Hours below 2.5").await;
        browser.press("Show days and hours").await;
        browser.sees("mean by day and hour").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        browser.open(&format!("{site}/coverage")).await;
        browser.sees("of what was expected came").await;
        browser.press("Gaps of tower").await;
        browser.sees("it reported again").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
    })
    .await;
}

/// A second of a bearing while a train crosses, heaviest in the middle of its three seconds.
fn crossing(second: i64, height: f64) -> Vec<f64> {
    let sample = |i: i64| height * (std::f64::consts::PI * (second * 100 + i) as f64 / 300.0).sin();
    (0..100).map(|i| (sample(i) * 100.0).round() / 100.0).collect()
}

/// Trains are stepped through one by one; what the probe says is not to be trusted is said to be so; the view is kept.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn trains_are_stepped_through_seen_side_by_side_and_kept_as_a_view() {
    let service = Service::start().await;
    let viaduct = service.device("viaduct", &["strain", "bonded:flag", "mode:text"]).await;
    let screen = json!({"meaning": {"screen": {"while": {"signal": "bonded", "is": true}}}});
    service.api(Method::PUT, "sites/marlbeck/devices/viaduct/signals/strain/meaning", Some(screen)).await.ok();
    let now = now_s() / 3_600 * 3_600;
    let trains = [(7, 40.0, true), (5, 60.0, true), (3, 90.0, false)];
    for (hours_ago, height, bonded) in trains {
        for second in 0..3 {
            let at = now - hours_ago * 3_600 + second;
            let mode = if hours_ago > 4 { "eco" } else { "boost" };
            let strain = crossing(second, height);
            let body = json!({"at": at, "every": 0.01, "strain": strain, "bonded": bonded, "mode": mode});
            assert_eq!(service.deliver(&viaduct, body.to_string()).await.status, 200);
        }
    }
    let axe = std::fs::read_to_string(AXE).expect("axe-core is installed with the console's packages");
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        let charts = format!("{}/sites/marlbeck/charts", service.url);
        browser.open(&format!("{charts}?signals=viaduct/strain,viaduct/mode&span=1d")).await;
        browser.sees("highest 60").await;
        browser.sees("“eco”").await;
        browser.press("Bursts").await;
        browser.sees("3 in this time, the last first.").await;
        browser.sees("Not to be trusted").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        // From the day the last one is looked at first, then the one before it.
        browser.press("Previous burst").await;
        browser.sees("no readings in this time").await;
        let last = query(&browser).await;
        browser.press("Previous burst").await;
        browser.sees("highest 60").await;
        assert_ne!(query(&browser).await, last);
        browser.press("Previous burst").await;
        browser.sees("highest 40").await;
        browser.press("Previous burst").await;
        browser.sees("There is no earlier burst.").await;
        browser.press("Next burst").await;
        browser.sees("highest 60").await;
        browser.page.back().await.unwrap();
        browser.sees("highest 40").await;

        // The whole history stands above, and its window moves by keys.
        let before = query(&browser).await;
        let window = browser.find(Locator::Css("[role=slider][aria-label='The time shown']")).await;
        window.send_keys("\u{e014}").await.unwrap();
        eventually("another time in the address", || async { (query(&browser).await != before).then_some(()) }).await;

        browser.open(&format!("{charts}?signals=viaduct/strain&span=6h")).await;
        browser.sees("highest 60").await;
        browser.press("Side by side").await;
        browser.sees("Second less first").await;
        eventually("the second time in the address", || async {
            query(&browser).await.contains("beside=").then_some(())
        })
        .await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());

        browser.press("Views").await;
        browser.press("Keep this view …").await;
        browser.fill("Name", "Trains").await;
        browser.press("Keep it").await;
        eventually("the view to be kept", || async {
            let views = service.get("sites/marlbeck/views").await.ok();
            views["items"][0]["query"].as_str().is_some_and(|query| query.contains("beside=")).then_some(())
        })
        .await;
        browser.open(&charts).await;
        browser.press("Views").await;
        browser.find(Locator::XPath("//li[@role='menuitem' and contains(., 'Trains')]")).await.click().await.unwrap();
        browser.sees("Second less first").await;

        browser.press("Listen").await;
        browser.sees("Listen to a signal").await;
        assert_eq!(browser.axe(&axe).await, Vec::<String>::new());
        browser.press("Close").await;

        browser.press("Take away").await;
        browser.choose("Format", "Parquet, a column for each signal").await;
        browser.sees("As text, the file begins like this").await;
        let script = "const [done] = arguments;
            fetch([...document.querySelectorAll('a')].find((one) => one.textContent === 'Save the file').href)
                .then((answer) => answer.arrayBuffer())
                .then((bytes) => done(new TextDecoder('latin1').decode(bytes.slice(-4))));";
        assert_eq!(browser.page.execute_async(script, vec![]).await.unwrap(), "PAR1");
    })
    .await;
}

/// "All there is" goes from the first reading to now.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn all_there_is_shows_the_first_reading() {
    let service = Service::start().await;
    let tower = service.device("tower", &["level"]).await;
    let first = now_s() - 40 * 86_400;
    service
        .deliver(&tower, json!([{"at": first, "level": 9}, {"at": first + 86_400 * 39, "level": 2}]).to_string())
        .await;
    with_browser(async |browser| {
        log_in(&browser, &service).await;
        browser.open(&format!("{}/sites/marlbeck/charts?signals=tower/level&span=1w", service.url)).await;
        browser.sees("lowest 2").await;
        browser.press("All there is").await;
        browser.sees("highest 9").await;
        assert!(query(&browser).await.contains(&format!("from={}", first * 1_000)), "{}", query(&browser).await);
    })
    .await;
}
