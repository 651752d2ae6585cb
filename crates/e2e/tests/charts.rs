use super::console::{AXE, log_in, now_s, with_browser};
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
