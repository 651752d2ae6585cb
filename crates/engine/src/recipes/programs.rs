//! Recipes for programs and modems.

use super::{KEY, Place, Variable, comment, json_pairs, query, recipe};
use lantern_api::Recipe;
use lantern_core::Value;
use std::fmt::Write;

/// One line of each variable: `name=value` in a language.
fn lines(variables: &[Variable<'_>], line: impl Fn(&Variable<'_>) -> String) -> String {
    variables.iter().map(|v| line(v) + "\n").collect()
}

fn shell_variables(variables: &[Variable<'_>]) -> String {
    lines(variables, |v| {
        let quote = if v.sample.is_text() { "'" } else { "" };
        format!("{}={quote}{}{quote}", v.name, v.sample.plain())
    })
}

/// The values as the inside of a JSON object in double quotes.
fn shell_pairs(variables: &[Variable<'_>]) -> String {
    json_pairs(variables).replace('"', "\\\"")
}

pub(super) fn shell(name: &str, variables: &[Variable<'_>], place: &Place) -> Recipe {
    let text = format!(
        "#!/bin/sh\n# Sends readings of {}. Set the variables from your sensors.\nkey='{KEY}'\n{}\ncurl --silent --show-error --max-time 20 \\\n  --header \"Authorization: Bearer $key\" \\\n  --header 'Content-Type: application/json' \\\n  --data \"{{{}}}\" \\\n  '{}/in'\n",
        comment(name),
        shell_variables(variables),
        shell_pairs(variables),
        place.base
    );
    recipe("shell", "Shell", "Needs curl. Run it from a timer or a loop.", "send.sh", text)
}

pub(super) fn python(name: &str, variables: &[Variable<'_>], place: &Place) -> Recipe {
    let values = lines(variables, |v| {
        let value = match &v.sample.value {
            Value::Flag(true) => "True".to_owned(),
            Value::Flag(false) => "False".to_owned(),
            _ => v.sample.json(),
        };
        format!("{} = {value}", v.name)
    });
    let parts: Vec<String> = variables.iter().map(|v| format!("    \"{}\": {},", v.sample.code, v.name)).collect();
    let text = format!(
        r#"# Sends readings of {}. Set the variables from your sensors.
import json
import urllib.error
import urllib.request

key = "{KEY}"
{values}
readings = {{
{}
}}
request = urllib.request.Request(
    "{}/in",
    data=json.dumps(readings).encode(),
    headers={{"Authorization": "Bearer " + key, "Content-Type": "application/json"}},
)
try:
    with urllib.request.urlopen(request, timeout=20) as answer:
        print(answer.read().decode().strip())
except urllib.error.HTTPError as refused:
    # The answer says what to change.
    print(refused.code, refused.read().decode())
"#,
        comment(name),
        parts.join("\n"),
        place.base
    );
    recipe("python", "Python", "Needs nothing but Python 3.", "send.py", text)
}

pub(super) fn javascript(name: &str, variables: &[Variable<'_>], place: &Place) -> Recipe {
    let values = lines(variables, |v| format!("const {} = {};", v.name, v.sample.json()));
    let parts: Vec<String> = variables.iter().map(|v| format!("  \"{}\": {},", v.sample.code, v.name)).collect();
    let text = format!(
        r#"// Sends readings of {}. Set the variables from your sensors.
const key = "{KEY}";
{values}
const readings = {{
{}
}};
const answer = await fetch("{}/in", {{
  method: "POST",
  headers: {{ Authorization: "Bearer " + key, "Content-Type": "application/json" }},
  body: JSON.stringify(readings),
}});
console.log(answer.status, (await answer.text()).trim());
"#,
        comment(name),
        parts.join("\n"),
        place.base
    );
    recipe("javascript", "JavaScript", "Runs in Node.js from version 18 on.", "send.mjs", text)
}

/// A program that writes the request byte for byte; lines end in CR LF.
pub(super) fn http(name: &str, variables: &[Variable<'_>], place: &Place) -> Recipe {
    let host = if place.host.contains(':') { format!("[{}]", place.host) } else { place.host.clone() };
    let text = format!(
        r#"#!/bin/sh
# Writes the request that sends readings of {}. Set the variables from your sensors.
# Lines end in CR LF; Content-Length is the number of bytes after the empty line.
LC_ALL=C
key='{KEY}'
{}
body="{{{}}}"
printf '%s\r\n' \
  'POST /in HTTP/1.1' \
  'Host: {host}:{}' \
  "Authorization: Bearer $key" \
  'Content-Type: application/json' \
  "Content-Length: ${{#body}}" \
  'Connection: close' \
  ''
printf '%s' "$body"
"#,
        comment(name),
        shell_variables(variables),
        shell_pairs(variables),
        place.port
    );
    let hint = format!(
        "For what has nothing but a connection: open {} to {} port {} and write the bytes that this prints.",
        if place.is_tls { "a TLS connection" } else { "a TCP connection" },
        place.host,
        place.port
    );
    recipe("http", "Raw HTTP request", hint, "request.sh", text)
}

pub(super) fn get(variables: &[Variable<'_>], place: &Place) -> Recipe {
    let address = format!("{}/in/{KEY}", place.base);
    let pattern: Vec<String> = variables.iter().map(|v| format!("{}=${{{}}}", v.sample.code, v.name)).collect();
    let text = format!(
        "# The address to fetch, with a reading in place of each ${{name}}:\n{address}?{}\n\n# Such as:\n{address}?{}\n",
        pattern.join("&"),
        query(variables)
    );
    let hint = "For a modem that can do nothing but fetch an address. The answer is one line, such as ok 2.";
    recipe("get", "Plain GET for a modem", hint, "address.txt", text)
}

pub(super) fn form(name: &str, variables: &[Variable<'_>], place: &Place) -> Recipe {
    let mut parts = String::new();
    for v in variables {
        let _ = writeln!(parts, "  --data-urlencode \"{}=${{{}}}\" \\", v.sample.code, v.name);
    }
    let text = format!(
        "#!/bin/sh\n# Sends readings of {} as a form. Set the variables from your sensors.\nkey='{KEY}'\n{}\ncurl --silent --show-error --max-time 20 \\\n{parts}  \"{}/in/$key\"\n",
        comment(name),
        shell_variables(variables),
        place.base
    );
    recipe("form", "Form", "For programs that can only post forms. Needs curl.", "form.sh", text)
}

pub(super) fn senml(name: &str, variables: &[Variable<'_>], place: &Place) -> Recipe {
    let record = |v: &Variable<'_>| {
        let (label, quote) = match v.sample.value {
            Value::Number(_) => ("v", ""),
            Value::Flag(_) => ("vb", ""),
            Value::Text(_) | Value::Position(_) => ("vs", "\\\""),
        };
        let unit = v.sample.unit.as_deref().map(|unit| format!(", \\\"u\\\": \\\"{unit}\\\"")).unwrap_or_default();
        format!("{{\\\"n\\\": \\\"{}\\\"{unit}, \\\"{label}\\\": {quote}${{{}}}{quote}}}", v.sample.code, v.name)
    };
    let records: Vec<String> = variables.iter().map(record).collect();
    let text = format!(
        "#!/bin/sh\n# Sends readings of {} as SenML (RFC 8428). Set the variables from your sensors.\nkey='{KEY}'\n{}\ncurl --silent --show-error --max-time 20 \\\n  --header \"Authorization: Bearer $key\" \\\n  --header 'Content-Type: application/senml+json' \\\n  --data \"[{}]\" \\\n  '{}/in'\n",
        comment(name),
        shell_variables(variables),
        records.join(", "),
        place.base
    );
    recipe(
        "senml",
        "SenML",
        "The standard format for lists of measurements; units are checked. Needs curl.",
        "senml.sh",
        text,
    )
}
