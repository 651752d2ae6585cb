use super::*;

fn at(minute: i64) -> Moment {
    Moment::from_micros(minute * 60_000_000).unwrap()
}

fn attempt(minute: i64, code: &str) -> Option<Attempt> {
    let (from, detail) = ("192.0.2.7".to_owned(), "what was wrong.".to_owned());
    Some(Attempt { at: at(minute), from, code: code.to_owned(), detail, remedy: "Do this.".to_owned() })
}

/// A device that reports each minute and is well at minute 100.
fn well() -> Evidence {
    Evidence {
        now: at(100),
        state: DeviceState::Live,
        silent_after_s: 300.0,
        keys: Keys { all: 2, usable: 1 },
        heard: Some(at(99)),
        refused: None,
        refused_value: None,
        stray: None,
        waiting: Vec::new(),
        declared: vec!["level".to_owned(), "temp".to_owned()],
        day: LinkCounts { received: 1_000, lost: 10, ..LinkCounts::default() },
        own_address: None,
        clock_offset_s: Some(2.0),
        signal: Some(SignalEvidence {
            code: "level".to_owned(),
            last: Some((at(99), Quality::Good)),
            forgotten: None,
            silent_after_s: 300.0,
        }),
    }
}

/// What is changed of a device that is well, and what is found then.
type Case = (&'static str, fn(&mut Evidence), Option<Stage>, Mend);

fn claim(name: &str, into: Option<&str>) -> Mend {
    Mend::Claim { name: name.to_owned(), into: into.map(str::to_owned) }
}

fn last(evidence: &mut Evidence, last: Option<(Moment, Quality)>) {
    evidence.signal.as_mut().unwrap().last = last;
}

#[test]
fn the_first_thing_that_is_wrong_is_found() {
    let cases: [Case; 24] = [
        ("well", |_| {}, None, Mend::Nothing),
        ("waiting", |e| e.state = DeviceState::Waiting, Some(Stage::Declared), Mend::Declare),
        ("no-key", |e| (e.keys, e.heard) = (Keys::default(), None), Some(Stage::Key), Mend::IssueKey),
        ("no-usable-key", |e| e.keys.usable = 0, Some(Stage::Key), Mend::IssueKey),
        ("never-heard", |e| e.heard = None, Some(Stage::Contact), Mend::Send),
        ("silent", |e| e.heard = Some(at(50)), Some(Stage::Contact), Mend::SeeContacts),
        (
            "address-leads-nowhere",
            |e| (e.heard, e.own_address) = (None, Some("http://localhost:8710".to_owned())),
            Some(Stage::Contact),
            Mend::Send,
        ),
        ("losses", |e| e.day.lost = 300, Some(Stage::Losses), Mend::SeeContacts),
        (
            "no-longer-kept",
            |e| {
                last(e, None);
                e.signal.as_mut().unwrap().forgotten = Some(at(1));
            },
            Some(Stage::Kept),
            Mend::SeeRetention,
        ),
        // A battery that is told once a day is not missed after an hour.
        (
            "well",
            |e| {
                last(e, Some((at(40), Quality::Good)));
                e.signal.as_mut().unwrap().silent_after_s = 86_400.0;
            },
            None,
            Mend::Nothing,
        ),
        ("no-longer-sent", |e| last(e, Some((at(40), Quality::Good))), Some(Stage::Time), Mend::SeeContacts),
        ("unknown-key", |e| (e.heard, e.stray) = (None, attempt(99, "unknown-key")), Some(Stage::Contact), Mend::Send),
        (
            "no-such-address",
            |e| (e.heard, e.stray) = (Some(at(50)), attempt(99, "no-such-address")),
            Some(Stage::Contact),
            Mend::Send,
        ),
        (
            "no-such-address",
            |e| {
                (e.heard, e.stray) = (None, attempt(90, "unknown-key"));
                e.refused = attempt(99, "no-such-address");
            },
            Some(Stage::Contact),
            Mend::Send,
        ),
        (
            "silent",
            |e| (e.heard, e.stray) = (Some(at(50)), attempt(40, "unknown-key")),
            Some(Stage::Contact),
            Mend::SeeContacts,
        ),
        ("malformed-json", |e| e.refused = attempt(99, "malformed-json"), Some(Stage::Payload), Mend::SeeContacts),
        ("wrong-unit", |e| e.refused_value = attempt(99, "wrong-unit"), Some(Stage::Payload), Mend::SeeContacts),
        (
            "name-nearly-right",
            |e| {
                e.waiting = vec!["speed".to_owned(), "levle".to_owned()];
                last(e, None);
            },
            Some(Stage::Name),
            claim("levle", Some("level")),
        ),
        (
            "name-nearly-right",
            |e| (e.signal, e.waiting) = (None, vec!["Temp_".to_owned(), "tmep".to_owned()]),
            Some(Stage::Name),
            claim("Temp_", Some("temp")),
        ),
        (
            "name-waits",
            |e| {
                e.waiting = vec!["speed".to_owned()];
                last(e, None);
            },
            Some(Stage::Name),
            claim("speed", None),
        ),
        ("never-sent", |e| last(e, None), Some(Stage::Name), Mend::SeeContacts),
        ("no-longer-sent", |e| last(e, Some((at(20), Quality::Good))), Some(Stage::Time), Mend::SeeContacts),
        ("wrong-clock", |e| e.clock_offset_s = Some(-3_600.0), Some(Stage::Clock), Mend::SetClock),
        ("in-trial", |e| e.state = DeviceState::Trial, Some(Stage::Live), Mend::Commission),
    ];
    for (code, change, stage, mend) in cases {
        let mut evidence = well();
        change(&mut evidence);
        let found = first_wrong(&evidence);
        assert_eq!((found.code.as_str(), found.stage, &found.mend), (code, stage, &mend), "{found:?}");
        assert!(!found.what.is_empty() && !found.means.is_empty());
    }
}

#[test]
fn a_value_that_cannot_be_believed_says_why() {
    for cause in Cause::ALL {
        for (quality, code) in [(Quality::Suspect(cause), "suspect"), (Quality::Rejected(cause), "rejected")] {
            let mut evidence = well();
            last(&mut evidence, Some((at(99), quality)));
            let found = first_wrong(&evidence);
            assert_eq!((found.code.as_str(), found.stage), (code, Some(Stage::Quality)));
            assert!(found.what.contains(words(cause)), "{}", found.what);
        }
    }
}

#[test]
fn a_device_carried_by_another_needs_no_key() {
    let found = first_wrong(&Evidence { keys: Keys::default(), ..well() });
    assert_eq!(found.stage, None);
}
