//! Every command that only looks, as a table and as JSON, with and without anything to see.

use lantern_e2e::{Client, Service};

/// What can be asked of a site in which nothing is set up.
const OF_SITE: [&[&str]; 24] = [
    &["now"],
    &["lamp"],
    &["arrivals"],
    &["alarms"],
    &["alarms", "--all", "--since", "7d"],
    &["alarms", "--figures", "--since", "7d"],
    &["watch", "list"],
    &["roster", "list"],
    &["callouts"],
    &["coverage", "--since", "7d"],
    &["note", "list"],
    &["view", "list"],
    &["jobs"],
    &["removed"],
    &["storage"],
    &["health"],
    &["site", "list"],
    &["device", "list"],
    &["kind", "list"],
    &["key", "list", "--of-site"],
    &["mqtt-session", "list"],
    &["changes"],
    &["people", "list"],
    &["account", "show"],
];

/// What can be asked of a device and its signal.
const OF_DEVICE: [&[&str]; 23] = [
    &["now", "tower"],
    &["lamp", "tower"],
    &["link", "tower"],
    &["why", "tower"],
    &["why", "tower/temp"],
    &["contacts", "tower"],
    &["device", "show", "tower"],
    &["signal", "list", "tower"],
    &["key", "list", "tower"],
    &["command", "tower"],
    &["commission", "tower"],
    &["readings", "tower/temp", "--since", "7d"],
    &["summary", "tower/temp", "--since", "7d", "--by", "day"],
    &["figures", "tower/temp", "--since", "7d", "--by", "day", "--above", "3"],
    &["span", "tower/temp"],
    &["gaps", "tower/temp", "--since", "7d"],
    &["bursts", "tower/temp", "--since", "7d"],
    &["coverage", "tower", "--since", "7d"],
    &["quality", "tower/temp", "--since", "7d"],
    &["retention", "tower/temp"],
    &["conversion", "tower/temp"],
    &["screen", "tower/temp"],
    &["origin", "tower/temp"],
];

/// Asks once for people and once for programs.
fn look(client: &Client, arguments: &[&str]) {
    let table = client.ok(arguments);
    assert!(!table.trim().is_empty(), "{arguments:?} says nothing at all");
    assert!(!table.contains('\u{1b}'), "{arguments:?} writes colours into a pipe: {table}");
    for line in table.lines() {
        assert_eq!(line.trim_end(), line, "{arguments:?} ends a line with spaces");
        assert!(!["null", "None", "Some(", "NaN"].iter().any(|odd| line.contains(odd)), "{arguments:?}: {line}");
    }
    let json = client.json(arguments);
    assert!(!json.is_null(), "{arguments:?}");
}

#[tokio::test]
async fn an_empty_site_has_an_answer_to_every_question() {
    let service = Service::start().await;
    let client = Client::logged_in(&service);
    for arguments in OF_SITE {
        look(&client, arguments);
    }
}

#[tokio::test]
async fn whatever_can_be_seen_of_a_device_is_told_to_people_and_to_programs() {
    let service = Service::start().await;
    let key = service.device("tower", &["temp"]).await;
    let client = Client::logged_in(&service);
    // First with nothing that was ever sent.
    for arguments in OF_DEVICE.into_iter().filter(|arguments| arguments[0] != "origin") {
        look(&client, arguments);
    }
    for value in [1.5, 2.5, 3.5] {
        service.deliver(&key, &format!(r#"{{"temp": {value}, "odd": 1}}"#)).await;
    }
    for arguments in OF_DEVICE.into_iter().chain(OF_SITE) {
        look(&client, arguments);
    }
}

#[tokio::test]
async fn what_is_not_there_is_told_with_its_name_and_fails() {
    let service = Service::start().await;
    service.device("tower", &["temp"]).await;
    let client = Client::logged_in(&service);
    for arguments in OF_DEVICE {
        let wrong: Vec<String> = arguments.iter().map(|word| word.replace("tower", "twoer")).collect();
        let (code, said) = client.fails(&wrong.iter().map(String::as_str).collect::<Vec<_>>());
        assert_eq!(code, 1, "{wrong:?}: {said}");
        assert!(said.contains("twoer"), "{wrong:?} does not say what is not there: {said}");
    }
}
