use super::*;

fn number(name: &str, low: Option<f64>, high: Option<f64>) -> Argument {
    let unit = Some("min".to_owned());
    Argument { name: name.into(), value_type: ValueType::Number, unit, low, high, choices: Vec::new() }
}

fn heater() -> Declaration {
    let state = Argument {
        name: "state".into(),
        value_type: ValueType::Flag,
        unit: None,
        low: None,
        high: None,
        choices: Vec::new(),
    };
    Declaration {
        name: "heater".into(),
        title: "Heater".into(),
        arguments: vec![state, number("minutes", Some(1.0), Some(60.0))],
        timeout_s: 30.0,
        is_standing: false,
    }
}

fn given(pairs: &[(&str, &str)]) -> BTreeMap<String, Value> {
    pairs.iter().map(|(name, text)| ((*name).to_owned(), Value::Text((*text).to_owned()))).collect()
}

#[test]
fn arguments_are_typed_and_checked() {
    let accepted = heater().accept(&given(&[("state", "on"), ("minutes", "20")])).unwrap();
    assert_eq!(accepted["state"], Value::Flag(true));
    assert_eq!(accepted["minutes"], Value::Number(20.0));
    for (pairs, message) in [
        (vec![("state", "on")], "`minutes` is missing; the command takes state (on or off), minutes (1 to 60 min)"),
        (vec![("state", "warm"), ("minutes", "20")], "`state` is `warm`; it must be on or off"),
        (vec![("state", "on"), ("minutes", "90")], "`minutes` is `90`; it must be 1 to 60 min"),
        (vec![("state", "on"), ("minutes", "inf")], "`minutes` is `inf`; it must be 1 to 60 min"),
        (
            vec![("state", "on"), ("minutes", "20"), ("x", "1")],
            "`x` is no argument of it; the command takes state (on or off), minutes (1 to 60 min)",
        ),
    ] {
        assert_eq!(heater().accept(&given(&pairs)).unwrap_err().to_string(), message);
    }
}

#[test]
fn declarations_are_checked() {
    assert_eq!(Declaration::check_all(&[heater()]), Ok(()));
    assert_eq!(Declaration::check_all(&[heater(), heater()]), Err(CommandError::Twice("heater".into())));
    let limits = Declaration { arguments: vec![number("m", Some(2.0), Some(1.0))], ..heater() };
    assert_eq!(limits.check(), Err(CommandError::Limits("m".into())));
    let id = Declaration { arguments: vec![number("id", None, None)], ..heater() };
    assert_eq!(id.check(), Err(CommandError::Twice("id".into())), "the number of the command is called so");
    let slow = Declaration { timeout_s: 0.0, ..heater() };
    assert_eq!(slow.check(), Err(CommandError::Timeout("heater".into())));
}

#[test]
fn answers_are_read_as_devices_write_them() {
    for (payload, id, is_done, text) in [
        ("", None, true, ""),
        ("ok", None, true, ""),
        ("OK warm in 3 min", None, true, "warm in 3 min"),
        ("refused: no current", None, false, "no current"),
        (r#"{"id":17,"ok":false,"text":"no current"}"#, Some(17), false, "no current"),
        (r#"{"id":17}"#, Some(17), true, ""),
        ("41.5", None, true, "41.5"),
    ] {
        let answer = Answer::read(payload.as_bytes());
        assert_eq!(answer, Answer { id, is_done, text: text.into() }, "{payload}");
    }
    assert_eq!(Answer::read(&[0xFF; 4_000]).text.chars().count(), 500, "bounded whatever comes");
}
