//! The answer to a delivery over HTTP: a few bytes of text, or JSON.

use lantern_api::{CommandForDevice, InAnswer};
use rocket::http::ContentType;
use rocket::request::Request;
use rocket::response::{self, Responder, Response};
use std::fmt::Write;
use std::io::Cursor;

/// An [`InAnswer`] in the form the sender wants.
pub(crate) struct Reply(pub(crate) InAnswer);

/// Whether the sender asked for JSON.
pub(super) fn wants_json(request: &Request<'_>) -> bool {
    request.headers().get_one("Accept").is_some_and(|accept| accept.contains("json"))
}

/// Commands as lines `do ID NAME ARGUMENT=VALUE …`, or JSON for who asks for it.
pub(super) fn lines(commands: &[CommandForDevice]) -> String {
    let mut text = String::new();
    for command in commands {
        let _ = write!(text, "do {} {}", command.id, command.name);
        for (name, value) in &command.arguments {
            let value = match value {
                lantern_api::Value::Flag(flag) => flag.to_string(),
                lantern_api::Value::Number(number) => number.to_string(),
                lantern_api::Value::Position(fix) => fix.to_string(),
                lantern_api::Value::Text(text) => form_urlencoded::byte_serialize(text.as_bytes()).collect(),
            };
            let _ = write!(text, " {name}={value}");
        }
        text.push('\n');
    }
    text
}

/// `ok 2`, and what else there is to say after it, on one line.
fn line(answer: &InAnswer) -> String {
    let mut line = format!("ok {}", answer.kept);
    for (word, count) in [
        ("repeated", answer.repeated),
        ("corrected", answer.corrected),
        ("expired", answer.expired),
        ("not-good", answer.not_good),
    ] {
        if count > 0 {
            let _ = write!(line, " {word} {count}");
        }
    }
    if !answer.waiting.is_empty() {
        let _ = write!(line, " waiting {}", answer.waiting.len());
    }
    if answer.ignored > 0 {
        let _ = write!(line, " ignored {}", answer.ignored);
    }
    if let Some(device) = &answer.device {
        let _ = write!(line, " device {device}");
    }
    for (i, refused) in answer.refused.iter().take(5).enumerate() {
        let before = if i == 0 { format!(" refused {}:", answer.refused_count) } else { ",".to_owned() };
        let space = if refused.name.is_empty() { "" } else { " " };
        let _ = write!(line, "{before} {}{space}{}", refused.name, refused.code);
    }
    line.push('\n');
    line += &lines(&answer.commands);
    line
}

impl<'r> Responder<'r, 'static> for Reply {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let (content_type, body) = if wants_json(request) {
            (ContentType::JSON, serde_json::to_string(&self.0).unwrap_or_default())
        } else {
            (ContentType::Plain, line(&self.0))
        };
        Response::build().header(content_type).sized_body(body.len(), Cursor::new(body)).ok()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_api::RefusedValue;

    #[test]
    fn the_usual_answer_is_a_few_bytes() {
        assert_eq!(line(&InAnswer { kept: 2, ..InAnswer::default() }), "ok 2\n");
    }

    #[test]
    fn what_else_there_is_stands_after_it() {
        let refused = RefusedValue {
            name: "door".into(),
            code: "wrong-type".into(),
            detail: String::new(),
            remedy: String::new(),
        };
        let answer = InAnswer {
            kept: 3,
            repeated: 1,
            corrected: 1,
            waiting: vec!["new".into()],
            refused: vec![refused.clone(), RefusedValue { name: "x".into(), ..refused }],
            refused_count: 2,
            ..InAnswer::default()
        };
        assert_eq!(line(&answer), "ok 3 repeated 1 corrected 1 waiting 1 refused 2: door wrong-type, x wrong-type\n");
        let answer =
            InAnswer { kept: 1, ignored: 2, not_good: 1, device: Some("shed-9".into()), ..InAnswer::default() };
        assert_eq!(line(&answer), "ok 1 not-good 1 ignored 2 device shed-9\n");
    }
}
