//! `lantern decoder`.

use super::Context;
use crate::args::DecoderCommand;
use crate::output::table;
use crate::server::segment;
use crate::{document, show};
use anyhow::{Context as _, Result};
use data_encoding::BASE64;
use lantern_api::{Becomes, Tried, TriedValue, Trying};
use std::io::Read;
use std::path::Path;

pub(crate) async fn run(context: &Context, command: DecoderCommand) -> Result<()> {
    let DecoderCommand::Try { file, sample, sample_file, device, content_type } = command;
    let server = context.server()?;
    let bytes = sample_file.as_deref().map(read).transpose()?;
    let trying = Trying {
        sample,
        sample_base64: bytes.map(|bytes| BASE64.encode(&bytes)),
        content_type,
        device,
        decoder: file.as_deref().map(document::read).transpose()?,
        signals: None,
    };
    let path = format!("sites/{}/try", segment(&server.site_code().await?));
    let tried: Tried = server.post(&path, &trying).await?;
    context.output.print(&tried, text)
}

fn read(file: &Path) -> Result<Vec<u8>> {
    if file == Path::new("-") {
        let mut bytes = Vec::new();
        std::io::stdin().lock().read_to_end(&mut bytes)?;
        return Ok(bytes);
    }
    std::fs::read(file).with_context(|| format!("cannot read {}", file.display()))
}

fn text(tried: &Tried) -> String {
    let mut parts = vec![format!("Read as {}: {} values.", tried.dialect, tried.count)];
    if !tried.values.is_empty() {
        let headings = ["name", "value", "unit", "at", "device", "becomes"];
        parts.push(table(&headings, &[1], tried.values.iter().map(row).collect()));
    }
    for refused in &tried.refused {
        parts.push(format!("refused: {} {}", refused.detail, refused.remedy));
    }
    parts.extend(tried.remarks.iter().map(|remark| format!("note: {}", remark.detail)));
    parts.join("\n")
}

fn row(value: &TriedValue) -> Vec<String> {
    let becomes = match (&value.becomes, &value.refused) {
        (Becomes::Reading, _) => format!("reading of {}", value.name),
        (Becomes::Rejected, _) => format!("rejected reading of {}: no number", value.name),
        (Becomes::Arrival, _) => "arrival".to_owned(),
        (Becomes::Ignored, _) => "ignored".to_owned(),
        (Becomes::Refused, refused) => {
            format!("refused: {}", refused.as_ref().map_or("", |refused| refused.detail.as_str()))
        }
    };
    vec![
        value.name.clone(),
        show::plain(&value.raw),
        value.unit.clone().unwrap_or_default(),
        value.at.clone().unwrap_or_default(),
        value.device.clone().unwrap_or_default(),
        becomes,
    ]
}
