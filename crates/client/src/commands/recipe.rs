//! `lantern recipe`.

use super::Context;
use crate::args::RecipeArgs;
use crate::output::{Form, table};
use anyhow::{Context as _, Result};
use lantern_api::{Recipe, Recipes};
use std::io::Write;

pub(crate) async fn run(context: &Context, args: RecipeArgs) -> Result<()> {
    let server = context.server()?;
    let mut found: Recipes = server.get(&server.device_path(&args.device, "/recipes").await?, &[]).await?;
    if let Some(key) = &args.key {
        for recipe in &mut found.recipes {
            recipe.text = recipe.text.replace("KEY", key);
        }
    }
    let Some(code) = &args.recipe else {
        return context.output.print(&found, |found| {
            let row = |r: &Recipe| vec![r.code.clone(), r.title.clone(), r.hint.clone()];
            table(&["recipe", "", ""], &[], found.recipes.iter().map(row).collect())
        });
    };
    let recipe = found.recipes.iter().find(|r| r.code == *code);
    let recipe =
        recipe.with_context(|| format!("there is no recipe `{code}`; see `lantern recipe {}`", args.device))?;
    if context.output.form == Form::Json {
        return context.output.print(recipe, |_| String::new());
    }
    // Byte for byte: the lines of a raw request end as they must.
    match std::io::stdout().lock().write_all(recipe.text.as_bytes()) {
        Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => Ok(()),
        other => Ok(other?),
    }
}
