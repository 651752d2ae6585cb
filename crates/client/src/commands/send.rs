//! `lantern send`.

use super::Context;
use crate::args::SendArgs;
use anyhow::Result;
use lantern_api::InAnswer;

pub(crate) async fn run(context: &Context, args: SendArgs) -> Result<()> {
    let server = context.server()?;
    let mut body: serde_json::Map<String, serde_json::Value> = args.values.into_iter().collect();
    if let Some(at) = args.at {
        body.insert("at".to_owned(), at.into());
    }
    let answer: InAnswer = server.deliver(&args.key, &body).await?;
    context.output.print(&answer, text)?;
    if answer.refused_count > 0 {
        anyhow::bail!("{} of the values were not taken", answer.refused_count);
    }
    Ok(())
}

fn text(answer: &InAnswer) -> String {
    let mut lines = vec![format!("kept {}", answer.kept)];
    if answer.repeated > 0 {
        lines.push(format!("{} of them there already", answer.repeated));
    }
    if answer.expired > 0 {
        lines.push(format!("{} of them passed over: readings of that time are no longer kept", answer.expired));
    }
    if answer.corrected > 0 {
        lines.push(format!("{} of them in place of another value", answer.corrected));
    }
    if !answer.waiting.is_empty() {
        lines.push(format!("not declared, waiting as arrivals: {}", answer.waiting.join(", ")));
    }
    lines.extend(answer.refused.iter().map(|r| format!("refused {}: {} {}", r.name, r.detail, r.remedy)));
    lines.join("\n")
}
