use super::console::{AXE, log_in, now_s, with_browser};
use fantoccini::Locator;
use lantern_e2e::{Browser, Service, eventually};
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
