//! The recipe in C with POSIX sockets.

use super::{KEY, Place, Variable, comment, recipe};
use lantern_api::Recipe;
use lantern_core::Value;

pub(super) fn c(name: &str, variables: &[Variable<'_>], place: &Place) -> Recipe {
    let declarations: String = variables
        .iter()
        .map(|v| match &v.sample.value {
            Value::Number(number) => format!("    double {} = {number:?};\n", v.name),
            Value::Flag(flag) => format!("    int {} = {};\n", v.name, i32::from(*flag)),
            Value::Text(_) | Value::Position(_) => format!("    const char *{} = {};\n", v.name, v.sample.json()),
        })
        .collect();
    let formats: Vec<String> = variables
        .iter()
        .map(|v| match &v.sample.value {
            Value::Number(_) => format!("\\\"{}\\\": %.10g", v.sample.code),
            Value::Flag(_) => format!("\\\"{}\\\": %s", v.sample.code),
            Value::Text(_) | Value::Position(_) => format!("\\\"{}\\\": \\\"%s\\\"", v.sample.code),
        })
        .collect();
    let arguments: Vec<String> = variables
        .iter()
        .map(|v| match &v.sample.value {
            Value::Flag(_) => format!("{} ? \"true\" : \"false\"", v.name),
            _ => v.name.clone(),
        })
        .collect();
    let text = TEMPLATE
        .replace("@name@", &comment(name))
        .replace("@key@", KEY)
        .replace("@host@", &place.host)
        .replace("@port@", &place.port.to_string())
        .replace("@declarations@", &declarations)
        .replace("@formats@", &formats.join(", "))
        .replace("@arguments@", &arguments.join(", "));
    let hint = if place.is_tls {
        "Plain sockets cannot do TLS: let it send to a port of the service that takes http."
    } else {
        "Compile it with cc -o send send.c and run ./send."
    };
    recipe("c", "C with sockets", hint, "send.c", text)
}

const TEMPLATE: &str = r#"/* Sends readings of @name@. Set the variables from your sensors. */
#define _POSIX_C_SOURCE 200112L
#include <netdb.h>
#include <stdio.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/types.h>
#include <unistd.h>

int main(void)
{
    const char *key = "@key@";
@declarations@
    char body[4096];
    int length = snprintf(body, sizeof body, "{@formats@}", @arguments@);
    if (length < 0 || length >= (int)sizeof body)
        return 1;

    char request[8192];
    int total = snprintf(request, sizeof request,
        "POST /in HTTP/1.1\r\n"
        "Host: @host@:@port@\r\n"
        "Authorization: Bearer %s\r\n"
        "Content-Type: application/json\r\n"
        "Content-Length: %d\r\n"
        "Connection: close\r\n"
        "\r\n"
        "%s", key, length, body);
    if (total < 0 || total >= (int)sizeof request)
        return 1;

    struct addrinfo hints, *found;
    memset(&hints, 0, sizeof hints);
    hints.ai_socktype = SOCK_STREAM;
    if (getaddrinfo("@host@", "@port@", &hints, &found) != 0)
        return 1;
    int line = socket(found->ai_family, found->ai_socktype, found->ai_protocol);
    if (line < 0 || connect(line, found->ai_addr, found->ai_addrlen) != 0)
        return 1;
    freeaddrinfo(found);

    for (int sent = 0; sent < total;) {
        ssize_t n = write(line, request + sent, total - sent);
        if (n <= 0)
            return 1;
        sent += n;
    }
    /* Wait for the answer: what was answered is kept. */
    char answer[2048];
    ssize_t n;
    while ((n = read(line, answer, sizeof answer)) > 0)
        fwrite(answer, 1, n, stdout);
    close(line);
    return 0;
}
"#;
