//! Takes the pictures in `docs/screenshots` from the demo.
//!
//! Pages are taken in Chromium, the terminal in a real one under Xvfb (`apt-get
//! install xvfb xterm imagemagick`; left out with a word if they are missing).
#![allow(clippy::unwrap_used, clippy::expect_used)]

use fantoccini::Locator;
use lantern_e2e::{Browser, Demo, binary};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

fn target(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/screenshots").join(format!("{name}.png"))
}

async fn take(browser: &Browser, name: &str) {
    // Lines are drawn and fonts are in when the page has been still for a while.
    tokio::time::sleep(Duration::from_millis(1_500)).await;
    std::fs::write(target(name), browser.page.screenshot().await.unwrap()).unwrap();
    println!("{name}");
}

async fn log_in(browser: &Browser, demo: &Demo) {
    browser.open(&format!("{}/log-in", demo.url)).await;
    browser.fill("Name", "demo").await;
    browser.fill("Password", &demo.password).await;
    browser.press("Log in").await;
    browser.sees("fresh").await;
}

#[tokio::main(flavor = "current_thread")]
async fn main() {
    let dir = tempfile::tempdir().unwrap();
    let demo = Demo::start(dir.path(), &["--port", "8710"]);
    let site = format!("{}/sites/marlbeck", demo.url);
    pages(&demo, &site).await;
    terminal(&demo);
}

async fn pages(demo: &Demo, site: &str) {
    let browser = Browser::start(1280, 800, false).await;
    log_in(&browser, demo).await;
    take(&browser, "lamp-room").await;
    browser.open(&format!("{site}/devices/tower?span=1w")).await;
    take(&browser, "device").await;
    browser.open(&format!("{site}/devices/shed-5")).await;
    browser.press("Why no value?").await;
    browser.sees("never anything under the name").await;
    take(&browser, "why").await;
    setting_up(&browser, site).await;
    rest(&browser, demo, site).await;
}

/// What is looked at while devices are set up.
async fn setting_up(browser: &Browser, site: &str) {
    browser.open(&format!("{site}/devices/shed-5/commissioning")).await;
    take(browser, "commissioning").await;
    browser.open(&format!("{site}/alarms/history")).await;
    browser.sees("Fridge is warm").await;
    take(browser, "alarms").await;
    browser.open(&format!("{site}/alarms/callouts")).await;
    browser.sees("Urgent: The crew calls").await;
    // The first message goes to a topic, the second to a webhook, the third is a mail.
    browser.open(&format!("{site}/alarms/callouts/3")).await;
    browser.sees("The server has taken it").await;
    take(browser, "callout").await;
    browser.open(&format!("{site}/devices/tunnel/contacts")).await;
    take(browser, "contacts").await;
    browser.open(&format!("{site}/devices/shed-5/sending")).await;
    browser.press("C with sockets").await;
    take(browser, "sending").await;
    browser.open(&format!("{site}/devices/shed-5/sending")).await;
    browser.find(Locator::Css("#decoder textarea")).await;
    browser.page.execute("document.getElementById('decoder').scrollIntoView()", vec![]).await.unwrap();
    browser.fill("Sample", "T=9.4 H=wet B=3.61 X=1").await;
    browser.press("Try it").await;
    browser.sees("an arrival").await;
    take(browser, "decoder").await;
}

/// What came, who is there, and a device just made.
async fn rest(browser: &Browser, demo: &Demo, site: &str) {
    looking(browser, site).await;
    people(browser, demo, site).await;
    browser.open(&format!("{site}/add-device")).await;
    browser.fill("Name of the device", "Spring house").await;
    browser.fill("Code", "spring").await;
    browser.fill("Signal code", "humidity").await;
    browser.fill("Unit", "%").await;
    browser.press("Add the device and issue its key").await;
    browser.sees("Waiting for the first message").await;
    take(browser, "first-key").await;
    browser.page.clone().close().await.unwrap();

    let dark = Browser::start(1280, 800, true).await;
    log_in(&dark, demo).await;
    dark.open(&format!(
        "{site}/charts?signals=tower/level,tower/level-p,shed-1/temp,shed-3/temp&span=1w&under=week&nights=1"
    ))
    .await;
    dark.sees("Carriage shed").await;
    dark.sees("lowest").await;
    take(&dark, "charts").await;
    dark.resize(390, 800).await;
    dark.open(site).await;
    dark.find(Locator::Css("[data-device=tower]")).await;
    take(&dark, "phone").await;
    dark.page.clone().close().await.unwrap();
}

/// Who is there, what they changed, and how the service is doing.
async fn people(browser: &Browser, demo: &Demo, site: &str) {
    browser.open(&format!("{site}/people")).await;
    browser.sees("signalwoman").await;
    take(browser, "people").await;
    browser.open(&format!("{site}/notes/changes?object=devices/tower")).await;
    browser.sees("North gantry").await;
    take(browser, "changes").await;
    browser.open(&format!("{}/health", demo.url)).await;
    browser.sees("Clock: well").await;
    take(browser, "health").await;
}

/// What came, and where it comes from.
async fn looking(browser: &Browser, site: &str) {
    browser.open(&format!("{site}/figures?signals=tower/level&span=1w&above=3")).await;
    browser.press("Show days and hours").await;
    browser.sees("mean by day and hour").await;
    take(browser, "figures").await;
    browser.open(&format!("{site}/coverage")).await;
    browser.sees("of what was expected came").await;
    take(browser, "coverage").await;
    browser.open(&format!("{site}/charts?signals=tower/level,tower/volume&span=1w")).await;
    browser.press("Origin of values").await;
    browser.sees("Step 1").await;
    take(browser, "origin").await;
}

/// The client in a terminal of 100 columns.
fn terminal(demo: &Demo) {
    let has = |program: &str| {
        Command::new(program).arg("-version").stdout(Stdio::null()).stderr(Stdio::null()).status().is_ok()
    };
    if !(has("Xvfb") && has("xterm") && has("import")) {
        println!("no picture of the terminal: install xvfb, xterm and imagemagick");
        return;
    }
    let mut screen =
        Command::new("Xvfb").args([":78", "-screen", "0", "1000x420x24"]).stderr(Stdio::null()).spawn().unwrap();
    std::thread::sleep(Duration::from_secs(1));
    let home = tempfile::tempdir().unwrap();
    let lantern = binary("lantern");
    let lantern = lantern.display();
    let script = format!(
        "export LANTERN_CONFIG_DIR={home}; LANTERN_PASSWORD={password} {lantern} login {url} --name demo >/dev/null; \
         printf '$ lantern contacts tunnel --limit 2\\n'; {lantern} contacts tunnel --limit 2; \
         printf '\\n$ lantern arrivals\\n'; {lantern} arrivals; \
         printf '\\n$ lantern follow tower\\n'; {lantern} follow tower",
        home = home.path().display(),
        password = demo.password,
        url = demo.url,
    );
    let mut xterm = Command::new("xterm")
        .args([
            "-display",
            ":78",
            "-geometry",
            "110x26+0+0",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "11",
            "-bg",
            "#0F151D",
            "-fg",
            "#EDE6D8",
            "-e",
            "sh",
            "-c",
            &script,
        ])
        .env("LANG", "C.UTF-8")
        .env("LC_ALL", "C.UTF-8")
        .spawn()
        .unwrap();
    std::thread::sleep(Duration::from_secs(4));
    let status =
        Command::new("import").args(["-display", ":78", "-window", "root"]).arg(target("terminal")).status().unwrap();
    println!("terminal ({status})");
    let _ = xterm.kill();
    let _ = xterm.wait();
    let _ = screen.kill();
    let _ = screen.wait();
}
