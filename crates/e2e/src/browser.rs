use crate::eventually;
use fantoccini::elements::Element;
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Map, Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::Duration;
use tempfile::TempDir;

const FLAGS: [&str; 9] = [
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
];

/// Chromium with its driver. Both end when it is dropped.
pub struct Browser {
    /// The session.
    pub page: fantoccini::Client,
    driver: Child,
    _dir: TempDir,
}

/// What the browser wrote to its console.
#[derive(Debug)]
struct ConsoleLog;

impl WebDriverCompatibleCommand for ConsoleLog {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (reqwest::Method, Option<String>) {
        (reqwest::Method::POST, Some(json!({"type": "browser"}).to_string()))
    }
}

/// Something that only this browser's own protocol can do.
#[derive(Debug)]
struct Devtools(Value);

impl WebDriverCompatibleCommand for Devtools {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (reqwest::Method, Option<String>) {
        (reqwest::Method::POST, Some(self.0.to_string()))
    }
}

impl Browser {
    /// Seconds the page has run scripts, and worked at all, since it was opened.
    pub async fn busy_s(&self) -> (f64, f64) {
        let command = |name: &str| Devtools(json!({"cmd": name, "params": {}}));
        self.page.issue_cmd(command("Performance.enable")).await.unwrap();
        let measured = self.page.issue_cmd(command("Performance.getMetrics")).await.unwrap();
        let of = |name: &str| {
            let metrics = measured["metrics"].as_array().into_iter().flatten();
            metrics.filter(|metric| metric["name"] == name).find_map(|metric| metric["value"].as_f64()).unwrap()
        };
        (of("ScriptDuration"), of("TaskDuration"))
    }

    /// Runs a script before anything else in each page that is opened from now on.
    pub async fn run_first(&self, script: &str) {
        let command = json!({"cmd": "Page.addScriptToEvaluateOnNewDocument", "params": {"source": script}});
        self.page.issue_cmd(Devtools(command)).await.unwrap();
    }

    /// Starts a browser with a window of that size inside.
    pub async fn start(width: u32, height: u32, dark: bool) -> Self {
        let dir = tempfile::tempdir().unwrap();
        let mut driver = Command::new("chromedriver")
            .arg("--port=0")
            .env("TMPDIR", dir.path())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver is installed (`cargo xtask test` does it)");
        let mut lines = BufReader::new(driver.stdout.take().unwrap()).lines().map_while(Result::ok);
        let port = lines
            .find_map(|line| line.split_once("started successfully on port ").map(|(_, port)| port.to_owned()))
            .expect("chromedriver says its port");
        std::thread::spawn(move || lines.for_each(drop));
        let port = port.trim_end_matches('.');
        let mut flags: Vec<String> = FLAGS.iter().map(|&flag| flag.to_owned()).collect();
        flags.push(format!("--user-data-dir={}", dir.path().join("profile").display()));
        if dark {
            flags.push("--force-dark-mode".to_owned());
        }
        let mut capabilities = Map::new();
        capabilities.insert("goog:chromeOptions".to_owned(), json!({"args": flags, "binary": "/usr/bin/chromium"}));
        capabilities.insert("goog:loggingPrefs".to_owned(), json!({"browser": "ALL"}));
        let page = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities)
            .connect(&format!("http://127.0.0.1:{port}"))
            .await
            .expect("Chromium starts");
        let browser = Self { page, driver, _dir: dir };
        browser.resize(width, height).await;
        browser
    }

    /// Gives the page exactly that size.
    pub async fn resize(&self, width: u32, height: u32) {
        self.page.set_window_size(width + 200, height + 200).await.unwrap();
        let frame =
            self.page.execute("return [outerWidth - innerWidth, outerHeight - innerHeight]", vec![]).await.unwrap();
        let extra = |i: usize| frame[i].as_u64().unwrap_or(0) as u32;
        self.page.set_window_size(width + extra(0), height + extra(1)).await.unwrap();
    }

    /// Goes to an address.
    pub async fn open(&self, url: &str) {
        self.page.goto(url).await.unwrap();
    }

    /// Waits until the page shows a text.
    pub async fn sees(&self, text: &str) {
        let what = format!("the page to show {text:?}");
        let found = eventually_text(self, text);
        if tokio::time::timeout(crate::PATIENCE, found).await.is_err() {
            panic!("waited in vain for {what}; it shows:\n{}", self.text().await);
        }
    }

    /// All text of the page, thin spaces as plain ones.
    pub async fn text(&self) -> String {
        let text = self.page.execute("return document.body.innerText", vec![]).await.unwrap();
        text.as_str().unwrap_or_default().replace('\u{202f}', " ")
    }

    /// The field with a label.
    pub async fn field(&self, label: &str) -> Element {
        let path = format!(
            "//*[(self::input or self::textarea) and @id=//label[starts-with(normalize-space(.), '{label}')]/@for]"
        );
        self.find(Locator::XPath(&path)).await
    }

    /// Puts a text into the field with a label.
    pub async fn fill(&self, label: &str, text: &str) {
        let field = self.field(label).await;
        field.click().await.unwrap();
        field.send_keys("\u{e009}a\u{e000}").await.unwrap();
        field.send_keys(text).await.unwrap();
        // On to the next field, so that no list of choices stays open over it.
        field.send_keys("\u{e004}").await.unwrap();
    }

    /// Chooses from the list with a label.
    pub async fn choose(&self, label: &str, choice: &str) {
        let list = format!("(//*[normalize-space(text())='{label}']/following::*[@role='combobox'])[1]");
        self.click(Locator::XPath(&list)).await;
        let option = format!("//*[@role='option' and normalize-space(.)='{choice}']");
        let found = self.find(Locator::XPath(&option)).await;
        // A list that is still opening moves under the pointer, so that a click at a place may choose a neighbour.
        let chosen = vec![serde_json::to_value(&found).unwrap()];
        self.page.execute("arguments[0].click()", chosen).await.unwrap();
        let is_closed = || async { self.page.find(Locator::XPath(&option)).await.is_err().then_some(()) };
        eventually("the list of choices to close", is_closed).await;
    }

    /// Clicks an element once nothing lies over it: a list that is still opening moves
    /// under the pointer, and a click that is intercepted is none.
    async fn click(&self, locator: Locator<'_>) {
        let what = format!("{locator:?} to be clicked");
        eventually(&what, || async { self.page.find(locator).await.ok()?.click().await.ok() }).await;
    }

    /// Presses the button or follows the link with a text: of several the last that
    /// is to be seen, which is the one on top.
    pub async fn press(&self, text: &str) {
        let path = format!(
            "//*[(self::button or self::a or @role='menuitem') and (normalize-space(.)='{text}' or @aria-label='{text}')]"
        );
        let what = format!("something to press called {text:?}");
        let found = eventually(&what, || async {
            for element in self.page.find_all(Locator::XPath(&path)).await.ok()?.into_iter().rev() {
                if element.is_displayed().await.unwrap_or(false) && element.is_enabled().await.unwrap_or(false) {
                    return Some(element);
                }
            }
            None
        });
        found.await.click().await.unwrap_or_else(|error| panic!("{text:?} cannot be pressed: {error}"));
    }

    /// Waits for an element.
    pub async fn find(&self, locator: Locator<'_>) -> Element {
        eventually(&format!("{locator:?}"), || async { self.page.find(locator).await.ok() }).await
    }

    /// Waits until the text of an element satisfies a condition and gives it back.
    pub async fn text_of(&self, css: &str, is_it: impl Fn(&str) -> bool) -> String {
        eventually(css, || async {
            let element = self.page.find(Locator::Css(css)).await.ok()?;
            let text = element.text().await.ok()?.replace('\u{202f}', " ");
            is_it(&text).then_some(text)
        })
        .await
    }

    /// Runs the accessibility rules of axe and gives back what they complain of. A colour
    /// on its way from one to another is neither, so transitions are waited for.
    pub async fn axe(&self, source: &str) -> Vec<String> {
        self.page.execute(source, vec![]).await.unwrap();
        let run = "const done = arguments[arguments.length - 1]; \
            const ends = document.getAnimations().filter((a) => a.effect.getTiming().iterations !== Infinity); \
            Promise.allSettled(ends.map((a) => a.finished)).then(() => \
            axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa']})).then((r) => \
            done(r.violations.map((v) => `${v.id}: ${v.nodes.map((n) => `${n.html} ${n.failureSummary}`).join(' | ')}`)))";
        let found = self.page.execute_async(run, vec![]).await.unwrap();
        found.as_array().unwrap().iter().map(|v| v.as_str().unwrap_or_default().to_owned()).collect()
    }

    /// What was written to the console as an error or a warning.
    pub async fn complaints(&self) -> Vec<String> {
        let log = self.page.issue_cmd(ConsoleLog).await.unwrap();
        let entries = log.as_array().cloned().unwrap_or_default();
        let is_bad = |entry: &&Value| matches!(entry["level"].as_str(), Some("SEVERE" | "WARNING"));
        entries.iter().filter(is_bad).map(|entry| entry["message"].to_string()).collect()
    }
}

async fn eventually_text(browser: &Browser, text: &str) {
    while !browser.text().await.contains(text) {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}
